package rowwise

import (
	"fmt"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var FieldsSpec = &step.Spec{
	Name: "fields",
	Brief: []string{
		"Chooses fields and puts them in order.",
		"'colony,*' moves one to the front, '!note' drops one.",
	},
	Forms: []string{"fields SELECTION"},
	Make: func(a *step.Args) (step.Step, error) {
		sel, err := selection.Parse(a.Operands[0])
		if err == nil && len(sel.Items()) == 0 {
			err = diag.Usagef("the selection is empty: a table needs a field")
		}
		return &Fields{sel}, err
	},
	Examples: []step.Example{{
		Command: "revuelta fields 'colony,*,!note' harvest.csv",
		Input:   "apiary,note,colony,kilos\nVesk,dry,026,1.10\n",
		Output:  "colony,apiary,kilos\n026,Vesk,1.10\n",
	}},
}

// Fields chooses and orders fields.
type Fields struct{ Selection *selection.Selection }

// Capabilities implements step.Step.
func (f *Fields) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: f.Bind}
}

// Bind binds it to the fields of its input.
func (f *Fields) Bind(in *table.Schema) (*step.Bound, error) {
	picked, err := f.Selection.Resolve(in)
	if err != nil {
		return nil, err
	}
	if len(picked) == 0 {
		return nil, diag.Dataf("the selection %s leaves no field", f.Selection)
	}
	dropped := in.Len() - len(picked)
	return &step.Bound{
		Schema:         table.NewSchema(step.NamesOf(in, picked)),
		RetainsNothing: true,
		New:            func(*step.Context) step.MapFunc { return pick(picked) },
		Summary: func(*step.Counters) string {
			if dropped == 0 {
				return "fields put in order"
			}
			return fmt.Sprintf("%s dropped", diag.Plural(int64(dropped), "field"))
		},
	}, nil
}

// pick passes the given columns on as they are.
func pick(columns []int) step.MapFunc {
	dst := table.Get()
	return func(src *table.Batch, emit func(*table.Batch) error) error {
		dst.Shape(len(columns))
		for i, c := range columns {
			dst.Cols[i].Borrow(&src.Cols[c])
		}
		dst.Rows, dst.Origin = src.Rows, src.Origin
		return emit(dst)
	}
}
