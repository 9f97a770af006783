package format

import (
	"errors"
	"fmt"
	"io"
	"slices"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
	"revuelta/internal/table"
)

// sheetFile is rows as they lie in a file, held in memory.
type sheetFile struct {
	file  string
	names []string
	rows  [][]string
	lines []int
	at    int
	done  func() error // when it is closed; may be nil
}

// openSheet reads delimited text as it lies: as wide as its widest row, wholly
// empty rows too.
func openSheet(in *opened, d delimited.Dialect, o ReadOptions) (*oneFile, *Input, error) {
	defer in.close()
	if o.Header.Kind == HeaderRows || o.Header.Kind == HeaderAuto || o.FootAuto {
		return nil, nil, diag.Usagef("the sheet is taken as it lies, without a header").At(in.name, 0).Trying("--body N for the first row that counts", "--foot N for notes below")
	}
	text := in.probe
	if in.rest != nil {
		more, err := io.ReadAll(in.rest)
		if err != nil {
			return nil, nil, in.readError(err)
		}
		text = append(slices.Clip(text), more...)
	}
	records, err := delimited.Head(text, d, len(text)+1, true)
	if err != nil {
		var fault *delimited.Fault
		errors.As(err, &fault)
		return nil, nil, (&textFile{in: in}).fault(fault, nil)
	}
	f := &sheetFile{file: in.name}
	notes := in.notes
	records, foot := cutFoot(records[min(max(o.Body-1, 0), len(records)):], o.Foot)
	if foot != "" {
		notes = append(notes, foot)
	}
	width := 0
	for _, r := range records {
		width = max(width, len(r.Cells))
		f.rows, f.lines = append(f.rows, r.Cells), append(f.lines, r.Line)
	}
	if width == 0 {
		return nil, nil, diag.Dataf("the sheet is empty").At(in.name, 0)
	}
	for i := range width {
		f.names = append(f.names, fmt.Sprintf("field %d", i+1))
	}
	input := &Input{Name: in.name, Fields: width, Size: in.size, Notes: notes, How: Found{Encoding: in.found, Delimiter: d.Delimiter, Header: Header{Kind: HeaderNone}}}
	return &oneFile{body: f, names: f.names}, input, nil
}

// cutFoot takes rows off the end, and quotes them.
func cutFoot(rows []delimited.Record, n int) ([]delimited.Record, string) {
	if n == 0 || len(rows) == 0 {
		return rows, ""
	}
	n = min(n, len(rows))
	var quoted []string
	for _, r := range rows[len(rows)-n:] {
		for _, c := range r.Cells {
			if c != "" {
				quoted = append(quoted, c)
			}
		}
	}
	return rows[:len(rows)-n], fmt.Sprintf("%s at the foot left out: %s", diag.Plural(int64(n), "row"), diag.Names(quoted))
}

func (f *sheetFile) source() string { return f.file }
func (f *sheetFile) recycle(Chunk)  {}
func (f *sheetFile) close() error   { return nil }

func (f *sheetFile) next() (Chunk, error) {
	const most = 512
	if f.at == len(f.rows) {
		return Chunk{}, io.EOF
	}
	to := min(f.at+most, len(f.rows))
	rows := make([][]string, 0, to-f.at)
	for _, r := range f.rows[f.at:to] {
		rows = append(rows, append(slices.Clip(r), make([]string, len(f.names)-len(r))...))
	}
	c := Chunk{batch: batchOf(rows, f.lines[f.at:to], len(f.names))}
	f.at = to
	return c, nil
}

func (f *sheetFile) parser(*Stats, parsing) func(Chunk, *table.Batch) error { return ready }
