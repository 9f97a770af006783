package run_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"revuelta/internal/inspect"
	"revuelta/internal/run"
)

// TestCountsOutliveTheText: what is counted by its text is right where the text was read in many
// pieces, each of which takes the place of an earlier one.
func TestCountsOutliveTheText(t *testing.T) {
	dir := t.TempDir()
	var b strings.Builder
	b.WriteString("k,v,w\n")
	const rows = 300_000 // more than the megabyte that is held from the beginning
	for i := range rows {
		fmt.Fprintf(&b, "key %d,value %d,%d\n", i%3, i%41, i%7)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(b.String()), 0o644))
	for _, workers := range []int{1, 2} {
		_, err := run.Run(t.Context(), program(t, dir, "read in.csv\ngroup --by k --calc 'distinct(v) as d' --calc 'mode(w) as m' --calc 'mode(v) as o'\nwrite out.csv"), run.Env{Workers: workers})
		require.NoError(t, err)
		got, err := os.ReadFile(filepath.Join(dir, "out.csv"))
		require.NoError(t, err)
		require.Equal(t, "k,d,m,o\nkey 0,41,0,value 0\nkey 1,41,1,value 1\nkey 2,41,2,value 2\n", string(got))

		p := &inspect.Profile{}
		read := program(t, dir, "read in.csv\nwrite out.csv").Items[0]
		_, err = run.Run(t.Context(), &run.Program{Items: []any{read, &run.Apply{Name: "profile", Step: p}}}, run.Env{Workers: workers})
		require.NoError(t, err)
		require.EqualValues(t, []int64{3, 41, 7}, []int64{p.Out[0].Distinct, p.Out[1].Distinct, p.Out[2].Distinct})
		require.Equal(t, []inspect.Common{{Value: "key 0", Count: 100000}, {Value: "key 1", Count: 100000}, {Value: "key 2", Count: 100000}}, p.Out[0].Common)
		require.Equal(t, [3]float64{1, 3, 5}, p.Out[2].Quartiles)
	}
}
