package calc

import (
	"math/big"
	"slices"

	"revuelta/internal/decimal"
	"revuelta/internal/formula"
	"revuelta/internal/table"
	"revuelta/internal/view"
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

// Knowing is an Acc whose outcomes depend on what cells there are in the whole
// field, so that it must know also of those that another one takes.
type Knowing interface {
	Acc
	// Watch looks at a row of the batch last loaded that is not added.
	Watch(row int, pos int64) *formula.Failure
	// Learn takes over what another one knows.
	Learn(from Acc)
}

// Holds is about how many bytes a calculation takes for a slot, and for each row added.
func (c *Calculation) Holds() (slot, row int) {
	switch c.Func {
	case "count":
		return 8, 0
	case "sum", "share":
		return 16, 0
	case "mean":
		return 24, 0
	case "var", "stdev":
		return 40, 0
	case "min", "max":
		return 200, 0
	case "median", "p":
		return 24, 48
	case "distinct", "mode":
		return 8, 96
	case "join":
		return 24, 48
	}
	return 64, 0
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

// MergeAll takes what another of its kind has in some slots, each into one of its own.
func MergeAll(a Acc, slots []int32, from Acc, others []int32) error {
	Ahead(a, slots)
	Ahead(from, others)
	for i, slot := range slots {
		if err := a.Merge(slot, from, others[i]); err != nil {
			return err
		}
	}
	return nil
}

// Ahead asks memory for slots that are wanted next, -1 for one that is not.
func Ahead(a Acc, slots []int32) {
	if s, ok := a.(*summer); ok {
		s.sums.Ahead(slots)
	}
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
			return d.Round(b.decimals).AppendScaled(dst, b.decimals)
		}
	}
	return decimal.AppendFloat(dst, f)
}

func grow[T any](a []T, n int) []T {
	a = view.More(a, n-len(a))
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
		s.sums.Ahead(slots[from:to])
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
		return d.Round(s.decimals).AppendScaled(dst, s.decimals)
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
	sorted  []int // how many of each stand in order, from the first on
}

func (q *quantile) Grow(n int) { q.all, q.sorted = grow(q.all, n), grow(q.sorted, n) }
func (q *quantile) Add(slot int32, row int, _ int64) *formula.Failure {
	d, ok, fail := q.in.number(row)
	if ok {
		q.all[slot] = append(q.all[slot], d)
	}
	return fail
}
func (q *quantile) Merge(slot int32, from Acc, other int32) error {
	q.sorted[slot] = 0
	q.all[slot] = append(q.all[slot], from.(*quantile).all[other]...)
	return nil
}
func (q *quantile) Append(dst []byte, slot int32) []byte {
	all := q.all[slot]
	if len(all) == 0 {
		return dst
	}
	const few = 8
	if n := q.sorted[slot]; len(all)-n <= few { // asked again with each row more, as for results so far
		for ; n < len(all); n++ {
			d := all[n]
			at, _ := slices.BinarySearchFunc(all[:n], d, decimal.D.Cmp)
			copy(all[at+1:n+1], all[at:n])
			all[at] = d
		}
	} else {
		slices.SortFunc(all, decimal.D.Cmp)
	}
	q.sorted[slot] = len(all)
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
