package sheet

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// made is a workbook of one sheet with styles 0 plain, 1 a date, 2 hours that go on, 3 a date with a time, 4 a time of day.
func made(t testing.TB, sheetXML string, parts map[string]string) []byte {
	t.Helper()
	all := map[string]string{
		"xl/workbook.xml":            `<workbook xmlns="` + mainNS + `" xmlns:r="` + relationNS + `"><sheets><sheet name="S" sheetId="1" r:id="a"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="a" Type="x/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="b" Type="x/styles" Target="/xl/styles.xml"/><Relationship Id="c" Type="x/sharedStrings" Target="sharedStrings.xml"/></Relationships>`,
		"xl/styles.xml":              `<styleSheet><numFmts><numFmt numFmtId="164" formatCode="[h]:mm"/><numFmt numFmtId="165" formatCode="dd/mm/yyyy hh:mm"/></numFmts><cellXfs><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="164"/><xf numFmtId="165"/><xf numFmtId="20"/></cellXfs></styleSheet>`,
		"xl/sharedStrings.xml":       `<sst><si><t>one</t></si><si><r><t>two</t></r><r><t xml:space="preserve"> &amp; more</t></r><rPh><t>no</t></rPh></si><si/></sst>`,
		"xl/worksheets/sheet1.xml":   sheetXML,
	}
	for k, v := range parts {
		all[k] = v
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for k, v := range all {
		w, err := z.Create(k)
		require.NoError(t, err)
		io.WriteString(w, v)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// read gives the rows of the first sheet, as number:cells.
func read(data []byte) (rows []string, book Book, r *Rows, err error) {
	if book, err = Open("book", bytes.NewReader(data), int64(len(data))); err != nil {
		return nil, nil, nil, err
	}
	if r, err = book.Rows(0); err != nil {
		return nil, book, nil, err
	}
	defer r.Close()
	for row := (Row{}); ; {
		err := r.Next(&row)
		if err == io.EOF {
			return rows, book, r, nil
		}
		if err != nil {
			return rows, book, r, err
		}
		rows = append(rows, fmt.Sprintf("%d:%s", row.Number, strings.Join(row.Cells, "|")))
	}
}

func TestCellsOfXLSX(t *testing.T) {
	for _, c := range []struct{ cell, want string }{
		{`<c r="A1"><v>1.1000000000000001</v></c>`, "1.1"},
		{`<c><v>12</v></c>`, "12"},
		{`<c r="A1"><v>1.50</v></c>`, "1.5"},
		{`<c r="A1"><v>-0</v></c>`, "0"},
		{`<c r="A1"><v>1E+22</v></c>`, "1e22"},
		{`<c r="A1"><v>1.2345678901234567E+19</v></c>`, "12345678901234567000"},
		{`<c r="A1" t="s"><v>0</v></c>`, "one"},
		{`<c r="A1" t="s"><v>1</v></c>`, "two & more"},
		{`<c t='s' r='A1'><v>1</v></c>`, "two & more"},
		{`<c r="A1" t="inlineStr"><is><t>a &lt;b&gt; &#65;&#x42;&quot;</t></is></c>`, `a <b> AB"`},
		{`<c r="A1" t="inlineStr"><is><t><![CDATA[a & b]]></t></is></c>`, "a & b"},
		{`<c r="A1" t="inlineStr"><is><t>a_x000D_b_x0041_ _xZZZZ_</t></is></c>`, "a\rbA _xZZZZ_"},
		{"<c r=\"A1\" t=\"inlineStr\"><is><t>two\r\nlines</t></is></c>", "two\nlines"},
		{`<c r="A1" t="b"><v>1</v></c>`, "TRUE"},
		{`<c r="A1" t="b"><v>0</v></c>`, "FALSE"},
		{`<c r="A1" t="e"><v>#N/A</v></c>`, "#N/A"},
		{`<c r="A1" t="str"><f>"x"&amp;1</f><v>x1</v></c>`, "x1"},
		{`<c r="A1"><f>1+1</f><v>2</v></c>`, "2"},
		{`<c r="A1" s="1"><v>45414</v></c>`, "2024-05-02"},
		{`<c r="A1" s="1"><v>45414.604166666664</v></c>`, "2024-05-02T14:30:00"},
		{`<c r="A1" s="3"><v>45414</v></c>`, "2024-05-02T00:00:00"},
		{`<c r="A1" s="3"><v>45414.999999999</v></c>`, "2024-05-03T00:00:00"},
		{`<c r="A1" s="3"><v>45414.50000578704</v></c>`, "2024-05-02T12:00:00.5"},
		{`<c r="A1" s="4"><v>0.604166666666667</v></c>`, "14:30:00"},
		{`<c r="A1" s="2"><v>1.1041666666666667</v></c>`, "26:30:00"},
		{`<c r="A1" s="2"><v>-0.5</v></c>`, "-12:00:00"},
		{`<c r="A1" s="1"><v>59</v></c>`, "1900-02-28"},
		{`<c r="A1" s="1"><v>61</v></c>`, "1900-03-01"},
		{`<c r="A1" s="1"><v>60</v></c>`, "60"},
		{`<c r="A1" s="1"><v>9999999</v></c>`, "9999999"},
		{`<c r="A1" t="d"><v>2024-05-02</v></c>`, "2024-05-02"},
		{`<c r="A1"/><c r="C1"><v>3</v></c>`, "||3"},
		{`<x:c r="A1" xmlns:x="y"><x:v>7</x:v></x:c>`, "7"},
		{`<!-- a > comment --><c r="A1"><v>7</v></c>`, "7"},
		{`<c r="A1" note="a > b"><v>7</v></c>`, "7"},
	} {
		rows, _, _, err := read(made(t, `<worksheet><sheetData><row r="1">`+c.cell+`</row></sheetData></worksheet>`, nil))
		require.NoError(t, err, c.cell)
		assert.Equal(t, []string{"1:" + c.want}, rows, c.cell)
	}
}

func TestRowsOfXLSX(t *testing.T) {
	rows, book, r, err := read(made(t, `<worksheet><sheetData><row><c><v>1</v></c></row><row r="4" hidden="1"><c r="B4"><v>2</v></c></row><row r="9"/><row r="10"><c r="A10" s="1"/></row><row r="11"><c r="A11"><f>1</f></c><c r="B11" t="e"><v>#REF!</v></c></row></sheetData><mergeCells><mergeCell ref="A1:B1"/><mergeCell ref="C3"/></mergeCells></worksheet>`, nil))
	require.NoError(t, err)
	assert.Equal(t, []string{"1:1", "4:|2", "11:|#REF!"}, rows)
	assert.Equal(t, []int64{1, 1, 1}, []int64{r.Hidden, r.Errors, r.Unstored})
	assert.Len(t, r.Notes(), 3)
	merged, err := book.Merged(0)
	require.NoError(t, err)
	assert.Equal(t, []Area{{1, 1, 1, 2}}, merged)

	since := map[string]string{"xl/workbook.xml": `<workbook xmlns:r="` + relationNS + `"><workbookPr date1904="1"/><sheets><sheet name="S" state="veryHidden" r:id="a"/></sheets><definedNames><definedName name="wanted">'S'!$A$1:$B$2</definedName><definedName name="_xlnm.Print_Area">S!$A$1</definedName></definedNames></workbook>`}
	rows, book, _, err = read(made(t, `<worksheet><sheetData><row r="1"><c r="A1" s="1"><v>0</v></c></row></sheetData></worksheet>`, since))
	require.NoError(t, err)
	assert.Equal(t, []string{"1:1904-01-01"}, rows)
	assert.Equal(t, []Info{{"S", true}}, book.Sheets())
	assert.Equal(t, []Named{{"wanted", 0, Area{1, 1, 2, 2}}}, book.Areas())
}

// TestBadBooks: what is no workbook, or a damaged one, is told to be so.
func TestBadBooks(t *testing.T) {
	sheet := func(cells string) []byte {
		return made(t, `<worksheet><sheetData><row r="1">`+cells+`</row></sheetData></worksheet>`, nil)
	}
	good := sheet(`<c><v>1</v></c>`)
	bomb := made(t, `<worksheet><sheetData>`, nil)
	for _, c := range []struct {
		data []byte
		want string
	}{
		{nil, "the file is empty"},
		{[]byte("a,b\n1,2\n"), "no workbook"},
		{[]byte("%PDF-1.7 ..."), "a PDF"},
		{[]byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 ..."), "old binary workbook"},
		{[]byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e\x00"), "password"},
		{good[:len(good)/2], "damaged or cut short"},
		{made(t, "", map[string]string{"xl/workbook.xml": "<workbook><sheets/></workbook>"}), "no sheet"},
		{bomb, "unexpected EOF"},
		{sheet(`<c t="s"><v>9</v></c>`), "points to text 9 of 3"},
		{sheet(`<c r="B1"><v>1</v></c><c r="A1"><v>1</v></c>`), "out of its order"},
		{made(t, `<worksheet><sheetData><row r="5"/><row r="2"/></sheetData></worksheet>`, nil), "row 2 stands where row 6"},
		{made(t, `<!DOCTYPE a [<!ENTITY b "c">]><worksheet><sheetData/></worksheet>`, nil), "document type"},
	} {
		_, _, _, err := read(c.data)
		assert.ErrorContains(t, err, c.want)
	}
}

func TestAreas(t *testing.T) {
	for text, want := range map[string]string{
		"B3:K40": "B3:K40", "$B$3:$K$40": "B3:K40", "k40:b3": "B3:K40", "C7": "C7:C7", "AA1:AB2": "AA1:AB2",
		"A:C": "A1:C1048576", "3:5": "A3:XFD5", "B3:": "", "": "", "A0": "", "XFE1": "", "B3:5": "", "harvest": "", "A1048577": "",
	} {
		a, ok := ParseArea(text)
		assert.Equal(t, want != "", ok, text)
		if ok {
			assert.Equal(t, want, a.String(), text)
		}
	}
}

func TestFormatsOfNumbers(t *testing.T) {
	for code, want := range map[string]kind{
		"General": plainNumber, "0.00": plainNumber, "#,##0": plainNumber, "0.00E+00": plainNumber, `0" days"`: plainNumber, `0\d`: plainNumber,
		"[Red]0.0": plainNumber, "@": plainNumber, "yyyy-mm-dd": date, "d. mmm yy": date, "mmm": date, "[$-407]d. mmmm yyyy;@": date,
		"yyyy-mm-dd hh:mm": timed, "d/m/yy h:mm AM/PM": timed, "hh:mm": clock, "mm:ss.0": clock, "[h]:mm:ss": duration, "[mm]": duration,
	} {
		assert.Equal(t, want, kindOf(code), code)
	}
}

// TestCellsOfODS: values as they are stored, repeats, spaces, notes passed over.
func TestCellsOfODS(t *testing.T) {
	const body = `<office:document-content><office:automatic-styles><number:date-style style:name="N1"><number:day/><number:hours/></number:date-style><style:style style:name="ce1" style:family="table-cell" style:data-style-name="N1"/><style:style style:name="ta1" style:family="table"><style:table-properties table:display="false"/></style:style></office:automatic-styles><office:body><office:spreadsheet><table:table table:name="S" table:style-name="ta1"><table:table-column table:number-columns-repeated="16384"/>` +
		`<table:table-row><table:table-cell office:value-type="float" office:value="1.10"><text:p>1,1</text:p></table:table-cell><table:table-cell table:number-columns-repeated="2"/><table:table-cell table:number-columns-repeated="2" office:value-type="string"><text:p>a<text:s text:c="2"/>b <text:span>&amp;</text:span></text:p><text:p>second</text:p></table:table-cell><table:table-cell table:number-columns-repeated="16379"/></table:table-row>` +
		`<table:table-row table:number-rows-repeated="3"><table:table-cell/></table:table-row>` +
		`<table:table-row table:number-rows-repeated="2" table:visibility="filter"><table:table-cell office:value-type="date" office:date-value="2024-05-02"><office:annotation><text:p>a note</text:p></office:annotation><text:p>2 May</text:p></table:table-cell><table:table-cell table:style-name="ce1" office:value-type="date" office:date-value="2024-05-02"/><table:table-cell office:value-type="time" office:time-value="PT26H30M00S"/><table:table-cell office:value-type="boolean" office:boolean-value="true"/></table:table-row>` +
		`<table:table-row><table:table-cell table:number-columns-spanned="2" table:number-rows-spanned="2" office:value-type="string"><text:p>wide</text:p></table:table-cell><table:covered-table-cell/><table:table-cell table:formula="of:=1+1"/><table:table-cell table:formula="of:=NA()" office:value-type="string" calcext:value-type="error"><text:p>#N/A</text:p></table:table-cell></table:table-row>` +
		`<table:table-row table:number-rows-repeated="1048569"><table:table-cell table:number-columns-repeated="16384"/></table:table-row></table:table>` +
		`<table:table table:name="Q 2"/><table:named-expressions><table:named-range table:name="wanted" table:cell-range-address="$S.$A$1:.$B$2"/></table:named-expressions></office:spreadsheet></office:body></office:document-content>`
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	w, _ := z.Create("content.xml")
	io.WriteString(w, body)
	require.NoError(t, z.Close())
	rows, book, r, err := read(b.Bytes())
	require.NoError(t, err)
	assert.Equal(t, []string{"1:1.1|||a  b &\nsecond|a  b &\nsecond", "5:2024-05-02|2024-05-02T00:00:00|26:30:00|TRUE", "6:2024-05-02|2024-05-02T00:00:00|26:30:00|TRUE", "7:wide|||#N/A"}, rows)
	assert.Equal(t, []int64{2, 1, 1}, []int64{r.Hidden, r.Errors, r.Unstored})
	assert.True(t, book.Sheets()[0].Hidden)
	merged, _ := book.Merged(0)
	assert.Equal(t, []Area{{7, 1, 8, 2}}, merged)
	assert.Equal(t, []Named{{"wanted", 0, Area{1, 1, 2, 2}}}, book.Areas())
}

// TestWrittenComesBack: what is written to a sheet is read from it again, cell for cell.
func TestWrittenComesBack(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		text := rapid.OneOf(rapid.StringOf(rapid.RuneFrom([]rune("aé <&>\"'_x0041=+-@\n\t 日"))), rapid.SampledFrom([]string{"", "026", "1.10", "_x0041_", " x ", "=1+1", "a  b", "#N/A", "TRUE"}))
		number := rapid.SampledFrom([]string{"", "0", "1.5", "-0.25", "123456789012345", "0.000001"})
		date := rapid.SampledFrom([]string{"", "2024-05-02", "1900-03-01", "9999-12-31", "2000-02-29"})
		moment := rapid.SampledFrom([]string{"", "2024-05-02T14:30:00", "2024-05-02T00:00:00", "1999-12-31T23:59:59"})
		columns := []Column{{"te<xt", Text, 5}, {"number", Number, 3}, {"date", Date, 10}, {"moment", DateTime, 19}, {"end", Text, 3}}
		var rows [][]string
		for range rapid.IntRange(0, 5).Draw(rt, "rows") {
			rows = append(rows, []string{text.Draw(rt, "text"), number.Draw(rt, "number"), date.Draw(rt, "date"), moment.Draw(rt, "moment"), "end"})
		}
		for _, write := range []func(io.Writer, string, []Column, func() ([]string, error)) error{WriteXLSX, WriteODS} {
			var b bytes.Buffer
			n := 0
			require.NoError(rt, write(&b, "A & B", columns, func() ([]string, error) {
				if n == len(rows) {
					return nil, io.EOF
				}
				n++
				return rows[n-1], nil
			}))
			want := []string{"1:te<xt|number|date|moment|end"}
			for i, r := range rows {
				want = append(want, fmt.Sprintf("%d:%s", i+2, strings.Join(r, "|")))
			}
			got, book, _, err := read(b.Bytes())
			require.NoError(rt, err)
			require.Equal(rt, want, got)
			require.Equal(rt, []Info{{"A & B", false}}, book.Sheets())
		}
	})
}

func TestWhatMayBeWritten(t *testing.T) {
	assert.Equal(t, "Table", SheetName("''"))
	assert.Equal(t, "a-b-c", SheetName("a/b:c"))
	assert.Len(t, []rune(SheetName(strings.Repeat("é", 40))), 31)
	assert.Empty(t, Fits(strings.Repeat("é", MostCell), false))
	assert.NotEmpty(t, Fits(strings.Repeat("é", MostCell+1), false))
	assert.NotEmpty(t, Fits("\x01", true))
	for s, want := range map[string]bool{"1": true, "-2.5": true, "1.50": false, "007": false, "1e5": false, "1234567890123456": false, "": false, ".5": false, "-0": false, "0.00000001": false} {
		assert.Equal(t, want, IsNumber(s), s)
	}
	for s, want := range map[string]bool{"2024-05-02": true, "1900-01-01": false, "2024-02-30": false, "2024-5-2": false, "2024-05-02T00:00:00": false} {
		assert.Equal(t, want, IsDate(s, false), s)
	}
}

// FuzzBook: no file makes the reader panic or run for ever.
func FuzzBook(f *testing.F) {
	f.Add(made(f, `<worksheet><sheetData><row r="1"><c r="A1" t="s"><v>0</v></c></row></sheetData><mergeCells><mergeCell ref="A1:B1"/></mergeCells></worksheet>`, nil))
	f.Fuzz(func(t *testing.T, data []byte) {
		rows, book, _, err := read(data)
		if err == nil {
			assert.LessOrEqual(t, len(rows), MostRows)
			book.Merged(0)
		}
	})
}

// FuzzSheet: the scanner gives the same whatever the sizes of the pieces it reads.
func FuzzSheet(f *testing.F) {
	f.Add(`<row r="1"><c r="A1" t="inlineStr"><is><t>a &amp; b<!-- x --> c</t></is></c><c r="C1"><v>1.0</v></c></row>`)
	f.Add(`<row><c s="1"><v>45000.5</v></c><c t="e"><v>#N/A</v></c></row><row r="7"><c><f>1</f></c></row>`)
	f.Fuzz(func(t *testing.T, inner string) {
		whole := `<worksheet><sheetData>` + inner + `</sheetData></worksheet>`
		var outcomes [2]string
		for i, size := range []int{1, 1 << 20} {
			p := &xlsxRows{x: &xlsx{kinds: []kind{plainNumber, date}}, s: newScanner(&pieces{whole, size}), shared: []string{"s"}, rows: &Rows{}}
			p.s.buf = p.s.buf[:16] // it grows
			for row := (Row{}); ; {
				err := p.next(&row)
				if err != nil {
					outcomes[i] += err.Error()
					break
				}
				outcomes[i] += fmt.Sprintf("%d:%q\n", row.Number, row.Cells)
			}
		}
		require.Equal(t, outcomes[1], outcomes[0])
	})
}

// pieces gives a text in pieces of a size.
type pieces struct {
	text string
	size int
}

func (p *pieces) Read(b []byte) (int, error) {
	if p.text == "" {
		return 0, io.EOF
	}
	n := copy(b[:min(len(b), p.size)], p.text)
	p.text = p.text[n:]
	return n, nil
}
