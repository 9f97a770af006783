package inspect

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/agnivade/levenshtein"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
)

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
				if !alike && tidy[few]*4 <= tidy[many] && len([]rune(few)) >= 5 && !strings.ContainsFunc(few+many, unicode.IsDigit) && !strings.ContainsAny(few+many, "/^*+") && few != strings.ToUpper(few) && !strings.ContainsFunc(few+many, ideograph) && levenshtein.ComputeDistance(a, b) == 1 {
					alike = true
				}
				if alike && !computes(few) && !computes(many) && !isNumber(few) && !isNumber(many) && !strings.ContainsAny(few+many, "=,") && enclosed(few) == enclosed(many) && !codes(few, many) && !s.toldApart(f, few, many) {
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

// computes tells an expression, as of a unit or a state: case and signs count in it.
func computes(c string) bool {
	return strings.Contains(c, "^") || strings.ContainsAny(c, "0123456789") && strings.ContainsAny(c, "/(")
}

// ideograph tells a character that is a word or a syllable: another is another word.
func ideograph(r rune) bool {
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul)
}

// codes tells two texts in one word with digits in them: what stands between the digits counts.
func codes(a, b string) bool {
	return strings.ContainsAny(a, "0123456789") && !strings.ContainsAny(a+b, " ()") && strings.ContainsAny(a+b, "._/:'")
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
