package test

import (
	"bytes"
	"encoding/json"
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

// TestEditors compares the syntax descriptions in docs/editors with those that the program writes, has an editor read the one, and
// colours a plan by the other.
func TestEditors(t *testing.T) {
	for name, s := range cli.Syntax() {
		path := filepath.Join("..", "docs", "editors", s.Path)
		if *update {
			require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
			require.NoError(t, os.WriteFile(path, []byte(s.Text), 0o644))
		}
		got, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, s.Text, string(got), "%s is not what the descriptions say: go test ./test -run Editors -update writes it anew", path)
		_, out, _ := program(t, "editor "+name)
		assert.Equal(t, s.Text, out)
	}
	plan := "# Harvest\nread harvest.csv --blank 'NA'\nunpivot '{month} {@}' --skip-blank # fold\nset 'x = round(kilos, 1) and p'\npivot --nosuch ${month} @stages\n"
	wants := map[string]string{ // a text of the plan, and what it is
		"# Harvest": "comment", "read": "keyword", "--blank": "entity", "'NA'": "string", "{month}": "variable.parameter", "--skip-blank": "entity", "# fold": "comment", "round": "support", "--nosuch": "invalid", "${month}": "variable.other", "@stages": "constant.other",
	}
	t.Run("grammar", func(t *testing.T) {
		type rule struct {
			Name, Match, Begin, End string
			Patterns                []rule
		}
		var g struct{ Patterns []rule }
		require.NoError(t, json.Unmarshal([]byte(cli.Syntax()["grammar"].Text), &g))
		scopes := func(text string) (out []string) {
			var look func(rules []rule, in string)
			look = func(rules []rule, in string) {
				for _, r := range rules {
					source := r.Match
					if source == "" {
						source = r.Begin + "[^" + r.End + "]*" + r.End
					}
					// What stands before and behind, which this library does not look at, is put in.
					source = strings.NewReplacer(`(?<=\s)`, `\s`, `(?<!\S)`, `(?:^|\s)`, `(?=\s|=|$)`, `(?:[\s=]|$)`, `(?=\s|$)`, `(?:\s|$)`, `(?=\()`, `\(`).Replace(source)
					for _, found := range regexp.MustCompile("(?m)"+source).FindAllString(in, -1) {
						if strings.TrimRight(strings.TrimSpace(found), "(") == text {
							out = append(out, r.Name)
						}
						look(r.Patterns, found)
					}
				}
			}
			look(g.Patterns, plan)
			return out
		}
		for text, kind := range wants {
			assert.True(t, slices.ContainsFunc(scopes(text), func(s string) bool { return strings.HasPrefix(s, kind) }), "%s: %v", text, scopes(text))
		}
	})
	t.Run("vim", func(t *testing.T) {
		vim, err := exec.LookPath("vim")
		if err != nil {
			t.Skip("no vim here")
		}
		dir := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(dir, "a.plan"), []byte(plan), 0o644))
		script := "set nocompatible\nsyntax on\nsyntax clear\nunlet! b:current_syntax\nsource " + filepath.Join("..", "docs", "editors", "vim", "syntax", "revuelta.vim") + "\nlet out = []\n" +
			"for l in range(1, line('$'))\n  for c in range(1, len(getline(l)))\n    call add(out, l . ':' . c . ':' . synIDattr(synID(l, c, 1), 'name'))\n  endfor\nendfor\ncall writefile(out, '" + filepath.Join(dir, "out") + "')\nqa!\n"
		require.NoError(t, os.WriteFile(filepath.Join(dir, "script.vim"), []byte(script), 0o644))
		told, err := exec.Command(vim, "-u", "NONE", "-es", "-N", filepath.Join(dir, "a.plan"), "-S", filepath.Join(dir, "script.vim")).CombinedOutput()
		out, failed := os.ReadFile(filepath.Join(dir, "out"))
		if failed != nil && bytes.Contains(told, []byte("E319")) {
			t.Skip("this vim has no syntax")
		}
		require.NoError(t, failed, "%v: %s", err, told)
		for at, group := range map[string]string{"1:1": "Comment", "2:1": "Step", "2:19": "Option", "3:10": "Place", "3:23": "Option", "3:36": "Comment", "4:10": "Function", "4:27": "Operator", "5:7": "Unknown", "5:17": "Given", "5:27": "Mark"} {
			assert.True(t, strings.Contains(string(out), "\n"+at+":revuelta"+group+"\n") || strings.HasPrefix(string(out), at+":revuelta"+group), "%s is no %s", at, group)
		}
	})
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
