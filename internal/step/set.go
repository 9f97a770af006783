package step

import (
	"fmt"
	"slices"
	"strings"
	"unsafe"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/table"
)

var setSpec = &Spec{
	Name: "set",
	Brief: []string{
		"Computes a field by a formula: a new one at the end, or one that is there anew.",
		"Or many fields at once, where it is the cell.",
	},
	Forms:   []string{"set 'NAME = FORMULA'", "set SELECTION --to FORMULA"},
	Options: []Option{{Name: "to", Value: "FORMULA", Help: "what the cells of the selected fields become; it is the cell"}},
	Make:    makeSet,
	Examples: []Example{{
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

func makeSet(a *Args) (any, error) {
	if a.Has("to") {
		sel, err := selection.Parse(a.Operands[0])
		if err != nil {
			return nil, err
		}
		f, err := formula.Parse(a.Get("to", ""))
		return &Set{Selection: sel, Formula: f}, err
	}
	name, source, ok := cutAssignment(a.Operands[0])
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

// cutAssignment parts NAME = FORMULA at the first = that is no part of a comparison.
func cutAssignment(s string) (name, source string, ok bool) {
	from := 0
	if strings.HasPrefix(strings.TrimSpace(s), `"`) { // a quoted name may hold =
		from = strings.Index(s, `"`) + 1
		if end := strings.IndexByte(s[from:], '"'); end >= 0 {
			from += end
		}
	}
	i := strings.IndexByte(s[from:], '=')
	if i < 0 {
		return "", "", false
	}
	i += from
	if strings.HasPrefix(s[i:], "==") || i > 0 && strings.ContainsRune("!<>", rune(s[i-1])) {
		return "", "", false
	}
	return strings.TrimSpace(s[:i]), strings.TrimSpace(s[i+1:]), true
}

// Bind implements Mapper.
func (t *Set) Bind(in *table.Schema) (*Bound, error) {
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
	return &Bound{
		Schema:  schema,
		Passing: true,
		New: func(s *Site) MapFunc {
			w := &setter{in: in, s: s, number: t.Formula.Kind() != formula.Cell && t.Formula.Kind() != formula.Text, fields: fields, width: schema.Len(), dst: table.Get(), sub: table.Get()}
			for _, p := range programs {
				w.evals = append(w.evals, p.Eval())
			}
			return w.run
		},
		Tell: func(t *Tally) string { return fmt.Sprintf("%s computed", diag.Plural(t.Count[0], "cell")) },
	}, nil
}

// setter is the work of one worker.
type setter struct {
	in     *table.Schema
	s      *Site
	number bool // the cells hold nothing that calls for quotes
	fields []int
	width  int
	evals  []*formula.Eval
	dst    *table.Batch
	sub    *table.Batch // the rows that fit, where some do not
	buf    []byte
	ends   []int
	rows   []int32
}

func (w *setter) run(src *table.Batch, emit func(*table.Batch) error) error {
	for _, v := range w.evals {
		v.Load(src)
	}
	// The cells of all fields, row by row; the text they view is laid out when it is whole.
	w.buf, w.ends, w.rows = w.buf[:0], w.ends[:0], w.rows[:0]
	var stop error
	for r := 0; r < src.Rows && stop == nil; r++ {
		if len(w.evals) == 1 { // many at a time, up to one that fails
			before := len(w.ends)
			var fail *formula.Failure
			var many bool
			if w.buf, w.ends, fail, many = w.evals[0].AppendMany(w.buf, w.ends, r, src.Rows); many {
				for range w.ends[before:] {
					w.rows = append(w.rows, int32(r))
					r++
				}
				if fail != nil {
					stop = w.s.Unfit(w.in, src, r, fail.Field, fail.Reason, triesFor(fail)...)
				}
				continue
			}
		}
		n, cells := len(w.buf), len(w.ends)
		var fail *formula.Failure
		for _, v := range w.evals {
			if w.buf, fail = v.Append(w.buf, r); fail != nil {
				break
			}
			w.ends = append(w.ends, len(w.buf))
		}
		if fail != nil {
			w.buf, w.ends = w.buf[:n], w.ends[:cells]
			stop = w.s.Unfit(w.in, src, r, fail.Field, fail.Reason, triesFor(fail)...)
			continue
		}
		w.rows = append(w.rows, int32(r))
	}
	if len(w.rows) > 0 {
		if err := emit(w.lay(src)); err != nil {
			return err
		}
	}
	return stop
}

// lay makes the batch of the rows that fit.
func (w *setter) lay(src *table.Batch) *table.Batch {
	if len(w.rows) < src.Rows {
		gather(w.sub, src, w.rows)
		src = w.sub
	}
	dst := w.dst
	dst.Shape(w.width)
	for i := range src.Cols {
		dst.Cols[i].Borrow(&src.Cols[i])
	}
	text := slices.Clone(w.buf) // cells may be kept, the buffer is used again
	s := unsafe.String(unsafe.SliceData(text), len(text))
	stride := len(w.fields)
	for k, i := range w.fields {
		cells := dst.Cols[i].Make(len(w.rows))
		for r := range cells {
			at := r*stride + k
			start := 0
			if at > 0 {
				start = w.ends[at-1]
			}
			cells[r] = s[start:w.ends[at]]
		}
		if w.number {
			dst.Cols[i].Lacks = table.LacksAll
		}
	}
	w.s.Tally.Count[0] += int64(len(w.ends))
	dst.Rows, dst.Origin = src.Rows, src.Origin
	return dst
}
