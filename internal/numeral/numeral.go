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
	"revuelta/internal/view"
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
		if r != 'n' {
			continue
		}
		before, _ := utf8.DecodeLastRuneInString(form[:i])
		after, _ := utf8.DecodeRuneInString(form[i+1:])
		if !letter(before) && !letter(after) {
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

// Quick gives a reader of the cells that are written most: digits, with marks between thousands, a decimal mark, and a minus. It is false
// for a cell that Read must look at; nil where the form takes something of such cells as a sign, or strips it. Read is its plain twin.
func (f *Form) Quick() func(cell string) (string, bool) {
	point, mark := byte('.'), byte(0)
	if f.Decimal != "" {
		point = f.Decimal[0]
	}
	if f.Thousands != "" {
		mark = f.Thousands[0]
	}
	const marks = "0123456789-"
	if point >= utf8.RuneSelf || mark >= utf8.RuneSelf || strings.IndexByte(marks, point) >= 0 || mark != 0 && strings.IndexByte(marks, mark) >= 0 ||
		strings.ContainsAny(f.Strip, marks+f.Decimal+f.Thousands+".") {
		return nil
	}
	if slices.ContainsFunc(f.Negative, func(form string) bool {
		at := placeOf(form)
		before, after := strings.TrimSpace(form[:at]), strings.TrimSpace(form[at+1:])
		return (before == "" || strings.Contains(marks, before[:1])) && (after == "" || strings.Contains(marks[:10], after[len(after)-1:]))
	}) {
		return nil
	}
	return func(cell string) (string, bool) {
		if point == '.' && Plain(cell) {
			return cell, true
		}
		var buf [24]byte
		n, whole, group := 0, true, -1 // group: digits since the last mark, -1 before one
		if len(cell) > len(buf) || point == '.' && mark == 0 {
			return "", false
		}
		for i := range len(cell) {
			c := cell[i]
			switch {
			case c == '-' && i == 0:
			case c >= '0' && c <= '9':
				if whole && group >= 0 {
					group++
				}
			case c == mark && mark != 0:
				digits := n
				if buf[0] == '-' {
					digits--
				}
				if !whole || group >= 0 && group != 3 || group < 0 && (digits < 1 || digits > 3) {
					return "", false
				}
				group = 0
				continue
			case c == point && whole:
				if group >= 0 && group != 3 {
					return "", false
				}
				whole, c = false, '.'
			default:
				return "", false
			}
			buf[n] = c
			n++
		}
		if whole && group >= 0 && group != 3 || !Plain(view.String(buf[:n])) {
			return "", false
		}
		return string(buf[:n]), true
	}
}

// Plain tells a number that is written as Read writes it: digits without a zero before them, a point between digits, and a minus before
// what is not zero.
func Plain(cell string) bool {
	const most = 18 // digits, which no calculation changes
	i := 0
	if i < len(cell) && cell[i] == '-' {
		i++
	}
	if i == len(cell) || len(cell)-i > most || cell[i] == '0' && i+1 < len(cell) && cell[i+1] != '.' {
		return false
	}
	point, some := -1, false
	for at := i; at < len(cell); at++ {
		c := cell[at]
		switch {
		case c == '.':
			if point >= 0 || at == i {
				return false
			}
			point = at
		case c < '0' || c > '9':
			return false
		default:
			some = some || c != '0'
		}
	}
	return point != len(cell)-1 && (some || i == 0)
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
