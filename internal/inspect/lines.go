package inspect

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
)

// Histogram draws the bars of numbers in one line.
func (p *FieldProfile) Histogram() string {
	if len(p.Bars) == 0 {
		return ""
	}
	const blocks = " ▁▂▃▄▅▆▇█"
	high := slices.Max(p.Bars)
	var b strings.Builder
	for _, n := range p.Bars {
		k := int(math.Ceil(float64(n) / float64(high) * 8))
		b.WriteRune([]rune(blocks)[k])
	}
	return b.String()
}

// Lines describes the field in lines of text.
func (p *FieldProfile) Lines() []string {
	short := func(s string) string {
		if utf8.RuneCountInString(s) > 30 {
			return string([]rune(s)[:29]) + "…"
		}
		return s
	}
	about := func(is bool) string { return map[bool]string{true: "about "}[is] }
	number := Figure
	head := fmt.Sprintf("%s, %s filled, %s blank", p.Type, diag.Count(p.Rows-p.Blank), diag.Count(p.Blank))
	if p.Type == "numbers and texts" {
		head += fmt.Sprintf("; %s numbers", diag.Count(p.Numbers))
	}
	if p.Type == "blank" {
		return []string{head}
	}
	head += fmt.Sprintf("; %s%s distinct", about(p.DistinctIsAbout), diag.Count(p.Distinct))
	out := []string{head}
	if strings.Contains(p.Type, "number") {
		q := p.Quartiles
		out = append(out, fmt.Sprintf("min %s  max %s  mean %s  stdev %s", p.Min, p.Max, number(p.Mean), number(p.Stdev)))
		out = append(out, fmt.Sprintf("quartiles %s%s  %s  %s", about(p.QuartilesAreAbout), number(q[0]), number(q[1]), number(q[2])))
	} else {
		out = append(out, fmt.Sprintf("from %s to %s, the longest has %s", diag.Quote(short(p.Min)), diag.Quote(short(p.Max)), diag.Plural(int64(utf8.RuneCountInString(p.Longest)), "character")))
	}
	if h := p.Histogram(); h != "" {
		out = append(out, "▕"+h+"▏")
	}
	if len(p.Texts) > 0 {
		var list []string
		for _, c := range p.Texts {
			where := ""
			if c.Line > 0 {
				where = map[bool]string{true: " in line ", false: " from line "}[c.Count == 1] + diag.Count(int64(c.Line)) + map[bool]string{true: "", false: " on"}[c.Count == 1]
			}
			list = append(list, fmt.Sprintf("%s %s%s", diag.Quote(short(c.Value)), diag.Count(c.Count), where))
		}
		out = append(out, "texts among them "+strings.Join(list, ", "))
	}
	if len(p.Common) > 0 {
		var list []string
		for _, c := range p.Common {
			list = append(list, fmt.Sprintf("%s %s", diag.Quote(short(c.Value)), diag.Count(c.Count)))
		}
		out = append(out, "commonest "+strings.Join(list, ", "))
	}
	return out
}

// Figure writes a calculated number with as many digits as are of use: of a large one the whole ones and four decimals, else six.
func Figure(f float64) string {
	digits := 6 // of a large number, the whole ones and four decimals
	if whole := math.Abs(f); whole >= 100 && whole < 1e11 {
		digits = len(strconv.FormatFloat(math.Trunc(whole), 'f', 0, 64)) + 4
	}
	text := strconv.FormatFloat(f, 'g', digits, 64)
	d, ok := decimal.Parse(text)
	if !ok {
		return text
	}
	return d.Shortest().String()
}
