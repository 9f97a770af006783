package test

import (
	"bytes"
	"flag"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/demo"
	"revuelta/internal/cli"
)

var update = flag.Bool("update", false, "write docs/reference.md anew")

// TestReference compares docs/reference.md with the descriptions it is made of.
func TestReference(t *testing.T) {
	path := filepath.Join("..", "docs", "reference.md")
	if *update {
		require.NoError(t, os.WriteFile(path, []byte(cli.Reference()), 0o644))
	}
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.True(t, cli.Reference() == string(got), "docs/reference.md is not what the descriptions say: go test ./test -run Reference -update writes it anew")
}

// shell runs a command line in a folder, with the program on PATH.
func shell(t *testing.T, bin, dir, line string) string {
	cmd := exec.Command("sh", "-c", line)
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "PATH="+filepath.Dir(bin)+string(os.PathListSeparator)+os.Getenv("PATH"))
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	_ = cmd.Run() // examples of errors fail; what they print is compared
	return seconds.ReplaceAllString(out.String(), "0.00 s")
}

var seconds = regexp.MustCompile(`\b[0-9]+\.[0-9]{2} s\b`)

// TestHelpExamples runs every example of the help and compares what it prints.
func TestHelpExamples(t *testing.T) {
	bin := binary(t)
	n := 0
	for name, examples := range cli.Examples() {
		require.NotEmpty(t, examples, name)
		for _, e := range examples {
			n++
			dir := t.TempDir()
			if e.Input == "" {
				assert.Equal(t, e.Output, shell(t, bin, dir, e.Command), "%s: %s", name, e.Command)
				continue
			}
			words := strings.Fields(e.Command)
			require.NoError(t, os.WriteFile(filepath.Join(dir, words[len(words)-1]), []byte(e.Input), 0o644))
			for name, text := range e.Others {
				require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
			}
			command := e.Command
			if !slices.Contains([]string{"check", "trace", "diff", "look", "profile"}, name) { // these give no account
				command += " --quiet"
			}
			assert.Equal(t, e.Output, shell(t, bin, dir, command), "%s: %s", name, e.Command)
		}
	}
	require.Greater(t, n, 6)
}

var console = regexp.MustCompile("(?s)```console\n(.*?)```")

// TestDocsExamples runs the commands of README and docs on the demo data and compares what they print.
func TestDocsExamples(t *testing.T) {
	bin := binary(t)
	pages, err := filepath.Glob("../docs/*.md")
	require.NoError(t, err)
	n := 0
	for _, page := range append(pages, "../README.md") {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		dir := t.TempDir()
		require.NoError(t, demo.Write(dir))
		for _, block := range console.FindAllStringSubmatch(string(text), -1) {
			for _, part := range strings.Split("\n"+block[1], "\n$ ")[1:] {
				line, want, _ := strings.Cut(part, "\n")
				n++
				assert.Equal(t, strings.TrimRight(seconds.ReplaceAllString(want, "0.00 s"), "\n"), strings.TrimRight(shell(t, bin, dir, line), "\n"), "%s: %s", page, line)
			}
		}
	}
	require.Greater(t, n, 4)
}

// TestDemo runs the demo twice: the second time its files are there already.
func TestDemo(t *testing.T) {
	bin, dir := binary(t), t.TempDir()
	first := shell(t, bin, dir, "revuelta demo")
	assert.Equal(t, first, shell(t, bin, dir, "revuelta demo"))
	for _, s := range demo.Scenes {
		assert.Contains(t, first, "$ "+s.Command)
	}
	assert.NotContains(t, first, "revuelta: ")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "revuelta-demo", demo.Files()[0]), []byte("mine\n"), 0o644))
	assert.Contains(t, shell(t, bin, dir, "revuelta demo"), "a file of this name with other contents is there")
}
