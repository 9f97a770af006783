package run_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/run"
)

// TestStages: how the steps of a plan are run, and which of them go through the workers together.
func TestStages(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte("a,b\n1,2\n"+strings.Repeat("3,4\n", 1000)), 0o644))
	for _, c := range []struct {
		steps  string
		memory int64
		want   string
	}{
		{"set 'c = a * 2'\nwhere 'c > 2'", 0, "1 set rows, 1 where rows"},
		{"fill a\nset 'c = a * 2'\nfill b", 0, "1 fill in order, 1 set rows, 1 fill whole"},
		{"distinct\nfill b", 0, "1 distinct in order, 1 fill whole"},
		{"distinct", 1000, "1 distinct whole"},
		{"where 'a > 2'\ndistinct", 1 << 30, "1 where rows, 1 distinct whole"}, // nothing is known of how many come
		{"group --by a --calc 'sum(b) as b'\nsort b\nset 'c = b'", 0, "1 group reduced, 2 sort whole, 3 set rows"},
		{"join in.csv --on a --bring b\nset 'c = a'", 0, "1 join rows in.csv, 1 set rows"},
		{"fill a\nmark m\nread @m\nfill b", 0, "1 fill in order, 1 mark whole, 2 fill in order"},
		{"mark m\nset 'b = 1'\njoin @m --on a --bring b", 0, "1 mark whole, 2 set rows, 2 join rows @m"},
		{"write tee.csv\nunpivot a,b", 0, "1 write whole, 2 unpivot rows"},
	} {
		p := program(t, dir, "read in.csv\n"+c.steps+"\nwrite out.csv")
		stages, err := run.Stages(p, run.Env{Memory: c.memory})
		require.NoError(t, err, c.steps)
		var got []string
		for _, s := range stages {
			name := strings.TrimSpace(fmt.Sprintf("%d %s %s %s", s.Section, s.Name, s.Kind, filepath.Base(s.LooksAt)))
			got = append(got, strings.TrimSuffix(name, " ."))
		}
		assert.Equal(t, c.want, strings.Join(got, ", "), c.steps)
	}
	_, err := run.Stages(program(t, dir, "read nope.csv\nwrite out.csv"), run.Env{})
	require.ErrorContains(t, err, "no such file")
}
