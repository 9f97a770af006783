// Package test runs the program as its users do: commands on files in a
// temporary folder, one story a script.
package test

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/testscript"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/cli"
)

func TestMain(m *testing.M) {
	testscript.Main(m, map[string]func(){
		"revuelta": func() { os.Exit(cli.Main(os.Args[1:], cli.Streams{In: os.Stdin, Out: os.Stdout, Err: os.Stderr})) },
	})
}

func TestScripts(t *testing.T) {
	testscript.Run(t, testscript.Params{
		Dir: "testdata/script",
		Setup: func(e *testscript.Env) error { // what is no plain text
			return os.WriteFile(filepath.Join(e.WorkDir, "utf16.csv"), []byte("\xff\xfea\x00,\x00b\x00\n\x00\xf1\x00,\x001\x00\n\x00"), 0o666)
		},
		Cmds: map[string]func(ts *testscript.TestScript, neg bool, args []string){
			"status": status,
			"leaves": leaves,
		},
	})
}

// status runs the program and compares its exit status: status 2 revuelta …
func status(ts *testscript.TestScript, neg bool, args []string) {
	err := ts.Exec(args[1], args[2:]...)
	got := "0"
	if err != nil {
		got = strings.TrimPrefix(err.Error(), "exit status ")
	}
	if got != args[0] {
		ts.Fatalf("exit status %s, wanted %s", got, args[0])
	}
}

// leaves checks that a folder holds just the files named: no temporary ones, none that a failed run began.
func leaves(ts *testscript.TestScript, neg bool, args []string) {
	entries, err := os.ReadDir(ts.MkAbs(args[0]))
	ts.Check(err)
	var names []string
	for _, e := range entries {
		names = append(names, e.Name())
	}
	if got, want := strings.Join(names, " "), strings.Join(args[1:], " "); got != want {
		ts.Fatalf("%s holds %s, wanted %s", args[0], got, want)
	}
}

// binary builds the program, the way it is delivered.
func binary(t *testing.T) string {
	path := filepath.Join(t.TempDir(), "revuelta")
	cmd := exec.Command("go", "build", "-trimpath", "-o", path, "./cmd/revuelta")
	cmd.Dir = ".."
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	return path
}

// slow gives a table a row at a time, for as long as it is read.
type slow struct{ sent int }

func (s *slow) Read(p []byte) (int, error) {
	if s.sent++; s.sent == 1 {
		return copy(p, "id,a,b\n"), nil
	}
	if s.sent > 40000 {
		time.Sleep(10 * time.Millisecond)
	}
	return copy(p, strings.Repeat("1,2,3\n", min(1000, len(p)/6))), nil
}

func TestInterruptLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "out.csv"), []byte("as it was\n"), 0o644))
	cmd := exec.Command(binary(t), "unpivot", "a,b", "-o", filepath.Join(dir, "out.csv"))
	stdin, err := cmd.StdinPipe()
	require.NoError(t, err)
	var stderr bytes.Buffer
	cmd.Stderr = &stderr
	require.NoError(t, cmd.Start())
	go func() {
		source, buf := &slow{}, make([]byte, 6000)
		for {
			n, _ := source.Read(buf)
			if _, err := stdin.Write(buf[:n]); err != nil {
				return
			}
		}
	}()
	require.Eventually(t, func() bool {
		entries, err := os.ReadDir(dir)
		return err == nil && len(entries) == 2 // the file to be, beside the one that is
	}, 20*time.Second, 5*time.Millisecond)
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	err = cmd.Wait()
	var exit *exec.ExitError
	require.ErrorAs(t, err, &exit)
	assert.Equal(t, 130, exit.ExitCode())
	assert.Contains(t, stderr.String(), "interrupted; no file was written or changed")
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, entries, 1)
	data, err := os.ReadFile(filepath.Join(dir, "out.csv"))
	require.NoError(t, err)
	assert.Equal(t, "as it was\n", string(data))
}

func TestClosedPipeEndsQuietly(t *testing.T) {
	cmd := exec.Command("sh", "-c", `"$0" unpivot a,b | head -n 2`, binary(t))
	cmd.Stdin = &limited{slow{}, 3000}
	var stdout, stderr bytes.Buffer
	cmd.Stdout, cmd.Stderr = &stdout, &stderr
	require.NoError(t, cmd.Run())
	assert.Equal(t, "id,label,value\n1,a,2\n", stdout.String())
	assert.Empty(t, stderr.String())
}

type limited struct {
	s    slow
	left int
}

func (l *limited) Read(p []byte) (int, error) {
	if l.left--; l.left < 0 {
		return 0, os.ErrClosed
	}
	return l.s.Read(p)
}

func TestFullDisk(t *testing.T) {
	if _, err := os.Stat("/dev/full"); err != nil {
		t.Skip("there is no /dev/full here")
	}
	path := binary(t)
	for _, args := range []string{"convert", "convert -o /dev/full"} {
		cmd := exec.Command("sh", "-c", `"$0" `+args+` > /dev/full`, path)
		cmd.Stdin = strings.NewReader("a,b\n1,2\n")
		var stderr bytes.Buffer
		cmd.Stderr = &stderr
		err := cmd.Run()
		var exit *exec.ExitError
		require.ErrorAs(t, err, &exit, args)
		assert.Equal(t, 3, exit.ExitCode(), args)
		assert.Contains(t, stderr.String(), "the disk is full", args)
	}
}
