package inspect

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/agnivade/levenshtein"

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

// severalValues finds cells that hold several values parted by a constant separator.
func (s *sample) severalValues() []Finding {
	var out []Finding
	for _, f := range s.fields {
		if f.filled < 3 || share(f.numbers+f.dates, f.filled, 0.3) || looksJSON(f.cells) {
			continue
		}
		for _, sep := range []string{";", "|", "\n", ",", " / ", " + "} {
			with := 0
			for _, c := range f.cells {
				if strings.Contains(c, sep) {
					with++
				}
			}
			if !share(with, f.filled, 0.2) || with < 2 {
				continue
			}
			pieces, most, least, long := map[string]int{}, 0, len(f.cells), false
			total := 0
			within, free := map[string]string{}, map[string]bool{} // the cell a piece was met in; pieces met in several
			for _, c := range f.cells {
				if c == "" {
					continue
				}
				parts := strings.Split(c, sep)
				most, least = max(most, len(parts)), min(least, len(parts))
				for _, p := range parts {
					p = strings.TrimSpace(p)
					long = long || len(p) > 40 || len(strings.Fields(p)) > 3
					pieces[p]++
					total++
					if before, ok := within[p]; ok && before != c {
						free[p] = true
					}
					within[p] = c
				}
			}
			named := !share(total-len(pieces), total, 0.25) || !share(len(free), len(pieces), 0.4)                                               // no pieces return, as words of a list do
			if !slices.ContainsFunc(f.order, func(c string) bool { return strings.Contains(c, sep) && !bracketed(c) }) || 2*pieces[""] >= with { // a tuple; or nothing before the first
				continue
			}
			if most == least && most > 2 && with > 4 && (isNumbers(pieces) || f.inPlaceOf(sep)) { // a code of parts
				continue
			}
			if spaced(pieces) && sep == "," && (f.filled < 10 || f.inPlace(sep)) { // a text in words, or the parts of one thing
				continue
			}
			if long || isNumbers(pieces) && sep == "," || named && (!plural(f.name) || strings.Contains(sep, " ") || !share(with, f.filled, 0.6) || spaced(pieces)) {
				continue
			}
			shown := strings.ReplaceAll(sep, "\n", `\n`)
			x := Finding{Kind: "several values", Says: fmt.Sprintf("%s holds up to %d values parted by %s", diag.Quote(f.name), most, diag.Quote(shown)),
				Evidence: fmt.Sprintf("%s, as %s", of(with, f.filled), f.example(func(c string) bool { return strings.Contains(c, sep) })),
				Fields:   []string{f.name}, Step: "explode " + Shell(selection.Written(f.name)) + " --at " + Shell(strings.Trim(shown, " ")), claim: piecesOf(f.name, func(c string) []string { return strings.Split(c, sep) })}
			beside := s.besideLists(f, sep)
			if len(beside) > 1 {
				if slices.ContainsFunc(out, func(x Finding) bool { return slices.Contains(x.Fields, f.name) }) { // told with another
					break
				}
				var names []string
				for _, g := range beside {
					names = append(names, g.name)
				}
				x.Fields, x.Says = names, fmt.Sprintf("%s hold up to %d values side by side, parted by %s", diag.Names(names), most, diag.Quote(shown))
				x.Step = "explode " + Shell(s.selection(names)) + " --at " + Shell(strings.Trim(shown, " "))
			}
			if named { // by its name alone
				x.Part, x.Question = Decide, "is each piece a value of its own?"
			}
			out = append(out, x)
			break
		}
	}
	return out
}

// inPlace tells whether each piece that returns stands always at the same place of its cell, as the parts of an address do.
func (f *field) inPlace(sep string) bool {
	at, moved, again := map[string]int{}, 0, 0
	for _, c := range f.order {
		for i, p := range strings.Split(c, sep) {
			p = strings.TrimSpace(p)
			if k, ok := at[p]; ok {
				again++
				if k != i {
					moved++
				}
			}
			at[p] = i
		}
	}
	return again > 0 && moved == 0
}

// bracketed tells a cell in brackets.
func bracketed(c string) bool {
	i := -1
	if c != "" {
		i = strings.IndexByte("([<{", c[0])
	}
	return i >= 0 && c[len(c)-1] == ")]>}"[i]
}

// inPlaceOf tells whether what stands at a place of the cells tells it apart from the other places: each has words of its own, or
// numbers within other bounds.
func (f *field) inPlaceOf(sep string) bool {
	var places []map[string]bool
	for _, c := range f.order {
		for i, p := range strings.Split(c, sep) {
			for len(places) <= i {
				places = append(places, map[string]bool{})
			}
			places[i][strings.TrimSpace(p)] = true
		}
	}
	shared, all := 0, 0
	for i, a := range places {
		for p := range a {
			all++
			for k, b := range places {
				if k != i && b[p] {
					shared++
					break
				}
			}
		}
	}
	return 2*shared < all
}

// besideLists gives the fields, in order, whose cells hold just as many words as a field does pieces, that field among them: they
// belong together, the first to the first.
func (s *sample) besideLists(f *field, sep string) (out []*field) {
	for _, g := range s.fields {
		as := g == f
		if !as && g.numbers < g.filled {
			several, same := 0, 0
			for r, c := range f.cells {
				n := strings.Count(c, sep)
				if n == 0 && strings.Count(g.cells[r], sep) == 0 {
					continue
				}
				several++
				if strings.Count(g.cells[r], sep) == n && !strings.Contains(strings.ReplaceAll(g.cells[r], sep+" ", sep), " ") {
					same++
				}
			}
			as = several > 4 && same == several && !looksJSON(g.cells)
		}
		if as {
			out = append(out, g)
		}
	}
	return out
}

// plural tells a name of several things, as aliases.
func plural(name string) bool {
	return len(name) > 3 && strings.HasSuffix(name, "s") && !strings.HasSuffix(name, "ss") && !strings.HasSuffix(name, "us")
}

// spaced tells whether a piece has a space in it.
func spaced(pieces map[string]int) bool {
	for p := range pieces {
		if strings.Contains(p, " ") {
			return true
		}
	}
	return false
}

func isNumbers(pieces map[string]int) bool {
	for p := range pieces {
		if _, ok := decimal.Parse(p); !ok {
			return false
		}
	}
	return true
}

var commaDecimal = lazy(`^[+-]?(\d+|\d{1,3}([.' \x{a0}\x{202f}]\d{3})+)(,\d+)?$`)

// isCode tells digits that are no number: their leading zeros count.
func isCode(s string) bool { return len(s) > 1 && s[0] == '0' && s[1] >= '0' && s[1] <= '9' }

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
		for c, times := range f.counts {
			if untidy(c) {
				k += times
			}
		}
		if k == 0 {
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

// loose is a spelling without case, spaces and the punctuation of words; a sign before a digit, and what computes, as in kg/(m^2 s), count.
func loose(s string) string {
	var out []rune
	all := []rune(s)
	for i, r := range all {
		switch {
		case unicode.IsSpace(r) || strings.ContainsRune(".,;:'’\"_", r):
		case r == '-' && (i+1 == len(all) || !unicode.IsDigit(all[i+1])):
		default:
			out = append(out, unicode.ToLower(r))
		}
	}
	return string(out)
}

// spellings finds texts that are nearly the same.
func (s *sample) spellings() []Finding {
	var out []Finding
	for _, f := range s.fields {
		if f.filled < 4 || share(f.numbers+f.dates, f.filled, 0.3) || len(f.order) > 300 || 2*len(f.order) > f.filled+2 || looksJSON(f.cells) {
			continue
		}
		tidy := map[string]int{}
		var order []string
		scrub := map[string]bool{} // tidied spellings
		for _, c := range f.order {
			t := strings.Join(strings.Fields(c), " ")
			if tidy[t] == 0 {
				order = append(order, t)
			}
			tidy[t] += f.counts[c]
			scrub[t] = scrub[t] || t != c
		}
		var pairs, seen []string
		for i, a := range order {
			for _, b := range order[i+1:] {
				if slices.Contains(seen, a) || slices.Contains(seen, b) {
					continue
				}
				alike := loose(a) == loose(b) && loose(a) != "" && len(loose(a)) > 2
				few, many := a, b
				if tidy[few] > tidy[many] {
					few, many = b, a
				}
				if !alike && tidy[few]*4 <= tidy[many] && len([]rune(few)) >= 5 && !strings.ContainsFunc(few+many, unicode.IsDigit) && !strings.ContainsAny(few+many, "/^*+") && !capitals(few) && levenshtein.ComputeDistance(a, b) == 1 {
					alike = true
				}
				if alike && !isNumber(few) && !isNumber(many) && !strings.ContainsAny(few+many, "=,") && enclosed(few) == enclosed(many) && !codes(few, many) && !s.toldApart(f, few, many) {
					pairs, seen = append(pairs, few+"="+many), append(seen, few)
					scrub[""] = scrub[""] || scrub[few]
				}
			}
		}
		if len(pairs) == 0 {
			continue
		}
		first := ""
		if scrub[""] { // as they are, some would not be met
			first = "scrub " + Shell(selection.Written(f.name)) + "\n"
		}
		few, many, _ := strings.Cut(pairs[0], "=")
		out = append(out, Finding{Kind: "spellings", Says: diag.Quote(f.name) + " has nearly equal spellings", Evidence: fmt.Sprintf("%s (%d) and %s (%d)", diag.Quote(few), tidy[few], diag.Quote(many), tidy[many]),
			Part: Decide, Question: "is the one a misspelling of the other?", Fields: []string{f.name}, Step: first + "recode " + Shell(selection.Written(f.name)) + " " + Shell(strings.Join(pairs, ","))})
	}
	return out
}

// codes tells two texts in one word with digits in them: what stands between the digits counts.
func codes(a, b string) bool {
	return strings.ContainsAny(a, "0123456789") && !strings.ContainsAny(a+b, " ()") && strings.ContainsAny(a+b, "._/:")
}

// enclosed is what marks a text at its beginning or end, as one that is struck out or doubted.
func enclosed(c string) string {
	return c[:len(c)-len(strings.TrimLeft(c, "_*#!~-"))] + c[len(strings.TrimRight(c, "?*")):]
}

// toldApart tells whether two texts of a field name different things: another field, of few values, has always the same ones
// with the one text, and none of them with the other, as two counties of one name in two states; or any field one value each.
func (s *sample) toldApart(f *field, a, b string) bool {
	tidy := func(c string) string { return strings.Join(strings.Fields(c), " ") }
	for _, g := range s.fields {
		if g == f || len(g.order) < 2 {
			continue
		}
		few := len(g.order) <= 300 && 2*len(g.order) <= g.filled
		with := map[string]map[string]bool{a: {}, b: {}}
		rows := map[string]int{}
		for r, c := range f.cells {
			if t := tidy(c); with[t] != nil && g.cells[r] != "" {
				with[t][g.cells[r]] = true
				rows[t]++
			}
		}
		one := len(with[a]) == 1 && len(with[b]) == 1 && rows[a] > 1 && rows[b] > 1 // as the codes of two currencies
		if rows[a]+rows[b] < 4 || !one && (!few || len(with[a])+len(with[b]) > 3) || len(with[a]) == 0 || len(with[b]) == 0 {
			continue
		}
		common := false
		for v := range with[a] {
			common = common || with[b][v]
		}
		if !common {
			return true
		}
	}
	return false
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
