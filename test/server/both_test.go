package server

import (
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/cli"
)

// onServer rewrites a command so that its tables are those of a server: CSV files that are there, and standard input, are read from tables
// of their names, and what it writes goes to a table. It gives the table that standard output is to show.
func (d *database) onServer(args []string, in io.Reader) (rewritten []string, result string) {
	files := false
	result = fmt.Sprintf("result%d", databases.Add(1))
	for i := 0; i < len(args); i++ {
		a := args[i]
		switch text, err := os.ReadFile(filepath.Join(d.dir, a)); {
		case a == "-o":
			i++
			rewritten = append(rewritten, "-o", "postgres:#"+quoted(args[i]), "--as-text")
			result = ""
			continue
		case err == nil && strings.HasSuffix(a, ".csv"):
			d.store(a, string(text))
			a, files = "postgres:#"+a, true
		}
		rewritten = append(rewritten, a)
	}
	if !files {
		text, err := io.ReadAll(in)
		require.NoError(d.t, err)
		d.store("standard input", string(text))
		rewritten = append(rewritten, "postgres:#standard input")
	}
	if result != "" {
		rewritten = append(rewritten, "-o", "postgres:#"+result, "--as-text")
	}
	return rewritten, result
}

// both runs a command on the server, and gives what it wrote as text.
func (d *database) both(args []string, in io.Reader) (out, told string, status int) {
	args, result := d.onServer(args, in)
	out, told, status = d.run(args...)
	if status == 0 && result != "" && d.exists(result) {
		out += d.stored(result)
	}
	return out, told, status
}

// onlyHere are examples of help that can't have their tables on a server, with the reason.
var onlyHere = map[string]string{
	"stencil":   "it works on a sheet as it lies, which has no names of fields",
	"convert":   "what it shows are options of text",
	"diff":      "it writes no table",
	"look":      "it writes no table",
	"profile":   "it writes no table",
	"check":     "it writes no table",
	"trace":     "it writes no table",
	"functions": "it reads no table", "formats": "it reads no table", "help": "it reads no table", "demo": "it reads no table", "completion": "it reads no table", "editor": "it reads no table",
	"run": "its steps stand in an option",
}

// TestHelpExamples runs the example of every step with its tables read from the server and written there.
func TestHelpExamples(t *testing.T) {
	n := 0
	for name, examples := range cli.Examples() {
		if onlyHere[name] != "" {
			continue
		}
		for _, e := range examples {
			if e.Input == "" || strings.ContainsAny(e.Command, "|>") || strings.Contains(e.Command, "--set-aside") {
				continue
			}
			n++
			t.Run(name, func(t *testing.T) {
				t.Parallel()
				d := fresh(t)
				script := strings.TrimPrefix(e.Command, "revuelta ")
				words := shellWords(t, script)
				d.file(words[len(words)-1], e.Input)
				for other, text := range e.Others {
					d.file(other, text)
				}
				out, told, status := d.both(words, strings.NewReader(""))
				if status != 0 { // an example of what is refused; its message names a line
					assert.Contains(t, e.Output, "revuelta: ", told)
					return
				}
				assert.Equal(t, e.Output, out, "%s\n%s", e.Command, told)
			})
		}
	}
	require.Greater(t, n, 25)
}

// shellWords are the words of a command as the shell has them.
func shellWords(t *testing.T, line string) []string {
	out, err := exec.Command("sh", "-c", `printf '%s\0' `+line).Output()
	require.NoError(t, err)
	return strings.Split(strings.TrimSuffix(string(out), "\x00"), "\x00")
}

// TestCases runs cases of steps both ways, where they are there: REVUELTA_CASES names their folders, parted by colons. A case is a script
// with inputs, what it has to write and say, and its status.
func TestCases(t *testing.T) {
	folders := os.Getenv("REVUELTA_CASES")
	if folders == "" {
		t.Skip("REVUELTA_CASES names no folder of cases")
	}
	n := 0
	for _, folder := range strings.Split(folders, ":") {
		scripts, err := filepath.Glob(filepath.Join(folder, "*", "run"))
		require.NoError(t, err)
		for _, script := range scripts {
			n++
			from := filepath.Dir(script)
			t.Run(filepath.Base(folder)+"/"+filepath.Base(from), func(t *testing.T) {
				t.Parallel()
				caseOnServer(t, from)
			})
		}
	}
	require.Positive(t, n)
}

// caseOnServer runs a case whose program is one that asks this test to run it on the server.
func caseOnServer(t *testing.T, from string) {
	d := fresh(t)
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(from, name))
		if err != nil {
			return ""
		}
		return string(text)
	}
	entries, err := os.ReadDir(from)
	require.NoError(t, err)
	for _, e := range entries {
		if !e.IsDir() {
			d.file(e.Name(), read(e.Name()))
		}
	}
	script := regexp.MustCompile(`(?m)^revuelta|(\|\|? )revuelta`).ReplaceAllString(read("run"), "${1}asked")
	// The shell calls a function that leaves its words and input in a file, waits for an answer, and gives it out.
	const asked = `asked() {
  n=$(mktemp -d "$PWD/ask.XXXXXX"); : > "$n/in"
  if [ ! -t 0 ]; then cat > "$n/in"; fi
  for a; do printf '%s\0' "$a"; done > "$n/words"
  mv "$n/words" "$n/ready"
  while [ ! -e "$n/status" ]; do sleep 0.02; done
  cat "$n/out"; cat "$n/err" >&2
  return "$(cat "$n/status")"
}
`
	cmd := exec.Command("sh", "-c", asked+script)
	cmd.Dir = d.dir
	var out, told strings.Builder
	cmd.Stdout, cmd.Stderr = &out, &told
	require.NoError(t, cmd.Start())
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	for running := true; running; {
		select {
		case err = <-ended:
			running = false
		default:
			ready, _ := filepath.Glob(filepath.Join(d.dir, "ask.*", "ready"))
			for _, r := range ready {
				n := filepath.Dir(r)
				words, err := os.ReadFile(r)
				require.NoError(t, err)
				require.NoError(t, os.Remove(r))
				in, err := os.Open(filepath.Join(n, "in"))
				require.NoError(t, err)
				args := strings.Split(strings.TrimSuffix(string(words), "\x00"), "\x00")
				o, e, status := d.both(args, in)
				in.Close()
				for i, a := range args { // the script looks whether it was left behind
					if a == "-o" && d.exists(args[i+1]) {
						d.file(args[i+1], d.stored(args[i+1]))
					}
				}
				require.NoError(t, os.WriteFile(filepath.Join(n, "out"), []byte(o), 0o644))
				require.NoError(t, os.WriteFile(filepath.Join(n, "err"), []byte(e), 0o644))
				require.NoError(t, os.WriteFile(filepath.Join(n, "new"), []byte(strconv.Itoa(status)+"\n"), 0o644))
				require.NoError(t, os.Rename(filepath.Join(n, "new"), filepath.Join(n, "status")))
			}
		}
	}
	status := 0
	if exit, ok := err.(*exec.ExitError); ok {
		status = exit.ExitCode()
	}
	want, _ := strconv.Atoi(strings.TrimSpace(read("want.exit")))
	assert.Equal(t, want, status, told.String())
	if text := read("want.out"); text != "" {
		assert.Equal(t, text, out.String())
	}
	assert.NotContains(t, out.String(), "was left behind")
	said := strings.ToLower(told.String())
	for _, line := range strings.Split(strings.TrimSpace(strings.ToLower(read("want.err"))), "\n") {
		row := regexp.MustCompile(`line (\d+)`).ReplaceAllStringFunc(line, func(l string) string { // a line of the file, beneath its header
			n, _ := strconv.Atoi(strings.TrimPrefix(l, "line "))
			return "row " + strconv.Itoa(n-1)
		})
		assert.True(t, strings.Contains(said, line) || strings.Contains(said, row), "%s\nis not in\n%s", line, told.String())
	}
}
