package inspect

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/selection"
)

// totalWord tells a text that begins with a word for a total.
func totalWord(s string) bool {
	first, rest, _ := strings.Cut(strings.ToLower(s), " ")
	if first == "grand" {
		first, _, _ = strings.Cut(rest, " ")
	}
	first = first[:len(first)-len(strings.TrimLeftFunc(first, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || r == '_' }))]
	return slices.Contains(totalWords, first)
}

var totalWords = []string{"total", "sum", "totals", "subtotal", "gesamt", "summe"}

// isTotal tells a cell of a field that names a total: by its first word, or by the last behind another cell of the field.
func (f *field) isTotal(c string) bool {
	if f.counts[c]*2 >= f.filled {
		return false
	}
	if totalWord(c) {
		return true
	}
	at := strings.LastIndexByte(c, ' ')
	return at > 0 && f.counts[c[:at]] > 0 && slices.Contains(totalWords, strings.ToLower(c[at+1:]))
}

// totalsIn are the fields that may name totals.
func (s *sample) totalsIn() []*field {
	if len(s.fields) < 2 {
		return nil
	}
	return slices.DeleteFunc(slices.Clone(s.fields[:min(3, len(s.fields))]), func(f *field) bool { return share(f.numbers, f.filled, 0.5) })
}

// totalRows tells which rows are named totals.
func (s *sample) totalRows() []bool {
	out := make([]bool, len(s.rows))
	for _, f := range s.totalsIn() {
		for r, c := range f.cells {
			out[r] = out[r] || c != "" && f.isTotal(c)
		}
	}
	return out
}

// number reads a number also where it has a decimal comma or grouped digits.
func number(c string) (decimal.D, bool) {
	if c == "" || c[0] > '9' {
		return decimal.D{}, false
	}
	d, ok := decimal.Parse(c)
	if ok || !commaDecimal().MatchString(c) {
		return d, ok
	}
	return decimal.Parse(strings.NewReplacer(".", "", "'", "", " ", "", "\u00a0", "", "\u202f", "", ",", ".").Replace(c))
}

// amounts are the numbers of a field in its first rows; nil where most of the cells are none.
func (f *field) amounts(most int) []decimal.D {
	cells := f.cells[:min(most, len(f.cells))]
	out := make([]decimal.D, len(cells))
	n, filled := 0, 0
	for r, c := range cells {
		if c == "" {
			continue
		}
		filled++
		if d, ok := number(c); ok {
			out[r] = d
			n++
		} else if filled-n > len(cells)/10 {
			return nil
		}
	}
	if !share(n, filled, 0.9) || n < 3 {
		return nil
	}
	return out
}

// totals finds rows and fields that hold sums of others.
func (s *sample) totals() []Finding {
	var out []Finding
	for _, f := range s.totalsIn() {
		cells := slices.DeleteFunc(slices.Clone(f.order), func(c string) bool { return !f.isTotal(c) })
		if len(cells) == 0 {
			continue
		}
		x := f.totalRows(cells)
		if !s.addUp(f, cells) { // nothing proves that they are sums
			if !slices.ContainsFunc(cells, f.namesTotal) {
				continue
			}
			x.Part, x.Step, x.Question = Told, "", "are these sums of other rows? No rows above them add up to them"
		}
		out = append(out, x)
	}
	if len(out) == 0 && s.whole {
		if f, ok := s.sumOfAll(); ok {
			out = append(out, f.totalRows(f.cells[len(s.rows)-1:]))
		}
	}
	var numbers [][]decimal.D // of the fields since the last without
	for i, f := range s.fields {
		amounts := f.amounts(mostRowsSummed)
		if amounts == nil {
			numbers = nil
			continue
		}
		said, proved := "", false
		if i > 1 && totalWord(f.name) {
			said = " seems to hold totals of other fields"
		}
		least := 12
		if totalWord(f.name) || lastIsTotal(f.name) {
			least = 4
		}
		if n := sumOfLast(numbers, amounts, least); n > 0 {
			said, proved = fmt.Sprintf(" holds the sum of the %d fields before it", n), true
		}
		if said == "" {
			numbers = append(numbers, amounts)
			continue
		}
		x := Finding{Kind: "total fields", Fields: []string{f.name}, Says: diag.Quote(f.name) + said, Evidence: f.example(func(string) bool { return true }), Step: "fields " + Shell("!"+selection.Written(f.name))}
		if !proved && len(numbers) < 2 { // there is nothing to add up
			numbers = append(numbers, amounts)
			continue
		}
		if !proved {
			x.Part, x.Step, x.Question = Told, "", "is it one? The fields before it do not add up to it"
		} else if !totalWord(f.name) && !lastIsTotal(f.name) {
			x.Part, x.Step, x.Question = Told, "", "is it the total of them? It is not named so"
		}
		out = append(out, x)
	}
	return out
}

// lastIsTotal tells a name that ends with a word for a total.
func lastIsTotal(name string) bool {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !unicode.IsLetter(r) })
	return len(words) > 0 && slices.Contains(totalWords, words[len(words)-1])
}

// totalRows is the finding of rows that some cells of a field name. What several have in common is told by a pattern,
// where it fits no other cell.
func (f *field) totalRows(cells []string) Finding {
	n := 0
	for _, c := range cells {
		n += f.counts[c]
	}
	var keep []string
	done := map[string]bool{}
	for _, c := range cells {
		if done[c] {
			continue
		}
		words := strings.Fields(c)
		if len(words) == 0 { // it is told by its sums, and has no name
			keep = append(keep, fmt.Sprintf("%s != %q", inFormula(f.name), c))
			continue
		}
		first, last := words[0]+" ", " "+words[len(words)-1]
		with := func(fits func(string) bool) bool {
			here := slices.DeleteFunc(slices.Clone(f.order), func(c string) bool { return !fits(c) })
			if len(words) < 2 || len(here) < 2 || slices.ContainsFunc(here, func(c string) bool { return !slices.Contains(cells, c) }) {
				return false
			}
			for _, c := range here {
				done[c] = true
			}
			return true
		}
		switch name := inFormula(f.name); {
		case !strings.ContainsAny(first, "{}") && with(func(c string) bool { return strings.HasPrefix(c, first) && len(c) > len(first) }):
			keep = append(keep, fmt.Sprintf("not fits(%s, %q)", name, first+"{_}"))
		case !strings.ContainsAny(last, "{}") && with(func(c string) bool { return strings.HasSuffix(c, last) && len(c) > len(last) }):
			keep = append(keep, fmt.Sprintf("not fits(%s, %q)", name, "{_}"+last))
		default:
			keep = append(keep, fmt.Sprintf("%s != %q", name, c))
		}
	}
	return Finding{Kind: "total rows", Says: diag.Plural(int64(n), "row") + " of totals among the data", Evidence: f.example(func(x string) bool { return x == cells[0] }),
		Part: Decide, Question: "are these sums of other rows? They would leave", Fields: []string{f.name}, Step: "where " + Shell(strings.Join(keep, " and "))}
}

// namesTotal tells a cell that names a total by itself: of words for totals alone, or with another cell of the field.
func (f *field) namesTotal(c string) bool {
	words := strings.FieldsFunc(strings.ToLower(c), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	words = slices.DeleteFunc(words, func(w string) bool { return slices.Contains(totalWords, w) || w == "grand" || w == "of" || w == "for" })
	rest := strings.Join(words, " ")
	return rest == "" || slices.ContainsFunc(f.order, func(o string) bool { return !f.isTotal(o) && strings.EqualFold(o, rest) })
}

// addUp tells whether every row of totals holds in each field of numbers the sum of the rows above it back to the total before, or of
// all rows that are none, or of those of the same label.
func (s *sample) addUp(f *field, cells []string) bool {
	total := make([]bool, len(s.rows))
	for r, c := range f.cells {
		total[r] = slices.Contains(cells, c)
	}
	sums := func(r int, in func(q int) bool) bool {
		some := false
		for _, g := range s.fields {
			want, ok := number(g.cells[r])
			if g == f || !ok || !share(g.numbers, g.filled, 0.5) && g.amounts(len(s.rows)) == nil {
				continue
			}
			sum, n := decimal.D{}, 0
			for q, c := range g.cells {
				if d, ok := number(c); ok && !total[q] && in(q) {
					var err error
					if sum, err = sum.Add(d); err != nil {
						return false
					}
					n++
				}
			}
			if n == 0 || sum.Cmp(want) != 0 {
				return false
			}
			some = some || n > 1 || len(cells) > 1
		}
		return some
	}
	for r := range total {
		if !total[r] {
			continue
		}
		above := r - 1
		for above >= 0 && !total[above] {
			above--
		}
		label := strings.ToLower(f.cells[r])
		if !sums(r, func(q int) bool { return q < r && q > above }) && !sums(r, func(int) bool { return true }) &&
			!sums(r, func(q int) bool { return f.cells[q] != "" && strings.Contains(label, strings.ToLower(f.cells[q])) }) {
			return false
		}
	}
	return true
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
		amounts := f.amounts(len(s.rows))
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

const (
	mostSummed     = 60 // fields that are tried as parts of a sum
	mostRowsSummed = 100
)

// sumOfLast gives of how many fields, those that stand last, a field is the sum in each row; 0 where it is of none. least: how many numbers must go in.
func sumOfLast(numbers [][]decimal.D, of []decimal.D, least int) int {
	first := slices.IndexFunc(of, func(d decimal.D) bool { return d.Sign() != 0 })
	if first < 0 {
		return 0
	}
	sum := decimal.D{}
	for n := 1; n <= min(len(numbers), mostSummed); n++ {
		var err error
		if sum, err = sum.Add(numbers[len(numbers)-n][first]); err != nil {
			return 0
		}
		if n > 1 && sum.Cmp(of[first]) == 0 && sumsUp(numbers[len(numbers)-n:], of, least) {
			return n
		}
	}
	return 0
}

// sumsUp tells whether a field is the sum of others in each row, in least numbers or more.
func sumsUp(numbers [][]decimal.D, of []decimal.D, least int) bool {
	telling := 0
	sums := map[float64]bool{} // few small ones add up by chance
	for r, want := range of {
		sums[want.Float()] = true
		sum := decimal.D{}
		for _, d := range numbers {
			var err error
			if sum, err = sum.Add(d[r]); err != nil {
				return false
			}
		}
		if sum.Cmp(want) != 0 {
			return false
		}
		if want.Sign() != 0 && numbers[0][r].Sign() != 0 {
			telling++
		}
	}
	return telling*len(numbers) >= least && (len(sums) > 2 || len(of) < 4)
}
