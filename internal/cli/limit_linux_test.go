package cli

import (
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// TestLimitsLowerMemory: the least of the limits that hold for the process bounds what steps may take, asked for or not.
func TestLimitsLowerMemory(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
		return path
	}
	write("memory.max", "max\n")
	write("a/memory.max", "3000\n")
	write("a/b/memory.max", "5000\n")
	write("memory/memory.limit_in_bytes", "9223372036854771712\n")
	write("memory/x/memory.limit_in_bytes", "700\n")
	for groups, want := range map[string]int64{"0::/a/b\n": 3000, "0::/\n": 0, "4:memory:/x\n0::/a\n": 700, "4:cpu,memory:/\n": 0, "1:cpu:/x\n": 0, "0::/not/there\n": 0, "": 0, "no group\n": 0} {
		assert.Equal(t, want, groupLimit(write("cgroup", groups), dir), groups)
	}
	assert.Zero(t, groupLimit(filepath.Join(dir, "none"), dir))
	assert.EqualValues(t, 8_000_000<<10, machineMemory(write("meminfo", "MemFree: 1 kB\nMemTotal:  8000000 kB\n")))
	assert.Zero(t, machineMemory(filepath.Join(dir, "none")))

	free, err := memoryLimit("")
	require.NoError(t, err)
	var was unix.Rlimit
	require.NoError(t, unix.Getrlimit(unix.RLIMIT_DATA, &was))
	lower := unix.Rlimit{Cur: uint64(taken(false)) + toCome + 200<<20, Max: was.Max}
	require.NoError(t, unix.Setrlimit(unix.RLIMIT_DATA, &lower))
	defer func() { require.NoError(t, unix.Setrlimit(unix.RLIMIT_DATA, &was)) }()
	for _, asked := range []string{"", "64GiB"} {
		size, err := memoryLimit(asked)
		require.NoError(t, err)
		assert.InDelta(t, 100<<20, size, 60<<20, asked)
		assert.Less(t, size, max(free, math.MaxInt32))
	}
	size, err := memoryLimit("4MiB")
	require.NoError(t, err)
	assert.EqualValues(t, 4<<20, size, "less may be asked for")
}
