package sheet

import (
	"bytes"
	"fmt"
	"io"
	"strconv"
)

// Rows implements Book.
func (x *xlsx) Rows(sheet int) (*Rows, error) {
	shared, err := x.strings()
	if err != nil {
		return nil, err
	}
	part := x.sheets[sheet].part
	r, err := x.open(part)
	if err != nil {
		return nil, err
	}
	p := &xlsxRows{x: x, s: newScanner(r), shared: shared.texts, part: part, rows: &Rows{close: func() { r.Close() }}}
	p.rows.next = func(row *Row) error {
		err := p.next(row)
		if err != nil && err != io.EOF {
			return x.damaged(part, err)
		}
		return err
	}
	return p.rows, nil
}

// xlsxRows reads the rows of a sheet.
type xlsxRows struct {
	x      *xlsx
	s      *scanner
	shared []string
	part   string
	rows   *Rows
	begun  bool
	row    int
	arena  arena
	text   []byte
	cells  []string
	seen   int // cells that the row has
	empty  int // of those, how many hold a text without characters
}

func (p *xlsxRows) next(row *Row) error {
	for {
		_, tag, err := p.s.tag()
		if err != nil {
			if p.begun && err == io.EOF {
				err = io.ErrUnexpectedEOF
			}
			return err
		}
		local, closing, empty := name(tag)
		switch string(local) {
		case "sheetData":
			if closing || empty {
				p.begun = false
				return io.EOF
			}
			p.begun = true
		case "row":
			if closing || !p.begun {
				continue
			}
			p.row++
			if v, ok := attribute(tag, "r"); ok {
				n, err := strconv.Atoi(string(v))
				if err != nil || n < p.row || n > MostRows {
					return fmt.Errorf("row %s stands where row %d or a later one is due", v, p.row)
				}
				p.row = n
			}
			v, _ := attribute(tag, "hidden")
			row.Number, row.Hidden = p.row, string(v) == "1" || string(v) == "true"
			if empty {
				continue
			}
			if err := p.readRow(); err != nil {
				return unexpected(err)
			}
			n := len(p.cells)
			for n > 0 && p.cells[n-1] == "" {
				n--
			}
			row.Blank = n == 0 && p.seen == 1 && p.empty == 1
			if n == 0 && !row.Blank {
				continue
			}
			if row.Hidden {
				p.rows.Hidden++
			}
			row.Cells = p.cells[:n]
			return nil
		}
	}
}

// cellTag is what is told of a cell before its value.
type cellTag struct {
	column int
	kind   byte // b boolean, e error, s shared, t text (t="str"), i inline, d ISO date, 0 number
	style  int
}

// readRow reads the cells up to the end of the row.
func (p *xlsxRows) readRow() error {
	p.cells = p.cells[:0]
	p.seen, p.empty = 0, 0
	column := 0
	for {
		_, tag, err := p.s.tag()
		if err != nil {
			return err
		}
		if len(tag) > 1 && tag[0] == 'c' && tag[1] == ' ' || isCell(tag) {
			c := cellTag{column: column + 1}
			c.read(tag)
			if c.column <= column || c.column > MostColumns {
				return fmt.Errorf("row %d: a cell stands out of its order", p.row)
			}
			column = c.column
			p.seen++
			if tag[len(tag)-1] == '/' {
				continue
			}
			for len(p.cells) < column-1 {
				p.cells = append(p.cells, "")
			}
			cell, err := p.readCell(&c)
			if err != nil {
				return err
			}
			p.cells = append(p.cells, cell)
			continue
		}
		if local, closing, _ := name(tag); closing && string(local) == "row" {
			return nil
		}
	}
}

// isCell tells the tag of a cell with a prefix, or without anything else.
func isCell(tag []byte) bool {
	local, closing, _ := name(tag)
	return !closing && string(local) == "c"
}

// read reads the attributes of a cell.
func (c *cellTag) read(tag []byte) {
	for i := bytes.IndexByte(tag, ' '); i >= 0 && i+4 < len(tag); {
		key := tag[i+1]
		if tag[i+2] != '=' || tag[i+3] != '"' { // another attribute, or written otherwise
			c.slowly(tag)
			return
		}
		end := bytes.IndexByte(tag[i+4:], '"')
		if end < 0 {
			return
		}
		c.set(key, tag[i+4:i+4+end])
		if i += 5 + end; i >= len(tag) || tag[i] != ' ' {
			return
		}
	}
}

func (c *cellTag) slowly(tag []byte) {
	for _, key := range []string{"r", "s", "t"} {
		if v, ok := attribute(tag, key); ok {
			c.set(key[0], v)
		}
	}
}

func (c *cellTag) set(key byte, v []byte) {
	switch key {
	case 'r':
		n := 0
		for _, b := range v {
			if b < 'A' || b > 'Z' || n > MostColumns {
				break
			}
			n = n*26 + int(b-'A') + 1
		}
		if n > 0 {
			c.column = n
		}
	case 's':
		n := 0
		for _, b := range v {
			if b < '0' || b > '9' || n > 1<<24 {
				return
			}
			n = n*10 + int(b-'0')
		}
		c.style = n
	case 't':
		switch string(v) {
		case "s":
			c.kind = 's'
		case "str":
			c.kind = 't'
		case "inlineStr":
			c.kind = 'i'
		case "b", "e", "d":
			c.kind = v[0]
		}
	}
}

// readCell reads what a cell holds, up to its end.
func (p *xlsxRows) readCell(c *cellTag) (string, error) {
	formula, value := false, false
	phonetic := false
	p.text = p.text[:0]
	for {
		text, tag, err := p.s.tag()
		if err != nil {
			return "", err
		}
		switch {
		case len(tag) == 1 && tag[0] == 'v':
			continue
		case len(tag) == 2 && tag[0] == '/' && tag[1] == 'v':
			p.text, value = append(p.text, text...), true
			continue
		case len(tag) == 2 && tag[0] == '/' && tag[1] == 'c':
			return p.cell(c, formula && !value)
		}
		local, closing, _ := name(tag)
		switch string(local) {
		case "c":
			if closing {
				return p.cell(c, formula && !value)
			}
		case "f":
			formula = true
		case "v":
			if closing {
				p.text, value = append(p.text, text...), true
			}
		case "rPh":
			phonetic = !closing
		case "t":
			if closing && !phonetic {
				p.text, value = append(p.text, text...), true
			}
		case "row", "sheetData":
			return "", fmt.Errorf("row %d: a cell has no end", p.row)
		}
	}
}

// cell makes the text of a cell.
func (p *xlsxRows) cell(c *cellTag, unstored bool) (string, error) {
	if unstored {
		p.rows.Unstored++
		return "", nil
	}
	if len(p.text) == 0 {
		if c.kind == 'i' {
			p.empty++
		}
		return "", nil
	}
	switch c.kind {
	case 's':
		n := 0
		for _, b := range p.text {
			if b < '0' || b > '9' || n > len(p.shared) {
				n = len(p.shared)
				break
			}
			n = n*10 + int(b-'0')
		}
		if n >= len(p.shared) {
			return "", fmt.Errorf("cell %s%d points to text %s of %d", columnName(c.column), p.row, p.text, len(p.shared))
		}
		return p.shared[n], nil
	case 'b':
		if p.text[0] == '1' || p.text[0] == 't' {
			return "TRUE", nil
		}
		return "FALSE", nil
	case 'e':
		p.rows.Errors++
		return p.arena.keep(p.text), nil
	case 't', 'i':
		text := p.text
		if bytes.IndexByte(text, '&') >= 0 || bytes.IndexByte(text, '\r') >= 0 {
			text = unescape(nil, text)
		}
		return p.arena.keep(escaped(text)), nil
	case 'd':
		return p.arena.keep(p.text), nil
	}
	if c.style < len(p.x.kinds) {
		if k := p.x.kinds[c.style]; k != plainNumber {
			days, err := strconv.ParseFloat(string(p.text), 64)
			if err == nil {
				var buf [40]byte
				if out, ok := appendDate(buf[:0], days, k, p.x.since1904); ok {
					return p.arena.keep(out), nil
				}
				p.rows.Oddities++
			}
		}
	}
	if shortest(p.text) {
		return p.arena.keep(p.text), nil
	}
	var buf [40]byte
	return p.arena.keep(appendNumber(buf[:0], p.text)), nil
}
