package inspect

import (
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
)

// unitWords are what stands in a row of units, in small letters.
var unitWords = lazy(`^(?:[kcmµnμ]?g|kg|t|lbs?|oz|[kcmµμn]?m|ft|in|mi|inch(?:es)?|[mµμn]?s|sec(?:onds?)?|min(?:utes?)?|h(?:ours?|rs?)?|days?|d|months?|years?|yrs?|°|°?c|°?f|k|deg(?:rees?)?(?: ?[cf])?|%|percent|[cmµμ]?l|[hkm]?pa|m?bar|atm|psi|[mk]?v|[mµμ]?a|[mk]?w|k?wh|[km]?j|[km]?cal|[kmg]?hz|ppm|ppb|db|ph|[mk]?mol|m[23²³]|km[²2]|ha|acres?|usd|eur|gbp|[€$£¥]|counts?|number|no\.?|n|-|kn|knots|mph|rad|lux|lx|cd|nm)$`)

var unitParts = strings.NewReplacer("^", "", "**", "", "-1", "", "-2", "", "-3", "", "⁻¹", "", "⁻²", "", "⁻³", "")

// isUnit tells a unit, or one by another, brackets and all.
func isUnit(c string) bool {
	c = strings.TrimSpace(c)
	if n := len(c); n > 2 && (c[0] == '(' && c[n-1] == ')' || c[0] == '[' && c[n-1] == ']') {
		c = strings.TrimSpace(c[1 : n-1])
	}
	if c == "" || len(c) > 24 {
		return false
	}
	for _, p := range strings.FieldsFunc(unitParts.Replace(strings.ToLower(c)), func(r rune) bool { return r == '/' || r == '·' || r == ' ' || r == '.' || r == '*' }) {
		if !unitWords().MatchString(p) {
			return false
		}
	}
	return true
}

// unitsRow finds a row of units beneath the header: a unit in at least two fields whose other cells are numbers, and nothing but
// units and blanks in any field of numbers. The names take the units up.
func unitsRow(in input, o format.ReadOptions, l *format.Sample) (*format.Sample, format.ReadOptions, []Finding) {
	if in.once || o.Header.Kind != format.HeaderFirst || o.Body > 0 || o.First != "" || l.Header.From == 0 || l.Header.To != l.Header.From || l.Rows != nil || l.Body >= len(l.First) {
		return l, o, nil
	}
	first := l.First[l.Body].Cells
	if len(first) > len(l.Names) || slices.ContainsFunc(first, isNumber) {
		return l, o, nil
	}
	rows, _ := l.Data()
	if len(rows) < 3 {
		return l, o, nil
	}
	units, example := 0, ""
	for i, c := range first {
		numbers, filled := 0, 0
		for _, row := range rows[1:min(len(rows), 200)] {
			if row[i] == "" {
				continue
			}
			filled++
			if isNumber(row[i]) {
				numbers++
			}
		}
		switch {
		case c == "":
		case isUnit(c) && share(numbers, filled, 0.9):
			if units++; example == "" || example == "-" {
				example = c
			}
		case share(numbers, filled, 0.9): // a field of numbers with something else there
			return l, o, nil
		}
	}
	if units < 2 || example == "-" {
		return l, o, nil
	}
	with := o
	with.Header = format.Header{Kind: format.HeaderRows, From: l.Header.From, To: l.Body + 1}
	sample, err := in.sample(with)
	if err != nil || in.read(sample, with) != nil {
		return l, o, nil
	}
	return sample, with, []Finding{{Kind: "units row", Part: Safe, reads: true, Says: fmt.Sprintf("row %d holds units: with it the header is %s", l.Body+1, with.Header), Evidence: diag.Quote(example) + "; " + diag.Names(sample.Names)}}
}
