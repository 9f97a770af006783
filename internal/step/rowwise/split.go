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
)

var SplitSpec = &step.Spec{
	Name: "split",
	Brief: []string{
		"Takes the cells of a field apart, into several fields in its place.",
		"By a pattern that covers the whole cell, or at a separator.",
	},
	Forms: []string{"split FIELD PATTERN", "split FIELD --at SEP --into a,b,c"},
	Operands: func(a *step.Args) int {
		if a.Has("at") {
			return 1
		}
		return 2
	},
	Options: []step.Option{
		{Name: "at", Value: "SEP", Help: `the separator; \n and \t are understood`},
		{Name: "into", Value: "NAMES", Help: "with --at: the new fields"},
		{Name: "more", Value: "error|last|drop", Help: "with --at: what becomes of too many pieces (default: error); last takes the rest"},
		{Name: "fewer", Value: "error|blank", Help: "with --at: what becomes of too few pieces (default: error)"},
		{Name: "exact", Help: "with --at: do not trim the pieces"},
		{Name: "unfit", Value: "error|blank", Help: "what becomes of a cell that does not fit (default: error)"},
		{Name: "keep", Help: "keep the field too, before its parts"},
	},
	Make: makeSplit,
	Examples: []step.Example{{
		Command: "revuelta split hive '{apiary}-{stand:#}' hives.csv",
		Input:   "hive,kilos\nVesk-03,1.10\nNorth-Ora-12,\n",
		Output:  "apiary,stand,kilos\nVesk,03,1.10\nNorth-Ora,12,\n",
	}, {
		Command: "revuelta split frames --at / --into brood,honey --fewer blank hives.csv",
		Input:   "hive,frames\n026,4 / 12\n007,3\n",
		Output:  "hive,brood,honey\n026,4,12\n007,3,\n",
	}},
}

// Split takes the cells of a field apart.
type Split struct {
	Field   selection.Item
	Pattern *pattern.Pattern // nil: At
	At      string
	Into    []string
	More    string // error, last, drop
	Fewer   string // error, blank
	Exact   bool
	Unfit   string // error, blank
	Keep    bool
}

func makeSplit(a *step.Args) (step.Step, error) {
	item, err := selection.ParseItem(a.Operands[0])
	if err != nil {
		return nil, err
	}
	t := &Split{Field: item, Keep: a.Has("keep"), Exact: a.Has("exact")}
	for _, o := range []struct {
		to    *string
		name  string
		words []string
	}{{&t.Unfit, "unfit", []string{"error", "blank"}}, {&t.More, "more", []string{"error", "last", "drop"}}, {&t.Fewer, "fewer", []string{"error", "blank"}}} {
		if *o.to, err = a.OneOf(o.name, o.words...); err != nil {
			return nil, err
		}
	}
	if !a.Has("at") {
		for _, o := range []string{"into", "more", "fewer", "exact"} {
			if a.Has(o) {
				return nil, diag.Usagef("--%s goes with --at", o).Trying("split FIELD --at SEP --into a,b,c")
			}
		}
		t.Pattern, t.Into, err = partsOf(a.Operands[1])
		return t, err
	}
	if t.At, err = step.Separator(a, "at"); err != nil {
		return nil, err
	}
	if !a.Has("into") {
		return nil, diag.Usagef("split --at lacks --into, the names of the parts").Trying("split FIELD --at SEP --into a,b,c")
	}
	t.Into, err = step.NameList(a.Get("into", ""))
	return t, err
}

// partsOf reads a pattern that takes cells apart.
func partsOf(source string) (*pattern.Pattern, []string, error) {
	p, err := pattern.Parse(source)
	if err != nil {
		return nil, nil, diag.Usagef("the pattern %s can't be read: %v", source, err)
	}
	names := p.Places()
	if len(names) == 0 {
		return nil, nil, diag.Usagef("the pattern %s has no place, so there would be no part", diag.Quote(source)).Trying("split hive '{apiary}-{stand}'", "split hive --at - --into apiary,stand")
	}
	if slices.Contains(names, pattern.Measure) {
		return nil, nil, diag.Usagef("{@} stands for the measure in a header; a part of a cell needs a name").Trying("{kind} instead of {@}")
	}
	return p, names, nil
}

// Capabilities implements step.Step.
func (t *Split) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: t.Bind}
}

// Bind binds it to the fields of its input.
func (t *Split) Bind(in *table.Schema) (*step.Bound, error) {
	field, err := t.Field.One(in)
	if err != nil {
		return nil, err
	}
	at := field // of the first part
	if t.Keep {
		at++
	}
	names := slices.Concat(in.Names()[:at], t.Into, in.Names()[field+1:])
	schema, err := step.Unique(names, "give the part another name")
	if err != nil {
		return nil, err
	}
	return &step.Bound{
		Schema:         schema,
		RetainsNothing: true,
		New: func(s *step.Context) step.MapFunc {
			w := &splitter{t: t, in: in, s: s, field: field, at: at, dst: table.Get(), sub: table.Get()}
			if t.Pattern != nil {
				w.matcher = t.Pattern.Matcher()
				w.pieces = make([]string, len(t.Pattern.Names()))
				for i, n := range t.Pattern.Names() {
					if n != pattern.Dropped {
						w.taken = append(w.taken, i)
					}
				}
			}
			return w.run
		},
		Summary: func(c *step.Counters) string {
			said := fmt.Sprintf("%s split into %s", diag.Plural(c.Count[splitCells], "cell"), diag.Plural(int64(len(t.Into)), "field"))
			if n := c.Count[unfitCells]; n > 0 {
				said += fmt.Sprintf("; %s that did not fit left blank", diag.Plural(n, "cell"))
			}
			if n := c.Count[droppedPieces]; n > 0 {
				said += fmt.Sprintf("; %s beyond the last field dropped", diag.Plural(n, "piece"))
			}
			return said
		},
	}, nil
}

// Counters of the counters.
const (
	splitCells = iota
	unfitCells
	droppedPieces
)

// splitter is the work of one worker.
type splitter struct {
	t         *Split
	in        *table.Schema
	s         *step.Context
	field, at int
	matcher   *pattern.Matcher
	pieces    []string // of the matcher
	taken     []int    // those that become fields
	dst, sub  *table.Batch
	parts     [][]string
	scratch   []string
	bad       []step.BadRow
	kept      []int32
}

func (w *splitter) run(src *table.Batch, emit func(*table.Batch) error) error {
	n := len(w.t.Into)
	dst := w.dst
	dst.Shape(len(src.Cols) + n - 1 + w.at - w.field)
	var cells []string
	cells, w.scratch = src.Cols[w.field].Flat(src.Rows, w.scratch)
	w.parts = w.parts[:0]
	for k := range n {
		part := &dst.Cols[w.at+k]
		w.parts = append(w.parts, part.Make(src.Rows))
		part.Absent = src.Cols[w.field].Absent
	}
	w.bad = w.bad[:0]
	if w.matcher != nil {
		w.byPattern(cells)
	} else {
		w.bySeparator(cells)
	}
	for i := range src.Cols {
		switch {
		case i < w.at:
			dst.Cols[i].Borrow(&src.Cols[i])
		case i > w.field:
			dst.Cols[i+len(dst.Cols)-len(src.Cols)].Borrow(&src.Cols[i])
		}
	}
	dst.Rows, dst.Origin = src.Rows, src.Origin
	out, stop := sieve(w.in, src, dst, w.sub, w.s, w.bad, &w.kept)
	for k := range n {
		w.s.Counters.FilledOut += int64(out.Cols[w.at+k].Filled(out.Rows))
	}
	if out.Rows > 0 {
		if err := emit(out); err != nil {
			return err
		}
	}
	return stop
}

// sieve deals with the rows of src that do not fit, in their order, and gives
// what was made of the others: dst, or sub where some are gone.
func sieve(in *table.Schema, src, dst, sub *table.Batch, s *step.Context, bad []step.BadRow, kept *[]int32) (*table.Batch, error) {
	if len(bad) == 0 {
		return dst, nil
	}
	*kept = (*kept)[:0]
	next := 0
	for _, m := range bad {
		for ; next < m.Row; next++ {
			*kept = append(*kept, int32(next))
		}
		next = m.Row + 1
		if err := s.Unfit(in, src, m.Row, m.Field, m.Reason, m.Tries...); err != nil {
			sub.Gather(dst, *kept)
			return sub, err
		}
	}
	for ; next < src.Rows; next++ {
		*kept = append(*kept, int32(next))
	}
	sub.Gather(dst, *kept)
	return sub, nil
}

// unfit notes a row that does not fit, unless such a cell is left blank.
func (w *splitter) unfit(row int, reason string, tries ...string) {
	if w.t.Unfit == "error" {
		w.bad = append(w.bad, step.BadRow{Row: row, Misfit: step.Misfit{Field: w.field, Reason: reason, Tries: append(tries, "--unfit blank")}})
		return
	}
	for _, p := range w.parts {
		p[row] = ""
	}
	w.s.Counters.Count[unfitCells]++
}

func (w *splitter) byPattern(cells []string) {
	found := int64(0)
	for r, cell := range cells {
		if cell == "" {
			for _, p := range w.parts {
				p[r] = ""
			}
			continue
		}
		if !w.matcher.Match(cell, w.pieces) {
			if w.matcher.Tired() {
				w.unfit(r, "has too many ways in which it might fit "+w.t.Pattern.String(), "narrower places in the pattern")
				continue
			}
			w.unfit(r, "does not fit "+w.t.Pattern.String())
			continue
		}
		w.s.Counters.Count[splitCells]++
		for k, i := range w.taken {
			p := w.pieces[i]
			w.parts[k][r] = p
			if p != "" {
				found++
			}
		}
	}
	w.s.Counters.FilledIn += found
}

func (w *splitter) bySeparator(cells []string) {
	t, parts := w.t, w.parts
	n := len(parts)
	at, exact, rests := t.At, t.Exact, t.More == "last"
	split, found := int64(0), int64(0)
	for r, cell := range cells {
		if cell == "" {
			for _, p := range parts {
				p[r] = ""
			}
			continue
		}
		k, from, filled := 0, 0, int64(0) // pieces, where the next begins
		for to := 0; to >= 0; k++ {
			switch {
			case rests && k == n-1:
				to = -1
			case len(at) > 1:
				if to = strings.Index(cell[from:], at); to >= 0 {
					to += from
				}
			default:
				to = -1
				for j := from; j < len(cell); j++ {
					if cell[j] == at[0] {
						to = j
						break
					}
				}
			}
			piece := cell[from:]
			if to >= 0 {
				piece = cell[from:to]
				from = to + len(at)
			}
			if k >= n {
				continue
			}
			if !exact {
				piece = step.Trim(piece)
			}
			if piece != "" {
				filled++
			}
			parts[k][r] = piece
		}
		switch {
		case k == n:
		case k > n && t.More == "error":
			w.unfit(r, fmt.Sprintf("has %d pieces, and there are names for %d", k, n), "--more last", "--more drop")
			continue
		case k > n:
			w.s.Counters.Count[droppedPieces] += int64(k - n)
		case t.Fewer == "error":
			w.unfit(r, fmt.Sprintf("has %s, and there are names for %d", diag.Plural(int64(k), "piece"), n), "--fewer blank")
			continue
		}
		for ; k < n; k++ {
			parts[k][r] = ""
		}
		split++
		found += filled
	}
	w.s.Counters.Count[splitCells] += split
	w.s.Counters.FilledIn += found
}

// Index is strings.Index, quicker for the separators that are usual.
func Index(s, sep string) int {
	if len(sep) > 1 {
		return strings.Index(s, sep)
	}
	for i := range len(s) {
		if s[i] == sep[0] {
			return i
		}
	}
	return -1
}
