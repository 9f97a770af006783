package rowwise

import (
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/pattern"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

var CombineSpec = &step.Spec{
	Name: "combine",
	Brief: []string{
		"Puts the cells of several fields together into one, where the first named stood.",
		"By a pattern, where a blank fills its place with nothing, or with a separator that passes it over.",
	},
	Forms: []string{"combine PATTERN --as NAME", "combine SELECTION --with SEP --as NAME"},
	Options: []step.Option{
		{Name: "as", Value: "NAME", Help: "the new field"},
		{Name: "with", Value: "SEP", Help: `what parts the cells; \n and \t are understood`},
		{Name: "keep", Help: "keep the fields too; the whole follows the first named"},
	},
	Make: makeCombine,
	Examples: []step.Example{{
		Command: "revuelta combine '{apiary}-{stand}' --as hive hives.csv",
		Input:   "apiary,stand,kilos\nVesk,03,1.10\nTamro,,7\n",
		Output:  "hive,kilos\nVesk-03,1.10\nTamro-,7\n",
	}, {
		Command: "revuelta combine 'given,surname' --with ' ' --as keeper members.csv",
		Input:   "id,surname,given\n026,Onkara,Ilvo\n007,Dovri,\n",
		Output:  "id,keeper\n026,Ilvo Onkara\n007,Dovri\n",
	}},
}

// Combine puts cells together.
type Combine struct {
	Pattern   *pattern.Pattern // nil: Selection
	Selection *selection.Selection
	With      string
	As        string
	Keep      bool
}

func makeCombine(a *step.Args) (step.Step, error) {
	c := &Combine{As: strings.TrimSpace(a.Get("as", "")), Keep: a.Has("keep")}
	if c.As == "" {
		return nil, diag.Usagef("combine lacks --as, the name of the new field").Trying("--as hive")
	}
	var err error
	if a.Has("with") {
		if c.With = a.Get("with", ""); c.With != "" {
			c.With, _ = step.Separator(a, "with")
		}
		c.Selection, err = selection.Parse(a.Operands[0])
		return c, err
	}
	if !pattern.HasPlace(a.Operands[0]) {
		return nil, diag.Usagef("%s is no pattern, and there is no --with", diag.Quote(a.Operands[0])).Trying("combine '{apiary}-{stand}' --as hive", "combine 'apiary,stand' --with - --as hive")
	}
	if c.Pattern, err = pattern.Parse(a.Operands[0]); err != nil {
		return nil, diag.Usagef("the pattern %s can't be read: %v", a.Operands[0], err)
	}
	switch {
	case c.Pattern.Has(pattern.Dropped):
		return nil, diag.Usagef("%v", pattern.ErrDropped)
	case c.Pattern.Has(pattern.Measure):
		return nil, diag.Usagef("{@} stands for the measure in a header; here each place names a field").Trying("{field} instead of {@}")
	}
	return c, nil
}

// Capabilities implements step.Step.
func (c *Combine) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: c.Bind}
}

// Bind binds it to the fields of its input.
func (c *Combine) Bind(in *table.Schema) (*step.Bound, error) {
	fields, err := c.fields(in)
	if err != nil {
		return nil, err
	}
	var kept []int // source of each field that stays
	at := -1       // where the whole stands
	for i, k := range step.Places(in.Len(), fields) {
		if c.Keep || k < 0 {
			kept = append(kept, i)
		}
		if i == fields[0] {
			at = len(kept)
		}
	}
	names := slices.Insert(step.NamesOf(in, kept), at, c.As)
	schema, err := step.Unique(names, "--as another name")
	if err != nil {
		return nil, err
	}
	return &step.Bound{
		Schema:         schema,
		RetainsNothing: true,
		New: func(s *step.Context) step.MapFunc {
			w := &combiner{c: c, s: s, fields: fields, kept: kept, at: at, dst: table.Get(), cells: make([][]string, len(fields)), scratch: make([][]string, len(fields)), values: make([]string, len(fields))}
			return w.run
		},
		Summary: func(t *step.Counters) string {
			said := fmt.Sprintf("%s combined into %s", diag.Plural(int64(len(fields)), "field"), diag.Quote(c.As))
			if n := t.Count[0]; n > 0 {
				said += fmt.Sprintf("; %s in them", diag.Plural(n, "blank cell"))
			}
			return said
		},
	}, nil
}

func (c *Combine) fields(in *table.Schema) ([]int, error) {
	if c.Pattern == nil {
		return c.Selection.Resolve(in)
	}
	var out []int
	for _, name := range c.Pattern.Names() {
		i, ok := in.Index(name)
		if !ok {
			return nil, selection.Missing(name, in)
		}
		out = append(out, i)
	}
	return out, nil
}

// combiner is the work of one worker.
type combiner struct {
	c       *Combine
	s       *step.Context
	fields  []int
	kept    []int
	at      int
	dst     *table.Batch
	cells   [][]string
	scratch [][]string
	values  []string
	room    int
}

func (w *combiner) run(src *table.Batch, emit func(*table.Batch) error) error {
	absent := table.AbsentAll
	for k, i := range w.fields {
		w.cells[k], w.scratch[k] = src.Cols[i].Flat(src.Rows, w.scratch[k])
		absent &= src.Cols[i].Absent
		w.s.Counters.Count[0] += int64(src.Rows - src.Cols[i].Filled(src.Rows))
	}
	dst := w.dst
	dst.Shape(len(w.kept) + 1)
	for k, i := range w.kept {
		if k >= w.at {
			k++
		}
		dst.Cols[k].Borrow(&src.Cols[i])
	}
	col := &dst.Cols[w.at]
	out := col.Make(src.Rows)
	text := make([]byte, 0, w.room) // anew for each batch: cells may be kept
	for r := range out {
		from := len(text)
		if w.c.Pattern != nil {
			for k := range w.cells {
				w.values[k] = w.cells[k][r]
			}
			text = w.c.Pattern.Append(text, w.values)
		} else {
			first := true
			for k := range w.cells {
				cell := w.cells[k][r]
				if cell == "" {
					continue
				}
				if !first {
					text = append(text, w.c.With...)
				}
				text, first = append(text, cell...), false
			}
		}
		out[r] = view.String(text[from:])
	}
	w.room = max(w.room, len(text)+len(text)/8)
	literals := w.c.With
	if w.c.Pattern != nil {
		literals = w.c.Pattern.String()
	}
	if !strings.ContainsAny(literals, "\"\r\n,;\t|") {
		col.Absent = absent
	}
	dst.Rows, dst.Origin = src.Rows, src.Origin
	return emit(dst)
}
