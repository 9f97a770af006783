package run_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestHowATableIsHeld: steps that take cells by their places in a text, ask memory ahead or copy in blocks give the same of a table
// however it came: with either line end, with no last one, with every cell in quotes, or as JSON, which has no text to take places of.
func TestHowATableIsHeld(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(rt *rapid.T) {
		months := rapid.IntRange(1, 12).Draw(rt, "months")
		header := []string{"hive", "plants"}
		for m := range months {
			header = append(header, fmt.Sprintf("%d kilos", 2001+m), fmt.Sprintf("%d jars", 2001+m))
		}
		if rapid.Bool().Draw(rt, "measures first") {
			header = append(header[2:], header[:2]...)
		}
		number := rapid.SampledFrom([]string{"", "", "1", "2.50", "-3", "007", "12345678.125", strings.Repeat("9", 40)})
		text := rapid.SampledFrom([]string{"", "Vesk", "H-026", "lime;ivy", "lime; heather;x", strings.Repeat("y", 33), strings.Repeat("z", 70), "ñ"})
		rows := [][]string{header}
		for range rapid.SampledFrom([]int{0, 1, 7, 400}).Draw(rt, "rows") {
			var row []string
			for _, h := range header {
				if h[0] == '2' {
					row = append(row, number.Draw(rt, "number"))
				} else {
					row = append(row, text.Draw(rt, "text"))
				}
			}
			rows = append(rows, row)
		}
		lines := func(end string, cell func(string) string) string {
			var b strings.Builder
			for _, row := range rows {
				for i, c := range row {
					if i > 0 {
						b.WriteByte(',')
					}
					b.WriteString(cell(c))
				}
				b.WriteString(end)
			}
			return b.String()
		}
		as := func(c string) string { return c }
		texts := map[string]string{
			"crlf.csv":   lines("\r\n", as),
			"open.csv":   strings.TrimSuffix(lines("\n", as), "\n"),
			"quoted.csv": lines("\n", func(c string) string { return `"` + c + `"` }),
			"plain.csv":  lines("\n", as),
		}
		for name, text := range texts {
			require.NoError(rt, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		}
		read := "read %s --delimiter , --header 1\n"
		convert(rt, t, dir, fmt.Sprintf(read, "plain.csv")+"write held.ndjson --overwrite")
		steps := rapid.SampledFrom([]string{
			"unpivot '{year} {@:kilos|jars}'",
			"unpivot '{year} kilos' --value kilos",
			"unpivot '{year} {@:kilos|jars}' --skip-blank",
			"unpivot '{year} {@:kilos|jars}'\nsort kilos\nfields 'year,kilos'",
			"unpivot '{year} {@:jars|kilos}'\nexplode plants --at ;\nfirst 50",
			"explode plants --at ;",
			"explode plants --at ; --position n",
			"sort 'plants desc,hive'",
			"sort '2001 kilos desc'",
			"group --by hive --calc 'sum({2001 kilos})' --calc 'count()'",
			"pivot --down hive --across plants --cell 'sum({2001 jars})'",
			"pivot --down plants --across hive --cell 'count()' --order text",
		}).Draw(rt, "steps")
		want := ""
		for _, name := range []string{"held.ndjson", "plain.csv", "crlf.csv", "open.csv", "quoted.csv"} {
			from := fmt.Sprintf(read, name)
			if name == "held.ndjson" {
				if len(rows) == 1 { // no row says what the fields are
					continue
				}
				from = "read held.ndjson\n"
			}
			got := convert(rt, t, dir, from+steps+"\nwrite all.csv --overwrite")
			if want == "" {
				want = got
			}
			require.True(rt, want == got, "%s: %s: %s", name, steps, firstDifference(want, got))
		}
	})
}
