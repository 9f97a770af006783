package joining

import (
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

// joiner is the work of one worker.
type joiner struct {
	quotes bool // rows of the batch at hand may be among the first without a partner
	t      *joined
	in     *table.Schema
	s      *step.Context
	here   []int
	both   []int
	when   *formula.Eval
	ranges *ranges // nil: every row with the key is tried
	pair   *table.Batch
	cells  [][]string
	spare  [][]string
	key    []string
	buf    []byte
	ids    []int32

	rows     []int32 // of the source, for each row that comes out
	partners []int32 // its partner, -1
	some     []int32
	found    []int32 // by the ranges
	left     []int32
	dst, sub *table.Batch
}

func (w *joiner) run(src *table.Batch, emit func(*table.Batch) error) error {
	t := w.t
	for k, i := range w.here {
		w.cells[k], w.spare[k] = src.Cols[i].Flat(src.Rows, w.spare[k])
	}
	w.find(src.Rows)
	if w.when != nil {
		w.ready(src)
	}
	w.left = w.left[:0]
	w.quotes = w.s.Quotes(src)
	from := w.single(src.Rows)
	w.s.Counters.Count[joinMatched] += int64(from)
	if from > 0 && from == src.Rows {
		return w.emit(src, src, emit)
	}
	w.rows = slices.Grow(w.rows[:0], src.Rows)
	for r := range from {
		w.rows = append(w.rows, int32(r))
	}
	var stop error
	for r := from; r < src.Rows && stop == nil; r++ {
		if w.when == nil && len(w.here) > 0 && w.ids[r] >= 0 { // most rows have one partner
			if p := t.only[w.ids[r]]; p >= 0 {
				w.rows, w.partners = append(w.rows, int32(r)), append(w.partners, p)
				w.s.Counters.Count[joinMatched]++
				continue
			}
		}
		from := int32(-1)
		if len(w.here) == 0 {
			if t.rows > 0 {
				from = 0
			}
		} else if id := w.ids[r]; id >= 0 {
			from = t.first[id]
		}
		w.some = w.some[:0]
		if from >= 0 && w.ranges != nil {
			group := 0
			if len(w.here) > 0 {
				group = int(w.ids[r])
			}
			found, ok := w.ranges.find(w.found[:0], group, src, r)
			if w.found = found; ok {
				var fits bool
				if fits, stop = w.among(src, r, found); fits {
					stop = w.take(src, r)
				}
				continue
			}
		}
		for p := from; p >= 0; {
			ok, fail := w.holds(src, r, int(p))
			if fail != nil {
				stop = w.fail(src, r, fail)
				w.some = nil
				from = -2
				break
			}
			if ok {
				w.some = append(w.some, p)
			}
			if len(w.here) == 0 {
				if p++; int(p) == t.rows {
					break
				}
			} else {
				p = t.next[p]
			}
		}
		if from == -2 {
			continue
		}
		stop = w.take(src, r)
	}
	w.s.Leave(w.in, src, w.left, step.Cause{Field: w.firstKey(), Reason: "no partner in " + w.t.name})
	if len(w.rows) > 0 {
		if err := w.emit(src, w.taken(src), emit); err != nil {
			return err
		}
	}
	return stop
}

// among takes those of some rows that the formula holds for; false where it fails on one, and the row does not fit.
func (w *joiner) among(src *table.Batch, r int, found []int32) (bool, error) {
	if w.some = append(w.some[:0], found...); w.ranges.exact {
		return true, nil
	}
	w.some = w.some[:0]
	for _, p := range found {
		ok, fail := w.holds(src, r, int(p))
		if fail != nil {
			return false, w.fail(src, r, fail)
		}
		if ok {
			w.some = append(w.some, p)
		}
	}
	return true, nil
}

// single finds the partners of the first rows, as long as they have one each; it gives how many have.
func (w *joiner) single(rows int) int {
	w.partners = slices.Grow(w.partners[:0], rows)[:rows]
	n := 0
	if w.when == nil && len(w.here) > 0 {
		for ; n < rows && w.ids[n] >= 0 && w.t.only[w.ids[n]] >= 0; n++ {
			w.partners[n] = w.t.only[w.ids[n]]
		}
	}
	w.partners = w.partners[:n]
	return n
}

// find finds the keys of the rows.
func (w *joiner) find(rows int) {
	w.ids = slices.Grow(w.ids[:0], rows)[:rows]
	if len(w.here) == 0 {
		return
	}
	if len(w.here) == 1 {
		w.t.ids.FindAll(w.cells[0], w.ids, nil)
		return
	}
	for r := range w.ids {
		blank := false
		for k := range w.cells {
			w.key[k] = w.cells[k][r]
			blank = blank || w.key[k] == ""
		}
		w.ids[r] = -1
		if !blank {
			w.buf = joinKey(w.buf[:0], w.key)
			w.ids[r] = w.t.ids.Find(string(w.buf), keying.HashOf(string(w.buf)))
		}
	}
}

// ready readies the row that the formula looks at.
func (w *joiner) ready(src *table.Batch) {
	w.pair.Shape(len(w.both))
	w.pair.Rows = 1
	for i := range w.both {
		w.pair.Cols[i].Make(1)
	}
}

func (w *joiner) holds(src *table.Batch, r, partner int) (bool, *formula.Failure) {
	if w.when == nil {
		return true, nil
	}
	for i, f := range w.both {
		if f < w.in.Len() {
			w.pair.Cols[i].Cells[0] = src.Cols[f].At(r)
		} else {
			w.pair.Cols[i].Cells[0] = w.t.columns[f-w.in.Len()][partner]
		}
	}
	w.when.Load(w.pair)
	return w.when.True(0)
}

func (w *joiner) fail(src *table.Batch, r int, fail *formula.Failure) error {
	field, reason := fail.Field, fail.Reason
	if field >= 0 && w.both[field] >= w.in.Len() {
		i := w.both[field] - w.in.Len()
		reason = fmt.Sprintf("field %s of %s: %s %s", diag.Quote(w.t.schema.Name(i)), w.t.name, diag.Quote(w.pair.Cols[field].Cells[0]), fail.Reason)
		field = -1
	} else if field >= 0 {
		field = w.both[field]
	}
	return w.s.Unfit(w.in, src, r, field, reason)
}

// take decides what becomes of a row with the partners found.
func (w *joiner) take(src *table.Batch, r int) error {
	t := w.t
	switch n := len(w.some); {
	case n == 0:
		w.s.Counters.Count[joinAlone]++
		if w.when != nil && len(w.here) > 0 && w.ids[r] >= 0 {
			w.s.Counters.Count[joinTurned]++
		}
		w.remember(r)
		if len(w.here) > 0 && w.ids[r] < 0 && w.quotes {
			for k := range w.here {
				w.key[k] = w.cells[k][r]
			}
			if text := strings.Join(w.key, ", "); text != "" {
				w.s.Quote(src, r, text)
			}
		}
		switch t.Alone {
		case "error":
			if len(w.here) == 0 {
				return w.stop(src, r, fmt.Sprintf("the row has no partner in %s", t.name), "--alone keep", "--alone drop")
			}
			return w.stop(src, r, fmt.Sprintf("has no partner in %s", t.name), "--alone keep", "--alone drop")
		case "drop":
			w.left = append(w.left, int32(r))
		default:
			w.rows, w.partners = append(w.rows, int32(r)), append(w.partners, -1)
		}
		return nil
	case n > 1 && t.Partners == "error":
		return w.stop(src, r, fmt.Sprintf("has %d partners in %s%s", n, t.name, t.linesOf(w.some)), "--partners each", "--partners first", "distinct the other table first")
	case n > 1:
		w.s.Counters.Count[joinSeveral]++
		if t.Partners == "first" {
			w.some = w.some[:1]
		}
	}
	w.s.Counters.Count[joinMatched]++
	for _, p := range w.some {
		w.rows, w.partners = append(w.rows, int32(r)), append(w.partners, p)
	}
	w.s.Counters.Made += int64(len(w.some) - 1)
	return nil
}

// firstKey is the field by which partners are found first.
func (w *joiner) firstKey() int {
	if len(w.here) == 0 {
		return step.NoField
	}
	return w.here[0]
}

// stop is the error of a row that stops the run always.
func (w *joiner) stop(src *table.Batch, r int, reason string, tries ...string) error {
	source := ""
	if w.s.Tables.FileName != nil {
		source = w.s.Tables.FileName(src.Origin.FileOf(r))
	}
	key := ""
	for k := range w.here {
		if k > 0 {
			key += ", "
		}
		key += diag.Quote(w.cells[k][r])
	}
	if len(w.here) == 0 && w.t.When != nil { // the cells that the formula looks at
		var list []string
		for i, n := range w.in.Names() {
			if slices.Contains(w.t.When.Fields(), n) {
				list = append(list, n+" "+diag.Quote(src.Cols[i].At(r)))
			}
		}
		if len(list) > 0 {
			key = "the row with " + strings.Join(list, ", ")
			reason = strings.TrimPrefix(reason, "the row ")
		}
	}
	e := diag.Dataf("%s", strings.TrimSpace(key+" "+reason)).At(source, src.Origin.LineOf(r))
	if len(w.here) > 0 {
		e.InField(w.in.Name(w.here[0]))
	}
	return e.Trying(tries...)
}

// remember notes the key of a row without a partner, loosely and as it stands.
func (w *joiner) remember(r int) {
	if len(w.here) == 0 || w.ids[r] >= 0 || len(w.s.Counters.Values) >= mostAlone { // its key may be there, and --when not hold
		return
	}
	for k := range w.here {
		if w.key[k] = w.cells[k][r]; w.key[k] == "" {
			return
		}
	}
	w.s.Counters.Values[strings.Clone(strings.Join(w.key, ", "))+"\x00"+looseKey(w.key)]++
}

// taken is the rows of the source that come out, each as often as it does.
func (w *joiner) taken(src *table.Batch) *table.Batch {
	if len(w.rows) == src.Rows && w.rows[len(w.rows)-1] == int32(src.Rows-1) && rising(w.rows) {
		return src
	}
	w.sub.Shape(len(src.Cols))
	for i := range src.Cols {
		cells, _ := src.Cols[i].Flat(src.Rows, nil)
		out := w.sub.Cols[i].Make(len(w.rows))
		for k, r := range w.rows {
			out[k] = cells[r]
		}
		w.sub.Cols[i].Absent = src.Cols[i].Absent
		w.sub.Cols[i].PlaceAs(&src.Cols[i])
	}
	w.sub.Rows = len(w.rows)
	w.sub.Origin.Derive(&src.Origin, w.rows)
	return w.sub
}

// emit puts what the partners bring beside the rows that come out.
func (w *joiner) emit(src, rows *table.Batch, emit func(*table.Batch) error) error {
	w.dst.Extend(rows, len(w.t.joinedFields))
	w.t.cells.fill(w.dst, len(src.Cols), w.partners, func(k int) table.Absent { return w.t.absent[w.t.joinedFields[k]] })
	return emit(w.dst)
}

// rising tells whether each number is greater than the one before.
func rising(rows []int32) bool {
	for i := 1; i < len(rows); i++ {
		if rows[i] <= rows[i-1] {
			return false
		}
	}
	return true
}
