package inspect

import (
	"cmp"
	"context"
	"math"
	"math/bits"
	"slices"
	"strings"
	"sync"

	"revuelta/internal/calendar"
	"revuelta/internal/decimal"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// What is kept exactly of a field; beyond it there are sketches.
const (
	exactValues  = 10_000 // different cells
	exactNumbers = 20_000
	registers    = 1 << 12 // of the sketch of different cells, whose error is about 1.6 %; few enough for the cache
	mostBars     = 20
)

// Profile profiles the fields of a table that flows through it. It may run once.
type Profile struct {
	Fields *selection.Selection // nil: all

	Out  []*FieldProfile
	Rows int64
}

// FieldProfile is what a field holds.
type FieldProfile struct {
	Name              string
	Type              string // number, whole number, date, code, text, numbers and texts, blank
	Rows, Blank       int64
	Distinct          int64
	DistinctIsAbout   bool
	Numbers, Dates    int64
	Min, Max          string // in the order of the type
	Mean, Stdev       float64
	Quartiles         [3]float64
	QuartilesAreAbout bool
	Common            []Common // the commonest values, none where all differ or too many do
	Texts             []Common // the commonest texts, where most are numbers
	Longest           string
	Bars              []int64 // how many numbers between Min and Max, in steps of the same width
}

// Common is a value and how often it stands, and the line where it stands first, 0 where that is not known.
type Common struct {
	Value string
	Count int64
	Line  int
}

// Capabilities implements step.Step.
func (p *Profile) Capabilities() step.Capabilities {
	return step.Capabilities{Reduce: p.Reduce, Run: p.Run}
}

// Reduce binds it to the fields of its input.
func (p *Profile) Reduce(in *table.Schema) (step.Reduction, error) {
	fields := make([]int, in.Len())
	for i := range fields {
		fields[i] = i
	}
	if p.Fields != nil {
		var err error
		if fields, err = p.Fields.Resolve(in); err != nil {
			return nil, err
		}
	}
	return &profiling{p: p, in: in, fields: fields}, nil
}

// Run runs it on one goroutine.
func (p *Profile) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	return step.Reduced(ctx, p.Reduce, in, out, s)
}

type profiling struct {
	p      *Profile
	in     *table.Schema
	fields []int
}

// ByPlace implements step.Reduction: it looks at every cell.
func (r *profiling) ByPlace() []bool { return nil }

// NewPartial implements step.Reduction.
func (r *profiling) NewPartial(*step.Context) step.Partial {
	p := &profilePart{fields: r.fields}
	for range r.fields {
		p.of = append(p.of, newTally())
	}
	return p
}

// Finish implements step.Reduction.
func (r *profiling) Finish(_ context.Context, parts []step.Partial, out step.Out, s *step.Context) error {
	all := parts[0].(*profilePart)
	for _, o := range parts[1:] {
		o := o.(*profilePart)
		all.rows += o.rows
		var wg sync.WaitGroup
		for i := range all.of {
			wg.Go(func() { all.of[i].merge(o.of[i]) })
		}
		wg.Wait()
	}
	r.p.Rows = all.rows
	for i, f := range r.fields {
		r.p.Out = append(r.p.Out, all.of[i].profile(r.in.Name(f), all.rows))
	}
	s.Counters.Merged += all.rows // into what is told of the fields
	return out.Start(r.in)
}

type profilePart struct {
	fields []int
	of     []*tally
	rows   int64
	spare  []string
}

// Add implements step.Part.
func (p *profilePart) Add(b *table.Batch, _ int64) error {
	p.rows += int64(b.Rows)
	for i, f := range p.fields {
		var cells []string
		cells, p.spare = b.Cols[f].Flat(b.Rows, p.spare)
		p.of[i].add(cells[:b.Rows], b.Origin.LineOf)
	}
	return nil
}

// tally is what is known of a field so far.
type tally struct {
	filled, numbers, dates, codes, wholes int64
	counts                                map[string]*kept // nil: there are too many; a key is assigned once, when it is cloned
	sketch                                []uint8
	exact                                 []float64 // nil: there are too many
	buckets                               []uint32  // most of it is never touched
	sum, squares                          float64   // of what is above the first
	first, low, high                      float64
	least, most                           decimal.D
	leastCell, mostCell                   string // numbers
	leastText, mostText                   string // by text
	early, late                           calendar.Moment
	earlyCell, lateCell                   string
	longest                               string
	longestLen                            int

	small   smalls    // what is counted there is in nothing above, until all was seen
	rest    []string  // cells that are no small numbers
	recent  [64]*kept // plain ones that were met before
	settled []counted // the small numbers, when all was seen
}

// kept is a cell that is counted by its text.
type kept struct {
	cell  string
	n     int64
	line  int  // of a plain one, where it stands first; 0: not known
	plain bool // it is no number and no date
}

// counted is a number and how often it stands.
type counted struct {
	d decimal.D
	f float64
	n int64
}

func newTally() *tally {
	return &tally{counts: map[string]*kept{}, exact: make([]float64, 0, 64)}
}

func (t *tally) add(cells []string, lineOf func(row int) int) {
	row := 0 // up to where a text that was new was looked for
	t.rest = t.small.take(cells, t.rest[:0])
	for _, c := range t.rest {
		t.filled++
		recent := &t.recent[(int(c[0])+31*int(c[len(c)-1])+7*len(c))%len(t.recent)]
		if k := *recent; k != nil && k.cell == c {
			k.n++
			continue
		}
		k := t.count(c, 1)
		if k != nil && k.plain && k.n > 1 { // nothing new
			*recent = k
			continue
		}
		if len(c) > t.longestLen {
			t.longest, t.longestLen = strings.Clone(c), len(c)
		}
		if d, ok := parse(c); ok {
			if isCode(c) {
				t.codes++
			}
			t.number(d, c)
			continue
		}
		if t.leastText == "" || c < t.leastText {
			t.leastText = strings.Clone(c)
		}
		if c > t.mostText {
			t.mostText = strings.Clone(c)
		}
		if len(c) >= 7 && c[4] == '-' {
			if m, ok := calendar.Parse(c); ok {
				t.dates++
				t.moment(m, c)
				continue
			}
		}
		if k != nil {
			if k.plain = true; k.n == 1 {
				row += slices.Index(cells[row:], c)
				k.line = lineOf(row)
			}
		}
	}
}

// parse is decimal.Parse, sooner done with texts.
func parse(c string) (decimal.D, bool) {
	if c[0] > '9' {
		return decimal.D{}, false
	}
	return decimal.Parse(c)
}

// count counts a cell, exactly as long as there are not too many different ones.
func (t *tally) count(c string, n int64) *kept {
	if t.counts != nil {
		if have, ok := t.counts[c]; ok {
			have.n += n
			return have
		}
		if len(t.counts) < exactValues {
			first := &kept{cell: strings.Clone(c), n: n}
			t.counts[first.cell] = first
			return first
		}
		t.toSketch()
	}
	t.note(c)
	return nil
}

func (t *tally) toSketch() {
	t.sketch = make([]uint8, registers)
	for c := range t.counts {
		t.note(c)
	}
	t.counts, t.recent = nil, [64]*kept{}
}

// note is the step of a sketch that counts different values by the longest run of zeros in their hashes
// (Flajolet, Fusy, Gandouet, Meunier 2007).
func (t *tally) note(c string) {
	h := spread(c)
	i := h & (registers - 1)
	if r := uint8(bits.TrailingZeros64(h>>12|1<<52)) + 1; r > t.sketch[i] {
		t.sketch[i] = r
	}
}

// spread mixes a text, in the same way in every run, so that what is told of a file stays the same.
func spread(c string) uint64 {
	h := uint64(len(c)) + 0x9E3779B97F4A7C15
	for len(c) > 0 {
		word, n := uint64(0), min(len(c), 8)
		for i := range n {
			word |= uint64(c[i]) << (8 * i)
		}
		high, low := bits.Mul64(h^word, 0xD6E8FEB86659FD93)
		h, c = high^low+0xA0761D6478BD642F, c[n:]
	}
	high, low := bits.Mul64(h, 0xE7037ED1A0B428DB)
	return high ^ low
}

func (t *tally) distinct() (n int64, about bool) {
	if t.counts != nil {
		return int64(len(t.counts)), false
	}
	sum, zeros := 0.0, 0
	for _, r := range t.sketch {
		sum += math.Ldexp(1, -int(r))
		if r == 0 {
			zeros++
		}
	}
	e := 0.7213 / (1 + 1.079/registers) * registers * registers / sum
	if zeros > 0 && e < 2.5*registers {
		e = registers * math.Log(registers/float64(zeros))
	}
	return int64(math.Round(e)), true
}

func (t *tally) number(d decimal.D, c string) {
	f := d.Float()
	t.extend(d, f, func() string { return strings.Clone(c) }, 1)
	if t.exact != nil {
		if len(t.exact) < exactNumbers {
			t.exact = append(t.exact, f)
			return
		}
		t.toBuckets()
	}
	t.buckets[bucketOf(f)]++
}

// extend takes a number that stands n times into what is known of all.
func (t *tally) extend(d decimal.D, f float64, cell func() string, n int64) {
	if t.numbers == 0 {
		t.first, t.least, t.most = f, d, d
		t.leastCell, t.mostCell = cell(), cell()
		t.low, t.high = f, f
	} else if f <= t.low && d.Cmp(t.least) < 0 {
		t.least, t.leastCell, t.low = d, cell(), f
	} else if f >= t.high && d.Cmp(t.most) > 0 {
		t.most, t.mostCell, t.high = d, cell(), f
	}
	t.numbers += n
	if d.Decimals() == 0 {
		t.wholes += n
	}
	x := f - t.first
	t.sum += float64(n) * x
	t.squares += float64(n) * x * x
}

// settle takes in the small numbers, when all was seen.
func (t *tally) settle() {
	t.small.each(func(d decimal.D, n int64) {
		t.settled = append(t.settled, counted{d, d.Float(), n})
		t.filled += n
	})
	if c := t.small.longest(); len(c) > t.longestLen {
		t.longest, t.longestLen = c, len(c)
	}
	slices.SortFunc(t.settled, func(a, b counted) int {
		return cmp.Or(cmp.Compare(a.f, b.f), cmp.Compare(a.d.Decimals(), b.d.Decimals()))
	})
	for i := range t.settled {
		c := t.settled[(i+len(t.settled)-1)%len(t.settled)] // the greatest first: then only the least changes what is known
		t.extend(c.d, c.f, c.cell, c.n)
		if t.exact == nil {
			t.buckets[bucketOf(c.f)] += uint32(c.n)
		}
	}
}

func (c counted) cell() string { return string(c.d.Append(nil)) }

// bucketOf numbers the buckets of numbers in their order; numbers of a bucket differ by less than 0.4 %.
func bucketOf(f float64) uint32 {
	b := math.Float64bits(f)
	if b>>63 != 0 {
		b = ^b
	} else {
		b |= 1 << 63
	}
	return uint32(b >> 44)
}

// inBucket is a number from the middle of a bucket.
func inBucket(n uint32) float64 {
	b := uint64(n)<<44 | 1<<43
	if b>>63 != 0 {
		b &^= 1 << 63
	} else {
		b = ^b
	}
	return math.Float64frombits(b)
}

func (t *tally) toBuckets() {
	t.buckets = make([]uint32, 1<<20)
	for _, f := range t.exact {
		t.buckets[bucketOf(f)]++
	}
	t.exact = nil
}

func (t *tally) moment(m calendar.Moment, c string) {
	if t.earlyCell == "" || m.Compare(t.early) < 0 {
		t.early, t.earlyCell = m, strings.Clone(c)
	}
	if t.lateCell == "" || m.Compare(t.late) > 0 {
		t.late, t.lateCell = m, strings.Clone(c)
	}
}

func (t *tally) merge(o *tally) {
	t.small.merge(&o.small)
	if o.numbers > 0 {
		if t.numbers == 0 {
			t.first, t.low, t.high = o.first, o.low, o.high
			t.least, t.leastCell, t.most, t.mostCell = o.least, o.leastCell, o.most, o.mostCell
		}
		if o.least.Cmp(t.least) < 0 {
			t.least, t.leastCell, t.low = o.least, o.leastCell, o.low
		}
		if o.most.Cmp(t.most) > 0 {
			t.most, t.mostCell, t.high = o.most, o.mostCell, o.high
		}
		by, n := o.first-t.first, float64(o.numbers)
		t.squares += o.squares + 2*by*o.sum + n*by*by
		t.sum += o.sum + n*by
		switch {
		case t.exact != nil && o.exact != nil && len(t.exact)+len(o.exact) <= exactNumbers:
			t.exact = append(t.exact, o.exact...)
		default:
			if t.exact != nil {
				t.toBuckets()
			}
			for _, f := range o.exact {
				t.buckets[bucketOf(f)]++
			}
			if o.buckets != nil {
				for k := bucketOf(o.low); k <= bucketOf(o.high); k++ {
					t.buckets[k] += o.buckets[k]
				}
			}
		}
	}
	t.filled, t.numbers, t.dates, t.codes, t.wholes = t.filled+o.filled, t.numbers+o.numbers, t.dates+o.dates, t.codes+o.codes, t.wholes+o.wholes
	if o.leastText != "" && (t.leastText == "" || o.leastText < t.leastText) {
		t.leastText = o.leastText
	}
	t.mostText = max(t.mostText, o.mostText)
	if o.earlyCell != "" {
		t.moment(o.early, o.earlyCell)
		t.moment(o.late, o.lateCell)
	}
	if o.longestLen > t.longestLen {
		t.longest, t.longestLen = o.longest, o.longestLen
	}
	if o.counts == nil {
		if t.counts != nil {
			t.toSketch()
		}
		for i, r := range o.sketch {
			t.sketch[i] = max(t.sketch[i], r)
		}
		return
	}
	for c, k := range o.counts {
		if have := t.count(c, k.n); have != nil {
			if have.plain = k.plain; have.line == 0 || k.line < have.line {
				have.line = k.line
			}
		}
	}
}
