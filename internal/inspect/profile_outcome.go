package inspect

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"strings"
	"time"
)

// profile sums up.
func (t *tally) profile(name string, rows int64) *FieldProfile {
	t.settle()
	p := &FieldProfile{Name: name, Rows: rows, Blank: rows - t.filled, Numbers: t.numbers, Dates: t.dates, Longest: t.longest}
	p.Distinct, p.DistinctIsAbout = t.distinct()
	p.Distinct += int64(len(t.settled))
	switch {
	case t.filled == 0:
		p.Type = "blank"
	case t.numbers == t.filled && t.codes > 0:
		p.Type = "code"
	case t.wholes == t.filled:
		p.Type = "whole number"
	case t.numbers == t.filled:
		p.Type = "number"
	case t.dates == t.filled:
		p.Type = "date"
	case t.numbers > 0 && t.codes == 0 && t.numbers*10 >= t.filled:
		p.Type = "numbers and texts"
	default:
		p.Type = "text"
	}
	var written func(string) (time.Time, bool)
	if p.Type == "text" && t.numbers == 0 && t.counts != nil {
		if p.Type, written = t.otherDates(); written == nil && p.Type == "" {
			p.Type = "text"
		}
	}
	switch p.Type {
	case "number", "whole number", "numbers and texts":
		p.Min, p.Max = t.leastCell, t.mostCell
		t.describe(p)
	case "date":
		p.Min, p.Max = t.earlyCell, t.lateCell
	default:
		p.Min, p.Max = t.leastText, t.mostText
		if written != nil {
			p.Min, p.Max = t.span(written)
		}
		if t.codes > 0 || t.numbers > 0 { // digits are texts here
			note := func(c string) {
				if p.Min == "" || c < p.Min {
					p.Min = c
				}
				p.Max = max(p.Max, c)
			}
			for c := range t.counts {
				note(c)
			}
			for _, c := range t.settled {
				note(c.cell())
			}
		}
	}
	if t.counts != nil {
		p.Common = t.commonest(5)
	}
	if p.Type == "numbers and texts" {
		p.Texts = t.texts(5)
	}
	p.Common = slices.DeleteFunc(p.Common, func(c Common) bool { return c.Count == 1 && p.Distinct > 5 })
	if len(p.Common) > 0 && p.Common[0].Count == 1 && t.filled > 1 { // all differ
		p.Common = nil
	}
	return p
}

// otherDates gives the type of a field whose cells are all dates in another form than ISO 8601, with the form or both that fit, and what
// reads them where it is one; "" where they are none.
func (t *tally) otherDates() (string, func(string) (time.Time, bool)) {
	cells := slices.Sorted(maps.Keys(t.counts))
	if len(cells) == 0 || !likeDate(cells[0]) || len(cells[0]) > 30 {
		return "", nil
	}
	d := (&field{order: cells}).inForms()
	switch {
	case d == nil:
		return "", nil
	case len(d.forms) > 1:
		return "date as " + d.forms[0].strftime + " or " + d.forms[1].strftime, nil
	}
	return "date as " + d.forms[0].strftime, func(c string) (time.Time, bool) {
		at, err := time.Parse(d.forms[0].layout, c)
		return at, err == nil
	}
}

// span gives the earliest and the latest cell.
func (t *tally) span(read func(string) (time.Time, bool)) (early, late string) {
	var first, last time.Time
	for _, c := range slices.Sorted(maps.Keys(t.counts)) {
		at, ok := read(c)
		if !ok {
			continue
		}
		if early == "" || at.Before(first) {
			early, first = c, at
		}
		if late == "" || at.After(last) {
			late, last = c, at
		}
	}
	return early, late
}

// commonest are the most frequent cells, of equals the first by text.
func (t *tally) commonest(most int) (out []Common) {
	sorted := func() {
		slices.SortFunc(out, func(a, b Common) int { return cmp.Or(cmp.Compare(b.Count, a.Count), strings.Compare(a.Value, b.Value)) })
		out = out[:min(len(out), most)]
	}
	note := func(n int64, cell func() string) {
		if len(out) == most && n < out[most-1].Count {
			return
		}
		out = append(out, Common{Value: cell(), Count: n})
		sorted()
	}
	for c, k := range t.counts {
		note(k.n, func() string { return c })
	}
	for _, c := range t.settled {
		note(c.n, c.cell)
	}
	return out
}

// texts are the most frequent cells that are no numbers.
func (t *tally) texts(most int) (out []Common) {
	for c, k := range t.counts {
		if _, ok := parse(c); !ok {
			out = append(out, Common{c, k.n, k.line})
		}
	}
	slices.SortFunc(out, func(a, b Common) int { return cmp.Or(cmp.Compare(b.Count, a.Count), strings.Compare(a.Value, b.Value)) })
	return out[:min(len(out), most)]
}

// describe calculates what there is of numbers.
func (t *tally) describe(p *FieldProfile) {
	n := float64(t.numbers)
	p.Mean = t.first + t.sum/n
	if t.numbers > 1 {
		p.Stdev = math.Sqrt(max(0, (t.squares-t.sum*t.sum/n)/(n-1)))
	}
	low, high := t.least.Float(), t.most.Float()
	bars := make([]int64, mostBars)
	at := func(f float64) int {
		if high == low {
			return 0
		}
		return min(mostBars-1, max(0, int((f-low)/(high-low)*mostBars)))
	}
	if t.exact != nil || t.counts != nil { // each number and how often it stands
		all := slices.Clone(t.settled)
		for _, f := range t.exact {
			all = append(all, counted{f: f, n: 1})
		}
		if t.exact == nil {
			for c, k := range t.counts {
				if d, ok := parse(c); ok {
					all = append(all, counted{f: d.Float(), n: k.n})
				}
			}
		}
		slices.SortFunc(all, func(a, b counted) int { return cmp.Compare(a.f, b.f) })
		for _, c := range all {
			bars[at(c.f)] += c.n
		}
		nth := func(k int64) float64 {
			for _, c := range all {
				if k -= c.n; k < 0 {
					return c.f
				}
			}
			return high
		}
		for i := range p.Quartiles {
			at := float64(i+1) / 4 * (n - 1)
			low, next := nth(int64(at)), nth(int64(at)+1)
			p.Quartiles[i] = low + (next-low)*(at-math.Floor(at))
		}
	} else {
		p.QuartilesAreAbout = true
		seen, q := int64(0), 0
		for k := bucketOf(low); k <= bucketOf(high); k++ {
			if t.buckets[k] == 0 {
				continue
			}
			seen += int64(t.buckets[k])
			f := min(max(inBucket(k), low), high)
			for q < 3 && float64(seen) >= float64(q+1)/4*n {
				p.Quartiles[q] = f
				q++
			}
			bars[at(f)] += int64(t.buckets[k])
		}
	}
	if high > low {
		p.Bars = bars
	}
}

// between is a quantile of sorted numbers, linearly between the two nearest.
func between(sorted []float64, q float64) float64 {
	at := q * float64(len(sorted)-1)
	i := int(at)
	if i+1 >= len(sorted) {
		return sorted[len(sorted)-1]
	}
	return sorted[i] + (sorted[i+1]-sorted[i])*(at-float64(i))
}
