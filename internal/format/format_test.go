package format

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/format/delimited"
)

func TestReadHead(t *testing.T) {
	for _, c := range []struct {
		text, header string
		body         int
		want         string // names parted by |, then the index of the body, or an error
		notes        string
	}{
		{"a,b\n1,2\n", "", 0, "a|b 1", ""},
		{" a ,b,a,,b\n", "", 0, "a|b|a (2)|field 4|b (2) 1", "a header name trimmed: a; an empty header name became field 4; 2 repeated header names became a (2), b (2)"},
		{"a,a (2),a\n", "", 0, "a|a (2)|a (3) 1", "a repeated header name became a (3)"},
		{"a,A, a\n", "", 0, "a|A|a (2) 1", "a header name trimmed: a; a repeated header name became a (2); two header names differ only by case or spaces: \"a\" and \"A\""},
		{"\"a\nb\",c\n", "", 0, "a b|c 1", "a header name trimmed: a b"},
		{"\n\na,b\n", "", 0, "a|b 3", ""},
		{"Many people,,\ncannot help writing,,notes\nat,,top\nof,,\na,b,c\n1,2,3\n4,5,6\n", "", 0, "error: row 1 looks like a title, not a header: something in 1 of its 3 cells; the header seems to be row 5: a, b, c", ""},
		{"x,,\na,b,c\n1,2,3\n", "", 0, "error: row 1 looks like a title, not a header: something in 1 of its 3 cells; the header seems to be row 2", ""},
		{"x,,\na,b,c\n1,2,3\n", "1", 0, "x|field 2|field 3 1", "2 empty header names became field 2, field 3"},
		{"x,,\na,b,c\n1,2,3\n", "auto", 0, "a|b|c 2", "header taken from row 2: a, b, c"},
		{"x,,,\n,May,,\nid,kg,jars,\n1,2,3,4\n", "2-3", 0, "id|May / kg|May / jars|May 3", ""},
		{"t,,,,\n,May,,June,\nid,kg,jars,kg,jars\n1,2,3,4,5\n", "auto", 0, "id|May / kg|May / jars|June / kg|June / jars 3", "header taken from rows 2 and 3: id, May / kg, May / jars, June / kg, June / jars"},
		{"t,,,\nid,May,May,June\n,kg,jars,kg\nVesk,1,2,3\n", "auto", 0, "id|May / kg|May / jars|June / kg 3", "header taken from rows 2 and 3: id, May / kg, May / jars, June / kg"},
		{"t,,,\n,May,May,June\n,kg,jars,kg\nVesk,1,2,3\n", "auto", 0, "field 1|May / kg|May / jars|June / kg 3", "header taken from rows 2 and 3: May / kg, May / jars, June / kg; an empty header name became field 1"},
		{"t,,,\n,May,June,July\nVesk,1,2,3\n", "auto", 0, "field 1|May|June|July 2", "header taken from row 2: May, June, July; an empty header name became field 1"},
		{"t,,,\n,May,June,July\nVesk,1,2,3\n", "", 0, "error: row 1 looks like a title, not a header: something in 1 of its 4 cells; the header seems to be row 2: May, June, July", ""},
		{"t,,\n,May,June\nid,kg,kg\nVesk,1,2\n", "auto", 0, "id|May / kg|June / kg 3", "header taken from rows 2 and 3: id, May / kg, June / kg"},
		{"a,,b\n,c,\n1,2,3\n", "1-2", 0, "a|c|b 2", ""},
		{"1,2\n3,4\n", "none", 0, "field 1|field 2 0", ""},
		{"a,b\n---,---\n\n1,2\n", "", 4, "a|b 3", "1 row between the header and the data left out"},
		{"a,b\n", "", 1, "error: --body 1: the header reaches to row 1", ""},
		{"a,b\n", "7", 0, "error: --header 7: only 1 row to be seen", ""},
		{"\n\n", "", 0, "error: the file has no header: it is empty", ""},
		{"a,b\n\n", "2", 0, "error: the file has no header: row 2 is empty", ""},
	} {
		o := ReadOptions{HeaderJoin: " / ", Body: c.body}
		if c.header != "" {
			var err error
			o.Header, err = ParseHeader(c.header)
			require.NoError(t, err)
		}
		rows, err := delimited.Head([]byte(c.text), delimited.Dialect{Delimiter: ','}, 100, true)
		require.NoError(t, err)
		h, e := readHead(rows, o, nil)
		if want, ok := strings.CutPrefix(c.want, "error: "); ok {
			if assert.NotNil(t, e, c.text) {
				assert.Contains(t, e.Error(), want, c.text)
			}
			continue
		}
		require.Nil(t, e, c.text)
		names, body, _ := strings.Cut(c.want, " ")
		if i := strings.LastIndex(c.want, " "); i >= 0 {
			names, body = c.want[:i], c.want[i+1:]
		}
		assert.Equal(t, names, strings.Join(h.names, "|"), c.text)
		assert.Equal(t, body, string(rune('0'+h.body)), c.text)
		assert.Equal(t, c.notes, strings.Join(h.notes, "; "), c.text)
	}
}

func TestOutputIsWholeOrUntouched(t *testing.T) {
	dir := t.TempDir()
	path, link := filepath.Join(dir, "out.csv"), filepath.Join(dir, "link.csv")
	require.NoError(t, os.WriteFile(path, []byte("old"), 0o640))
	require.NoError(t, os.Symlink("out.csv", link))
	count := func() int {
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		return len(entries)
	}
	content := func() string {
		b, err := os.ReadFile(path)
		require.NoError(t, err)
		return string(b)
	}
	o, err := Create(link)
	require.NoError(t, err)
	_, err = o.Write([]byte("half"))
	require.NoError(t, err)
	assert.Equal(t, 3, count(), "a temporary file beside it")
	assert.Equal(t, "old", content())
	o.Abort()
	assert.Equal(t, 2, count())
	assert.Equal(t, "old", content())

	o, err = Create(link)
	require.NoError(t, err)
	_, err = o.Write([]byte("new"))
	require.NoError(t, err)
	require.NoError(t, o.Finish())
	assert.Equal(t, "old", content())
	require.NoError(t, o.Commit())
	o.Abort() // has no effect any more
	assert.Equal(t, "new", content())
	assert.Equal(t, 2, count())
	info, err := os.Lstat(link)
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&os.ModeSymlink, "the link is still one")
	info, err = os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())
}

func TestDelimiterAndSuffix(t *testing.T) {
	for in, want := range map[string]byte{"tab": '\t', `\t`: '\t', ";": ';', "|": '|', "%": '%'} {
		got, err := ParseDelimiter(in)
		assert.NoError(t, err)
		assert.Equal(t, want, got)
	}
	for _, in := range []string{"", ";;", "ñ", `"`, "\n"} {
		_, err := ParseDelimiter(in)
		assert.Error(t, err, in)
	}
	for name, want := range map[string]string{"a.csv": "csv", "A.TSV": "tsv", "a.csv.gz": "csv", "a.json.zst": "json", "a.md": "md", "a.jsonl": "ndjson", "a.db#t": "sqlite"} {
		f := bySuffix(name)
		require.NotNil(t, f, name)
		assert.Equal(t, want, f.Name, name)
	}
	for _, name := range []string{"a", "a.csv#t", "#a", "a.doc"} {
		if f := bySuffix(name); f != nil {
			assert.NotEqual(t, "sqlite", f.Name, name)
		}
	}
}

func TestOptionsOver(t *testing.T) {
	base := ReadOptions{Delimiter: ';', Blank: []string{"NA"}, Header: Header{HeaderRows, 3, 3}, Body: 5}
	got := base.Over(ReadOptions{Header: Header{Kind: HeaderNone}, Limit: 3, NoQuotes: true})
	assert.Equal(t, ReadOptions{Delimiter: ';', Blank: []string{"NA"}, Header: Header{Kind: HeaderNone}, Body: 5, Limit: 3, NoQuotes: true}, got)
}

// TestAbandoned: what outputs have begun is taken away when the program has to end, but not once they take their places.
func TestAbandoned(t *testing.T) {
	dir := t.TempDir()
	begin := func(name string) *Output {
		out, err := Create(filepath.Join(dir, name))
		require.NoError(t, err)
		_, err = out.Write([]byte("k\n1\n"))
		require.NoError(t, err)
		return out
	}
	left := func() (names []string) {
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		for _, e := range entries {
			names = append(names, e.Name())
		}
		return names
	}
	done := begin("done.csv")
	require.NoError(t, done.Finish())
	require.NoError(t, done.Commit())
	begin("a.csv")
	begin("b.csv")
	require.Len(t, left(), 3)
	Committing(true)
	assert.False(t, Abandon(), "it is to be waited for")
	require.Len(t, left(), 3)
	Committing(false)
	assert.True(t, Abandon())
	assert.Equal(t, []string{"done.csv"}, left())
	gone := begin("c.csv")
	gone.Abort()
	assert.True(t, Abandon())
	assert.Equal(t, []string{"done.csv"}, left())
}
