package ordering

import (
	"cmp"
	"slices"
)

// fewEntries is how many are sorted by comparing them.
const fewEntries = 96

// sort sorts some of the part's entries, which hold the 16 bytes of their keys behind so many, and whose keys are alike up to a depth
// in those. Where there are many it deals them out by the next byte, in place, then each pile by the one behind it: that looks at far
// fewer keys than comparing them does.
func (p *sortedPart) sort(e []entry, behind, depth int) {
	for {
		if len(e) <= fewEntries {
			slices.SortFunc(e, func(a, b entry) int { return p.compareFrom(behind, &a, p, &b) })
			return
		}
		if depth == 16 {
			p.further(e, behind+16)
			return
		}
		var count [256]int
		for i := range e {
			count[e[i].byteAt(depth)]++
		}
		if count[e[0].byteAt(depth)] == len(e) { // all have the same
			depth++
			continue
		}
		var next, end [256]int
		at := 0
		for b, n := range count {
			next[b] = at
			at += n
			end[b] = at
		}
		for b := range next {
			for next[b] < end[b] {
				x := e[next[b]]
				for k := x.byteAt(depth); int(k) != b; k = x.byteAt(depth) { // to where it belongs, and on with what stood there
					x, e[next[k]] = e[next[k]], x
					next[k]++
				}
				e[next[b]] = x
				next[b]++
			}
		}
		from := 0
		for b := range end {
			if end[b]-from > 1 {
				p.sort(e[from:end[b]], behind, depth+1)
			}
			from = end[b]
		}
		return
	}
}

// further sorts entries whose keys are alike up to there, by what stands behind it.
func (p *sortedPart) further(e []entry, behind int) {
	if !slices.ContainsFunc(e, func(x entry) bool { return len(p.whole(&x)) > behind }) {
		slices.SortFunc(e, func(a, b entry) int { return cmp.Compare(a.at, b.at) })
		return
	}
	high, low := e[0].high, e[0].low
	for i := range e {
		e[i].hold(p.whole(&e[i]), behind)
	}
	p.sort(e, behind, 0)
	for i := range e {
		e[i].high, e[i].low = high, low
	}
}

// hold takes the 16 bytes of the key behind so many.
func (e *entry) hold(key []byte, behind int) {
	key = key[min(behind, len(key)):]
	e.high, e.low = beginning(key), beginning(key[min(8, len(key)):])
}

// byteAt is one of the 16 bytes it holds.
func (e *entry) byteAt(depth int) byte {
	if depth < 8 {
		return byte(e.high >> (56 - 8*depth))
	}
	return byte(e.low >> (120 - 8*depth))
}
