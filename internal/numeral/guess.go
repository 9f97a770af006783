package numeral

import (
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"

	"revuelta/internal/decimal"
)

// Reading is a form in which a text is a number, and that number.
type Reading struct {
	Form
	Number string
}

// parts are what stands before a number, its sign, the number itself with its marks, and what stands behind.
var parts = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^([^0-9+\-\x{2212}.,]*)([+\-\x{2212}]?)([^0-9+\-\x{2212}.,]*)([0-9][0-9.,'’\x{a0}\x{202f} ]*[0-9]|[0-9]|[.,][0-9]+)(.*)$`)
})

// sizes are suffixes that are known to multiply, wherever they are used.
var sizes = map[string]int64{"k": 1000, "K": 1000, "Tsd": 1000, "Tsd.": 1000, "M": 1_000_000, "Mio": 1_000_000, "Mio.": 1_000_000, "bn": 1_000_000_000, "Mrd": 1_000_000_000, "Mrd.": 1_000_000_000}

// Readings are the ways in which a text may be a number that go on from what is told already; none where it is none, or where
// what it would take is a guess. Several differ in the number, and each was read by its form.
func Readings(text string, told Form) []Reading {
	s := strings.TrimFunc(text, unicode.IsSpace)
	f := told
	f.Negative, f.Scales = slices.Clone(told.Negative), slices.Clone(told.Scales)
	if inner, negative := told.unsigned(s); negative {
		s = inner
	} else {
		s = f.signed(s)
	}
	p := parts().FindStringSubmatch(s)
	if p == nil {
		return nil
	}
	var forms []Form
	for _, g := range f.beside(strings.TrimSpace(p[1]+p[3]), strings.TrimSpace(p[5])) {
		forms = append(forms, g.marked(p[4])...)
	}
	var out []Reading
	for _, g := range forms {
		n, ok := g.Read(text)
		if !ok || slices.ContainsFunc(out, func(r Reading) bool { return r.Number == n }) {
			continue
		}
		out = append(out, Reading{g, n})
	}
	return out
}

// signed takes a form of negative numbers off that was not told, and notes it.
func (f *Form) signed(s string) string {
	take := func(form, inner string) string {
		f.Negative = append(f.Negative, form)
		return strings.TrimSpace(inner)
	}
	plain := func(s string) bool {
		return strings.ContainsAny(s, "0123456789") && !strings.ContainsAny(s, "+-()"+minus)
	}
	if inner, ok := strings.CutPrefix(s, "("); ok && strings.HasSuffix(inner, ")") && plain(inner[:len(inner)-1]) {
		return take("(n)", inner[:len(inner)-1])
	}
	for _, sign := range []string{"-", minus} {
		if inner, ok := strings.CutSuffix(s, sign); ok && plain(inner) {
			return take("n"+sign, inner)
		}
	}
	for _, word := range []string{"CR", "Cr"} {
		if inner, ok := strings.CutSuffix(s, " "+word); ok && plain(inner) {
			return take("n "+word, inner)
		}
	}
	return s
}

// beside are the forms that allow for what stands before and behind a number.
func (f Form) beside(before, behind string) []Form {
	currency := func(s string) bool {
		return s == "" || len([]rune(s)) <= 3 && !strings.ContainsFunc(s, func(r rune) bool { return !unicode.Is(unicode.Sc, r) && !unicode.IsUpper(r) })
	}
	letters := func(s string) bool { return strings.ContainsFunc(s, unicode.IsLetter) }
	missing := func(s string) string { // characters that are not stripped yet
		var out []rune
		for _, r := range s {
			if !strings.ContainsRune(f.Strip, r) && !slices.Contains(out, r) && !unicode.IsSpace(r) {
				out = append(out, r)
			}
		}
		return string(out)
	}
	if !currency(before) || strings.ContainsAny(before+behind, "0123456789+-()"+minus) {
		return nil
	}
	with := f
	with.Strip += missing(before)
	if behind == "" || missing(behind) == "" || slices.ContainsFunc(f.Scales, func(s Scale) bool { return strings.HasSuffix(behind, s.Suffix) }) {
		return []Form{with}
	}
	if by, ok := sizes[behind]; ok {
		with.Scales = append(with.Scales, Scale{behind, decimal.FromInt(by)})
		return []Form{with}
	}
	if behind == "%" { // 12 of a hundred, or 0.12
		part := with
		part.Scales = append(slices.Clone(with.Scales), Scale{"%", decimal.Scaled(1, 2)})
		with.Strip += "%"
		return []Form{part, with}
	}
	// A second unit in a field would lose its size.
	if len([]rune(behind)) > 4 || letters(f.Strip) || len(f.Scales) > 0 {
		return nil
	}
	with.Strip += missing(behind)
	return []Form{with}
}

// marked are the forms that the marks in a number may mean.
func (f Form) marked(number string) []Form {
	if f.Decimal != "" && f.Decimal != "." && f.Thousands != "" {
		return []Form{f}
	}
	with := func(point, thousands string) Form {
		g := f
		if g.Decimal == "" || g.Decimal == "." {
			g.Decimal = point
		}
		if g.Thousands == "" {
			g.Thousands = thousands
		}
		return g
	}
	for _, space := range []string{"'", "’", "\u00a0", "\u202f", " "} {
		if strings.Contains(number, space) {
			if strings.Contains(number, ",") {
				return []Form{with(",", space)}
			}
			return []Form{with("", space)}
		}
	}
	comma, point := strings.LastIndex(number, ","), strings.LastIndex(number, ".")
	switch {
	case comma < 0 && point < 0:
		return []Form{f}
	case comma > point && point >= 0:
		return []Form{with(",", ".")}
	case point > comma && comma >= 0:
		return []Form{with("", ",")}
	case comma >= 0 && strings.Count(number, ",") > 1:
		return []Form{with("", ",")}
	case comma >= 0:
		return []Form{with(",", ""), with("", ",")} // 3,178 may be both
	case strings.Count(number, ".") > 1:
		return []Form{with(",", ".")}
	}
	if f.Decimal == "," {
		return []Form{with(",", ".")}
	}
	return []Form{f}
}

// Commands are the cast steps that would read a text of a field, FIELD standing for its name, each with the number it
// gives where there are several.
func Commands(text string, told Form) []string {
	var out []string
	all := Readings(text, told)
	for _, r := range all {
		c := "cast FIELD number" + r.Options()
		if len(all) > 1 {
			c += "   # gives " + r.Number
		}
		out = append(out, c)
	}
	return out
}
