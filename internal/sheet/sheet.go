// Package sheet reads and writes workbooks, xlsx and ods: the rows of a sheet as
// a stream, what sheets, areas and merged cells there are, and what cells hold as text: numbers in shortest form,
// dates as ISO 8601. It knows nothing of headers and fields.
package sheet

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"revuelta/internal/diag"
)

// The limits of a sheet, and of what is held of a file that may be made to harm.
const (
	MostRows    = 1 << 20
	MostColumns = 1 << 14
	mostText    = 64 << 20 // bytes of one cell or tag
	mostPart    = 64 << 20 // bytes of a part that is held, but for shared strings
	mostStrings = 8 << 30  // bytes of shared strings
	bombSize    = 1 << 30  // a part that is larger, and
	bombRatio   = 600      // packed more tightly than that, is no sheet
)

// Book is a workbook.
type Book interface {
	// Sheets lists the sheets in order.
	Sheets() []Info
	// Areas lists the areas that have a name.
	Areas() []Named
	// Rows streams the rows of a sheet by its number from 0.
	Rows(sheet int) (*Rows, error)
	// Merged lists the merged areas of a sheet.
	Merged(sheet int) ([]Area, error)
	Close() error
}

// Info is what is known of a sheet from outside.
type Info struct {
	Name   string
	Hidden bool
}

// Named is an area with a name.
type Named struct {
	Name  string
	Sheet int
	Area  Area
}

// Area is a rectangle of cells, counted from 1, its last row and column included.
type Area struct{ Top, Left, Bottom, Right int }

// All is the area of a whole sheet.
var All = Area{1, 1, MostRows, MostColumns}

// String writes an area as B3:K40.
func (a Area) String() string {
	return columnName(a.Left) + strconv.Itoa(a.Top) + ":" + columnName(a.Right) + strconv.Itoa(a.Bottom)
}

// Has tells whether a cell is in the area.
func (a Area) Has(row, column int) bool {
	return a.Top <= row && row <= a.Bottom && a.Left <= column && column <= a.Right
}

func columnName(n int) string {
	var out []byte
	for ; n > 0; n = (n - 1) / 26 {
		out = append([]byte{byte('A' + (n-1)%26)}, out...)
	}
	return string(out)
}

// ParseArea reads B3:K40, $B$3:$K$40, B3, B:K or 3:40.
func ParseArea(s string) (Area, bool) {
	a, b, two := strings.Cut(strings.ReplaceAll(s, "$", ""), ":")
	if !two {
		b = a
	}
	r1, c1, ok1 := cellRef(a)
	r2, c2, ok2 := cellRef(b)
	if !ok1 || !ok2 || !two && (r1 == 0 || c1 == 0) || (r1 == 0) != (r2 == 0) || (c1 == 0) != (c2 == 0) {
		return Area{}, false
	}
	if r1 == 0 {
		r1, r2 = 1, MostRows
	}
	if c1 == 0 {
		c1, c2 = 1, MostColumns
	}
	return Area{min(r1, r2), min(c1, c2), max(r1, r2), max(c1, c2)}, true
}

// cellRef reads B3; B or 3 alone leave the other 0.
func cellRef(s string) (row, column int, ok bool) {
	i := 0
	for ; i < len(s); i++ {
		c := s[i] &^ 0x20
		if c < 'A' || c > 'Z' {
			break
		}
		if column = column*26 + int(c-'A') + 1; column > MostColumns {
			return 0, 0, false
		}
	}
	if i < len(s) {
		n, err := strconv.ParseUint(s[i:], 10, 32)
		if err != nil || n == 0 || n > MostRows || s[i] == '+' {
			return 0, 0, false
		}
		row = int(n)
	}
	return row, column, s != ""
}

// Row is a row of a sheet. Its cells are good until the next row is asked for, their texts for good.
type Row struct {
	Number int
	Hidden bool
	Cells  []string // as far as the last that is not blank
	Blank  bool     // it holds a text without characters and nothing else: a row of blanks, where other rows without cells are none
}

// Rows streams the rows of a sheet that hold something, in order.
type Rows struct {
	next  func(*Row) error
	close func()
	err   error // for good

	Errors   int64 // cells that hold an error, as #N/A
	Unstored int64 // formulas without a stored value
	Hidden   int64 // rows
	Oddities int64 // dates that no calendar has, given as the number that is stored
}

// Next gives the next row, io.EOF after the last.
func (r *Rows) Next(row *Row) error {
	if r.err == nil {
		r.err = r.next(row)
	}
	return r.err
}

// Close ends the reading.
func (r *Rows) Close() { r.close() }

// Notes tells what was met.
func (r *Rows) Notes() []string {
	var out []string
	say := func(n int64, one, many string) {
		switch {
		case n == 1:
			out = append(out, one)
		case n > 1:
			out = append(out, fmt.Sprintf(many, diag.Count(n)))
		}
	}
	say(r.Hidden, "1 hidden row is read too", "%s hidden rows are read too")
	say(r.Errors, "1 cell holds an error, as #N/A, taken as text", "%s cells hold errors, as #N/A, taken as text")
	say(r.Unstored, "1 formula has no stored value: blank", "%s formulas have no stored value: blank")
	say(r.Oddities, "1 date that no calendar has is given as its number", "%s dates that no calendar has are given as their numbers")
	return out
}

// Open opens a workbook of a size; name is for messages.
func Open(name string, r io.ReaderAt, size int64) (Book, error) {
	head := make([]byte, 8)
	n, err := r.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return nil, diag.Systemf("%v", err).At(name, 0)
	}
	if e := notWorkbook(head[:n], r, size); e != nil {
		return nil, e.At(name, 0)
	}
	z, err := openZip(name, r, size)
	if err != nil {
		return nil, err
	}
	if z.file("content.xml") != nil {
		return openODS(z)
	}
	return openXLSX(z)
}

// notWorkbook tells what a file is that is no workbook, by its first bytes.
func notWorkbook(head []byte, r io.ReaderAt, size int64) *diag.Error {
	text := string(head)
	switch {
	case strings.HasPrefix(text, "PK\x03\x04"):
		return nil
	case strings.HasPrefix(text, "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"):
		some := make([]byte, min(size, 1<<20))
		n, _ := r.ReadAt(some, 0)
		if strings.Contains(string(some[:n]), "E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e") {
			return diag.Dataf("the workbook is encrypted with a password").Trying("save it without a password in an office program")
		}
		return diag.Dataf("this is an old binary workbook (.xls), whatever it is named").Trying("save it as .xlsx or .ods in an office program")
	case strings.HasPrefix(text, "%PDF"):
		return diag.Dataf("this is a PDF, not a workbook").Trying("ask for the sheet it was made from")
	case len(head) == 0:
		return diag.Dataf("the file is empty")
	}
	return diag.Dataf("this is no workbook: it does not begin as one").Trying("--read-as csv if it is text")
}
