package inspect

import (
	"math"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"revuelta/internal/decimal"
	"revuelta/internal/format"
)

// commentedHeader tells a header that was looked for, and found in a line that begins with #, as others about it do, below nothing
// else, or below rows in which more stands.
func commentedHeader(l *format.Sample) bool {
	h := l.Header
	if h.From < 2 || h.From > len(l.First) {
		return false
	}
	n, others := 0, 0
	for i, r := range l.First {
		if i < h.From-1 && filledCells(r.Cells) > filledCells(l.First[h.From-1].Cells) { // that is no title
			return true
		}
		switch {
		case hashed(r.Cells):
			n++
		case i < h.From-1 && len(r.Cells) > 0:
			others++
		}
	}
	return n > 1 && (hashed(l.First[h.From-1].Cells) || others == 0)
}

// namesReturn tells header rows, looked for and found, whose names stand beneath them too, as those of lines of several kinds do.
func namesReturn(l *format.Sample) bool {
	h := l.Header
	if h.From < 1 || h.To > len(l.First) || h.From == h.To && h.From == 1 {
		return false
	}
	rows, _ := l.Data()
	for _, r := range l.First[h.From-1 : h.To] {
		again, names := 0, 0
		for i, c := range r.Cells {
			if c = strings.TrimSpace(c); c == "" || i >= len(l.Names) {
				continue
			}
			names++
			if slices.ContainsFunc(rows, func(row []string) bool { return strings.TrimSpace(row[i]) == c && !repeats(row, r.Cells) }) {
				again++
			}
		}
		if again > 1 && share(again, names, 0.4) {
			return true
		}
	}
	return false
}

func hashed(cells []string) bool {
	return len(cells) > 0 && strings.HasPrefix(strings.TrimSpace(cells[0]), "#")
}

// likeBeneath tells a row above the data that is one of those beneath it: something stands in as many cells, and over numbers numbers.
func likeBeneath(l *format.Sample) bool {
	rows := filledRows(l)
	if len(rows) < 2 {
		return false
	}
	numbers, texts := 0, 0
	for i, c := range rows[0] {
		if c = strings.TrimSpace(c); c == "" {
			continue
		}
		_, number := decimal.Parse(c)
		if number {
			numbers++
		}
		for _, r := range rows[1:] {
			if i >= len(r) || strings.TrimSpace(r[i]) == "" {
				continue
			}
			if _, ok := decimal.Parse(strings.TrimSpace(r[i])); ok != number {
				return false
			}
			if !number && strings.TrimSpace(r[i]) == c {
				texts++
				break
			}
		}
	}
	return numbers > 1 || numbers+texts > 2
}

// otherwiseParted tells a first row in one cell, whose words are parted by another character than the rows beneath it.
func otherwiseParted(l *format.Sample) bool {
	rows := filledRows(l)
	if len(rows) < 2 || strings.ContainsAny(strings.TrimSpace(rows[0].first()), " .") || slices.ContainsFunc(rows[0][1:], func(c string) bool { return c != "" }) {
		return false
	}
	return slices.ContainsFunc([]string{":", ";", "|", "\t"}, func(by string) bool {
		return strings.Count(rows[0].first(), by) > 1 && strings.Contains(strings.Join(rows[1], ""), by)
	})
}

// namesAreData tells a header that is a row of numbers as those beneath it, and counts nothing, as years would: with decimals
// or signs in several cells, or the same number twice.
func namesAreData(l *format.Sample) bool {
	rows, _ := l.Data()
	if l.Header.From == 0 || l.Header.To > l.Header.From || len(rows) < 1 || l.Header.From > len(l.First) {
		return false
	}
	header := l.First[l.Header.From-1].Cells
	if slices.ContainsFunc(header, func(c string) bool { return strings.HasSuffix(strings.TrimSpace(c), ":") }) && !slices.ContainsFunc(rows[0], func(c string) bool { return strings.HasSuffix(c, ":") }) {
		return false // it says what stands behind it
	}
	if pairedAlike(l, rows) {
		return true
	}
	if wordAbove(header, rows) {
		return false
	}
	numbers, telling := 0, 0
	grows, before := true, 0.0
	seen := map[string]bool{}
	for i, c := range l.First[l.Header.From-1].Cells {
		c = strings.TrimSpace(c)
		d, number := decimal.Parse(c)
		if !number {
			continue
		}
		for _, r := range rows[:min(len(rows), 50)] {
			if i < len(r) && strings.TrimSpace(r[i]) != "" {
				if _, ok := decimal.Parse(strings.TrimSpace(r[i])); !ok {
					return false
				}
			}
		}
		grows = grows && (numbers == 0 || d.Float() > before)
		before = d.Float()
		numbers++
		if strings.ContainsAny(c, ".eE") || c[0] == '-' {
			telling++
		}
		if seen[c] {
			telling += 2
		}
		seen[c] = true
	}
	alone := numbers == 1 && telling == 1 && len(rows) > 4 // a number with a decimal point over numbers is no name
	return telling > 0 && (telling > 1 || numbers == len(l.Names)) && !(grows && numbers > 2) || alone || among(l, rows) || codesAbove(l, rows) || recurring(l, rows) || goesOn(l, rows) || shapedAlike(l, rows) || numbersOnly(l, rows) || inOrder(l, rows) || addressed(l, rows)
}

// goesOn tells a header that begins what goes on beneath it: its first cell is the number before those of the rows, 1 above 2, 3, 4.
func goesOn(l *format.Sample, rows [][]string) bool {
	header := l.First[l.Header.From-1].Cells
	n, err := strconv.Atoi(strings.TrimSpace(header[0]))
	if err != nil || len(rows) < 4 {
		return false
	}
	for k, r := range rows[:min(len(rows), 50)] {
		if at, err := strconv.Atoi(strings.TrimSpace(r[0])); err != nil || at != n+1+k {
			return false
		}
	}
	return slices.ContainsFunc(header[1:], func(c string) bool { return !isNumber(strings.TrimSpace(c)) }) // else the numbers may be names
}

// pairedAlike tells a header with the same text in two cells, but for case and signs, where many rows have the same in both of theirs, or
// the one in the other.
func pairedAlike(l *format.Sample, rows [][]string) bool {
	header := l.First[l.Header.From-1].Cells
	if len(rows) < 5 {
		return false
	}
	before := map[string]int{} // the first field of a name
	for i, c := range header {
		name := lettersOf(c)
		if name == "" || i >= len(l.Names) {
			continue
		}
		k, again := before[name]
		if !again {
			before[name] = i
			continue
		}
		same, distinct := 0, map[string]bool{}
		for _, r := range rows {
			a, b := lettersOf(r[k]), lettersOf(r[i])
			if len(a) > 1 && len(b) > 1 && strings.ContainsFunc(a, unicode.IsLetter) && (strings.Contains(b, a) || strings.Contains(a, b)) {
				same++
				distinct[a] = true
			}
		}
		if share(same, len(rows), 0.3) && 2*len(distinct) > same { // not the same word for what is missing
			return true
		}
	}
	return false
}

// lettersOf are the letters and digits of a text, in small ones.
func lettersOf(s string) string {
	return strings.Map(func(r rune) rune {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return -1
		}
		return unicode.ToLower(r)
	}, s)
}

// inOrder tells a header whose first cell is the first of those beneath it, which stand in order, nearly all, and are of its shape.
func inOrder(l *format.Sample, rows [][]string) bool {
	before := strings.TrimSpace(l.First[l.Header.From-1].Cells[0])
	shape, _, _ := shapeOf(before)
	if shape == "" || len(rows) < 20 {
		return false
	}
	rows = rows[:min(len(rows), 500)]
	order := 0
	for k, r := range rows {
		c := strings.TrimSpace(r[0])
		if s, _, _ := shapeOf(c); s != shape || k == 0 && c <= before {
			return false
		}
		if c > before {
			order++
		}
		before = c
	}
	return share(order, len(rows), 0.95)
}

// addressed tells a header with an address of a person or a page above such addresses.
func addressed(l *format.Sample, rows [][]string) bool {
	address := func(c string) bool {
		at := strings.IndexByte(c, '@')
		return at > 0 && strings.IndexByte(c[at:], '.') > 1 && !strings.ContainsAny(c, " ,;") || strings.HasPrefix(c, "http://") || strings.HasPrefix(c, "https://")
	}
	for i, c := range l.First[l.Header.From-1].Cells {
		if i < len(l.Names) && len(rows) > 1 && address(c) && !slices.ContainsFunc(rows[:min(len(rows), 50)], func(r []string) bool { return r[i] != "" && !address(r[i]) }) {
			return true
		}
	}
	return false
}

// namingToo are words that end the names of fields, beside those of naming; wholeNames are names of fields by themselves.
var (
	namingToo  = []string{"value", "description", "date", "year", "country", "unit", "comment", "note"}
	wholeNames = lazyWords(`city town state county region province district street address zip postcode phone email url link website title author language
		category group class family genus species sex gender age status level rank role color colour size weight height length width depth area volume price cost
		amount count number quantity qty percent rate ratio score points min max mean median start end begin stop from to first last time day month hour minute
		latitude longitude lat lon lng file path folder source target symbol synonym word term meaning definition translation text message remark reference ref
		version model brand product item sku order customer client company organisation department team player position sample subject participant patient
		treatment dose gene protein chromosome chr strand sequence accession taxon question answer option default parameter variable property field column command reason package object
		abbreviation currency capital continent kind section chapter page id uid name code no key type label`)
)

func lazyWords(words string) func() map[string]bool {
	return sync.OnceValue(func() map[string]bool {
		all := map[string]bool{}
		for _, w := range strings.Fields(words) {
			all[w] = true
		}
		return all
	})
}

// namesProved tells a header that can't be a row of data: a word stands above numbers or dates, or one that names things, or texts that
// have nothing of those beneath them; or there is none, or it is short of the one name above the labels of the rows, or is marked.
func namesProved(l *format.Sample, o format.ReadOptions) bool {
	rows, _ := l.Data()
	if l.Header.From == 0 || len(rows) == 0 || o.First != "" {
		return true
	}
	rows = rows[:min(len(rows), 500)]
	header := l.First[l.Header.From-1].Cells
	if first := strings.TrimSpace(header[0]); len(l.Names) > 1 && len(rows) > 1 && (first == "" || first[0] == '#') && !slices.ContainsFunc(rows, func(r []string) bool {
		c := strings.TrimSpace(r[0])
		return c == "" || c[0] == '#'
	}) { // nothing above labels, or a mark
		return true
	}
	all, least := 1.0, 1.0
	for i, n := range l.Names {
		if i >= len(header) || strings.TrimSpace(header[i]) == "" {
			n = ""
		} else if isNumber(n) || isDate(n) {
			continue
		}
		if namesThings(n) {
			return true
		}
		telling, filled := 0, 0
		for _, r := range rows {
			if c := strings.TrimSpace(r[i]); c != "" {
				filled++
				if isNumber(strings.TrimSuffix(c, ".")) || isDate(c) {
					telling++
				}
			}
		}
		if share(telling, filled, 0.8) && filled > 0 && n != "" && !slices.ContainsFunc(rows, func(r []string) bool { return strings.TrimSpace(r[i]) == n }) {
			return true
		}
		if i >= mostWeighed || n != "" && !strings.ContainsFunc(n, unicode.IsLetter) {
			continue
		}
		p := chance(n, rows, i)
		all, least = all*p, min(least, p)
	}
	return all <= 0.06 && least <= 0.15
}

// mostWeighed is how many fields are weighed against their cells: if those prove nothing, others hardly will.
const mostWeighed = 100

// namesThings tells a word, or several written as one, that names fields: customer_id, SampleID, name_old.
func namesThings(name string) bool {
	words := wordsOf(name)
	if keyWord(name) || len(words) > 0 && !slices.ContainsFunc(words, func(w string) bool { return !wholeNames()[w] }) {
		return true
	}
	for i, w := range words {
		if (i == len(words)-1 || !strings.Contains(name, " ")) && (slices.Contains(naming, w) || slices.Contains(namingToo, w)) {
			return true
		}
	}
	return false
}

// wordsOf parts a name into words, in small letters: at what is no letter, and where a capital follows a small one.
func wordsOf(name string) []string {
	var b strings.Builder
	before := ' '
	for _, r := range name {
		switch {
		case !unicode.IsLetter(r):
			r = ' '
		case unicode.IsUpper(r) && unicode.IsLower(before):
			b.WriteRune(' ')
		}
		before = r
		b.WriteRune(unicode.ToLower(r))
	}
	return strings.Fields(b.String())
}

// chance is how likely a text would be that stands above the cells of a field if it were one of them: as likely as something new is
// among them, which is about the share of what stands there once (Good and Turing's estimate). It is looked for in the cell itself, in
// its shapes, its length, whether it has numbers and what it begins with; 10 where it stands there too, 1 where it is like others.
func chance(name string, rows [][]string, field int) float64 {
	name = strings.TrimSpace(name)
	cells := make([]string, 0, len(rows))
	for _, r := range rows {
		if c := strings.TrimSpace(r[field]); c != "" {
			cells = append(cells, c)
		}
	}
	if name == "" {
		return (float64(len(rows)-len(cells)) + 0.5) / float64(len(rows)+1)
	}
	if slices.Contains(cells, name) {
		return 10
	}
	least := 1.0
	for _, of := range []func(string) string{
		func(c string) string { return c },
		func(c string) string { exact, _, _ := shapeOf(c); return exact },
		func(c string) string { _, loose, _ := shapeOf(c); return loose },
		func(c string) string { return strconv.Itoa(utf8.RuneCountInString(c)) },
		func(c string) string { return strconv.FormatBool(strings.ContainsFunc(c, unicode.IsDigit)) },
		func(c string) string { exact, _, _ := shapeOf(c[:1]); return exact },
	} {
		seen := map[string]int{}
		for _, c := range cells {
			seen[of(c)]++
		}
		if seen[of(name)] > 0 {
			continue
		}
		once := 0
		for _, n := range seen {
			if n == 1 {
				once++
			}
		}
		least = min(least, (float64(once)+0.5)/float64(len(cells)+1))
	}
	return least
}

// wordAbove tells a header with a word above numbers alone: it is no row of data, whatever stands beside it.
func wordAbove(header []string, rows [][]string) bool {
	for i, c := range header {
		c = strings.TrimSpace(c)
		if !strings.ContainsFunc(c, unicode.IsLetter) || isNumber(c) || isDate(c) || slices.Contains(missing, strings.ToLower(c)) || slices.Contains(missing, c) {
			continue
		}
		numbers := 0
		for _, r := range rows[:min(len(rows), 500)] {
			if i < len(r) && isNumber(strings.TrimSpace(r[i])) {
				numbers++
			}
		}
		if numbers > 2 && numbers == min(len(rows), 500) {
			return true
		}
	}
	return false
}

// numbersOnly tells a header that is a number, and no year, above the numbers of the only field.
func numbersOnly(l *format.Sample, rows [][]string) bool {
	if len(l.Names) != 1 || len(rows) < 5 {
		return false
	}
	n, ok := decimal.Parse(strings.TrimSpace(l.First[l.Header.From-1].Cells[0]))
	if year := n.Float(); !ok || year == math.Trunc(year) && year >= 1800 && year <= 2100 {
		return false
	}
	return !slices.ContainsFunc(rows, func(r []string) bool { return r[0] != "" && !isNumber(strings.TrimSpace(r[0])) })
}

// shapedAlike tells a header with a text that is shaped as each beneath it, in so many characters, or with so many numbers in it, that
// no name of a field would be by chance; or the one text that all rows have, in half of the fields.
func shapedAlike(l *format.Sample, rows [][]string) bool {
	if len(rows) < 10 {
		return false
	}
	rows = rows[:min(len(rows), 500)]
	always := 0
	for i, c := range l.First[l.Header.From-1].Cells {
		if c = strings.TrimSpace(c); c == "" || i >= len(l.Names) || isNumber(c) || isDate(c) {
			continue
		}
		exact, loose, numbers := shapeOf(c)
		sameExact, sameLoose, same := 0, 0, 0
		distinct := map[string]bool{}
		for _, r := range rows {
			cell := strings.TrimSpace(r[i])
			distinct[cell] = true
			e, l, _ := shapeOf(cell)
			if e == exact {
				sameExact++
			}
			if l == loose {
				sameLoose++
			}
			if cell == c {
				same++
			}
		}
		if 2*len(distinct) > len(rows) && (len(c) > 7 && numbers > 0 && sameExact == len(rows) || numbers > 2 && share(sameLoose, len(rows), 0.9) || numbers > 3 && sameLoose >= 10) {
			return true
		}
		if same == len(rows) {
			always++
		}
	}
	return always > 0 && 2*always >= len(l.Names) && len(rows) >= 20
}

// shapeOf gives what kinds of characters stand in a text, one by one and in runs, and how many numbers it has; "" where nothing in it is a
// letter, and few numbers.
func shapeOf(c string) (exact, loose string, numbers int) {
	var one, runs strings.Builder
	letter := false
	before := rune(0)
	for _, r := range c {
		switch {
		case unicode.IsDigit(r):
			if r = '9'; before != r {
				numbers++
			}
		case unicode.IsUpper(r):
			r, letter = 'A', true
		case unicode.IsLetter(r):
			r, letter = 'a', true
		}
		one.WriteRune(r)
		if r != before {
			runs.WriteRune(r)
		}
		before = r
	}
	if !letter && (numbers < 4 || !strings.Contains(c, " ")) { // two places of the globe are no name either
		return "", "", 0
	}
	return one.String(), runs.String(), numbers
}

// recurring tells a header most of whose names stand beneath it too, each in its own field, in rows that do not repeat the header: two
// at least, or the only ones there are.
func recurring(l *format.Sample, rows [][]string) bool {
	if len(rows) < 4 || len(l.Names) < 3 {
		return false
	}
	header := l.First[l.Header.From-1].Cells
	names, again, always := 0, 0, 0
	for i, c := range header {
		if c = strings.TrimSpace(c); c == "" || i >= len(l.Names) {
			continue
		}
		names++
		if !slices.ContainsFunc(rows[:min(len(rows), 500)], func(r []string) bool { return strings.TrimSpace(r[i]) != c }) {
			always++
		}
		if slices.ContainsFunc(rows[:min(len(rows), 500)], func(r []string) bool {
			return strings.TrimSpace(r[i]) == c && !repeats(r, header)
		}) {
			again++
		}
	}
	return again > 2 && share(again, names, 0.6) || again == 2 && names <= 3 || always > 1
}

// repeats tells a row that has nearly all of the header's cells.
func repeats(row, header []string) bool {
	same, all := 0, 0
	for i, c := range header {
		if c = strings.TrimSpace(c); c != "" && i < len(row) {
			all++
			if strings.TrimSpace(row[i]) == c {
				same++
			}
		}
	}
	return 20*same >= 17*all
}

// among tells a header that could be any row beneath it: over numbers a number, among them in one field at least, or a text that stands
// there too. Years, and numbers that grow by the same step, are names.
func among(l *format.Sample, rows [][]string) bool {
	if len(rows) < 3 || len(l.Names) == 1 && len(rows) < 10 {
		return false
	}
	var numbers []float64
	inside, texts := 0, 0
	for i, c := range l.First[l.Header.From-1].Cells {
		c = strings.TrimSpace(c)
		d, number := decimal.Parse(c)
		below, above, same := false, false, false
		for _, r := range rows[:min(len(rows), 500)] {
			x, ok := decimal.Parse(strings.TrimSpace(r[i]))
			switch {
			case number && !ok:
				return false
			case number:
				below, above = below || x.Cmp(d) <= 0, above || x.Cmp(d) >= 0
			default:
				same = same || strings.TrimSpace(r[i]) == c
			}
		}
		switch {
		case c == "" || !number && !same:
			return false
		case !number:
			texts++
		default:
			numbers = append(numbers, d.Float())
			if below && above {
				inside++
			}
		}
	}
	if inside == len(numbers) && inside > 0 {
		return true
	}
	even, years := true, true
	for i, n := range numbers {
		even = even && (i < 2 || n-numbers[i-1] == numbers[1]-numbers[0])
		years = years && n == math.Trunc(n) && n >= 1900 && n <= 2100
	}
	return len(numbers) > 1 && inside+texts > 0 && !years && (len(numbers) == 2 || !even)
}

// codesAbove tells a header whose first cell begins with a digit, as nearly all beneath it, which are no numbers: it is one of those codes.
func codesAbove(l *format.Sample, rows [][]string) bool {
	h := strings.TrimSpace(l.First[l.Header.From-1].Cells[0])
	digit := func(c string) bool { return c != "" && c[0] >= '0' && c[0] <= '9' }
	if len(rows) < 5 || len(h) < 2 || !digit(h) || timeKind(h) != "" {
		return false
	}
	codes, all := 0, 0
	for _, r := range rows[:min(len(rows), 500)] {
		c := strings.TrimSpace(r[0])
		if !digit(c) {
			return false
		}
		if all++; !isNumber(c) && !isDate(c) {
			codes++
		}
	}
	return share(codes, all, 0.5)
}
