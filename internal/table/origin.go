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
	Files []int32 // number of the input of each source row, where they are of several; nil: File
	Ends  []int32 // where the rows made of each source row end, where their numbers differ; nil: Each
	Sheet string
}

// LineOf is the line of a row, 0 where it is not known.
func (o *Origin) LineOf(row int) int {
	if o.Line == 0 {
		return 0
	}
	row = o.source(row)
	if o.Lines != nil {
		return o.Line + int(o.Lines[row])
	}
	return o.Line + row
}

// FileOf is the number of the input that a row came from.
func (o *Origin) FileOf(row int) int {
	if o.Files == nil {
		return o.File
	}
	return int(o.Files[o.source(row)])
}

// Earliest is where the first row of the batch stands, of those that came first to the input's.
func (o *Origin) Earliest() (file, line int) {
	file, line = o.File, o.Line
	if o.Files != nil {
		file = int(slices.Min(o.Files))
	}
	if o.Lines != nil && line > 0 {
		line += int(slices.Min(o.Lines))
	}
	return file, line
}

// source is which source row a row was made of.
func (o *Origin) source(row int) int {
	switch {
	case o.Ends != nil:
		row, _ = slices.BinarySearch(o.Ends, int32(row)+1)
	case o.Each > 1:
		row /= o.Each
	}
	return row
}

// Derive makes the origin that of rows taken from src: row i of the new batch was row rows[i].
func (o *Origin) Derive(src *Origin, rows []int32) {
	lines, files := sized(o.Lines, len(rows)), o.Files
	o.File, o.Line, o.Sheet, o.Each, o.Lines, o.Ends, o.Files = src.File, src.Line, src.Sheet, 1, nil, nil, nil
	if src.Line == 0 {
		return
	}
	if src.Files != nil {
		o.Files = sized(files, len(rows))
		for i, r := range rows {
			o.Files[i] = int32(src.FileOf(int(r)))
		}
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
	if src.Files != nil {
		o.Files = make([]int32, rows)
		for r := range rows {
			o.Files[r] = int32(src.FileOf(r))
		}
	}
}

// From is the origin of the rows from one up to another, one by one.
func (o *Origin) From(from, to int) Origin {
	part := *o
	switch {
	case o.Line == 0:
		part.Each, part.Lines, part.Ends, part.Files = 1, nil, nil, nil
	case o.Each > 1 || o.Ends != nil:
		part.Lines = make([]int32, to-from)
		for r := range part.Lines {
			part.Lines[r] = int32(o.LineOf(from+r) - o.Line)
		}
		if o.Files != nil {
			part.Files = make([]int32, to-from)
			for r := range part.Files {
				part.Files[r] = int32(o.FileOf(from + r))
			}
		}
		part.Each, part.Ends = 1, nil
	case o.Lines != nil:
		part.Lines = o.Lines[from:to]
		if o.Files != nil {
			part.Files = o.Files[from:to]
		}
	default:
		part.Line += from
	}
	return part
}

// own copies what is lent.
func (o *Origin) own() {
	o.Lines, o.Ends, o.Files = slices.Clone(o.Lines), slices.Clone(o.Ends), slices.Clone(o.Files)
}
