package inspect

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/format/delimited"
)

// form finds a form that is repeated in blocks: labels above them and beside them at the same distances, of two rows and
// columns at least, and cells filled in between. What else would be found in such a sheet takes it for a table.
func (r *Report) form() {
	l := r.Sample
	if !l.Whole || l.Rows != nil {
		return
	}
	for first := range l.First {
		f, ok := blocksFrom(l, first)
		if !ok {
			f, ok = stackFrom(l, first)
		}
		if ok {
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
func blocksFrom(l *format.Sample, first int) (Finding, bool) {
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
	return Finding{Kind: "repeated blocks", Part: Safe, claim: fromSheet, Says: fmt.Sprintf("a form in %s of %s x %s, labels above and beside them", diag.Plural(int64(blocks), "block"), diag.Plural(int64(down), "row"), diag.Plural(int64(across), "column")),
		Evidence: fmt.Sprintf("above %s; beside %s", diag.Names(top), diag.Names(side)),
		Step:     "stencil " + Shell(strings.Join(shape, " / ")) + " --side " + beside + " --top " + above}, true
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

// stackFrom finds blocks that stand one beneath the other, with the same labels at the same places in each.
func stackFrom(l *format.Sample, first int) (Finding, bool) {
	rows, width := l.First[first:], 0
	for _, r := range rows {
		width = max(width, len(r.Cells))
	}
	for down := 2; down <= (len(rows)+1)/2 && down <= mostOfForm && width <= mostOfForm; down++ {
		if f, ok := stackOf(rows, down, width); ok {
			return f, true
		}
	}
	return Finding{}, false
}

// mostOfForm is how many rows and columns a block may have.
const mostOfForm = 40

// stackOf finds blocks of so many rows: at three places or more, in the first row and in two columns at least, each has
// a text that stands there in every block and nowhere else in it; at two places or more they have something else.
func stackOf(rows []delimited.Record, down, width int) (Finding, bool) {
	cell := func(r, c int) string {
		if r < len(rows) && c < len(rows[r].Cells) {
			return strings.TrimSpace(rows[r].Cells[c])
		}
		return ""
	}
	blocks := (len(rows) + down - 1) / down
	labels := make([]string, down*width)
	wanted := make([]bool, down*width)
	seen, columns := map[string]bool{}, map[int]bool{}
	var all []string
	for i := range labels {
		r, c := i/width, i%width
		label, same := cell(r, c), true
		for b := range blocks {
			text := cell(b*down+r, c)
			same = same && text == label
			wanted[i] = wanted[i] || text != ""
		}
		if _, number := number(label); !same || label == "" || number {
			continue
		}
		if seen[label] {
			return Finding{}, false
		}
		seen[label], labels[i], wanted[i] = true, label, false
	}
	for i, label := range labels {
		r, c := i/width, i%width
		// What stands behind a label, in a row that has values, is one too, though it is the same in every block.
		if label != "" && c > 0 && labels[i-1] != "" && slices.Contains(wanted[r*width:(r+1)*width], true) {
			labels[i], wanted[i] = "", true
		} else if label != "" {
			all, columns[c] = append(all, label), true
		}
	}
	begins := slices.ContainsFunc(labels[:width], func(label string) bool { return label != "" })
	values := 0
	for i, w := range wanted {
		if w {
			values++
			if missing := len(rows) % down; missing > 0 && i/width >= missing {
				return Finding{}, false
			}
		}
	}
	words := 0 // labels; a code stands in two places by chance
	for _, label := range all {
		if !strings.ContainsAny(label, "0123456789") {
			words++
		}
	}
	if len(all) < 3 || len(columns) < 2 || values < 2 || !begins || !share(words, len(all), 0.6) {
		return Finding{}, false
	}
	// A value is named by the label before it, or by that above it with a number where it names several.
	names, named := make([]string, len(wanted)), map[string]int{}
	for i, w := range wanted {
		if !w {
			continue
		}
		name := "cell"
		if i%width > 0 && labels[i-1] != "" {
			name = labels[i-1]
		} else {
			for k := i - width; k >= 0; k -= width {
				if labels[k] != "" {
					name = labels[k]
					break
				}
			}
		}
		names[i] = strings.Trim(strings.Map(func(r rune) rune {
			if unicode.IsLetter(r) || unicode.IsDigit(r) {
				return unicode.ToLower(r)
			}
			return '_'
		}, name), "_")
		if names[i] == "" { // a label of signs alone
			names[i] = "cell"
		}
		named[names[i]]++
	}
	var shape []string
	count := map[string]int{}
	for r := range down {
		var line []string
		for c := range width {
			name := names[r*width+c]
			switch {
			case name == "":
				name = "."
			case named[name] > 1:
				count[name]++
				name += strconv.Itoa(count[name])
			}
			line = append(line, name)
		}
		shape = append(shape, strings.Join(line, " "))
	}
	return Finding{Kind: "repeated blocks", Part: Safe, claim: fromSheet, Says: fmt.Sprintf("a form in %s, one beneath the other, of %s", diag.Plural(int64(blocks), "block"), diag.Plural(int64(down), "row")),
		Evidence: fmt.Sprintf("%s stand in each, first in line %d", diag.Names(all), rows[0].Line),
		Step:     "stencil " + Shell(strings.Join(shape, " / "))}, true
}
