package delimited

import (
	"slices"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// Style is how delimited text is written.
type Style struct {
	Delimiter byte
	CRLF      bool
	Mark      bool   // begins with the UTF-8 byte mark
	Blank     string // what blank cells are written as
	Decimal   byte   // what stands before the decimals of numbers, 0 a point
}

// Encoder writes batches as delimited text. It keeps its working memory and serves one goroutine.
type Encoder struct {
	style     Style
	flat      [][]string // of withDecimal
	spare     [][]string
	delimiter string
	end       string    // of a row
	special   [256]bool // bytes that call for quotes
	absent    table.Absent
	parts     []part
	rows      [][]byte // of tiled

	labels   [][]byte // of interleaved
	measures [][][]string
	columns  view.Interleaved
	places   view.Turns
	fields   [][]int32
	spans    []view.Span // of cleanRows
}

// part is neighbouring columns that are written together.
type part struct {
	kind   table.Kind
	clean  bool
	cols   []table.Column // of runs: all with the same ends
	upTo   []int          // of each of cols: up to where the text is taken as it was read; 0: it may need quotes
	run    int
	until  int32  // row at which the next run begins
	before string // the text of each run begins with it
	text   []byte // of the current run, or of all codes one after another
	offs   []int32
	cells  []string
	last   []string  // cells up to which the text is taken as it was read, those of one row with the delimiters between
	source view.Text // where those stand
	codes  []int32
	turns  [][]string // of an interleaved column
	grid   *view.Grid // or what it takes its cells from, and the fields and first row of it
	fields []int32
	from   int
	after  string
}

// at is a cell of an interleaved column.
func (p *part) at(row int) string {
	n := p.each()
	if p.grid != nil {
		if f := p.fields[row%n]; f >= 0 {
			return p.grid.Cell(p.from+row/n, int(f))
		}
		return ""
	}
	if cells := p.turns[row%n]; cells != nil {
		return cells[row/n]
	}
	return ""
}

// each is how many cells an interleaved column takes in turn.
func (p *part) each() int {
	if p.grid != nil {
		return len(p.fields)
	}
	return len(p.turns)
}

// NewEncoder makes an encoder.
func NewEncoder(s Style) *Encoder {
	e := &Encoder{style: s, delimiter: string(s.Delimiter), end: "\n", absent: table.AbsentBreaks | table.AbsentDelimiter(s.Delimiter)}
	if s.CRLF {
		e.end = "\r\n"
	}
	if table.AbsentDelimiter(s.Delimiter) == 0 {
		e.absent = table.AbsentAll + 1 // never certain
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
	for i := range len(s) {
		if special[s[i]] {
			return quoteCell(dst, s)
		}
	}
	return append(dst, s...)
}

// QuoteCell appends a cell in quotes.
func QuoteCell(dst []byte, s string) []byte { return quoteCell(dst, s) }

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
	if e.style.Decimal != 0 {
		return e.withDecimal(dst, b)
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
	if each := e.unpivoted(b.Rows); each > 0 {
		return e.interleaved(dst, each, b.Rows)
	}
	if plain := e.exploded(); plain >= 0 {
		return e.repeated(dst, plain, b.Rows)
	}
	if len(parts) == 1 && parts[0].last != nil {
		return e.stretches(dst)
	}
	if e.isClean() {
		return e.cleanRows(dst)
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
			case table.Encoded:
				code := p.codes[row]
				dst = append(dst, p.text[p.offs[code]:p.offs[code+1]]...)
				continue
			case table.Interleaved:
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
				dst = append(dst, p.source.Through(p.cells[row], p.last[row])...)
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

// withDecimal writes rows with another character in the place of the points of numbers; nothing else is changed.
func (e *Encoder) withDecimal(dst []byte, b *table.Batch) []byte {
	for len(e.flat) < len(b.Cols) {
		e.flat, e.spare = append(e.flat, nil), append(e.spare, nil)
	}
	for i := range b.Cols {
		e.flat[i], e.spare[i] = b.Cols[i].Flat(b.Rows, e.spare[i])
	}
	row := make([]string, len(b.Cols))
	for r := range b.Rows {
		for i := range row {
			row[i] = e.flat[i][r]
			at := strings.IndexByte(row[i], '.')
			if at < 0 {
				continue
			}
			if _, ok := decimal.Parse(row[i]); !ok {
				continue
			}
			row[i] = row[i][:at] + string(rune(e.style.Decimal)) + row[i][at+1:]
		}
		dst = e.Row(dst, row)
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
					row = append(row, p.source.Through(p.cells[r], p.last[r])...)
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
			p.cols, p.run, p.until, p.before = b.Cols[i:to], -1, 0, ""
			p.upTo = p.upTo[:0]
			for k := range p.cols {
				upTo := 0
				if k > 0 && p.upTo[k-1] > k { // it stands with the one before
					upTo = p.upTo[k-1]
				} else if e.clean(&p.cols[k]) {
					upTo = e.asRead(p.cols, k)
				}
				p.upTo = append(p.upTo, upTo)
			}
		case table.Encoded:
			p.codes = c.Codes
		case table.Interleaved:
			p.clean, p.turns = e.clean(c), c.Parts
			p.grid, p.fields, p.from = c.Turns()
		default:
			p.cells = c.Cells[:b.Rows]
			p.clean = e.clean(c)
			if to = e.asRead(b.Cols, i); to > i+1 {
				p.last, p.source = b.Cols[to-1].Cells, c.Text()
			}
		}
		p.after = e.after(to == len(b.Cols))
		if c.Kind == table.Encoded {
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
	if !e.clean(&cols[i]) {
		return to
	}
	for to < len(cols) && e.clean(&cols[to]) && table.Adjacent(&cols[to-1], &cols[to], e.style.Delimiter) {
		to++
	}
	return to
}

func (e *Encoder) clean(c *table.Column) bool {
	return c.Absent&e.absent == e.absent && e.style.Blank == ""
}

func (e *Encoder) after(last bool) string {
	if last {
		return e.end
	}
	return e.delimiter
}

// advance encodes the next run.
func (e *Encoder) advance(p *part) {
	p.run++
	text := append(p.text[:0], p.before...)
	for i := 0; i < len(p.cols); i++ {
		cell := p.cols[i].Cells[p.run]
		switch to := p.upTo[i]; {
		case to > i+1:
			text = append(text, p.cols[i].Text().Through(cell, p.cols[to-1].Cells[p.run])...)
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
