package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/run"
)

func TestParsePrintsBack(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"", ""},
		{"# only a comment\n\n", ""},
		{"read a.csv", "read a.csv"},
		{"read 'a b.csv' # why\n", "read 'a b.csv'"},
		{"unpivot 'Jan..Dec'\n   --label month\n\t--value kilos\nwrite x", "unpivot Jan..Dec --label month --value kilos|write x"},
		{"a b#c # d", "a 'b#c'"},
		{"fields #1,#3 #\n  #indented\n\t# too\n#left", "fields '#1,#3'"},
		{`a '\'`, `a '\'`},
		{`split x --at "\n"`, `split x --at \n`},
		{`a "say \"hum\" \\ \x"`, `a 'say "hum" \ \x'`},
		{`a 'it'"'"'s'`, `a "it's"`},
		{`a \d{1,2}`, `a \d{1,2}`},
		{"a ''", "a ''"},
		{"a '--b'", "a '--b'"},
		{"a\r\nb\r\n", "a|b"},
		{"\uFEFFa", "a"},
	} {
		statements, err := Parse("p", c.text)
		require.NoError(t, err, c.text)
		var got []string
		for _, s := range statements {
			got = append(got, s.String())
		}
		assert.Equal(t, c.want, strings.Join(got, "|"), c.text)
		again, err := Parse("p", strings.Join(got, "\n"))
		require.NoError(t, err, c.text)
		for i := range again {
			assert.Equal(t, got[i], again[i].String(), "printed twice")
		}
	}
}

func TestErrorsOfAPlanComeAllAtOnce(t *testing.T) {
	text := "read a.csv\nunpvot x\n\nfill 'a\nfields a --keep\nrename 'a' --into b --into c\nread b.csv\nwrite a b\nunpivot '{a'\n"
	statements, err := Parse("p.plan", text)
	require.ErrorContains(t, err, `p.plan line 4: the quote that opens at "'a" is never closed on its line`)
	_, err = Build("p.plan", statements)
	require.Error(t, err)
	for _, want := range []string{
		`p.plan line 2: there is no step "unpvot"`,
		"p.plan line 5: fields has no option --keep",
		"p.plan line 6: --into is given twice",
		"p.plan line 7: a table is read while the one of line 1 was not written",
		`p.plan line 8: write: "b" is one operand too many`,
		"p.plan line 9: the pattern {a can't be read: this { has no }",
	} {
		assert.ErrorContains(t, err, want)
	}
	assert.NotContains(t, err.Error(), "line 1:")
}

func TestIndentedFirstLine(t *testing.T) {
	_, err := Parse("p", "  fill a\n")
	assert.ErrorContains(t, err, "p line 1: the line is indented")
}

func TestPathsAreRelativeToThePlan(t *testing.T) {
	statements, err := Parse("d/p.plan", "read a.csv /b.csv -\nwrite out/c.csv")
	require.NoError(t, err)
	p, err := Build("d/p.plan", statements)
	require.NoError(t, err)
	assert.Equal(t, []string{"d/a.csv", "/b.csv", "-"}, p.Items[0].(*run.Read).Paths)
	assert.Equal(t, "d/out/c.csv", p.Items[1].(*run.Write).Path)
}

func TestOptions(t *testing.T) {
	for _, c := range []struct{ line, want string }{
		{"read a --header 3-4", ""},
		{"read a --header=none", ""},
		{"read a --header 4-3", `--header "4-3": rows are counted from 1`},
		{"read a --header", "--header lacks its value"},
		{"read a --delimiter ;;", `--delimiter ";;": one character parts the cells`},
		{"read a --delimiter tab", ""},
		{"read a --quote x", `--quote "x": it is '"' or none`},
		{"read a --limit 0", `--limit "0": it is a number from 1 up`},
		{"read a --body x", `--body "x"`},
		{"read", "read lacks its operand"},
		{"write a --bom=1", "--bom takes no value"},
	} {
		statements, err := Parse("p", c.line)
		require.NoError(t, err)
		_, err = Build("p", statements)
		if c.want == "" {
			assert.NoError(t, err, c.line)
		} else {
			assert.ErrorContains(t, err, c.want, c.line)
		}
	}
}
