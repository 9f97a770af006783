package format

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"revuelta/internal/diag"
	"revuelta/internal/table"
)

// read opens files that hold the texts, and gives what stands in them as names|…/cells|…/… or the error, and the notes.
func read(t *testing.T, o ReadOptions, texts ...string) (got, notes string) {
	dir := t.TempDir()
	var paths []string
	for i, text := range texts {
		name, content, named := strings.Cut(text, "::")
		if !named {
			name, content = fmt.Sprintf("f%d.csv", i+1), text
		}
		paths = append(paths, filepath.Join(dir, name))
		require.NoError(t, os.WriteFile(paths[i], []byte(content), 0o644))
	}
	got, notes = readPaths(paths, o)
	return strings.ReplaceAll(got, dir+string(filepath.Separator), ""), strings.ReplaceAll(notes, dir+string(filepath.Separator), "")
}

func readPaths(paths []string, o ReadOptions) (got, notes string) {
	src, err := Open(paths, o)
	if err != nil {
		return "error: " + err.Error(), ""
	}
	defer src.Close()
	rows := []string{strings.Join(src.Schema().Names(), "|")}
	err = Each(src, func(b *table.Batch) error {
		for r := range b.Rows {
			rows = append(rows, strings.Join(b.Row(r, nil), "|"))
		}
		return nil
	})
	if err != nil {
		rows = append(rows, "error: "+err.Error())
	}
	var said []string
	for _, in := range src.Inputs() {
		said = append(said, in.Notes...)
	}
	return strings.Join(rows, "/"), strings.Join(said, "; ")
}

func TestReadText(t *testing.T) {
	rows := func(from, to int) Header { return Header{HeaderRows, from, to} }
	for _, c := range []struct {
		name  string
		o     ReadOptions
		texts []string
		want  string
		notes string
	}{
		// cells leave as they came
		{"as they came", ReadOptions{}, []string{"a,b\n026,1.10\n x ,2024-3-1\n"}, "a|b/026|1.10/ x |2024-3-1", ""},
		{"nothing is a marker by itself", ReadOptions{}, []string{"a\nNA\n-\nNULL\n"}, "a/NA/-/NULL", ""},
		{"markers", ReadOptions{Blank: []string{"NA", "n/a", "-"}}, []string{"a,b\nNA,n/a\n-,- \nNAN,na\n"}, "a|b/|/|- /NAN|na", ""},
		{"a marker in quotes is one too", ReadOptions{Blank: []string{"NA"}}, []string{"a,b\n\"NA\",1\n"}, "a|b/|1", ""},
		{"a lone space is not blank", ReadOptions{}, []string{"a,b\n ,\n"}, "a|b/ |", ""},
		// delimiters
		{"semicolons and decimal commas", ReadOptions{}, []string{"a;b\n1,5;2,5\n"}, "a|b/1,5|2,5", ""},
		{"tabs in a csv", ReadOptions{}, []string{"a\tb\n1\t2\n"}, "a|b/1|2", ""},
		{"bars", ReadOptions{}, []string{"a|b\n1|2\n3|4\n"}, "a|b/1|2/3|4", ""},
		{"told", ReadOptions{Delimiter: ','}, []string{"a;b,c\n1;2,3\n"}, "a;b|c/1;2|3", ""},
		{"a tsv without a tab has one field", ReadOptions{}, []string{"t.tsv::a,b\n1,2\n"}, "a,b/1,2", ""},
		{"cells of several values in one field", ReadOptions{}, []string{"forage\nlime;ivy\noak\nivy;oak;lime\n"}, "forage/lime;ivy/oak/ivy;oak;lime", ""},
		{"a tsv with one", ReadOptions{}, []string{"t.tsv::a,b\tc\n1,2\t3\n"}, "a,b|c/1,2|3", ""},
		{"as tsv", ReadOptions{As: "tsv"}, []string{"a,b\tc\n1,2\t3\n"}, "a,b|c/1,2|3", ""},
		// quotes
		{"quotes", ReadOptions{}, []string{"a,b\n\"x,\"\"y\"\"\",\"two\nlines\"\n"}, "a|b/x,\"y\"|two\nlines", ""},
		{"quotes as text", ReadOptions{NoQuotes: true}, []string{"a,b\n\"x\",6\" board\n"}, "a|b/\"x\"|6\" board", ""},
		{"a bare quote", ReadOptions{}, []string{"a,b\n1,2\n3,6\" board\n4,5\n"}, "a|b/1|2/error: f1.csv line 3, field \"b\": \"6\" board\": a quote inside a cell", ""},
		{"a bare quote in the header", ReadOptions{}, []string{"a,6\" b\n1,2\n"}, "error: f1.csv line 1: \"6\"\": a quote inside a cell", ""},
		{"an open quote", ReadOptions{}, []string{"a,b\n1,2\n\"3,4\n5,6\n"}, "a|b/1|2/error: f1.csv line 3, field \"a\": the quote that opens here is never closed", ""},
		// rows
		{"short rows are padded", ReadOptions{}, []string{"a,b,c\n1\n1,2,3\n"}, "a|b|c/1||/1|2|3", ""},
		{"long rows of blanks are none", ReadOptions{}, []string{"a,b\n1,2,,\n"}, "a|b/1|2", ""},
		{"long rows stop", ReadOptions{}, []string{"a,b\n1,2\n3,4,5\n"}, "a|b/1|2/error: f1.csv line 3: the row has 3 cells, the header 2; beyond them stands \"5\"", ""},
		{"empty lines hold no row", ReadOptions{}, []string{"a,b\n\n1,2\n\n\n3,4\n\n"}, "a|b/1|2/3|4", ""},
		{"no line end at the end", ReadOptions{}, []string{"a,b\r\n1,2\r\n3,4"}, "a|b/1|2/3|4", ""},
		{"only a header", ReadOptions{}, []string{"a,b\n"}, "a|b", ""},
		{"only a header, without an end", ReadOptions{}, []string{"a,b"}, "a|b", ""},
		{"nothing", ReadOptions{}, []string{""}, "error: f1.csv: the file is empty: there is no header", ""},
		{"only line ends", ReadOptions{}, []string{"\n\n"}, "error: f1.csv: the file has no header: it is empty", ""},
		{"only a mark", ReadOptions{}, []string{"\uFEFF"}, "error: f1.csv: the file is empty: there is no header", ""},
		// headers
		{"row 2", ReadOptions{Header: rows(2, 2)}, []string{"x,y\na,b\n1,2\n"}, "a|b/1|2", ""},
		{"rows 2 and 3", ReadOptions{Header: rows(2, 3)}, []string{"t\n,May,,\nid,kg,jars,note\n1,2,3,4\n"}, "id|May / kg|May / jars|May / note/1|2|3|4", ""},
		{"joined otherwise", ReadOptions{Header: rows(1, 2), HeaderJoin: "_"}, []string{"May,June\nkg,kg\n1,2\n"}, "May_kg|June_kg/1|2", ""},
		{"none", ReadOptions{Header: Header{Kind: HeaderNone}}, []string{"1,2\n3,4,5\n"}, "field 1|field 2|field 3/1|2|/3|4|5", ""},
		{"auto", ReadOptions{Header: Header{Kind: HeaderAuto}}, []string{"Yield\n\na,b\n1,2\n"}, "a|b/1|2", "header taken from row 3: a, b"},
		{"a title stops", ReadOptions{}, []string{"Yield,,\na,b,c\n1,2,3\n"}, "error: f1.csv: row 1 looks like a title, not a header: something in 1 of its 3 cells; the header seems to be row 2: a, b, c", ""},
		{"body", ReadOptions{Body: 4}, []string{"a,b\nkg,n\n--,--\n1,2\n"}, "a|b/1|2", "2 rows between the header and the data left out"},
		{"header and body", ReadOptions{Header: rows(2, 2), Body: 4}, []string{"t,u\na,b\nkg,n\n1,2\n"}, "a|b/1|2", "1 row between the header and the data left out"},
		{"repeated, empty and broken names", ReadOptions{}, []string{"a,\"b\nc\",a,,\" d\"\n1,2,3,4,5\n"}, "a|b c|a (2)|field 4|d/1|2|3|4|5", "2 header names trimmed: b c, d; an empty header name became field 4; a repeated header name became a (2)"},
		// feet
		{"foot", ReadOptions{Foot: 2}, []string{"a,b\n1,2\n3,4\n* n\nSum,9\n"}, "a|b/1|2/3|4", `2 rows at the foot left out: "* n", "Sum 9"`},
		{"foot by itself", ReadOptions{FootAuto: true}, []string{"a,b,c\n1,2,3\n4,5,6\n\n* weighed twice\n"}, "a|b|c/1|2|3/4|5|6", `1 row at the foot left out: "* weighed twice"`},
		{"no foot: a code alone is data", ReadOptions{FootAuto: true}, []string{"a,b,c\n1,2,3\n4,,\n"}, "a|b|c/1|2|3/4||", "no notes at the foot"},
		{"nor are names", ReadOptions{FootAuto: true}, []string{"a,b\nNorth Meadow,3\nMill Lane,\n"}, "a|b/North Meadow|3/Mill Lane|", "no notes at the foot"},
		{"a longer text is", ReadOptions{FootAuto: true}, []string{"a,b\nMill Lane,3\nQuarry,\nall weighed twice,\nby hand,\n"}, "a|b/Mill Lane|3/Quarry|", `2 rows at the foot left out: "all weighed twice", "by hand"`},
		{"and what stands apart", ReadOptions{FootAuto: true}, []string{"a,b\nMill,3\nQuarry,\n,\nas weighed\n\n"}, "a|b/Mill|3/Quarry|", `1 row at the foot left out: "as weighed"`},
		{"but no single word as those above", ReadOptions{FootAuto: true}, []string{"a,b\nMill,3\nQuarry,\n,\nTamro\n"}, "a|b/Mill|3/Quarry|/|/Tamro|", "no notes at the foot"},
		{"and a star", ReadOptions{FootAuto: true}, []string{"a,b\nMill,3\n*x,\n"}, "a|b/Mill|3", `1 row at the foot left out: "*x"`},
		{"a lone text in other cells is none", ReadOptions{FootAuto: true}, []string{"a,b\nMill,3\n,all weighed twice\n"}, "a|b/Mill|3/|all weighed twice", "no notes at the foot"},
		{"a foot longer than the table", ReadOptions{Foot: 3}, []string{"a,b\n1,2\n"}, "a|b/error: f1.csv: --foot 3: below the header stands only 1 row", ""},
		// several files
		{"two files", ReadOptions{}, []string{"a,b\n1,2\n", "b,a\n3,4\n"}, "a|b/1|2/4|3", ""},
		{"fields not in all", ReadOptions{}, []string{"a,b\n1,2\n", "a;c\n3;4\n"}, "a|b|c/1|2|/3||4", "not in this file, so blank: c; not in this file, so blank: b"},
		{"their source", ReadOptions{Source: "from"}, []string{"x.csv::a\n1\n", "y.csv::a\n2\n"}, "a|from/1|x.csv/2|y.csv", ""},
		{"a field of the source's name", ReadOptions{Source: "a"}, []string{"a,b\n1,2\n"}, `error: --source "a": there is a field of that name`, ""},
		{"one of them fails", ReadOptions{}, []string{"a\n1\n", "a\n1,2\n"}, "a/1/error: f2.csv line 2: the row has 2 cells, the header 1; beyond them stands \"2\"", ""},
		{"one of them is empty", ReadOptions{}, []string{"a\n1\n", ""}, "error: f2.csv: the file is empty", ""},
		// JSON
		{"objects in lines", ReadOptions{}, []string{"x.ndjson::{\"a\":1.10,\"b\":\"026\"}\n{\"b\":null,\"c\":true}\n"}, "a|b|c/1.10|026|/||true", ""},
		{"told by content", ReadOptions{}, []string{"x::[{\"a\":1e3}]"}, "a/1e3", ""},
		{"one object", ReadOptions{}, []string{"x.json::{\"a\":{\"b\":[1,2]}}"}, `a/{"b":[1,2]}`, ""},
		{"flattened", ReadOptions{Flatten: true}, []string{`x.json::[{"a":{"b":{"c":1},"d":[]}},{"a":null}]`}, "a.b.c|a.d|a/1|[]|/||", ""},
		{"no objects", ReadOptions{}, []string{"x.json::[1,2]"}, "error: x.json line 1: here stands no object", ""},
		{"an empty array", ReadOptions{}, []string{"x.json::[]"}, "error: x.json: there are no objects in it, so no fields", ""},
		{"broken behind a good one", ReadOptions{}, []string{"x.ndjson::{\"a\":1}\n{\"a\":\n"}, "a/1/error: x.ndjson line", ""},
		{"a name twice", ReadOptions{}, []string{`x.ndjson::{"a":1,"a":2}`}, `a/error: x.ndjson line 1, field "a": the object has two members of that name`, ""},
		{"escapes", ReadOptions{}, []string{`x.ndjson::{"a\u00e9":"\u00f1\n\"q\""}`}, "aé/ñ\n\"q\"", ""},
		{"header for JSON", ReadOptions{Header: rows(1, 1)}, []string{`x.json::[{"a":1}]`}, "error: x.json: --header, --body and --foot do not go with JSON", ""},
		{"bracketed text", ReadOptions{}, []string{"[kg],b\n1,2\n"}, "[kg]|b/1|2", ""},
		// what can't be read
		{"no such format", ReadOptions{As: "exel"}, []string{"a\n1\n"}, `error: --read-as "exel": there is no such format`, ""},
		{"a format that is only written", ReadOptions{As: "md"}, []string{"a\n1\n"}, "error: f1.csv: md tables are written, not read", ""},
		{"a sheet of a text", ReadOptions{Sheet: "2024"}, []string{"a\n1\n"}, "error: f1.csv: --sheet and --area go with workbooks", ""},
		{"a binary file", ReadOptions{}, []string{"a,b\n1,\x00\x01\x02\n"}, "error: f1.csv: byte 7 is NUL: this is a binary file, not text", ""},
		{"not gzip", ReadOptions{}, []string{"x.csv.gz::a,b\n1,2\n"}, "error: x.csv.gz: this is no gzip file, or a damaged one", ""},
		{"not zstd", ReadOptions{}, []string{"x.csv.zst::a,b\n1,2\n"}, "error: x.csv.zst: the compressed file is damaged or cut short", ""},
		{"no workbook", ReadOptions{}, []string{"x.xlsx::a,b\n1,2\n"}, "error: x.xlsx", ""},
		{"no parquet", ReadOptions{}, []string{"x.parquet::a,b\n1,2\n"}, "error: x.parquet", ""},
		{"no database", ReadOptions{}, []string{"x.db::a,b\n1,2\n"}, "error: x.db", ""},
		{"an encoding that is none", ReadOptions{Encoding: "klingon"}, []string{"a\n1\n"}, `error: --encoding "klingon": there is no such encoding`, ""},
	} {
		got, notes := read(t, c.o, c.texts...)
		if at := strings.Index(c.want, "error: "); at >= 0 {
			assert.Contains(t, got, c.want, c.name)
			assert.True(t, strings.HasPrefix(got, c.want), "%s: %s", c.name, got)
			continue
		}
		assert.Equal(t, c.want, got, c.name)
		assert.Equal(t, c.notes, notes, c.name)
	}
}

// TestEncodings: the same table comes out of every encoding it can be written in.
func TestEncodings(t *testing.T) {
	const text = "Imker;Ertrag €\nFèrl;1,50\n\"Ñ; x\";–\n"
	const want = "Imker|Ertrag €/Fèrl|1,50/Ñ; x|–"
	encode := func(f func(string) (string, error)) string {
		s, err := f(text)
		require.NoError(t, err)
		return s
	}
	le := encode(unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewEncoder().String)
	be := encode(unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM).NewEncoder().String)
	for _, c := range []struct {
		name, text, told, notes string
	}{
		{"UTF-8", text, "", ""},
		{"with a mark", "\uFEFF" + text, "", ""},
		{"UTF-16, little end first", "\xff\xfe" + le, "", ""},
		{"UTF-16, big end first", "\xfe\xff" + be, "", ""},
		{"UTF-16 without its mark", le, "", "read as UTF-16LE: NUL bytes stand where UTF-16 has them, without its mark"},
		{"the other way round", be, "", "read as UTF-16BE: NUL bytes stand where UTF-16 has them, without its mark"},
		{"Windows-1252", encode(charmap.Windows1252.NewEncoder().String), "", "read as Windows-1252: the file is not UTF-8"},
		{"Windows-1252, told", encode(charmap.Windows1252.NewEncoder().String), "windows-1252", ""},
		{"UTF-16, told", le, "utf-16le", ""},
		{"UTF-8, told", text, "UTF-8", ""},
		{"ISO 8859-15, told", encode(func(s string) (string, error) {
			return charmap.ISO8859_15.NewEncoder().String(strings.ReplaceAll(s, "–", "-"))
		}), "iso-8859-15", ""},
	} {
		want := want
		if strings.HasPrefix(c.name, "ISO") {
			want = strings.ReplaceAll(want, "–", "-")
		}
		got, notes := read(t, ReadOptions{Encoding: c.told}, c.text)
		assert.Equal(t, want, got, c.name)
		assert.Equal(t, c.notes, notes, c.name)
	}
	// A character that is cut where the beginning ends is whole.
	for extra := range 4 {
		long := "a\n" + strings.Repeat("x", probeSize-4-extra) + "€€€\n"
		got, notes := read(t, ReadOptions{}, long)
		assert.Equal(t, len(long)-1, len(got), extra)
		assert.Empty(t, notes)
	}
	// What is not UTF-8 behind the beginning is an error, not a change of mind.
	got, _ := read(t, ReadOptions{}, "a\n"+strings.Repeat("x\n", probeSize)+"F\xe8rl\n")
	assert.Contains(t, got, fmt.Sprintf("error: f1.csv line %d, field \"a\": byte 0xe8 is not UTF-8", probeSize+2))
}

// TestCompressed: what is inside .gz and .zst is read as if it stood there, and a damaged file is told from the end of one.
func TestCompressed(t *testing.T) {
	text := "id,note\n" + strings.Repeat("026,some words that come again\n", 5000)
	var gz, zst bytes.Buffer
	g := gzip.NewWriter(&gz)
	_, err := g.Write([]byte(text))
	require.NoError(t, err)
	require.NoError(t, g.Close())
	z, err := zstd.NewWriter(&zst)
	require.NoError(t, err)
	_, err = z.Write([]byte(text))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	want, _ := read(t, ReadOptions{}, text)
	for name, whole := range map[string][]byte{"x.csv.gz": gz.Bytes(), "x.csv.zst": zst.Bytes()} {
		got, _ := read(t, ReadOptions{}, name+"::"+string(whole))
		assert.Equal(t, want, got, name)
		src, err := Open([]string{"-"}, ReadOptions{Stdin: bytes.NewReader(whole)})
		require.NoError(t, err, "standard input is told by its content")
		assert.Equal(t, []string{"id", "note"}, src.Schema().Names())
		src.Close()
		for _, at := range []int{10, len(whole) / 2, len(whole) - 3} {
			got, _ = read(t, ReadOptions{}, name+"::"+string(whole[:at]))
			assert.Regexp(t, "error: .*"+name+".*damaged", got, "%s cut at %d", name, at)
			broken := bytes.Clone(whole)
			broken[at] ^= 0x55
			got, _ = read(t, ReadOptions{}, name+"::"+string(broken))
			assert.True(t, got == want || strings.Contains(got, "error: "), "%s with another byte at %d: neither the table nor an error", name, at)
		}
	}
}

// TestFilesThatAreNot: what is missing says what is there, and the status tells whose fault it is.
func TestFilesThatAreNot(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"harvest.csv", "hives.csv"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("a\n1\n"), 0o644))
	}
	for _, c := range []struct{ path, text, try string }{
		{"harvets.csv", "there is no such file", "did you mean " + filepath.Join(dir, "harvest.csv") + "?"},
		{"HIVES.CSV", "there is no such file", "did you mean " + filepath.Join(dir, "hives.csv") + "?"},
		{"keepers.csv", "there is no such file", ""},
		{"none/harvest.csv", "there is no folder " + filepath.Join(dir, "none"), ""},
		{"", "this is a directory, not a file", ""},
	} {
		_, err := Open([]string{filepath.Join(dir, c.path)}, ReadOptions{})
		var e *diag.Error
		require.True(t, errors.As(err, &e), c.path)
		assert.Equal(t, diag.System, e.Status, c.path)
		assert.Equal(t, c.text, e.Text, c.path)
		assert.Equal(t, c.try, strings.Join(e.Try, " "), c.path)
	}
	_, err := Open([]string{"-", "-"}, ReadOptions{Stdin: strings.NewReader("a\n")})
	assert.ErrorContains(t, err, "standard input (-) is named twice")
}
