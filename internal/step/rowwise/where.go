// Package rowwise has the steps whose outcome for a row depends on that row alone: choosing and naming fields, filtering,
// calculating, and rewriting, splitting and combining cells. They run inside the workers and retain no cell.
package rowwise

import (
	"fmt"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var WhereSpec = &step.Spec{
	Name: "where",
	Brief: []string{
		"Keeps the rows for which a formula holds.",
		"Cells are read as numbers where they are compared with numbers, as text where with text.",
	},
	Forms: []string{"where FORMULA"},
	Make: func(a *step.Args) (step.Step, error) {
		f, err := formula.Parse(a.Operands[0])
		if err != nil {
			return nil, err
		}
		if f.Kind() != formula.Truth {
			return nil, diag.Usagef("where %s: the formula gives a value, not whether something holds", diag.Quote(f.String())).Trying("compare it: kilos > 0", `not blank(kilos)`)
		}
		return &Where{f}, nil
	},
	Examples: []step.Example{{
		Command: `revuelta where 'kilos >= 10 and apiary != "Vesk"' harvest.csv`,
		Input:   "apiary,colony,kilos\nVesk,026,12\nTamro,007,10.50\nTamro,011,\nUlmo,003,9\n",
		Output:  "apiary,colony,kilos\nTamro,007,10.50\n",
	}},
}

// Where keeps the rows for which a formula holds.
type Where struct{ Formula *formula.Formula }

// Capabilities implements step.Step.
func (w *Where) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: w.Bind}
}

// Bind binds it to the fields of its input.
func (w *Where) Bind(in *table.Schema) (*step.Bound, error) {
	p, err := w.Formula.Bind(in, -1)
	if err != nil {
		return nil, err
	}
	return &step.Bound{
		Notes:          w.Formula.Notes(),
		Schema:         in,
		RetainsNothing: true,
		New: func(s *step.Context) step.MapFunc {
			v := p.Eval()
			f := newSifter(in, s, w.Formula.String()+" does not hold")
			return func(src *table.Batch, emit func(*table.Batch) error) error {
				v.Load(src)
				return f.sift(src, emit, v.Truths)
			}
		},
		Summary: func(t *step.Counters) string { return fmt.Sprintf("%s left out", diag.Plural(t.LeftOut, "row")) },
	}, nil
}

// sifter keeps some rows of a batch.
type sifter struct {
	in    *table.Schema
	s     *step.Context
	dst   *table.Batch
	kept  []int32
	left  []int32
	why   string // rows are left out
	truth []bool
}

func newSifter(in *table.Schema, s *step.Context, why string) *sifter {
	return &sifter{in: in, s: s, why: why, dst: table.Get()}
}

// sift emits the rows for which keep says so, leaves the others out, and deals
// with those it fails on. keep tells of the rows from one on, and how many it told before one failed.
func (f *sifter) sift(src *table.Batch, emit func(*table.Batch) error, keep func(from int, truth []bool) (int, *formula.Failure)) error {
	f.kept, f.left = f.kept[:0], f.left[:0]
	if cap(f.truth) < src.Rows {
		f.truth = make([]bool, src.Rows)
	}
	var stop error
	for from := 0; from < src.Rows && stop == nil; {
		n, fail := keep(from, f.truth[:src.Rows-from])
		for i, ok := range f.truth[:n] {
			if ok {
				f.kept = append(f.kept, int32(from+i))
			} else {
				f.left = append(f.left, int32(from+i))
			}
		}
		from += n
		if fail != nil {
			stop = f.s.Unfit(f.in, src, from, fail.Field, fail.Reason, step.TriesFor(fail, src, from)...)
			from++
		}
	}
	f.s.Leave(f.in, src, f.left, step.Cause{Field: step.NoField, Reason: f.why})
	if err := f.emit(src, emit); err != nil {
		return err
	}
	return stop
}

// emit emits the rows kept.
func (f *sifter) emit(src *table.Batch, emit func(*table.Batch) error) error {
	if len(f.kept) == 0 {
		return nil
	}
	if len(f.kept) == src.Rows {
		return emit(src)
	}
	f.dst.Gather(src, f.kept)
	return emit(f.dst)
}
