package rowwise

import (
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

var SetSpec = &step.Spec{
	Name: "set",
	Brief: []string{
		"Computes a field by a formula: a new one at the end, or one that is there anew.",
		"Or many fields at once, where it is the cell.",
	},
	Forms:   []string{"set 'NAME = FORMULA'", "set SELECTION --to FORMULA"},
	Options: []step.Option{{Name: "to", Value: "FORMULA", Help: "what the cells of the selected fields become; it is the cell"}},
	Make:    makeSet,
	Examples: []step.Example{{
		Command: `revuelta set 'wax = frames * 2.5' hives.csv`,
		Input:   "hive,frames\n026,4\n007,\n",
		Output:  "hive,frames,wax\n026,4,10\n007,,\n",
	}, {
		Command: `revuelta set '/kilos/' --to 'it ?? 0' harvest.csv`,
		Input:   "colony,May kilos,June kilos\n026,,1.10\n",
		Output:  "colony,May kilos,June kilos\n026,0,1.10\n",
	}},
}

// Set computes fields by a formula.
type Set struct {
	Name      string
	Selection *selection.Selection // nil: Name
	Formula   *formula.Formula
}

func makeSet(a *step.Args) (step.Step, error) {
	if a.Has("to") {
		sel, err := selection.Parse(a.Operands[0])
		if err != nil {
			return nil, err
		}
		f, err := formula.Parse(a.Get("to", ""))
		return &Set{Selection: sel, Formula: f}, err
	}
	name, source, ok := step.CutAssignment(a.Operands[0])
	if !ok {
		return nil, diag.Usagef("set %s: it is written NAME = FORMULA", diag.Quote(a.Operands[0])).Trying("set 'wax = frames * 2.5'", "set SELECTION --to FORMULA")
	}
	name, _, err := selection.Unquote(name)
	if err != nil {
		return nil, err
	}
	name = strings.TrimSuffix(strings.TrimPrefix(name, "{"), "}")
	if name == "" {
		return nil, diag.Usagef("set %s: the field has no name", diag.Quote(a.Operands[0]))
	}
	f, err := formula.Parse(source)
	return &Set{Name: name, Formula: f}, err
}

// Capabilities implements step.Step.
func (t *Set) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: t.Bind}
}

// Bind binds it to the fields of its input.
func (t *Set) Bind(in *table.Schema) (*step.Bound, error) {
	fields := []int{in.Len()}
	schema := in
	if t.Selection != nil {
		var err error
		if fields, err = t.Selection.Resolve(in); err != nil {
			return nil, err
		}
	} else if i, ok := in.Index(t.Name); ok {
		fields[0] = i
	} else {
		schema = table.NewSchema(append(slices.Clone(in.Names()), t.Name))
	}
	programs := make([]*formula.Program, len(fields))
	for k, i := range fields {
		it := i
		if t.Selection == nil {
			it = -1
		}
		var err error
		if programs[k], err = t.Formula.Bind(in, it); err != nil {
			return nil, err
		}
	}
	return &step.Bound{
		Notes:          t.Formula.Notes(),
		Schema:         schema,
		RetainsNothing: true,
		New: func(s *step.Context) step.MapFunc {
			w := &setter{in: in, s: s, number: t.Formula.Kind() != formula.Cell && t.Formula.Kind() != formula.Text, fields: fields, kept: step.Except(schema.Len(), fields), width: schema.Len(), dst: table.Get(), sub: table.Get()}
			for _, p := range programs {
				w.evals = append(w.evals, p.Eval())
			}
			return w.run
		},
		Summary: func(t *step.Counters) string { return fmt.Sprintf("%s computed", diag.Plural(t.Count[0], "cell")) },
	}, nil
}

// setter is the work of one worker.
type setter struct {
	in     *table.Schema
	s      *step.Context
	number bool // the cells hold nothing that calls for quotes
	fields []int
	kept   []int // the other ones
	width  int
	evals  []*formula.Eval
	dst    *table.Batch
	sub    *table.Batch // the rows that fit, where some do not
	room   int          // bytes the text of a batch took so far
	cells  [][]string
	rows   []int32
}

func (w *setter) run(src *table.Batch, emit func(*table.Batch) error) error {
	dst := w.dst
	dst.Shape(w.width)
	w.cells = w.cells[:0]
	for _, i := range w.fields {
		w.cells = append(w.cells, dst.Cols[i].Make(src.Rows))
	}
	for _, v := range w.evals {
		v.Load(src)
	}
	text := make([]byte, 0, w.room) // anew for each batch: cells may be kept
	fit := 0                        // rows
	some := false                   // rows did not fit: those that did are in w.rows
	fits := func(r, n int) {
		for i := r; some && i < r+n; i++ {
			w.rows = append(w.rows, int32(i))
		}
		fit += n
	}
	var stop error
	for r := 0; r < src.Rows && stop == nil; {
		many := min(decimal.BurstSize, src.Rows-r)
		for k, v := range w.evals {
			text, many = v.AppendMany(text, w.cells[k][fit:fit+many], r)
			if many == 0 {
				break
			}
		}
		fits(r, many)
		if r += many; many == decimal.BurstSize || r == src.Rows {
			continue
		}
		var fail *formula.Failure
		for k, v := range w.evals {
			from := len(text)
			if text, fail = v.Append(text, r); fail != nil {
				break
			}
			w.cells[k][fit] = view.String(text[from:])
		}
		if fail == nil {
			fits(r, 1)
		} else {
			if !some {
				some, w.rows = true, w.rows[:0]
				for i := range r {
					w.rows = append(w.rows, int32(i))
				}
			}
			stop = w.s.Unfit(w.in, src, r, fail.Field, fail.Reason, step.TriesFor(fail, src, r)...)
		}
		r++
	}
	w.room = max(w.room, len(text)+len(text)/8)
	if fit == 0 {
		return stop
	}
	if fit < src.Rows {
		w.sub.Gather(src, w.rows)
		src = w.sub
	}
	for _, i := range w.kept {
		dst.Cols[i].Borrow(&src.Cols[i])
	}
	for _, i := range w.fields {
		c := &dst.Cols[i]
		c.Cells = c.Cells[:fit]
		if w.number {
			c.Absent = table.AbsentAll
		}
	}
	w.s.Counters.Count[0] += int64(fit * len(w.fields))
	dst.Rows, dst.Origin = fit, src.Origin
	if err := emit(dst); err != nil {
		return err
	}
	return stop
}
