package delimited

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"testing"
	"testing/iotest"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/table"
	"revuelta/internal/view"
)

// rowsOf reads a text in chunks of about size bytes, the fast way.
func rowsOf(text string, d Dialect, fields, size int, short bool) (rows [][]string, lines []int, fault *Fault, p *Parser) {
	var r io.Reader = strings.NewReader(text)
	if short {
		r = iotest.OneByteReader(r)
	}
	s, p := NewSplitter(nil, r, d, 1, size), NewParser(d, fields)
	s.most = []int{0, 1, 2, 7}[size%4] // rows in a chunk
	b := table.Get()
	for {
		c, err := s.Next()
		if err == io.EOF {
			return rows, lines, nil, p
		}
		if err != nil {
			panic(err)
		}
		err = p.Parse(c, b)
		for i := range b.Rows {
			rows = append(rows, b.Row(i, nil))
			lines = append(lines, b.Origin.LineOf(i))
		}
		if errors.As(err, &fault) {
			return rows, lines, fault, p
		}
	}
}

// TestBoundedChunks: below a header of very many fields short rows come a few at a time, and empty lines at once.
func TestBoundedChunks(t *testing.T) {
	const fields = 1 << 17 // four rows at a time
	s := NewSplitter(nil, strings.NewReader(strings.Repeat("\n", 100)+strings.Repeat("1\n\"a\nb\",2\n\r\n", 10)+"9"), Dialect{Delimiter: ','}, 1, 4096)
	s.Bound(fields)
	p, b := NewParser(Dialect{Delimiter: ','}, fields), table.Get()
	var got []int
	for {
		c, err := s.Next()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		require.NoError(t, p.Parse(c, b))
		got = append(got, b.Rows)
	}
	assert.Equal(t, []int{4, 4, 4, 4, 4, 1}, got)
	assert.EqualValues(t, 110, p.Empty)
	assert.Equal(t, 1<<19, table.RowsOf(1, math.MaxInt32))
	assert.Equal(t, 1, table.RowsOf(1<<30, 1024))
	assert.Equal(t, 1024, table.RowsOf(0, 1024))
}

func TestParse(t *testing.T) {
	for _, c := range []struct {
		name, text string
		fields     int
		want       string // rows parted by /, cells by |
		lines      []int
		fault      string
		line       int
	}{
		{"plain", "1,2\n3,4\n", 2, "1|2/3|4", []int{1, 2}, "", 0},
		{"no end of line at the end", "1,2\n3,4", 2, "1|2/3|4", []int{1, 2}, "", 0},
		{"carriage returns", "1,2\r\n3,\r\n", 2, "1|2/3|", []int{1, 2}, "", 0},
		{"carriage return at the end", "1,2\r\n3,4\r", 2, "1|2/3|4", []int{1, 2}, "", 0},
		{"carriage return inside", "1\r2,3\n", 2, "1\r2|3", []int{1}, "", 0},
		{"quoted", "\"a,b\",\"say \"\"x\"\"\"\n", 2, `a,b|say "x"`, []int{1}, "", 0},
		{"break in quotes kept", "\"a\r\nb\",1\nc,2\n", 2, "a\r\nb|1/c|2", []int{1, 3}, "", 0},
		{"quoted and carriage return", "1,\"2\"\r\n", 2, "1|2", []int{1}, "", 0},
		{"blanks", ",\n,\n", 2, "|/|", []int{1, 2}, "", 0},
		{"empty lines hold no row", "1,2\n\n\r\n3,4\n", 2, "1|2/3|4", []int{1, 4}, "", 0},
		{"one field, empty line and blank cell", "1\n\n\"\"\n2\n", 1, "1//2", []int{1, 3, 4}, "", 0},
		{"short rows", "1\n2,3\n4,\"5\"\n", 3, "1||/2|3|/4|5|", []int{1, 2, 3}, "", 0},
		{"long row of blanks", "1,2,,\"\"\n3,4\n", 2, "1|2/3|4", []int{1, 2}, "", 0},
		{"spaces kept", " 1 , x\n", 2, " 1 | x", []int{1}, "", 0},
		{"long row", "1,2\n3,4,\"\",\"5\"\"\"\n", 2, "1|2", []int{1}, "the row has 4 cells, the header 2", 2},
		{"bare quote", "1,2\n3,6\" board\n5,6\n", 2, "1|2", []int{1}, "a quote inside a cell that does not begin with one", 2},
		{"text after quote", "1,2\n3,\"a\"b\n5,6\n", 2, "1|2", []int{1}, "text follows the quote that closes the cell", 2},
		{"quote after space", "1, \"a\"\n", 2, "", nil, "a quote inside a cell", 1},
		{"a NUL behind a quote", "1,2\n\"a\nb\",\"x\n5,\x006\n", 2, "1|2", []int{1}, hasNUL, 4},
		{"unclosed quote", "1,2\n\"a\nb\",\"x\n5,6\n", 2, "1|2", []int{1}, "the quote that opens here is never closed", 3},
		{"NUL", "1,2\n3,\x004\n", 2, "1|2", []int{1}, "a NUL byte", 2},
		{"not UTF-8", "1,2\n3,\xff4\n", 2, "1|2", []int{1}, "byte 0xff is not UTF-8", 2},
		{"the earlier of two", "1,2,3\n3,\xff4\n", 2, "", nil, "the row has 3 cells", 1},
	} {
		for _, size := range []int{64, 5, 1 << 16} {
			rows, lines, fault, _ := rowsOf(c.text, Dialect{Delimiter: ','}, c.fields, size, size == 5)
			var got []string
			for _, r := range rows {
				got = append(got, strings.Join(r, "|"))
			}
			assert.Equal(t, c.want, strings.Join(got, "/"), c.name)
			assert.Equal(t, c.lines, lines, c.name)
			if c.fault == "" {
				assert.Nil(t, fault, c.name)
			} else if assert.NotNil(t, fault, c.name) {
				assert.Contains(t, fault.Text, c.fault, c.name)
				assert.Equal(t, c.line, fault.Line, c.name)
			}
		}
	}
}

func TestQuotesAsText(t *testing.T) {
	rows, _, fault, _ := rowsOf("6\" board,\"a\n\"x\"\"\",2\n", Dialect{Delimiter: ',', NoQuotes: true}, 2, 8, false)
	assert.Nil(t, fault)
	assert.Equal(t, [][]string{{`6" board`, `"a`}, {`"x"""`, "2"}}, rows)
}

func TestCountsShortAndEmpty(t *testing.T) {
	_, _, _, p := rowsOf("1\n\n2,3\n\n", Dialect{Delimiter: ','}, 2, 64, false)
	assert.EqualValues(t, 1, p.Short)
	assert.EqualValues(t, 2, p.Empty)
}

func TestLongRowsPutAside(t *testing.T) {
	p, b := NewParser(Dialect{Delimiter: ','}, 2), table.Get()
	var lines []int
	var cells [][]string
	p.Long = func(f *Fault, c []string) { lines, cells = append(lines, f.Line), append(cells, c) }
	require.NoError(t, p.Parse(Whole([]byte("1,2\n3,\"4\"\"\",5\n6,7\n"), 10), b))
	assert.Equal(t, []int{11}, lines)
	assert.Equal(t, [][]string{{"3", `4"`, "5"}}, cells)
	assert.Equal(t, 2, b.Rows)
	assert.Equal(t, 12, b.Origin.LineOf(1))
}

func TestHugeRowIsAFault(t *testing.T) {
	text := "1,2\n\"" + strings.Repeat("x\n", MostRow/2+100)
	_, _, fault, _ := rowsOf(text, Dialect{Delimiter: ','}, 2, 1<<16, false)
	require.NotNil(t, fault)
	assert.Equal(t, HugeRow, fault.Kind)
	assert.Equal(t, 2, fault.Line)
	_, _, fault, _ = rowsOf("1,2\n3,"+strings.Repeat("x", MostRow+100), Dialect{Delimiter: ','}, 2, 1<<16, false)
	require.NotNil(t, fault)
	assert.Contains(t, fault.Text, "longer than 16 MiB")
}

func TestDetect(t *testing.T) {
	for text, want := range map[string]byte{
		"a,b\n1,2\n": ',', "a;b\n1,5;2,5\n3,5;1,0\n": ';', "a\tb\n1\t2,5\n": '\t', "a|b|c\n1|2|3\n": '|',
		"a\n1\n": ',', "a;b\n\"x,y,z\";1\n": ';', "Honey book\n\na;b;c\n1,0;2,0;3,0\n4,0;5,0;6,0\n": ';',
		"forage\nlime;ivy\noak\nivy;oak;lime\n": ',', "forage\nlime;ivy\n": ',', "bee forage\nlime;ivy\noak\nivy;lime;oak\n": ',', "Book\na;b\n1;2\n": ';', "Book\n\na;b\n1;2\nnote\n": ';',
		"net, kg\tforage\n1.234,50\t\"lime,ivy\"\n": '\t', "a,b;c\n1,\"x;y\";2\n3,\"z\";4\n": ',', "a b;c\n6\";2\n": ';', "note\tnet, kg\n\"a \"\"b\"\"\"\t1,5\n\"c\nd\"\t1,5\n": '\t',
		"a;b\n1\n2\n": ';', "Honey book\na\tb\tc\n1\t2\t3\n": '\t', "tags\na|b|c\nb\n\n": ',', "only one\n": ',', ";\n": ';',
	} {
		assert.Equal(t, string(want), string(Detect([]byte(text))), text)
	}
}

func TestParseDoesNotAllocatePerCell(t *testing.T) {
	text := body(wide(200, false))
	data := make([]byte, len(text))
	p, b, e := NewParser(Dialect{Delimiter: ','}, 39), table.Get(), NewEncoder(Style{Delimiter: ','})
	var out []byte
	work := func() {
		copy(data, text)
		require.NoError(t, p.Parse(Whole(data, 1), b))
		out = e.Append(out[:0], b)
	}
	work()
	assert.LessOrEqual(t, testing.AllocsPerRun(20, work), 3.0, "for 7,800 cells")
	assert.Equal(t, string(text), string(out))
}

// FuzzParseAgainstPlain compares the parallel reader with the plain one, which
// goes byte by byte, and chunks of any size with each other.
func FuzzParseAgainstPlain(f *testing.F) {
	f.Add("a,b\n1,\"x\"\"\ny\"\r\n\n,2\n", uint8(3))
	f.Add("a,b\n1,2,3\n", uint8(1))
	f.Add("\"a\"b,c\n", uint8(2))
	f.Add("a\r,\"\"\r\n\r\n", uint8(9))
	f.Fuzz(func(t *testing.T, text string, size uint8) {
		if !utf8.ValidString(text) || strings.Contains(text, "\x00") {
			return
		}
		for _, d := range []Dialect{{Delimiter: ','}, {Delimiter: ',', NoQuotes: true}} {
			records, err := Head([]byte(text), d, 1<<30, true)
			fields := 1
			if len(records) > 0 {
				fields = max(1, len(records[0].Cells))
			}
			var want [][]string
			var lines []int
			var fault *Fault
			errors.As(err, &fault)
			for _, r := range records {
				if len(r.Cells) == 0 {
					continue
				}
				row := make([]string, fields)
				copy(row, r.Cells)
				if len(r.Cells) > fields && strings.Join(r.Cells[fields:], "") != "" {
					fault = &Fault{Line: r.Line, Kind: LongRow}
					break
				}
				want, lines = append(want, row), append(lines, r.Line)
			}
			rows, at, got, _ := rowsOf(text, d, fields, int(size)+1, false)
			require.Equal(t, want, rows, "%q", text)
			require.Equal(t, lines, at, "%q", text)
			require.Equal(t, fault == nil, got == nil, "%q: %v %v", text, fault, got)
			if fault != nil {
				require.Equal(t, fault.Kind, got.Kind, "%q", text)
				require.Equal(t, fault.Line, got.Line, "%q", text)
			}
		}
	})
}

// FuzzScanBlocks: what is found by blocks is what going from quote to quote finds, and no fault goes unseen.
func FuzzScanBlocks(f *testing.F) {
	if !view.QuotedQuick() {
		f.Skip("this processor has no wide instructions")
	}
	f.Add("a,\"b\"\"\n\"\r\n\"\",c\n", uint8(4), byte(','))
	f.Add("\"a\"b,c\n", uint8(0), byte(','))
	f.Add("\"a\"\rb,c\n", uint8(9), byte('x'))
	f.Add("a,\"b\"\r", uint8(1), byte('-'))
	f.Fuzz(func(t *testing.T, text string, repeat uint8, delimiter byte) {
		if delimiter == '"' || delimiter == '\n' || delimiter == '\r' {
			return
		}
		c := Whole([]byte(strings.Repeat(text, int(repeat)%50+1)), 1)
		d := Dialect{Delimiter: delimiter}
		quick, plain := NewParser(d, 2), NewParser(d, 2)
		seen, ok := quick.scanBlocks(c)
		fault := plain.scanQuoted(c)
		require.Equal(t, fault == nil, ok, "%q", c.Data)
		if !ok {
			return
		}
		require.Equal(t, slices.Concat(plain.seps), slices.Concat(quick.seps), "%q", c.Data)
		require.Equal(t, slices.Concat(plain.rows), slices.Concat(quick.rows), "%q", c.Data)
		require.Equal(t, slices.Concat(plain.quoted), slices.Concat(quick.quoted), "%q", c.Data)
		require.Equal(t, plain.inner, quick.inner, "%q", c.Data)
		require.Equal(t, bytes.IndexByte(c.Data, 0) >= 0, seen&view.SeenNUL != 0)
		require.Equal(t, bytes.IndexByte(c.Data, '\r') >= 0, seen&view.SeenReturn != 0)
		require.Equal(t, strings.IndexFunc(string(c.Data), func(r rune) bool { return r >= utf8.RuneSelf }) >= 0, seen&view.SeenHigh != 0)
	})
}

// TestByPlace: a field is left as places where nobody has to look at its cells, and says the same then.
func TestByPlace(t *testing.T) {
	for text, left := range map[string]bool{
		"1,a,\n2,,c\n":     true,
		"1,a,\n2,,c":       false, // nothing stands behind the last
		"1,a,\r\n2,,c\r\n": true, "1,a,\r\n2,,c\n": false, "1,\r,\r\n2,,c\r\n": true,
		"1,a,\n2\n":            false, // too short
		"1,\"a\"\"\",\n2,,c\n": false,
		"\"1\",a,\n2,,c\n":     true,
	} {
		p, b, plain := NewParser(Dialect{Delimiter: ','}, 3), table.Get(), table.Get()
		p.ByPlace = []bool{false, true, false}
		require.NoError(t, p.Parse(Whole([]byte(text), 1), b))
		require.NoError(t, NewParser(Dialect{Delimiter: ','}, 3).Parse(Whole([]byte(text), 1), plain))
		assert.Equal(t, left, b.Cols[1].Kind == table.Placed, "%q", text)
		assert.Equal(t, table.Plain, b.Cols[2].Kind)
		require.NoError(t, b.Validate())
		all, whole := NewParser(Dialect{Delimiter: ','}, 3), table.Get()
		all.ByPlace = []bool{true, true, true}
		require.NoError(t, all.Parse(Whole([]byte(text), 1), whole))
		require.NoError(t, whole.Validate())
		for i := range whole.Cols {
			assert.Equal(t, plain.Cols[i].Absent, whole.Cols[i].Absent, "%q", text)
			assert.Equal(t, plain.Cols[i].Filled(whole.Rows), whole.Cols[i].Filled(whole.Rows), "%q", text)
			assert.Equal(t, plain.Cols[i].FilledBetween(1, whole.Rows), whole.Cols[i].FilledBetween(1, whole.Rows), "%q", text)
			cells, _ := whole.Cols[i].Flat(whole.Rows, nil)
			other, _ := plain.Cols[i].Flat(whole.Rows, nil)
			assert.Equal(t, other, cells, "%q", text)
		}
		for r := range b.Rows {
			assert.Equal(t, plain.Row(r, nil), b.Row(r, nil), "%q", text)
		}
		assert.Equal(t, plain.Cols[1].Absent, b.Cols[1].Absent, "%q", text)
	}
}

// FuzzReadAgainstEncodingCSV reads what encoding/csv reads. Known differences:
// it drops carriage returns before line feeds inside quotes, has no row for "" alone on a line
// that it would write as an empty line, and takes a text after a closing quote or a bare quote for an error of
// its own kind; where it stops with an error, so must we.
func FuzzReadAgainstEncodingCSV(f *testing.F) {
	f.Add("a,b\n1,\"x\"\"y\"\n")
	f.Add("\"a\nb\",c\n\n1,2\n")
	f.Fuzz(func(t *testing.T, text string) {
		if !utf8.ValidString(text) || strings.ContainsAny(text, "\r\x00") {
			return
		}
		r := csv.NewReader(strings.NewReader(text))
		want, err := r.ReadAll()
		if len(want) == 0 && err == nil {
			return
		}
		if err != nil && !errors.Is(err, csv.ErrBareQuote) && !errors.Is(err, csv.ErrQuote) {
			return // unequal rows are padded or told by us
		}
		fields := 1
		if len(want) > 0 {
			fields = len(want[0])
		} else if records, _ := Head([]byte(text), Dialect{Delimiter: ','}, 1, true); len(records) > 0 {
			fields = max(1, len(records[0].Cells))
		}
		rows, _, fault, _ := rowsOf(text, Dialect{Delimiter: ','}, fields, 16, false)
		if err != nil {
			require.NotNil(t, fault, "%q: %v", text, err)
			return
		}
		require.Nil(t, fault, "%q", text)
		require.Equal(t, want, rows, "%q", text)
	})
}

// FuzzWrittenIsRead writes rows and reads them again, with encoding/csv too.
func FuzzWrittenIsRead(f *testing.F) {
	f.Add("026", " x ", "a,\"b\r\nc", true)
	f.Add("", "", "", false)
	f.Fuzz(func(t *testing.T, a, b, c string, crlf bool) {
		for _, s := range []string{a, b, c} {
			if !utf8.ValidString(s) || strings.Contains(s, "\x00") {
				return
			}
		}
		want := [][]string{{a, b, c}, {c, a, b}}
		e := NewEncoder(Style{Delimiter: ',', CRLF: crlf})
		var out []byte
		for _, row := range want {
			out = e.Row(out, row)
		}
		rows, _, fault, _ := rowsOf(string(out), Dialect{Delimiter: ','}, 3, 32, false)
		require.Nil(t, fault)
		require.Equal(t, want, rows)
		if !bytes.Contains(out, []byte("\r\n")) { // encoding/csv makes them \n
			theirs, err := csv.NewReader(bytes.NewReader(out)).ReadAll()
			require.NoError(t, err)
			require.Equal(t, want, theirs)
		}
	})
}

// TestReadThenWritten: what was read is written as its rows are one by one, whatever a row between holds that makes it lie
// otherwise, and however it is delimited on either side.
func TestReadThenWritten(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		d := Dialect{Delimiter: rapid.SampledFrom([]byte{',', ';', '\t', '|', '%'}).Draw(rt, "delimiter"), NoQuotes: rapid.Bool().Draw(rt, "no quotes")}
		fields := rapid.IntRange(2, 4).Draw(rt, "fields")
		var text []byte
		for r := range rapid.IntRange(1, 6).Draw(rt, "rows") {
			for f := range fields {
				if f > 0 {
					text = append(text, d.Delimiter)
				}
				cell := rapid.SampledFrom([]string{"a", "", "026", "x,y", "x;y", "x|y", `say "so"`, "two\nlines", "ñ", "\r"}).Draw(rt, fmt.Sprint("cell ", r, f))
				switch {
				case d.NoQuotes && !strings.ContainsAny(cell, "\r\n") && !strings.Contains(cell, string(d.Delimiter)):
					text = append(text, cell...)
				case !d.NoQuotes:
					text = NewEncoder(Style{Delimiter: d.Delimiter}).cell(text, cell)
				}
			}
			text = append(text, rapid.SampledFrom([]string{"\n", "\n", "\r\n", "\n\n"}).Draw(rt, "end")...)
		}
		b := table.Get()
		require.NoError(rt, NewParser(d, fields).Parse(Whole(bytes.Clone(text), 1), b))
		require.NoError(rt, b.Validate(), "%q", text)
		if b.Rows == 0 {
			return
		}
		style := Style{Delimiter: rapid.SampledFrom([]byte{',', ';', '%'}).Draw(rt, "written"), CRLF: rapid.Bool().Draw(rt, "crlf"), Blank: rapid.SampledFrom([]string{"", "", "NA"}).Draw(rt, "blank")}
		whole := *b
		sameAsRows(rt, style, &whole)
		// Some of its columns, in another order, as runs, and one of each in turn.
		order := rapid.Permutation([]int{0, 1, fields - 1, 1 % fields}).Draw(rt, "order")
		some, runs := &table.Batch{}, &table.Batch{}
		some.Shape(len(order))
		runs.Shape(len(order))
		var ends []int32
		for r := range b.Rows {
			ends = append(ends, int32(2*r+2))
		}
		for i, f := range order {
			some.Cols[i].Borrow(&b.Cols[f])
			runs.Cols[i].ShareRuns(&b.Cols[f], b.Cols[f].Cells, ends)
		}
		some.Rows, runs.Rows = b.Rows, 2*b.Rows
		few := &table.Batch{}
		few.Shape(fields)
		for i := range b.Cols {
			few.Cols[i].Gather(&b.Cols[i], []int32{0, int32(b.Rows - 1)}[:min(2, b.Rows)])
		}
		few.Rows = min(2, b.Rows)
		sameAsRows(rt, style, few)
		sameAsRows(rt, style, some)
		sameAsRows(rt, style, runs)
		turned := &table.Batch{}
		turned.Shape(3)
		turned.Rows = fields * b.Rows
		ends = ends[:0]
		var codes []int32
		var parts [][]string
		absent := table.AbsentAll
		for r := range b.Rows {
			ends = append(ends, int32((r+1)*fields))
		}
		for f := range fields {
			parts, absent = append(parts, b.Cols[f].Cells), absent&b.Cols[f].Absent
		}
		for r := range turned.Rows {
			codes = append(codes, int32(r%fields))
		}
		turned.Cols[0].ShareRuns(&b.Cols[0], b.Cols[0].Cells, ends)
		turned.Cols[1].ShareCodes([]string{"one", "two, three", "four", "five"}, codes, 0)
		turned.Cols[2].Interleave(parts, absent)
		require.NoError(rt, turned.Validate())
		sameAsRows(rt, style, turned)
	})
}

// TestShapesAlmostQuick: what differs in one thing from a shape that is written quickly is written as its rows are.
func TestShapesAlmostQuick(t *testing.T) {
	text := view.Text("a1,b1,\nc2,d2,\ne3,f3,\n")
	col := func(make func(c *table.Column)) table.Column { var c table.Column; make(&c); return c }
	placed := func(at, field int, absent table.Absent) table.Column {
		return col(func(c *table.Column) {
			for r := range c.Make(3) {
				c.Cells[r] = text.Cell(r*7+at, r*7+at+2)
			}
			c.Absent = absent
			c.Place(text, field)
		})
	}
	runs := func(src table.Column, ends ...int32) table.Column {
		return col(func(c *table.Column) { c.ShareRuns(&src, src.Cells[:len(ends)], ends) })
	}
	codes := func(values []string, codes ...int32) table.Column {
		return col(func(c *table.Column) { c.ShareCodes(values, codes, 0) })
	}
	turns := func(parts ...[]string) table.Column {
		return col(func(c *table.Column) { c.Interleave(parts, table.AbsentAll) })
	}
	plain := func(absent table.Absent, cells ...string) table.Column {
		return col(func(c *table.Column) { copy(c.Make(len(cells)), cells); c.Absent = absent })
	}
	quoted := view.Text("a1,\"1,\nc2,\"2,\ne3,\"3,\n")
	in := func(text view.Text, c table.Column, field int) table.Column {
		for r := range c.Cells {
			c.Cells[r] = text.Cell(r*7+3*field, r*7+3*field+2)
		}
		c.Place(text, field)
		return c
	}
	one, two := []string{"x", "y", "z"}, []string{"p", "q", "r"}
	for name, cols := range map[string][]table.Column{
		"all placed":               {placed(0, 0, table.AbsentAll), placed(3, 1, table.AbsentAll)},
		"nothing known of one":     {placed(0, 0, table.AbsentAll), placed(3, 1, 0)},
		"one that needs quotes":    {in(quoted, placed(0, 0, table.AbsentAll), 0), in(quoted, placed(3, 1, table.AbsentComma), 1)},
		"one placed alone":         {placed(3, 0, table.AbsentAll), plain(table.AbsentAll, "u", "v", "w")},
		"unclean beside runs":      {runs(placed(0, 0, table.AbsentAll), 1, 2, 3), plain(0, `"`, "a,b", "c")},
		"clean beside runs":        {runs(placed(0, 0, table.AbsentAll), 1, 3), plain(table.AbsentAll, "u", "v", "w")},
		"runs of different ends":   {runs(placed(0, 0, table.AbsentAll), 1, 3), plain(table.AbsentAll, "u", "v", "w"), runs(placed(3, 1, table.AbsentAll), 2, 3)},
		"runs side by side":        {runs(placed(0, 0, table.AbsentAll), 1, 3), runs(placed(3, 1, table.AbsentAll), 1, 3), plain(table.AbsentAll, "u", "v", "w")},
		"an unpivot":               {runs(placed(0, 0, table.AbsentAll), 2, 4, 6), codes(two, 0, 1, 0, 1, 0, 1), turns(one, two)},
		"two labels, two measures": {runs(placed(0, 0, table.AbsentAll), 2, 4, 6), codes(two, 0, 1, 0, 1, 0, 1), codes(one, 1, 2, 1, 2, 1, 2), turns(one, two), turns(two, nil)},
		"without a kept field":     {codes(two, 0, 1, 0, 1, 0, 1), turns(one, two)},
		"uneven runs":              {runs(placed(0, 0, table.AbsentAll), 1, 4, 6), codes(two, 0, 1, 0, 1, 0, 1), turns(one, two)},
		"runs of half the length":  {runs(plain(table.AbsentAll, "1", "2", "3", "4", "5", "6"), 1, 2, 3, 4, 5, 6), codes(two, 0, 1, 0, 1, 0, 1), turns(one, two)},
		"codes that go otherwise":  {runs(placed(0, 0, table.AbsentAll), 2, 4, 6), codes(two, 0, 1, 0, 1, 1, 1), codes(one, 1, 2, 0, 0, 0, 0), turns(one, two)},
		"other parts":              {codes(two, 0, 1, 0, 1, 0, 1), turns(one, two), turns([]string{"1", "2"}, []string{"3", "4"}, []string{"5", "6"})},
		"a measure before a label": {turns(one, two), codes(two, 0, 1, 0, 1, 0, 1)},
		"a field behind":           {codes(two, 0, 1, 0, 1, 0, 1), turns(one, two), plain(table.AbsentAll, "1", "2", "3", "4", "5", "6")},
	} {
		b := &table.Batch{Rows: 3, Cols: cols}
		if last := &cols[len(cols)-1]; last.Kind == table.Interleaved || last.Kind == table.Encoded || len(last.Cells) == 6 {
			b.Rows = 6
		}
		require.NoError(t, b.Validate(), name)
		for _, crlf := range []bool{false, true} {
			sameAsRows(named{t, name}, Style{Delimiter: ',', CRLF: crlf}, b)
			if b.Rows == 3 { // some of its rows
				some := &table.Batch{Rows: 2}
				some.Shape(len(cols))
				some.Rows = 2
				for i := range cols {
					some.Cols[i].Gather(&cols[i], []int32{0, 2})
				}
				sameAsRows(named{t, name}, Style{Delimiter: ',', CRLF: crlf}, some)
			}
		}
	}
}

// named says in a failure which case it was.
type named struct {
	*testing.T
	name string
}

func (n named) Errorf(format string, args ...any) {
	n.T.Errorf(n.name+": "+format, args...)
}

// TestRowsTakenOut: rows that were between others in the text do not come along.
func TestRowsTakenOut(t *testing.T) {
	b, some := table.Get(), &table.Batch{}
	require.NoError(t, NewParser(Dialect{Delimiter: ','}, 2).Parse(Whole([]byte("1,2\n3,4\n5,6\n7,8\n"), 1), b))
	for _, rows := range [][]int32{{0, 2}, {0, 1, 3}, {1, 2}, {3}, {0, 1, 2, 3}} {
		some.Shape(2)
		for i := range b.Cols {
			some.Cols[i].Gather(&b.Cols[i], rows)
		}
		some.Rows = len(rows)
		sameAsRows(t, Style{Delimiter: ','}, some)
	}
}

// TestWorkingMemoryIsKept: once it has worked, neither the parser nor the encoder takes memory for a batch, in whichever way it is written.
func TestWorkingMemoryIsKept(t *testing.T) {
	p, plain := NewParser(Dialect{Delimiter: ','}, 39), table.Get()
	text := body(wide(256, false))
	require.NoError(t, p.Parse(Whole(text, 1), plain))
	runs := &table.Batch{Rows: 2 * plain.Rows}
	runs.Shape(3)
	runs.Rows = 2 * plain.Rows
	var ends []int32
	var pieces []string
	for r := range plain.Rows {
		ends, pieces = append(ends, int32(2*r+2)), append(pieces, plain.Cols[1].Cells[r], "x")
	}
	runs.Cols[0].ShareRuns(&plain.Cols[0], plain.Cols[0].Cells, ends)
	runs.Cols[1].Share(pieces, table.AbsentAll)
	runs.Cols[2].ShareRuns(&plain.Cols[2], plain.Cols[2].Cells, ends)
	some := &table.Batch{}
	some.Shape(2)
	some.Cols[0].Borrow(&plain.Cols[5])
	some.Cols[1].Borrow(&plain.Cols[3])
	some.Rows = plain.Rows
	dst := make([]byte, 0, 4<<20)
	for name, b := range map[string]*table.Batch{"as read": plain, "unpivoted": unpivoted(), "exploded": runs, "chosen": some} {
		e := NewEncoder(Style{Delimiter: ','})
		e.Append(dst, b)
		assert.LessOrEqual(t, testing.AllocsPerRun(20, func() { e.Append(dst, b) }), 1.0, name)
	}
	again := table.Get()
	require.NoError(t, p.Parse(Whole(text, 1), again))
	assert.Zero(t, testing.AllocsPerRun(20, func() { _ = p.Parse(Whole(text, 1), again) }), "parse")
}
