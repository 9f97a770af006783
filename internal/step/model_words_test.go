package step_test

import (
	"math/big"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/step/steptest"
)

func flag(is bool, text string) string {
	if is {
		return " " + text
	}
	return ""
}

func trimmed(pieces []string) []string {
	for i, p := range pieces {
		pieces[i] = strings.TrimSpace(p)
	}
	return pieces
}

// grouped parts rows by their cells in some fields; the keys are as first seen.
func grouped(in steptest.Table, rows [][]string, by []string) (keys [][]string, groups map[string][][]string) {
	groups = map[string][][]string{}
	for _, row := range rows {
		key := pick(in, row, by)
		if _, ok := groups[keyOf(key)]; !ok {
			keys = append(keys, key)
		}
		groups[keyOf(key)] = append(groups[keyOf(key)], row)
	}
	return keys, groups
}

// order is how rows are ordered by one field.
type order struct {
	field         int
	numbers, desc bool
}

func orderOf(in steptest.Table, field string, desc bool) order {
	o := order{columnOf(in, field), true, desc}
	for _, row := range in.Rows {
		if _, ok := ratOf(row[o.field]); !ok && row[o.field] != "" {
			o.numbers = false
		}
	}
	return o
}

func compared(keys []order, x, y []string) int {
	for _, o := range keys {
		a, b := x[o.field], y[o.field]
		c := 0
		switch {
		case a == b:
		case a == "":
			return 1
		case b == "":
			return -1
		case o.numbers:
			m, _ := ratOf(a)
			n, _ := ratOf(b)
			c = m.Cmp(n)
		default:
			c = strings.Compare(a, b)
		}
		if o.desc {
			c = -c
		}
		if c != 0 {
			return c
		}
	}
	return 0
}

// seated draws the order in which rows are gone through, for number and beside.
func seated(d draw, in steptest.Table, line *string, may bool) (rows [][]string, by []int) {
	rows = in.Rows
	for i := range rows {
		by = append(by, i)
	}
	if may && d.maybe() {
		o := []order{orderOf(in, d.of("c", "a"), d.maybe())}
		slices.SortStableFunc(by, func(x, y int) int { return compared(o, rows[x], rows[y]) })
		*line += " --by '" + in.Names[o[0].field] + flag(o[0].desc, "desc") + "'"
	}
	return rows, by
}

var calculations = []string{"count()", "count(b)", "sum(a)", "first(b)", "last(c)", "distinct(c)", `join(c, "+")`, "mode(b)", "c", "max(c)", "min(a)"}

// calculated is a calculation over rows.
func calculated(in steptest.Table, rows [][]string, calc string) (cell, fails string) {
	if calc == "count()" {
		return strconv.Itoa(len(rows)), ""
	}
	name, field, _ := strings.Cut(calc, "(")
	if field == "" {
		field = name
	}
	i := columnOf(in, field[:1])
	var filled []string
	for _, row := range rows {
		if row[i] != "" {
			filled = append(filled, row[i])
		}
	}
	switch {
	case name == "count":
		return strconv.Itoa(len(filled)), ""
	case name == "distinct":
		slices.Sort(filled)
		return strconv.Itoa(len(slices.Compact(filled))), ""
	case len(filled) == 0:
		return "", ""
	case name == "first":
		return filled[0], ""
	case name == "last":
		return filled[len(filled)-1], ""
	case name == "join":
		return strings.Join(filled, "+"), ""
	case name == "mode":
		most := filled[0]
		times := func(x string) int { return len(filled) - len(without(filled, x)) }
		for _, x := range filled {
			if times(x) > times(most) {
				most = x
			}
		}
		return most, ""
	case name == "c" && len(filled) > 1:
		return "", "two rows compete"
	case name == "c":
		return filled[0], ""
	case name == "max":
		return slices.Max(filled), ""
	case name == "min": // in one order for the whole field
		all, numbers := 0, 0
		for _, row := range in.Rows {
			if _, ok := ratOf(row[i]); ok {
				numbers++
			}
			if row[i] != "" {
				all++
			}
		}
		switch {
		case numbers == 0:
			return slices.Min(filled), ""
		case numbers < all:
			return "", "the field mixes numbers and others"
		}
	}
	sum, decimals := new(big.Rat), 0
	least := filled[0]
	for _, x := range filled {
		n, ok := ratOf(x)
		if !ok {
			return "", "12 kg"
		}
		if m, _ := ratOf(least); n.Cmp(m) < 0 {
			least = x
		}
		if _, after, ok := strings.Cut(x, "."); ok {
			decimals = max(decimals, len(after))
		}
		sum.Add(sum, n)
	}
	if name == "min" {
		return least, ""
	}
	return sum.FloatString(decimals), ""
}
