package inspect

import (
	"fmt"
	"strconv"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
)

// form finds a form that is repeated in blocks: labels above them and beside them at the same distances, of two rows and
// columns at least, and cells filled in between. What else would be found in such a sheet takes it for a table.
func (r *Report) form() {
	l := r.Lie
	if !l.Whole || l.Rows != nil {
		return
	}
	for first := range l.First {
		if f, ok := blocksFrom(l, first); ok {
			if first > 0 {
				r.Reading = append(r.Reading, "--body", strconv.Itoa(first+1))
			}
			r.Findings = append(r.Findings, f)
			l.Header, l.Body, l.Foot = format.Header{}, first, nil
			r.Rows = len(l.First) - first
			return
		}
		if filledCells(l.First[first].Cells) > 1 { // it is no title
			return
		}
	}
}

func filledCells(cells []string) (n int) {
	for _, c := range cells {
		if c != "" {
			n++
		}
	}
	return n
}

// blocksFrom finds blocks whose labels above them stand in a row, and beside them in the first column.
func blocksFrom(l *format.Lie, first int) (Finding, bool) {
	width := 0
	var top, side []string
	var columns, rows []int // of the labels
	for _, r := range l.First[first:] {
		width = max(width, len(r.Cells))
	}
	cell := func(r, c int) string {
		if cells := l.First[r].Cells; c < len(cells) {
			return cells[c]
		}
		return ""
	}
	for c := 1; c < width; c++ { // what stands in the corner is nobody's label
		if label := cell(first, c); label != "" {
			top, columns = append(top, label), append(columns, c)
		}
	}
	for r := first + 1; r < len(l.First); r++ {
		if label := cell(r, 0); label != "" {
			side, rows = append(side, label), append(rows, r)
		}
	}
	across, acrossOK := evenly(columns, 1)
	down, downOK := evenly(rows, first+1)
	if !acrossOK || !downOK || (len(l.First)-first-1+down-1)/down != len(side) || (width-1+across-1)/across != len(top) {
		return Finding{}, false
	}
	// Each place in the block that is filled anywhere is wanted.
	filled := 0
	wanted := make([]int, across*down)
	for r := first + 1; r < len(l.First); r++ {
		for c := 1; c < width; c++ {
			if cell(r, c) != "" {
				wanted[(r-first-1)%down*across+(c-1)%across]++
				filled++
			}
		}
	}
	blocks := len(top) * len(side)
	var shape []string
	names, sparse := 0, 0
	for r := range down {
		var line []string
		for c := range across {
			n := wanted[r*across+c]
			if n == 0 {
				line = append(line, ".")
				continue
			}
			if names++; 4*n < blocks {
				sparse++
			}
			line = append(line, string(rune('a'+c%26))+strconv.Itoa(r+1))
		}
		shape = append(shape, strings.Join(line, " "))
	}
	if names < 2 || 2*sparse > names {
		return Finding{}, false
	}
	name := func(labels []string, otherwise string) string {
		if k := (&sample{kinds: map[string]string{}}).kindOfAll(labels); k != "" {
			return k
		}
		return otherwise
	}
	above, beside := name(top, "top"), name(side, "side")
	if above == beside {
		above, beside = "top", "side"
	}
	return Finding{Kind: "repeated blocks", Says: fmt.Sprintf("a form in %s of %s x %s, labels above and beside them", diag.Plural(int64(blocks), "block"), diag.Plural(int64(down), "row"), diag.Plural(int64(across), "column")),
		Evidence: fmt.Sprintf("above %s; beside %s", diag.Names(top), diag.Names(side)),
		Step:     "stencil " + shell(strings.Join(shape, " / ")) + " --side " + beside + " --top " + above}, true
}

// evenly gives the distance of places that begin where they should and are as far from each other, two at least.
func evenly(places []int, from int) (int, bool) {
	if len(places) < 2 || places[0] != from {
		return 0, false
	}
	by := places[1] - places[0]
	for i, p := range places {
		if p != from+i*by {
			return 0, false
		}
	}
	return by, by >= 2
}
