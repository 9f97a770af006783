package run_test

import (
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/run"
)

// TestLookingAgreesWithRunning: what check says of the fields, trace of the rows, --limit of the first ones and a
// comparison with the run before is what the run does, for chains of steps of all kinds.
func TestLookingAgreesWithRunning(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.WriteFile(path("other.csv"), []byte("id,size,keeper\nH1,5,Ines\nH2,7,Tom\nH2,8,Ada\n"), 0o644))
	ran, open := 0, 0
	rapid.Check(t, func(rt *rapid.T) {
		rows := rapid.SampledFrom([]int{1, 30, 900}).Draw(rt, "rows")
		require.NoError(rt, os.WriteFile(path("in.csv"), []byte(table(rt, rows, "\n")), 0o644))
		steps := rapid.SliceOfNDistinct(rapid.SampledFrom(links), 1, 4, rapid.ID).Draw(rt, "steps")
		text := "read in.csv --delimiter , --header 1\n" + strings.Join(steps, "\n")
		_ = os.Remove(path("out.csv"))
		account, err := run.Run(t.Context(), program(t, dir, text+"\nwrite out.csv"), run.Env{Workers: 2})

		checked, wrong := run.Check(t.Context(), program(t, dir, text), run.Env{})
		if err != nil {
			return // check may have told why, or the rows decide
		}
		ran++
		require.NoError(rt, wrong, "check refuses what runs: %q", steps)
		got := records(rt, path("out.csv"))
		last := checked[len(checked)-1]
		if last.Open {
			open++
		} else {
			require.Equal(rt, got[0], last.Names, "%q", steps)
		}

		traced, err := run.Trace(t.Context(), program(t, dir, text), run.Env{Workers: 2}, 7, nil)
		require.NoError(rt, err)
		end := traced[len(traced)-1]
		require.Equal(rt, got[0], end.Names, "%q", steps)
		require.EqualValues(rt, len(got)-1, end.Total, "%q", steps)
		require.Equal(rt, got[1:min(len(got), 8)], append([][]string{}, end.Rows...), "%q", steps)

		again, err := run.Run(t.Context(), program(t, dir, text+"\nwrite again.csv"), run.Env{Workers: 1})
		require.NoError(rt, err)
		require.Equal(rt, got, records(rt, path("again.csv")))
		require.NoError(rt, os.WriteFile(path("books.json"), account.JSON(), 0o644))
		before, err := run.ReadAccount(path("books.json"))
		require.NoError(rt, err)
		for i := range again.Outputs {
			again.Outputs[i].Name = before.Outputs[i].Name
		}
		require.Empty(rt, again.Since(before), "%q", steps)
	})
	t.Logf("%d chains ran, the fields of %d were known only then", ran, open)
	if !testing.Short() {
		require.Greater(t, ran, 10)
	}
}

// TestLimitIsTheFirstRows: as many rows as that are read, of one file or of several, whatever comes behind.
func TestLimitIsTheFirstRows(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	rapid.Check(t, func(rt *rapid.T) {
		var all [][]string
		var files []string
		for f := range rapid.IntRange(1, 3).Draw(rt, "files") {
			var b strings.Builder
			b.WriteString("n,file\n")
			for r := range rapid.SampledFrom([]int{0, 1, 5, 9000}).Draw(rt, "rows") {
				all = append(all, []string{fmt.Sprint(r), fmt.Sprint(f)})
				fmt.Fprintf(&b, "%d,%d\n", r, f)
			}
			files = append(files, fmt.Sprintf("in%d.csv", f))
			require.NoError(rt, os.WriteFile(path(files[f]), []byte(b.String()), 0o644))
		}
		limit := rapid.IntRange(1, 12000).Draw(rt, "limit")
		read := "read " + strings.Join(files, " ")
		for _, behind := range []string{"", "\nnumber k", "\nsort file\nnumber k", "\nwhere 'file >= 0'\nfill n\nset 'm = n + 1'"} {
			account, err := run.Run(t.Context(), program(t, dir, fmt.Sprintf("%s --limit %d%s\nwrite out.csv", read, limit, behind)), run.Env{Workers: 2})
			require.NoError(rt, err)
			got := records(rt, path("out.csv"))[1:]
			require.Len(rt, got, min(limit, len(all)), behind)
			for i, row := range got {
				require.Equal(rt, all[i], row[:2])
				if strings.HasSuffix(behind, "number k") {
					require.Equal(rt, fmt.Sprint(i+1), row[2])
				}
			}
			require.EqualValues(rt, len(got), account.Outputs[0].Rows)
		}
	})
}

// records reads a file with encoding/csv.
func records(tb require.TestingT, path string) [][]string {
	f, err := os.Open(path)
	require.NoError(tb, err)
	defer f.Close()
	r := csv.NewReader(f)
	r.FieldsPerRecord = -1
	all, err := r.ReadAll()
	require.NoError(tb, err)
	return all
}
