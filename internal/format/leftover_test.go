//go:build linux

package format

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestLeftovers: a new output takes away what nobody holds any more, and nothing else: not what another run is writing, nor other
// people's files.
func TestLeftovers(t *testing.T) {
	dir := t.TempDir()
	target := filepath.Join(dir, "h*ney[1].csv")
	stays := []string{".h*ney[1].csv.0123456789xy.part", ".h*ney[1].csv.0123.part", ".honey1.csv.0123456789ab.part", "h*ney[1].csv.0123456789ab.part", ".h*ney[1].csv.0123456789ab"}
	for _, name := range append(stays, ".h*ney[1].csv.0123456789ab.part") {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("x"), 0o600))
	}
	first, err := Create(target)
	require.NoError(t, err)
	second, err := Create(target)
	require.NoError(t, err)
	for _, name := range stays {
		assert.FileExists(t, filepath.Join(dir, name))
	}
	assert.NoFileExists(t, filepath.Join(dir, ".h*ney[1].csv.0123456789ab.part"))
	_, err = first.Write([]byte("first"))
	require.NoError(t, err)
	require.NoError(t, first.Finish())
	third, err := Create(target) // while the first is finished, and has not taken its place
	require.NoError(t, err)
	require.NoError(t, first.Commit())
	second.Abort()
	require.NoError(t, third.Finish())
	third.Abort()
	held, err := os.ReadFile(target)
	require.NoError(t, err)
	assert.Equal(t, "first", string(held))
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, left, len(stays)+1)
}
