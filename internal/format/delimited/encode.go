package delimited

import (
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
}

// part is neighbouring columns that are written together.
type part struct {
	kind  table.Kind
	clean bool
	cols  []table.Column // of runs: all with the same ends
	run   int
	until int32  // row at which the next run begins
	text  []byte // of the current run, or of all codes one after another
	offs  []int32
	cells []string
	codes []int32
	after string
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
	for i := 0; i < len(s); i++ {
		if e.special[s[i]] {
			return quoteCell(dst, s)
		}
	}
	return append(dst, s...)
}

func quoteCell(dst []byte, s string) []byte {
	dst = append(dst, '"')
	for i := 0; i < len(s); i++ {
		if s[i] == '"' {
			dst = append(dst, '"')
		}
		dst = append(dst, s[i])
	}
	return append(dst, '"')
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
	if len(parts) == 3 && parts[0].kind == table.Runs && parts[1].kind == table.Coded && parts[2].kind == table.Plain && parts[2].clean {
		return e.unpivoted(dst, b.Rows)
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
			}
			if p.clean {
				dst = append(dst, p.cells[row]...)
			} else {
				dst = e.cell(dst, p.cells[row])
			}
			dst = append(dst, p.after...)
		}
	}
	return dst
}

// unpivoted is the common outcome of an unpivot: runs, codes, plain cells.
func (e *Encoder) unpivoted(dst []byte, rows int) []byte {
	runs, codes, plain := &e.parts[0], &e.parts[1], &e.parts[2]
	labels := unsafe.String(unsafe.SliceData(codes.text), len(codes.text))
	for row := 0; row < rows; {
		e.advance(runs)
		kept := runs.text
		until := min(int(runs.until), rows)
		cells, which := plain.cells[row:until], codes.codes[row:until]
		for i, s := range cells {
			code := which[i]
			dst = append(dst, kept...)
			dst = append(dst, labels[codes.offs[code]:codes.offs[code+1]]...)
			dst = append(dst, s...)
			dst = append(dst, plain.after...)
		}
		row = until
	}
	return dst
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
		p.kind = c.Kind
		switch c.Kind {
		case table.Runs:
			for to < len(b.Cols) && b.Cols[to].Kind == table.Runs && sameEnds(b.Cols[to].Ends, c.Ends) {
				to++
			}
			p.cols, p.run, p.until = b.Cols[i:to], -1, 0
		case table.Coded:
			p.codes = c.Codes
		default:
			p.cells = c.Cells[:b.Rows]
			p.clean = e.clean(c)
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
	p.text = p.text[:0]
	for i := range p.cols {
		c := &p.cols[i]
		if e.clean(c) {
			p.text = append(p.text, c.Cells[p.run]...)
		} else {
			p.text = e.cell(p.text, c.Cells[p.run])
		}
		if i < len(p.cols)-1 {
			p.text = append(p.text, e.style.Delimiter)
		}
	}
	p.text = append(p.text, p.after...)
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
