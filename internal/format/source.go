package format

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
	"revuelta/internal/rowstore"
	"revuelta/internal/table"
)

type textChunk = delimited.Chunk

// chunkSize is how much text one worker takes at a time.
var chunkSize = 64 << 10

func init() {
	if table.Strict { // so that there are many also of a small file
		chunkSize = 3 << 10
	}
}

// files is several files read one under another, matched by field name.
type files struct {
	o       ReadOptions
	schema  *table.Schema
	files   []*oneFile
	inputs  []*Input
	current int
}

// oneFile is one of them.
type oneFile struct {
	body
	names  []string
	fields []int    // position of each field of the table in the file, -1: it is not there
	same   bool     // the file's fields are the table's
	added  []string // what stands in the fields that tell of the file, behind the others
}

// parsing is how a parser is wanted.
type parsing struct {
	aside   func(LongRow) // takes the rows longer than the header; nil: the first is a fault
	byPlace []bool        // as in [Parser]
}

// body is what stands in a file below its header.
type body interface {
	next() (Chunk, error) // io.EOF after the last
	parser(stats *Stats, how parsing) func(c Chunk, dst *table.Batch) error
	recycle(c Chunk)
	close() error
	source() string // what the field for the source holds
}

// textFile is a file of delimited text.
type textFile struct {
	in    *opened
	d     delimited.Dialect
	names []string
	split interface {
		Next() (delimited.Chunk, error)
		Recycle(delimited.Chunk)
	}
}

func (f *textFile) source() string  { return f.in.name }
func (f *textFile) recycle(c Chunk) { f.split.Recycle(c.text) }
func (f *textFile) close() error    { return f.in.close() }

func (f *textFile) next() (Chunk, error) {
	c, err := f.split.Next()
	var told *diag.Error
	if errors.As(err, &told) {
		return Chunk{}, told.At(f.in.name, told.Line)
	}
	if err != nil && err != io.EOF {
		return Chunk{}, f.in.readError(err)
	}
	return Chunk{text: c, Bytes: int64(len(c.Data))}, err
}

func (f *textFile) parser(stats *Stats, how parsing) func(c Chunk, dst *table.Batch) error {
	t := delimited.NewParser(f.d, len(f.names))
	t.ByPlace = how.byPlace
	if how.aside != nil {
		t.Long = func(fault *delimited.Fault, cells []string) {
			how.aside(LongRow{f.in.name, fault.Line, fault.Cell, fault.Text, cells, f.names})
			stats.Long++
		}
	}
	return func(c Chunk, dst *table.Batch) error {
		err := t.Parse(c.text, dst)
		stats.Short, stats.Empty = t.Short, t.Empty
		var fault *delimited.Fault
		if errors.As(err, &fault) {
			return f.fault(fault, f.names)
		}
		return err
	}
}

// Open opens files as one table, their headers read. No file is named twice as standard input.
func Open(paths []string, o ReadOptions) (Source, error) {
	if o.HeaderJoin == "" {
		o.HeaderJoin = " / "
	}
	s := &files{o: o}
	if i := slices.Index(paths, "-"); i >= 0 && slices.Contains(paths[i+1:], "-") {
		return nil, diag.Usagef("standard input (-) is named twice")
	}
	for _, p := range paths {
		f, err := formatOf(p, &o)
		if err != nil {
			s.Close()
			return nil, err
		}
		files, inputs, err := openFormat(f, p, o)
		if err != nil {
			s.Close()
			return nil, err
		}
		s.files, s.inputs = append(s.files, files...), append(s.inputs, inputs...)
	}
	if err := s.unite(); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// openFormat opens a file of a format, nil where it is not known yet.
func openFormat(f *Format, path string, o ReadOptions) ([]*oneFile, []*Input, error) {
	if (f == nil || !f.sheets) && (o.Sheet != "" || o.Area != "") {
		return nil, nil, diag.Usagef("--sheet and --area go with workbooks (xlsx, ods)").At(path, 0)
	}
	if f != nil && !f.Reads() {
		return nil, nil, f.writeOnly(path)
	}
	if (f == nil || !f.server) && (o.Query != "" || o.By != nil) {
		return nil, nil, diag.Usagef("--query and --by go with a table of a server").At(path, 0).Trying("sort and where, as steps")
	}
	if f != nil {
		return f.open(f.Name, path, o)
	}
	return one(func(path string, o ReadOptions) (*oneFile, *Input, error) {
		in, err := open(path, o)
		if err != nil {
			return nil, nil, err
		}
		if f := byLook(in.probe); f != nil {
			return f.read(in, o)
		}
		return openText(in, 0, o)
	})("", path, o)
}

// openDelimited opens a text, of which the delimiter is known, or 0.
func openDelimited(path string, delimiter byte, o ReadOptions) (*oneFile, *Input, error) {
	in, err := open(path, o)
	if err != nil {
		return nil, nil, err
	}
	return openText(in, delimiter, o)
}

// emptyFirst counts the empty rows at the beginning.
func emptyFirst(rows []delimited.Record) int {
	n := slices.IndexFunc(rows, func(r delimited.Record) bool { return len(r.Cells) > 0 })
	if n < 0 {
		return len(rows)
	}
	return n
}

func openText(in *opened, delimiter byte, o ReadOptions) (*oneFile, *Input, error) {
	f := &textFile{in: in, d: delimited.Dialect{Delimiter: o.Delimiter, NoQuotes: o.NoQuotes}}
	if f.d.Delimiter == 0 && o.Layout.delimiter() == 0 {
		o.Delimiter = delimiter
	}
	if err := in.endLines(o); err != nil {
		in.close()
		return nil, nil, err
	}
	if err := in.relay(&o); err != nil {
		in.close()
		return nil, nil, err
	}
	f.d.NoQuotes = o.NoQuotes
	if f.d.Delimiter == 0 {
		f.d.Delimiter = o.Layout.delimiter()
	}
	if f.d.Delimiter == 0 {
		if f.d.Delimiter = delimiter; delimiter == 0 {
			f.d.Delimiter = delimited.Detect(in.probe)
		}
	}
	if o.AsItLies {
		return openSheet(in, f.d, o)
	}
	most := max(headRows, o.Header.To, o.Body) + 1
	rows, err := delimited.Head(in.probe, f.d, most, in.rest == nil)
	for err == nil && in.rest != nil && len(rows) < max(2, o.Header.To, o.Body) && len(in.probe) < delimited.MostRow { // rows of great size
		if err := in.more(3 * len(in.probe)); err != nil {
			in.close()
			return nil, nil, err
		}
		rows, err = delimited.Head(in.probe, f.d, most, in.rest == nil)
	}
	for err == nil && emptyFirst(rows) > 0 { // empty lines, of comments too, stand above what is looked at
		switch {
		case len(rows) == most && most < emptyFirst(rows)+headRows+1:
			most += emptyFirst(rows) + headRows
		case emptyFirst(rows) == len(rows) && in.rest != nil && len(in.probe) < delimited.MostRow:
			if err := in.more(3 * len(in.probe)); err != nil {
				in.close()
				return nil, nil, err
			}
		default:
			most = 0
		}
		if most == 0 {
			break
		}
		rows, err = delimited.Head(in.probe, f.d, most, in.rest == nil)
	}
	if err != nil && len(rows) <= max(o.Header.To, o.Body) {
		in.close()
		var fault *delimited.Fault
		errors.As(err, &fault)
		return nil, nil, f.fault(fault, nil)
	}
	if err == nil && len(rows) == 0 {
		in.close()
		return nil, nil, diag.Dataf("the first row is longer than %d MiB, or this is no table", delimited.MostRow>>20).At(in.name, 1)
	}
	h, e := readHead(rows, o, nil)
	if e != nil {
		in.close()
		e.File = in.name
		return nil, nil, e
	}
	if o.First != "" {
		if e := nameFirst(h, rows, o.First); e != nil {
			in.close()
			return nil, nil, e.At(in.name, 0)
		}
	}
	f.names = h.names
	start, line := len(in.probe), 1+bytes.Count(in.probe, []byte{'\n'})
	switch {
	case h.body < len(rows):
		start, line = rows[h.body].Start, rows[h.body].Line
	case len(rows) > 0:
		last := rows[len(rows)-1]
		start, line = last.End, last.Line+bytes.Count(in.probe[last.Start:last.End], []byte{'\n'})
	}
	split := delimited.NewSplitter(in.probe[start:], in.rest, f.d, line, chunkSize)
	split.Bound(len(f.names))
	f.split = split
	input := &Input{Name: in.name, Fields: len(f.names), Size: in.size, Notes: append(in.notes, h.notes...),
		How: Found{Encoding: in.found, Delimiter: f.d.Delimiter, Header: h.found}}
	if r := in.relaid; r != nil && r.Comment != "" {
		input.Comments = func() (all, among int64) {
			for _, n := range r.comments {
				if n >= line {
					among++
				}
			}
			return int64(len(r.comments)), among
		}
	}
	if o.Foot > 0 || o.FootAuto {
		foot := &footer{split: split, d: f.d, rows: o.Foot, auto: o.FootAuto, fields: len(f.names), tell: func(note string) { input.Notes = append(input.Notes, note) }}
		f.split = foot
	}
	return &oneFile{body: f, names: f.names}, input, nil
}

// unite makes the fields of all files one list, as first met.
func (s *files) unite() error {
	var names []string
	if len(s.files) == 1 {
		f := s.files[0]
		names, f.same = slices.Clone(f.names), true
		f.fields = make([]int, len(names))
		for k := range f.fields {
			f.fields[k] = k
		}
	} else {
		names = s.together()
	}
	if err := s.addNames(&names); err != nil {
		return err
	}
	s.schema = table.NewSchema(names)
	return nil
}

// together finds the names of several files, and where each file has them.
func (s *files) together() (names []string) {
	place := make(map[string]int, len(s.files[0].names))
	for _, f := range s.files {
		for _, n := range f.names {
			if _, ok := place[n]; !ok {
				place[n] = len(names)
				names = append(names, n)
			}
		}
	}
	for i, f := range s.files {
		f.fields = slices.Repeat([]int{-1}, len(names))
		f.same = len(names) == len(f.names)
		for k, n := range f.names {
			at := place[n]
			f.fields[at] = k
			f.same = f.same && at == k
		}
		var missing []string
		for k, from := range f.fields {
			if from < 0 {
				missing = append(missing, names[k])
			}
		}
		if len(missing) > 0 {
			s.inputs[i].Notes = append(s.inputs[i].Notes, "not in this file, so blank: "+diag.Names(missing))
		}
	}
	return names
}

// addNames adds the fields that tell of the files.
func (s *files) addNames(names *[]string) error {
	if n := s.o.Source; n != "" {
		if slices.Contains(*names, n) {
			return diag.Dataf("--source %s: there is a field of that name already", diag.Quote(n)).Trying("--source file")
		}
		*names = append(*names, n)
		for _, f := range s.files {
			f.added = append(f.added, f.source())
		}
	}
	if s.o.SourcePart == nil {
		return nil
	}
	for _, n := range s.o.SourcePart.Places() {
		if slices.Contains(*names, n) {
			return diag.Dataf("--source-part: there is a field %s already", diag.Quote(n)).Trying("another name in the pattern")
		}
		*names = append(*names, n)
	}
	for _, f := range s.files {
		parts, err := partsOf(s.o.SourcePart, f.source())
		if err != nil {
			return err
		}
		f.added = append(f.added, parts...)
	}
	return nil
}

func (s *files) Schema() *table.Schema { return s.schema }
func (s *files) Inputs() []*Input      { return s.inputs }

func (s *files) Next() (Chunk, error) {
	for s.current < len(s.files) {
		f := s.files[s.current]
		c, err := f.next()
		if err == io.EOF {
			f.close()
			s.current++
			continue
		}
		c.file = s.current
		return c, err
	}
	return Chunk{}, io.EOF
}

func (s *files) Recycle(c Chunk) { s.files[c.file].recycle(c) }

func (s *files) Close() error {
	for _, f := range s.files {
		f.close() // read only, and perhaps closed before
	}
	return nil
}

// Parser makes a parser for one worker.
func (s *files) Parser() Parser {
	p := &fileParser{s: s, parsers: make([]func(Chunk, *table.Batch) error, len(s.files)), raw: table.Get()}
	p.stats = make([]Stats, len(s.files))
	if len(s.o.Blank) > 0 {
		p.blank = map[string]bool{}
		for _, b := range s.o.Blank {
			p.blank[b] = true
			p.longest = max(p.longest, len(b))
		}
	}
	return p
}

type fileParser struct {
	s       *files
	parsers []func(Chunk, *table.Batch) error
	raw     *table.Batch
	blank   map[string]bool
	byPlace []bool
	longest int
	stats   []Stats
	long    []LongRow
}

// ByPlace is left to the parsers of files that are laid out as the table is, where no cell is looked at in between.
func (p *fileParser) ByPlace(fields []bool) {
	if p.blank == nil {
		p.byPlace = fields
	}
}

func (p *fileParser) Long() []LongRow { return p.long }

func (p *fileParser) Stats() []Stats { return p.stats }

func (p *fileParser) Parse(c Chunk, dst *table.Batch) error {
	f := p.s.files[c.file]
	parse := p.parsers[c.file]
	if parse == nil {
		var how parsing
		if p.s.o.LongAside {
			how.aside = func(r LongRow) { p.long = append(p.long, r) }
		}
		if f.same && len(f.added) == 0 {
			how.byPlace = p.byPlace
		}
		parse = f.parser(&p.stats[c.file], how)
		p.parsers[c.file] = parse
	}
	p.long = nil
	into := dst
	if !f.same || len(f.added) > 0 {
		into = p.raw
	}
	err := parse(c, into)
	into.Origin.File = c.file
	if p.blank != nil {
		p.markers(into)
	}
	if into != dst {
		p.rearrange(dst, into, f)
	}
	p.stats[c.file].Rows += int64(dst.Rows)
	return err
}

// rearrange puts the fields of a file where the table has them.
func (p *fileParser) rearrange(dst, src *table.Batch, f *oneFile) {
	dst.Shape(p.s.schema.Len())
	dst.Rows = src.Rows
	lines := append(dst.Origin.Lines[:0], src.Origin.Lines...)
	dst.Origin = src.Origin
	if dst.Origin.Lines != nil {
		dst.Origin.Lines = lines
	}
	for i, at := range f.fields {
		if at < 0 {
			dst.Cols[i].SetConstant("", src.Rows)
		} else {
			dst.Cols[i].Borrow(&src.Cols[at])
		}
	}
	for i, cell := range f.added {
		dst.Cols[len(f.fields)+i].SetConstant(cell, src.Rows)
	}
}

// markers makes cells that hold a marker for blank truly blank.
func (p *fileParser) markers(b *table.Batch) {
	for i := range b.Cols {
		cells := b.Cols[i].Flatten(b.Rows)
		for r, s := range cells {
			if len(s) <= p.longest && s != "" && p.blank[s] {
				cells[r] = ""
			}
		}
	}
}

// fault makes a message of a fault in the text.
func (f *textFile) fault(t *delimited.Fault, names []string) *diag.Error {
	e := diag.Dataf("%s", t.Text).At(f.in.name, t.Line)
	if t.Field >= 0 && t.Field < len(names) {
		e.InField(names[t.Field])
		e.Cell = t.Cell
	}
	switch t.Kind {
	case delimited.BareQuote:
		e.Text = fmt.Sprintf("%s: %s", diag.Quote(t.Cell), t.Text)
		if looksLikeJSON(f.in.probe) {
			return e.Trying("--read-as json")
		}
		if c := t.Cell; len(c) <= 40 && !strings.ContainsAny(c, "…\n\r") {
			e.Trying(`in the file, put the cell in quotes and double those inside: "` + strings.ReplaceAll(c, `"`, `""`) + `"`)
		}
		e.Trying("--quote none takes quotes as text")
	case delimited.UnclosedQuote, delimited.HugeRow:
		e.Text = fmt.Sprintf("%s: %s", t.Text, diag.Quote(t.Cell))
		if strings.HasPrefix(t.Cell, `"`) {
			e.Trying("close the quote", "--quote none takes quotes as text")
		} else {
			e.Trying("look whether this is a table: its rows may end otherwise")
		}
	case delimited.NotUTF8:
		e.Text = fmt.Sprintf("%s, in %s; the beginning of the file is", t.Text, diag.Quote(t.Cell))
		e.Trying("--encoding windows-1252 (or what the file is in)")
	case delimited.NUL:
		e.Trying("--encoding utf-16le if it is text from an office program")
	case delimited.LongRow:
		e.Text = fmt.Sprintf("%s; beyond them stands %s", t.Text, diag.Quote(t.Cell))
		e.Trying("give the header a name for it", "--set-aside FILE")
	}
	return e
}

// Each reads a source whole, batch by batch, in the calling goroutine; f may keep the cells.
func Each(src Source, f func(*table.Batch) error) error {
	p := src.Parser()
	for {
		c, err := src.Next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		b := table.Get()
		err = p.Parse(c, b)
		if e := f(b); e != nil {
			return e
		}
		table.Put(b)
		if err != nil {
			return err
		}
	}
}

// Stored is a table of rows that were stored, as a source: name is what it is called, files the names that the origins of its rows number.
func Stored(name string, schema *table.Schema, rows *rowstore.Rows, files []string) (Source, error) {
	r, err := rows.Read()
	return &storedRows{made: made{name, schema, files}, rows: r}, err
}

// made is a table that was made here; its rows came from files all the same.
type made struct {
	name   string
	schema *table.Schema
	files  []string
}

func (m made) Schema() *table.Schema { return m.schema }
func (m made) Inputs() []*Input      { return []*Input{{Name: m.name, Fields: m.schema.Len()}} }
func (m made) Parser() Parser        { return &memoryParser{stats: make([]Stats, 1)} }
func (m made) Recycle(Chunk)         {}
func (m made) Close() error          { return nil }

// Files names what the origins of rows number.
func (m made) Files() []string { return m.files }

type storedRows struct {
	made
	rows *rowstore.RowsReader
}

func (m *storedRows) Next() (Chunk, error) {
	b, err := m.rows.Next()
	return Chunk{batch: b}, err
}

type memoryParser struct{ stats []Stats }

func (p *memoryParser) Parse(c Chunk, dst *table.Batch) error {
	dst.Shape(len(c.batch.Cols))
	for i := range c.batch.Cols {
		dst.Cols[i].Borrow(&c.batch.Cols[i])
	}
	dst.Rows, dst.Origin = c.batch.Rows, c.batch.Origin
	p.stats[0].Rows += int64(dst.Rows)
	return nil
}
func (p *memoryParser) ByPlace([]bool)  {}
func (p *memoryParser) Stats() []Stats  { return p.stats }
func (p *memoryParser) Long() []LongRow { return nil }
