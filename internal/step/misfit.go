package step

import "revuelta/internal/formula"

// Misfit is why a cell does not fit, and what to try.
type Misfit struct {
	Field  int
	Reason string
	Tries  []string
}

// BadRow is a row with a cell that does not fit.
type BadRow struct {
	Row int
	Misfit
}

// TriesFor is what to try where a cell could not be read by a formula.
func TriesFor(f *formula.Failure) []string {
	if f.Field >= 0 && f.Reason == "is not a number" {
		return []string{"cast it first: cast FIELD number --decimal , --strip kg"}
	}
	return nil
}
