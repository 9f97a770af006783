package inspect

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
)

// blankRuns finds labels that stand once above the rows they are for.
func (s *sample) blankRuns() []Finding {
	var names []string
	evidence := ""
	var totals []bool // what is blank in a row of totals is no run
	for i, f := range s.fields[:min(3, len(s.fields))] {
		if len(s.rows) < 4 || f.filled < 2 || f.cells[0] == "" || !share(len(s.rows)-f.filled, len(s.rows), 0.3) || share(f.numbers, f.filled, 0.5) {
			continue
		}
		if s.shownAgain(f) {
			continue
		}
		if totals == nil {
			totals = s.totalRows()
		}
		blank, before, again, numbers, above := 0, "", false, 0, 0
		for r, c := range f.cells {
			if _, ok := number(c); ok { // with a decimal comma too
				numbers++
			}
			again = again || c != "" && c == before
			if c != "" {
				before = c
				if r+1 < len(f.cells) && f.cells[r+1] == "" {
					above++
				}
			} else if !totals[r] {
				blank++
			}
		}
		if !share(above, f.filled, 0.5) { // most stand above others: what is blank has none
			continue
		}
		if again || share(numbers, f.filled, 0.5) || !share(blank, len(s.rows), 0.3) { // a label that stands twice in turn needs no filling
			continue
		}
		whole := 0 // blank rows whose neighbour to the right is filled
		for r, c := range f.cells {
			if c == "" && !totals[r] && i+1 < len(s.fields) && slices.ContainsFunc(s.rows[r][i+1:], func(c string) bool { return c != "" }) {
				whole++
			}
		}
		if !share(whole, blank, 0.95) {
			continue
		}
		names = append(names, f.name)
		if evidence == "" {
			evidence = fmt.Sprintf("%s blank, below %s", of(blank, len(s.rows)), f.example(func(string) bool { return true }))
		}
	}
	if len(names) == 0 {
		return nil
	}
	are := map[bool]string{true: "is", false: "are"}[len(names) == 1]
	if s.lie.Unordered {
		return []Finding{{Kind: "blank runs", Part: Told, Says: fmt.Sprintf("%s %s blank in rows that may belong to one label", fieldList(names), are), Evidence: evidence, Fields: names,
			Question: "the rows lie in no order, so the label above a row may be another's: is there a field that orders them? Then: --by FIELD"}}
	}
	return []Finding{{Kind: "blank runs", Says: fmt.Sprintf("%s %s blank under each label", fieldList(names), are), Evidence: evidence, Fields: names, Step: "fill " + Shell(s.selection(names)), claim: filledAbove(names)}}
}

// shownAgain tells a field nearly each cell of which stands in one of the other fields of its row too: it is laid out for the eye, and what is blank in it
// belongs to no label.
func (s *sample) shownAgain(f *field) bool {
	from, shown := map[int]bool{}, 0
	for r, c := range f.cells {
		if at := slices.IndexFunc(s.fields, func(g *field) bool { return c != "" && g.at != f.at && g.cells[r] == c }); at >= 0 {
			from[at] = true
			shown++
		}
	}
	return len(from) > 1 && share(shown, f.filled, 0.8)
}

// canName tells a text that could name a field: it has letters, and is no identifier of a machine.
func canName(c string) bool {
	letters, digits, groups := 0, 0, 0
	before := false
	for _, r := range c {
		digit := unicode.IsDigit(r)
		if digit && !before {
			groups++
		}
		before = digit
		switch {
		case digit:
			digits++
		case unicode.IsLetter(r):
			letters++
		}
	}
	return letters > 0 && (groups < 3 && digits < 6 || digits < letters) && len(c) <= 80
}

// namesAndValues finds two fields of which one names what the other holds.
func (s *sample) namesAndValues() []Finding {
	for k, f := range s.fields {
		if len(s.fields) < 2 || len(s.rows) < 4 || f.filled != len(s.rows) || len(f.order) < 2 || len(f.order) > 40 || 2*len(f.order) > f.filled || f.numbers+f.dates > 0 || isNumber(strings.TrimSpace(f.order[0])) || slices.ContainsFunc(f.order, func(c string) bool { return slices.Contains(missing, c) || !canName(c) }) {
			continue
		}
		for v, g := range s.fields {
			if v == k || g.filled < len(s.rows)/2 || len(g.order) < 3 || g.numbers == 0 || g.numbers == g.filled {
				continue
			}
			numbers, filled := map[string]int{}, map[string]int{}
			for r, name := range f.cells {
				if c := strings.TrimSpace(g.cells[r]); c != "" {
					filled[name]++
					if isNumber(c) {
						numbers[name]++
					}
				}
			}
			all, none := 0, 0
			for _, name := range f.order {
				switch {
				case filled[name] < 2:
				case share(numbers[name], filled[name], 0.9):
					all++
				case numbers[name] == 0:
					none++
				}
			}
			if all == 0 || none == 0 {
				continue
			}
			// Each name at most once for what else there is.
			seen := map[string]bool{}
			twice := 0
			for r, row := range s.rows {
				key := f.cells[r]
				for i, c := range row {
					if i != k && i != v {
						key += "\x00" + c
					}
				}
				if seen[key] {
					twice++
				}
				seen[key] = true
			}
			if len(s.fields) == 2 {
				if period := f.order[0]; f.cells[0] == period && share(twice, len(s.rows), 0.4) && f.beginsAnew(period) {
					name := s.freeName("person")
					return []Finding{{Kind: "names without a person", Says: fmt.Sprintf("%s begins anew at %s, with nothing that tells whose they are", diag.Quote(f.name), diag.Quote(period)),
						Evidence: fmt.Sprintf("%s %d times in %s", diag.Quote(period), f.counts[period], diag.Plural(int64(len(s.rows)), "row")),
						Part:     Decide, Question: "does a new one begin there?", Step: "number " + Shell(name) + " --when " + Shell(fmt.Sprintf("%s == %q", inFormula(f.name), period))}}
				}
				continue
			}
			if twice > 0 || v != k+1 || all+none < 3 { // the value stands behind its name
				continue
			}
			return []Finding{{Kind: "names and values", Says: fmt.Sprintf("%s and %s look like names and values", diag.Quote(f.name), diag.Quote(g.name)),
				Evidence: fmt.Sprintf("%d names, some with numbers and some with texts: %s", len(f.order), diag.Names(f.order)),
				whole:    true, Part: Decide, Question: "is each name to be a field?", Fields: []string{f.name, g.name}, Step: "pivot --across " + Shell(selection.Written(f.name)) + " --cell " + Shell(inFormula(g.name)), claim: spreadOut(g.name)}}
		}
	}
	return nil
}

// blankFields finds fields in which nothing stands.
func (s *sample) blankFields() []Finding {
	var names []string
	for _, f := range s.fields {
		if f.filled == 0 && len(s.rows) > 2 && strings.ContainsFunc(f.name, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) {
			names = append(names, "!"+selection.Written(f.name))
		}
	}
	if len(names) == 0 || len(names) == len(s.fields) {
		return nil
	}
	if last, n := s.lastReached(), len(names); n > 1 && last > 0 && last == len(s.fields)-n && s.fields[last].filled == 0 && isText(s.lie) && !slices.ContainsFunc(s.lie.Names[last:], unnamed) {
		return []Finding{{Kind: "blank fields", Part: Told, Says: fmt.Sprintf("the header has %d names, and no row more than %d cells", len(s.fields), last), Evidence: diag.Names(s.lie.Names[last:]),
			Question: "do the names stand over the right cells?"}}
	}
	x := Finding{Kind: "blank fields", Part: Decide, Question: "is nothing to come in them?", Says: diag.Plural(int64(len(names)), "field") + " with nothing in it", Evidence: fmt.Sprintf("%s in %s", strings.ReplaceAll(strings.Join(names, ", "), "!", ""), diag.Plural(int64(len(s.rows)), "row")),
		Step: "fields " + Shell(strings.Join(names, ","))}
	if !s.whole { // something may stand in the others
		x.Part, x.Step, x.Says = Told, "", x.Says+", as far as was looked"
	}
	return []Finding{x}
}

// lastReached is how many cells the longest row has, as it lies; 0 where that was not seen of all.
func (s *sample) lastReached() (n int) {
	if s.lie.Rows == nil && s.whole && len(s.lie.First) >= s.lie.Body+len(s.rows) {
		for _, r := range s.lie.First[min(s.lie.Body, len(s.lie.First)):] {
			n = max(n, len(r.Cells))
		}
	}
	return n
}

// beginsAnew tells whether in each stretch of rows that begins with a name no name stands twice.
func (f *field) beginsAnew(period string) bool {
	seen := map[string]bool{}
	for _, c := range f.cells {
		if c == period {
			clear(seen)
		}
		if seen[c] {
			return false
		}
		seen[c] = true
	}
	return true
}
