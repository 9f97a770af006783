package step

import (
	"revuelta/internal/formula"
	"revuelta/internal/numeral"
	"revuelta/internal/table"
)

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

// TriesFor is what to try where a formula could not read a cell of a row.
func TriesFor(f *formula.Failure, b *table.Batch, row int) []string {
	if f.Field >= 0 && f.Reason == "is not a number" {
		return numeral.Commands(b.Cols[f.Field].At(row), numeral.Form{})
	}
	return nil
}
