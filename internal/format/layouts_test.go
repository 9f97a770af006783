package format

import (
	"bytes"
	"compress/gzip"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"pgregory.net/rapid"

	"revuelta/internal/table"
)

// TestOneTableInEveryLayout: a table written by encoding/csv is the same table however it is delimited, encoded, ended, packed, titled and
// annotated, and whoever opens it: the reader, or who looks at it.
func TestOneTableInEveryLayout(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(rt *rapid.T) {
		delimiter := rapid.SampledFrom([]rune{',', ';', '\t', '|'}).Draw(rt, "delimiter")
		encoded := rapid.SampledFrom([]string{"utf-8", "utf-8 with mark", "utf-16le", "utf-16be", "windows-1252"}).Draw(rt, "encoding")
		fields := rapid.IntRange(2, 5).Draw(rt, "fields")
		names := make([]string, fields)
		for i := range names {
			names[i] = fmt.Sprintf("%s %d", rapid.SampledFrom([]string{"kilos", "note, long", "Fèrl", "jars; full"}).Draw(rt, "name"), i)
		}
		var rows [][]string
		for range rapid.IntRange(1, 12).Draw(rt, "rows") {
			row := make([]string, fields)
			for i := range row {
				row[i] = rapid.SampledFrom([]string{"", "026", "1,5", "a;b", "x|y", "tab\there", `say "so"`, "two\nlines", "ñu", " x ", "-", "NA"}).Draw(rt, "cell")
			}
			if strings.Join(row, "") == "" {
				row[0] = "x" // else it is an empty line to some
			}
			rows = append(rows, row)
		}
		var text bytes.Buffer
		o := ReadOptions{Delimiter: byte(delimiter)}
		above := rapid.IntRange(0, 3).Draw(rt, "lines above")
		for i := range above {
			fmt.Fprintf(&text, "title %d\n", i)
		}
		if above > 0 {
			o.Header = Header{HeaderRows, above + 1, above + 1}
		} else if rapid.Bool().Draw(rt, "named row") {
			o.Header = Header{HeaderRows, 1, 1}
		}
		w := csv.NewWriter(&text)
		w.Comma, w.UseCRLF = delimiter, rapid.Bool().Draw(rt, "crlf") && !strings.Contains(fmt.Sprint(rows), "\n")
		require.NoError(rt, w.Write(names))
		require.NoError(rt, w.WriteAll(rows))
		if n := rapid.IntRange(0, 2).Draw(rt, "notes below"); n > 0 {
			for range n {
				text.WriteString("* a note below\n")
			}
			o.Foot = n
		}
		var e encoding.Encoding
		raw := text.Bytes()
		switch encoded {
		case "utf-8 with mark":
			raw = append([]byte("\uFEFF"), raw...)
		case "utf-16le":
			e = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
		case "utf-16be":
			e = unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
		case "windows-1252":
			e, o.Encoding = charmap.Windows1252, "windows-1252"
		}
		if e != nil {
			var err error
			raw, err = e.NewEncoder().Bytes(raw)
			require.NoError(rt, err)
		}
		name := "in.txt"
		if rapid.Bool().Draw(rt, "packed") {
			name = "in.csv.gz"
			var packed bytes.Buffer
			z := gzip.NewWriter(&packed)
			_, err := z.Write(raw)
			require.NoError(rt, err)
			require.NoError(rt, z.Close())
			raw = packed.Bytes()
		}
		path := filepath.Join(dir, name)
		require.NoError(rt, os.WriteFile(path, raw, 0o644))
		got, _ := readPaths([]string{path}, o)
		require.Equal(rt, asText(names, rows), got, "%s, %q", encoded, text.String())
		if o.Foot == 0 { // who looks finds notes by itself
			sample, err := SampleOf(path, o)
			require.NoError(rt, err)
			require.Equal(rt, names, sample.Names)
			require.Equal(rt, byte(delimiter), sample.Delimiter)
		}
	})
}

// TestFilesBecomeOneTable: files with fields in any order and number are one table: each cell under its name, blank where a file lacks the field,
// rows in the order of the files.
func TestFilesBecomeOneTable(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(rt *rapid.T) {
		var paths, names []string
		at := map[string]bool{}
		var all []map[string]string
		for i := range rapid.IntRange(1, 4).Draw(rt, "files") {
			fields := rapid.Permutation([]string{"a", "b", "c", "d"}).Draw(rt, "fields")[:rapid.IntRange(2, 4).Draw(rt, "of them")]
			for _, f := range fields {
				if !at[f] {
					at[f], names = true, append(names, f)
				}
			}
			delimiter := rapid.SampledFrom([]string{",", ";"}).Draw(rt, "delimiter")
			text := strings.Join(fields, delimiter) + "\n"
			for r := range rapid.IntRange(0, 4).Draw(rt, "rows") {
				row := map[string]string{}
				var cells []string
				for _, f := range fields {
					row[f] = fmt.Sprint(f, i, r)
					cells = append(cells, row[f])
				}
				all, text = append(all, row), text+strings.Join(cells, delimiter)+"\n"
			}
			path := filepath.Join(dir, fmt.Sprintf("f%d.csv", i))
			require.NoError(rt, os.WriteFile(path, []byte(text), 0o644))
			paths = append(paths, path)
		}
		var rows [][]string
		for _, r := range all {
			var row []string
			for _, n := range names {
				row = append(row, r[n])
			}
			rows = append(rows, row)
		}
		got, _ := readPaths(paths, ReadOptions{})
		require.Equal(rt, asText(names, rows), got)
		src, err := Open(paths, ReadOptions{Source: "file"})
		require.NoError(rt, err)
		defer src.Close()
		require.Equal(rt, append(names, "file"), src.Schema().Names())
		read := 0
		require.NoError(rt, Each(src, func(b *table.Batch) error {
			require.NoError(rt, b.Validate())
			for r := range b.Rows {
				require.Equal(rt, paths[b.Origin.FileOf(r)], b.Cols[len(names)].At(r))
				read++
			}
			return nil
		}))
		require.Equal(rt, len(all), read)
	})
}
