package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/diag"
	"revuelta/internal/run"
)

// TestWordsComeBack: any words, quoted as a statement prints them, are read back as they were, over several lines and with comments too.
func TestWordsComeBack(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		word := rapid.OneOf(rapid.StringMatching(`[a-z{}@:|.*#'"\\ ,=$-]{0,8}`), rapid.SampledFrom([]string{"", "#", "# x", "--x", `\`, `\\`, `'`, `"`, `it's "so"`, "ñ", "a#b", "$HOME", "`x`", "a\tb"}))
		var want []Statement
		text := ""
		for i := range rapid.IntRange(1, 4).Draw(rt, "statements") {
			s := Statement{Name: Word{Text: rapid.SampledFrom([]string{"sort", "fields", "where", "write"}).Draw(rt, "name")}}
			for range rapid.IntRange(0, 4).Draw(rt, "words") {
				s.Words = append(s.Words, Word{Text: word.Draw(rt, "word"), Quoted: true})
			}
			want = append(want, s)
			text += s.String() + rapid.SampledFrom([]string{"", " # why", "\t# 'unclosed \" here"}).Draw(rt, "comment") + rapid.SampledFrom([]string{"\n", "\r\n", "\n\n", "\n# alone\n"}).Draw(rt, "end")
			_ = i
		}
		got, err := Parse("p", text)
		require.NoError(rt, err, text)
		require.Len(rt, got, len(want), text)
		for i := range want {
			require.Equal(rt, want[i].Name.Text, got[i].Name.Text, text)
			require.Len(rt, got[i].Words, len(want[i].Words), text)
			for k, w := range want[i].Words {
				require.Equal(rt, w.Text, got[i].Words[k].Text, text)
			}
		}
	})
}

// TestWrongPlans: each fault of a plan is told with its line and what to try, with status 2.
func TestWrongPlans(t *testing.T) {
	for text, want := range map[string]string{
		"read 'a.csv":                        "line 1: ",
		"read a.csv\nsort \"kilos":           "line 2: ",
		"read a.csv \\\nsort x":              `ends with \`,
		"  sort x":                           "there is none",
		"read a.csv\nsrot x":                 "sort",
		"read a.csv\nsort":                   "lacks its operand",
		"read a.csv\nsort a b":               "one operand too many",
		"read a.csv\nsort x --ordr text":     "--order",
		"read a.csv\nsort x --order":         "lacks its value",
		"read a.csv\nsort x --order up":      "it is one of",
		"read a.csv\nread b.csv":             "was not written",
		"read a.csv\nread @x":                "@x",
		"read a.csv\njoin @x --on k":         "@x",
		"read a.csv\nmark m\nmark m":         "m",
		"read a.csv\nfill a\nstencil x":      "right after reading",
		"read":                               "read",
		"read a.csv\nwrite":                  "write",
		"read a.csv --header x":              "--header",
		"read a.csv --delimiter ;;":          "--delimiter",
		"read a.csv --foot x":                "--foot",
		"read a.csv --body 0":                "--body",
		"read a.csv --limit -1":              "--limit",
		"read a.csv\nwrite b.csv --write-as": "lacks its value",
		"read a.csv --write-as csv":          "--write-as",
	} {
		statements, err := Parse("p", text)
		if err == nil {
			_, err = Build("p", statements)
		}
		if !assert.Error(t, err, text) {
			continue
		}
		assert.Contains(t, diag.Render("revuelta", err), want, text)
		assert.Equal(t, diag.Usage, diag.StatusOf(err), text)
		assert.Contains(t, diag.Render("revuelta", err), "p line ", text)
	}
}

// TestAllIsBuilt: a plan of every kind of item becomes a program with the lines it came from.
func TestAllIsBuilt(t *testing.T) {
	statements, err := Parse("dir/p", "read a.csv b.csv --header 2 --blank NA\nfill x\n\nmark m # here\nwrite c.csv --crlf\nread @m\njoin @m --on k\nwrite d.tsv\n")
	require.NoError(t, err)
	p, err := Build("dir/p", statements)
	require.NoError(t, err)
	var kinds []string
	for _, it := range p.Items {
		switch it := it.(type) {
		case *run.Read:
			kinds = append(kinds, "read "+strings.Join(it.Paths, " "))
		case *run.Apply:
			kinds = append(kinds, it.Name)
			assert.NotZero(t, it.Line)
		case *run.Mark:
			kinds = append(kinds, "mark "+it.Name)
		case *run.Write:
			kinds = append(kinds, "write "+it.Path)
		}
	}
	assert.Equal(t, []string{"read dir/a.csv dir/b.csv", "fill", "mark m", "write dir/c.csv", "read @m", "join", "write dir/d.tsv"}, kinds)
	assert.True(t, p.Items[3].(*run.Write).Options.CRLF)
	assert.Equal(t, []string{"NA"}, p.Items[0].(*run.Read).Options.Blank)
}
