package step_test

import (
	"encoding/csv"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/step"
	"revuelta/internal/step/steptest"
)

// TestLittleMemoryIsTheSame: the rows, their order, the books and the message are those
// of plenty of memory, for steps whose rows go to temporary files, of which none is left.
func TestLittleMemoryIsTheSame(t *testing.T) {
	temp := t.TempDir()
	other := filepath.Join(temp, "other.csv")
	require.NoError(t, os.Mkdir(filepath.Join(temp, "t"), 0o755))
	lines := []string{
		"group --by 'k,a' --calc 'count()' --calc 'sum(v)' --calc 'first(w)' --calc 'last(w) as l'",
		"group --by k --calc 'min(w)' --calc 'max(v)' --calc 'join(a, \"+\") as j' --calc 'mode(w) as m' --calc 'share(v) as s'",
		"group --by k --calc 'max(a)' --calc 'median(v)' --calc 'stdev(v) as d' --calc 'distinct(a) as n'",
		"group --by k --calc v",
		"group --by k --calc 'sum(v)' --calc 'join(w,\";\")' --each-row",
		"pivot --down k --across a --cell 'sum(v)' --cell 'mean(v) as m' --totals both",
		"pivot --down 'k,w' --across a --cell v",
		"pivot --down k --across a --cell 'first(w)' --expect x,y --others fold --empty -",
		"pivot --down k --across a --cell w --expect x,y --others fold",
		"pivot --down k --across a --cell 'sum(v)' --expect x,y,z",
		"pivot --down k --across a --cell 'share(v)' --order text --totals field --decimals 3",
		"pivot --across a --cell 'count()' --others drop --expect y",
		"pivot --down k --across a --cell 'sum(v)' --cell 'max(w)' --expect x,y --others drop --totals both",
		"join OTHER --on k --bring name",
		"join OTHER --on k --partners each --alone drop",
		"join OTHER --on k --partners first --alone error",
		"join OTHER --on k,a --when 'v > n' --partners each",
		"sort 'w, k desc'",
		"distinct --by 'k,a'",
	}
	for _, line := range lines {
		t.Run(line, func(t *testing.T) {
			rapid.Check(t, func(rt *rapid.T) {
				cells := func(values ...string) *rapid.Generator[string] { return rapid.SampledFrom(values) }
				in := steptest.Table{Names: []string{"k", "a", "v", "w"}}
				for range rapid.IntRange(0, 30).Draw(rt, "rows") {
					in.Rows = append(in.Rows, []string{
						cells("026", "26", "Vesk", "vesk", "", "H7", "H8", "a longer key").Draw(rt, "k"),
						cells("x", "y", "z", "", "z").Draw(rt, "a"),
						cells("1", "2.50", "", "-3", "1e2", "0.1", "0.1", "0.1").Draw(rt, "v"),
						cells("p", "q", "r", "2024-05-02", "").Draw(rt, "w"),
					})
				}
				if rapid.IntRange(0, 9).Draw(rt, "a fault") == 0 && len(in.Rows) > 0 {
					in.Rows[rapid.IntRange(0, len(in.Rows)-1).Draw(rt, "at")][2] = "12 kg"
				}
				f, err := os.Create(other)
				require.NoError(rt, err)
				w := csv.NewWriter(f)
				rows := [][]string{{"k", "a", "name", "n"}}
				for range rapid.IntRange(0, 8).Draw(rt, "others") {
					rows = append(rows, []string{cells("026", "Vesk", "H7", "7", "a longer key", "").Draw(rt, "their k"), cells("x", "y").Draw(rt, "their a"),
						cells("n1", "n2", "").Draw(rt, "name"), cells("0", "1").Draw(rt, "n")})
				}
				require.NoError(rt, w.WriteAll(rows))
				require.NoError(rt, f.Close())
				size := rapid.IntRange(1, 7).Draw(rt, "size")
				run := func(memory int64) (steptest.Table, step.Counters, string) {
					s, err := steptest.Made(strings.Replace(line, "OTHER", other, 1))
					require.NoError(rt, err)
					out, tally, err := steptest.RunAt(&step.Context{Step: "step", Resources: step.Resources{Memory: memory, Temp: filepath.Join(temp, "t")}}, s, in, size, steptest.Plain)
					tally.Values = nil
					if err != nil {
						return steptest.Table{}, step.Counters{}, err.Error()
					}
					return out, tally, ""
				}
				want, books, message := run(0)
				for _, memory := range []int64{1, 3000} {
					got, tally, said := run(memory)
					require.Equal(rt, message, said)
					require.Equal(rt, want, got)
					require.Equal(rt, books, tally)
				}
				left, err := os.ReadDir(filepath.Join(temp, "t"))
				require.NoError(rt, err)
				require.Empty(rt, left)
			})
		})
	}
}
