package format

import (
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
	"syscall"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
	"revuelta/internal/rowstore"
	"revuelta/internal/selection"
	"revuelta/internal/sheet"
)

const bookKeeps = "read: stored values, numbers in shortest form, dates as ISO 8601, merged labels; written: numbers and dates where every cell of the field survives, else text"

var xlsxFormat = Format{
	Name: "xlsx", Suffixes: []string{".xlsx", ".xlsm"}, Keeps: bookKeeps,
	Loses:  "formulas, formats, comments, pictures; more than 1,048,575 rows or 32,767 characters a cell are refused",
	begins: []string{"PK\x03\x04", "\xd0\xcf\x11\xe0", "%PDF"}, // the last two are told to be what they are
	sheets: true,
	open:   openBook, sample: sampleOfBook,
	encode: func(path string, o WriteOptions) (Encoding, error) {
		return newWhole(path, o, &limits{}, sheetWriter(sheet.WriteXLSX)), nil
	},
}

var odsFormat = Format{
	Name: "ods", Suffixes: []string{".ods"}, Keeps: "as xlsx", Loses: "as xlsx",
	sheets: true,
	open:   openBook, sample: sampleOfBook,
	encode: func(path string, o WriteOptions) (Encoding, error) {
		return newWhole(path, o, &limits{ods: true}, sheetWriter(sheet.WriteODS)), nil
	},
}

// book is a workbook whose sheets are read, closed with the last of them.
type book struct {
	sheet.Book
	path  string
	close func() error
	users int
}

func (b *book) leave() error {
	if b.users--; b.users > 0 {
		return nil
	}
	return b.close()
}

// openBook opens the sheets of a workbook that are asked for.
func openBook(_, path string, o ReadOptions) ([]*oneFile, []*Input, error) {
	if o.Delimiter != 0 || o.Encoding != "" || o.NoQuotes || o.First != "" || !o.Layout.plain() {
		return nil, nil, diag.Usagef("%s go with text, not with workbooks", textOptions).At(path, 0)
	}
	f, size, err := wholeFile(path, o)
	if err != nil {
		return nil, nil, err
	}
	b := &book{path: path, close: f.Close}
	if path == "-" {
		b.path = "standard input"
	}
	fail := func(err error) ([]*oneFile, []*Input, error) {
		f.Close()
		return nil, nil, err
	}
	if b.Book, err = sheet.Open(b.path, f, size); err != nil {
		return fail(err)
	}
	chosen, err := b.choose(o)
	if err != nil {
		return fail(err)
	}
	b.users = len(chosen)
	var files []*oneFile
	var inputs []*Input
	var left []string // empty ones, where several are asked for at once
	for i, c := range chosen {
		one, in, err := b.open(c, o)
		if errors.Is(err, errNothing) && len(chosen) > 1 && (len(files) > 0 || i+1 < len(chosen)) {
			left = append(left, b.Sheets()[c.sheet].Name)
			b.users--
			continue
		}
		if err != nil {
			for _, f := range files {
				f.close()
			}
			return fail(err)
		}
		files, inputs = append(files, one), append(inputs, in)
	}
	if len(left) > 0 {
		inputs[0].Notes = append(inputs[0].Notes, fmt.Sprintf("nothing in %s, left out: %s", diag.Plural(int64(len(left)), "sheet"), diag.Names(left)))
	}
	return files, inputs, nil
}

// errNothing is the cause of the error of a sheet in which nothing stands.
var errNothing = errors.New("nothing in it")

func emptySheet(text, where string) error {
	e := diag.Dataf("%s", text).At(where, 0)
	e.Cause = errNothing
	return e
}

// wholeFile opens a file to be read at any place. What is packed or comes through a pipe goes to a temporary file first.
func wholeFile(path string, o ReadOptions) (*os.File, int64, error) {
	var from io.Reader = o.Stdin
	if _, _, zipped := archived(path); zipped {
		m, err := openMember(path)
		if err != nil {
			return nil, 0, err
		}
		defer m.close()
		from = m
	} else if path != "-" {
		f, err := os.Open(path)
		if err != nil {
			return nil, 0, FileError(path, err)
		}
		info, err := f.Stat()
		if err == nil && info.IsDir() {
			err = syscall.EISDIR
		}
		if err != nil {
			f.Close()
			return nil, 0, FileError(path, err)
		}
		lower := strings.ToLower(path)
		packed := strings.HasSuffix(lower, ".gz") || strings.HasSuffix(lower, ".zst")
		if info.Mode().IsRegular() && !packed {
			return f, info.Size(), nil
		}
		defer f.Close()
		in := &opened{name: path, close: func() error { return nil }}
		if from, err = in.decompress(f, path); err != nil {
			return nil, 0, err
		}
	}
	f, err := rowstore.Temporary("")
	if err != nil {
		return nil, 0, err
	}
	size, err := io.Copy(f, from)
	if err != nil {
		f.Close()
		return nil, 0, FileError(path, err)
	}
	return f, size, nil
}

// chosen is a sheet that is read, and which part of it.
type chosen struct {
	sheet int
	area  sheet.Area
	found string // its name, where it was not asked for
	notes []string
}

// choose finds the sheets asked for.
func (b *book) choose(o ReadOptions) ([]chosen, error) {
	sheets := b.Sheets()
	area, areaSheet := sheet.All, -1
	if o.Area != "" {
		var err error
		if area, areaSheet, err = b.area(o.Area); err != nil {
			return nil, err
		}
	}
	if o.Sheet == "" {
		at := areaSheet
		if at < 0 {
			at = max(0, slices.IndexFunc(sheets, func(s sheet.Info) bool { return !s.Hidden }))
		}
		c := chosen{sheet: at, area: area}
		if len(sheets) > 1 && areaSheet < 0 {
			c.found = sheets[at].Name
			others := slices.Delete(sheetNames(sheets), at, at+1)
			c.notes = []string{fmt.Sprintf("sheet %s; there %s %s too", diag.Quote(c.found), map[bool]string{true: "is", false: "are"}[len(others) == 1], diag.Names(others))}
		}
		return []chosen{c}, nil
	}
	var out []chosen
	for _, i := range matching(sheets, o.Sheet) {
		if areaSheet >= 0 && areaSheet != i {
			return nil, diag.Usagef("--area %s is on sheet %s, not on %s", o.Area, diag.Quote(sheets[areaSheet].Name), diag.Quote(sheets[i].Name)).At(b.path, 0)
		}
		c := chosen{sheet: i, area: area}
		if sheets[i].Hidden {
			c.notes = []string{"the sheet is hidden"}
		}
		out = append(out, c)
	}
	if len(out) == 0 {
		e := diag.Dataf("there is no sheet %s; there %s %s", diag.Quote(o.Sheet), map[bool]string{true: "is", false: "are"}[len(sheets) == 1], diag.Names(sheetNames(sheets))).At(b.path, 0)
		if near := diag.Nearest(o.Sheet, sheetNames(sheets)); near != "" {
			e.Trying("--sheet " + quoteWord(near))
		}
		return nil, e
	}
	return out, nil
}

func quoteWord(s string) string {
	if strings.ContainsAny(s, " '\"*?$&;()") {
		return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
	}
	return s
}

func sheetNames(sheets []sheet.Info) []string {
	var out []string
	for _, s := range sheets {
		name := s.Name
		if s.Hidden {
			name += " (hidden)"
		}
		out = append(out, name)
	}
	return out
}

// matching finds sheets by a name if there is one of that name, else a number, else a glob.
func matching(sheets []sheet.Info, want string) []int {
	for i, s := range sheets {
		if s.Name == want {
			return []int{i}
		}
	}
	if n, err := strconv.Atoi(want); err == nil {
		if 1 <= n && n <= len(sheets) {
			return []int{n - 1}
		}
		return nil
	}
	var out []int
	fits := selection.Glob(want)
	for i, s := range sheets {
		if fits.MatchString(s.Name) {
			out = append(out, i)
		}
	}
	return out
}

// area finds an area by its range or name, and its sheet where the name tells, else -1.
func (b *book) area(want string) (sheet.Area, int, error) {
	var names []string
	for _, n := range b.Areas() {
		if n.Name == want {
			return n.Area, n.Sheet, nil
		}
		names = append(names, n.Name)
	}
	if a, ok := sheet.ParseArea(want); ok {
		return a, -1, nil
	}
	if name, ref, ok := strings.Cut(want, "!"); ok {
		if a, ok := sheet.ParseArea(ref); ok {
			for i, s := range b.Sheets() {
				if s.Name == strings.Trim(name, "'") {
					return a, i, nil
				}
			}
		}
	}
	e := diag.Dataf("there is no area %s", diag.Quote(want)).At(b.path, 0)
	if len(names) > 0 {
		e.Text += "; areas with a name are " + diag.Names(names)
	} else {
		e.Text += ", and none has a name"
	}
	return sheet.Area{}, 0, e.Trying("--area B3:K40")
}

// bookSheet is a sheet that is read.
type bookSheet struct {
	book   *book
	what   string // for messages
	of     string // for the field that names the source
	rows   *sheet.Rows
	area   sheet.Area
	o      ReadOptions
	names  []string
	ahead  []delimited.Record // rows read already
	input  *Input
	chunks chan Chunk
	stop   chan struct{}
	err    error
	closed bool
	last   int // number of the row before
	row    sheet.Row
}

// late is what became of rows that are not in a chunk's batch.
type late struct {
	long  []LongRow
	empty int64
	fault error
}

// open opens a sheet and reads its header.
func (b *book) open(c chosen, o ReadOptions) (*oneFile, *Input, error) {
	info := b.Sheets()[c.sheet]
	f := &bookSheet{book: b, what: b.path, of: b.path + "#" + info.Name, area: c.area, o: o}
	if len(b.Sheets()) > 1 {
		f.what = f.of
	}
	var err error
	if f.rows, err = b.Rows(c.sheet); err != nil {
		return nil, nil, err
	}
	f.input = &Input{Name: f.what, Notes: c.notes, How: Found{Sheet: c.found}}
	var areas []sheet.Area
	var failed error
	known := false
	merged := func() []sheet.Area {
		if !known {
			known = true
			all, err := b.Merged(c.sheet)
			failed = err
			areas = f.inside(all)
		}
		return areas
	}
	var one *oneFile
	if o.AsItLies {
		one, err = f.asItLies(merged)
	} else {
		one, err = f.head(merged)
	}
	if err == nil {
		err = failed
	}
	if err != nil {
		f.rows.Close()
		return nil, nil, err
	}
	return one, f.input, nil
}

// inside gives the merged areas as far as they are in the area that is read, their columns counted from its first.
func (f *bookSheet) inside(all []sheet.Area) []sheet.Area {
	var out []sheet.Area
	var cut []string
	for _, m := range all {
		if m.Bottom < f.area.Top || m.Top > f.area.Bottom || m.Right < f.area.Left || m.Left > f.area.Right {
			continue
		}
		in := sheet.Area{Top: max(m.Top, f.area.Top), Left: max(m.Left, f.area.Left), Bottom: min(m.Bottom, f.area.Bottom), Right: min(m.Right, f.area.Right)}
		if in != m {
			cut = append(cut, m.String())
		}
		in.Left, in.Right = in.Left-f.area.Left+1, in.Right-f.area.Left+1
		out = append(out, in)
	}
	if len(cut) > 0 {
		f.input.Notes = append(f.input.Notes, fmt.Sprintf("merged across the border of the area, of which only what is inside counts: %s", diag.Names(cut)))
	}
	return out
}

// head reads the header.
func (f *bookSheet) head(merged mergedAreas) (*oneFile, error) {
	o := f.o
	want := max(f.area.Top-1+headRows, o.Header.To, o.Body) + 1
	var rows []delimited.Record
	for len(rows) < want {
		cells, n, err := f.nextRow()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		if n > max(want, f.area.Top-1+MostGap) && len(rows) == 0 {
			return nil, diag.Dataf("the first row that holds something is row %d", n).At(f.what, n).Trying(fmt.Sprintf("--area %d:%d", n, sheet.MostRows))
		}
		for len(rows) < n-1 {
			rows = append(rows, delimited.Record{Line: len(rows) + 1})
		}
		rows = append(rows, delimited.Record{Cells: slices.Clone(cells), Line: n})
	}
	if len(rows) == 0 {
		return nil, emptySheet("the sheet is empty: there is no header", f.what)
	}
	named := slices.Clone(rows)
	for i := max(0, o.Header.From-1); i < min(o.Header.To, len(named)); i++ {
		if len(named[i].Cells) == 1 && named[i].Cells[0] == "" { // a row of blanks names nothing
			named[i].Cells = nil
		}
	}
	h, e := readHead(named, o, merged)
	if e != nil {
		e.File = f.what
		return nil, e
	}
	f.names = h.names
	f.input.Fields, f.input.How.Header = len(h.names), h.found
	f.input.Notes = append(f.input.Notes, h.notes...)
	if h.body < len(rows) {
		f.ahead = rows[h.body:]
	}
	f.last = h.body
	f.pull()
	return &oneFile{body: f, names: f.names}, nil
}

// MostGap is how many blank rows may stand above a sheet's first.
const MostGap = 1 << 16

// blankRow is the cells of a row of blanks.
var blankRow = []string{""}

// nextRow gives the cells of the next row within the area, good until the one after it is asked for, and its number.
func (f *bookSheet) nextRow() ([]string, int, error) {
	for {
		if err := f.rows.Next(&f.row); err != nil {
			return nil, 0, err
		}
		n := f.row.Number
		if n > f.area.Bottom {
			return nil, 0, io.EOF
		}
		cells := f.row.Cells
		cells = cells[min(f.area.Left-1, len(cells)):min(f.area.Right, len(cells))]
		for len(cells) > 0 && cells[len(cells)-1] == "" {
			cells = cells[:len(cells)-1]
		}
		if f.row.Blank {
			cells = blankRow
		}
		if n >= f.area.Top && len(cells) > 0 {
			return cells, n, nil
		}
	}
}

// asItLies reads the sheet for a step that takes it so: wholly empty rows too, as wide as its widest row.
func (f *bookSheet) asItLies(merged mergedAreas) (*oneFile, error) {
	o := f.o
	if o.Header.Kind == HeaderRows || o.Header.Kind == HeaderAuto || o.FootAuto {
		return nil, diag.Usagef("the sheet is taken as it lies, without a header").At(f.what, 0).Trying("--body N for the first row that counts", "--foot N for notes below")
	}
	first := max(f.area.Top, o.Body)
	var rows []delimited.Record
	width := 0
	for {
		cells, n, err := f.nextRow()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		if n < first {
			continue
		}
		for first+len(rows) < n {
			rows = append(rows, delimited.Record{Line: first + len(rows)})
		}
		rows = append(rows, delimited.Record{Cells: slices.Clone(cells), Line: n})
		width = max(width, len(cells))
	}
	if f.area.Bottom < sheet.MostRows { // the area is asked for as it is
		for first+len(rows) <= f.area.Bottom {
			rows = append(rows, delimited.Record{Line: first + len(rows)})
		}
	}
	if f.area.Right < sheet.MostColumns {
		width = f.area.Right - f.area.Left + 1
	}
	rows, foot := cutFoot(rows, o.Foot)
	if foot != "" {
		f.input.Notes = append(f.input.Notes, foot)
	}
	if width == 0 {
		return nil, emptySheet("the sheet is empty", f.what)
	}
	s := &sheetFile{file: f.of, done: f.close}
	for _, r := range rows {
		s.rows, s.lines = append(s.rows, r.Cells), append(s.lines, r.Line)
	}
	for i := range width {
		s.names = append(s.names, fmt.Sprintf("field %d", i+1))
	}
	f.input.Fields, f.input.How.Header, f.input.Merged = width, Header{Kind: HeaderNone}, merged()
	f.input.Notes = append(f.input.Notes, f.rows.Notes()...)
	return &oneFile{body: s, names: s.names}, nil
}
