package inspect

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/selection"
)

// namesFields tells a row of words over fields of numbers, as headers are that stand again among the data.
func (s *sample) namesFields(row []string) bool {
	words, numbers := 0, 0
	for i, f := range s.fields {
		if c := row[i]; c != "" && share(f.numbers, f.filled, 0.8) {
			if isNumber(c) {
				numbers++
			} else {
				words++
			}
		}
	}
	return words > 1 && numbers == 0
}

// duplicates finds rows that stand twice.
func (s *sample) duplicates() []Finding {
	if len(s.fields) == 2 && s.namesAndValues() != nil {
		return nil // persons who answered the same
	}
	if slices.ContainsFunc(s.fields, func(f *field) bool { return len(f.order) == len(s.rows) }) {
		return nil // a field tells them all apart
	}
	if !slices.ContainsFunc(s.fields, func(f *field) bool {
		return f.filled > 0 && f.numbers < f.filled || keyWord(f.name) || f.at == 0 && f.countsUp()
	}) {
		return nil // numbers alone, as of a series
	}
	seen := map[string]int{}
	n, first, again := 0, 0, 0
	for r, row := range s.rows {
		key := strings.Join(row, "\x00")
		if before, ok := seen[key]; ok {
			if s.namesFields(row) {
				continue
			}
			if n == 0 {
				first, again = before, s.lines[r]
			}
			n++
			continue
		}
		seen[key] = s.lines[r]
	}
	// Rows that a field blank under its label makes equal are none, nor are short rows of numbers and a few words.
	if n == 0 || len(s.rows) < 5 && !s.tellsRows() || len(s.fields) < 2 || s.blankRuns() != nil || !s.tellsRows() && s.equalByChance() > 0.001 || share(n, len(s.rows), 0.5) {
		return nil
	}
	evidence := ""
	if first > 0 && again > 0 {
		evidence = fmt.Sprintf("lines %d and %d", first, again)
	}
	return []Finding{{Kind: "duplicate rows", Says: diag.Plural(int64(n), "row") + map[bool]string{true: " stands twice", false: " stand twice"}[n == 1], Evidence: evidence, Part: Decide, Question: "were they entered twice?", Step: "distinct", claim: copiesLeft}}
}

// tellsRows tells whether the cells of a row would tell it from most others: one field at least has a different cell in nearly every row.
func (s *sample) tellsRows() bool {
	return slices.ContainsFunc(s.fields, func(f *field) bool {
		if slices.ContainsFunc(f.cells, func(c string) bool { return strings.Contains(c, ".") && isNumber(c) }) { // a measure
			return false
		}
		different := len(f.order)
		if f.counts == nil {
			seen := map[string]bool{}
			for _, c := range f.cells {
				seen[c] = true
			}
			different = len(seen)
		}
		return (f.at == 0 && f.inOrder() || keyWord(f.name)) && share(different, len(s.rows), 0.7) || share(different, len(s.rows), 0.95)
	})
}

// inOrder tells whether the cells are codes, or numbers that do not fall, as those that count rows.
func (f *field) inOrder() bool {
	if f.numbers < f.filled {
		return true
	}
	before := decimal.D{}
	for r, c := range f.cells {
		d, ok := decimal.Parse(c)
		if ok && r > 0 && d.Cmp(before) < 0 {
			return false
		}
		before = d
	}
	return true
}

// countsUp tells whether the cells are numbers, each that before it or one more.
func (f *field) countsUp() bool {
	before := 0
	for r, c := range f.cells {
		n, err := strconv.Atoi(c)
		if err != nil || r > 0 && n != before && n != before+1 {
			return false
		}
		before = n
	}
	return true
}

// equalByChance is how many pairs of equal rows are to be expected where the fields have nothing to do with each other.
func (s *sample) equalByChance() float64 {
	pairs := float64(len(s.rows)) * float64(len(s.rows)) / 2
	for _, f := range s.fields {
		counts := map[string]int{}
		for _, c := range f.cells {
			counts[c]++
		}
		equal := 0.0
		for _, n := range counts {
			part := float64(n) / float64(len(s.rows))
			equal += part * part
		}
		pairs *= equal
	}
	return pairs
}

// keyWord tells the name of a field that names rows.
func keyWord(name string) bool {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return r == ' ' || r == '_' || r == '-' || r == '.' })
	return len(words) > 0 && slices.Contains([]string{"id", "key", "code", "no", "nr", "number", "ref"}, words[len(words)-1])
}

// duplicateKeys finds a field that names rows, but for a few names that stand twice, in rows that differ.
func (s *sample) duplicateKeys() []Finding {
	for i, f := range s.fields {
		if i > 0 && !keyWord(f.name) || len(s.fields) < 2 || f.filled < 10 || f.filled != len(s.rows) || f.dates > 0 {
			continue
		}
		lines := map[string][]int{}
		twice, digits := "", 0
		for r, c := range f.cells {
			if lines[c] = append(lines[c], s.lines[r]); len(lines[c]) == 2 && twice == "" {
				twice = c
			}
			if strings.ContainsAny(c, "0123456789") && !strings.ContainsAny(c, ".,") {
				digits++
			}
		}
		if twice == "" || !share(len(lines), len(s.rows), 0.9) || digits < f.filled {
			continue
		}
		rows := map[string]bool{}
		for _, row := range s.rows {
			rows[strings.Join(row, "\x00")] = true
		}
		if len(lines) >= len(rows) { // what stands again is whole rows
			continue
		}
		evidence := diag.Quote(twice)
		if at := lines[twice]; at[0] > 0 && at[1] > 0 {
			evidence += fmt.Sprintf(" in %ss %d and %d", diag.LineOf(s.lie.Name), at[0], at[1])
		}
		return []Finding{{Kind: "duplicate keys", Part: Told, Fields: []string{f.name}, Says: fmt.Sprintf("%s seems to name the rows, but %s in rows that differ", diag.Quote(f.name), stand(len(s.rows)-len(lines))),
			Evidence: evidence, Question: "which of them is right? assert --unique " + Shell(selection.Written(f.name)) + " stops at them"}}
	}
	return nil
}

func stand(n int) string {
	if n == 1 {
		return "1 stands again"
	}
	return diag.Count(int64(n)) + " stand again"
}
