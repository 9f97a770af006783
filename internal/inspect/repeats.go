package inspect

import (
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
)

// duplicates finds rows that stand twice.
func (s *sample) duplicates() []Finding {
	if len(s.fields) == 2 && s.namesAndValues() != nil {
		return nil // persons who answered the same
	}
	if slices.ContainsFunc(s.fields, func(f *field) bool { return len(f.order) == len(s.rows) }) {
		return nil // a field tells them all apart
	}
	seen := map[string]int{}
	n, first, again := 0, 0, 0
	for r, row := range s.rows {
		key := strings.Join(row, "\x00")
		if before, ok := seen[key]; ok {
			if n == 0 {
				first, again = before, s.lines[r]
			}
			n++
			continue
		}
		seen[key] = s.lines[r]
	}
	if n == 0 || len(s.fields) < 2 {
		return nil
	}
	evidence := ""
	if first > 0 && again > 0 {
		evidence = fmt.Sprintf("lines %d and %d", first, again)
	}
	return []Finding{{Kind: "duplicate rows", Says: diag.Plural(int64(n), "row") + map[bool]string{true: " stands twice", false: " stand twice"}[n == 1], Evidence: evidence, Step: "distinct"}}
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
			evidence += fmt.Sprintf(" in lines %d and %d", at[0], at[1])
		}
		return []Finding{{Kind: "duplicate keys", Says: fmt.Sprintf("%s names the rows, but %s in rows that differ; distinct keeps the first of each", diag.Quote(f.name), stand(len(s.rows)-len(lines))),
			Evidence: evidence, Step: "distinct --by " + Shell(selected(f.name))}}
	}
	return nil
}

func stand(n int) string {
	if n == 1 {
		return "1 stands again"
	}
	return diag.Count(int64(n)) + " stand again"
}
