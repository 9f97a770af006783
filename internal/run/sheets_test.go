package run_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/run"
)

// TestSheetsAreReadAsTextIs: a grid of cells gives the same table, and the same error, whether it stands in a text or in a sheet.
func TestSheetsAreReadAsTextIs(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	numbers := []string{"1", "2.50", "026", "", "NA"}
	words := []string{"Vesk", "Tamro", "kilos", "May", "", "a note of several words", "* star", "x"}
	rapid.Check(t, func(rt *rapid.T) {
		of := func(values ...string) string { return rapid.SampledFrom(values).Draw(rt, "of") }
		wide := rapid.IntRange(2, 4).Draw(rt, "wide")
		var first []string
		for i := range wide {
			first = append(first, fmt.Sprint("first ", i))
		}
		grid := [][]string{first}
		for range rapid.IntRange(0, 9).Draw(rt, "rows") {
			row := make([]string, wide)
			switch of("data", "data", "words", "alone", "blank") {
			case "data":
				row[0] = of(words...)
				for i := 1; i < wide; i++ {
					row[i] = of(numbers...)
				}
			case "words":
				for i := range row {
					row[i] = of(words...)
				}
			case "alone":
				row[0] = of(words...)
			}
			grid = append(grid, row)
		}
		for strings.Join(grid[len(grid)-1], "") == "" { // a sheet ends with what stands in it
			grid = grid[:len(grid)-1]
		}
		var text, source strings.Builder
		for _, row := range grid {
			line := strings.Join(row, ",")
			source.WriteString(line + "\n")
			if short := strings.TrimRight(line, ","); short != "" {
				line = short
			} // a row of blanks is one in a sheet too
			text.WriteString(line + "\n")
		}
		require.NoError(rt, os.WriteFile(path("in.csv"), []byte(text.String()), 0o644))
		require.NoError(rt, os.WriteFile(path("source.csv"), []byte(source.String()), 0o644))
		options := of("", " --header 1", " --header 2", " --header 3", " --header 2-3", " --header none", " --header auto") + of("", "", " --body 3", " --body 5") +
			of("", "", " --foot 1", " --foot 2", " --foot auto") + of("", " --blank NA") + of("", " --limit 2") + of("", " --header-join _")
		for _, row := range []int{1, 2, 3} { // a header of commas names fields in text, and none in a sheet
			if strings.Contains(options, "--header "+strconv.Itoa(row)) && (row > len(grid) || strings.Join(grid[row-1], "") == "") || strings.Contains(options, "2-3") && len(grid) > 2 && strings.Join(grid[2], "") == "" {
				return
			}
		}
		if strings.Contains(options, "--header none") && slices.ContainsFunc(grid, func(row []string) bool { return strings.Join(row, "") == "" }) {
			return // nor does a row of blanks tell there how wide it is
		}
		table := func(from string) (string, string) {
			_ = os.Remove(path("all.csv"))
			books, err := run.Run(t.Context(), program(t, dir, "read '"+from+"'"+options+"\nwrite all.csv"), run.Env{Workers: 1})
			if err != nil {
				return "error", strings.NewReplacer(path(from), "IN", from, "IN").Replace(err.Error())
			}
			got, err := os.ReadFile(path("all.csv"))
			require.NoError(rt, err)
			var notes []string
			for _, n := range books.Inputs[0].Notes {
				// A sheet does not tell blank cells from none, and lines above the foot count as its own or not.
				if !strings.Contains(n, "shorter than the header") && !(strings.Contains(n, "empty line") && strings.Contains(options, "--foot")) && !(strings.Contains(n, "at the foot") && strings.Contains(options, "--limit")) {
					notes = append(notes, n)
				}
			}
			return string(got), strings.Join(notes, "; ")
		}
		want, notes := table("in.csv")
		for _, book := range []string{"book.xlsx", "book.ods"} {
			convert(rt, t, dir, "read source.csv --delimiter , --header 1\nwrite "+book)
			got, told := table(book)
			require.Equal(rt, want, got, "%s%s: %s; %s\n%s", book, options, notes, told, source.String())
			if want != "error" {
				require.Equal(rt, notes, told, "%s%s\n%s", book, options, source.String())
			}
		}
	})
}
