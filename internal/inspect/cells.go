package inspect

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/agnivade/levenshtein"

	"revuelta/internal/calendar"
	"revuelta/internal/decimal"
	"revuelta/internal/diag"
)

func isNumber(s string) bool { _, ok := decimal.Parse(s); return ok && !isCode(s) }
func isDate(s string) bool   { _, ok := calendar.Parse(s); return ok }

// missing are texts that often stand for a missing value.
var missing = []string{"NA", "N/A", "n/a", "n.a.", "na", "#N/A", "NULL", "null", "NaN", "nan", "None", "none", "nil", "-", "--", "---", "?", ".", "*", "missing", "unknown", "k.A."}

// markers finds markers for missing values: in fields whose other cells are numbers or dates, or that can mean nothing else.
func (s *sample) markers(r *Report, told []string) []string {
	var found, where []string
	n, example := 0, ""
	for _, f := range s.fields {
		for _, m := range missing {
			k := f.counts[m]
			if k == 0 {
				continue
			}
			plain := strings.EqualFold(m, "na") || strings.EqualFold(m, "n/a") || m == "#N/A" || m == "NULL" || m == "null" || m == "-" || m == "--" || m == "---" || m == "?"
			if !plain && !share(f.numbers+f.dates, f.filled-k, 0.7) || k == f.filled && !plain {
				continue
			}
			n += k
			if !slices.Contains(found, m) {
				found = append(found, m)
			}
			if !slices.Contains(where, f.name) {
				where = append(where, f.name)
			}
			if example == "" {
				example = f.example(func(c string) bool { return c == m })
			}
		}
	}
	if len(found) == 0 || slices.ContainsFunc(found, func(m string) bool { return strings.Contains(m, ",") }) {
		return nil
	}
	if all := blankList(append(slices.Clone(told), found...)); len(told) > 0 {
		r.Reading[slices.Index(r.Reading, "--blank")+1] = all
	} else {
		r.Reading = append(r.Reading, "--blank", all)
	}
	r.Findings = append(r.Findings, Finding{Kind: "markers", Says: fmt.Sprintf("%s in %s for missing values", quotedList(found), diag.Names(where)),
		Evidence: fmt.Sprintf("%s, as %s", diag.Plural(int64(n), "cell"), example), Command: "revuelta convert" + r.options() + " " + Shell(s.lie.Name)})
	return found
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
			pieces, most, long := map[string]int{}, 0, false
			total := 0
			within, free := map[string]string{}, map[string]bool{} // the cell a piece was met in; pieces met in several
			for _, c := range f.cells {
				if c == "" {
					continue
				}
				parts := strings.Split(c, sep)
				most = max(most, len(parts))
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
			if long || !share(total-len(pieces), total, 0.25) || isNumbers(pieces) && sep == "," || !share(len(free), len(pieces), 0.4) {
				continue
			}
			shown := strings.ReplaceAll(sep, "\n", `\n`)
			out = append(out, Finding{Kind: "several values", Says: fmt.Sprintf("%s holds up to %d values parted by %s", diag.Quote(f.name), most, diag.Quote(shown)),
				Evidence: fmt.Sprintf("%s, as %s", of(with, f.filled), f.example(func(c string) bool { return strings.Contains(c, sep) })),
				Step:     "explode " + Shell(selected(f.name)) + " --at " + Shell(strings.Trim(shown, " "))})
			break
		}
	}
	return out
}

func isNumbers(pieces map[string]int) bool {
	for p := range pieces {
		if _, ok := decimal.Parse(p); !ok {
			return false
		}
	}
	return true
}

func looksJSON(cells []string) bool {
	n, is := 0, 0
	for _, c := range cells {
		if c == "" {
			continue
		}
		n++
		if (c[0] == '{' || c[0] == '[') && json.Valid([]byte(c)) {
			is++
		}
	}
	return share(is, n, 0.7) && is > 0
}

// memberName is a member that a path names by a point.
var memberName = lazy(`^[A-Za-z_][A-Za-z0-9_]*$`)

// jsonCells finds JSON in cells.
func (s *sample) jsonCells() []Finding {
	var out []Finding
	for _, f := range s.fields {
		if f.filled == 0 || !looksJSON(f.cells) {
			continue
		}
		arrays, objects, alike := 0, 0, 0 // alike: arrays of objects alone
		var members []string
		note := func(v any) bool {
			m, ok := v.(map[string]any)
			for k := range m {
				if !slices.Contains(members, k) && memberName().MatchString(k) {
					members = append(members, k)
				}
			}
			return ok
		}
		for _, c := range f.cells {
			var v any
			if json.Unmarshal([]byte(c), &v) != nil {
				continue
			}
			if list, ok := v.([]any); ok {
				arrays++
				alike++
				if slices.ContainsFunc(list, func(e any) bool { return !note(e) }) {
					alike--
				}
			} else if note(v) {
				objects++
			}
		}
		slices.Sort(members)
		x := Finding{Kind: "JSON", Says: diag.Quote(f.name) + " holds JSON", Evidence: f.example(func(string) bool { return true })}
		fits := objects
		switch {
		case arrays > 0 && len(members) > 0 && alike == arrays:
			fits = arrays
			var picks []string
			for _, m := range members {
				picks = append(picks, fmt.Sprintf("%s=$.%s", s.fresh(f, m), m))
			}
			x.Step = "explode " + Shell(selected(f.name)) + " --json --pick " + Shell(strings.Join(picks, ", "))
		case arrays > 0:
			fits = arrays
			x.Step = "explode " + Shell(selected(f.name)) + " --json"
		case len(members) > 0:
			var drop string
			for _, m := range members {
				name := s.fresh(f, m)
				if name == f.name {
					name = f.name + " " + m
				}
				x.Step += "set " + Shell(fmt.Sprintf("%s = pick(%s, \"$.%s\")", inFormula(name), inFormula(f.name), m)) + "\n"
				drop = "fields " + Shell("!"+selected(f.name))
			}
			x.Step += drop
		default:
			continue
		}
		if fits < f.filled {
			x.Step += Aside
		}
		out = append(out, x)
	}
	return out
}

// fresh is a name for a member that no other field has.
func (s *sample) fresh(f *field, name string) string {
	for slices.Contains(s.lie.Names, name) && name != f.name {
		name = f.name + " " + name
	}
	return name
}

var (
	writtenNumber = lazy(`^([^\d+\-.,]{0,4}?)\s*([+-]?\d[\d.,' \x{a0}\x{202f}]*)\s*([^\d.,\s][^\d]{0,11})?$`)
	commaDecimal  = lazy(`^[+-]?(\d+|\d{1,3}([.' \x{a0}\x{202f}]\d{3})+)(,\d+)?$`)
	pointDecimal  = lazy(`^[+-]?(\d+|\d{1,3}([,' \x{a0}\x{202f}]\d{3})+)(\.\d+)?$`)
)

// numbersWritten finds numbers with decimal commas, grouping, units and currency.
func (s *sample) numbersWritten() []Finding {
	type how struct{ options, says string }
	fields := map[how][]string{}
	var order []how
	evidence := map[how]string{}
	for _, f := range s.fields {
		if f.filled < 2 || f.numbers == f.filled || share(f.dates, f.filled, 0.5) {
			continue
		}
		fits, commas, points, odd := 0, 0, 0, 0
		decimals, grouped, sure := false, "", false
		units := map[string]bool{}
		for r, c := range f.cells {
			if r == 100 && fits == 0 {
				break
			}
			if !strings.ContainsAny(c, "0123456789") {
				continue
			}
			m := writtenNumber().FindStringSubmatch(strings.TrimSpace(c))
			if m == nil {
				continue
			}
			body := strings.TrimRight(m[2], " \u00a0\u202f")
			if m[1] != "" && !currency(m[1]) || isCode(body) || strings.ContainsAny(m[1]+m[3], "<>≤≥~≈±=+?*!()") { // without them it would be another number
				continue
			}
			comma, point := commaDecimal().MatchString(body), pointDecimal().MatchString(body)
			if !comma && !point {
				continue
			}
			fits++
			if !isNumber(c) {
				odd++
			}
			if comma {
				commas++
			}
			if point {
				points++
			}
			if i := strings.LastIndexByte(body, ','); i >= 0 {
				decimals = true
				sure = sure || len(body)-i-1 != 3 || strings.Contains(body[:i], ".") || strings.HasPrefix(body, "0")
			}
			for _, g := range []string{".", "'", " ", "\u00a0", "\u202f", ","} {
				if i := strings.Index(body, g); i > 0 && strings.LastIndex(body, g) <= len(body)-4 && (g != "." || comma && !point) && (g != "," || point && !comma) {
					grouped = g
				}
			}
			for _, u := range []string{m[1], m[3]} {
				if u = strings.TrimSpace(u); u != "" {
					units[u] = true
				}
			}
		}
		if !share(fits, f.filled, 0.75) || !share(odd, f.filled, 0.1) || len(units) > 3 || commas < fits && points < fits {
			continue
		}
		h := how{}
		var says []string
		if decimals && commas == fits && (sure || points < fits) {
			h.options += " --decimal ,"
			says = append(says, "decimal commas")
		} else if decimals {
			grouped = ","
		}
		if grouped != "" && !(grouped == "," && strings.Contains(h.options, "--decimal")) {
			h.options += " --thousands " + Shell(grouped)
			says = append(says, "grouped digits")
		}
		if len(units) > 0 {
			var list []string
			for u := range units {
				list = append(list, u)
			}
			slices.Sort(list)
			h.options += " --strip " + Shell(strings.Join(list, ""))
			says = append(says, "units ("+strings.Join(list, ", ")+")")
		}
		if h.options == "" || len(units) > 1 && slices.ContainsFunc(s.unitWords(units), func(w string) bool { return len(w) > 3 }) {
			continue
		}
		if fits < f.filled {
			h.options += Aside
			says = append(says, "some that are none")
		}
		h.says = strings.Join(says, ", ")
		if fields[h] == nil {
			order = append(order, h)
			evidence[h] = fmt.Sprintf("%s in %s, as %s", of(odd, f.filled), diag.Quote(f.name), f.example(func(c string) bool { return !isNumber(c) }))
		}
		fields[h] = append(fields[h], selected(f.name))
	}
	var out []Finding
	for _, h := range order {
		out = append(out, Finding{Kind: "numbers", Says: fmt.Sprintf("numbers with %s: %s", h.says, strings.Join(fields[h], ", ")), Evidence: evidence[h],
			Step: "cast " + Shell(strings.Join(fields[h], ",")) + " number" + h.options})
	}
	return out
}

// currency tells what may stand before a number: a sign, or a common code.
func currency(s string) bool {
	switch s = strings.TrimSpace(s); s {
	case "EUR", "USD", "GBP", "CHF", "SEK", "DKK", "NOK", "PLN", "Fr.", "kr":
		return true
	}
	return !strings.ContainsFunc(s, func(r rune) bool {
		return unicode.IsLetter(r) || unicode.IsDigit(r) || strings.ContainsRune("#/_-+", r)
	})
}

// isCode tells digits that are no number: their leading zeros count.
func isCode(s string) bool { return len(s) > 1 && s[0] == '0' && s[1] >= '0' && s[1] <= '9' }

func (s *sample) unitWords(units map[string]bool) []string {
	var out []string
	for u := range units {
		out = append(out, u)
	}
	return out
}

// spaces finds stray spaces and invisible characters.
func (s *sample) spaces() []Finding {
	var names []string
	n, of, example := 0, 0, ""
	for _, f := range s.fields {
		k := 0
		for c, times := range f.counts {
			if untidy(c) {
				k += times
			}
		}
		if k == 0 {
			continue
		}
		n, of = n+k, of+f.filled
		names = append(names, selected(f.name))
		if example == "" {
			example = f.example(untidy)
		}
	}
	if n == 0 {
		return nil
	}
	return []Finding{{Kind: "spaces", Says: "stray spaces or invisible characters in " + strings.Join(names, ", "), Evidence: fmt.Sprintf("%s of %s, as %s", diag.Count(int64(n)), diag.Plural(int64(of), "cell"), example),
		Step: "scrub " + Shell(strings.Join(names, ","))}}
}

func untidy(c string) bool {
	if plainWord(c) {
		return false
	}
	if c != strings.TrimSpace(c) || strings.Contains(c, "  ") {
		return true
	}
	return strings.ContainsFunc(c, func(r rune) bool {
		return r == '\u00a0' || r == '\u200b' || r == '\ufeff' || r == '\u200e' || r == '\u00ad' || unicode.Is(unicode.Cf, r)
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

// loose is a spelling without case, spaces and punctuation.
func loose(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
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
				if !alike && tidy[few]*4 <= tidy[many] && len([]rune(few)) >= 5 && !strings.ContainsFunc(few, unicode.IsDigit) && levenshtein.ComputeDistance(a, b) == 1 {
					alike = true
				}
				if alike && !strings.ContainsAny(few+many, "=,") {
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
			first = "scrub " + Shell(selected(f.name)) + "\n"
		}
		few, many, _ := strings.Cut(pairs[0], "=")
		out = append(out, Finding{Kind: "spellings", Says: diag.Quote(f.name) + " has nearly equal spellings", Evidence: fmt.Sprintf("%s (%d) and %s (%d)", diag.Quote(few), tidy[few], diag.Quote(many), tidy[many]),
			Step: first + "recode " + Shell(selected(f.name)) + " " + Shell(strings.Join(pairs, ","))})
	}
	return out
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
		if varied < 2 || strings.Contains(shape, "AA") {
			continue
		}
		out = append(out, Finding{Kind: "compound", Says: fmt.Sprintf("%s holds %d facts in a constant form", diag.Quote(f.name), len(parts)), Evidence: fmt.Sprintf("all of %s, as %s", diag.Plural(int64(f.filled), "cell"), f.example(func(string) bool { return true })),
			Step: "split " + Shell(selected(f.name)) + " " + Shell(b.String())})
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

// mixed finds fields of numbers with a few other cells.
func (s *sample) mixed() []Finding {
	var out []Finding
	for _, f := range s.fields {
		odd := f.filled - f.numbers
		if odd == 0 || f.filled < 5 || !share(f.numbers, f.filled, 0.7) {
			continue
		}
		if slices.ContainsFunc(f.order, isCode) {
			continue
		}
		if len(s.numbersWrittenIn(f)) > 0 {
			continue
		}
		out = append(out, Finding{Kind: "several types", Says: fmt.Sprintf("%s holds numbers and others", diag.Quote(f.name)), Evidence: fmt.Sprintf("%s are none, as %s", of(odd, f.filled), f.example(func(c string) bool { return !isNumber(c) })),
			Step: "cast " + Shell(selected(f.name)) + " number" + Aside})
	}
	return out
}

func (s *sample) numbersWrittenIn(f *field) []Finding {
	return (&sample{lie: s.lie, rows: s.rows, lines: s.lines, fields: []*field{f}}).numbersWritten()
}
