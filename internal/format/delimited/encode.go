package delimited

import (
	"slices"
	"strings"
	"unsafe"

	"revuelta/internal/table"
)

// Style is how delimited text is written.
type Style struct {
	Delimiter byte
	CRLF      bool
	Mark      bool   // begins with the UTF-8 byte mark
	Blank     string // what blank cells are written as
}

// Encoder writes batches as delimited text. It keeps its working memory and serves one goroutine.
type Encoder struct {
	style   Style
	end     string    // of a row
	special [256]bool // bytes that call for quotes
	lacks   table.Lacks
	parts   []part
	labels  []string // of woven
	rows    [][]byte // of tiled
}

// part is neighbouring columns that are written together.
type part struct {
	kind  table.Kind
	clean bool
	cols  []table.Column // of runs: all with the same ends
	upTo  []int          // of each of cols: up to where the text is taken as it was read; 0: it may need quotes
	run   int
	until int32  // row at which the next run begins
	text  []byte // of the current run, or of all codes one after another
	offs  []int32
	cells []string
	last  []string // cells up to which the text is taken as it was read, those of one row with the delimiters between
	codes []int32
	after string
	mark  mark // after, for cleanRows

	bases  []unsafe.Pointer // of the parts of a woven column
	blanks []string         // what stands in for a part that is not there
}

// sizedBlank is n blank cells.
func sizedBlank(a []string, n int) []string {
	if len(a) < n {
		return make([]string, n)
	}
	return a
}

// at is a cell of a woven column.
func (p *part) at(row int) string {
	n := len(p.bases)
	return *(*string)(unsafe.Add(p.bases[row%n], uintptr(row/n)*unsafe.Sizeof("")))
}

// NewEncoder makes an encoder.
func NewEncoder(s Style) *Encoder {
	e := &Encoder{style: s, end: "\n", lacks: table.LacksBreaks | table.LacksDelimiter(s.Delimiter)}
	if s.CRLF {
		e.end = "\r\n"
	}
	if table.LacksDelimiter(s.Delimiter) == 0 {
		e.lacks = table.LacksAll + 1 // never certain
	}
	for _, c := range []byte{s.Delimiter, '"', '\r', '\n'} {
		e.special[c] = true
	}
	return e
}

// Header appends the header row, after the mark if there is one.
func (e *Encoder) Header(dst []byte, schema *table.Schema) []byte {
	if e.style.Mark {
		dst = append(dst, "\uFEFF"...)
	}
	return e.Row(dst, schema.Names())
}

// Row appends one row.
func (e *Encoder) Row(dst []byte, cells []string) []byte {
	for i, s := range cells {
		if i > 0 {
			dst = append(dst, e.style.Delimiter)
		}
		dst = e.cell(dst, s)
	}
	if len(cells) == 1 && cells[0] == "" && e.style.Blank == "" {
		dst = append(dst, `""`...) // else it would be no row
	}
	return append(dst, e.end...)
}

// cell appends a cell, in quotes where it needs them.
func (e *Encoder) cell(dst []byte, s string) []byte {
	if s == "" {
		s = e.style.Blank
	}
	special := &e.special
	for _, c := range unsafe.Slice(unsafe.StringData(s), len(s)) {
		if special[c] {
			return quoteCell(dst, s)
		}
	}
	return append(dst, s...)
}

func quoteCell(dst []byte, s string) []byte {
	dst = append(dst, '"')
	for {
		i := strings.IndexByte(s, '"')
		if i < 0 {
			return append(append(dst, s...), '"')
		}
		dst = append(append(dst, s[:i+1]...), '"')
		s = s[i+1:]
	}
}

// Append appends the rows of a batch. What is repeated is encoded once: a run
// for all its rows, a code for the whole batch.
func (e *Encoder) Append(dst []byte, b *table.Batch) []byte {
	if b.Rows == 0 {
		return dst
	}
	e.plan(b)
	if len(b.Cols) == 1 && e.style.Blank == "" {
		for r := range b.Rows {
			dst = e.Row(dst, []string{b.Cols[0].At(r)})
		}
		return dst
	}
	parts := e.parts
	if len(parts) > wideTable && !slices.ContainsFunc(parts, func(p part) bool { return p.kind != table.Plain }) {
		return e.tiled(dst, b.Rows)
	}
	if e.isUnpivot(b) {
		return e.woven(dst, b.Rows)
	}
	if plain := e.exploded(); plain >= 0 {
		return e.repeated(dst, plain, b.Rows)
	}
	if e.isExtended() {
		return e.extended(dst, b.Rows)
	}
	if e.isClean() {
		return e.cleanRows(dst, b.Rows)
	}
	for row := range int32(b.Rows) {
		for i := range parts {
			p := &parts[i]
			switch p.kind {
			case table.Runs:
				if row == p.until {
					e.advance(p)
				}
				dst = append(dst, p.text...)
				continue
			case table.Coded:
				code := p.codes[row]
				dst = append(dst, p.text[p.offs[code]:p.offs[code+1]]...)
				continue
			case table.Woven:
				if p.clean {
					dst = append(dst, p.at(int(row))...)
				} else {
					dst = e.cell(dst, p.at(int(row)))
				}
				dst = append(dst, p.after...)
				continue
			}
			switch {
			case p.last != nil:
				dst = append(dst, between(p.cells[row], p.last[row])...)
			case p.clean:
				dst = append(dst, p.cells[row]...)
			default:
				dst = e.cell(dst, p.cells[row])
			}
			if len(p.after) == 1 {
				dst = append(dst, p.after[0])
			} else {
				dst = append(dst, p.after...)
			}
		}
	}
	return dst
}

// wideTable is how many columns are too many to be gone through for every row:
// what must be known of each of them would not stay in the nearest caches.
const wideTable = 200

// tiled writes plain columns by tiles: some rows of one column, then of the next.
func (e *Encoder) tiled(dst []byte, rows int) []byte {
	const tile = 16
	for len(e.rows) < tile {
		e.rows = append(e.rows, nil)
	}
	for from := 0; from < rows; from += tile {
		to := min(from+tile, rows)
		for r := range to - from {
			e.rows[r] = e.rows[r][:0]
		}
		for i := range e.parts {
			p := &e.parts[i]
			for r := from; r < to; r++ {
				row := e.rows[r-from]
				switch {
				case p.last != nil:
					row = append(row, between(p.cells[r], p.last[r])...)
				case p.clean:
					row = append(row, p.cells[r]...)
				default:
					row = e.cell(row, p.cells[r])
				}
				e.rows[r-from] = append(row, p.after...)
			}
		}
		for r := range to - from {
			dst = append(dst, e.rows[r]...)
		}
	}
	return dst
}

// isUnpivot tells the shape that woven writes: a run for each row of a source
// table, codes, and one cell of each part.
func (e *Encoder) isUnpivot(b *table.Batch) bool {
	p := e.parts
	if len(p) != 3 || e.style.CRLF || p[0].kind != table.Runs || p[1].kind != table.Coded || p[2].kind != table.Woven || !p[2].clean {
		return false
	}
	each := int32(len(p[2].bases))
	ends := p[0].cols[0].Ends
	return int(each)*len(ends) == b.Rows && each > 0 && len(ends) > 0 && ends[0] == each && evenly(ends, each)
}

// evenly reports whether all runs are of the same length.
func evenly(ends []int32, each int32) bool {
	for i, end := range ends {
		if end != int32(i+1)*each {
			return false
		}
	}
	return true
}

// between is the text from the one cell to the other, of later seat in the same row.
func between(first, last string) string {
	from, to := unsafe.StringData(first), unsafe.StringData(last)
	return unsafe.String(from, int(uintptr(unsafe.Pointer(to))-uintptr(unsafe.Pointer(from)))+len(last))
}

// plan groups the columns into parts.
func (e *Encoder) plan(b *table.Batch) {
	n := 0
	for i := 0; i < len(b.Cols); {
		if n == cap(e.parts) {
			e.parts = append(e.parts[:n], part{})
		}
		e.parts = e.parts[:n+1]
		p := &e.parts[n]
		n++
		c := &b.Cols[i]
		to := i + 1
		p.kind, p.clean, p.cells, p.last = c.Kind, false, nil, nil // what it was in the batch before
		switch c.Kind {
		case table.Runs:
			for to < len(b.Cols) && b.Cols[to].Kind == table.Runs && sameEnds(b.Cols[to].Ends, c.Ends) {
				to++
			}
			p.cols, p.run, p.until = b.Cols[i:to], -1, 0
			p.upTo = p.upTo[:0]
			for k := range p.cols {
				upTo := 0
				if e.clean(&p.cols[k]) {
					upTo = e.asRead(p.cols, k)
				}
				p.upTo = append(p.upTo, upTo)
			}
		case table.Coded:
			p.codes = c.Codes
		case table.Woven:
			p.clean = e.clean(c)
			p.bases = p.bases[:0]
			p.blanks = sizedBlank(p.blanks, b.Rows/len(c.Parts))
			for _, part := range c.Parts {
				if part == nil {
					part = p.blanks
				}
				p.bases = append(p.bases, unsafe.Pointer(unsafe.SliceData(part)))
			}
		default:
			p.cells = c.Cells[:b.Rows]
			p.clean = e.clean(c)
			if to = e.asRead(b.Cols, i); to > i+1 {
				p.last = b.Cols[to-1].Cells
			}
		}
		p.after = e.after(to == len(b.Cols))
		if c.Kind == table.Coded {
			p.text, p.offs = p.text[:0], append(p.offs[:0], 0)
			for _, s := range c.Cells {
				p.text = append(e.cell(p.text, s), p.after...)
				p.offs = append(p.offs, int32(len(p.text)))
			}
		}
		i = to
	}
	e.parts = e.parts[:n]
}

// asRead finds the column up to which those from i on can be written as they
// stood in the text they were read from.
func (e *Encoder) asRead(cols []table.Column, i int) int {
	to := i + 1
	if cols[i].Seat == 0 || !e.clean(&cols[i]) {
		return to
	}
	if c := cols[i].Cells[0]; to < len(cols) && cols[to].Seat == cols[i].Seat+1 && *(*byte)(unsafe.Add(unsafe.Pointer(unsafe.StringData(c)), len(c))) != e.style.Delimiter {
		return to
	}
	for to < len(cols) && cols[to].Kind == cols[i].Kind && cols[to].Seat == cols[to-1].Seat+1 && cols[to].Seat != 0 && e.clean(&cols[to]) && follow(cols[to-1].Cells, cols[to].Cells) {
		to++
	}
	return to
}

// follow makes sure that cells stand behind others as their seats say, in the first row and in the last: what lies
// between two cells that do not would be written, whatever it is.
func follow(cells, next []string) bool {
	behind := func(a, b string) bool {
		return unsafe.Add(unsafe.Pointer(unsafe.StringData(a)), len(a)+1) == unsafe.Pointer(unsafe.StringData(b))
	}
	last := len(cells) - 1
	return last == len(next)-1 && behind(cells[0], next[0]) && behind(cells[last], next[last])
}

func (e *Encoder) clean(c *table.Column) bool {
	return c.Lacks&e.lacks == e.lacks && e.style.Blank == ""
}

func (e *Encoder) after(last bool) string {
	if last {
		return e.end
	}
	return unsafe.String(&e.style.Delimiter, 1)
}

// advance encodes the next run.
func (e *Encoder) advance(p *part) {
	p.run++
	text := p.text[:0]
	for i := 0; i < len(p.cols); i++ {
		cell := p.cols[i].Cells[p.run]
		switch to := p.upTo[i]; {
		case to > i+1:
			text = append(text, between(cell, p.cols[to-1].Cells[p.run])...)
			i = to - 1
		case to > 0:
			text = append(text, cell...)
		default:
			text = e.cell(text, cell)
		}
		if i < len(p.cols)-1 {
			text = append(text, e.style.Delimiter)
		}
	}
	p.text = append(text, p.after...)
	p.until = p.cols[0].Ends[p.run]
}

func sameEnds(a, b []int32) bool {
	if len(a) != len(b) || len(a) == 0 {
		return len(a) == len(b)
	}
	if &a[0] == &b[0] {
		return true
	}
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return true
}
