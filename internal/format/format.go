// Package format reads tables from files and writes them: what the formats
// are, how a file lies (encoding, delimiter, header rows), how several files become one
// table, and how an output file comes to be whole or not at all.
package format

import (
	"cmp"
	"io"
	"strconv"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/pattern"
	"revuelta/internal/selection"
	"revuelta/internal/sheet"
	"revuelta/internal/table"
)

// ReadOptions says how files are read. The zero value finds out all it can.
type ReadOptions struct {
	As         string // name of the format, else by suffix
	Encoding   string
	Delimiter  byte // 0: found out
	NoQuotes   bool
	LineEndCR  bool // rows end with lone CR
	Layout     Layout
	First      string // name to be put before a header that is one name short, "": none
	Header     Header
	HeaderJoin string // between the parts of several header rows
	Body       int    // first row of data, 0: after the header
	Foot       int    // rows at the end that are notes
	FootAuto   bool
	Blank      []string         // markers that count as blank
	Source     string           // name of a field for the file of each row
	SourcePart *pattern.Pattern // fields out of the name of each file, nil: none
	Limit      int64            // data rows over all files; 0: all
	Flatten    bool
	Query      string           // on a server: the rows of a query instead of a table
	By         *selection.Order // on a server: the order of the rows, nil: that of the primary key
	Sheet      string           // of a workbook: a name, a number or a glob
	Area       string           // of a sheet: a range or a name
	AsItLies   bool             // every row counts, wholly empty ones too, and there is no header

	Stdin     io.Reader // what the file - holds
	Workers   int       // how many processors may be used before the first row, 0: all
	LongAside bool      // rows with content beyond the header are put aside, see Parser.Long
	probe     int       // how much of the beginning is read at first, 0: probeSize
}

// HeaderKind says which rows are the header.
type HeaderKind uint8

// The kinds of header.
const (
	HeaderFirst HeaderKind = iota // row 1, unless it looks like a title
	HeaderRows                    // From to To
	HeaderNone
	HeaderAuto
)

// Header is where the header stands.
type Header struct {
	Kind     HeaderKind
	From, To int // from 1
}

// ParseHeader reads 4, 3-4, none or auto.
func ParseHeader(s string) (Header, error) {
	switch s {
	case "none":
		return Header{Kind: HeaderNone}, nil
	case "auto":
		return Header{Kind: HeaderAuto}, nil
	}
	a, b, two := strings.Cut(s, "-")
	if !two {
		b = a
	}
	from, err1 := strconv.Atoi(strings.TrimSpace(a))
	to, err2 := strconv.Atoi(strings.TrimSpace(b))
	if err1 != nil || err2 != nil || from < 1 || to < from || to-from > 20 {
		return Header{}, diag.Usagef("--header %s: rows are counted from 1", diag.Quote(s)).
			Trying("--header 4", "--header 3-4", "--header none", "--header auto")
	}
	return Header{HeaderRows, from, to}, nil
}

// ParseDelimiter reads a delimiter: one character, or tab.
func ParseDelimiter(s string) (byte, error) {
	switch s {
	case "tab", `\t`, "\t":
		return '\t', nil
	}
	if len(s) != 1 || s[0] >= 0x80 || s == `"` || s == "\n" || s == "\r" || s == "\x00" {
		return 0, diag.Usagef("--delimiter %s: one character parts the cells", diag.Quote(s)).
			Trying("--delimiter ';'", "--delimiter tab")
	}
	return s[0], nil
}

// WriteOptions says how a table is written.
type WriteOptions struct {
	As    string
	Blank string
	Mark  bool // UTF-8 byte mark
	CRLF  bool
	Typed bool // JSON numbers, true and false as such

	Delimiter string // of delimited text, as it is given; "": the format's
	Decimal   string // the character before the decimals of numbers in delimited text, "": a point

	Overwrite bool // what is there already may be replaced
	Add       bool // on a server: rows beneath those that are there
	AsText    bool // on a server: every field text
	EmptyText bool // on a server: blank is an empty text, and not NULL
}

// Chunk is a stretch of input, to be parsed by any worker.
type Chunk struct {
	file  int
	text  textChunk
	batch *table.Batch // rows read already
	late  *late        // what else became of rows on the way in

	offset int64 // of the text in its file, where that is wanted
	Bytes  int64
}

// Source is a table to be read. Next is called by one goroutine; each worker has a Parser of its own.
type Source interface {
	Schema() *table.Schema
	Inputs() []*Input
	Next() (Chunk, error) // io.EOF after the last
	Parser() Parser
	// Recycle takes back a chunk of which nobody holds a cell any more.
	Recycle(c Chunk)
	Close() error
}

// Parser turns chunks into batches: dst receives the rows before the error, if there is one.
type Parser interface {
	Parse(c Chunk, dst *table.Batch) error
	// ByPlace tells, before the first Parse, of which fields the columns may be of kind [table.Placed].
	ByPlace(fields []bool)
	// Long gives the rows put aside by the last Parse.
	Long() []LongRow
	// Stats tells of each input what was done to its rows.
	Stats() []Stats
}

// LongRow is a row with content beyond the header, put aside.
type LongRow struct {
	File         string
	Line         int
	Cell, Reason string
	Cells, Names []string
}

// Stats is what a parser did to rows on the way in.
type Stats struct {
	Rows, Short, Empty, Long int64
}

// Add adds another's counts.
func (s *Stats) Add(o Stats) {
	s.Rows += o.Rows
	s.Short += o.Short
	s.Empty += o.Empty
	s.Long += o.Long
}

// Input is one file that is read, for the account.
type Input struct {
	Name   string // as messages name it
	Fields int
	Size   int64 // bytes, 0 where not known
	Notes  []string
	How    Found        // what was found out
	Merged []sheet.Area // of a sheet as it lies: rows by their line, columns from 1

	// Comments tells how many lines of comment there were, and how many among the rows; nil: nobody asked for them. All must have
	// been read.
	Comments func() (all, among int64)
}

// Found is what was found out about a file of text.
type Found struct {
	Sheet     string // where there are several and none was named
	Encoding  string
	Delimiter byte
	Header    Header
	Unordered bool // the rows lie as a server happens to give them
}

// Encoding turns batches into the bytes of a format, in any number of
// workers: Begin, then the pieces in order, then End.
type Encoding interface {
	Begin(dst []byte, s *table.Schema) []byte
	Worker(s *table.Schema) Encoder
	End(dst []byte) []byte
}

// Joined is an Encoding whose rows are parted by something that the first has
// not: it takes that off the first piece.
type Joined interface{ First(piece []byte) []byte }

// Encoder appends the rows of a batch. It serves one goroutine.
type Encoder interface {
	Append(dst []byte, b *table.Batch) []byte
}

// Over gives the options with those of o that are set in their place.
func (w WriteOptions) Over(o WriteOptions) WriteOptions {
	w.As, w.Blank = cmp.Or(o.As, w.As), cmp.Or(o.Blank, w.Blank)
	w.Delimiter, w.Decimal, w.Typed = cmp.Or(o.Delimiter, w.Delimiter), cmp.Or(o.Decimal, w.Decimal), w.Typed || o.Typed
	w.Mark, w.CRLF, w.Overwrite = w.Mark || o.Mark, w.CRLF || o.CRLF, w.Overwrite || o.Overwrite
	w.Add, w.AsText, w.EmptyText = w.Add || o.Add, w.AsText || o.AsText, w.EmptyText || o.EmptyText
	return w
}

// Over gives the options with those of o that are set in their place.
func (r ReadOptions) Over(o ReadOptions) ReadOptions {
	if o.As != "" {
		r.As = o.As
	}
	if o.Encoding != "" {
		r.Encoding = o.Encoding
	}
	if o.Delimiter != 0 {
		r.Delimiter = o.Delimiter
	}
	if o.Header.Kind != HeaderFirst {
		r.Header = o.Header
	}
	if o.HeaderJoin != "" {
		r.HeaderJoin = o.HeaderJoin
	}
	if o.Body != 0 {
		r.Body = o.Body
	}
	if o.Foot != 0 || o.FootAuto {
		r.Foot, r.FootAuto = o.Foot, o.FootAuto
	}
	if o.Blank != nil {
		r.Blank = o.Blank
	}
	if o.Source != "" {
		r.Source = o.Source
	}
	if o.SourcePart != nil {
		r.SourcePart = o.SourcePart
	}
	if o.Sheet != "" {
		r.Sheet = o.Sheet
	}
	if o.Area != "" {
		r.Area = o.Area
	}
	if o.Limit != 0 {
		r.Limit = o.Limit
	}
	if !o.Layout.plain() {
		r.Layout = o.Layout
	}
	if o.First != "" {
		r.First = o.First
	}
	if o.Query != "" {
		r.Query = o.Query
	}
	if o.By != nil {
		r.By = o.By
	}
	r.LineEndCR = r.LineEndCR || o.LineEndCR
	r.NoQuotes = r.NoQuotes || o.NoQuotes
	r.Flatten = r.Flatten || o.Flatten
	return r
}
