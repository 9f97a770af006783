package aggregate

import (
	"fmt"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

// outsiders counts the rows of across values that nobody expects, and sums up what the calculations sum, for what is told of them.
type outsiders struct {
	keys   *keying.Interner
	wanted func(values []string) bool // tells whether they are told of
	is     []bool                     // of each key
	sums   []sumOf
	of     map[string]*outsider // by their values
}

// sumOf is a field that is summed.
type sumOf struct {
	name   string
	column int
}

type outsider struct {
	rows int64
	sums []decimal.D
	odd  bool // a sum that can't be told: a cell is no number, or it is too large
}

func newOutsiders(f *aggregator) *outsiders {
	o := &outsiders{keys: keying.NewInterner(f.in, f.across), wanted: f.outside, of: map[string]*outsider{}}
	for _, c := range f.calcs {
		if i, ok := f.in.Index(c.Measure()); ok && c.Func == "sum" && c.Single {
			o.sums = append(o.sums, sumOf{c.Measure(), i})
		}
	}
	return o
}

// add takes the rows of a batch.
func (o *outsiders) add(b *table.Batch) {
	o.keys.Load(b)
	ids, _, _ := o.keys.Ids(b, b.Rows, 0, func(int32, int) error { return nil }) // what can't be read stops the run elsewhere
	for k := len(o.is); k < len(o.keys.Values); k++ {
		o.is = append(o.is, o.wanted(o.keys.Values[k]))
	}
	for r, id := range ids {
		if !o.is[id] {
			continue
		}
		x := o.at(o.keys.Values[id])
		x.rows++
		for k, s := range o.sums {
			x.take(k, b.Cols[s.column].At(r))
		}
	}
}

func (o *outsiders) at(values []string) *outsider {
	name := strings.Join(values, "\x00")
	x := o.of[name]
	if x == nil {
		x = &outsider{sums: make([]decimal.D, len(o.sums))}
		o.of[name] = x
	}
	return x
}

func (x *outsider) take(k int, cell string) {
	if cell == "" || x.odd {
		return
	}
	d, ok := decimal.Parse(cell)
	if !ok {
		x.odd = true
		return
	}
	x.plus(k, d)
}

func (x *outsider) plus(k int, d decimal.D) {
	var err error
	if x.sums[k], err = x.sums[k].Add(d); err != nil {
		x.odd = true
	}
}

// merge takes what another counted.
func (o *outsiders) merge(other *outsiders) {
	for name, from := range other.of {
		x := o.of[name]
		if x == nil {
			o.of[name] = from
			continue
		}
		x.rows, x.odd = x.rows+from.rows, x.odd || from.odd
		for k, d := range from.sums {
			x.plus(k, d)
		}
	}
}

// tell tells the rows and sums of across values: 2 rows, kilos 3.50.
func (o *outsiders) tell(values []string) string {
	x := o.of[strings.Join(values, "\x00")]
	if x == nil {
		return ""
	}
	said := diag.Plural(x.rows, "row")
	for k, s := range o.sums {
		if !x.odd {
			said += fmt.Sprintf(" with %s %s", s.name, x.sums[k].Append(nil))
		}
	}
	return said
}
