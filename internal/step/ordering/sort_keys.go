package ordering

import (
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// Order is fields to sort by, as 'apiary, kilos desc', and how their cells compare.
type Order struct {
	fields *selection.Order
	order  string // number, text, natural; "": numbers where all are
}

// ParseOrder reads fields to sort by; order is how cells compare, "": numbers where all are.
func ParseOrder(source, order string) (*Order, error) {
	fields, err := selection.ParseOrder(source)
	if err != nil {
		return nil, err
	}
	return &Order{fields, order}, nil
}

// sortKeys makes bytes of rows that stand in the order of the rows.
type sortKeys struct {
	fields []sortField
}

type sortField struct {
	name   string
	column int
	desc   bool
	last   bool   // nothing stands behind it in a key
	order  string // "": not yet known
	auto   bool
	number string // examples of what was met
	other  string
	spare  []string
}

func (t *Order) bind(in *table.Schema) (*sortKeys, error) {
	keys, err := t.fields.Keys(in)
	if err != nil {
		return nil, err
	}
	k := &sortKeys{}
	for _, key := range keys {
		k.fields = append(k.fields, sortField{name: in.Name(key.Column), column: key.Column, desc: key.Desc, order: t.order, auto: t.order == ""})
	}
	if n := len(k.fields); n > 0 {
		k.fields[n-1].last = true
	}
	return k, nil
}

// look sees what the cells of a batch are.
func (k *sortKeys) look(b *table.Batch) {
	for i := range k.fields {
		f := &k.fields[i]
		if !f.auto || f.number != "" && f.other != "" {
			continue
		}
		var cells []string
		cells, f.spare = b.Cols[f.column].Flat(b.Rows, f.spare)
		for _, s := range cells {
			if s == "" {
				continue
			}
			if _, ok := decimal.Parse(s); ok {
				if f.number == "" {
					f.number = strings.Clone(s)
				}
			} else if f.other == "" {
				f.other = strings.Clone(s)
			}
			if f.number != "" && f.other != "" {
				break
			}
		}
	}
}

// decide settles the orders by what was seen so far; it tells whether one changed.
func (k *sortKeys) decide() (changed bool) {
	for i := range k.fields {
		f := &k.fields[i]
		was := f.order
		if f.auto {
			f.order = "number"
			if f.other != "" || f.number == "" {
				f.order = "text"
			}
		}
		changed = changed || was != f.order
	}
	return changed
}

// settle decides when all was seen, and notes a mix.
func (k *sortKeys) settle(s *step.Context) {
	k.decide()
	for _, f := range k.fields {
		if f.auto && f.number != "" && f.other != "" {
			s.Summary.Notes = append(s.Summary.Notes, fmt.Sprintf("%s is sorted as text: it holds numbers and others, as %s and %s; --order number puts the numbers first", diag.Quote(f.name), diag.Quote(f.number), diag.Quote(f.other)))
		}
	}
}

// append appends the key of a row of a batch.
func (k *sortKeys) append(dst []byte, b *table.Batch, row int) []byte {
	for i := range k.fields {
		dst = k.fields[i].append(dst, b.Cols[k.fields[i].column].At(row))
	}
	return dst
}

// What a cell's part of a key begins with: blanks stand last either way round,
// and what is no number behind the numbers.
const (
	keyValue = 1
	keyOther = 2
	keyBlank = 3
)

func (f *sortField) append(dst []byte, cell string) []byte {
	if cell == "" {
		return append(dst, keyBlank)
	}
	kind := byte(keyValue)
	from := len(dst)
	dst = append(dst, kind)
	switch f.order {
	case "number":
		if d, ok := decimal.Parse(cell); ok {
			dst = d.AppendKey(dst)
			break
		}
		dst[from] = keyOther
		dst = f.appendText(dst, cell)
	case "natural":
		dst = f.appendText(appendNatural(dst, cell), cell)
	default:
		dst = f.appendText(dst, cell)
	}
	if f.desc {
		for i := from + 1; i < len(dst); i++ {
			dst[i] = ^dst[i]
		}
	}
	return dst
}

// appendText appends a text so that no key begins another: a 0 ends it. It has none if it comes last in the key and rises, since a
// shorter key comes first.
func (f *sortField) appendText(dst []byte, s string) []byte {
	const end, escape = 0, 1
	from := len(dst)
	dst = append(dst, s...)
	for i := from; i < len(dst); i++ {
		if c := dst[i]; c <= escape { // told apart by what stands behind an escape
			dst[i] = escape
			dst = slices.Insert(dst, i+1, c+1)
			i++
		}
	}
	if f.last && !f.desc {
		return dst
	}
	return append(dst, end)
}

// appendNatural appends a text with the digits in it by their number, as natural compares.
func appendNatural(dst []byte, s string) []byte {
	for i := 0; i < len(s); {
		if !decimal.Digit(s[i]) {
			dst = append(dst, s[i])
			i++
			continue
		}
		run := decimal.DigitsAt(s, i)
		i += len(run)
		run = strings.TrimLeft(run, "0")
		n := len(run)
		dst = append(dst, '0')
		for ; n >= 0xFF; n -= 0xFF {
			dst = append(dst, 0xFF)
		}
		dst = append(append(dst, byte(n)), run...)
	}
	return append(dst, 0, 0)
}
