package reshape

import (
	"context"
	"fmt"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var TransposeSpec = &step.Spec{
	Name: "transpose",
	Brief: []string{
		"Turns the table over: the first field becomes the header, the header the first field.",
		"A name that comes twice gets (2), a blank one field N; each is noted.",
	},
	Forms:    []string{"transpose"},
	Operands: func(*step.Args) int { return 0 },
	Options:  []step.Option{{Name: "label", Value: "NAME", Help: "the name of the first field (default: as it was)"}},
	Make: func(a *step.Args) (step.Step, error) {
		if a.Has("label") && a.Get("label", "") == "" {
			return nil, diag.Usagef("--label: the field has no name").Trying("--label measure")
		}
		return &Transpose{a.Get("label", "")}, nil
	},
	Memory: "all rows",
	Examples: []step.Example{{
		Command: "revuelta transpose --label apiary totals.csv",
		Input:   "measure,Vesk,Tamro\nkilos,1.10,007\njars,12,\n",
		Output:  "apiary,kilos,jars\nVesk,1.10,12\nTamro,007,\n",
	}},
}

// Transpose turns the table over.
type Transpose struct{ Label string }

// Capabilities implements step.Step.
func (t *Transpose) Capabilities() step.Capabilities {
	return step.Capabilities{Run: t.Run, OpenFields: t.OpenFields()}
}

// OpenFields tells that its fields may be known only when all rows are in.
func (*Transpose) OpenFields() bool { return true }

// Run runs it on one goroutine.
func (t *Transpose) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var schema *table.Schema
	var cells [][]string // of each field
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) error {
			schema = in
			cells = make([][]string, in.Len())
			return nil
		},
		OnEmit: func(b *table.Batch) error {
			for i := range b.Cols {
				for r := range b.Rows {
					cell := b.Cols[i].At(r)
					if i > 0 && cell != "" {
						s.Counters.FilledIn++
					}
					cells[i] = append(cells[i], strings.Clone(cell))
				}
			}
			return nil
		},
	})
	if err != nil {
		return err
	}
	rows := len(cells[0])
	first := schema.Name(0)
	if t.Label != "" {
		first = t.Label
	}
	names, empty, repeated := table.Names(append([]string{first}, cells[0]...))
	if n := len(empty); n > 0 {
		s.Summary.Notes = append(s.Summary.Notes, fmt.Sprintf("%s without a name: %s", diag.Plural(int64(n), "field"), diag.Names(empty)))
	}
	if n := len(repeated); n > 0 {
		s.Summary.Notes = append(s.Summary.Notes, fmt.Sprintf("%s that came again: %s", diag.Plural(int64(n), "name"), diag.Names(repeated)))
	}
	if err := out.Start(table.NewSchema(names)); err != nil {
		return err
	}
	s.Counters.Merged, s.Counters.Made = int64(rows), int64(len(cells)-1)
	s.Summary.Text = fmt.Sprintf("%s x %s turned over", diag.Plural(int64(rows), "row"), diag.Plural(int64(schema.Len()), "field"))
	each := max(1, 1<<16/(rows+1)) // rows of a batch
	for from := 1; from < len(cells); from += each {
		to := min(from+each, len(cells))
		b := table.Get()
		b.Shape(rows + 1)
		labels := b.Cols[0].Make(to - from)
		for k := range labels {
			labels[k] = schema.Name(from + k)
		}
		for r := range rows {
			col := b.Cols[r+1].Make(to - from)
			for k := range col {
				col[k] = cells[from+k][r]
			}
			s.Counters.FilledOut += int64(b.Cols[r+1].Filled(to - from))
		}
		b.Rows, b.Origin = to-from, table.Origin{}
		if err := out.Emit(b); err != nil {
			return err
		}
		table.Put(b)
		if err := context.Cause(ctx); err != nil {
			return err
		}
	}
	return nil
}
