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
	of     []*outsider                // of each key, nil: it is expected
	sums   []sumOf
	named  map[string]*outsider // by their values, when they are told
}

// sumOf is a field that is summed.
type sumOf struct {
	name   string
	column int
}

type outsider struct {
	rows int64
	sums []decimal.D
	odd  []bool // a sum that can't be told: a cell is no number, or it is too large
}

func newOutsiders(f *aggregator) *outsiders {
	o := &outsiders{keys: keying.NewInterner(f.in, f.across), wanted: f.outside}
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
	o.ready()
	for r, id := range ids {
		x := o.of[id]
		if x == nil {
			continue
		}
		x.rows++
		for k, s := range o.sums {
			cell := b.Cols[s.column].At(r)
			if cell == "" {
				continue
			}
			d, ok := decimal.Parse(cell)
			x.odd[k] = x.odd[k] || !ok
			x.plus(k, d)
		}
	}
}

// ready makes place for keys that are new.
func (o *outsiders) ready() {
	for k := len(o.of); k < len(o.keys.Values); k++ {
		var x *outsider
		if o.wanted(o.keys.Values[k]) {
			x = &outsider{sums: make([]decimal.D, len(o.sums)), odd: make([]bool, len(o.sums))}
		}
		o.of = append(o.of, x)
	}
}

func (x *outsider) plus(k int, d decimal.D) {
	sum, err := x.sums[k].Add(d)
	if x.odd[k] = x.odd[k] || err != nil; !x.odd[k] {
		x.sums[k] = sum
	}
}

// merge takes what another counted.
func (o *outsiders) merge(other *outsiders) {
	ids, _ := o.keys.Merge(other.keys)
	o.ready()
	for theirs, from := range other.of {
		x := o.of[ids[theirs]]
		if from == nil {
			continue
		}
		x.rows += from.rows
		for k, d := range from.sums {
			x.odd[k] = x.odd[k] || from.odd[k]
			x.plus(k, d)
		}
	}
}

// tell tells the rows and sums of across values: 2 rows with kilos 3.50.
func (o *outsiders) tell(values []string) string {
	if o.named == nil {
		o.named = map[string]*outsider{}
		for id, x := range o.of {
			o.named[strings.Join(o.keys.Values[id], "\x00")] = x
		}
	}
	x := o.named[strings.Join(values, "\x00")]
	if x == nil {
		return ""
	}
	said := diag.Plural(x.rows, "row")
	for k, s := range o.sums {
		if !x.odd[k] {
			said += fmt.Sprintf(" with %s %s", s.name, x.sums[k].Append(nil))
		}
	}
	return said
}
