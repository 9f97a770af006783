package format

import (
	"bufio"
	"encoding/binary"
	"io"

	"path/filepath"
	"strings"
	"sync"
	"unicode/utf8"

	"revuelta/internal/diag"
	"revuelta/internal/rowstore"
	"revuelta/internal/sheet"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// Whole is an Encoding of a format that can be written only when all rows are
// known, as whether a field is numeric: its pieces are rows for a temporary file, from which the output is made at the end.
type Whole interface {
	Encoding
	// Fault tells why the rows so far can't be written.
	Fault() error
	// Finish writes the output of the rows, given as they were encoded.
	Finish(rows io.Reader, out *Output, w io.Writer) error
}

// whole encodes rows for a temporary file, and finds out what its fields hold.
type whole struct {
	name   string  // of the output
	sheet  *limits // of a sheet, nil: there are none
	blank  string
	over   bool // an old table may be replaced
	schema *table.Schema
	refuse func(names []string) *diag.Error  // tells why fields can't be written, nil where they can; nil: they always can
	still  func(could holds, c string) holds // tells what a field can be with a further cell; nil: as of sheets
	can    holds                             // what a field can be at all
	write  func(w *whole, next func() ([]string, error), out *Output, to io.Writer) error

	once   sync.Once
	mu     sync.Mutex
	rows   int64
	could  []holds // of each field, what all its cells are
	widths []int
	fault  *diag.Error
}

// holds tells what all cells of a field are.
type holds uint8

const (
	holdsNumbers holds = 1 << iota
	holdsIntegers
	holdsDates
	holdsTimes
	holdsSome // a cell is not blank
	holdsBlank
	holdsTruths // TRUE and FALSE
	holdsAll    = holdsNumbers | holdsIntegers | holdsDates | holdsTimes
)

func (w *whole) Begin(dst []byte, s *table.Schema) []byte {
	w.once.Do(func() { w.begin(s) })
	return dst
}

// begin readies what is found out about the fields; a worker may come before Begin.
func (w *whole) begin(s *table.Schema) {
	w.schema = s
	w.could, w.widths = make([]holds, s.Len()), make([]int, s.Len())
	for i := range w.could {
		w.could[i] = w.can
	}
	if w.sheet != nil && s.Len() > sheet.MostColumns {
		w.fault = diag.Dataf("%s are more than the %s columns of a sheet", diag.Plural(int64(s.Len()), "field"), diag.Count(sheet.MostColumns)).At(w.name, 0).Trying("another format: --write-as csv")
	}
	if w.refuse != nil {
		if e := w.refuse(s.Names()); e != nil {
			w.fault = e.At(w.name, 0)
		}
	}
}

func (w *whole) End(dst []byte) []byte { return dst }

func (w *whole) Worker(s *table.Schema) Encoder {
	w.once.Do(func() { w.begin(s) })
	return &wholeEncoder{w: w, could: make([]holds, s.Len()), widths: make([]int, s.Len())}
}

func (w *whole) Fault() error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.fault != nil {
		return w.fault
	}
	return nil
}

type wholeEncoder struct {
	w              *whole
	could          []holds
	widths         []int
	cells, scratch [][]string
	rows           Encoder // makes the bytes of the rows, nil: as Finish reads them
}

// Append implements Encoder.
func (e *wholeEncoder) Append(dst []byte, b *table.Batch) []byte {
	w := e.w
	e.cells, e.scratch = flatAll(b, e.cells, e.scratch)
	w.mu.Lock()
	copy(e.could, w.could)
	copy(e.widths, w.widths)
	w.mu.Unlock()
	isSheet := w.sheet != nil
	isODS := isSheet && w.sheet.ods
	still := still
	if w.still != nil {
		still = w.still
	}
	var fault *diag.Error
	for i := range b.Cols {
		could, width := e.could[i], e.widths[i]
		for _, c := range e.cells[i][:b.Rows] {
			if c == "" {
				could |= holdsBlank
				continue
			}
			could |= holdsSome
			if could&w.can != 0 {
				could = still(could, c)
			}
			if !isSheet {
				continue
			}
			if len(c) > width {
				width = max(width, utf8.RuneCountInString(c))
			}
			if isODS || len(c) > sheet.MostCell {
				if why := sheet.Fits(c, isODS); why != "" && fault == nil {
					fault = diag.Dataf("%s %s", diag.Quote(c), why).At(w.name, 0).InField(w.schema.Name(i)).Trying("another format: --write-as csv")
				}
			}
		}
		e.could[i], e.widths[i] = could, width
	}
	if e.rows != nil {
		dst = e.rows.Append(dst, b)
	}
	for r := range b.Rows {
		if e.rows != nil {
			break
		}
		for i := range b.Cols {
			c := e.cells[i][r]
			dst = append(binary.AppendUvarint(dst, uint64(len(c))), c...)
		}
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.rows += int64(b.Rows); isSheet && w.rows > sheet.MostRows-1 && fault == nil {
		fault = diag.Dataf("the rows are more than a sheet takes: %s with the header", diag.Count(sheet.MostRows)).At(w.name, 0).Trying("where or --limit for fewer", "another format: --write-as csv")
	}
	if w.fault == nil {
		w.fault = fault
	}
	for i := range w.could {
		w.could[i] = w.could[i]&e.could[i]&w.can | (w.could[i]|e.could[i])&(holdsSome|holdsBlank)
		w.widths[i] = max(w.widths[i], e.widths[i])
	}
	return dst
}

// still tells what a field can be with a further cell.
func still(could holds, c string) holds {
	if could&(holdsNumbers|holdsIntegers) != 0 {
		if !sheet.IsNumber(c) {
			could &^= holdsNumbers | holdsIntegers
		} else if could&holdsIntegers != 0 && strings.IndexByte(c, '.') >= 0 {
			could &^= holdsIntegers
		}
	}
	if could&holdsDates != 0 && !sheet.IsDate(c, false) {
		could &^= holdsDates
	}
	if could&holdsTimes != 0 && !sheet.IsDate(c, true) {
		could &^= holdsTimes
	}
	return could
}

// kind is what a field is written as.
func (h holds) kind() sheet.Kind {
	switch {
	case h&holdsSome == 0:
		return sheet.Text
	case h&holdsNumbers != 0:
		return sheet.Number
	case h&holdsDates != 0:
		return sheet.Date
	case h&holdsTimes != 0:
		return sheet.DateTime
	}
	return sheet.Text
}

// Finish implements Whole.
func (w *whole) Finish(rows io.Reader, out *Output, to io.Writer) error {
	return w.write(w, w.each(rows), out, to)
}

// each gives the rows one by one, io.EOF after the last; a row holds until the next.
func (w *whole) each(rows io.Reader) func() ([]string, error) {
	r := bufio.NewReaderSize(rows, 256<<10)
	cells := make([]string, w.schema.Len())
	var text []byte
	var ends []int
	return func() ([]string, error) {
		text, ends = text[:0], ends[:0]
		for i := range cells {
			n, err := binary.ReadUvarint(r)
			if err == io.EOF && i == 0 {
				return nil, io.EOF
			}
			if err != nil {
				return nil, rowstore.TemporaryError("", err)
			}
			from := len(text)
			for cap(text)-from < int(n) {
				text = append(text[:cap(text)], 0)
			}
			text = text[:from+int(n)]
			if _, err := io.ReadFull(r, text[from:]); err != nil {
				return nil, rowstore.TemporaryError("", err)
			}
			ends = append(ends, len(text))
		}
		from := 0
		for i, to := range ends {
			cells[i] = view.String(text[from:to])
			if cells[i] == "" {
				cells[i] = w.blank
			}
			from = to
		}
		return cells, nil
	}
}

// limits are what a sheet takes beside rows, columns and the length of a cell.
type limits struct {
	ods bool // no control characters
}

// newWhole makes the encoding of a format that is written at the end.
func newWhole(path string, o WriteOptions, sheet *limits, write func(w *whole, next func() ([]string, error), out *Output, to io.Writer) error) *whole {
	return &whole{name: path, sheet: sheet, blank: o.Blank, over: o.Overwrite, can: holdsAll, write: write}
}

// sheetWriter writes a workbook by a function, its sheet named after the file.
func sheetWriter(write func(to io.Writer, name string, columns []sheet.Column, next func() ([]string, error)) error) func(*whole, func() ([]string, error), *Output, io.Writer) error {
	return func(w *whole, next func() ([]string, error), _ *Output, to io.Writer) error {
		return write(to, w.sheetName(), w.sheetColumns(), next)
	}
}

func (w *whole) sheetName() string {
	if w.name == "" {
		return "Table"
	}
	base := filepath.Base(w.name)
	return sheet.SheetName(strings.TrimSuffix(base, filepath.Ext(base)))
}

func (w *whole) sheetColumns() []sheet.Column {
	var columns []sheet.Column
	for i, n := range w.schema.Names() {
		columns = append(columns, sheet.Column{Name: n, Kind: w.could[i].kind(), Width: w.widths[i]})
	}
	if w.blank != "" { // what blank cells are written as is a text
		for i := range columns {
			columns[i].Kind = sheet.Text
		}
	}
	return columns
}
