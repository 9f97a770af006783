package run_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"revuelta/internal/run"
)

// TestWholeOutputs: what is written at the end comes back the same for any number of workers, in every such format.
func TestWholeOutputs(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(large(6000)), 0o644))
	for _, name := range []string{"out.xlsx", "out.ods", "out.parquet", "out.db#rows"} {
		for _, workers := range []int{1, 3} {
			_, err := run.Run(t.Context(), program(t, dir, "read in.csv\nwrite '"+name+"' --overwrite\nwhere 'id > \"H00100\"'\nwrite rest.csv"), run.Env{Workers: workers})
			require.NoError(t, err)
			_, err = run.Run(t.Context(), program(t, dir, "read '"+name+"'\nwrite back.csv"), run.Env{Workers: workers})
			require.NoError(t, err)
			want, err := os.ReadFile(filepath.Join(dir, "in.csv"))
			require.NoError(t, err)
			got, err := os.ReadFile(filepath.Join(dir, "back.csv"))
			require.NoError(t, err)
			require.Equal(t, len(want), len(got), name)
			require.True(t, string(want) == string(got), name)
		}
	}
}
