package format

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/diag"
)

// TestExpand: paths with a glob become the files that fit, in the natural order of their names.
func TestExpand(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, name := range []string{"w9.csv", "w10.csv", "w1.csv", "v[1].csv", "a.xlsx", "sub/w2.csv"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
		require.NoError(t, os.WriteFile(name, []byte("a\n1\n"), 0o644))
	}
	require.NoError(t, os.Mkdir("w3.csv", 0o755))
	for paths, want := range map[string]string{
		"w*.csv": "w1.csv w9.csv w10.csv", "w?.csv x.csv": "w1.csv w9.csv x.csv", "v[1].csv": "v[1].csv", "w[19].csv -": "w1.csv w9.csv -", "@m*": "@m*", "*.xlsx#May": "a.xlsx#May", "*/w*.csv": "sub/w2.csv", "plain.csv": "plain.csv", "x://a*": "x://a*",
	} {
		got, err := Expand(strings.Fields(paths))
		require.NoError(t, err, paths)
		assert.Equal(t, want, strings.Join(got, " "), paths)
	}
	_, err := Expand([]string{"z*.csv"})
	assert.ErrorContains(t, err, "no file fits z*.csv")
	assert.Equal(t, diag.System, diag.StatusOf(err))
	_, err = Expand([]string{"w[.csv"})
	assert.Equal(t, diag.Usage, diag.StatusOf(err))
}

// TestSourceParts: fields out of the names of files, behind that of the source.
func TestSourceParts(t *testing.T) {
	part := func(s string) ReadOptions {
		p, err := ParseSourcePart(s)
		require.NoError(t, err)
		return ReadOptions{SourcePart: p}
	}
	got, _ := read(t, part("{year:4}-{month:2}"), "2024-05.csv::a,b\n1,2\n", "2024-06.csv::b,a\n3,4\n")
	assert.Equal(t, "a|b|year|month/1|2|2024|05/4|3|2024|06", got)
	o := part("w{week:#}{_}")
	o.Source = "file"
	got, _ = read(t, o, "w9 old.csv::a\n1\n")
	assert.Equal(t, "a|file|week/1|w9 old.csv|9", got)
	got, _ = read(t, part("{a}-{b}"), "x-y.csv::a\n1\n")
	assert.Equal(t, "error: --source-part: there is a field \"a\" already", got)
	got, _ = read(t, part("{year:4}"), "x.csv::a\n1\n")
	assert.Equal(t, "error: x.csv: its name, \"x\", does not fit --source-part \"{year:4}\"", got)
	for _, s := range []string{"", "plain", "{_}", "{@}", "{a"} {
		_, err := ParseSourcePart(s)
		assert.Equal(t, diag.Usage, diag.StatusOf(err), s)
	}
	for path, want := range map[string]string{"a/b.csv": "b", "b.csv.gz": "b", "b": "b", ".hidden": ".hidden", "x.y.csv": "x.y", "b.xlsx#May": "b", "-": "-"} {
		assert.Equal(t, want, stem(path), path)
	}
}
