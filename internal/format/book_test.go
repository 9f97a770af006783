package format

import (
	"archive/zip"
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestSheetsOfABook: sheets by name, number and glob, areas, and what is not there.
func TestSheetsOfABook(t *testing.T) {
	book := filepath.Join("..", "..", "demo", "data", "cooperative.xlsx")
	if _, err := os.Stat(book); err != nil {
		found, _ := filepath.Glob(filepath.Join("..", "..", "demo", "*", "*.xlsx"))
		require.NotEmpty(t, found, "the demo has a workbook")
		book = found[0]
	}
	got, _ := readPaths([]string{book}, ReadOptions{})
	assert.Contains(t, got, "error: ", "several sheets, and none is named")
	all, _ := readPaths([]string{book}, ReadOptions{Sheet: "2024-*", Source: "sheet"})
	assert.Contains(t, all, "#2024-")
	assert.Greater(t, strings.Count(all, "/"), 4)
	one, _ := readPaths([]string{book}, ReadOptions{Sheet: "Harvest", Header: Header{HeaderRows, 4, 5}, FootAuto: true})
	assert.Contains(t, one, "|")
	for name, o := range map[string]ReadOptions{"no such sheet": {Sheet: "Harvst"}, "number": {Sheet: "99"}, "area": {Sheet: "Harvest", Area: "B3:"}, "text option": {Delimiter: ';'}} {
		got, _ := readPaths([]string{book}, o)
		assert.Contains(t, got, "error: ", name)
	}
	area, _ := readPaths([]string{book}, ReadOptions{Sheet: "Harvest", Area: "A5:B8"})
	assert.Equal(t, 1, strings.Count(strings.Split(area, "/")[0], "|"), "two columns")
	sample, err := SampleOf(book, ReadOptions{Sheet: "Harvest"})
	require.NoError(t, err)
	assert.Equal(t, "Harvest", sample.Sheet)
	assert.Greater(t, len(sample.Sheets), 2)
	assert.NotEmpty(t, sample.Merged)
}

// TestEmptySheets: of several sheets at once those with nothing in them are left out and told; one by itself is an error.
func TestEmptySheets(t *testing.T) {
	sheets := func(rows ...string) string {
		var content strings.Builder
		content.WriteString(`<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>`)
		for i, r := range rows {
			fmt.Fprintf(&content, `<table:table table:name="W%d">`, i+1)
			if r != "" {
				for _, c := range []string{"kilos", r} {
					content.WriteString(`<table:table-row><table:table-cell office:value-type="string"><text:p>` + c + `</text:p></table:table-cell></table:table-row>`)
				}
			}
			content.WriteString(`</table:table>`)
		}
		content.WriteString(`</office:spreadsheet></office:body></office:document-content>`)
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for _, part := range [][2]string{{"mimetype", "application/vnd.oasis.opendocument.spreadsheet"}, {"content.xml", content.String()}} {
			w, err := z.Create(part[0])
			require.NoError(t, err)
			_, err = w.Write([]byte(part[1]))
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		path := filepath.Join(t.TempDir(), "weeks.ods")
		require.NoError(t, os.WriteFile(path, b.Bytes(), 0o644))
		return path
	}
	for _, c := range []struct{ rows, want string }{
		{"1,,2,", "kilos/1/2"}, {",1", "kilos/1"}, {"1,", "kilos/1"}, {",,", "error: "}, {",", "error: "},
	} {
		got, notes := readPaths([]string{sheets(strings.Split(c.rows, ",")...)}, ReadOptions{Sheet: "W*"})
		if c.want == "error: " {
			assert.Contains(t, got, "the sheet is empty", c.rows)
			continue
		}
		assert.Equal(t, c.want, got, c.rows)
		assert.Contains(t, fmt.Sprint(notes), "left out: W", c.rows)
	}
	got, _ := readPaths([]string{sheets("1", "")}, ReadOptions{Sheet: "W2"})
	assert.Contains(t, got, "the sheet is empty")
	sample, err := SampleOf(sheets("1", "", "2"), ReadOptions{})
	require.NoError(t, err)
	require.Len(t, sample.Parts, 3)
	assert.Equal(t, []bool{false, true, false}, []bool{sample.Parts[0].Empty, sample.Parts[1].Empty, sample.Parts[2].Empty})
}
