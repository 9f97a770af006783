package format

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestLayouts: texts that are not delimited as usual, as they are read: rows parted by /, cells by |.
func TestLayouts(t *testing.T) {
	comment, spaces, slash := Layout{Comment: "#"}, Layout{Spaces: true}, Layout{Backslash: true}
	widths := func(s string) Layout {
		w, err := ParseWidths(s)
		require.NoError(t, err)
		return Layout{Widths: w}
	}
	for _, c := range []struct {
		name string
		o    ReadOptions
		text string
		want string
	}{
		{"comments", ReadOptions{Layout: comment}, "# weighed\na,b\n1,2\n# 6\" board\n3,#4\n", "a|b/1|2/3|#4"},
		{"a comment within quotes is none", ReadOptions{Layout: comment}, "a,b\n1,\"x\n# y\"\n# z\n2,3\n", "a|b/1|x\n# y/2|3"},
		{"comments count as rows of the file", ReadOptions{Layout: comment, Header: Header{HeaderRows, 3, 3}}, "#\ntitle\na,b\n1,2\n", "a|b/1|2"},
		{"comments without quotes", ReadOptions{Layout: comment, NoQuotes: true}, "a,b\n1,\"x\n# y\n2,\"\n", "a|b/1|\"x/2|\""},
		{"a comment of two characters, CRLF", ReadOptions{Layout: Layout{Comment: "//"}}, "a,b\r\n// x\r\n/1,2\r\n", "a|b//1|2"},
		{"runs of spaces", ReadOptions{Layout: spaces}, "a   b \tc\n 1 2    3\n\n4 6\" ,\n", "a|b|c/1|2|3/4|6\"|,"},
		{"many lines of comment", ReadOptions{Layout: Layout{Comment: "#"}}, strings.Repeat("# by hand\n", 30_000) + "a,b\n1,2\n", "a|b/1|2"},
		{"of them alone", ReadOptions{Layout: Layout{Comment: "#"}, Header: Header{Kind: HeaderNone}}, strings.Repeat("# by hand\n", 40) + "1,2\n", "field 1|field 2/1|2"},
		{"quoted pieces", ReadOptions{Layout: spaces}, "a b\n\"x  y\" \"6\"\"\"\n\"\" \"open\nx\"y z\n", "a|b/x  y|6\"/|\"open/x\"y|z"},
		{"quotes as text", ReadOptions{Layout: spaces, NoQuotes: true}, "a b\n\"x y\"\n", "a|b/\"x|y\""},
		{"runs of spaces, a row too long", ReadOptions{Layout: spaces}, "a b\n1 2 3\n", "a|b/error: f1.csv line 2: the row has 3 cells, the header 2; beyond them stands \"3\""},
		{"widths", ReadOptions{Layout: widths("3,6,4")}, "hivkeeperkilo\n026Fèrl-A12.5\n007 Ñ,\"vo1.1\n  \n00\n", "hiv|keeper|kilo/026|Fèrl-A|12.5/007|Ñ,\"vo|1.1/00||"},
		{"widths, a line too long", ReadOptions{Layout: widths("1,1")}, "ab\n12 3\n", "a|b/error: f1.csv line 2: the row has 3 cells, the header 2; beyond them stands \"3\""},
		{"widths found out", ReadOptions{Layout: widths("auto")}, "id   name  kg\n1    Fèrl 3.5\n20   Ñuvo\n\n300  x     12kg\n", "id|name|kg/1|Fèrl|3.5/20|Ñuvo|/300|x|12kg"},
		{"widths that can't be found out", ReadOptions{Layout: widths("auto")}, "abc\nabc\n", "error: f1.csv: --widths auto: no column is blank in every row of the beginning"},
		{"backslashes", ReadOptions{Layout: slash}, "a,b\n1,\"say \\\"no\\\", twice\"\n2,\"c:\\\\\"\n3,\\\n4,\"\\\\\\\"\"\n", "a|b/1|say \"no\", twice/2|c:\\\\/3|\\/4|\\\\\""},
		{"a header one name short", ReadOptions{First: "hive"}, "kilos,jars\n026,12.5,3\n007,1.10,\n", "hive|kilos|jars/026|12.5|3/007|1.10|"},
		{"a header that is not short", ReadOptions{First: "hive"}, "a,b\n1,2\n", "error: f1.csv: --header-first \"hive\": the rows have no more cells than the header, which has 2 names"},
		{"a name that is there", ReadOptions{First: "a"}, "a,b\n1,2,3\n", "error: f1.csv: --header-first \"a\": there is a field of that name already"},
		{"two layouts", ReadOptions{Layout: spaces, Delimiter: ';'}, "a b\n1 2\n", "error: f1.csv: --delimiter and --widths say two things about what parts the cells"},
	} {
		got, _ := read(t, c.o, c.text)
		assert.Equal(t, c.want, got, c.name)
	}
	for _, s := range []string{"", "0", "3,", "x", "-1", "3;4"} {
		_, err := ParseWidths(s)
		assert.Error(t, err, s)
	}
	_, sample := read(t, ReadOptions{Layout: comment}, strings.Repeat("# long comment that goes on\n", 80_000)+"a,b\n1,2\n")
	assert.Empty(t, sample, "comments beyond what is looked at first")
}

// TestWidthsAreInverse: cells that are set to widths are read back.
func TestWidthsAreInverse(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		fields := rapid.IntRange(2, 5).Draw(rt, "fields")
		cell := rapid.StringMatching(`[a-zé0-9,"#][a-zé0-9," #]{0,5}[a-zé0-9,"#]`)
		rows := [][]string{}
		for r := range rapid.IntRange(1, 6).Draw(rt, "rows") {
			row := make([]string, fields)
			for i := range row {
				if row[i] = cell.Draw(rt, "cell"); r == 0 {
					row[i] = string(rune('a'+i)) + "x"
				}
			}
			rows = append(rows, row)
		}
		widths := make([]int, fields)
		for i := range widths {
			widths[i] = rapid.IntRange(7, 12).Draw(rt, "width")
		}
		var text, want []string
		for _, row := range rows {
			line := ""
			for i, c := range row {
				line += c + strings.Repeat(" ", widths[i]-len([]rune(c)))
			}
			text, want = append(text, line), append(want, strings.Join(row, "|"))
		}
		got, notes := read(t, ReadOptions{Layout: Layout{Widths: widths}}, strings.Join(text, "\n")+"\n")
		require.Equal(rt, strings.Join(want, "/"), got)
		require.Empty(rt, notes)
	})
}
