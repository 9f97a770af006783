package view

import (
	"slices"
	"unsafe"
)

// Grid is the cells of a text as a parser found them, not made yet: cell k of row r ends before Ends[r*Fields+k] and begins
// behind the byte that the cell before it ends at, the first at the beginning of the text. Between rows so many bytes more are skipped:
// 1 where lines end with a carriage return too.
type Grid struct {
	Text   Text
	Ends   []uint32
	Fields int
	Skip   uint32
}

// Rows is how many rows it has.
func (g *Grid) Rows() int { return len(g.Ends) / g.Fields }

// Cell is a cell, which has a place in the text also where it is blank.
func (g *Grid) Cell(row, field int) string {
	return g.Text.Cell(int(g.start(row, field)), int(g.Ends[row*g.Fields+field]))
}

// start is where a cell begins.
func (g *Grid) start(row, field int) uint32 {
	switch k := row*g.Fields + field; {
	case k == 0:
		return 0
	case field == 0:
		return g.Ends[k-1] + 1 + g.Skip
	default:
		return g.Ends[k-1] + 1
	}
}

// Cut makes the cells of a field, one for each row from one on.
func (g *Grid) Cut(cells []string, field, row int) {
	if g.Skip > 0 && field == 0 {
		for i := range cells {
			cells[i] = g.Cell(row+i, field)
		}
		return
	}
	if len(cells) > 0 {
		g.Text.Cut(cells, g.start(row, field), g.Ends[row*g.Fields+field:], g.Fields)
	}
}

// Filled counts the cells of some fields, -1 for one that has none, that are not blank in the rows from one up to another.
func (g *Grid) Filled(fields []int32, from, to int) (sum int) {
	first := successive(fields)
	if wide && first >= 0 && (first > 0 || g.Skip == 0) {
		if first == 0 && from == 0 && to > 0 { // there is no cell before it
			sum, from = g.filled(fields, first, 0, 1), 1
		}
		if from < to {
			row := g.Ends[from*g.Fields+int(first):]
			_ = row[(to-from-1)*g.Fields+len(fields)-1]
			sum += filled64(unsafe.Pointer(unsafe.SliceData(row)), to-from, g.Fields, len(fields))
		}
		return sum
	}
	return g.filled(fields, first, from, to)
}

// filled is Filled one cell at a time.
func (g *Grid) filled(fields []int32, first int32, from, to int) (sum int) {
	for r := from; r < to; r++ {
		row := g.Ends[r*g.Fields : (r+1)*g.Fields]
		before := g.start(r, 0) - 1
		if first >= 0 {
			if first > 0 {
				before = row[first-1]
			}
			for _, end := range row[first : int(first)+len(fields)] {
				sum += int((before + 1 - end) >> 31) // 1 but for a blank, without a branch
				before = end
			}
			continue
		}
		for _, f := range fields {
			switch {
			case f < 0:
			case f == 0:
				sum += int((before + 1 - row[0]) >> 31)
			default:
				sum += int((row[f-1] + 1 - row[f]) >> 31)
			}
		}
	}
	return sum
}

// successive gives the first of fields of which each is the one behind that before it, -1 where they are not.
func successive(fields []int32) int32 {
	for i, f := range fields {
		if f < 0 || f != fields[0]+int32(i) {
			return -1
		}
	}
	if len(fields) == 0 {
		return -1
	}
	return fields[0]
}

// Turns is cells of a [Grid] taken in turn, as [Interleaved] takes those of columns. It keeps its working memory.
type Turns struct {
	grid     *Grid
	fields   []int32 // of each combination and measure, the measures side by side
	measures int
	first    int32    // of fields, where each is the one behind that before it, else -1
	labels   []string // each with Slack readable behind it
	longest  int
}

// Load takes the fields of each measure, one for a combination, -1 for a blank; and the labels, as [Interleaved.Load] does.
func (v *Turns) Load(labels [][]byte, grid *Grid, measures [][]int32) {
	v.grid, v.measures = grid, len(measures)
	v.fields, v.labels, v.longest = v.fields[:0], v.labels[:0], 0
	for c := range measures[0] {
		for _, m := range measures {
			if int(m[c]) >= grid.Fields {
				panic("view: no such field")
			}
			v.fields = append(v.fields, m[c])
		}
	}
	v.first = successive(v.fields)
	for _, l := range labels {
		if cap(l)-len(l) < Slack {
			panic(noSlack)
		}
		v.labels, v.longest = append(v.labels, String(l)), max(v.longest, len(l))
	}
}

// Append appends what a row makes, as [Interleaved.Append] does.
func (v *Turns) Append(dst, tail []byte, end int, codes []int32, row int, delimiter byte) []byte {
	g := v.grid
	if row < 0 || row >= g.Rows() || len(codes) == 0 || len(codes)*v.measures != len(v.fields) || end < 0 || end > len(tail) {
		panic("view: no such row")
	}
	if cap(tail)-len(tail) < Slack {
		panic(noSlack)
	}
	base, start := row*g.Fields, g.start(row, 0)-1
	ends := g.Ends[base : base+g.Fields]
	need := 2*Slack + (len(codes)+1)*(len(tail)+v.longest+v.measures)
	if v.first >= 0 {
		if v.first > 0 {
			start = ends[v.first-1]
		}
		ends = ends[v.first:][:len(v.fields)]
		need += int(ends[len(ends)-1] - start)
	} else {
		for _, f := range v.fields {
			if f >= 0 {
				need += len(g.Cell(row, int(f)))
			}
		}
	}
	if cap(dst)-len(dst) < need {
		dst = slices.Grow(dst, need)
	}
	begin := unsafe.Pointer(unsafe.SliceData(dst))
	to := unsafe.Add(begin, len(dst))
	blocks(to, unsafe.Add(unsafe.Pointer(unsafe.SliceData(tail)), end), len(tail)-end)
	to = unsafe.Add(to, len(tail)-end)
	switch last := ends[len(ends)-1]; {
	case v.first < 0 || uint64(last)+Slack > uint64(cap(g.Text)):
		to = v.turn(to, tail, codes, row, delimiter)
	case v.measures == 1:
		to = turnOne(to, unsafe.Pointer(unsafe.SliceData(tail)), len(tail), v.labels, codes, g.Text, ends, start+1)
	default:
		to = turnMore(to, tail, v.labels, codes, g.Text, ends, start+1, v.measures, delimiter)
	}
	return dst[:int(uintptr(to)-uintptr(begin))-len(tail)+end]
}

// turnOne writes the cells that end before ends, the first of which begins at start, and of which the last has Slack
// behind it. It is apart so that all it works with fits into registers. It writes a tail behind each row, so of the last one too much.
//
//go:noinline
func turnOne(to, tail unsafe.Pointer, n int, labels []string, codes []int32, text Text, ends []uint32, start uint32) unsafe.Pointer {
	from, last := unsafe.Pointer(unsafe.SliceData(text)), ends[len(ends)-1]
	codes = codes[:len(ends)]
	if wide {
		if to = turn64(to, tail, n, unsafe.Pointer(unsafe.SliceData(labels)), len(labels), unsafe.Pointer(unsafe.SliceData(codes)),
			unsafe.Pointer(unsafe.SliceData(ends)), len(ends), from, start, last); to == nil {
			panic(notInText)
		}
		return to
	}
	return turnEach(to, tail, n, labels, codes, from, ends, start)
}

// turnEach is turnOne by sixteen bytes.
func turnEach(to, tail unsafe.Pointer, n int, labels []string, codes []int32, from unsafe.Pointer, ends []uint32, start uint32) unsafe.Pointer {
	last := ends[len(ends)-1]
	for i, end := range ends {
		label := labels[codes[i]]
		blocks(to, unsafe.Pointer(unsafe.StringData(label)), len(label))
		to = unsafe.Add(to, len(label))
		if start > end || end > last {
			panic(notInText)
		}
		cell, size := unsafe.Add(from, start), int(end-start)
		*(*[16]byte)(to) = *(*[16]byte)(cell)
		if size > 16 {
			blocks(unsafe.Add(to, 16), unsafe.Add(cell, 16), size-16)
		}
		to = unsafe.Add(to, size)
		blocks(to, tail, n)
		to = unsafe.Add(to, n)
		start = end + 1
	}
	return to
}

// turnMore is turnOne for several measures.
//
//go:noinline
func turnMore(to unsafe.Pointer, tail []byte, labels []string, codes []int32, text Text, ends []uint32, start uint32, measures int, delimiter byte) unsafe.Pointer {
	from, last := unsafe.Pointer(unsafe.SliceData(text)), ends[len(ends)-1]
	t, n := unsafe.Pointer(unsafe.SliceData(tail)), len(tail)
	for _, code := range codes {
		label := labels[code]
		blocks(to, unsafe.Pointer(unsafe.StringData(label)), len(label))
		to = unsafe.Add(to, len(label))
		for _, end := range ends[:measures] {
			if start > end || end > last {
				panic(notInText)
			}
			cell, size := unsafe.Add(from, start), int(end-start)
			*(*[16]byte)(to) = *(*[16]byte)(cell)
			if size > 16 {
				blocks(unsafe.Add(to, 16), unsafe.Add(cell, 16), size-16)
			}
			to = unsafe.Add(to, size)
			*(*byte)(to) = delimiter
			to = unsafe.Add(to, 1)
			start = end + 1
		}
		ends = ends[measures:]
		to = unsafe.Add(to, -1) // the tail takes the place of the last delimiter
		blocks(to, t, n)
		to = unsafe.Add(to, n)
	}
	return to
}

// turn writes any cells.
func (v *Turns) turn(to unsafe.Pointer, tail []byte, codes []int32, row int, delimiter byte) unsafe.Pointer {
	fields := v.fields
	for _, code := range codes {
		label := v.labels[code]
		blocks(to, unsafe.Pointer(unsafe.StringData(label)), len(label))
		to = unsafe.Add(to, len(label))
		for _, f := range fields[:v.measures] {
			if f >= 0 {
				s := v.grid.Cell(row, int(f))
				short(to, unsafe.Pointer(unsafe.StringData(s)), len(s))
				to = unsafe.Add(to, len(s))
			}
			*(*byte)(to) = delimiter
			to = unsafe.Add(to, 1)
		}
		fields = fields[v.measures:]
		to = unsafe.Add(to, -1) // the tail takes the place of the last delimiter
		blocks(to, unsafe.Pointer(unsafe.SliceData(tail)), len(tail))
		to = unsafe.Add(to, len(tail))
	}
	return to
}
