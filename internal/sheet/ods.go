package sheet

import (
	"bytes"
	"fmt"
	"io"
	"strconv"
	"strings"

	"revuelta/internal/diag"
)

// ods is an OpenDocument spreadsheet (ISO/IEC 26300).
type ods struct {
	*archive
	sheets []Info
	merged [][]Area
	areas  []Named
	timed  map[string]bool // cell styles that show a time of day beside a date
}

const content = "content.xml"

func openODS(a *archive) (Book, error) {
	if f := a.file("META-INF/manifest.xml"); f != nil {
		r, err := a.open("META-INF/manifest.xml")
		if err != nil {
			return nil, err
		}
		manifest, err := io.ReadAll(&limited{r, mostPart})
		r.Close()
		if err != nil {
			return nil, a.damaged("META-INF/manifest.xml", err)
		}
		if bytes.Contains(manifest, []byte("encryption-data")) {
			return nil, diag.Dataf("the workbook is encrypted with a password").At(a.name, 0).Trying("save it without a password in an office program")
		}
	}
	o := &ods{archive: a}
	r, err := a.open(content)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	if err := o.index(newScanner(r)); err != nil {
		return nil, a.damaged(content, err)
	}
	if len(o.sheets) == 0 {
		return nil, diag.Dataf("this is an OpenDocument file, but has no sheet").At(a.name, 0)
	}
	return o, nil
}

func (o *ods) Sheets() []Info                   { return o.sheets }
func (o *ods) Areas() []Named                   { return o.areas }
func (o *ods) Merged(sheet int) ([]Area, error) { return o.merged[sheet], nil }
func (o *ods) Close() error                     { return nil }

// index finds the sheets, their merged areas, and the areas with a name.
func (o *ods) index(x *scanner) error {
	hidden := map[string]bool{} // styles of sheets
	shown := ""                 // the number style at hand
	hours := map[string]bool{}  // number styles of dates that show hours
	o.timed = map[string]bool{}
	style := ""
	depth := 0 // of tables
	row, column := 0, 0
	var named []struct{ name, address string }
	for {
		_, tag, err := x.tag()
		if err == io.EOF {
			if depth > 0 {
				return io.ErrUnexpectedEOF
			}
			break
		}
		if err != nil {
			return err
		}
		local, closing, empty := name(tag)
		switch string(local) {
		case "style":
			style = value(tag, "name")
			if !closing && hours[value(tag, "data-style-name")] {
				o.timed[style] = true
			}
		case "date-style":
			shown = value(tag, "name")
			if closing {
				shown = ""
			}
		case "hours":
			if shown != "" {
				hours[shown] = true
			}
		case "table-properties":
			if value(tag, "display") == "false" {
				hidden[style] = true
			}
		case "table":
			switch {
			case closing:
				depth--
			case !empty:
				if depth++; depth == 1 {
					o.sheets = append(o.sheets, Info{value(tag, "name"), hidden[value(tag, "style-name")]})
					o.merged = append(o.merged, nil)
					row, column = 0, 0
				}
			}
		case "table-row":
			if depth == 1 && !closing {
				column = 0
				row += repeated(tag, "number-rows-repeated", 1<<30)
			}
		case "table-cell", "covered-table-cell":
			if depth != 1 || closing {
				continue
			}
			wide, high := repeated(tag, "number-columns-spanned", MostColumns), repeated(tag, "number-rows-spanned", MostRows)
			if wide > 1 || high > 1 {
				n := len(o.merged) - 1
				o.merged[n] = append(o.merged[n], Area{row, column + 1, row + high - 1, column + wide})
			}
			column += repeated(tag, "number-columns-repeated", 1<<30)
		case "named-range":
			named = append(named, struct{ name, address string }{value(tag, "name"), value(tag, "cell-range-address")})
		case "database-range":
			if n := value(tag, "name"); !strings.HasPrefix(n, "__Anonymous") {
				named = append(named, struct{ name, address string }{n, value(tag, "target-range-address")})
			}
		}
	}
	for _, n := range named {
		if sheet, area, ok := o.reference(n.address); ok {
			o.areas = append(o.areas, Named{n.name, sheet, area})
		}
	}
	return nil
}

// repeated reads how often something stands, at least once.
func repeated(tag []byte, what string, most int) int {
	if !bytes.Contains(tag, []byte(what)) { // most have none
		return 1
	}
	v, ok := attribute(tag, what)
	if !ok {
		return 1
	}
	n, err := strconv.Atoi(string(v))
	if err != nil || n < 1 {
		return 1
	}
	return min(n, most)
}

// reference reads $Sheet1.$A$1:.$C$10 or 'My sheet'.A1:'My sheet'.C10.
func (o *ods) reference(s string) (sheet int, area Area, ok bool) {
	for i, sh := range o.sheets {
		plain, quoted := sh.Name, "'"+strings.ReplaceAll(sh.Name, "'", "''")+"'"
		for _, n := range []string{plain, quoted} {
			rest := strings.TrimPrefix(s, "$")
			if !strings.HasPrefix(rest, n+".") {
				continue
			}
			from, to, two := strings.Cut(rest[len(n)+1:], ":")
			if two {
				from += ":" + to[strings.LastIndexByte(to, '.')+1:]
			}
			area, ok = ParseArea(from)
			return i, area, ok
		}
	}
	return 0, area, false
}

// Rows implements Book.
func (o *ods) Rows(sheet int) (*Rows, error) {
	r, err := o.open(content)
	if err != nil {
		return nil, err
	}
	p := &odsRows{s: newScanner(r), timed: o.timed, sheet: sheet, at: -1, rows: &Rows{close: func() { r.Close() }}}
	p.rows.next = func(row *Row) error {
		err := p.next(row)
		if err != nil && err != io.EOF {
			return o.damaged(content, err)
		}
		return err
	}
	return p.rows, nil
}

// odsRows reads the rows of a sheet.
type odsRows struct {
	s      *scanner
	rows   *Rows
	timed  map[string]bool
	styles []string // of the columns
	sheet  int
	at     int // the sheet that the scanner is in
	depth  int
	row    int
	again  int // how often the row at hand is still to come
	hidden bool
	cells  []string
	arena  arena
	text   []byte
	part   []byte
	empty  int // cells of the row at hand that hold a text without characters
	blank  bool
}

func (p *odsRows) next(row *Row) error {
	for p.again == 0 {
		_, tag, err := p.s.tag()
		if err != nil {
			return unexpected(err)
		}
		local, closing, empty := name(tag)
		switch string(local) {
		case "table":
			switch {
			case closing:
				if p.depth--; p.depth == 0 && p.at == p.sheet {
					return io.EOF
				}
			case !empty:
				if p.depth++; p.depth == 1 {
					p.at++
				}
			}
		case "table-column":
			if p.depth == 1 && p.at == p.sheet && !closing {
				style := value(tag, "default-cell-style-name")
				for range repeated(tag, "number-columns-repeated", MostColumns) {
					if len(p.styles) < MostColumns {
						p.styles = append(p.styles, style)
					}
				}
			}
		case "table-row":
			if closing || p.depth != 1 || p.at != p.sheet {
				continue
			}
			times := repeated(tag, "number-rows-repeated", 1<<30)
			seen := value(tag, "visibility")
			p.hidden = seen == "collapse" || seen == "filter"
			p.cells, p.empty = p.cells[:0], 0
			if !empty {
				if err := p.readRow(); err != nil {
					return unexpected(err)
				}
			}
			p.blank = len(p.cells) == 0 && p.empty == 1
			if len(p.cells) == 0 && !p.blank {
				p.row += times
				continue
			}
			if p.again = times; p.row+times > MostRows {
				return fmt.Errorf("the sheet has more than %d rows", MostRows)
			}
		}
	}
	p.again--
	p.row++
	if p.hidden {
		p.rows.Hidden++
	}
	row.Number, row.Hidden, row.Cells, row.Blank = p.row, p.hidden, p.cells, p.blank
	return nil
}

// readRow reads the cells up to the end of the row.
func (p *odsRows) readRow() error {
	column := 0
	for {
		_, tag, err := p.s.tag()
		if err != nil {
			return err
		}
		local, closing, empty := name(tag)
		switch string(local) {
		case "table-row":
			if closing {
				return nil
			}
		case "table-cell", "covered-table-cell":
			if closing {
				continue
			}
			times := repeated(tag, "number-columns-repeated", 1<<30)
			cell, err := p.readCell(tag, string(local), empty, column)
			if err != nil {
				return err
			}
			if cell != "" {
				if column+times > MostColumns {
					return fmt.Errorf("row %d has more than %d cells", p.row+1, MostColumns)
				}
				for len(p.cells) < column {
					p.cells = append(p.cells, "")
				}
				for range times {
					p.cells = append(p.cells, cell)
				}
			}
			column += times
		}
	}
}

// readCell reads a cell up to its end.
func (p *odsRows) readCell(tag []byte, element string, empty bool, column int) (string, error) {
	var typ, stored []byte
	typ, _ = attribute(tag, "value-type")
	isError, formula := false, bytes.Contains(tag, []byte(":formula="))
	if formula {
		isError = bytes.Contains(tag, []byte(`calcext:value-type="error"`))
	}
	key := valueKey(typ)
	has := false
	if key != "" {
		if v, ok := attribute(tag, key); ok {
			stored, has = append(p.part[:0], v...), true
			p.part = stored
		}
	}
	kind := ""
	if has {
		kind = string(typ)
	}
	timed := false
	if kind == "date" && has && bytes.IndexByte(stored, 'T') < 0 { // midnight, or no time of day
		style, ok := attribute(tag, "style-name")
		if timed = p.timed[string(style)]; !ok && column < len(p.styles) {
			timed = p.timed[p.styles[column]]
		}
	}
	isText := string(typ) == "string" // before the scanner goes on
	p.text = p.text[:0]
	if !empty {
		if err := p.paragraphs(element); err != nil {
			return "", err
		}
	}
	var buf [64]byte
	switch {
	case isError:
		p.rows.Errors++
		return p.arena.keep(p.text), nil
	case formula && len(typ) == 0 && len(p.text) == 0:
		p.rows.Unstored++
		return "", nil
	case !has:
		if len(p.text) == 0 && !formula && !empty && isText {
			p.empty++
		}
		return p.arena.keep(p.text), nil
	}
	switch kind {
	case "string":
		return p.arena.keep(unescape(nil, stored)), nil
	case "boolean":
		return strings.ToUpper(string(stored)), nil
	case "date":
		if timed {
			return string(stored) + "T00:00:00", nil
		}
		return p.arena.keep(trimFraction(stored)), nil
	case "time":
		out, ok := appendPeriod(buf[:0], string(stored))
		if !ok {
			p.rows.Oddities++
			out = stored
		}
		return p.arena.keep(out), nil
	}
	return p.arena.keep(appendNumber(buf[:0], stored)), nil
}

// valueKey is the attribute that holds the value of a cell of a type.
func valueKey(typ []byte) string {
	switch string(typ) {
	case "float", "percentage", "currency":
		return "value"
	case "date":
		return "date-value"
	case "time":
		return "time-value"
	case "boolean":
		return "boolean-value"
	case "string":
		return "string-value"
	}
	return ""
}

// trimFraction takes idle zeros off the fraction of a second.
func trimFraction(s []byte) []byte {
	if i := bytes.IndexByte(s, '.'); i >= 0 {
		s = bytes.TrimRight(s, "0")
		s = bytes.TrimSuffix(s, []byte("."))
	}
	return s
}

// appendPeriod appends PT14H30M00S as a clock does.
func appendPeriod(dst []byte, s string) ([]byte, bool) {
	sign, rest := int64(1), s
	if strings.HasPrefix(rest, "-") {
		sign, rest = -1, rest[1:]
	}
	if !strings.HasPrefix(rest, "P") {
		return dst, false
	}
	rest = rest[1:]
	total, inTime := 0.0, false
	for rest != "" {
		if rest[0] == 'T' {
			inTime, rest = true, rest[1:]
			continue
		}
		i := strings.IndexFunc(rest, func(r rune) bool { return r != '.' && (r < '0' || r > '9') })
		if i <= 0 {
			return dst, false
		}
		n, err := strconv.ParseFloat(rest[:i], 64)
		if err != nil {
			return dst, false
		}
		switch unit := rest[i]; {
		case unit == 'D' && !inTime:
			total += n * 86400
		case unit == 'H' && inTime:
			total += n * 3600
		case unit == 'M' && inTime:
			total += n * 60
		case unit == 'S' && inTime:
			total += n
		default:
			return dst, false
		}
		rest = rest[i+1:]
	}
	if total > 1e12 {
		return dst, false
	}
	return appendClock(dst, sign*int64(total*1000+0.5)), true
}

// paragraphs reads the text of a cell: its paragraphs are lines. Notes and drawings are passed over.
func (p *odsRows) paragraphs(element string) error {
	inside, lines := 0, 0
	for {
		text, tag, err := p.s.tag()
		if err != nil {
			return err
		}
		if inside > 0 {
			p.spaced(text)
		}
		local, closing, empty := name(tag)
		switch string(local) {
		case element:
			if closing {
				return nil
			}
		case "annotation", "frame", "shapes", "custom-shape", "table":
			if !closing && !empty {
				if err := p.pass(string(local)); err != nil {
					return err
				}
			}
		case "p":
			switch {
			case closing:
				inside--
			default:
				if lines++; lines > 1 {
					p.text = append(p.text, '\n')
				}
				if !empty {
					inside++
				}
			}
		case "s":
			if !closing {
				for range repeated(tag, "c", 1<<16) {
					p.text = append(p.text, ' ')
				}
			}
		case "tab":
			if !closing {
				p.text = append(p.text, '\t')
			}
		case "line-break":
			if !closing {
				p.text = append(p.text, '\n')
			}
		}
	}
}

// spaced appends a text in which any white space is one space.
func (p *odsRows) spaced(s []byte) {
	from := len(p.text)
	p.text = unescape(p.text, s)
	out := p.text[:from]
	for _, c := range p.text[from:] {
		if c == '\n' || c == '\t' || c == '\r' {
			c = ' '
		}
		if c == ' ' && len(out) > from && out[len(out)-1] == ' ' {
			continue
		}
		out = append(out, c)
	}
	p.text = out
}

// pass passes over an element whose tag was just read.
func (p *odsRows) pass(element string) error {
	for depth := 1; depth > 0; {
		_, tag, err := p.s.tag()
		if err != nil {
			return err
		}
		if local, closing, empty := name(tag); string(local) == element {
			if closing {
				depth--
			} else if !empty {
				depth++
			}
		}
	}
	return nil
}
