package reshape

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/rowwise"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

var ExplodeSpec = &step.Spec{
	Name: "explode",
	Brief: []string{
		"Makes a row of each value in a multi-valued cell; the other fields repeat.",
		"Several fields explode side by side; JSON arrays too, with members lifted into fields.",
	},
	Forms: []string{"explode SELECTION --at SEP", "explode SELECTION --json"},
	Options: []step.Option{
		{Name: "at", Value: "SEP", Help: `the separator; \n and \t are understood`},
		{Name: "also", Value: "SEP", Repeat: true, Help: "a further separator"},
		{Name: "json", Word: "loose", Help: "the cells are JSON arrays, or objects, which count as a list of one; with --at those that are neither are cut there; --json loose: text around the JSON, such as code fences, is passed over"},
		{Name: "pick", Value: "NAME=PATH,...", Help: "with --json: members of each object, as 'name=$.name, share=$.pct', in place of the (first) field; 'brand=$.brand|$.Brand' takes the first that is there"},
		{Name: "position", Value: "NAME", Help: "a field at the end that numbers the values of a cell from 1"},
		{Name: "uneven", Value: "error|blank|repeat", Help: "with several fields, where their cells hold different numbers of values (default: error); repeat repeats the last"},
		{Name: "skip-blank", Help: "leave out rows with nothing in the cell; otherwise they stay, blank"},
		{Name: "exact", Help: "do not trim the values, and keep empty ones"},
	},
	Make: makeExplode,
	Examples: []step.Example{{
		Command: "revuelta explode forage --at ';' hives.csv",
		Input:   "hive,forage,kilos\n026,clover; lime,1.10\n007,,2\n",
		Output:  "hive,forage,kilos\n026,clover,1.10\n026,lime,1.10\n007,,2\n",
	}, {
		Command: "revuelta explode offers --json --pick 'jar=$.size, price=$.eur' suppliers.csv",
		Input:   "supplier,offers\nS-1,\"[{\"\"size\"\":\"\"500 g\"\",\"\"eur\"\":0.40},{\"\"size\"\":\"\"250 g\"\"}]\"\n",
		Output:  "supplier,jar,price\nS-1,500 g,0.40\nS-1,250 g,\n",
	}},
}

// Explode makes rows of multi-valued cells.
type Explode struct {
	Selection *selection.Selection
	At        []string // separators; none: JSON only
	JSON      bool
	Loose     bool // text around the JSON is passed over
	Picks     []Pick
	Position  string // "": none
	Uneven    string // error, blank, repeat
	SkipBlank bool
	Exact     bool
}

func makeExplode(a *step.Args) (step.Step, error) {
	e := &Explode{JSON: a.Has("json"), Loose: a.Get("json", "") == "loose", Position: strings.TrimSpace(a.Get("position", "")), SkipBlank: a.Has("skip-blank"), Exact: a.Has("exact")}
	var err error
	if e.Selection, err = selection.Parse(a.Operands[0]); err != nil {
		return nil, err
	}
	if e.Uneven, err = a.OneOf("uneven", "error", "blank", "repeat"); err != nil {
		return nil, err
	}
	if a.Has("at") {
		sep, err := step.Separator(a, "at")
		if err != nil {
			return nil, err
		}
		e.At = append(e.At, sep)
	}
	for _, also := range a.All("also") {
		sep, err := step.AsSeparator("also", also)
		if err != nil {
			return nil, err
		}
		e.At = append(e.At, sep)
	}
	switch {
	case !e.JSON && !a.Has("at"):
		return nil, diag.Usagef("explode lacks --at, the separator, or --json").Trying("explode forage --at ';'")
	case a.Has("also") && !a.Has("at"):
		return nil, diag.Usagef("--also gives further separators, and there is no --at")
	case a.Has("pick") && !e.JSON:
		return nil, diag.Usagef("--pick goes with --json")
	case a.Has("position") && e.Position == "":
		return nil, diag.Usagef("--position: the field has no name").Trying("--position rank")
	}
	if a.Has("pick") {
		e.Picks, err = picksOf(a.Get("pick", ""))
	}
	return e, err
}

// Capabilities implements step.Step.
func (e *Explode) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: e.Bind}
}

// Bind binds it to the fields of its input.
func (e *Explode) Bind(in *table.Schema) (*step.Bound, error) {
	fields, err := e.Selection.Resolve(in)
	if err != nil {
		return nil, err
	}
	// What stands in each field that comes out: a source field, or values.
	type outs struct{ source, values int }
	var names []string
	var plan []outs
	lists := len(fields) // of values, picked ones behind
	places := step.Places(in.Len(), fields)
	for i, k := range places {
		switch {
		case k < 0:
			names, plan = append(names, in.Name(i)), append(plan, outs{i, -1})
		case k == 0 && e.Picks != nil:
			for j, p := range e.Picks {
				names, plan = append(names, p.Name), append(plan, outs{-1, lists + j})
			}
		default:
			names, plan = append(names, in.Name(i)), append(plan, outs{-1, k})
		}
	}
	if e.Position != "" {
		names = append(names, e.Position)
	}
	schema, err := step.Unique(names, "give it another name")
	if err != nil {
		return nil, err
	}
	return &step.Bound{
		Schema:         schema,
		RetainsNothing: true,
		New: func(s *step.Context) step.MapFunc {
			w := &exploder{e: e, in: in, s: s, fields: fields, places: places, lists: make([][]string, lists+len(e.Picks)),
				cells: make([][]string, len(fields)), scratch: make([][]string, len(fields)), dst: table.Get(), sub: table.Get()}
			for _, o := range plan {
				w.source, w.values = append(w.source, o.source), append(w.values, o.values)
			}
			return w.run
		},
		Summary: func(t *step.Counters) string {
			said := fmt.Sprintf("%s made of %s", diag.Plural(t.Count[valuesMade], "value"), diag.Plural(t.Count[cellsCut], "row"))
			switch n := t.Count[blankStay]; {
			case n == 1:
				said += "; 1 row with nothing in it stays"
			case n > 1:
				said += fmt.Sprintf("; %s rows with nothing in them stay", diag.Count(n))
			}
			if t.LeftOut > 0 {
				said += fmt.Sprintf("; %s with nothing left out", diag.Plural(t.LeftOut, "row"))
			}
			return said
		},
		After: e.uncut,
	}, nil
}

// Counters of the counters.
const (
	valuesMade = iota
	cellsCut
	blankStay
	objectsPicked
	withSeparator // cells are not looked at further when the first is met
	withOther     // and those behind it: the first of otherSeparators that stands in cells
)

// otherSeparators are those that might have been meant.
var otherSeparators = []string{";", "|", ",", "\n"}

// uncut notes a separator that stood in no cell.
func (e *Explode) uncut(t *step.Counters) []string {
	if e.Picks != nil && t.Count[objectsPicked] > 0 {
		var notes []string
		for _, p := range e.Picks {
			if t.Absent[p.Name] == t.Count[objectsPicked] {
				var paths []string
				for _, path := range p.Paths {
					paths = append(paths, path.String())
				}
				notes = append(notes, fmt.Sprintf("%s is found nowhere, so %s is blank", strings.Join(paths, " or "), diag.Quote(p.Name)))
			}
		}
		return notes
	}
	if e.JSON || len(e.At) == 0 || t.Count[withSeparator] > 0 || t.Count[cellsCut] == 0 {
		return nil
	}
	note := fmt.Sprintf("the separator %s stands in no cell", diag.Quote(e.At[0]))
	if len(e.At) > 1 {
		note = "none of the separators stands in a cell"
	}
	for i, other := range otherSeparators[:len(t.Count)-withOther] {
		if n := t.Count[withOther+i]; n > 0 && !slices.Contains(e.At, other) {
			note += fmt.Sprintf("; %s stands in %s: --at %s", diag.Quote(other), diag.Plural(n, "cell"), diag.Shell(strings.ReplaceAll(other, "\n", `\n`)))
			break
		}
	}
	return []string{note}
}

// meets looks whether the separator stands in a cell, until one is met.
func (w *exploder) meets() {
	counts := &w.s.Counters.Count
	for _, cells := range w.cells {
		for _, c := range cells {
			if counts[withSeparator] > 0 {
				return
			}
			for _, at := range w.e.At {
				if strings.Contains(c, at) {
					counts[withSeparator]++
				}
			}
			for i, other := range otherSeparators {
				if withOther+i < len(counts) && strings.Contains(c, other) {
					counts[withOther+i]++
				}
			}
		}
	}
}

// exploder is the work of one worker.
type exploder struct {
	e      *Explode
	in     *table.Schema
	s      *step.Context
	fields []int
	places []int // of each field of the source among fields, -1
	source []int // source field of each that comes out, -1: values
	values []int // which of lists

	cells   [][]string // of fields
	scratch [][]string
	lists   [][]string // the values of all rows, of each field, then of each pick
	ends    []int32    // where the values of each row end
	blank   []bool     // rows, by ends, that have no value
	bad     []step.BadRow
	left    []int32
	kept    []int32
	bounds  bounds
	runs    [][]string
	spare   [][]string
	windows []int32
	objects []json.RawMessage
	dst     *table.Batch
	sub     *table.Batch
}

func (w *exploder) run(src *table.Batch, emit func(*table.Batch) error) error {
	for k, i := range w.fields {
		w.cells[k], w.scratch[k] = src.Cols[i].Flat(src.Rows, w.scratch[k])
	}
	for k := range w.lists {
		w.lists[k] = w.lists[k][:0]
	}
	w.ends, w.blank, w.bad, w.left = w.ends[:0], w.blank[:0], w.bad[:0], w.left[:0]
	if len(w.fields) == 1 && w.quick() {
		w.rowsAtByte(w.cells[0], src.Cols[w.fields[0]].Text())
	} else {
		for r := range src.Rows {
			w.row(r)
		}
	}
	if !w.e.JSON && w.s.Counters.Count[withSeparator] == 0 {
		w.meets()
	}
	var stop error
	if len(w.bad)+len(w.left) > 0 {
		if src, stop = w.sift(src); src.Rows == 0 {
			return stop
		}
	}
	if err := w.emit(src, emit); err != nil {
		return err
	}
	return stop
}

// quick tells the usual case: pieces trimmed, parted by one byte, none of them empty.
func (w *exploder) quick() bool {
	e := w.e
	return !e.JSON && len(e.At) == 1 && len(e.At[0]) == 1 && !e.Exact
}

// rowsAtByte does for the usual case what row does for each row. text: where all
// cells lie, nil where that is not known.
func (w *exploder) rowsAtByte(cells []string, text view.Text) {
	sep := w.e.At[0][0]
	if text != nil && w.bounds.find(text, cells, sep) {
		if list, ok := w.bounds.pieces(w.lists[0]); ok {
			w.lists[0] = list
			w.ends, w.bounds.rows = w.bounds.rows, w.ends
			w.blank = append(w.blank, make([]bool, len(cells))...)
			w.s.Counters.Made += int64(len(list) - len(cells))
			w.s.Counters.Count[valuesMade] += int64(len(list))
			w.s.Counters.Count[cellsCut] += int64(len(cells))
			w.s.Counters.FilledIn += int64(len(list))
			return
		}
	}
	list := w.lists[0]
	for r, cell := range cells {
		from := len(list)
		list = w.cut(list, cell, true)
		if len(list) == from {
			w.lists[0] = list
			w.close(r, from, from)
			list = w.lists[0]
			continue
		}
		w.ends, w.blank = append(w.ends, int32(len(list))), append(w.blank, false)
		n := int64(len(list) - from)
		w.s.Counters.Made += n - 1
		w.s.Counters.Count[valuesMade] += n
		w.s.Counters.Count[cellsCut]++
		w.s.Counters.FilledIn += n
	}
	w.lists[0] = list
}

// row cuts the cells of a row.
func (w *exploder) row(r int) {
	e := w.e
	from := 0
	if n := len(w.ends); n > 0 {
		from = int(w.ends[n-1])
	}
	if len(w.fields) == 1 && !e.JSON {
		w.lists[0] = w.cut(w.lists[0], w.cells[0][r], !e.Exact || e.SkipBlank)
		w.close(r, from, len(w.lists[0]))
		return
	}
	most, uneven := 0, -1
	for k := range w.fields {
		reason := w.valuesOf(k, r)
		if reason != "" {
			w.fail(r, k, from, reason)
			return
		}
		n := len(w.lists[k]) - from
		if k > 0 && n != most && uneven < 0 {
			uneven = k
		}
		most = max(most, n)
	}
	if uneven >= 0 && e.Uneven == "error" {
		w.fail(r, uneven, from, fmt.Sprintf("has %s, and %s has %d", diag.Plural(int64(len(w.lists[uneven])-from), "value"),
			diag.Quote(w.in.Name(w.fields[0])), len(w.lists[0])-from), "--uneven blank", "--uneven repeat")
		return
	}
	for k := range w.lists {
		pad := ""
		if n := len(w.lists[k]); e.Uneven == "repeat" && n > from {
			pad = w.lists[k][n-1]
		}
		for len(w.lists[k]) < from+most {
			w.lists[k] = append(w.lists[k], pad)
		}
	}
	if e.SkipBlank && e.Picks == nil { // rows in the middle with nothing in any cell
		to := from
		for i := from; i < from+most; i++ {
			some := false
			for k := range w.lists {
				some = some || w.lists[k][i] != ""
			}
			if some {
				for k := range w.lists {
					w.lists[k][to] = w.lists[k][i]
				}
				to++
			}
		}
		for k := range w.lists {
			w.lists[k] = w.lists[k][:to]
		}
		most = to - from
	}
	w.close(r, from, from+most)
}

// close ends the values of a row.
func (w *exploder) close(r, from, to int) {
	blank := to == from
	if to == from+1 {
		blank = true
		for _, l := range w.lists {
			blank = blank && l[from] == ""
		}
	}
	if blank {
		if w.e.SkipBlank {
			w.truncate(from)
			w.left = append(w.left, int32(r))
			return
		}
		if to == from {
			for k := range w.lists {
				w.lists[k] = append(w.lists[k], "")
			}
			to++
		}
		w.s.Counters.Count[blankStay]++
	} else {
		w.s.Counters.Count[valuesMade] += int64(to - from)
		w.s.Counters.Count[cellsCut]++
	}
	for k, l := range w.lists {
		if k > 0 || w.e.Picks == nil { // the first list only keeps count of what is picked
			w.s.Counters.FilledIn += int64((&table.Column{Cells: l[from:to]}).Filled(to - from))
		}
	}
	w.blank = append(w.blank, blank)
	w.ends = append(w.ends, int32(to))
	w.s.Counters.Made += int64(to - from - 1)
}

func (w *exploder) truncate(n int) {
	for k := range w.lists {
		w.lists[k] = w.lists[k][:min(n, len(w.lists[k]))]
	}
}

func (w *exploder) fail(r, k, from int, reason string, tries ...string) {
	w.truncate(from)
	w.bad = append(w.bad, step.BadRow{Row: r, Misfit: step.Misfit{Field: w.fields[k], Reason: reason, Tries: tries}})
}

// valuesOf appends the values of one cell of several, or of a JSON cell. Its reason says why they do not fit.
func (w *exploder) valuesOf(k, r int) string {
	cell, e := w.cells[k][r], w.e
	several := len(w.fields) > 1
	picking := k == 0 && e.Picks != nil
	drop := !several && (!e.Exact || e.SkipBlank)
	if e.JSON && cell != "" {
		text := cell
		if e.Loose {
			text = within(cell)
		}
		first := strings.TrimLeft(text, " \t\r\n")
		err := error(nil)
		switch {
		case strings.HasPrefix(first, "{") && !picking && json.Valid([]byte(text)): // it comes out as it stood
			w.lists[k] = append(w.lists[k], text)
			return ""
		case strings.HasPrefix(first, "{") && json.Valid([]byte(text)): // a list of one
			w.objects = append(w.objects[:0], json.RawMessage(text))
		case strings.TrimSpace(first) == "null":
			w.objects = w.objects[:0]
		default:
			err = json.Unmarshal([]byte(text), &w.objects)
		}
		switch {
		case err == nil && several && len(w.objects) == 0:
			cell = "" // beside others it is one blank
		case err == nil && picking:
			return w.pick(w.objects)
		case err == nil:
			for _, raw := range w.objects {
				if v := formula.Plain(raw); v != "" || !drop {
					w.lists[k] = append(w.lists[k], v)
				}
			}
			return ""
		case picking || len(e.At) == 0:
			if json.Valid([]byte(cell)) {
				return "is JSON, but neither an array nor an object"
			}
			return "is not JSON"
		}
	}
	if cell == "" && several {
		if !picking { // one blank, beside the others
			w.lists[k] = append(w.lists[k], "")
			return ""
		}
		w.blankPick()
		return ""
	}
	w.lists[k] = w.cut(w.lists[k], cell, drop)
	return ""
}

func (w *exploder) cut(list []string, cell string, drop bool) []string {
	exact := w.e.Exact
	add := func(piece string) {
		if !exact {
			piece = step.Trim(piece)
		}
		if piece != "" || !drop {
			list = append(list, piece)
		}
	}
	if len(w.e.At) == 1 {
		sep := w.e.At[0]
		for {
			i := rowwise.Index(cell, sep)
			if i < 0 {
				add(cell)
				return list
			}
			add(cell[:i])
			cell = cell[i+len(sep):]
		}
	}
	for {
		at, n := len(cell), -1
		for _, sep := range w.e.At { // the first there is, of those at one place the longest
			if i := strings.Index(cell, sep); i >= 0 && (i < at || i == at && len(sep) > n) {
				at, n = i, len(sep)
			}
		}
		if n < 0 {
			add(cell)
			return list
		}
		add(cell[:at])
		cell = cell[at+n:]
	}
}

// sift takes the rows away that have no values, and deals with those that do not fit.
func (w *exploder) sift(src *table.Batch) (*table.Batch, error) {
	gone := slices.Clone(w.left)
	stopAt := int32(src.Rows)
	var stop error
	for _, m := range w.bad {
		if stop = w.s.Unfit(w.in, src, m.Row, m.Field, m.Reason, m.Tries...); stop != nil {
			stopAt = int32(m.Row)
			break
		}
		gone = append(gone, int32(m.Row))
	}
	slices.Sort(gone)
	w.kept = w.kept[:0]
	for r := int32(0); r < stopAt; r++ {
		if len(gone) > 0 && gone[0] == r {
			gone = gone[1:]
			continue
		}
		w.kept = append(w.kept, r)
	}
	left := w.left
	if stop != nil {
		left = slices.DeleteFunc(slices.Clone(left), func(r int32) bool { return r > stopAt })
	}
	w.s.Leave(w.in, src, left, step.Cause{Field: w.fields[0], Reason: "nothing in the cell"})
	w.ends, w.blank = w.ends[:len(w.kept)], w.blank[:len(w.kept)]
	w.sub.Gather(src, w.kept)
	return w.sub, stop
}
