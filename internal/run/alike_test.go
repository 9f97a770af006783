package run_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/run"
)

// faulty are steps that some rows do not fit.
var faulty = []string{
	"set 'twice = {June kilos} * 2'", "where 'note > 3'", "cast note number", "cast 'May kilos' number --decimal ,", "split note 'note {n:#}'", "split forage --at ';' --into a,b",
	"explode forage --json", "set 'rest = 10 / ({May kilos} % 3)'", "recode apiary 'Vesk=V' --others error", "group --by apiary --calc 'sum(note)'", "pivot --across apiary --cell 'max(note)'",
	"number n --when 'note > 1'", "join other.csv --on id --alone error --partners first", "unpivot '{m} kilos' --value kilos --skip-blank", "distinct --by apiary", "set 'k = {May kilos} ?? (note * 2)'",
	"pivot --down id --across apiary --cell 'count()' --expect 'Vesk,Tamro' --others drop", "recode apiary --map map.csv", "append other.csv",
}

// TestAllWaysAreAlike: whatever is asked, the table, the rows set aside and left out, in order, the books and the message
// do not depend on the number of workers nor on the memory.
func TestAllWaysAreAlike(t *testing.T) {
	dir, temp := t.TempDir(), t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	var other strings.Builder
	other.WriteString("id,size,keeper\n")
	for i := range 40 {
		fmt.Fprintf(&other, "H%d,%d,keeper %d\n", i, i*7, i%5)
	}
	require.NoError(t, os.WriteFile(path("other.csv"), []byte(other.String()), 0o644))
	require.NoError(t, os.WriteFile(path("map.csv"), []byte("old,new\nVesk,V\n"), 0o644))
	fail := 0
	rapid.Check(t, func(rt *rapid.T) {
		rows := rapid.SampledFrom([]int{3, 50, 1200, 3500}).Draw(rt, "rows")
		require.NoError(rt, os.WriteFile(path("in.csv"), []byte(table(rt, rows, "\n")), 0o644))
		steps := rapid.Permutation(append(rapid.SliceOfNDistinct(rapid.SampledFrom(links), 0, 2, rapid.ID).Draw(rt, "steps"),
			rapid.SliceOfNDistinct(rapid.SampledFrom(faulty), 1, 2, rapid.ID).Draw(rt, "faulty")...)).Draw(rt, "order")
		aside := rapid.Bool().Draw(rt, "aside")
		type outcome struct{ table, aside, left, books, fault string }
		var first outcome
		for i, way := range []struct {
			workers int
			memory  int64
		}{{1, 0}, {3, 0}, {2, 150 << 10}} {
			for _, name := range []string{"out.csv", "aside.csv", "left.csv"} {
				_ = os.Remove(path(name))
			}
			env := run.Env{Workers: way.workers, Memory: way.memory, Temp: temp, LeftOut: path("left.csv")}
			if aside {
				env.Aside = path("aside.csv")
			}
			account, err := run.Run(t.Context(), program(t, dir, "read in.csv --delimiter , --header 1\n"+strings.Join(steps, "\n")+"\nwrite out.csv"), env)
			account.Seconds = 0
			var got outcome
			if err != nil {
				got.fault, got.books = err.Error(), string(account.JSON())
				_, there := os.Stat(path("out.csv"))
				require.Error(rt, there, "a failed run wrote its file")
			} else {
				for i := range account.Steps { // which field keeps rows apart is not told of keys that lie in files
					account.Steps[i].Notes = slices.DeleteFunc(account.Steps[i].Notes, func(n string) bool { return strings.HasPrefix(n, "no two rows came together") })
				}
				got.books = string(account.JSON())
			}
			for name, to := range map[string]*string{"out.csv": &got.table, "aside.csv": &got.aside, "left.csv": &got.left} {
				b, _ := os.ReadFile(path(name))
				*to = string(b)
			}
			if i == 0 {
				if first = got; err != nil {
					fail++
				}
				continue
			}
			require.Equal(rt, first.fault, got.fault, "%d workers, %d bytes: %q", way.workers, way.memory, steps)
			if way.memory > 0 { // rows of several steps may stand in another order then
				for _, rows := range []*string{&first.aside, &got.aside, &first.left, &got.left} {
					lines := strings.Split(*rows, "\n")
					slices.Sort(lines)
					*rows = strings.Join(lines, "\n")
				}
			}
			for _, pair := range [][3]string{{"table", first.table, got.table}, {"set aside", first.aside, got.aside}, {"left out", first.left, got.left}, {"books", first.books, got.books}} {
				require.True(rt, pair[1] == pair[2], "%s, %d workers, %d bytes: %q: %s", pair[0], way.workers, way.memory, steps, firstDifference(pair[1], pair[2]))
			}
			left, err := os.ReadDir(temp)
			require.NoError(rt, err)
			require.Empty(rt, left)
		}
	})
	t.Logf("%d runs failed", fail)
}
