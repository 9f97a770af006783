package format

import (
	"bytes"
	"io"
	"strings"

	"revuelta/internal/calendar"
	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
	"revuelta/internal/server"
	"revuelta/internal/table"
)

var serverFormat = Format{
	Name:   "postgres",
	Keeps:  "the order of fields; numbers, dates, timestamps and TRUE and FALSE as such where every cell survives, else text; blank is NULL",
	Loses:  "the order of rows where there is no primary key and no --by; NULL and empty text are both blank",
	tables: true, server: true,
	open: one(openServer), sample: sampleOfServer,
	encode: encodeServer,
}

// addressOf reads the name of a table of a server.
func addressOf(path string) (*server.Address, error) {
	if !server.IsAddress(path) {
		return nil, diag.Usagef("this is no table of a server").At(path, 0).Trying("postgres://HOST/DATABASE#TABLE")
	}
	return server.Parse(path)
}

// OnServer tells whether a path names a table of a server, and no file.
func OnServer(path string) bool { return server.IsAddress(path) }

// NameOf is what messages and accounts call a path: it itself, or host, database and table of a server.
func NameOf(path string) string {
	if server.IsAddress(path) {
		if a, err := server.Parse(path); err == nil {
			return a.Name()
		}
	}
	return path
}

// openServer begins to read a table of a server, or the rows of a query.
func openServer(path string, o ReadOptions) (*oneFile, *Input, error) {
	a, err := addressOf(path)
	if err != nil {
		return nil, nil, err
	}
	if err := o.noSheet(a.Name(), "a table of a server"); err != nil {
		return nil, nil, err
	}
	rows, err := server.Open(a, server.Want{Query: o.Query, By: o.By, Limit: o.Limit})
	if err != nil {
		return nil, nil, err
	}
	clean, notes := headerNames(rows.Names, rows.Notes)
	input := &Input{Name: rows.Name, Fields: len(clean), Notes: notes, How: Found{Unordered: rows.Unordered}}
	d := delimited.Dialect{Delimiter: ','}
	split := delimited.NewSplitter(nil, rows, d, 1, chunkSize)
	split.Bound(len(clean))
	text := &textFile{in: &opened{name: rows.Name, close: rows.Close}, d: d, names: clean, split: split}
	return &oneFile{body: &serverRows{textFile: text, rows: rows, input: input, told: len(rows.Notes), row: 1}, names: clean}, input, nil
}

// serverRows are rows that a server sends as text; they are counted, since a server has rows and no lines.
type serverRows struct {
	*textFile
	rows  *server.Rows
	input *Input
	told  int // notes that were told already
	row   int // the next one
}

func (f *serverRows) next() (Chunk, error) {
	c, err := f.textFile.next()
	if err == io.EOF {
		sent := f.rows.Sent()
		if n := int64(f.row - 1); n != sent {
			return c, diag.Systemf("the server sent %s by its own count, and %s came", diag.Plural(sent, "row"), diag.Plural(n, "row")).At(f.in.name, 0)
		}
		f.input.Notes = append(f.input.Notes, f.rows.Notes[f.told:]...)
		f.told = len(f.rows.Notes)
	}
	if err != nil {
		return c, err
	}
	c.text.Line = f.row
	f.row += rowsIn(c.text.Data)
	return c, nil
}

// rowsIn counts the rows of a text: line ends outside quotes.
func rowsIn(text []byte) (rows int) {
	for {
		quote := bytes.IndexByte(text, '"')
		if quote < 0 {
			return rows + bytes.Count(text, []byte{'\n'})
		}
		rows += bytes.Count(text[:quote], []byte{'\n'})
		end := bytes.IndexByte(text[quote+1:], '"')
		if end < 0 {
			return rows
		}
		text = text[quote+end+2:]
	}
}

func (f *serverRows) parser(stats *Stats, how parsing) func(c Chunk, dst *table.Batch) error {
	parse := f.textFile.parser(stats, how)
	return func(c Chunk, dst *table.Batch) error {
		err := parse(c, dst)
		dst.Origin = table.Origin{Line: c.text.Line, Each: 1}
		return err
	}
}

// Key names the key of a row of a table of a server, for a message; "" where there is none.
func (s *files) Key(name string, row int, field, cell string) string {
	for i, f := range s.files {
		if rows, ok := f.body.(*serverRows); ok && s.inputs[i].Name == name {
			return rows.rows.Key(row, field, cell)
		}
	}
	return ""
}

// sampleOfServer looks at a table; where none is named, it lists them.
func sampleOfServer(as, path string, o ReadOptions) (*Sample, error) {
	a, err := addressOf(path)
	if err != nil {
		return nil, err
	}
	if a.Table != "" || o.Query != "" {
		if o.Limit == 0 || o.Limit > sampleRows {
			o.Limit = sampleRows + 1
		}
		return sampleOfTable(as, path, o)
	}
	tables, err := server.Tables(a)
	if err != nil {
		return nil, err
	}
	if len(tables) == 0 {
		return nil, diag.Dataf("the database has no table").At(a.Name(), 0)
	}
	l := &Sample{Name: a.Name(), As: as, Whole: true, Rows: [][]string{}}
	for _, t := range tables {
		l.Parts = append(l.Parts, Part{Name: t.Name, Fields: len(t.Fields), Rows: t.Rows, More: t.More, Fault: t.Fault, Names: t.Fields})
	}
	return l, nil
}

// wayOf is what becomes of a table that is there.
func (o WriteOptions) wayOf() (server.Way, error) {
	switch {
	case o.Add && o.Overwrite:
		return 0, diag.Usagef("--add keeps the rows that are there, and --overwrite replaces them: one of them")
	case o.Add:
		return server.Add, nil
	case o.Overwrite:
		return server.Replace, nil
	}
	return server.New, nil
}

// notOnServer tells why a table of a server can't have such fields.
func notOnServer(names []string) *diag.Error {
	if len(names) > server.MostFields {
		return diag.Dataf("%s are more than the %s columns of a table there", diag.Plural(int64(len(names)), "field"), diag.Count(server.MostFields)).
			Trying("unpivot before", "another format: -o tidy.parquet")
	}
	for _, n := range names {
		if len(n) > server.MostName {
			return diag.Dataf("the name has %d bytes, and a column's may have %d there", len(n), server.MostName).InField(n).Trying("rename it to something shorter")
		}
	}
	return nil
}

// stillOnServer tells what a field can be with a further cell: what the server gives back must be the cell again.
func stillOnServer(could holds, c string) holds {
	if could&holdsNumbers != 0 && !plainNumber(c) {
		could &^= holdsNumbers
	}
	if could&holdsDates != 0 && !plainDate(c) {
		could &^= holdsDates
	}
	if could&holdsTimes != 0 && !plainMoment(c) {
		could &^= holdsTimes
	}
	if could&holdsTruths != 0 && c != "TRUE" && c != "FALSE" {
		could &^= holdsTruths
	}
	return could
}

// plainNumber tells whether the server would write a number as it stands: no sign but minus, no leading zeros, no exponent, no minus zero.
func plainNumber(s string) bool {
	digits, minus := strings.CutPrefix(s, "-")
	if digits == "" || len(digits) > 1000 || digits[0] == '0' && len(digits) > 1 && digits[1] != '.' {
		return false
	}
	zero, point := true, -1
	for i := range len(digits) {
		switch c := digits[i]; {
		case c == '.' && point < 0 && i > 0:
			point = i
		case c < '0' || c > '9':
			return false
		case c != '0':
			zero = false
		}
	}
	return point != len(digits)-1 && !(minus && zero)
}

// plainDate tells whether it is a day as the server writes it.
func plainDate(s string) bool {
	if len(s) != len("2024-05-02") || s[:4] == "0000" {
		return false
	}
	_, ok := calendar.Parse(s)
	return ok
}

// plainMoment tells whether it is a time of a day as the server gives it: to the second, or a millionth of one.
func plainMoment(s string) bool {
	if len(s) < len("2024-05-02T14:30:00") || s[10] != 'T' || s[16] != ':' || !plainDate(s[:10]) {
		return false
	}
	fraction := s[19:]
	if len(fraction) == 1 || len(fraction) > 7 || fraction != "" && (fraction[0] != '.' || fraction[len(fraction)-1] == '0') {
		return false
	}
	for i := 1; i < len(fraction); i++ {
		if fraction[i] < '0' || fraction[i] > '9' {
			return false
		}
	}
	_, ok := calendar.Parse(s[:19])
	return ok
}

// onServer is what a field is made as.
func (h holds) onServer() server.Kind {
	switch {
	case h&holdsSome == 0:
		return server.Text
	case h&holdsNumbers != 0:
		return server.Number
	case h&holdsDates != 0:
		return server.Date
	case h&holdsTimes != 0:
		return server.Timestamp
	case h&holdsTruths != 0:
		return server.Boolean
	}
	return server.Text
}
