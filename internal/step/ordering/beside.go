package ordering

import (
	"context"
	"fmt"
	"strconv"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

var BesideSpec = &step.Spec{
	Name: "beside",
	Brief: []string{
		"Puts the cell of the next row beside each row, in a new field at the end.",
		"Or of a row further on or back, within groups, in the order of other fields.",
	},
	Forms: []string{"beside FIELD --as NAME"},
	Options: []step.Option{
		{Name: "as", Value: "NAME", Help: "the new field"},
		{Name: "ahead", Value: "N", Help: "the row so many further on (default: 1)"},
		{Name: "back", Value: "N", Help: "the row so many before"},
		{Name: "within", Value: "SELECTION", Help: "only among rows that agree in these fields"},
		{Name: "by", Value: "SELECTION", Help: "in the order of these fields, as sort takes them; the rows stay where they are"},
		{Name: "else", Value: "VALUE", Help: "what stands past the end (default: blank)"},
	},
	Make:   makeBeside,
	Memory: "all rows",
	Examples: []step.Example{{
		Command: "revuelta beside date --as next --within colony visits.csv",
		Input:   "colony,date\n026,2024-05-02\n007,2024-05-03\n026,2024-05-16\n",
		Output:  "colony,date,next\n026,2024-05-02,2024-05-16\n007,2024-05-03,\n026,2024-05-16,\n",
	}},
}

// Beside puts the cells of other rows beside each row.
type Beside struct {
	Field  selection.Item
	As     string
	Ahead  int // rows further on; negative: back
	Within *selection.Selection
	By     *Order
	Else   string
}

func makeBeside(a *step.Args) (step.Step, error) {
	item, err := selection.ParseItem(a.Operands[0])
	if err != nil {
		return nil, err
	}
	b := &Beside{Field: item, As: a.Get("as", ""), Ahead: 1, Else: a.Get("else", "")}
	if b.As == "" {
		return nil, diag.Usagef("beside lacks --as, the name of the new field").Trying("--as next")
	}
	if err := a.Excludes("ahead", "back"); err != nil {
		return nil, err
	}
	for name, sign := range map[string]int{"ahead": 1, "back": -1} {
		if a.Has(name) {
			n, err := strconv.Atoi(a.Get(name, ""))
			if err != nil || n < 1 {
				return nil, diag.Usagef("--%s %s: it is a number from 1 up", name, diag.Quote(a.Get(name, "")))
			}
			b.Ahead = sign * n
		}
	}
	if b.Within, err = step.OptionalSelection(a, "within"); err != nil {
		return nil, err
	}
	if a.Has("by") {
		b.By, err = ParseOrder(a.Get("by", ""), "")
	}
	return b, err
}

// Capabilities implements step.Step.
func (t *Beside) Capabilities() step.Capabilities {
	return step.Capabilities{Run: t.Run}
}

// Run implements Step. It holds all rows.
func (t *Beside) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var schema *table.Schema
	var rows Held
	field := 0
	within := func(*table.Batch, int) string { return "" }
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) (err error) {
			if field, err = t.Field.One(in); err != nil {
				return err
			}
			if t.Within != nil {
				fields, err := t.Within.Resolve(in)
				if err != nil {
					return err
				}
				within = keying.RowKey(fields)
			}
			if schema, err = step.Unique(append(in.Names()[:in.Len():in.Len()], t.As), "--as another name"); err != nil {
				return err
			}
			return rows.Start(in, t.By, s)
		},
		OnEmit: rows.Take,
	})
	if err != nil {
		return err
	}
	cells := make([]string, len(rows.at))
	groups := map[string][]int{} // the last rows of each, as many as there is between
	n := max(t.Ahead, -t.Ahead)
	past := int64(0)
	for _, i := range rows.InOrder(s) {
		cells[i] = t.Else
		past++
		b, r := rows.Row(i)
		k := within(b, r)
		group := groups[k]
		if len(group) == n {
			first := group[0]
			if t.Ahead > 0 {
				cells[first] = b.Cols[field].At(r)
			} else {
				before, at := rows.Row(first)
				cells[i] = before.Cols[field].At(at)
			}
			past--
			copy(group, group[1:])
			group = group[:n-1]
		}
		groups[k] = append(group, i)
	}
	s.Summary.Text = fmt.Sprintf("%s with nothing beside", diag.Plural(past, "row"))
	return rows.Emit(ctx, schema, [][]string{cells}, out)
}
