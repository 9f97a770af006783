package run_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/run"
)

// TestTheAccountAddsUp: in any run the rows that leave a step are those that came, made, merged, left out and set aside; they are those the next one gets; and what was
// read, written, left out and set aside is what stands in the files.
func TestTheAccountAddsUp(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	var other strings.Builder
	other.WriteString("id,size,keeper\n")
	for i := range 40 {
		fmt.Fprintf(&other, "H%d,%d,keeper %d\n", i, i*7, i%5)
	}
	require.NoError(t, os.WriteFile(path("other.csv"), []byte(other.String()), 0o644))
	require.NoError(t, os.WriteFile(path("map.csv"), []byte("old,new\nVesk,V\n"), 0o644))
	ran, left, aside := 0, int64(0), int64(0)
	rapid.Check(t, func(rt *rapid.T) {
		rows := rapid.SampledFrom([]int{1, 60, 900}).Draw(rt, "rows")
		require.NoError(rt, os.WriteFile(path("in.csv"), []byte(table(rt, rows, "\n")), 0o644))
		steps := rapid.Permutation(append(rapid.SliceOfNDistinct(rapid.SampledFrom(links), 0, 3, rapid.ID).Draw(rt, "steps"),
			rapid.SliceOfNDistinct(rapid.SampledFrom(faulty), 0, 2, rapid.ID).Draw(rt, "faulty")...)).Draw(rt, "order")
		for _, name := range []string{"out.csv", "aside.csv", "left.csv"} {
			_ = os.Remove(path(name))
		}
		env := run.Env{Workers: rapid.IntRange(1, 3).Draw(rt, "workers"), Aside: path("aside.csv"), LeftOut: path("left.csv")}
		a, err := run.Run(t.Context(), program(t, dir, "read in.csv --delimiter , --header 1\n"+strings.Join(steps, "\n")+"\nwrite out.csv"), env)
		if err != nil {
			require.NotContains(rt, err.Error(), "do not balance")
			return
		}
		ran++
		require.Len(rt, a.Read(), 1+strings.Count(strings.Join(steps, "\n"), "read @m"))
		require.Len(rt, a.Inputs, len(a.Read())+strings.Count(strings.Join(steps, "\n"), "other.csv")+strings.Count(strings.Join(steps, "\n"), "map.csv"))
		flowing := a.Inputs[0].Rows
		require.EqualValues(rt, rows, flowing)
		leftOut, setAside := int64(0), int64(0)
		for _, s := range a.Steps {
			require.Equal(rt, flowing, s.RowsIn, "%s of %q", s.Step, steps)
			require.Equal(rt, s.RowsIn+s.Made-s.Merged-s.LeftOut-s.SetAside, s.RowsOut, "%s of %q", s.Step, steps)
			reasons := int64(0)
			for _, r := range s.Reasons {
				require.NotEmpty(rt, r.Text)
				reasons += r.Count
			}
			require.Equal(rt, s.LeftOut+s.SetAside, reasons, "every row that left has a reason: %s of %q", s.Step, steps)
			if c := s.Cells; c != nil {
				require.Equal(rt, c.In-c.LeftOut, c.Out, "%s of %q", s.Step, steps)
			}
			flowing, leftOut, setAside = s.RowsOut, leftOut+s.LeftOut, setAside+s.SetAside
		}
		for _, o := range a.Outputs {
			text := records(rt, o.Name)
			if o.Fields == 0 { // a pivot of no rows: its header is an empty line, which is no record
				require.Zero(rt, o.Rows)
				require.Empty(rt, text)
				continue
			}
			require.EqualValues(rt, o.Rows, len(text)-1, "%s of %q", o.Name, steps)
			require.Equal(rt, o.Fields, len(text[0]))
			switch filepath.Base(o.Name) {
			case "out.csv":
				require.Equal(rt, flowing, o.Rows)
				require.Equal(rt, o.Names, text[0])
			case "aside.csv":
				require.Equal(rt, setAside, o.Rows, "%q", steps)
			case "left.csv":
				require.Equal(rt, leftOut, o.Rows, "%q", steps)
			}
		}
		left, aside = left+leftOut, aside+setAside
	})
	t.Logf("%d runs, %d rows left out, %d set aside", ran, left, aside)
	if !testing.Short() {
		require.Positive(t, aside)
		require.Positive(t, left)
	}
}
