package inspect

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"revuelta/internal/calendar"
	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/selection"
)

func isNumber(s string) bool { _, ok := decimal.Parse(s); return ok && !isCode(s) }
func isDate(s string) bool   { _, ok := calendar.Parse(s); return ok }

// missing are texts that often stand for a missing value.
var missing = []string{"NA", "N/A", "n/a", "n.a.", "na", "#N/A", "NULL", "null", "NaN", "nan", "None", "none", "nil", "-", "--", "---", "----", "?", ".", "..", "...", "*", "missing", "unknown", "k.A.", "M", `\N`}

// markers finds markers for missing values. One that stands only in fields whose other cells are all numbers, or all dates, is no
// value of any field; else it may be one, as NA of Namibia, and is told.
func (s *sample) markers(r *Report, told []string) []string {
	var safe, where []string
	n, example := 0, ""
	others := func(f *field) int {
		n := f.filled
		for _, o := range missing {
			n -= f.counts[o]
		}
		return n
	}
	plain := func(f *field) bool { // the others are of one kind, if there are any, or nearly all numbers
		n := others(f)
		if f.numbers == n || f.dates == n {
			return true
		}
		together := f.readTogether()
		return share(together.plain+together.written, n, 0.7)
	}
	for _, m := range missing {
		var in []*field
		sure, most := true, 0
		for _, f := range s.fields {
			if f.counts[m] > 0 {
				in = append(in, f)
				sure = sure && plain(f)
				if plain(f) {
					most = max(most, others(f))
				}
			}
		}
		switch {
		case most < 2 && (len(in) == 0 || !slices.Contains([]string{"N/A", "n/a", "n.a.", "#N/A", "NULL", `\N`}, m) && !slices.ContainsFunc(in, func(f *field) bool { return f.counts[m] == f.filled && f.filled > 4 })): // nothing tells what they are
		case most < 2:
			var names []string
			for _, f := range in {
				names = append(names, f.name)
			}
			r.Findings = append(r.Findings, Finding{Kind: "markers", Part: Told, Fields: names, Says: fmt.Sprintf("%s in %s may stand for missing values", diag.Quote(m), fieldList(names)),
				Evidence: in[0].example(func(c string) bool { return c == m }), Question: "does it? Then read with --blank " + blankList([]string{m})})
		case sure:
			safe = append(safe, m)
			for _, f := range in {
				n += f.counts[m]
				if !slices.Contains(where, f.name) {
					where = append(where, f.name)
				}
				if example == "" {
					example = f.example(func(c string) bool { return c == m })
				}
			}
		default:
			var values, gaps []string
			for _, f := range in {
				if plain(f) {
					gaps = append(gaps, f.name)
				} else {
					values = append(values, f.name)
				}
			}
			r.Findings = append(r.Findings, Finding{Kind: "markers", Part: Told, Fields: gaps, Says: fmt.Sprintf("%s stands for missing values in %s", diag.Quote(m), fieldList(gaps)), Evidence: fmt.Sprintf("it stands in %s too, where it may be a value", fieldList(values)),
				Question: "is it a value there? cast … number --unfit blank mends fields of numbers alone"})
		}
	}
	if len(safe) == 0 {
		return nil
	}
	if all := blankList(append(slices.Clone(told), safe...)); len(told) > 0 {
		r.Reading[slices.Index(r.Reading, "--blank")+1] = all
	} else {
		r.Reading = append(r.Reading, "--blank", all)
	}
	r.Findings = append(r.Findings, Finding{Kind: "markers", Part: Safe, reads: true, Fields: where, Says: fmt.Sprintf("%s in %s for missing values", quotedList(safe), fieldList(where)),
		Evidence: fmt.Sprintf("%s, as %s; the others are numbers or dates", diag.Plural(int64(n), "cell"), example)})
	return safe
}

// far are numbers that are often written where there is none.
var far = []string{"-9999", "-999", "-99", "-9999.0", "-999.0", "-99.0", "-999.9", "-99.9", "-9999.9", "9999", "99999", "999999"}

// sentinels finds numbers that stand for missing values: far from all others of their fields, and more than once.
func (s *sample) sentinels() []Finding {
	var names, which []string
	n, example := 0, ""
	for _, f := range s.fields {
		if f.filled < 10 || f.numbers < f.filled {
			continue
		}
		most, least := 0.0, 0.0
		counts := map[string]int{}
		for _, c := range f.cells {
			if c != "" && (c[0] == '-' || c[0] == '9') && slices.Contains(far, c) {
				counts[c]++
			} else if d, ok := decimal.Parse(c); ok {
				x := d.Float()
				most, least = max(most, x), min(least, x)
			}
		}
		for c, k := range counts {
			d, _ := decimal.Parse(c)
			x := d.Float()
			if k < 2 || x < 0 && (least < 0 || -x < most/100) || x > 0 && x < 20*max(most, 1) || 2*k > f.filled {
				continue
			}
			n += k
			if !slices.Contains(which, c) {
				which = append(which, c)
			}
			if !slices.Contains(names, f.name) {
				names = append(names, f.name)
			}
			if example == "" {
				example = f.example(func(x string) bool { return x == c })
			}
		}
	}
	if len(names) == 0 {
		return nil
	}
	slices.Sort(which)
	return []Finding{{Kind: "markers", Part: Told, Fields: names, Says: fmt.Sprintf("%s in %s lies far from all other numbers", quotedList(which), fieldList(names)), Evidence: fmt.Sprintf("%s, as %s", diag.Plural(int64(n), "cell"), example),
		Question: "does it stand for missing values? Then read with --blank " + blankList(which)}}
}

func quotedList(words []string) string {
	var out []string
	for _, w := range words {
		out = append(out, diag.Quote(w))
	}
	return strings.Join(out, ", ")
}

var commaDecimal = lazy(`^[+-]?(\d+|\d{1,3}([.' \x{a0}\x{202f}]\d{3})+)(,\d+)?$`)

// isCode tells digits that are no number: their leading zeros count.
func isCode(s string) bool { return len(s) > 1 && s[0] == '0' && s[1] >= '0' && s[1] <= '9' }

// isClock tells a time of day, or a moment that begins with a day.
func isClock(s string) bool {
	at := strings.IndexByte(s, ':')
	return at > 0 && at+2 < len(s) && strings.Trim(s, "0123456789:./-+TZ ") == "" && s[at+1] <= '5'
}

// spaces finds stray spaces and invisible characters.
func (s *sample) spaces() []Finding {
	if len(s.fields) == 1 { // a text, or a table that is not taken apart
		parted := 0
		for _, c := range s.fields[0].cells {
			pieces := strings.Fields(c)
			if len(pieces) > 1 && (strings.Contains(strings.TrimSpace(c), "  ") || !slices.ContainsFunc(pieces, func(p string) bool { return !isNumber(p) })) {
				parted++
			}
		}
		if strings.Contains(s.fields[0].name, " ") || share(parted, s.fields[0].filled, 0.3) {
			return nil
		}
	}
	var names []string
	n, of, example := 0, 0, ""
	var out []Finding
	for _, f := range s.fields {
		k := 0
		if looksJSON(f.cells[:min(len(f.cells), 20)]) { // laid out to be read
			continue
		}
		if k := f.indented(); k > 0 {
			out = append(out, Finding{Kind: "indentation", Part: Told, Fields: []string{f.name}, Says: diag.Quote(f.name) + " is indented", Evidence: fmt.Sprintf("%s of %s, as %s", diag.Count(int64(k)), diag.Plural(int64(f.filled), "cell"), f.example(func(c string) bool { return strings.HasPrefix(c, "  ") })),
				Question: "does the depth say what belongs to what? scrub takes it away"})
			continue
		}
		parted := 0 // by spaces or a tab within, which may part what stands there
		for c, times := range f.counts {
			if untidy(c) {
				k += times
			}
			if inner := strings.TrimSpace(c); strings.Contains(inner, "\t") || strings.Contains(inner, "  ") && strings.ContainsAny(inner, "0123456789") {
				parted += times
			}
		}
		if parted > 1 && share(parted, f.filled, 0.5) {
			continue
		}
		if k == 0 || f.counts["\u3000"] > 0 { // that space is what some list of signs holds
			continue
		}
		n, of = n+k, of+f.filled
		names = append(names, f.name)
		if example == "" {
			example = f.example(untidy)
		}
	}
	if n == 0 {
		return out
	}
	return append(out, Finding{Kind: "spaces", Fields: names, Says: "stray spaces or invisible characters in " + fieldList(names), Evidence: fmt.Sprintf("%s of %s, as %s", diag.Count(int64(n)), diag.Plural(int64(of), "cell"), example),
		Step: "scrub " + Shell(s.selection(names)), claim: eachCell(names, sameText)})
}

// indented counts the cells of a text that begin with two spaces or more, by steps of one size, where others begin with none; 0 where
// that is not what they do.
func (f *field) indented() (n int) {
	if f.numbers+f.dates > 0 {
		return 0
	}
	step, flush := 0, 0
	for c, times := range f.counts {
		depth := len(c) - len(strings.TrimLeft(c, " "))
		switch {
		case c == "" || depth == len(c):
		case depth == 0:
			flush += times
		case depth == 1:
			return 0
		default:
			n += times
			if step == 0 || depth < step {
				step = depth
			}
		}
	}
	for c := range f.counts {
		if depth := len(c) - len(strings.TrimLeft(c, " ")); step > 0 && depth < len(c) && depth%step != 0 {
			return 0
		}
	}
	if flush < 2 || n < 3 || !share(n, f.filled, 0.1) {
		return 0
	}
	return n
}

func untidy(c string) bool {
	if plainWord(c) {
		return false
	}
	if c != strings.TrimSpace(c) || len(c) <= 100 && strings.Contains(c, "  ") { // in prose two spaces end a sentence
		return true
	}
	return strings.ContainsFunc(c, func(r rune) bool {
		return r == '\u00a0' || r == '\u200b' || r == '\ufeff' || r == '\u200e' || r == '\u00ad' || unicode.Is(unicode.Cf, r) && !joins(r)
	})
}

// plainWord tells a text of ASCII without spaces and what can't be seen.
func plainWord(c string) bool {
	for i := range len(c) {
		if c[i] <= ' ' || c[i] > '~' {
			return false
		}
	}
	return true
}

var runOf = lazy(`\pL+|\d+`)

// compound finds cells that hold several facts in one constant form.
func (s *sample) compound() []Finding {
	var out []Finding
	for _, f := range s.fields {
		if f.filled < 4 || len(f.order) < 4 || share(f.numbers+f.dates, f.filled, 0.2) || looksJSON(f.cells) {
			continue
		}
		shape := ""
		var parts []map[string]bool
		var digits []bool
		same := true
		for _, c := range f.order {
			sh := runOf().ReplaceAllStringFunc(c, func(m string) string {
				if m[0] <= '9' {
					return "9"
				}
				return "A"
			})
			runs := runOf().FindAllString(c, -1)
			if shape == "" {
				if shape = sh; !strings.ContainsAny(shape, "-/_:|") {
					break
				}
				parts, digits = make([]map[string]bool, len(runs)), make([]bool, len(runs))
				for i := range parts {
					parts[i], digits[i] = map[string]bool{}, runs[i][0] <= '9'
				}
			}
			if same = sh == shape; !same {
				break
			}
			for i, r := range runs {
				parts[i][r] = true
			}
		}
		if !same || len(parts) < 2 || len(parts) > 6 || strings.ContainsAny(shape, "{}") || allDigits(digits) {
			continue
		}
		if len(f.order) > 2 && len(parts[0]) == 1 && !digits[0] { // what names the kind, as in CVE-2004-0457
			continue
		}
		if slices.ContainsFunc(parts, func(p map[string]bool) bool { // initials before a name
			for part := range p {
				if len(part) > 1 || part[0] <= '9' {
					return false
				}
			}
			return true
		}) && !slices.Contains(digits, true) {
			continue
		}
		if len(parts) == 2 && digits[0] != digits[1] && slices.ContainsFunc(parts, func(p map[string]bool) bool { // a month of a year is one date
			for part := range p {
				if s.timeKind(part) != "month" {
					return false
				}
			}
			return true
		}) {
			continue
		}
		varied := 0
		var b strings.Builder
		k := 0
		for i := 0; i < len(shape); i++ {
			if shape[i] != '9' && shape[i] != 'A' {
				b.WriteByte(shape[i])
				continue
			}
			if len(parts[k]) > 1 {
				varied++
			}
			if digits[k] {
				fmt.Fprintf(&b, "{%s %d:#}", patternName(f.name), k+1)
			} else {
				fmt.Fprintf(&b, "{%s %d}", patternName(f.name), k+1)
			}
			k++
		}
		again := 0 // parts that stand in several cells, as names of groups do
		for _, p := range parts {
			if len(p) > 1 && len(p) < len(f.order) {
				again++
			}
		}
		if varied < 2 || again < 1 || strings.Contains(shape, "AA") || strings.Contains(shape, "A9") || strings.Contains(shape, "9A") || slices.ContainsFunc(f.order[:min(len(f.order), 50)], writtenDate) {
			continue
		}
		out = append(out, Finding{Kind: "compound", Says: fmt.Sprintf("%s holds %d facts in a constant form", diag.Quote(f.name), len(parts)), Evidence: fmt.Sprintf("all of %s, as %s", diag.Plural(int64(f.filled), "cell"), f.example(func(string) bool { return true })),
			Part: Decide, Question: "are these facts that somebody wants apart?", Fields: []string{f.name}, Step: "split " + Shell(selection.Written(f.name)) + " " + Shell(b.String()), claim: inPieces(f.name)})
	}
	return out
}

func patternName(s string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune("{}:|@", r) {
			return '-'
		}
		return r
	}, s)
}

func allDigits(d []bool) bool { return !slices.Contains(d, false) }

// mixed finds fields of numbers with a few texts among them; those with the same texts are told together.
func (s *sample) mixed() []Finding {
	var out []Finding
	same := map[string]int{} // where fields with these texts are told
	for _, f := range s.fields {
		odd := f.filled - f.numbers
		for _, c := range f.order {
			if padded(c) {
				odd -= f.counts[c]
			}
		}
		if odd == 0 || f.filled < 5 || !share(f.numbers, f.filled, 0.7) || slices.ContainsFunc(f.order, isCode) {
			continue
		}
		var texts []string
		for _, c := range f.order {
			if !isNumber(c) && !padded(c) && !slices.Contains(missing, c) { // those are told as markers
				texts = append(texts, c)
			}
		}
		if len(texts) == 0 {
			continue
		}
		if n := f.readTogether(); n.written > 0 && share(n.plain+n.written, f.filled, 0.75) { // told as numbers
			continue
		}
		slices.SortStableFunc(texts, func(a, b string) int { return f.counts[b] - f.counts[a] })
		var list []string
		for _, t := range texts[:min(3, len(texts))] {
			list = append(list, fmt.Sprintf("%s (%d)", diag.Quote(t), f.counts[t]))
		}
		key := strings.Join(texts[:min(3, len(texts))], "\x00")
		if at, ok := same[key]; ok {
			out[at].Fields = append(out[at].Fields, f.name)
			out[at].Says = fieldList(out[at].Fields) + " hold numbers, and texts among them"
			continue
		}
		same[key] = len(out)
		out = append(out, Finding{Kind: "several types", Part: Told, Fields: []string{f.name}, Says: fmt.Sprintf("%s holds numbers, and texts among them", diag.Quote(f.name)), Evidence: fmt.Sprintf("%s: %s", of(odd, f.filled), strings.Join(list, ", ")),
			Question: "do the texts stand for missing values (--blank), or are they values?"})
	}
	return out
}
