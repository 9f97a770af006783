package inspect

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/selection"
)

// twoPart finds a family of a label and a measure, as April kilos, April jars, May kilos, ….
func (s *sample) twoPart(take func(int, Finding)) {
	for _, sep := range []string{" / ", " - ", "_", " ", "-", ".", "/", ":"} {
		var before [][2]string
		for _, cut := range []func(string) (string, string, bool){
			func(n string) (string, string, bool) { return strings.Cut(n, sep) },
			func(n string) (string, string, bool) {
				i := strings.LastIndex(n, sep)
				if i < 0 {
					return "", "", false
				}
				return n[:i], n[i+len(sep):], true
			},
		} {
			var pairs [][2]string
			pairName := map[[2]string]string{}
			for _, n := range s.lie.Names {
				a, b, ok := cut(n)
				if unnamed(n) || s.timeKind(n) != "" {
					continue
				}
				if a = strings.TrimSpace(a); !ok || a == "" || strings.TrimSpace(b) == "" {
					continue
				}
				pairs = append(pairs, [2]string{a, b})
				pairName[[2]string{a, b}] = n
			}
			if len(pairs) < 2 || slices.Equal(pairs, before) {
				continue
			}
			before = pairs
			for side := range 2 {
				// The side of the measures has few words, each with most of the labels.
				measure := func(p [2]string) string { return p[side] }
				label := func(p [2]string) string { return p[1-side] }
				byMeasure := map[string][]string{}
				var measures []string
				for _, p := range pairs {
					if byMeasure[measure(p)] == nil {
						measures = append(measures, measure(p))
					}
					byMeasure[measure(p)] = append(byMeasure[measure(p)], label(p))
				}
				measures = slices.DeleteFunc(measures, func(m string) bool { return len(byMeasure[m]) < 2 || strings.ContainsAny(m, "|{}") })
				if len(measures) == 0 {
					continue
				}
				var labels []string
				n, seen := 0, map[string]bool{}
				for _, m := range measures {
					n += len(byMeasure[m])
					for _, l := range byMeasure[m] {
						if !seen[l] {
							seen[l] = true
							labels = append(labels, l)
						}
					}
				}
				kind := s.kindOfAll(labels)
				numbered := kind == "" && numbersAlone(labels)
				if _, n := sameButDigits(measures); n > 1 && kind == "" && !numbered { // bee 1, bee 2 are no measures
					continue
				}
				if numbersAlone(measures) {
					s.periods(pairs, side, sep, kind, numbered, labels, measures, take)
					continue
				}
				if len(labels) < 2 || len(measures) == 1 && (len(labels) < 3 || kind == "" && !numbered) || len(measures) > 12 ||
					!share(n, len(labels)*len(measures), 0.75) || s.kindOfAll(measures) != "" || kind == "" && !numbered && len(labels) < len(measures) {
					continue
				}
				if kind == "" && !numbered && (len(measures) < 2 || n < 4) {
					continue
				}
				if kind == "" && !numbered && !slices.ContainsFunc(measures, func(m string) bool { return !slices.Contains(naming, strings.ToLower(m)) }) { // they name things
					continue
				}
				if kind == "" && !numbered && 2*s.left(pairs, side, labels, measures) >= n {
					continue
				}
				if _, n := sameButDigits(labels); kind == "" && !numbered && n < len(labels) && !s.measuresBetter(pairs, pairName, side) {
					continue
				}
				if kind == "" && !numbered && s.cellsReturn(pairs, pairName, 1-side) > 0.1+2*s.cellsReturn(pairs, pairName, side) {
					continue // old and new name hold the same kind of thing, old name and old class do not
				}
				name := kind
				if name == "" {
					name = map[bool]string{true: "number", false: "label"}[numbered]
				}
				place := "{" + s.freeName(name) + "}"
				if prefix, n := sameButDigits(labels); name == "label" && n == len(labels) {
					place = prefix + "{" + s.freeName(strings.ToLower(strings.Trim(prefix, " _-"))) + ":#}"
				}
				value := ""
				what := "{@:" + strings.Join(measures, "|") + "}"
				if len(measures) == 1 {
					what = strings.NewReplacer("{", "{{", "}", "}}").Replace(measures[0])
					value = " --value " + Shell(measures[0])
					if slices.Contains(s.lie.Names, measures[0]) {
						value = " --value value"
					}
				}
				source := place + sep + what
				if side == 0 {
					source = what + sep + place
				}
				fit := s.fitting(source)
				if len(fit) != n { // others fit too, or some do not
					continue
				}
				bonus := 0
				if kind != "" {
					bonus = 1
				}
				folds := map[string][]string{}
				for _, p := range pairs {
					if slices.Contains(measures, measure(p)) {
						folds[measure(p)] = append(folds[measure(p)], pairName[p])
					}
				}
				take(2*n+bonus, Finding{Kind: "headers", folds: folds, periods: kind != "" || periodWord(place), Says: fmt.Sprintf("%s follow %s", diag.Plural(int64(n), "header"), source), Evidence: diag.Names(fit),
					Step: s.outOfTheWay(measures) + "unpivot " + Shell(source) + value})
			}
		}
	}
}

// naming are words for what names a thing and measures nothing.
var naming = []string{"id", "name", "code", "no", "key", "type", "label"}

// left counts the names that have one of the labels, but none of the measures: such labels have their own fields each.
func (s *sample) left(pairs [][2]string, side int, labels, measures []string) (n int) {
	for _, p := range pairs {
		if slices.Contains(labels, p[1-side]) && !slices.Contains(measures, p[side]) {
			n++
		}
	}
	return n
}

// measuresBetter tells whether the words on this side of some names are the measures rather than those on the other: what measures the
// same lies closer together. Where no numbers tell, the word that comes last is taken, as in "honey weight".
func (s *sample) measuresBetter(pairs [][2]string, names map[[2]string]string, side int) bool {
	apart := func(side int) (sum float64, numbers bool) {
		groups := map[string][]float64{}
		for _, p := range pairs {
			f := s.fields[slices.Index(s.lie.Names, names[p])]
			if !share(f.numbers, f.filled, 0.8) || f.filled == 0 {
				return 0, false
			}
			size, n := 0.0, 0
			for _, c := range f.cells[:min(len(f.cells), 200)] {
				if d, ok := decimal.Parse(c); ok {
					size += math.Abs(d.Float())
					n++
				}
			}
			groups[p[side]] = append(groups[p[side]], math.Log(size/float64(max(n, 1))+1e-9))
		}
		for _, g := range groups {
			sum += slices.Max(g) - slices.Min(g)
		}
		return sum / float64(len(groups)), true
	}
	here, ok := apart(side)
	there, _ := apart(1 - side)
	if !ok || here == there {
		return side == 1
	}
	return here < there
}

// cellsReturn tells how much the texts of fields whose names agree on a side are the same ones: of the shorter list of two, on average,
// 0 to 1.
func (s *sample) cellsReturn(pairs [][2]string, names map[[2]string]string, side int) float64 {
	texts := map[string][]*field{}
	for _, p := range pairs {
		if f := s.fields[slices.Index(s.lie.Names, names[p])]; f.filled > 0 && f.numbers < f.filled {
			texts[p[side]] = append(texts[p[side]], f)
		}
	}
	sum, n := 0.0, 0
	for _, group := range texts {
		for i, f := range group {
			for _, g := range group[:i] {
				same := 0
				for _, c := range f.order {
					if g.counts[c] > 0 {
						same++
					}
				}
				sum += float64(same) / float64(max(1, min(len(f.order), len(g.order))))
				n++
			}
		}
	}
	return sum / float64(max(n, 1))
}

// outOfTheWay renames the fields that are named as several measures will be.
func (s *sample) outOfTheWay(measures []string) string {
	var pairs []string
	for _, m := range measures {
		if len(measures) > 1 && slices.Contains(s.lie.Names, m) {
			pairs = append(pairs, selection.Written(m)+"="+selection.Written(s.freeName("other "+m)))
		}
	}
	if len(pairs) == 0 {
		return ""
	}
	return "rename " + Shell(strings.Join(pairs, ",")) + "\n"
}

// periods finds a family whose two parts are a month (or quarter) and a year, as Jan-24, Feb-24, ….
func (s *sample) periods(pairs [][2]string, side int, sep, kind string, numbered bool, labels, years []string, take func(int, Finding)) {
	if numbered && !slices.ContainsFunc(labels, func(l string) bool { n, _ := strconv.Atoi(l); return n < 1 || n > 12 }) {
		kind = "month"
	}
	digits := len(years[0])
	if kind != "month" && kind != "quarter" || digits != 2 && digits != 4 || len(pairs) < 3 || slices.ContainsFunc(years, func(y string) bool { return len(y) != digits }) ||
		digits == 4 && s.kindOfAll(years) != "year" || digits == 2 && numbered {
		return
	}
	parts := []string{"{" + s.freeName(kind) + "}", fmt.Sprintf("{%s:%d}", s.freeName("year"), digits)}
	if side == 0 {
		slices.Reverse(parts)
	}
	source := parts[0] + sep + parts[1]
	if fit := s.fitting(source); len(fit) == len(pairs) {
		take(2*len(fit)+1, Finding{Kind: "headers", folds: map[string][]string{"": fit}, periods: true, Says: fmt.Sprintf("%s follow %s", diag.Plural(int64(len(fit)), "header"), source), Evidence: diag.Names(fit),
			Step: "unpivot " + Shell(source) + " --value " + Shell(s.freeName("value"))})
	}
}
