package table

import (
	"slices"
)

// Origin tells where the rows of a batch came from: the number of the input
// and the physical line of each row.
type Origin struct {
	File  int
	Line  int     // of the first row; 0: not known
	Each  int     // rows made of each source row, at least 1
	Lines []int32 // line of each source row less Line; nil: they stand on consecutive lines
	Ends  []int32 // where the rows made of each source row end, where their numbers differ; nil: Each
	Sheet string
}

// LineOf is the line of a row, 0 where it is not known.
func (o *Origin) LineOf(row int) int {
	switch {
	case o.Line == 0:
		return 0
	case o.Ends != nil:
		row, _ = slices.BinarySearch(o.Ends, int32(row)+1)
	case o.Each > 1:
		row /= o.Each
	}
	if o.Lines != nil {
		return o.Line + int(o.Lines[row])
	}
	return o.Line + row
}

// Derive makes the origin that of rows taken from src: row i of the new batch was row rows[i].
func (o *Origin) Derive(src *Origin, rows []int32) {
	lines := sized(o.Lines, len(rows))
	o.File, o.Line, o.Sheet, o.Each, o.Lines, o.Ends = src.File, src.Line, src.Sheet, 1, nil, nil
	if src.Line == 0 {
		return
	}
	o.Lines = lines
	if src.Ends != nil { // the rows rise, so there is no need to search for each
		k := 0
		for i, r := range rows {
			for src.Ends[k] <= r {
				k++
			}
			lines[i] = int32(k)
			if src.Lines != nil {
				lines[i] = src.Lines[k]
			}
		}
		return
	}
	if src.Lines == nil && src.Each <= 1 {
		copy(lines, rows)
		return
	}
	for i, r := range rows {
		o.Lines[i] = int32(src.LineOf(int(r)) - src.Line)
	}
}

// Repeat makes the origin that of each rows made of every row of src.
func (o *Origin) Repeat(src *Origin, each, rows int) {
	*o = *src
	if src.Each <= 1 && src.Ends == nil || src.Line == 0 {
		o.Each = each
		return
	}
	o.Each, o.Lines, o.Ends = each, make([]int32, rows), nil
	for r := range rows {
		o.Lines[r] = int32(src.LineOf(r) - src.Line)
	}
}

// From is the origin of the rows from one up to another, one by one.
func (o *Origin) From(from, to int) Origin {
	part := *o
	switch {
	case o.Line == 0:
		part.Each, part.Lines, part.Ends = 1, nil, nil
	case o.Each > 1 || o.Ends != nil:
		part.Lines = make([]int32, to-from)
		for r := range part.Lines {
			part.Lines[r] = int32(o.LineOf(from+r) - o.Line)
		}
		part.Each, part.Ends = 1, nil
	case o.Lines != nil:
		part.Lines = o.Lines[from:to]
	default:
		part.Line += from
	}
	return part
}
