// Package test runs the program as its users do: commands on files in a
// temporary folder, one story a script.
package test

import (
	"bytes"
	"fmt"
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

// TestFilesThatFillUp: where a file can't grow any more, an output, a side file or one for rows that do not fit into memory, the
// message says which, no file is begun or changed, and no temporary one is left.
func TestFilesThatFillUp(t *testing.T) {
	path, dir := binary(t), t.TempDir()
	var b strings.Builder
	b.WriteString("id,note\n")
	for i := range 60000 {
		fmt.Fprintf(&b, "%d,a note that takes some room %d\n", i*7919%60000, i)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(b.String()), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "out.csv"), []byte("as it was\n"), 0o644))
	little := " --memory 1MiB --temp ."
	for args, told := range map[string]string{
		"convert in.csv -o out.csv":                                                              "out.csv: file too large",
		"convert in.csv -o new.csv.gz --write-as ndjson":                                         "new.csv.gz: file too large",
		"convert in.csv -o new.xlsx --temp .":                                                    "the folder for temporary files, .:",
		"convert in.csv -o 'new.db#t' --temp .":                                                  "the folder for temporary files, .:",
		"sort id in.csv -o out.csv" + little:                                                     "the folder for temporary files, .:",
		"distinct in.csv -o out.csv" + little:                                                    "file too large",
		"group --by id --calc 'count()' in.csv -o out.csv" + little:                              "file too large",
		"join in.csv --on id in.csv -o out.csv" + little:                                         "the folder for temporary files, .:",
		"run --step 'mark a' --step 'read @a' in.csv -o out.csv" + little:                        "the folder for temporary files, .:",
		"where 'id < 0' in.csv -o out.csv --left-out left.csv":                                   "left.csv: file too large",
		"run --step 'sort id' --step 'where \"note > 1\"' in.csv --set-aside aside.csv" + little: "the folder for temporary files, .:",
	} {
		cmd := exec.Command("sh", "-c", `ulimit -f 300; "$0" `+args, path)
		cmd.Dir = dir
		var stderr bytes.Buffer
		cmd.Stderr = &stderr
		err := cmd.Run()
		var exit *exec.ExitError
		require.ErrorAs(t, err, &exit, args)
		assert.Equal(t, 3, exit.ExitCode(), "%s: %s", args, stderr.String())
		assert.Contains(t, stderr.String(), told, args)
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		assert.Len(t, entries, 2, args)
		kept, err := os.ReadFile(filepath.Join(dir, "out.csv"))
		require.NoError(t, err)
		assert.Equal(t, "as it was\n", string(kept), args)
	}
}

// TestPipesAreTables: a table comes through a pipe with a name as it does from a file, as the first input and as a second one.
func TestPipesAreTables(t *testing.T) {
	path, dir := binary(t), t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.csv"), []byte("k,v\n1,x\n2,y\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "b.csv"), []byte("k;w\n2;q\n1;p\n"), 0o644))
	if out, err := exec.Command("mkfifo", filepath.Join(dir, "p")).CombinedOutput(); err != nil {
		t.Skip("there are no named pipes here: " + string(out))
	}
	for args, want := range map[string]string{
		"cat b.csv > p & %s join p --on k a.csv --quiet":                                        "k,v,w\n1,x,p\n2,y,q\n",
		"cat a.csv > p & %s join b.csv --on k p --quiet":                                        "k,v,w\n1,x,p\n2,y,q\n",
		"cat b.csv > p & %s append p a.csv --quiet":                                             "k,v,w\n1,x,\n2,y,\n2,,q\n1,,p\n",
		"cat b.csv > p & %s recode k --map p a.csv --quiet":                                     "k,v\np,x\nq,y\n",
		"cat a.csv > p & %s convert p b.csv --quiet":                                            "k,v,w\n1,x,\n2,y,\n2,,q\n1,,p\n",
		"cat a.csv | %s join b.csv --on k --quiet":                                              "k,v,w\n1,x,p\n2,y,q\n",
		"cat b.csv | %s join - --on k a.csv --quiet":                                            "k,v,w\n1,x,p\n2,y,q\n",
		"cat a.csv > p & %s run --step 'join b.csv --on k' --step 'where \"w == v\"' p --quiet": "k,v,w\n",
	} {
		cmd := exec.Command("sh", "-c", strings.Replace(args, "%s", path, 1)+"; status=$?; wait; exit $status")
		cmd.Dir = dir
		var stdout, stderr bytes.Buffer
		cmd.Stdout, cmd.Stderr = &stdout, &stderr
		require.NoError(t, cmd.Run(), "%s: %s", args, stderr.String())
		assert.Equal(t, want, stdout.String(), args)
		assert.Empty(t, stderr.String(), args)
	}
}
