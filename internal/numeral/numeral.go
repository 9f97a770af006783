// Package numeral reads numbers as people write them: with other marks for decimals and thousands, units and currencies,
// brackets or signs behind for negative ones, suffixes that multiply. It also finds out which of those forms a text may have.
package numeral

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
)

// Form is how the numbers of a field are written. The zero value is the plain form.
type Form struct {
	Decimal   string   // the character before the decimals, "" a point
	Thousands string   // the character between thousands, "" none
	Strip     string   // characters that are taken off
	Negative  []string // how negative numbers are written, n standing for the number
	Scales    []Scale
}

// Scale is a suffix and what it multiplies by.
type Scale struct {
	Suffix string
	By     decimal.D
}

// minus is the true minus sign, which always counts as one.
const minus = "\u2212"

// ParseNegative checks a form of negative numbers: one n that is no part of a word, and something beside it.
func ParseNegative(form string) error {
	if at := placeOf(form); at < 0 || strings.TrimSpace(form) == "n" {
		return diag.Usagef("--negative %s: it is how a negative number is written, with n for the number", diag.Quote(form)).Trying("--negative '(n)'", "--negative 'n-'", "--negative 'n CR'")
	}
	return nil
}

// placeOf is where the n of a form stands that is no part of a word, -1 where there is none, or more.
func placeOf(form string) int {
	letter := func(r rune) bool { return unicode.IsLetter(r) }
	at := -1
	for i, r := range form {
		before, _ := utf8.DecodeLastRuneInString(form[:i])
		after, _ := utf8.DecodeRuneInString(form[i+utf8.RuneLen(r):])
		if r == 'n' && !letter(before) && !letter(after) {
			if at >= 0 {
				return -1
			}
			at = i
		}
	}
	return at
}

// ParseScales reads k=1000,%=0.01.
func ParseScales(s string) ([]Scale, error) {
	var out []Scale
	for _, piece := range strings.Split(s, ",") {
		suffix, by, ok := strings.Cut(piece, "=")
		suffix = strings.TrimSpace(suffix)
		d, read := decimal.Parse(strings.TrimSpace(by))
		switch {
		case !ok || suffix == "" || !read || d.Sign() <= 0:
			return nil, diag.Usagef("--scale %s: it is suffixes with what each multiplies by", diag.Quote(piece)).Trying("--scale 'k=1000,M=1000000,%=0.01'")
		case slices.ContainsFunc(out, func(o Scale) bool { return o.Suffix == suffix }):
			return nil, diag.Usagef("--scale names %s twice", diag.Quote(suffix))
		case strings.ContainsAny(suffix, "0123456789+-()"+minus):
			return nil, diag.Usagef("--scale: the suffix %s has a digit or a sign in it", diag.Quote(suffix))
		}
		out = append(out, Scale{suffix, d})
	}
	// The longest first, of which others are ends.
	slices.SortStableFunc(out, func(a, b Scale) int { return len(b.Suffix) - len(a.Suffix) })
	return out, nil
}

// Read reads a cell and gives the plain number: with the decimals it has, in shortest form where a suffix multiplied it.
func (f *Form) Read(cell string) (string, bool) {
	d, ok := f.number(cell)
	if !ok {
		return "", false
	}
	return string(d.Append(nil)), true
}

func (f *Form) number(cell string) (d decimal.D, ok bool) {
	s, negative := f.unsigned(strings.TrimFunc(cell, unicode.IsSpace))
	if f.Strip != "" {
		s = strings.Map(func(r rune) rune {
			if strings.ContainsRune(f.Strip, r) && string(r) != f.Decimal {
				return -1
			}
			return r
		}, s)
		s = strings.TrimFunc(s, unicode.IsSpace)
	}
	by := (*decimal.D)(nil)
	for i := range f.Scales {
		if rest, cut := strings.CutSuffix(s, f.Scales[i].Suffix); cut {
			s, by = strings.TrimRightFunc(rest, unicode.IsSpace), &f.Scales[i].By
			break
		}
	}
	if rest, true := strings.CutPrefix(s, minus); true {
		s = "-" + rest
	}
	if negative && (s == "" || s[0] == '-' || s[0] == '+') {
		return d, false
	}
	plain, ok := f.plain(s)
	if !ok {
		return d, false
	}
	if d, ok = decimal.Parse(plain); !ok {
		return d, false
	}
	if by != nil {
		var err error
		if d, err = d.Mul(*by); err != nil {
			return d, false
		}
		d = d.Shortest()
	}
	if negative {
		d = d.Neg()
	}
	if d.Sign() == 0 {
		d = d.Abs()
	}
	return d, true
}

// unsigned takes a form of negative numbers off a text.
func (f *Form) unsigned(s string) (string, bool) {
	for _, form := range f.Negative {
		at := placeOf(form)
		before, after := strings.TrimSpace(form[:at]), strings.TrimSpace(form[at+1:])
		if len(s) < len(before)+len(after) || !strings.HasPrefix(s, before) || !strings.HasSuffix(s, after) {
			continue
		}
		return strings.TrimFunc(s[len(before):len(s)-len(after)], unicode.IsSpace), true
	}
	return s, false
}

// plain puts the usual marks in the place of others.
func (f *Form) plain(s string) (string, bool) {
	point := f.Decimal
	if point == "" {
		point = "."
	}
	if f.Thousands != "" {
		var ok bool
		if s, ok = ungroup(s, f.Thousands, point); !ok {
			return s, false
		}
	}
	if point != "." {
		if strings.Contains(s, ".") {
			return s, false
		}
		s = strings.Replace(s, point, ".", 1)
	}
	return s, !strings.HasSuffix(s, ".")
}

// ungroup takes the marks between thousands away; they must stand between groups of three.
func ungroup(s, mark, point string) (string, bool) {
	whole, rest := s, ""
	if i := strings.Index(s, point); i >= 0 {
		whole, rest = s[:i], s[i:]
	}
	if !strings.Contains(whole, mark) {
		return s, !strings.Contains(rest, mark)
	}
	groups := strings.Split(strings.TrimLeft(whole, "+-"), mark)
	for i, g := range groups {
		if i > 0 && len(g) != 3 || i == 0 && (len(g) < 1 || len(g) > 3) {
			return s, false
		}
	}
	return strings.ReplaceAll(whole, mark, "") + rest, !strings.Contains(rest, mark)
}

// Options are the options of cast that tell the form, each with a space before it.
func (f *Form) Options() string {
	var b strings.Builder
	say := func(name, value string) {
		if value != "" {
			fmt.Fprintf(&b, " --%s %s", name, diag.Shell(value))
		}
	}
	if f.Decimal != "." {
		say("decimal", f.Decimal)
	}
	say("thousands", f.Thousands)
	say("strip", f.Strip)
	for _, n := range f.Negative {
		say("negative", n)
	}
	var scales []string
	for _, s := range f.Scales {
		scales = append(scales, s.Suffix+"="+s.By.String())
	}
	say("scale", strings.Join(scales, ","))
	return b.String()
}
