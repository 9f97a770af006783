package run_test

import (
	"archive/zip"
	"encoding/csv"
	"encoding/xml"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/run"
)

// awkward are cells of the kinds that get lost between programs.
var awkward = []string{
	"", "026", "1.10", "1e3", "-0", "+5", ".5", "5.", "1,5", "007.0", "12345678901234567890", "0.1", "123456789.123456789", "9007199254740993", "-9007199254740993", "1E400",
	" x ", "two\nlines", "carriage\rreturn", "both\r\nends", "tab\there", `a "word"`, `"`, `""`, "a,b;c|d", "'", "=1+1", "@x", "#2", "\\n", "é̂", "ñ", "蜂", "👩‍🌾", "\u00a0", "\u200b", "\uFEFFx", "\x01", "a\x0bb", "\x1b[0m", "\x7f", "\u0085", "\u2028", "\uFFFE", "\uFFFF", "\uFFFD",
	"2024-05-02", "2024-5-2", "2024-02-30", "2024-05-02T14:30:00", "2024-05-02 14:30", "14:30:00", "1900-01-01", "1899-12-31", "0001-01-01", "2024-05-02T00:00:00",
	"TRUE", "true", "null", "NA", "NaN", "Inf", "0x1F", "1_000", "x'00'", "<b>&amp;</b>", "{\"a\":1}", "[1, 2]", "a|b", "_x000D_", "_x005F_", "&#10;", "]]>", strings.Repeat("long ", 900),
}

// TestCellsLeaveAsTheyCame: what is written in any format that is read again comes back byte for byte, names and order too.
func TestCellsLeaveAsTheyCame(t *testing.T) {
	dir := t.TempDir()
	names := []string{"id", "Id", "net, kg", "a b", "May / kilos", `"q"`, "ñ", "2024", "select", "a.b", "field 3", "=x", "x'y"}
	formats := []string{"out.csv", "out.csv --crlf --bom", "out.tsv", "out.csv.gz", "out.csv.zst", "out.ndjson", "out.json", "out.json.gz", "out.xlsx", "out.ods", "out.parquet", "out.db#rows"}
	rapid.Check(t, func(rt *rapid.T) {
		fields := rapid.Permutation(names).Draw(rt, "names")[:rapid.IntRange(1, 6).Draw(rt, "fields")]
		columns := make([][]string, len(fields)) // a field holds cells of few kinds, as fields do
		for i := range columns {
			columns[i] = rapid.SliceOfN(rapid.SampledFrom(awkward), 1, 4).Draw(rt, "kinds")
		}
		rows := [][]string{fields}
		for range rapid.IntRange(0, 30).Draw(rt, "rows") {
			row := make([]string, len(fields))
			for i := range row {
				row[i] = rapid.SampledFrom(columns[i]).Draw(rt, "cell")
			}
			rows = append(rows, row)
		}
		write(rt, filepath.Join(dir, "in.csv"), rows)
		first := convert(rt, t, dir, "read in.csv --delimiter , --header 1\nwrite all.csv")
		to := rapid.SampledFrom(formats).Draw(rt, "format")
		from, _, _ := strings.Cut(to, " ")
		is := func(as string) bool { return strings.Contains(from, as) }
		if len(rows) == 1 && is("json") {
			return // no object, so no names
		}
		read := "read '" + from + "'"
		if is(".csv") {
			read += " --delimiter ,"
		}
		if !is("json") && !is("parquet") && !is(".db") {
			read += " --header 1"
		}
		text := "read in.csv --delimiter , --header 1\nwrite '" + from + "' --overwrite" + strings.TrimPrefix(to, from)
		refused := ""
		switch {
		case is(".db") && slices.Contains(fields, "id") && slices.Contains(fields, "Id"):
			refused = "are one name in SQLite, where case does not count"
		case is(".ods") && strings.ContainsAny(first, "\r\x01\x0b\x1b\uFFFE\uFFFF"):
			refused = ", which ods has no place for"
		}
		if refused != "" {
			_, err := run.Run(t.Context(), program(t, dir, text), run.Env{})
			require.ErrorContains(rt, err, refused)
			return
		}
		convert(rt, t, dir, text)
		if is("xlsx") || is("ods") {
			wellFormed(rt, filepath.Join(dir, from))
		}
		got := convert(rt, t, dir, read+"\nwrite all.csv")
		require.True(rt, first == got, "%s: %s", to, firstDifference(first, got))
	})
}

// TestGoingThroughSheetsTwice: what came out of a workbook goes in again and comes out the same, numbers and dates too.
func TestGoingThroughSheetsTwice(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(large(500)), 0o644))
	before := convert(t, t, dir, "read in.csv\nset 'date = text(\"2024-0\", 1 + {May kilos} % 9, \"-1\", {May kilos} % 9)'\nset 'when = text(date, \"T14:30:00\")'\nwrite all.csv")
	for _, way := range [][]string{{"a.xlsx", "b.ods", "c.db#t", "d.parquet", "e.xlsx"}, {"a.parquet", "b.xlsx", "c.ods", "d.ndjson", "e.db#x"}} {
		from := "all.csv"
		require.NoError(t, os.WriteFile(filepath.Join(dir, from), []byte(before), 0o644))
		for _, to := range way {
			convert(t, t, dir, "read '"+from+"'\nwrite '"+to+"' --overwrite")
			from = to
		}
		assert.Equal(t, before, convert(t, t, dir, "read '"+from+"'\nwrite all.csv"), way)
	}
}

// TestWhatPagesHold: a page has each cell once, in its place, with what would be taken for the page's own text written otherwise.
func TestWhatPagesHold(t *testing.T) {
	dir := t.TempDir()
	tags := regexp.MustCompile(`<td>((?:.|\n)*?)</td>`)
	rapid.Check(t, func(rt *rapid.T) {
		rows := [][]string{{"a", "b"}}
		for range rapid.IntRange(1, 8).Draw(rt, "rows") {
			rows = append(rows, []string{rapid.SampledFrom(awkward).Draw(rt, "a"), rapid.SampledFrom(awkward).Draw(rt, "b")})
		}
		write(rt, filepath.Join(dir, "in.csv"), rows)
		convert(rt, t, dir, "read in.csv --delimiter , --header 1\nwrite all.html --overwrite")
		page, err := os.ReadFile(filepath.Join(dir, "all.html"))
		require.NoError(rt, err)
		cells := tags.FindAllStringSubmatch(string(page), -1)
		require.Len(rt, cells, 2*(len(rows)-1))
		undo := strings.NewReplacer("&lt;", "<", "&gt;", ">", "&#34;", `"`, "&#39;", "'", "&amp;", "&")
		ends := strings.NewReplacer("\r\n", "\n", "\r", "\n")
		for i, c := range cells {
			require.NotContains(rt, strings.ReplaceAll(c[1], "<br>", ""), "<")
			require.Equal(rt, ends.Replace(rows[1+i/2][i%2]), undo.Replace(strings.ReplaceAll(c[1], "<br>", "\n")))
		}
		convert(rt, t, dir, "read in.csv --delimiter , --header 1\nwrite all.md --overwrite")
		text, err := os.ReadFile(filepath.Join(dir, "all.md"))
		require.NoError(rt, err)
		lines := strings.Split(strings.TrimSuffix(string(text), "\n"), "\n")
		require.Len(rt, lines, len(rows)+1, "a row a line: %q", text)
		for _, l := range lines {
			bars := strings.Count(l, "|") - strings.Count(l, `\|`)
			require.Equal(rt, 3, bars, l)
		}
	})
}

// wellFormed checks the parts of a workbook with an XML parser that is not ours.
func wellFormed(tb require.TestingT, path string) {
	z, err := zip.OpenReader(path)
	require.NoError(tb, err)
	defer z.Close()
	parts := 0
	for _, f := range z.File {
		if !strings.HasSuffix(f.Name, ".xml") && !strings.HasSuffix(f.Name, ".rels") {
			continue
		}
		parts++
		r, err := f.Open()
		require.NoError(tb, err)
		d := xml.NewDecoder(r)
		for err == nil {
			_, err = d.Token()
		}
		require.ErrorIs(tb, err, io.EOF, f.Name)
	}
	require.GreaterOrEqual(tb, parts, 3)
}

func write(tb require.TestingT, path string, rows [][]string) {
	f, err := os.Create(path)
	require.NoError(tb, err)
	for _, row := range rows { // encoding/csv takes a blank cell alone for no row
		for i, c := range row {
			if i > 0 {
				_, _ = f.WriteString(",")
			}
			_, _ = f.WriteString(`"` + strings.ReplaceAll(c, `"`, `""`) + `"`)
		}
		_, err := f.WriteString("\n")
		require.NoError(tb, err)
	}
	require.NoError(tb, f.Close())
}

// convert runs a plan and gives what stands in all.csv then, if it is there.
func convert(tb require.TestingT, t *testing.T, dir, text string) string {
	_, err := run.Run(t.Context(), program(t, dir, text), run.Env{Workers: 2, Temp: dir})
	require.NoError(tb, err, text)
	got, err := os.ReadFile(filepath.Join(dir, "all.csv"))
	if err != nil {
		return ""
	}
	_, err = csv.NewReader(strings.NewReader(string(got))).ReadAll()
	require.NoError(tb, err, "encoding/csv reads it too")
	return string(got)
}
