package table

import (
	"slices"

	"revuelta/internal/view"
)

// Absent tells which characters are known not to stand in any cell of a
// column, so that a writer need not look for them.
type Absent uint8

// The characters a column may be known to lack.
const (
	AbsentBreaks Absent = 1 << iota // quotes, carriage returns and line feeds
	AbsentComma
	AbsentSemicolon
	AbsentTab
	AbsentBar

	AbsentAll Absent = 1<<iota - 1
)

// AbsentDelimiter is the mark for a delimiter; 0 where there is none for it.
func AbsentDelimiter(c byte) Absent {
	switch c {
	case ',':
		return AbsentComma
	case ';':
		return AbsentSemicolon
	case '\t':
		return AbsentTab
	case '|':
		return AbsentBar
	}
	return 0
}

// AbsentFrom finds which characters stand in no cell.
func AbsentFrom(cells []string) Absent {
	absent := AbsentAll
	for _, s := range cells {
		for i := 0; i < len(s); i++ {
			switch c := s[i]; c {
			case '"', '\r', '\n':
				absent &^= AbsentBreaks
			default:
				absent &^= AbsentDelimiter(c)
			}
		}
	}
	return absent
}

// Kind tells how a column holds its cells.
type Kind uint8

// The kinds of column.
const (
	Plain       Kind = iota // Cells has a cell a row
	Runs                    // Cells[i] stands in the rows below Ends[i] that Cells[i-1] does not reach
	Encoded                 // row r holds Cells[Codes[r]]
	Interleaved             // row r holds Parts[r%len(Parts)][r/len(Parts)], a blank where that part is nil; or so of a [Grid]
	Placed                  // row r holds the cell of a field in row r of a grid; only who asked for such columns gets them
)

// Column is the cells of one field in one batch. Its slices may belong to it
// or be lent by another batch of the same worker or shared for ever; they are
// read only except right after [Column.Make] and its like.
type Column struct {
	Kind   Kind
	Absent Absent
	Cells  []string
	Ends   []int32
	Codes  []int32
	Parts  [][]string // each with the same number of cells, lent

	source  source
	grid    *view.Grid // of Placed, and of Interleaved where there are no Parts
	turns   []int32    // fields of the grid that Interleaved takes in turn, -1 for a blank
	from    int        // row of the grid at which it begins
	rows    int        // how many rows of the grid
	cells   []string   // own array behind Cells, kept for reuse
	ints    []int32    // own array behind Ends or Codes
	foreign uint8      // which of the slices are lent
}

const (
	lentCells uint8 = 1 << iota
	lentInts
)

// source is where cells lie in a text.
type source struct {
	text  view.Text // that holds every cell; nil: none is known
	field int32     // which cell of a row of the text they are
	// parsed: the cells are those of the rows of the text, one after the other, as its parser laid them out; those of
	// two columns then stand side by side in all rows if they do in some.
	parsed bool
}

// Parsed tells that the plain cells are those of a field of the text, in every row of it. Only a parser of the text may say so.
func (c *Column) Parsed(text view.Text, field int) {
	c.source = source{text, int32(field), true}
}

// Place tells that the cells lie in a text, as those of a field in rows of it. Whether they stand beside those of another column is
// looked at, in every row, before anybody relies on it.
func (c *Column) Place(text view.Text, field int) {
	c.source = source{text, int32(field), false}
}

// InGrid makes the column the cells of a field of the grid, in every row of it. Only a parser of its text may say so, and only to
// who asked for columns of this kind: they have no Cells. The grid is lent for as long as the batch is used by the same worker.
func (c *Column) InGrid(g *view.Grid, field int, absent Absent) {
	c.Make(0)
	c.Kind, c.Cells, c.Absent, c.grid, c.source = Placed, nil, absent, g, source{g.Text, int32(field), true}
}

// Grid is what the column's cells are a field of, and the field; nil where it is not [Placed].
func (c *Column) Grid() (*view.Grid, int32) {
	if c.Kind != Placed {
		return nil, 0
	}
	return c.grid, c.source.field
}

// TakeTurns makes the column take a cell of each field, -1 for a blank, in turn, in so many rows of a grid from one on. The fields are lent.
func (c *Column) TakeTurns(g *view.Grid, fields []int32, from, rows int, absent Absent) {
	c.Make(0)
	c.Kind, c.Absent, c.grid, c.turns, c.from, c.rows = Interleaved, absent, g, fields, from, rows
}

// Turns is what an interleaved column takes its cells from: a grid, its fields and the first row; nil where it takes them from Parts.
func (c *Column) Turns() (g *view.Grid, fields []int32, from int) { return c.grid, c.turns, c.from }

// take writes the cells of an interleaved column of a grid, as many as out holds.
func (c *Column) take(out []string) {
	k := 0
	for r := range c.rows {
		for _, f := range c.turns {
			if k == len(out) {
				return
			}
			if out[k] = ""; f >= 0 {
				out[k] = c.grid.Cell(c.from+r, int(f))
			}
			k++
		}
	}
}

// Unplace tells that it is not known any more where the cells lie.
func (c *Column) Unplace() { c.source = source{} }

// PlaceAs tells that the cells are some of those of src.
func (c *Column) PlaceAs(src *Column) {
	c.source = source{}
	if src.Kind == Plain {
		c.source = source{src.source.text, src.source.field, false}
	}
}

// Text is the text that all cells of the column lie in, nil where that is not known.
func (c *Column) Text() view.Text { return c.source.text }

// Adjacent reports whether in every row of plain columns, or in every run, the cell of the second column stands in the
// same text as that of the first, behind it and a delimiter.
func Adjacent(first, second *Column, delimiter byte) bool {
	a, b := &first.source, &second.source
	if a.text == nil || b.field != a.field+1 || first.Kind != second.Kind || !a.text.Same(b.text) {
		return false
	}
	n := len(first.Cells)
	if n == 0 || n != len(second.Cells) {
		return false
	}
	if a.parsed && b.parsed {
		return a.text.Adjacent(first.Cells[:1], second.Cells[:1], delimiter) && a.text.Adjacent(first.Cells[n-1:], second.Cells[n-1:], delimiter)
	}
	return a.text.Adjacent(first.Cells, second.Cells, delimiter)
}

// Make gives the column n plain cells of its own, their contents undefined.
func (c *Column) Make(n int) []string {
	c.Kind, c.Ends, c.Codes, c.Parts, c.foreign, c.Absent, c.source, c.grid = Plain, nil, nil, nil, 0, 0, source{}, nil
	c.cells = sized(c.cells, n)
	c.Cells = c.cells
	return c.Cells
}

// MakeRuns gives the column n runs of its own, their contents undefined.
func (c *Column) MakeRuns(n int) ([]string, []int32) {
	cells := c.Make(n)
	c.ints = sized(c.ints, n)
	c.Kind, c.Ends = Runs, c.ints
	return cells, c.Ends
}

// MakeCodes gives the column codes of its own for n rows over shared values.
func (c *Column) MakeCodes(values []string, n int) []int32 {
	c.ints = sized(c.ints, n)
	c.Kind, c.Cells, c.Ends, c.Codes, c.Parts, c.foreign, c.Absent, c.source = Encoded, values, nil, c.ints, nil, lentCells, 0, source{}
	return c.Codes
}

// SetConstant makes all n rows hold one value.
func (c *Column) SetConstant(value string, n int) {
	if n == 0 {
		c.Make(0)
		return
	}
	cells, ends := c.MakeRuns(1)
	cells[0], ends[0] = value, int32(n)
	if value == "" {
		c.Absent = AbsentAll
	}
}

// ShareRuns makes the column runs over slices that belong to others, the cells being some of those of src.
func (c *Column) ShareRuns(src *Column, cells []string, ends []int32) {
	c.Kind, c.Cells, c.Ends, c.Codes, c.Parts, c.foreign, c.Absent = Runs, cells, ends, nil, nil, lentCells|lentInts, src.Absent
	c.PlaceAs(src)
}

// Share makes the column plain over cells that belong to others.
func (c *Column) Share(cells []string, absent Absent) {
	c.Kind, c.Cells, c.Ends, c.Codes, c.Parts, c.foreign, c.Absent, c.source = Plain, cells, nil, nil, nil, lentCells, absent, source{}
}

// ShareCodes makes the column codes over slices that belong to others.
func (c *Column) ShareCodes(values []string, codes []int32, absent Absent) {
	c.Kind, c.Cells, c.Ends, c.Codes, c.Parts, c.foreign, c.Absent, c.source = Encoded, values, nil, codes, nil, lentCells|lentInts, absent, source{}
}

// Interleave makes the column take a cell of each part in turn.
func (c *Column) Interleave(parts [][]string, absent Absent) {
	c.Make(0)
	c.Kind, c.Parts, c.Absent = Interleaved, parts, absent
}

// Borrow makes the column the same as src, without copying.
func (c *Column) Borrow(src *Column) {
	c.Kind, c.Cells, c.Ends, c.Codes, c.Absent, c.source = src.Kind, src.Cells, src.Ends, src.Codes, src.Absent, src.source
	c.Parts, c.grid, c.turns, c.from, c.rows = src.Parts, src.grid, src.turns, src.from, src.rows
	c.foreign = lentCells | lentInts
}

// Own copies what is lent, so that the column depends on nobody.
func (c *Column) Own() {
	switch c.Kind {
	case Interleaved:
		c.Flatten(c.interleavedRows())
		return
	case Placed:
		c.Flatten(c.grid.Rows())
		return
	}
	if c.foreign&lentCells != 0 {
		c.cells = append(c.cells[:0], c.Cells...)
		c.Cells = c.cells
	}
	if c.foreign&lentInts != 0 {
		c.ints = append(append(c.ints[:0], c.Ends...), c.Codes...)
		switch c.Kind {
		case Runs:
			c.Ends = c.ints
		case Encoded:
			c.Codes = c.ints
		}
	}
	c.foreign = 0
}

// At is the cell of a row. A loop over many rows uses [Column.Flat].
func (c *Column) At(row int) string {
	switch c.Kind {
	case Runs:
		i, _ := slices.BinarySearchFunc(c.Ends, int32(row), func(end, row int32) int {
			if end <= row {
				return -1
			}
			return 1
		})
		return c.Cells[i]
	case Encoded:
		return c.Cells[c.Codes[row]]
	case Interleaved:
		if c.grid != nil {
			if f := c.turns[row%len(c.turns)]; f >= 0 {
				return c.grid.Cell(c.from+row/len(c.turns), int(f))
			}
			return ""
		}
		if part := c.Parts[row%len(c.Parts)]; part != nil {
			return part[row/len(c.Parts)]
		}
		return ""
	case Placed:
		return c.grid.Cell(row, int(c.source.field))
	}
	return c.Cells[row]
}

// interleavedRows is the number of rows of a interleaved column.
func (c *Column) interleavedRows() int {
	if c.grid != nil {
		return c.rows * len(c.turns)
	}
	for _, p := range c.Parts {
		if p != nil {
			return len(p) * len(c.Parts)
		}
	}
	return 0
}

// Flat gives the cells of n rows, a cell a row: the column's own where it is
// plain, else written into scratch, which is returned grown in the second place.
func (c *Column) Flat(n int, scratch []string) (cells, grown []string) {
	switch c.Kind {
	case Runs:
		scratch = sized(scratch, n)
		row := int32(0)
		for i, end := range c.Ends {
			v := c.Cells[i]
			for ; row < end; row++ {
				scratch[row] = v
			}
		}
		return scratch, scratch
	case Encoded:
		scratch = sized(scratch, n)
		for i, code := range c.Codes[:n] {
			scratch[i] = c.Cells[code]
		}
		return scratch, scratch
	case Interleaved:
		scratch = sized(scratch, n)
		if c.grid != nil {
			c.take(scratch)
		} else {
			interleave(scratch, c.Parts)
		}
		return scratch, scratch
	case Placed:
		scratch = sized(scratch, n)
		c.grid.Cut(scratch, int(c.source.field), 0)
		return scratch, scratch
	}
	return c.Cells[:n], scratch
}

// Flatten makes the column plain, with cells of its own that may be changed.
func (c *Column) Flatten(n int) []string {
	if c.Kind == Plain && c.foreign == 0 {
		c.Unplace()
		return c.Cells
	}
	absent := c.Absent
	cells, _ := c.Flat(n, nil)
	if c.Kind == Plain {
		cells = slices.Clone(cells)
	}
	c.Unplace()
	c.cells, c.grid = cells, nil
	c.Kind, c.Cells, c.Ends, c.Codes, c.Parts, c.foreign, c.Absent = Plain, c.cells, nil, nil, nil, 0, absent
	return c.Cells
}

// interleave writes the cells of a interleaved column, as many as out holds. It goes by
// tiles of a few rows, so that both sides stay in the nearest cache.
func interleave(out []string, parts [][]string) {
	const tile = 8
	each := len(parts)
	rows := (len(out) + each - 1) / each
	for from := 0; from < rows; from += tile {
		for g, part := range parts {
			for r := from; r < min(from+tile, rows); r++ {
				k := r*each + g
				switch {
				case k >= len(out):
				case part == nil:
					out[k] = ""
				default:
					out[k] = part[r]
				}
			}
		}
	}
}

// Gather makes the column the given rows of src, in rising order.
func (c *Column) Gather(src *Column, rows []int32) {
	switch src.Kind {
	case Encoded:
		codes := c.MakeCodes(src.Cells, len(rows))
		for i, r := range rows {
			codes[i] = src.Codes[r]
		}
	case Runs:
		cells, ends := c.MakeRuns(len(src.Ends))
		n, run := 0, 0
		for i, r := range rows {
			for src.Ends[run] <= r {
				run++
			}
			if n == 0 || cells[n-1] != src.Cells[run] {
				cells[n] = src.Cells[run]
				n++
			}
			ends[n-1] = int32(i + 1)
		}
		c.Cells, c.Ends = cells[:n], ends[:n]
	case Interleaved, Placed:
		cells := c.Make(len(rows))
		for i, r := range rows {
			cells[i] = src.At(int(r))
		}
	default:
		cells := c.Make(len(rows))
		const block = 32
		for i := 0; i < len(rows); {
			n := min(block, len(rows)-i)
			from := rows[i]
			if rows[i+n-1]-from != int32(n-1) {
				out := cells[i : i+n]
				for k, r := range rows[i : i+n] {
					out[k] = src.Cells[r]
				}
				i += n
				continue
			}
			for i+2*n <= len(rows) && rows[i+2*n-1]-from == int32(2*n-1) { // they follow each other
				n *= 2
			}
			copy(cells[i:i+n], src.Cells[from:])
			i += n
		}
	}
	c.Absent = src.Absent
	c.PlaceAs(src)
}

// Filled counts the cells of n rows that are not blank.
func (c *Column) Filled(n int) int {
	sum := 0
	switch c.Kind {
	case Runs:
		last := int32(0)
		for i, end := range c.Ends {
			if c.Cells[i] != "" {
				sum += int(end - last)
			}
			last = end
		}
	case Encoded:
		for _, code := range c.Codes[:n] {
			if c.Cells[code] != "" {
				sum++
			}
		}
	case Placed:
		return c.grid.Filled([]int32{c.source.field}, 0, n)
	case Interleaved:
		if c.grid != nil {
			return c.grid.Filled(c.turns, c.from, c.from+c.rows)
		}
		for _, part := range c.Parts {
			sum += (&Column{Cells: part}).Filled(len(part))
		}
	default:
		for _, s := range c.Cells[:n] {
			sum += 1 - int(uint64(len(s)-1)>>63) // 1 but for a blank, without a branch
		}
	}
	return sum
}

// FilledBetween counts the cells that are not blank in the rows from one up to another.
func (c *Column) FilledBetween(from, to int) int {
	if c.Kind == Plain {
		part := Column{Cells: c.Cells[from:to]}
		return part.Filled(to - from)
	}
	if c.Kind == Placed {
		return c.grid.Filled([]int32{c.source.field}, from, to)
	}
	sum := 0
	for r := from; r < to; r++ {
		if c.At(r) != "" {
			sum++
		}
	}
	return sum
}
