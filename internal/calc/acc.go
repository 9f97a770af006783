package calc

import (
	"cmp"
	"math"
	"math/big"
	"slices"
	"strings"

	"revuelta/internal/calendar"
	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/table"
)

// Acc accumulates one calculation for many slots side by side. It serves one goroutine.
type Acc interface {
	// Grow makes room for n slots in all.
	Grow(n int)
	// Add takes a row of the batch last loaded into a slot; pos is where the row stands among all.
	Add(slot int32, row int, pos int64) *formula.Failure
	// Check tells whether a row could be added.
	Check(row int) *formula.Failure
	// Merge takes what another of its kind has in a slot.
	Merge(slot int32, from Acc, other int32) error
	// Append appends the outcome, nothing where it is blank.
	Append(dst []byte, slot int32) []byte
	// Load takes the batch whose rows are added next.
	Load(b *table.Batch)
	// Settle is called once when all is merged: it finds what can be told only then.
	Settle() error
}

// AddAll adds the first rows of the batch last loaded, each to its slot; at is
// where the first stands. It gives the row that failed.
func AddAll(a Acc, slots []int32, at int64) (int, *formula.Failure) {
	if s, ok := a.(*summer); ok && s.in.column >= 0 {
		return s.addAll(slots)
	}
	for r, slot := range slots {
		if fail := a.Add(slot, r, at+int64(r)); fail != nil {
			return r, fail
		}
	}
	return len(slots), nil
}

// New makes an accumulator for a calculation on a table; decimals rounds the
// outcome, -1 does not.
func (c *Calculation) New(schema *table.Schema, decimals int) (Acc, error) {
	in := input{column: -1}
	if c.Formula != nil {
		p, err := c.Formula.Bind(schema, -1)
		if err != nil {
			return nil, err
		}
		in.eval = p.Eval()
		if name, ok := c.Formula.Single(); ok {
			in.column, _ = schema.Index(name)
		}
	}
	base := base{in: in, decimals: decimals, numeric: slices.Contains([]string{"sum", "mean", "var", "stdev", "median", "p", "share"}, c.Func)}
	switch c.Func {
	case "count":
		return &counter{base: base}, nil
	case "sum":
		return &summer{base: base}, nil
	case "mean":
		return &mean{summer: summer{base: base}}, nil
	case "var", "stdev":
		return &variance{base: base, root: c.Func == "stdev"}, nil
	case "min", "max":
		return &extreme{base: base, sign: map[string]int{"min": -1, "max": 1}[c.Func], what: c.Source, firstNumber: -1, firstOther: -1}, nil
	case "first", "last":
		return &oneOf{base: base, last: c.Func == "last"}, nil
	case "median":
		return &quantile{base: base, percent: 50}, nil
	case "p":
		return &quantile{base: base, percent: int64(c.Percent)}, nil
	case "distinct", "mode":
		return &tallies{base: base, mode: c.Func == "mode"}, nil
	case "join":
		return &joiner{base: base, sep: c.Sep}, nil
	case "share":
		return &Share{summer: summer{base: base}}, nil
	}
	return &Single{base: base}, nil
}

// input is what a calculation reads of a row.
type input struct {
	eval    *formula.Eval
	column  int // where it is a field
	cells   []string
	scratch []string
}

func (in *input) load(b *table.Batch) {
	switch {
	case in.column >= 0:
		in.cells, in.scratch = b.Cols[in.column].Flat(b.Rows, in.scratch)
	case in.eval != nil:
		in.eval.Load(b)
	}
}

func (in *input) text(row int) (string, *formula.Failure) {
	if in.column >= 0 {
		return in.cells[row], nil
	}
	return in.eval.Text(row)
}

// number reads a number; a formula's counts in shortest form.
func (in *input) number(row int) (decimal.D, bool, *formula.Failure) {
	if in.column >= 0 {
		s := in.cells[row]
		if s == "" {
			return decimal.D{}, false, nil
		}
		d, ok := decimal.Parse(s)
		if !ok {
			return d, false, &formula.Failure{Field: in.column, Reason: "is not a number"}
		}
		return d, true, nil
	}
	d, ok, fail := in.eval.Number(row)
	return d.Shortest(), ok, fail
}

// base is what all accumulators have.
type base struct {
	in       input
	decimals int
	numeric  bool // its cells are read as numbers
}

func (b *base) Load(batch *table.Batch) { b.in.load(batch) }
func (b *base) Settle() error           { return nil }

// Check implements Acc.
func (b *base) Check(row int) *formula.Failure {
	switch {
	case b.in.column < 0 && b.in.eval == nil:
		return nil
	case b.numeric:
		_, _, fail := b.in.number(row)
		return fail
	}
	_, fail := b.in.text(row)
	return fail
}

// float appends a float64, rounded if wanted.
func (b *base) float(dst []byte, f float64) []byte {
	if b.decimals >= 0 {
		if d, ok := decimal.Parse(string(decimal.AppendFloat(nil, f))); ok {
			return d.Round(b.decimals).Shortest().Append(dst)
		}
	}
	return decimal.AppendFloat(dst, f)
}

func grow[T any](a []T, n int) []T {
	for len(a) < n {
		var zero T
		a = append(a, zero)
	}
	return a
}

var errTooLarge = &formula.Failure{Field: -1, Reason: decimal.ErrOverflow.Error()}

// counter counts rows, or cells that are not blank.
type counter struct {
	base
	n []int64
}

func (c *counter) Grow(n int) { c.n = grow(c.n, n) }
func (c *counter) Add(slot int32, row int, _ int64) *formula.Failure {
	if c.in.eval != nil {
		s, fail := c.in.text(row)
		if fail != nil || s == "" {
			return fail
		}
	}
	c.n[slot]++
	return nil
}
func (c *counter) Merge(slot int32, from Acc, other int32) error {
	c.n[slot] += from.(*counter).n[other]
	return nil
}
func (c *counter) Append(dst []byte, slot int32) []byte {
	return decimal.FromInt(c.n[slot]).Append(dst)
}

// summer sums exactly.
type summer struct {
	base
	sums decimal.Sums
}

func (s *summer) Grow(n int) { s.sums.Grow(n) }
func (s *summer) Add(slot int32, row int, _ int64) *formula.Failure {
	d, ok, fail := s.in.number(row)
	if !ok {
		return fail
	}
	if s.sums.Add(slot, d) != nil {
		return errTooLarge
	}
	return nil
}

// addAll parses a burst of numbers before it adds them, so that the sums'
// places in memory are waited for together.
func (s *summer) addAll(slots []int32) (int, *formula.Failure) {
	const burst = 128
	var numbers [burst]decimal.D
	for from := 0; from < len(slots); from += burst {
		to := min(from+burst, len(slots))
		n, failed := 0, false
		for _, c := range s.in.cells[from:to] {
			d, ok := decimal.Parse(c)
			if !ok && c != "" {
				failed = true
				break
			}
			numbers[n] = d
			n++
		}
		if err := s.sums.AddAll(slots[from:from+n], numbers[:n], s.in.cells[from:]); err != nil {
			return from, errTooLarge
		}
		if failed {
			return from + n, &formula.Failure{Field: s.in.column, Reason: "is not a number"}
		}
	}
	return len(slots), nil
}

func (s *summer) Merge(slot int32, from Acc, other int32) error {
	var f *summer
	switch from := from.(type) {
	case *summer:
		f = from
	case *mean:
		f = &from.summer
	case *Share:
		f = &from.summer
	}
	if d, ok := f.sums.Get(other); ok {
		return s.sums.Add(slot, d)
	}
	return nil
}
func (s *summer) Append(dst []byte, slot int32) []byte {
	d, ok := s.sums.Get(slot)
	if !ok {
		return dst
	}
	if s.decimals >= 0 {
		d = d.Round(s.decimals)
	}
	return d.Append(dst)
}

// mean divides an exact sum by a count.
type mean struct {
	summer
	n []int64
}

func (m *mean) Grow(n int) { m.summer.Grow(n); m.n = grow(m.n, n) }
func (m *mean) Add(slot int32, row int, pos int64) *formula.Failure {
	d, ok, fail := m.in.number(row)
	if !ok {
		return fail
	}
	if m.sums.Add(slot, d) != nil {
		return errTooLarge
	}
	m.n[slot]++
	return nil
}
func (m *mean) Merge(slot int32, from Acc, other int32) error {
	m.n[slot] += from.(*mean).n[other]
	return m.summer.Merge(slot, from, other)
}
func (m *mean) Append(dst []byte, slot int32) []byte {
	d, ok := m.sums.Get(slot)
	if !ok {
		return dst
	}
	return m.float(dst, d.Per(m.n[slot]))
}

// Share is a sum as a fraction of a total, which is set from outside.
type Share struct {
	summer
	Total func(slot int32) (decimal.D, bool)
}

// Sum is the sum of a slot.
func (s *Share) Sum(slot int32) (decimal.D, bool) { return s.sums.Get(slot) }

// Append implements Acc.
func (s *Share) Append(dst []byte, slot int32) []byte {
	d, ok := s.sums.Get(slot)
	total, has := s.Total(slot)
	if !ok || !has || total.Sign() == 0 {
		return dst
	}
	f, _ := new(big.Rat).Quo(d.Rat(), total.Rat()).Float64()
	return s.float(dst, f)
}

// variance keeps exact sums of x and x², so that it is rounded once.
type variance struct {
	base
	root  bool
	n     []int64
	x, xx decimal.Sums
}

func (v *variance) Grow(n int) { v.n = grow(v.n, n); v.x.Grow(n); v.xx.Grow(n) }
func (v *variance) Add(slot int32, row int, _ int64) *formula.Failure {
	d, ok, fail := v.in.number(row)
	if !ok {
		return fail
	}
	square, err := d.Mul(d)
	if err != nil || v.x.Add(slot, d) != nil || v.xx.Add(slot, square) != nil {
		return errTooLarge
	}
	v.n[slot]++
	return nil
}
func (v *variance) Merge(slot int32, from Acc, other int32) error {
	f := from.(*variance)
	v.n[slot] += f.n[other]
	if d, ok := f.x.Get(other); ok {
		square, _ := f.xx.Get(other)
		if err := v.x.Add(slot, d); err != nil {
			return err
		}
		return v.xx.Add(slot, square)
	}
	return nil
}
func (v *variance) Append(dst []byte, slot int32) []byte {
	n := v.n[slot]
	if n < 2 {
		return dst
	}
	x, _ := v.x.Get(slot)
	xx, _ := v.xx.Get(slot)
	// (n Σx² - (Σx)²) / (n (n-1))
	count := new(big.Rat).SetInt64(n)
	top := new(big.Rat).Mul(count, xx.Rat())
	top.Sub(top, new(big.Rat).Mul(x.Rat(), x.Rat()))
	top.Quo(top, new(big.Rat).Mul(count, new(big.Rat).SetInt64(n-1)))
	if !v.root {
		f, _ := top.Float64()
		return v.float(dst, f)
	}
	wide := new(big.Float).SetPrec(300).SetRat(top)
	f, _ := wide.Sqrt(wide).Float64()
	return v.float(dst, f)
}

// quantile keeps all numbers.
type quantile struct {
	base
	percent int64
	all     [][]decimal.D
}

func (q *quantile) Grow(n int) { q.all = grow(q.all, n) }
func (q *quantile) Add(slot int32, row int, _ int64) *formula.Failure {
	d, ok, fail := q.in.number(row)
	if ok {
		q.all[slot] = append(q.all[slot], d)
	}
	return fail
}
func (q *quantile) Merge(slot int32, from Acc, other int32) error {
	q.all[slot] = append(q.all[slot], from.(*quantile).all[other]...)
	return nil
}
func (q *quantile) Append(dst []byte, slot int32) []byte {
	all := q.all[slot]
	if len(all) == 0 {
		return dst
	}
	slices.SortFunc(all, decimal.D.Cmp)
	// Between the two nearest, exactly: a + (b-a) rest/100.
	at := int64(len(all)-1) * q.percent
	a := all[at/100].Rat()
	if rest := at % 100; rest > 0 {
		step := new(big.Rat).Sub(all[at/100+1].Rat(), a)
		a.Add(a, step.Mul(step, big.NewRat(rest, 100)))
	}
	f, _ := a.Float64()
	return q.float(dst, f)
}

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
	x.take(slot, b, true)
	return nil
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
	f := from.(*extreme)
	if f != x {
		x.texts = x.texts || f.texts
		if f.firstNumber >= 0 && (x.firstNumber < 0 || f.firstNumber < x.firstNumber) {
			x.firstNumber, x.number = f.firstNumber, f.number
		}
		if f.firstOther >= 0 && (x.firstOther < 0 || f.firstOther < x.firstOther) {
			x.firstOther, x.other = f.firstOther, f.other
		}
	}
	x.take(slot, f.best[other], false)
	return nil
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
	seen []map[string]seen
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
		t.seen[slot] = map[string]seen{}
	}
	have, ok := t.seen[slot][s]
	if !ok {
		t.seen[slot][strings.Clone(s)] = more
		return
	}
	t.seen[slot][s] = seen{have.n + more.n, min(have.first, more.first)}
}
func (t *tallies) Merge(slot int32, from Acc, other int32) error {
	for s, n := range from.(*tallies).seen[other] {
		t.note(slot, s, n)
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
			most, value = n, s
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
