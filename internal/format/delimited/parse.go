package delimited

import (
	"bytes"
	"fmt"
	"slices"

	"revuelta/internal/table"
	"revuelta/internal/view"
)

// Parser turns chunks into batches. It keeps its working memory and serves one goroutine.
type Parser struct {
	d      Dialect
	fields int
	// Long takes the rows that have content beyond the fields; nil: the first is a fault.
	Long func(f *Fault, cells []string)
	// ByPlace tells of which fields the columns may be left as places in the text; nil: of none.
	ByPlace []bool

	grid   view.Grid
	seps   []uint32 // end of each cell
	rows   []int32  // number of cells up to the end of each row
	quoted []quotedCell
	quotes []view.Quote // of scanBlocks
	tail   [view.QuotedBlock]byte
	crs    int  // carriage returns
	cut    int  // carriage returns that belonged to a line end
	inner  bool // line feeds stand inside quotes

	at    []int32 // irregular rows: first cell, and number of cells
	count []int32

	Short int64 // rows padded
	Empty int64 // empty lines left out
}

type quotedCell struct {
	cell    int32 // index into seps
	escaped bool  // has "" inside
}

// NewParser makes a parser of rows with so many fields.
func NewParser(d Dialect, fields int) *Parser { return &Parser{d: d, fields: fields} }

// Whole makes a chunk of a text that is complete and begins on the given line.
func Whole(data []byte, line int) Chunk {
	return Chunk{Data: data, Line: line, quotes: bytes.Count(data, quote), feeds: bytes.Count(data, newline)}
}

// Parse fills dst with the rows of a chunk; its cells view the chunk, in which
// doubled quotes are undone in place. The error is a *[Fault]; dst then
// holds the rows before it.
func (p *Parser) Parse(c Chunk, dst *table.Batch) error {
	dst.Shape(p.fields)
	dst.Origin = table.Origin{Line: c.Line, Each: 1, Lines: dst.Origin.Lines[:0]}
	fault := p.scan(c)
	n := len(p.rows)
	if p.regular() {
		byPlace := p.ByPlace != nil && n > 0 && c.Data[len(c.Data)-1] == '\n'
		if byPlace {
			p.grid = view.Grid{Text: c.Data, Ends: p.seps[:n*p.fields], Fields: p.fields}
			if p.crs > 0 {
				p.grid.Skip = 1
				byPlace = p.returns(c.Data)
			}
		}
		for f := range p.fields {
			if byPlace && p.ByPlace[f] {
				dst.Cols[f].InGrid(&p.grid, f, 0)
				continue
			}
			p.fillRegular(c.Data, &dst.Cols[f], f, n)
		}
		dst.Rows = n
		if byPlace && p.grid.Skip > 0 && p.ByPlace[p.fields-1] {
			p.cut += n
		}
		p.markAbsent(dst)
		p.lines(c.Data, dst, nil) // before the text is changed
		p.unquote(c.Data, dst, nil)
		if byPlace && p.grid.Skip > 0 { // a row ends before its carriage return
			for k := p.fields - 1; k < len(p.grid.Ends); k += p.fields {
				p.grid.Ends[k]--
			}
		}
	} else if err := p.irregular(c, dst); err != nil {
		return err
	}
	if fault != nil {
		return fault
	}
	return nil
}

// returns reports whether every row ends with a carriage return and a line feed.
func (p *Parser) returns(data []byte) bool {
	for k := p.fields - 1; k < len(p.grid.Ends); k += p.fields {
		if at := p.grid.Ends[k]; at == 0 || data[at-1] != '\r' {
			return false
		}
	}
	return true
}

// regular reports whether all rows have just as many cells as there are fields.
func (p *Parser) regular() bool {
	f := int32(p.fields)
	if f < 2 { // an empty line and a blank cell must be told apart
		return false
	}
	end := f
	for _, r := range p.rows {
		if r != end {
			return false
		}
		end += f
	}
	return true
}

// fillRegular makes a column of every fields-th cell.
func (p *Parser) fillRegular(data []byte, col *table.Column, f, n int) {
	cells := col.Make(n)
	if n == 0 {
		return
	}
	k, stride := f, p.fields
	seps := p.seps
	start := uint32(0)
	if f > 0 {
		start = seps[f-1] + 1
	}
	if data[len(data)-1] != '\n' || p.crs > 0 && f == stride-1 {
		// The last cell may have nothing behind it, or a carriage return.
		s := view.String(data)
		for r := range cells {
			end := seps[k]
			if f == stride-1 && end > start && s[end-1] == '\r' {
				cells[r] = s[start : end-1]
				p.cut++
			} else {
				cells[r] = s[start:end]
			}
			k += stride
			if r+1 < len(cells) {
				start = seps[k-1] + 1
			}
		}
		return
	}
	// Each cell has a separator behind it, so that also an empty one can point
	// to where it stands, which slicing would not do.
	text := view.Text(data)
	col.Parsed(text, f)
	text.Cut(cells, start, seps[f:], stride)
}

// markAbsent marks what the columns can't hold, before quotes are taken off.
func (p *Parser) markAbsent(dst *table.Batch) {
	marks := table.AbsentDelimiter(p.d.Delimiter)
	if !p.d.NoQuotes && p.crs == p.cut {
		marks |= table.AbsentBreaks
	}
	for f := range dst.Cols {
		dst.Cols[f].Absent = marks // of those left as places too
	}
}

// unquote takes the quotes off the cells that have them. rowOf finds the row
// and field of a cell among irregular rows; nil: they are regular.
func (p *Parser) unquote(data view.Text, dst *table.Batch, rowOf func(cell int32) (row, field int)) {
	for _, q := range p.quoted {
		row, field := int(q.cell)/p.fields, int(q.cell)%p.fields
		if rowOf != nil {
			row, field = rowOf(q.cell)
		}
		if row < 0 || row >= dst.Rows || field >= p.fields {
			continue
		}
		col := &dst.Cols[field]
		if col.Kind == table.Placed {
			p.fillRegular(data, col, field, dst.Rows)
		}
		cell := col.Cells[row]
		at := data.At(cell)
		col.Cells[row] = bare(data[at:at+len(cell)], q.escaped)
		col.Absent = 0
		col.Unplace()
	}
}

// bare is what stands inside a cell's quotes, doubled ones undone in place:
// the text was checked as a whole, and nobody else reads a chunk's quotes.
func bare(b []byte, escaped bool) string {
	b = b[1 : len(b)-1]
	if !escaped {
		return view.String(b)
	}
	w := 0
	for r := 0; r < len(b); r++ {
		b[w] = b[r]
		w++
		if b[r] == '"' {
			r++
		}
	}
	return view.String(b[:w])
}

// lines notes the line of each row, where they do not simply follow each
// other. at holds the first cell of each irregular row.
func (p *Parser) lines(data []byte, dst *table.Batch, at []int32) {
	if !p.inner && at == nil || dst.Rows == 0 {
		dst.Origin.Lines = nil
		return
	}
	lines := slices.Grow(dst.Origin.Lines[:0], dst.Rows)
	from, line := uint32(0), int32(0)
	for r := range dst.Rows {
		first := int32(r * p.fields)
		if at != nil {
			first = at[r]
		}
		start := uint32(0)
		if first > 0 {
			start = p.seps[first-1] + 1
		}
		line += int32(bytes.Count(data[from:start], newline))
		from = start
		lines = append(lines, line)
	}
	dst.Origin.Lines = lines
}

// irregular lays out rows of unequal length: short ones are padded, empty lines left out.
func (p *Parser) irregular(c Chunk, dst *table.Batch) error {
	data := c.Data
	p.at, p.count = p.at[:0], p.count[:0]
	var fault *Fault
	first := int32(0)
	for _, end := range p.rows {
		n := end - first
		if n == 1 && p.cell(data, first) == "" && !p.isQuoted(first) {
			p.Empty++
			first = end
			continue
		}
		if int(n) > p.fields {
			long, cells := p.long(c, first, end)
			if long != nil && p.Long == nil {
				fault = long
				break
			}
			if long != nil {
				p.Long(long, cells)
				first = end
				continue
			}
		} else if int(n) < p.fields {
			p.Short++
		}
		p.at = append(p.at, first)
		p.count = append(p.count, min(n, int32(p.fields)))
		first = end
	}
	dst.Rows = len(p.at)
	for f := range p.fields {
		col := &dst.Cols[f]
		cells := col.Make(dst.Rows)
		for r, at := range p.at {
			if int32(f) >= p.count[r] {
				cells[r] = ""
				continue
			}
			cells[r] = p.cell(data, at+int32(f))
		}
	}
	p.markAbsent(dst)
	p.lines(data, dst, p.at)
	row := 0
	p.unquote(data, dst, func(cell int32) (int, int) {
		for row < len(p.at) && p.at[row]+p.count[row] <= cell {
			row++
		}
		if row == len(p.at) || cell < p.at[row] {
			return -1, 0
		}
		return row, int(cell - p.at[row])
	})
	if fault != nil {
		return fault
	}
	return nil
}

// cell is the raw text of cell k, quotes and all.
func (p *Parser) cell(data []byte, k int32) string {
	start := uint32(0)
	if k > 0 {
		start = p.seps[k-1] + 1
	}
	end := p.seps[k]
	ends := int(end) >= len(data) || data[end] == '\n'
	if ends && end > start && data[end-1] == '\r' {
		end--
	}
	if start == end {
		return ""
	}
	return view.Text(data).Cell(int(start), int(end))
}

func (p *Parser) isQuoted(cell int32) bool {
	_, ok := slices.BinarySearchFunc(p.quoted, cell, func(q quotedCell, c int32) int { return int(q.cell - c) })
	return ok
}

// long is the fault of a row with content beyond the fields, and its cells; nil where there is none.
func (p *Parser) long(c Chunk, first, end int32) (*Fault, []string) {
	beyond := int32(-1)
	for k := first + int32(p.fields); k < end && beyond < 0; k++ {
		if s := p.cell(c.Data, k); s != "" && (s != `""` || p.d.NoQuotes) {
			beyond = k
		}
	}
	if beyond < 0 {
		return nil, nil
	}
	cells := make([]string, 0, end-first)
	for k := first; k < end; k++ {
		s := p.cell(c.Data, k)
		if i, ok := slices.BinarySearchFunc(p.quoted, k, func(q quotedCell, c int32) int { return int(q.cell - c) }); ok {
			s = bare([]byte(s), p.quoted[i].escaped)
		}
		cells = append(cells, s)
	}
	line := c.Line
	if first > 0 {
		line += bytes.Count(c.Data[:p.seps[first-1]+1], newline)
	}
	return &Fault{Line: line, Field: -1, Cell: cells[beyond-first], Kind: LongRow,
		Text: fmt.Sprintf("the row has %d cells, the header %d", len(cells), p.fields)}, cells
}
