package selection

import (
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/table"
)

// Order is fields to sort by, as in 'apiary, kilos desc'.
type Order struct {
	source string
	items  []orderItem
}

// String is the order as it was written.
func (o *Order) String() string {
	if o == nil {
		return ""
	}
	return o.source
}

type orderItem struct {
	whole string
	desc  bool
	sel   *Selection
}

// Key is a field to sort by.
type Key struct {
	Column int
	Desc   bool
}

// ParseOrder reads fields to sort by.
func ParseOrder(source string) (*Order, error) {
	o := &Order{source: source}
	for _, piece := range Cut(source, ',') {
		it := orderItem{whole: strings.TrimSpace(piece)}
		name, ok := strings.CutSuffix(it.whole, " desc")
		it.desc = ok
		var err error
		if it.sel, err = Parse(name); err != nil {
			return nil, err
		}
		o.items = append(o.items, it)
	}
	return o, nil
}

// Keys finds the fields; a field of the whole text's name, desc and all, wins.
func (o *Order) Keys(in *table.Schema) (out []Key, err error) {
	for _, it := range o.items {
		desc := it.desc
		var fields []int
		if i, ok := in.Index(it.whole); ok {
			fields, desc = []int{i}, false
		} else if fields, err = it.sel.Resolve(in); err != nil {
			return nil, err
		}
		for _, i := range fields {
			for _, k := range out {
				if k.Column == i {
					return nil, diag.Usagef("%s is sorted by twice", diag.Quote(in.Name(i)))
				}
			}
			out = append(out, Key{i, desc})
		}
	}
	return out, nil
}
