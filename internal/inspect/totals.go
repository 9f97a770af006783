package inspect

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
)

// totalWord tells a text that begins with a word for a total.
func totalWord(s string) bool {
	first, rest, _ := strings.Cut(strings.ToLower(s), " ")
	if first == "grand" {
		first, _, _ = strings.Cut(rest, " ")
	}
	first = first[:len(first)-len(strings.TrimLeftFunc(first, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || r == '_' }))]
	return slices.Contains([]string{"total", "sum", "totals", "subtotal", "gesamt", "summe"}, first)
}

// number reads a number also where it has a decimal comma or grouped digits.
func number(c string) (decimal.D, bool) {
	d, ok := decimal.Parse(c)
	if ok || c == "" || !commaDecimal().MatchString(c) {
		return d, ok
	}
	return decimal.Parse(strings.NewReplacer(".", "", "'", "", " ", "", "\u00a0", "", "\u202f", "", ",", ".").Replace(c))
}

// amounts are the numbers of a field; nil where most of its cells are none.
func (f *field) amounts() []decimal.D {
	out := make([]decimal.D, len(f.cells))
	n := 0
	for r, c := range f.cells {
		if d, ok := number(c); ok {
			out[r] = d
			n++
		}
	}
	if !share(n, f.filled, 0.9) || n < 3 {
		return nil
	}
	return out
}

// totals finds rows and fields that hold sums of others.
func (s *sample) totals() []Finding {
	var out []Finding
	for _, f := range s.fields[:min(3, len(s.fields))] {
		if share(f.numbers, f.filled, 0.5) {
			continue
		}
		for _, c := range f.order {
			if totalWord(c) && f.counts[c]*2 < f.filled && len(s.fields) > 1 {
				out = append(out, s.totalRows(f, c))
			}
		}
	}
	if len(out) == 0 && s.whole {
		if f, ok := s.sumOfAll(); ok {
			out = append(out, s.totalRows(f, f.cells[len(s.rows)-1]))
		}
	}
	var numbers [][]decimal.D // of the fields since the last without
	for i, f := range s.fields {
		amounts := f.amounts()
		if amounts == nil {
			numbers = nil
			continue
		}
		said := ""
		if i > 1 && totalWord(f.name) {
			said = " seems to hold totals of other fields"
		}
		if n := sumOfLast(numbers, amounts); n > 0 {
			said = fmt.Sprintf(" holds the sum of the %d fields before it", n)
		}
		if said == "" {
			numbers = append(numbers, amounts)
			continue
		}
		out = append(out, Finding{Kind: "total fields", Says: diag.Quote(f.name) + said, Evidence: f.example(func(string) bool { return true }), Step: "fields " + shell("!"+selected(f.name))})
	}
	return out
}

func (s *sample) totalRows(f *field, cell string) Finding {
	return Finding{Kind: "total rows", Says: diag.Plural(int64(f.counts[cell]), "row") + " of totals among the data", Evidence: f.example(func(x string) bool { return x == cell }),
		Step: "where " + shell(fmt.Sprintf("%s != %q", inFormula(f.name), cell))}
}

// sumOfAll tells whether the last row is the sum of all others, and gives the field that names it.
func (s *sample) sumOfAll() (*field, bool) {
	last := len(s.rows) - 1
	if last < 3 {
		return nil, false
	}
	sums := 0
	var label *field
	for _, f := range s.fields {
		amounts := f.amounts()
		c := f.cells[last]
		if amounts == nil {
			if label == nil && c != "" && f.counts[c] == 1 {
				label = f
			}
			continue
		}
		if _, ok := number(c); !ok {
			continue
		}
		sum, err := decimal.D{}, error(nil)
		for _, d := range amounts[:last] {
			if sum, err = sum.Add(d); err != nil {
				return nil, false
			}
		}
		if sum.Cmp(amounts[last]) != 0 {
			return nil, false
		}
		if sum.Sign() != 0 {
			sums++
		}
	}
	return label, label != nil && sums > 0 && (sums > 1 || last > 4)
}

// sumOfLast gives of how many fields, those that stand last, a field is the sum in each row; 0 where it is of none.
func sumOfLast(numbers [][]decimal.D, of []decimal.D) int {
	sums := make([]decimal.D, len(of))
	for n := 1; n <= len(numbers); n++ {
		same, telling := true, 0
		for r, d := range numbers[len(numbers)-n] {
			var err error
			if sums[r], err = sums[r].Add(d); err != nil {
				return 0
			}
			same = same && sums[r].Cmp(of[r]) == 0
			if of[r].Sign() != 0 && d.Sign() != 0 {
				telling++
			}
		}
		if same && n > 1 && telling > 2 {
			return n
		}
	}
	return 0
}
