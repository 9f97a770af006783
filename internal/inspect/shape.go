package inspect

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"

	"revuelta/internal/diag"
	"revuelta/internal/pattern"
	"revuelta/internal/selection"
)

var months = []string{"january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december"}

// shaped tells whether a text has a shape, in which 0 is any digit.
func shaped(s, shape string) bool {
	if len(s) != len(shape) {
		return false
	}
	for i := range len(s) {
		digit := '0' <= s[i] && s[i] <= '9'
		if shape[i] == '0' && !digit || shape[i] != '0' && s[i] != shape[i] {
			return false
		}
	}
	return true
}

func capitals(s string) bool {
	return s != "" && !strings.ContainsFunc(s, func(r rune) bool { return r < 'A' || r > 'Z' })
}

// lazy is a regular expression made when it is first needed: starting takes less time.
func lazy(source string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(source) })
}

// timeKind is what a text is as a period: month, year, quarter, date, week, day; "" where it is none.
func (s *sample) timeKind(text string) string {
	kind, ok := s.kinds[text]
	if !ok {
		kind = timeKind(text)
		if kind == "quarter" && len(text) == 2 && slices.ContainsFunc(s.lie.Names, func(n string) bool { // questions are numbered so, too
			digits, ok := strings.CutPrefix(n, text[:1])
			number, err := strconv.Atoi(digits)
			return ok && err == nil && number > 4
		}) {
			kind = ""
		}
		s.kinds[text] = kind
	}
	return kind
}

func timeKind(s string) string {
	low := strings.ToLower(strings.Trim(s, " ."))
	for _, m := range months {
		if low == m || len(low) == 3 && low == m[:3] || low == "sept" {
			return "month"
		}
	}
	if n, err := strconv.Atoi(low); err == nil && len(low) == 4 && n >= 1900 && n <= 2100 {
		return "year"
	}
	last := ""
	if low != "" {
		last = low[len(low)-1:]
	}
	switch {
	case low == "" || len(low) > 20:
		return ""
	case (shaped(low, "q0") || shaped(low, "0000-q0")) && "1" <= last && last <= "4":
		return "quarter"
	case shaped(low, "0000-00") && "01" <= low[5:] && low[5:] <= "12":
		return "month"
	case shaped(low, "w0") || shaped(low, "w00") || shaped(low, "0000-w0") || shaped(low, "0000-w00"):
		return "week"
	case shaped(low, "0:00") || (shaped(low, "00:00") || shaped(low, "00:00:00")) && low[:2] < "24":
		return "time"
	case isDate(s):
		return "date"
	}
	return ""
}

// kindOfAll is the period that most of some texts are, "" where there is none.
func (s *sample) kindOfAll(words []string) string {
	counts := map[string]int{}
	for _, w := range words {
		counts[s.timeKind(w)]++
	}
	for k, n := range counts {
		if k != "" && share(n, len(words), 0.75) {
			return k
		}
	}
	return ""
}

// family finds headers that hold values.
func (s *sample) family() []Finding {
	if len(s.rows) == 0 {
		return nil
	}
	var best Finding
	most := 0
	take := func(n int, f Finding) {
		fields := 0
		for _, names := range f.folds {
			fields += len(names)
		}
		if n > most && s.ofOneKind(f.folds) && (f.periods || !s.measured(f.folds)) && (f.periods && 20*fields >= len(s.fields) || 2*fields >= len(s.fields)-1) {
			most, best = n, f
		}
	}
	s.twoPart(take)
	s.onePart(take)
	if most == 0 {
		return nil
	}
	best.claim = folded
	if !best.periods && len(s.rows) < 2 { // one row says nothing of what its names mean
		return nil
	}
	if !best.periods {
		best.Part, best.Question = Decide, "is each to be a row of its own?"
	}
	return []Finding{best}
}

// inTurn tells whether the numbers behind a prefix are one more each.
func inTurn(names []string, prefix int) bool {
	for i := range names[1:] {
		a, _ := strconv.Atoi(names[i][prefix:])
		if b, err := strconv.Atoi(names[i+1][prefix:]); err != nil || b != a+1 {
			return false
		}
	}
	return true
}

// periodWord tells whether a text has a word for a stretch of time, or for a turn.
func periodWord(text string) bool {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) })
	return slices.ContainsFunc(words, func(w string) bool {
		return slices.Contains([]string{"day", "week", "month", "quarter", "year", "hour", "round", "wave", "visit", "period", "season"}, w)
	})
}

// measured tells whether fields hold numbers of many decimals, as results of calculations do: numbers in their names count those.
func (s *sample) measured(lists map[string][]string) bool {
	for _, names := range lists {
		for _, n := range names {
			f := s.fields[slices.Index(s.lie.Names, n)]
			if slices.ContainsFunc(f.cells[:min(len(f.cells), 20)], func(c string) bool {
				at := strings.IndexByte(c, '.')
				return at >= 0 && len(c)-at > 5 && isNumber(c)
			}) {
				return true
			}
		}
	}
	return false
}

// ofOneKind tells whether in each of some lists the fields all hold numbers, or all hold none.
func (s *sample) ofOneKind(lists map[string][]string) bool {
	for _, names := range lists {
		numbers, texts := 0, 0
		for _, n := range names {
			f := s.fields[slices.Index(s.lie.Names, n)]
			switch {
			case f.filled == 0:
			case share(f.numbers, f.filled, 0.8):
				numbers++
			case share(f.filled-f.numbers, f.filled, 0.8) && f.readTogether().written == 0:
				texts++
			}
		}
		if numbers > 0 && texts > 0 {
			return false
		}
	}
	return true
}

// numbersAlone tells whether all texts are digits.
func numbersAlone(texts []string) bool {
	return !slices.ContainsFunc(texts, func(t string) bool { return t == "" || strings.Trim(t, "0123456789") != "" })
}

// sameButDigits gives what stands before the digits at the end of all texts, and how many there are; 0 where that differs.
func sameButDigits(texts []string) (prefix string, n int) {
	for _, t := range texts {
		m := prefixed().FindStringSubmatch(t)
		if m == nil || n > 0 && m[1] != prefix || strings.ContainsAny(m[1], "{}") {
			return "", 0
		}
		prefix = m[1]
		n++
	}
	return prefix, n
}

// fitting lists the headers that fit a pattern.
func (s *sample) fitting(source string) []string {
	p, err := pattern.Parse(source)
	if err != nil {
		return nil
	}
	m, parts := p.Matcher(), make([]string, len(p.Names()))
	var out []string
	for _, n := range s.lie.Names {
		if m.Match(n, parts) {
			out = append(out, n)
		}
	}
	return out
}

// freeName is a name that no field has.
func (s *sample) freeName(name string) string {
	for slices.Contains(s.lie.Names, name) {
		name += " 2"
	}
	return name
}

// unnamed tells the names that fields without one were given.
func unnamed(name string) bool {
	number, ok := strings.CutPrefix(name, "field ")
	return ok && number != "" && !strings.ContainsFunc(number, func(r rune) bool { return r < '0' || r > '9' })
}

var prefixed = lazy(`^(.*?\pL[ _-]?)(\d+)$`)

// onePart finds headers that are values by themselves: months, years, Day 1, Day 2, …, QC01, QC02, ….
func (s *sample) onePart(take func(int, Finding)) {
	byKind := map[string][]int{}
	for i, n := range s.lie.Names {
		if k := s.timeKind(n); k != "" {
			byKind[k] = append(byKind[k], i)
		}
	}
	for k, at := range byKind {
		if len(at) < 3 || k == "month" && s.twice(at) || k == "time" && len(s.fitting("{x:#}:{y:#}")) > len(at) {
			continue
		}
		names := make([]string, len(at))
		for i, a := range at {
			names[i] = s.lie.Names[a]
		}
		says := fmt.Sprintf("%s are values: %ss", diag.Plural(int64(len(at)), "header"), k)
		value := " --value " + Shell(s.freeName("value"))
		if source := s.growing(k, names); source != "" {
			take(2*len(at), Finding{Kind: "headers", folds: map[string][]string{"": names}, periods: true, Says: says, Evidence: diag.Names(names), Step: "unpivot " + Shell(source) + value})
			continue
		}
		sel, fields := "", slices.Clone(names)
		if at[len(at)-1]-at[0] == len(at)-1 {
			sel = selection.Written(names[0]) + ".." + selection.Written(names[len(names)-1])
		} else {
			for i := range names {
				names[i] = selection.Written(names[i])
			}
			sel = strings.Join(names, ",")
		}
		take(2*len(at), Finding{Kind: "headers", folds: map[string][]string{"": fields}, periods: true, Says: says, Evidence: diag.Names(names), Step: "unpivot " + Shell(sel) + " --label " + Shell(s.freeName(k)) + value})
	}
	var numbers []string
	for i, n := range s.lie.Names {
		if k, err := strconv.Atoi(n); err == nil && n != "" && s.timeKind(n) == "" && (len(numbers) == 0 || i > 0 && strconv.Itoa(k-1) == s.lie.Names[i-1]) {
			numbers = append(numbers, n)
		}
	}
	if n := len(numbers); n >= 3 && len(s.fitting("{x:#}")) == n {
		take(2*n, Finding{Kind: "headers", folds: map[string][]string{"": numbers}, Says: fmt.Sprintf("%s are numbers: values, not names", diag.Plural(int64(n), "header")), Evidence: diag.Names(numbers),
			Step: "unpivot " + Shell("{"+s.freeName("number")+":#}") + " --value " + Shell(s.freeName("value"))})
	}
	byPrefix := map[string][]string{}
	var prefixes []string
	for _, n := range s.lie.Names {
		if m := prefixed().FindStringSubmatch(n); m != nil && s.timeKind(n) == "" && !unnamed(n) {
			if byPrefix[m[1]] == nil {
				prefixes = append(prefixes, m[1])
			}
			byPrefix[m[1]] = append(byPrefix[m[1]], n)
		}
	}
	s.sideBySide(prefixes, byPrefix, take)
	length, codes := 0, 0
	more := func(p string) bool { // one has something behind its number, as T1a beside T2: what that means nobody knows
		return slices.ContainsFunc(s.lie.Names, func(n string) bool {
			rest, ok := strings.CutPrefix(n, p)
			return ok && rest != "" && rest[0] >= '0' && rest[0] <= '9' && !slices.Contains(byPrefix[p], n)
		})
	}
	for _, p := range prefixes {
		if len(byPrefix[p]) < 2 {
			continue
		}
		if more(p) {
			codes = -1 << 20
			continue
		}
		if length == 0 {
			length = len(p)
		}
		if len(p) == length && capitals(p) {
			codes += len(byPrefix[p])
		} else {
			codes = -1 << 20
		}
		name := strings.ToLower(strings.Trim(p, " _-"))
		numbers := func(p string) (out []string) {
			for _, n := range byPrefix[p] {
				out = append(out, n[len(p):])
			}
			return out
		}
		if slices.ContainsFunc(prefixes, func(q string) bool { return q != p && slices.Equal(numbers(p), numbers(q)) }) {
			continue // x1, y1, x2, y2 go together
		}
		if n := len(byPrefix[p]); n >= 3 && inTurn(byPrefix[p], len(p)) && !strings.ContainsAny(p, "{}") && len(s.fitting(p+"{x:#}")) == n {
			take(2*n-1, Finding{Kind: "headers", folds: map[string][]string{"": byPrefix[p]}, periods: periodWord(p), Says: fmt.Sprintf("%s follow %s", diag.Plural(int64(n), "header"), p+"{number:#}"), Evidence: diag.Names(byPrefix[p]),
				Step: "unpivot " + Shell(p+"{"+s.freeName("number")+":#}") + " --value " + Shell(s.freeName(name))})
		}
	}
	if several := fmt.Sprintf("{group:%d}{number:#}", length); codes >= 4 && len(prefixes) > 1 && len(s.fitting(several)) == codes {
		take(2*codes, Finding{Kind: "headers", folds: map[string][]string{"": s.fitting(several)}, Says: fmt.Sprintf("%s follow %s", diag.Plural(int64(codes), "header"), several), Evidence: diag.Names(s.fitting(several)),
			Step: "unpivot " + Shell(several) + " --value " + Shell(s.freeName("value"))})
	}
}

// twice tells whether a month stands twice among some fields, as Jan and January: those are words.
func (s *sample) twice(at []int) bool {
	seen := map[string]bool{}
	for _, a := range at {
		n := strings.ToLower(strings.Trim(s.lie.Names[a], " ."))
		if !strings.ContainsAny(n, "0123456789") {
			n = n[:3]
		}
		if seen[n] {
			return true
		}
		seen[n] = true
	}
	return false
}

// sideBySide finds measures with the same numbers behind them: x1, y1, x2, y2, ….
func (s *sample) sideBySide(prefixes []string, byPrefix map[string][]string, take func(int, Finding)) {
	var measures []string
	folds := map[string][]string{}
	for _, p := range prefixes {
		names := byPrefix[p]
		if len(names) < 2 || !inTurn(names, len(p)) || strings.ContainsAny(p, "{}|") || strings.TrimRight(p, " _-") != p || strings.ContainsAny(p, "0123456789") {
			continue
		}
		if len(measures) > 0 {
			first := byPrefix[measures[0]]
			if len(first) != len(names) || first[0][len(measures[0]):] != names[0][len(p):] {
				return
			}
		}
		measures, folds[p] = append(measures, p), names
	}
	n := 0
	for _, names := range folds {
		n += len(names)
	}
	source := "{@:" + strings.Join(measures, "|") + "}{" + s.freeName("number") + ":#}"
	if len(measures) < 2 || len(measures) > 12 || len(s.fitting(source)) != n || places(measures) {
		return
	}
	take(2*n+1, Finding{Kind: "headers", folds: folds, Says: fmt.Sprintf("%s follow %s", diag.Plural(int64(n), "header"), source), Evidence: diag.Names(s.fitting(source)), Step: s.outOfTheWay(measures) + "unpivot " + Shell(source)})
}

// places tells letters in turn, four at least, which name places of a grid with the numbers behind them: A1 to H12.
func places(measures []string) bool {
	for i, m := range measures {
		if len(m) != 1 || m[0] != measures[0][0]+byte(i) {
			return false
		}
	}
	return len(measures) > 3
}

// growing gives a pattern that fits the headers of a kind, and those that are still to come; "" where the headers are all there can be.
func (s *sample) growing(kind string, names []string) string {
	place := "{" + s.freeName(kind)
	var sources []string
	switch kind {
	case "month":
		if len(names) == len(months) {
			return ""
		}
		var full, short []string
		for _, m := range months {
			m = strings.ToUpper(m[:1]) + m[1:]
			full, short = append(full, m), append(short, m[:3])
		}
		sources = []string{":" + strings.Join(short, "|"), ":" + strings.Join(full, "|"), ":/[0-9]{4}-[0-9]{2}/"}
	case "quarter":
		if len(names) == 4 {
			return ""
		}
		sources = []string{":/Q[1-4]/", ":/[0-9]{4}-Q[1-4]/"}
	case "year":
		sources = []string{":#"}
	case "week":
		sources = []string{":/W[0-9]+/", ":/[0-9]{4}-W[0-9]+/"}
	case "date":
		sources = []string{":/[0-9]{4}-[0-9]{2}-[0-9]{2}/"}
	case "time":
		sources = []string{":/[0-9]+:[0-9]{2}/"}
	}
	for _, more := range sources {
		if slices.Equal(s.fitting(place+more+"}"), names) {
			return place + more + "}"
		}
	}
	return ""
}
