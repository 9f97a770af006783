// Package delimited reads and writes delimited text: cells parted by one
// character, rows by line ends, cells quoted where they hold either (RFC 4180).
// Text is cut into chunks at row borders ([Splitter]), parsed by any number of
// workers ([Parser]) and written by any number ([Encoder]).
//
// What it decides for itself, where encoding/csv does otherwise: a line break
// inside quotes is kept as it was; a wholly empty line is no row but "" is one
// with a blank cell; a quote inside an unquoted cell is always an error; only
// a carriage return right before the line feed or the end belongs to the line end.
package delimited

// Dialect is how a text is delimited.
type Dialect struct {
	Delimiter byte
	NoQuotes  bool // quotes are text like any other
}

// MostRow is the longest row in bytes.
const MostRow = 16 << 20

// Fault is something in the text that can't be read. The rows before it can.
type Fault struct {
	Line  int    // physical line where the row begins
	Field int    // position of the cell from 0, -1 where it is not known
	Cell  string // the cell, as far as it can be told
	Text  string // what is wrong
	Kind  FaultKind
}

// FaultKind tells apart what can be wrong.
type FaultKind uint8

// The kinds of fault.
const (
	BareQuote FaultKind = iota
	UnclosedQuote
	NUL
	NotUTF8
	LongRow
	HugeRow
)

func (f *Fault) Error() string { return f.Text }
