package calc

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"revuelta/internal/calendar"
	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/formula"
)

// extreme keeps the least or greatest cell as it stood. Whether the field is
// ordered as numbers, dates or texts is known when all was seen, so the best of
// each order is kept; a number among others is a mistake, which is told then.
type extreme struct {
	base
	sign int
	what string
	best []best

	texts                   bool // a cell that is neither number nor date was met
	firstNumber, firstOther int64
	number, other           string
}

type best struct {
	cell, date string
	pos, when  int64 // where they stood
	value      decimal.D
	moment     calendar.Moment
}

func (x *extreme) Grow(n int) { x.best = grow(x.best, n) }
func (x *extreme) Add(slot int32, row int, pos int64) *formula.Failure {
	s, fail := x.in.text(row)
	if fail != nil || s == "" {
		return fail
	}
	x.take(slot, x.kind(s, pos), true)
	return nil
}

// kind reads a cell and notes what kinds of cells there are.
func (x *extreme) kind(s string, pos int64) best {
	d, ok := decimal.D{}, false
	if x.in.column >= 0 || x.in.eval.Kind() != formula.Text { // text(x) insists
		d, ok = decimal.Parse(s)
	}
	b := best{cell: s, pos: pos, value: d}
	if ok {
		if x.firstNumber < 0 || pos < x.firstNumber {
			x.firstNumber, x.number = pos, strings.Clone(s)
		}
	} else {
		if x.firstOther < 0 || pos < x.firstOther {
			x.firstOther, x.other = pos, strings.Clone(s)
		}
		var dated bool
		if b.moment, dated = calendar.Parse(s); dated {
			b.date, b.when = s, pos
		} else {
			x.texts = true
		}
	}
	return b
}

// take keeps the better of what is there and what comes, of equals the first.
func (x *extreme) take(slot int32, b best, fresh bool) {
	have := &x.best[slot]
	if b.cell != "" {
		order := -1
		if have.cell != "" {
			if x.firstNumber >= 0 {
				order = b.value.Cmp(have.value) * -x.sign
			} else {
				order = cmp.Compare(b.cell, have.cell) * -x.sign
			}
			if order == 0 {
				order = cmp.Compare(b.pos, have.pos)
			}
		}
		if order < 0 {
			if fresh {
				b.cell = strings.Clone(b.cell)
			}
			have.cell, have.pos, have.value = b.cell, b.pos, b.value
		}
	}
	if b.date != "" {
		order := -1
		if have.date != "" {
			if order = b.moment.Compare(have.moment) * -x.sign; order == 0 {
				order = cmp.Compare(b.when, have.when)
			}
		}
		if order < 0 {
			have.date, have.when, have.moment = strings.Clone(b.date), b.when, b.moment
		}
	}
}
func (x *extreme) Merge(slot int32, from Acc, other int32) error {
	x.Learn(from)
	x.take(slot, from.(*extreme).best[other], false)
	return nil
}

// Learn implements Knowing.
func (x *extreme) Learn(from Acc) {
	f := from.(*extreme)
	x.texts = x.texts || f.texts
	if f.firstNumber >= 0 && (x.firstNumber < 0 || f.firstNumber < x.firstNumber) {
		x.firstNumber, x.number = f.firstNumber, f.number
	}
	if f.firstOther >= 0 && (x.firstOther < 0 || f.firstOther < x.firstOther) {
		x.firstOther, x.other = f.firstOther, f.other
	}
}

// Watch implements Knowing.
func (x *extreme) Watch(row int, pos int64) *formula.Failure {
	s, fail := x.in.text(row)
	if fail == nil && s != "" {
		x.kind(s, pos)
	}
	return fail
}

// Settle finds the mistake of numbers among others.
func (x *extreme) Settle() error {
	if x.firstNumber < 0 || x.firstOther < 0 {
		return nil
	}
	odd, rest := x.other, x.number
	if x.firstNumber > x.firstOther {
		odd, rest = x.number, x.other
	}
	return diag.Dataf("%s: the field mixes numbers and others, as %s and %s, which have no order", x.what, diag.Quote(rest), diag.Quote(odd)).
		Trying("cast the field first", strings.Replace(x.what, "(", "(text(", 1)+") orders all as text")
}
func (x *extreme) Append(dst []byte, slot int32) []byte {
	if x.firstNumber < 0 && !x.texts {
		return append(dst, x.best[slot].date...)
	}
	return append(dst, x.best[slot].cell...)
}

// oneOf keeps the first or last cell that is not blank.
type oneOf struct {
	base
	last  bool
	cells []string
	pos   []int64
}

func (o *oneOf) Grow(n int) { o.cells, o.pos = grow(o.cells, n), grow(o.pos, n) }
func (o *oneOf) Add(slot int32, row int, pos int64) *formula.Failure {
	s, fail := o.in.text(row)
	if fail == nil && s != "" && (o.cells[slot] == "" || o.last == (pos > o.pos[slot])) {
		o.cells[slot], o.pos[slot] = strings.Clone(s), pos
	}
	return fail
}
func (o *oneOf) Merge(slot int32, from Acc, other int32) error {
	f := from.(*oneOf)
	if s := f.cells[other]; s != "" && (o.cells[slot] == "" || o.last == (f.pos[other] > o.pos[slot])) {
		o.cells[slot], o.pos[slot] = s, f.pos[other]
	}
	return nil
}
func (o *oneOf) Append(dst []byte, slot int32) []byte { return append(dst, o.cells[slot]...) }

// tallies counts how often each value stands in a slot.
type tallies struct {
	base
	mode bool
	// A key that is there already must not be assigned again: the map would take the text of the new
	// one, a view of what was read, in the place of its own.
	seen []map[string]*seen
}

type seen struct{ n, first int64 }

func (t *tallies) Grow(n int) { t.seen = grow(t.seen, n) }
func (t *tallies) Add(slot int32, row int, pos int64) *formula.Failure {
	s, fail := t.in.text(row)
	if fail != nil || s == "" {
		return fail
	}
	t.note(slot, s, seen{1, pos})
	return nil
}
func (t *tallies) note(slot int32, s string, more seen) {
	if t.seen[slot] == nil {
		t.seen[slot] = map[string]*seen{}
	}
	have, ok := t.seen[slot][s]
	if !ok {
		t.seen[slot][strings.Clone(s)] = &more
		return
	}
	have.n, have.first = have.n+more.n, min(have.first, more.first)
}
func (t *tallies) Merge(slot int32, from Acc, other int32) error {
	for s, n := range from.(*tallies).seen[other] {
		t.note(slot, s, *n)
	}
	return nil
}
func (t *tallies) Append(dst []byte, slot int32) []byte {
	if !t.mode {
		return decimal.FromInt(int64(len(t.seen[slot]))).Append(dst)
	}
	most, value := seen{0, math.MaxInt64}, ""
	for s, n := range t.seen[slot] {
		if n.n > most.n || n.n == most.n && n.first < most.first {
			most, value = *n, s
		}
	}
	return append(dst, value...)
}

// joiner keeps all cells that are not blank.
type joiner struct {
	base
	sep string
	all [][]placed
}

type placed struct {
	pos  int64
	cell string
}

func (j *joiner) Grow(n int) { j.all = grow(j.all, n) }
func (j *joiner) Add(slot int32, row int, pos int64) *formula.Failure {
	s, fail := j.in.text(row)
	if fail == nil && s != "" {
		j.all[slot] = append(j.all[slot], placed{pos, strings.Clone(s)})
	}
	return fail
}
func (j *joiner) Merge(slot int32, from Acc, other int32) error {
	j.all[slot] = append(j.all[slot], from.(*joiner).all[other]...)
	return nil
}
func (j *joiner) Append(dst []byte, slot int32) []byte {
	slices.SortFunc(j.all[slot], func(a, b placed) int { return cmp.Compare(a.pos, b.pos) })
	for i, p := range j.all[slot] {
		if i > 0 {
			dst = append(dst, j.sep...)
		}
		dst = append(dst, p.cell...)
	}
	return dst
}

// Single takes exactly one value; a second one, equal or not, is a conflict.
type Single struct {
	base
	cells     []string
	pos       []int64
	Conflicts map[int32]Conflict
}

// Conflict is two rows with a value for one cell.
type Conflict struct {
	First, Second int64 // where they stand
	A, B          string
}

// Grow implements Acc.
func (s *Single) Grow(n int) { s.cells, s.pos = grow(s.cells, n), grow(s.pos, n) }

// Add implements Acc.
func (s *Single) Add(slot int32, row int, pos int64) *formula.Failure {
	c, fail := s.in.text(row)
	if fail == nil && c != "" {
		s.take(slot, strings.Clone(c), pos)
	}
	return fail
}

// take keeps the first value and, where there is another, the two first.
func (s *Single) take(slot int32, c string, pos int64) {
	have := s.cells[slot]
	if have == "" {
		s.cells[slot], s.pos[slot] = c, pos
		return
	}
	was, old := s.Conflicts[slot]
	k := Conflict{s.pos[slot], pos, have, c}
	if pos < k.First {
		k = Conflict{pos, s.pos[slot], c, have}
		s.cells[slot], s.pos[slot] = c, pos
	}
	if old && was.Second < k.Second {
		k.Second, k.B = was.Second, was.B
	}
	if s.Conflicts == nil {
		s.Conflicts = map[int32]Conflict{}
	}
	s.Conflicts[slot] = k
}

// Merge implements Acc.
func (s *Single) Merge(slot int32, from Acc, other int32) error {
	f := from.(*Single)
	if c := f.cells[other]; c != "" {
		s.take(slot, c, f.pos[other])
		if k, ok := f.Conflicts[other]; ok {
			s.take(slot, k.B, k.Second)
		}
	}
	return nil
}

// Append implements Acc.
func (s *Single) Append(dst []byte, slot int32) []byte { return append(dst, s.cells[slot]...) }
