package test

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// heard is what a program that still runs has written.
type heard struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (h *heard) Write(p []byte) (int, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.text.Write(p)
}

func (h *heard) has(what string) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return bytes.Contains(h.text.Bytes(), []byte(what))
}

// TestTraceWatches: the plan is drawn anew when it or a file it reads is saved, in place or by renaming, a fault is told and waited for,
// and an interrupt ends it.
func TestTraceWatches(t *testing.T) {
	bin, dir := binary(t), t.TempDir()
	save := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name+".new"), []byte(text), 0o644))
		require.NoError(t, os.Rename(filepath.Join(dir, name+".new"), filepath.Join(dir, name)))
	}
	save("hives.csv", "apiary,kilos\nVesk,1\n,2\n")
	save("sites.csv", "apiary,region\nVesk,north\n")
	save("p.plan", "read hives.csv\nfill apiary\njoin sites.csv --on apiary\n")
	cmd := exec.Command(bin, "trace", "p.plan", "--watch")
	cmd.Dir = dir
	out, told := &heard{}, &heard{}
	cmd.Stdout, cmd.Stderr = out, told
	require.NoError(t, cmd.Start())
	soon := func(h *heard, what string) {
		require.Eventually(t, func() bool { return h.has(what) }, 20*time.Second, 10*time.Millisecond, "%s: %s %s", what, &out.text, &told.text)
	}
	soon(out, "north")
	time.Sleep(300 * time.Millisecond) // until the folder is watched
	save("sites.csv", "apiary,region\nVesk,south\n")
	soon(out, "sites.csv was saved")
	soon(out, "south")
	save("p.plan", "read hives.csv\nfill apiarie\n")
	soon(told, `did you mean "apiary"?`)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "p.plan"), []byte("read hives.csv\nset 'jars = kilos * 2'\n"), 0o644))
	soon(out, "+jars")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "hives.csv"), []byte("apiary,kilos\nVesk,21\n"), 0o644))
	soon(out, "42")
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	err := cmd.Wait()
	var ended *exec.ExitError
	require.ErrorAs(t, err, &ended)
	assert.Equal(t, 130, ended.ExitCode())
	status, _, why := program(t, "trace --step 'fill a' --watch -")
	assert.Equal(t, 2, status)
	assert.Contains(t, why, "standard input can't be watched")
}
