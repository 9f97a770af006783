package format

import (
	"bytes"
	"errors"
	"io"
	"os"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
	"revuelta/internal/sheet"
	"revuelta/internal/table"
)

// Sample is how a file lies: what it is, and some of its rows, with their place.
type Sample struct {
	Name      string
	As        string // the format
	Size      int64  // bytes, 0 where not known
	Encoding  string // of text
	Delimiter byte
	Quoted    bool   // quotes stand in it
	LineEnds  string // LF, CRLF, CR or mixed
	Sheets    []sheet.Info
	Sheet     string // the one that is read
	Parts     []Part // the sheets or tables of the file, where there are several
	Merged    []sheet.Area
	Notes     []string

	First  []delimited.Record // the rows at the beginning, empty ones too; none where the format names its fields
	Later  []delimited.Record // rows from the middle and the end, whose lines are not known
	Whole  bool               // First is all there is
	Header Header             // From 0: there is none
	Names  []string           // of the fields
	Body   int                // index in First of the first row of data
	Foot   []delimited.Record // notes at the end
	Rows   [][]string         // of data, where the format names its fields

	Unordered bool // the rows lie in no order that would be the same the next time
}

// How much is looked at.
const (
	sampleBegin = 64 << 10
	sampleLater = 16 << 10
	sampleGreat = 4 << 20 // of rows of great size
	sampleRows  = 3000
	mostNotes   = 30
)

// SampleOf looks how a file lies, at its beginning, its middle and its end.
func SampleOf(path string, o ReadOptions) (*Sample, error) {
	f, err := formatOf(path, &o)
	if err != nil {
		return nil, err
	}
	if o.HeaderJoin == "" {
		o.HeaderJoin = " / "
	}
	if f != nil && !f.Reads() {
		return nil, f.writeOnly(path)
	}
	if f != nil {
		return f.sample(f.Name, path, o)
	}
	return sampleOfText("", path, o)
}

// sampleOfText looks at a text, of a format, "" where that is not known yet.
func sampleOfText(as, path string, o ReadOptions) (*Sample, error) {
	o.probe = 4*sampleBegin + 1
	if at, err := os.Stat(path); err == nil && at.Size() > int64(o.probe) {
		o.probe = sampleBegin
	}
	in, err := open(path, o)
	if err != nil {
		return nil, err
	}
	defer in.close()
	if f := byLook(in.probe); as == "" && f != nil {
		return f.sample(f.Name, path, o)
	}
	if as == "" {
		as = "csv"
	}
	l := &Sample{Name: in.name, As: as, Size: in.size, Encoding: in.found, Notes: in.notes, Delimiter: o.Delimiter}
	if err := in.endLines(o); err != nil {
		return nil, err
	}
	if err := in.relay(&o); err != nil {
		return nil, err
	}
	if l.Delimiter == 0 {
		l.Delimiter = o.Layout.delimiter()
	}
	if l.Delimiter == 0 && as == "tsv" { // as every other command has it
		l.Delimiter = '\t'
	}
	begin := in.probe
	if l.Whole = in.rest == nil; len(begin) > 4*sampleBegin {
		begin, l.Whole = begin[:sampleBegin], false
	}
	if l.Delimiter == 0 {
		l.Delimiter = delimited.Detect(begin)
	}
	d := delimited.Dialect{Delimiter: l.Delimiter, NoQuotes: o.NoQuotes}
	l.Quoted, l.LineEnds = bytes.IndexByte(begin, '"') >= 0, lineEnds(begin)
	if o.LineEndCR {
		l.LineEnds = "CR"
	}
	most := sampleRows
	if l.Whole {
		most = len(begin) // a small file is looked at whole
	}
	rows, err := delimited.Head(begin, d, most, l.Whole)
	for size := sampleGreat; (len(rows) < 5 && size == sampleGreat || len(rows) < 2) && err == nil && !l.Whole && len(in.probe) < delimited.MostRow; size *= 4 { // rows of great size
		if err := in.more(size); err != nil {
			return nil, err
		}
		l.Whole = in.rest == nil
		rows, err = delimited.Head(in.probe, d, sampleRows, l.Whole)
	}
	if len(rows) == 0 && err != nil {
		var fault *delimited.Fault
		errors.As(err, &fault)
		return nil, (&textFile{in: in}).fault(fault, nil)
	}
	if len(rows) == 0 {
		return nil, diag.Dataf("the first row is longer than what is looked at, or this is no table").At(in.name, 1)
	}
	l.Whole = l.Whole && len(rows) < most && err == nil
	l.First = rows
	if !l.Whole && in.size > 2*sampleBegin && in.found == "utf-8" && path != "-" && !o.LineEndCR && in.relaid == nil {
		l.later(path, in.size, int64(len(in.probe)), d)
	}
	return l, l.settle(o, nil)
}

func lineEnds(text []byte) string {
	lf, crlf := bytes.Count(text, []byte{'\n'}), bytes.Count(text, []byte("\r\n"))
	switch {
	case crlf == 0:
		return "LF"
	case crlf == lf:
		return "CRLF"
	}
	return "mixed"
}

// later takes rows from the middle and the end of a text, behind what was looked at from its beginning, as far as they are as
// wide as those.
func (l *Sample) later(path string, size, seen int64, d delimited.Dialect) {
	if _, _, zipped := archived(path); zipped {
		return // its middle can't be gone to
	}
	f, err := os.Open(path)
	if err != nil {
		return // they are a help only
	}
	defer f.Close()
	width := 0
	for _, r := range l.First {
		width = max(width, len(r.Cells))
		if slices.ContainsFunc(r.Cells, func(c string) bool { return strings.Contains(c, "\n") }) {
			return // a line may begin within a cell
		}
	}
	buf := make([]byte, sampleLater)
	for _, at := range []int64{size / 2, size - sampleLater} {
		if at < seen {
			continue
		}
		seen = at + sampleLater
		n, err := f.ReadAt(buf, at)
		if err != nil && err != io.EOF {
			return
		}
		text := buf[:n]
		i := bytes.IndexByte(text, '\n')
		if i < 0 {
			continue
		}
		rows, _ := delimited.Head(slices.Clone(text[i+1:]), d, sampleRows, at+int64(n) >= size)
		for _, r := range rows {
			if len(r.Cells) <= width {
				r.Line = 0
				l.Later = append(l.Later, r)
			}
		}
	}
}

// settle finds header, data and foot among the rows.
func (l *Sample) settle(o ReadOptions, merged mergedAreas) error {
	rows := l.First
	from := 0
	for from < len(rows) && len(rows[from].Cells) == 0 {
		from++
	}
	if from == len(rows) {
		return diag.Dataf("the file has no header: it is empty").At(l.Name, 0)
	}
	if o.Header.Kind == HeaderFirst {
		first, last := likelyHeader(rows, from, merged)
		if first < 0 || !mostWide(rows, first) || first > from && (!looksLikeTitle(rows, from, first) || anyNumber(rows[first].Cells)) {
			first, last = from, from
		}
		o.Header = Header{HeaderRows, first + 1, last + 1}
	}
	h, e := readHead(rows, o, merged)
	if e != nil {
		e.File = l.Name
		return e
	}
	if o.First != "" {
		if e := nameFirst(h, rows, o.First); e != nil {
			e.File = l.Name
			return e
		}
	}
	l.Header, l.Names, l.Body = h.found, h.names, h.body
	if l.Header.Kind == HeaderNone {
		l.Header = Header{}
	}
	// Notes at the end, where the end is known.
	end := l.Later
	if l.Whole {
		end = l.First[min(l.Body, len(l.First)):]
	}
	n := footOf(end, len(l.Names), labels{})
	for _, r := range end[n:] {
		if !empty(r.Cells) {
			l.Foot = append(l.Foot, r)
		}
	}
	if len(l.Foot) > mostNotes || n == 0 {
		l.Foot = nil // so many are none
	}
	return nil
}

// mostWide tells whether most rows beneath a header have something in two cells at least: else it stands in a text.
func mostWide(rows []delimited.Record, header int) bool {
	wide, all := 0, 0
	for _, r := range rows[min(header+1, len(rows)):] {
		if n := filled(r.Cells); n > 0 {
			all++
			if n > 1 {
				wide++
			}
		}
	}
	return all < 4 || 2*wide >= all
}

// Data gives the rows of data that are looked at, as wide as the header, with their lines, 0 where that is not known.
func (l *Sample) Data() (rows [][]string, lines []int) {
	if l.Rows != nil {
		for i := range l.Rows {
			lines = append(lines, i+1)
		}
		return l.Rows, lines
	}
	foot := map[string]bool{}
	for _, r := range l.Foot {
		foot[r.Cells[0]] = true
	}
	for _, r := range append(slices.Clone(l.First[min(l.Body, len(l.First)):]), l.Later...) {
		if empty(r.Cells) || foot[r.Cells[0]] && standsAlone(r.Cells, len(l.Names)) {
			continue
		}
		row := r.Cells
		if len(row) != len(l.Names) {
			row = make([]string, len(l.Names))
			copy(row, r.Cells)
		}
		rows, lines = append(rows, row), append(lines, r.Line)
	}
	return rows, lines
}

func sampleOfBook(as, path string, o ReadOptions) (*Sample, error) {
	f, size, err := wholeFile(path, o)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	b := &book{path: path}
	if path == "-" {
		b.path = "standard input"
	}
	if b.Book, err = sheet.Open(path, f, size); err != nil {
		return nil, err
	}
	chosen, err := b.choose(o)
	if err != nil {
		return nil, err
	}
	l, err := b.sampleOf(chosen[0], o)
	if err != nil {
		return nil, err
	}
	l.As, l.Size, l.Sheets = as, size, b.Sheets()
	if len(l.Sheets) > 1 {
		l.Parts = b.parts(l, chosen[0].sheet, o)
	}
	return l, nil
}

// sampleOf looks at one sheet.
func (b *book) sampleOf(c chosen, o ReadOptions) (*Sample, error) {
	s := &bookSheet{book: b, what: b.path, area: c.area, o: o, input: &Input{}}
	var err error
	if s.rows, err = b.Rows(c.sheet); err != nil {
		return nil, err
	}
	defer s.rows.Close()
	l := &Sample{Name: b.path, Sheet: b.Sheets()[c.sheet].Name}
	for len(l.First) < sampleRows {
		cells, n, err := s.nextRow()
		if err == io.EOF {
			l.Whole = true
			break
		}
		if err != nil {
			return nil, err
		}
		for len(l.First) < min(n-1, sampleRows) {
			l.First = append(l.First, delimited.Record{Line: len(l.First) + 1})
		}
		l.First = append(l.First, delimited.Record{Cells: slices.Clone(cells), Line: n})
	}
	if len(l.First) == 0 {
		return nil, emptySheet("the sheet is empty", b.path)
	}
	all, err := b.Merged(c.sheet)
	if err != nil {
		return nil, err
	}
	l.Merged = s.inside(all)
	l.Notes = append(l.Notes, s.rows.Notes()...)
	return l, l.settle(o, func() []sheet.Area { return l.Merged })
}

// sampleOfTable looks at a format that names its fields.
func sampleOfTable(as, path string, o ReadOptions) (*Sample, error) {
	src, err := Open([]string{path}, o)
	if err != nil {
		return nil, err
	}
	defer src.Close()
	in := src.Inputs()[0]
	l := &Sample{Name: in.Name, As: as, Size: in.Size, Names: src.Schema().Names(), Notes: in.Notes, Unordered: in.How.Unordered, Whole: true, Rows: [][]string{}}
	p := src.Parser()
	for len(l.Rows) < sampleRows {
		c, err := src.Next()
		if err == io.EOF {
			return l, nil
		}
		if err != nil {
			return nil, err
		}
		b := &table.Batch{}
		if err := p.Parse(c, b); err != nil {
			return nil, err
		}
		for r := range b.Rows {
			l.Rows = append(l.Rows, b.Row(r, nil))
		}
	}
	l.Whole = false
	return l, nil
}

// mostRead bounds how many cells of a large file are read.
const mostRead = 1 << 15

// Read reads the rows at the beginning as every other command does, and those of a small file all, with the header and the foot that
// were found, and gives the fault that would stop it.
func (l *Sample) Read(path string, o ReadOptions) error {
	first := slices.IndexFunc(l.First, func(r delimited.Record) bool { return len(r.Cells) > 0 }) + 1
	if o.Header.Kind == HeaderFirst && l.Header.From > 0 && (l.Header.From > first || l.Header.To > l.Header.From) { // else it is not said
		o.Header = l.Header
	}
	o.FootAuto = o.FootAuto || len(l.Foot) > 0 && o.Foot == 0
	if !l.Whole {
		o.probe = 4 * sampleBegin
	}
	src, err := Open([]string{path}, o)
	if err != nil {
		return err
	}
	defer src.Close()
	left, enough := mostRead, errors.New("enough is read")
	err = Each(src, func(b *table.Batch) error {
		if left -= b.Rows*len(b.Cols) + 1; left <= 0 && !l.Whole {
			return enough
		}
		return nil
	})
	if err == enough {
		return nil
	}
	return err
}
