package format

import (
	"bytes"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/diag"
	"revuelta/internal/rowstore"
	"revuelta/internal/table"
)

// written writes a table to a path as a run does, batch by batch through two workers, and gives what went wrong.
func written(path string, o WriteOptions, names []string, rows [][]string) error {
	enc, err := NewEncoding(path, o)
	if err != nil {
		return err
	}
	out, err := Create(path)
	if err != nil {
		return err
	}
	defer out.Abort()
	schema := table.NewSchema(names)
	whole, _ := enc.(Whole)
	var waiting bytes.Buffer
	to := io.Writer(out)
	if whole != nil {
		to = &waiting
	}
	if _, err := to.Write(enc.Begin(nil, schema)); err != nil {
		return err
	}
	workers := []Encoder{enc.Worker(schema), enc.Worker(schema)}
	first := true
	for from := 0; from < len(rows); from += 2 {
		some := rows[from:min(from+2, len(rows))]
		b := &table.Batch{}
		b.Shape(len(names))
		b.Rows = len(some)
		for i := range names {
			cells := b.Cols[i].Make(len(some))
			for r := range cells {
				cells[r] = some[r][i]
			}
		}
		piece := workers[from/2%2].Append(nil, b)
		if j, ok := enc.(Joined); ok && first {
			piece = j.First(piece)
		}
		first = false
		if _, err := to.Write(piece); err != nil {
			return err
		}
	}
	if _, err := to.Write(enc.End(nil)); err != nil {
		return err
	}
	if whole != nil {
		if err := whole.Fault(); err != nil {
			return err
		}
		if err := whole.Finish(&waiting, out, out); err != nil {
			return err
		}
	}
	if err := out.Finish(); err != nil {
		return err
	}
	return out.Commit()
}

var (
	honeyNames = []string{"colony", "net, kg", "when", "note", "jars"}
	honeyRows  = [][]string{
		{"026", "1.10", "2024-05-02", "calm", "3"},
		{"T-1", "12.50", "2024-05-16", "two\nlines", ""},
		{"007", "-0.25", "", `a "word"`, "12"},
		{"", "3", "2024-06-01", "Fèrl; 蜂", "7"},
		{"V-9", "", "2024-06-02", "<b>|&", "0"},
	}
)

func asText(names []string, rows [][]string) string {
	out := []string{strings.Join(names, "|")}
	for _, r := range rows {
		out = append(out, strings.Join(r, "|"))
	}
	return strings.Join(out, "/")
}

// TestEveryFormat: what is written in a format, packed or not, is read back by its suffix, by its name and by its content, from
// a file and from standard input, cell for cell; and looked at, it is the same table.
func TestEveryFormat(t *testing.T) {
	want := asText(honeyNames, honeyRows)
	for _, f := range Formats() {
		if f.server { // they are tested where there is one
			continue
		}
		for _, packed := range []string{"", ".gz", ".zst"} {
			if packed != "" && f.tables { // a database is no stream
				continue
			}
			dir := t.TempDir()
			path := filepath.Join(dir, "table"+f.Suffixes[0]+packed)
			name := f.Name + packed
			require.NoError(t, written(path, WriteOptions{}, honeyNames, honeyRows), name)
			got, notes := readPaths([]string{path}, ReadOptions{})
			if !f.Reads() {
				assert.Contains(t, got, "are written, not read", name)
				_, err := SampleOf(path, ReadOptions{})
				assert.ErrorContains(t, err, "are written, not read", name)
				continue
			}
			assert.Equal(t, want, got, name)
			assert.Empty(t, notes, name)
			sample, err := SampleOf(path, ReadOptions{})
			require.NoError(t, err, name)
			assert.Equal(t, f.Name, sample.As, name)
			rows, _ := sample.Data()
			assert.Equal(t, want, asText(sample.Names, rows), name+", looked at")
			// Without a suffix it is known by what it holds, or by name.
			if packed != "" || f.tables {
				continue
			}
			plain := filepath.Join(dir, "table")
			raw, err := os.ReadFile(path)
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(plain, raw, 0o644))
			as := ReadOptions{As: f.Name}
			got, _ = readPaths([]string{plain}, as)
			assert.Equal(t, want, got, name+" by name")
			as.Stdin = bytes.NewReader(raw)
			got, _ = readPaths([]string{"-"}, as)
			assert.Equal(t, want, got, name+" by name from standard input")
			if f.Name != "ods" && f.Name != "tsv" && f.Name != "ndjson" {
				got, _ = readPaths([]string{plain}, ReadOptions{})
				assert.Equal(t, want, got, name+" by content")
				got, _ = readPaths([]string{"-"}, ReadOptions{Stdin: bytes.NewReader(raw)})
				assert.Equal(t, want, got, name+" by content from standard input")
			}
			if f.Name != "parquet" { // what is cut short is an error that names the file
				require.NoError(t, os.WriteFile(path, raw[:len(raw)*2/3], 0o644))
				got, _ = readPaths([]string{path}, ReadOptions{})
				if f.sheets || f.Name == "json" {
					assert.Contains(t, got, "error: ", name+" cut short")
				}
			}
		}
	}
}

// TestHeadersInEveryLayout: a header of any kind is found alike in text and in sheets, rows above and notes below too.
func TestHeadersInEveryLayout(t *testing.T) {
	layout := [][]string{{"Harvest of the valley", "", ""}, {"", "", ""}, {"spring", "", "summer"}, {"kilos", "jars", "kilos"}, {"1.5", "2", "x"}, {"3", "NA", "y"}, {"* weighed twice, and the second weight was taken", "", ""}}
	for name, c := range map[string]struct {
		o    ReadOptions
		want string
	}{
		"one row":      {ReadOptions{Header: Header{HeaderRows, 4, 4}, Foot: 1}, "kilos|jars|kilos (2)/1.5|2|x/3|NA|y"},
		"two rows":     {ReadOptions{Header: Header{HeaderRows, 3, 4}, FootAuto: true}, "spring / kilos|spring / jars|summer / kilos/1.5|2|x/3|NA|y"},
		"joined":       {ReadOptions{Header: Header{HeaderRows, 3, 4}, HeaderJoin: "-", Foot: 1}, "spring-kilos|spring-jars|summer-kilos/1.5|2|x/3|NA|y"},
		"markers":      {ReadOptions{Header: Header{HeaderRows, 4, 4}, Foot: 1, Blank: []string{"NA", "x"}}, "kilos|jars|kilos (2)/1.5|2|/3||y"},
		"body":         {ReadOptions{Header: Header{HeaderRows, 4, 4}, Body: 6, Foot: 1}, "kilos|jars|kilos (2)/3|NA|y"},
		"none":         {ReadOptions{Header: Header{Kind: HeaderNone}, Body: 5, Foot: 1}, "field 1|field 2|field 3/1.5|2|x/3|NA|y"},
		"with a field": {ReadOptions{Header: Header{HeaderRows, 4, 4}, Foot: 1, Source: "file"}, "kilos|jars|kilos (2)|file/1.5|2|x|NAME/3|NA|y|NAME"},
		"as it stands": {ReadOptions{AsItLies: true}, "field 1|field 2|field 3/Harvest of the valley||/||/spring||summer/kilos|jars|kilos/1.5|2|x/3|NA|y/* weighed twice, and the second weight was taken||"},
	} {
		for _, suffix := range []string{".csv", ".tsv", ".xlsx", ".ods", ".csv.gz"} {
			if strings.HasPrefix(suffix, ".x") || suffix == ".ods" {
				if name == "two rows" || name == "joined" || name == "as it stands" {
					continue // in a sheet a label spreads over its merged area, and a row of blanks is none
				}
			}
			path := filepath.Join(t.TempDir(), "layout"+suffix)
			// The first row is written as the header of a table, the others as its rows.
			require.NoError(t, written(path, WriteOptions{}, layout[0], layout[1:]))
			o := c.o
			if suffix == ".xlsx" || suffix == ".ods" { // the row of blanks counts there too
				require.NotZero(t, o.Header.From+o.Body)
			}
			got, _ := readPaths([]string{path}, o)
			want := strings.ReplaceAll(c.want, "NAME", path+map[bool]string{true: "#layout"}[strings.HasPrefix(suffix, ".x") || suffix == ".ods"])
			assert.Equal(t, want, got, "%s in %s", name, suffix)
		}
	}
}

// TestWrittenOptions: markers for blanks, marks and line ends, in each format that has a place for them.
func TestWrittenOptions(t *testing.T) {
	for _, c := range []struct {
		name string
		o    WriteOptions
		want string
	}{
		{"a.csv", WriteOptions{}, "k,v\n026,\n\"a,b\",x\n"},
		{"a.csv", WriteOptions{Blank: "NA", CRLF: true, Mark: true}, "\uFEFFk,v\r\n026,NA\r\n\"a,b\",x\r\n"},
		{"a.tsv", WriteOptions{}, "k\tv\n026\t\na,b\tx\n"},
		{"a.txt", WriteOptions{As: "tsv", Blank: "-"}, "k\tv\n026\t-\na,b\tx\n"},
		{"a", WriteOptions{}, "k,v\n026,\n\"a,b\",x\n"},
		{"a.ndjson", WriteOptions{}, "{\"k\":\"026\",\"v\":null}\n{\"k\":\"a,b\",\"v\":\"x\"}\n"},
		{"a.json", WriteOptions{Blank: "NA"}, "[\n{\"k\":\"026\",\"v\":\"NA\"},\n{\"k\":\"a,b\",\"v\":\"x\"}\n]\n"},
		{"a.md", WriteOptions{Blank: "-"}, "| k | v |\n| --- | --- |\n| 026 | - |\n| a,b | x |\n"},
		{"a.html", WriteOptions{}, "<table>\n<thead>\n<tr><th>k</th><th>v</th></tr>\n</thead>\n<tbody>\n<tr><td>026</td><td></td></tr>\n<tr><td>a,b</td><td>x</td></tr>\n</tbody>\n</table>\n"},
	} {
		path := filepath.Join(t.TempDir(), c.name)
		require.NoError(t, written(path, c.o, []string{"k", "v"}, [][]string{{"026", ""}, {"a,b", "x"}}))
		got, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, c.want, string(got), c.name)
	}
	_, err := NewEncoding("a.csv", WriteOptions{As: "cvs"})
	var e *diag.Error
	require.ErrorAs(t, err, &e)
	assert.Equal(t, []string{"--write-as csv"}, e.Try)
}

// TestRefusedRows: what a format has no place for is told with its field, and nothing is written.
func TestRefusedRows(t *testing.T) {
	many := make([]string, 20_000)
	for i := range many {
		many[i] = fmt.Sprint("f", i)
	}
	for _, c := range []struct {
		name  string
		names []string
		cell  string
		want  string
	}{
		{"a.xlsx", many, "", "more than the 16,384 columns"},
		{"a.ods", many, "", "more than the 16,384 columns"},
		{"a.ods", []string{"k"}, "a\x01b", "ods has no place for"},
		{"a.xlsx", []string{"k"}, strings.Repeat("x", 40_000), "takes 32767"},
		{"a.db#t", []string{"id", "Id"}, "", "are one name in SQLite"},
	} {
		path := filepath.Join(t.TempDir(), c.name)
		row := make([]string, len(c.names))
		row[0] = c.cell
		assert.ErrorContains(t, written(path, WriteOptions{}, c.names, [][]string{row}), c.want, c.name)
		_, err := os.Stat(FileOf(path))
		assert.ErrorIs(t, err, os.ErrNotExist, c.name)
	}
}

// TestDatabases: tables by name, several in a file, those that are there already, and what is none.
func TestDatabases(t *testing.T) {
	path := filepath.Join(t.TempDir(), "coop.db")
	require.NoError(t, written(path+"#harvest", WriteOptions{}, honeyNames, honeyRows))
	got, _ := readPaths([]string{path}, ReadOptions{})
	assert.Equal(t, asText(honeyNames, honeyRows), got, "the only table needs no name")
	require.NoError(t, written(path+"#keepers", WriteOptions{}, []string{"keeper"}, [][]string{{"Onkara"}}))
	got, _ = readPaths([]string{path + "#keepers"}, ReadOptions{})
	assert.Equal(t, "keeper/Onkara", got)
	got, _ = readPaths([]string{path + "#harvest"}, ReadOptions{})
	assert.Equal(t, asText(honeyNames, honeyRows), got, "the other table is as it was")
	for at, want := range map[string]string{path: "harvest, keepers", path + "#keeper": "keepers", filepath.Join(t.TempDir(), "no.db"): "no such file"} {
		got, _ := readPaths([]string{at}, ReadOptions{})
		assert.Contains(t, got, want)
	}
	assert.ErrorContains(t, written(path+"#keepers", WriteOptions{}, []string{"k"}, nil), "keepers")
	require.NoError(t, written(path+"#keepers", WriteOptions{Overwrite: true}, []string{"k"}, [][]string{{"new"}}))
	got, _ = readPaths([]string{path + "#keepers"}, ReadOptions{})
	assert.Equal(t, "k/new", got)
	db, err := sql.Open("sqlite", path)
	require.NoError(t, err)
	_, err = db.Exec("create table odd (n integer, r real, b blob, t text); insert into odd values (7, 1.5, x'00ff', 'x'), (null, 2, null, '')")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	got, _ = readPaths([]string{path + "#odd"}, ReadOptions{})
	assert.Equal(t, "n|r|b|t/7|1.5|00ff|x/|2||", got)
	require.NoError(t, os.WriteFile(path, []byte("not a database at all, but long enough to be read as if it were one"), 0o644))
	got, _ = readPaths([]string{path}, ReadOptions{})
	assert.Contains(t, got, "no SQLite database")
}

// TestParquetTypes: cells of other programs' types come as texts that keep their value.
func TestParquetTypes(t *testing.T) {
	type inner struct {
		Town string `parquet:"town"`
	}
	type row struct {
		Text    string    `parquet:"text"`
		Whole   int64     `parquet:"whole"`
		Small   int32     `parquet:"small"`
		Count   uint64    `parquet:"count"`
		Real    float64   `parquet:"real"`
		Single  float32   `parquet:"single"`
		Yes     bool      `parquet:"yes"`
		Raw     []byte    `parquet:"raw"`
		Maybe   *string   `parquet:"maybe"`
		Day     int32     `parquet:"day,date"`
		Time    time.Time `parquet:"time,timestamp(millisecond)"`
		Micro   int64     `parquet:"micro,timestamp(microsecond)"`
		Clock   int32     `parquet:"clock,time(millisecond)"`
		Price   int64     `parquet:"price,decimal(2:18)"`
		Address inner     `parquet:"address"`
	}
	path := filepath.Join(t.TempDir(), "types.parquet")
	at := time.Date(2024, 5, 2, 14, 30, 0, 250_000_000, time.UTC)
	require.NoError(t, parquet.WriteFile(path, []row{{"026", -9007199254740993, 7, 1 << 63, 0.1, 1.5, true, []byte{0, 255}, nil, 19845, at, at.UnixMicro(), 52_200_000, -12345, inner{"Vesk"}}}))
	got, _ := readPaths([]string{path}, ReadOptions{})
	assert.Equal(t, "text|whole|small|count|real|single|yes|raw|maybe|day|time|micro|clock|price|address.town/"+
		"026|-9007199254740993|7|9223372036854775808|0.1|1.5|TRUE|00ff||2024-05-02|2024-05-02T14:30:00.25|2024-05-02T14:30:00.25|14:30:00|-123.45|Vesk", got)
	type list struct {
		Name   string   `parquet:"name"`
		Forage []string `parquet:"forage"`
	}
	require.NoError(t, parquet.WriteFile(path, []list{{"a", []string{"x", "y"}}}))
	got, _ = readPaths([]string{path}, ReadOptions{})
	assert.Contains(t, got, "error: ")
	assert.Contains(t, got, "forage")
	require.NoError(t, os.WriteFile(path, []byte("PAR1 and nothing else PAR1"), 0o644))
	got, _ = readPaths([]string{path}, ReadOptions{})
	assert.Contains(t, got, "Parquet file")
	for _, o := range []ReadOptions{{AsItLies: true}, {Body: 3}, {Delimiter: ';'}, {Sheet: "x"}} {
		got, _ = readPaths([]string{path}, o)
		assert.Contains(t, got, "error: ")
		assert.NotContains(t, got, "damaged")
	}
}

// TestParquetThatLies: a page that holds fewer values than its file says, variants, and more fields than a file takes are errors.
func TestParquetThatLies(t *testing.T) {
	path := filepath.Join(t.TempDir(), "lies.parquet")
	for name, encoding := range map[string]parquet.Node{
		"plain": parquet.Encoded(parquet.String(), &parquet.Plain), "lengths": parquet.Encoded(parquet.String(), &parquet.DeltaLengthByteArray), "prefixes": parquet.Encoded(parquet.String(), &parquet.DeltaByteArray),
		"optional": parquet.Optional(parquet.Encoded(parquet.String(), &parquet.Plain)),
	} {
		var b bytes.Buffer
		w := parquet.NewWriter(&b, parquet.NewSchema("table", parquet.Group{"colony": encoding}))
		level := map[bool]int{true: 1}[name == "optional"]
		for i := range 100 {
			_, err := w.WriteRows([]parquet.Row{{parquet.ByteArrayValue([]byte(strconv.Itoa(i+500))).Level(0, level, 0)}})
			require.NoError(t, err)
		}
		require.NoError(t, w.Close())
		count := func(n uint64) []byte { return binary.AppendUvarint(nil, 2*n) } // as the file has numbers
		for _, said := range []uint64{100, 103, 1000} {
			require.NoError(t, os.WriteFile(path, bytes.ReplaceAll(b.Bytes(), count(100), count(said)), 0o644))
			got, _ := readPaths([]string{path}, ReadOptions{})
			if said == 100 {
				assert.Equal(t, 100, strings.Count(got, "/"), name)
				continue
			}
			assert.Contains(t, got, "error: ", "%s, %d", name, said)
			assert.Contains(t, got, "damaged", "%s, %d", name, said)
		}
	}
	var b bytes.Buffer
	w := parquet.NewWriter(&b, parquet.NewSchema("table", parquet.Group{"colony": parquet.String(), "forage": parquet.Variant()}))
	require.NoError(t, w.Close())
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o644))
	got, _ := readPaths([]string{path}, ReadOptions{})
	assert.Contains(t, got, "fields that hold variants are not read: forage")
	assert.Nil(t, notInParquet(make([]string, 65_534)))
	assert.ErrorContains(t, notInParquet(make([]string, 65_535)), "65,535 fields are more than the 65,534 of a Parquet file")
}

// TestStoredTables: rows that were stored come as a table that knows the files they came from.
func TestStoredTables(t *testing.T) {
	rows := &rowstore.Rows{}
	b := &table.Batch{}
	b.Shape(1)
	b.Rows, b.Origin = 2, table.Origin{File: 1, Line: 7, Each: 1}
	copy(b.Cols[0].Make(2), []string{"026", ""})
	require.NoError(t, rows.Adopt(b))
	src, err := Stored("@m", table.NewSchema([]string{"k"}), rows, []string{"a.csv", "b.csv"})
	require.NoError(t, err)
	assert.Equal(t, "@m", src.Inputs()[0].Name)
	assert.Equal(t, []string{"a.csv", "b.csv"}, src.(interface{ Files() []string }).Files())
	p := src.Parser()
	c, err := src.Next()
	require.NoError(t, err)
	got := &table.Batch{}
	require.NoError(t, p.Parse(c, got))
	assert.Equal(t, []string{"026"}, got.Row(0, nil))
	assert.Equal(t, 8, got.Origin.LineOf(1))
	assert.EqualValues(t, 2, p.Stats()[0].Rows)
	assert.Empty(t, p.Long())
	src.Recycle(c)
	_, err = src.Next()
	assert.ErrorIs(t, err, io.EOF)
	require.NoError(t, src.Close())
}

// TestLongRowsPutAside: with somewhere to go, rows with content beyond the header leave the table with their cells; stats are added up.
func TestLongRowsPutAside(t *testing.T) {
	text := "a,b\n1,2\n3,4,5\n6\n\n7,8\n"
	src, err := Open([]string{"-"}, ReadOptions{Stdin: strings.NewReader(text), LongAside: true})
	require.NoError(t, err)
	defer src.Close()
	p := src.Parser()
	c, err := src.Next()
	require.NoError(t, err)
	b := &table.Batch{}
	require.NoError(t, p.Parse(c, b))
	assert.Equal(t, 3, b.Rows)
	require.Len(t, p.Long(), 1)
	assert.Equal(t, LongRow{File: "standard input", Line: 3, Cell: "5", Reason: "the row has 3 cells, the header 2", Cells: []string{"3", "4", "5"}, Names: []string{"a", "b"}}, p.Long()[0])
	sum := p.Stats()[0]
	assert.Equal(t, Stats{Rows: 3, Short: 1, Empty: 1, Long: 1}, sum)
	sum.Add(sum)
	assert.Equal(t, Stats{Rows: 6, Short: 2, Empty: 2, Long: 2}, sum)
}

// TestFilesOfText: what is found out about a text that is looked at, of any size and line end.
func TestFilesOfText(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "in.csv")
	for ends, name := range map[string]string{"\n": "LF", "\r\n": "CRLF"} {
		for _, rows := range []int{3, 40_000} {
			text := []byte("k;v" + ends)
			for i := range rows {
				text = fmt.Appendf(text, "%d;x%s", i, ends)
			}
			require.NoError(t, os.WriteFile(path, text, 0o644))
			s, err := SampleOf(path, ReadOptions{})
			require.NoError(t, err)
			assert.Equal(t, name, s.LineEnds)
			assert.Equal(t, byte(';'), s.Delimiter)
			assert.Equal(t, rows == 3, s.Whole)
			assert.Equal(t, rows > 3, len(s.Later) > 0, "rows from the middle and the end of a large file")
			data, lines := s.Data()
			assert.Equal(t, "0", data[0][0])
			assert.Equal(t, 2, lines[0])
		}
	}
	huge := "k,v\n" + strings.Repeat(strings.Repeat("x", 40_000)+",1\n", 20)
	require.NoError(t, os.WriteFile(path, []byte(huge), 0o644))
	s, err := SampleOf(path, ReadOptions{})
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(s.First), 5, "rows of great size are read on for")
	assert.Equal(t, "mixed", lineEnds([]byte("a\r\nb\n")))
}

// TestLoneCR: rows that end with lone CR are read when it is said so, cells with line ends and quotes as they stand, wherever the
// beginning that is read first is cut; unsaid, they are an error where a text is looked at and where it is read.
func TestLoneCR(t *testing.T) {
	path := filepath.Join(t.TempDir(), "in.csv")
	for _, c := range []struct{ text, plain, want string }{
		{"a,b\r1,2\r\"x\ry\",\"z\n\"\r", "", "a|b/1|2/x\ry|z\n"},
		{"a;b\r\"1 \"\"\r\"\"\";\"2\"\"\"\rx;\"\"\r", "lone CR", "a|b/1 \"\r\"|2\"/x|"},
		{"a,b\r\n1,2\r\n", "a|b/1|2", ""},
		{"a,\"b\rc\"", "a|b c", ""},
		{"a,b\r1,\"x\r\"\r", "lone CR", "a|b/1|x\r"},
	} {
		require.NoError(t, os.WriteFile(path, []byte(c.text), 0o644))
		got, _ := readPaths([]string{path}, ReadOptions{})
		assert.Contains(t, got, c.plain, "%q", c.text)
		if c.plain == "lone CR" {
			_, err := SampleOf(path, ReadOptions{})
			assert.ErrorContains(t, err, c.plain)
		}
		if c.want != "" {
			got, _ = readPaths([]string{path}, ReadOptions{LineEndCR: true})
			assert.Equal(t, c.want, got, "%q", c.text)
			s, err := SampleOf(path, ReadOptions{LineEndCR: true})
			require.NoError(t, err)
			assert.Equal(t, "CR", s.LineEnds)
		}
	}
	require.NoError(t, os.WriteFile(path, []byte("a,b\r5\"\" pipe,2\r\"7,\r"), 0o644))
	got, _ := readPaths([]string{path}, ReadOptions{LineEndCR: true, NoQuotes: true})
	assert.Equal(t, "a|b/5\"\" pipe|2/\"7|", got)
	for cut := range 12 { // the beginning ends within a row, a cell, a quote
		text, want := []byte("k,v\r"), []byte("k|v")
		for len(text) < probeSize-cut {
			text, want = append(text, "1,\"a\rb\"\"\"\r"...), append(want, "/1|a\rb\""...)
		}
		text, want = append(text, "2,\"\"\r"...), append(want, "/2|"...)
		text = append(bytes.Replace(text, []byte("k,"), []byte("k"+strings.Repeat("k", cut)+","), 1), text[len("k,v\r"):]...)
		want = append(bytes.Replace(want, []byte("k|"), []byte("k"+strings.Repeat("k", cut)+"|"), 1), want[len("k|v"):]...)
		require.NoError(t, os.WriteFile(path, text, 0o644))
		got, _ := readPaths([]string{path}, ReadOptions{LineEndCR: true})
		require.True(t, string(want) == got, "cut %d", cut)
	}
}

// TestWhereOutputsGo: paths of tables and files, files that are one, and folders that are not there.
func TestWhereOutputsGo(t *testing.T) {
	dir := t.TempDir()
	a, b := filepath.Join(dir, "a.csv"), filepath.Join(dir, "b.csv")
	require.NoError(t, os.WriteFile(a, []byte("x"), 0o644))
	require.NoError(t, os.Symlink(a, b))
	assert.True(t, SameFile(a, b))
	assert.False(t, SameFile(a, filepath.Join(dir, "c.csv")))
	assert.Equal(t, "x.db", FileOf("x.db#t"))
	assert.Equal(t, "x.csv#t", FileOf("x.csv#t"))
	assert.ErrorContains(t, WouldLose(a), "would lose")
	for path, want := range map[string]string{dir: "directory", filepath.Join(dir, "no", "a.csv"): "no folder"} {
		_, err := Create(path)
		var e *diag.Error
		require.ErrorAs(t, err, &e)
		assert.Contains(t, e.Error(), want)
		assert.Equal(t, diag.System, e.Status)
	}
	if full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0); err == nil {
		full.Close()
		out, err := Create("/dev/full")
		require.NoError(t, err)
		_, err = out.Write(make([]byte, 1<<20))
		require.ErrorContains(t, err, "the disk is full")
		out.Abort()
	}
	var lost *diag.Error
	require.True(t, errors.As(FileError("x", os.ErrPermission), &lost))
	assert.Contains(t, lost.Error(), "no permission")
	assert.True(t, slices.ContainsFunc(Names(), func(n string) bool { return n == "parquet" }))
}

// TestSuffixOfNoFormat: an output whose suffix is no format's is refused before anything is written, unless the format is named.
func TestSuffixOfNoFormat(t *testing.T) {
	for _, c := range []struct{ name, as, says string }{
		{"honey.cvs", "", "the suffix .cvs is no format's; there are .csv"},
		{"honey.xls.gz", "", "the suffix .xls is no format's"},
		{"honey", "", ""},
		{".honey", "", ""},
		{"honey.gz", "", ""},
		{"honey.cvs", "csv", ""},
	} {
		path := filepath.Join(t.TempDir(), c.name)
		err := written(path, WriteOptions{As: c.as}, honeyNames, honeyRows)
		if c.says == "" {
			assert.NoError(t, err, c.name)
			assert.FileExists(t, path)
			continue
		}
		assert.ErrorContains(t, err, c.says)
		assert.NoFileExists(t, path)
	}
}
