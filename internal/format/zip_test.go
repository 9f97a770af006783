package format

import (
	"archive/zip"
	"bytes"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestZips: a zip stands for its one table, or for the one that is named; what is no table in it does not count.
func TestZips(t *testing.T) {
	t.Chdir(t.TempDir())
	book := func() string {
		require.NoError(t, written("b.xlsx", WriteOptions{}, []string{"a", "b"}, [][]string{{"5", "6"}}))
		text, err := os.ReadFile("b.xlsx")
		require.NoError(t, err)
		return string(text)
	}()
	pack := func(name string, files ...string) { // names and texts in turn
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for i := 0; i < len(files); i += 2 {
			w, err := z.Create(files[i])
			require.NoError(t, err)
			_, err = w.Write([]byte(files[i+1]))
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		require.NoError(t, os.WriteFile(name, b.Bytes(), 0o644))
	}
	pack("one.ZIP", "__MACOSX/._x.csv", "?", ".hid.csv", "?", "read.me", "?", "page.html", "?", "in/x.tsv", "a\tb\n1\t2\n", "in/", "")
	pack("two.zip", "a/june.csv", "a,b\n1,2\n", "may.json", `[{"a":3,"b":"4"}]`, "b.xlsx", book, "b/may.json", "[]")
	pack("none.zip", "read.me", "?")
	pack("leaves.zip", "../x.csv", "a\n")
	pack("base.zip", "x.db", "?")
	for path, want := range map[string]string{
		"one.ZIP": "a|b/1|2", "two.zip#june.csv": "a|b/1|2", "two.zip#a/june.csv": "a|b/1|2", "two.zip#may.json": "a|b/3|4", "two.zip#b.xlsx": "a|b/5|6",
		"two.zip": "error: two.zip: the zip has several tables: a/june.csv, may.json, b.xlsx, b/may.json", "two.zip#jun.csv": `error: two.zip: there is no "jun.csv" in the zip`, "two.zip#x": `there is no "x" in the zip`,
		"none.zip": "there is no table in the zip", "leaves.zip": `the name "../x.csv" leaves the zip's folder`, "base.zip": "not read within a zip", "no.zip": "error: no.zip: there is no such file",
	} {
		got, _ := readPaths([]string{path}, ReadOptions{})
		assert.Contains(t, got, want, path)
		if l, err := SampleOf(path, ReadOptions{}); err == nil {
			rows, _ := l.Data()
			assert.Len(t, rows, 1, path)
		} else {
			assert.Contains(t, got, err.Error(), path)
		}
	}
	_, err := NewEncoding("x.zip#y.csv", WriteOptions{})
	assert.ErrorContains(t, err, "a zip is read, and not written")
	whole, err := os.ReadFile("one.ZIP")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile("cut.zip", whole[:len(whole)/2], 0o644))
	_, err = Open([]string{"cut.zip"}, ReadOptions{})
	assert.ErrorContains(t, err, "the zip can't be read")
	at := bytes.Index(whole, []byte("PK\x01\x02"))
	for at >= 0 { // the mark of a password, on every member
		whole[at+8] |= 1
		next := bytes.Index(whole[at+1:], []byte("PK\x01\x02"))
		if next < 0 {
			break
		}
		at += 1 + next
	}
	require.NoError(t, os.WriteFile("locked.zip", whole, 0o644))
	_, err = Open([]string{"locked.zip"}, ReadOptions{})
	assert.ErrorContains(t, err, "is encrypted with a password")
}
