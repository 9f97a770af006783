package step_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/plan"
	"revuelta/internal/run"
	"revuelta/internal/step"
	"revuelta/internal/step/steptest"
	"revuelta/internal/table"
)

// made makes a step of a line of a plan.
func made(line string) (any, error) {
	statements, err := plan.Parse("test", line)
	if err != nil {
		return nil, err
	}
	p, err := plan.Build("test", statements)
	if err != nil {
		return nil, err
	}
	return p.Items[0].(*run.Apply).Step, nil
}

// parse makes a table of rows parted by /, cells by |; the first row names the fields.
func parse(text string) steptest.Table {
	rows := strings.Split(text, "/")
	t := steptest.Table{Names: strings.Split(rows[0], "|")}
	for _, r := range rows[1:] {
		t.Rows = append(t.Rows, strings.Split(r, "|"))
	}
	return t
}

func text(t steptest.Table) string {
	out := []string{strings.Join(t.Names, "|")}
	for _, r := range t.Rows {
		out = append(out, strings.Join(r, "|"))
	}
	return strings.Join(out, "/")
}

// odd are cells that must leave as they came.
var odd = []string{"026", "1.10", " x ", "2024-3-1", "a\nb", `"`, "", "ñ"}

// every is a use of each step on fields a, b, c; the cells of field c pass through untouched.
var every = map[string][]string{
	"unpivot": {"unpivot a,b", "unpivot a,b --skip-blank", "unpivot '{x}' --among a,b", "unpivot --row 'l = a, b' --value p,q"},
	"fields":  {"fields c,a", "fields '!b'"},
	"rename":  {"rename a=x", "rename --snake", "rename '{x:a|b}' --into '{x}{x}'"},
	"fill":    {"fill a,b", "fill a --within b", "fill a --up", "fill b --up --within a", "fill b --right", "fill a --with 0"},
}

func TestEveryStepKeepsItsPromises(t *testing.T) {
	in := steptest.Table{Names: []string{"a", "b", "c"}}
	for i := range 17 {
		row := []string{"", "", odd[i%len(odd)]}
		if i%3 == 0 {
			row[0] = fmt.Sprint("v", i/6)
		}
		if i%4 < 2 {
			row[1] = fmt.Sprint("w", i%2)
		}
		in.Rows = append(in.Rows, row)
	}
	for _, name := range step.Names() {
		lines := every[name]
		require.NotEmpty(t, lines, "the step %s is not in this test", name)
		for _, line := range lines {
			t.Run(line, func(t *testing.T) {
				s, err := made(line)
				require.NoError(t, err)
				out := steptest.Check(t, s, in)
				c := slices.Index(out.Names, "c")
				require.GreaterOrEqual(t, c, 0)
				var passed []string
				for _, r := range out.Rows {
					passed = append(passed, r[c])
				}
				for _, cell := range odd {
					if !strings.Contains(line, "skip-blank") {
						assert.Contains(t, passed, cell)
					}
				}
				for _, cell := range passed {
					assert.Contains(t, odd, cell)
				}
			})
		}
	}
}

func TestSteps(t *testing.T) {
	for _, c := range []struct{ line, in, want string }{
		// unpivot
		{"unpivot Jan..Mar --label month", "id|Jan|Feb|Mar/1|a||c", "id|month|value/1|Jan|a/1|Feb|/1|Mar|c"},
		{"unpivot Mar,Jan --value kilos", "Jan|id|Mar/a|1|b", "id|label|kilos/1|Mar|b/1|Jan|a"},
		{"unpivot * --skip-blank", "Jan|Feb/|b/|", "label|value/Feb|b"},
		{"unpivot '{@} {m}'", "id|kg May|jars May|kg June/1|2|3|4", "id|m|kg|jars/1|May|2|3/1|June|4|"},
		{"unpivot '{m} {@}' --skip-blank", "May kg|May jars|June kg|June jars/1||2|/|||", "m|kg|jars/May|1|/June|2|"},
		{"unpivot 'Q{q:#}{_}' --value v", "Q1a|Q2b|x/1|2|3", "x|q|v/3|1|1/3|2|2"},
		{"unpivot '{a}, {b}' --value v", "x, y|k/1|2", "k|a|b|v/2|x|y|1"},
		{"unpivot '{a} kg'", "{a} kg|k/1|2", "k|label|value/2|{a} kg|1"}, // an exact name wins
		{"unpivot --row 's = Q1, Q2' --row 'w = , Q4' --value x,y", "id|Q1|Q2|Q4/1|a|b|c", "id|label|x|y/1|s|a|b/1|w||c"},
		{"unpivot {@:a|b}", "a|b|c/1|2|3", "c|a|b/3|1|2"},
		{"unpivot Jan,Mrz", "id|Jan|Mar/1|2|3", `error: there is no field "Mrz"`},
		{"unpivot '{m} kg'", "id|Jan/1|2", "error: the pattern {m} kg fits none"},
		{"unpivot '{@} {m}'", "keeper name|kg May|jars May/1|2|3", `error: "keeper name" fits {@} {m}, but no other header shares`},
		{"unpivot '{@} {_}'", "kg May|kg June/1|2", `error: "kg May" and "kg June" both give`},
		{"unpivot Jan --label id", "id|Jan/1|2", `error: two fields would be named "id"`},
		{"unpivot Jan --label value", "id|Jan/1|2", "error: --label and --value have the same name"},
		{"unpivot '{m} kg' --label x", "id|Jan kg/1|2", "error: --label does not go with a pattern"},
		{"unpivot '{m} {@}' --value x", "id|Jan kg/1|2", "error: --value does not go with {@}"},
		{"unpivot '{m' --value x", "id|Jan kg/1|2", "error: the pattern {m can't be read"},
		{"unpivot Jan --among Jan", "id|Jan/1|2", "error: --among goes with a pattern only"},
		{"unpivot --row 's = Q1, Q2'", "Q1|Q2/1|2", "error: --row \"s = Q1, Q2\" names 2 fields, --value 1 name"},
		{"unpivot --row s=Q1 --row t=Q1", "Q1|Q2/1|2", `error: --row names the field "Q1" twice`},
		{"unpivot --row Q1", "Q1|Q2/1|2", `error: --row "Q1": it is written LABEL = FIELD, FIELD`},
		{"unpivot", "Q1|Q2/1|2", "error: unpivot lacks its operand"},
		{"unpivot a b", "a|b/1|2", `error: unpivot: "b" is one operand too many`},
		{"unpivot a --lable x", "a|b/1|2", "error: unpivot has no option --lable"},
		{"unpivot a --label x --label y", "a|b/1|2", "error: --label is given twice"},
		// fields
		{"fields 'c,*,!a'", "a|b|c/1|2|3", "c|b/3|2"},
		{"fields ''", "a|b/1|2", "error: the selection is empty"},
		{"fields '!a,!b'", "a|b/1|2", "error: the selection !a,!b leaves no field"},
		// rename
		{"rename 'a=b,b=a'", "a|b/1|2", "b|a/1|2"},
		{"rename '#-1=x,\"a, b\"=\"c, d\"'", "a, b|z/1|2", "c, d|x/1|2"},
		{"rename '/^k/=kg'", "id|kilos/1|2", "id|kg/1|2"},
		{"rename 'a=x=y'", "a|b/1|2", "x=y|b/1|2"},
		{"rename '{m} {k}' --into '{k}-{m}'", "May kg|x/1|2", "kg-May|x/1|2"},
		{"rename --lower", "A B|ÑC/1|2", "a b|ñc/1|2"},
		{"rename --snake", "Net, kg (dry)| x /1|2", "net_kg_dry|x/1|2"},
		{"rename a=b", "a|b/1|2", `error: two fields would be named "b"`},
		{"rename '*=b'", "a|b/1|2", "error: * picks 2 fields where one is wanted: a, b"},
		{"rename x=b", "a|b/1|2", `error: there is no field "x"`},
		{"rename a", "a|b/1|2", `error: "a": a renaming is written old=new`},
		{"rename a=", "a|b/1|2", "error: \"a=\": the new name is empty"},
		{"rename '{m} kg' --into '{x}'", "May kg/1", "error: --into has the place {x}, which {m} kg has not"},
		{"rename '{m} kg' --into '{_}'", "May kg/1", "error: --into {_}: {_} can't be written out"},
		{"rename '{m} kg' --into '{m}'", "May/1", "error: the pattern {m} kg fits none"},
		{"rename --snake", "A B|a-b/1|2", `error: two fields would be named "a_b"`},
		{"rename 'a=x,#1=y'", "a|b/1|2", `error: "a" is renamed twice`},
		{"rename --lower --snake", "A/1", "error: --lower and --snake do not go together"},
		// fill
		{"fill a", "a|b/|1/x|2/|3/y|/|", "a|b/|1/x|2/x|3/y|/y|"},
		{"fill a,b --within k", "k|a|b/n|x|/s||/n||p/s|y|/n||/s||", "k|a|b/n|x|/s||/n|x|p/s|y|/n|x|p/s|y|"},
		{"fill a --up --within k", "k|a/1|/2|/1|x/2|y/1|", "k|a/1|x/2|y/1|x/2|y/1|"},
		{"fill b,c --right", "a|b|c/1||/|2|/||", "a|b|c/1|1|1/|2|2/||"},
		{"fill a --with 0", "a|b/|1/x|", "a|b/0|1/x|"},
		{"fill a --right", "a|b/1|2", `error: "a" is the first field: it has no left neighbour`},
		{"fill a --with ''", "a|b/1|2", "error: --with '' would leave the cells blank"},
		{"fill a --up --with x", "a|b/1|2", "error: --up and --with do not go together"},
		{"fill a --within a", "a|b/1|2", `error: "a" is to be filled, and --within looks at it`},
		{"fill x", "a|b/1|2", `error: there is no field "x"`},
	} {
		got := ""
		s, err := made(c.line)
		if err == nil {
			var out steptest.Table
			out, _, err = steptest.Run(s, parse(c.in), 2, steptest.Plain)
			got = text(out)
		}
		if err != nil {
			got = "error: " + strings.TrimPrefix(err.Error(), "test line 1: ")
		}
		if strings.HasPrefix(c.want, "error: ") {
			assert.Contains(t, got, c.want, c.line)
		} else {
			assert.Equal(t, c.want, got, c.line)
		}
	}
}

func TestFillUpSingleField(t *testing.T) {
	s, err := made("fill a --up")
	require.NoError(t, err)
	in := steptest.Table{Names: []string{"a"}, Rows: [][]string{{""}, {"x"}, {""}, {""}, {"y"}, {""}}}
	out, tally, err := steptest.Run(s, in, 2, steptest.Plain)
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"x"}, {"x"}, {"y"}, {"y"}, {"y"}, {""}}, out.Rows)
	assert.EqualValues(t, 3, tally.Count[0])
	assert.EqualValues(t, 1, tally.Count[1])
}

func TestUnpivotTells(t *testing.T) {
	for _, c := range []struct {
		line, in string
		notes    []string
		tell     string
	}{
		{"unpivot Jan,Feb --label month", "id|Jan|Feb/1|2|3", nil, "2 fields folded: 1 row x 2 months"},
		{"unpivot 'Day *' --label day --skip-blank", "id|Day 1|Day 2/1|2|/2||", nil, "2 fields folded: 2 rows x 2 days; 3 blank cells left out, 1 row went out whole"},
		{"unpivot '{q} {@:target|actual}'", "id|Q1 target|Q1 actual|Q3 actual/1|2|3|4", []string{"no header for Q3 target: blank there"}, "3 fields folded: 1 row x 2 qs, 2 measures"},
		{"unpivot 'Day 1..Day 2'", "id|Day 1|Day 2|Day 3/1|2|3|4", []string{"kept, though named like the folded fields: Day 3"}, "2 fields folded: 1 row x 2 labels"},
		{"unpivot Jan..Nov", "Jan|Nov|Dec|note/1|2|3|4", []string{"kept, though named like the folded fields: Dec"}, "2 fields folded: 1 row x 2 labels"},
		{"unpivot '{a} {b}' --value v", "x 1|x 2/1|2", nil, "2 fields folded: 1 row x 2 combinations of a, b"},
	} {
		s, err := made(c.line)
		require.NoError(t, err)
		in := parse(c.in)
		bound, err := s.(step.Mapper).Bind(schemaOf(in))
		require.NoError(t, err)
		assert.Equal(t, c.notes, bound.Notes, c.line)
		_, tally, err := steptest.Run(s, in, 10, steptest.Plain)
		require.NoError(t, err)
		assert.Equal(t, c.tell, bound.Tell(&tally), c.line)
	}
}

func TestLinesFollowTheRows(t *testing.T) {
	s, err := made("unpivot a,b --skip-blank")
	require.NoError(t, err)
	out, _, err := steptest.Run(s, parse("a|b/1|2/|/|3"), 2, steptest.Plain)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 2, 4}, out.Lines)
	again, _, err := steptest.Run(must(t, "unpivot label,value --label l --value v"), steptest.Table{Names: out.Names, Rows: out.Rows}, 2, steptest.Plain)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 2, 3, 3, 4, 4}, again.Lines)
}

func must(t *testing.T, line string) any {
	s, err := made(line)
	require.NoError(t, err)
	return s
}

// TestUnpivotLosesNothing: every cell of the folded fields comes out once, under its header.
func TestUnpivotLosesNothing(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		kept, wide := rapid.IntRange(0, 3).Draw(rt, "kept"), rapid.IntRange(1, 5).Draw(rt, "wide")
		in := steptest.Table{}
		for i := range kept {
			in.Names = append(in.Names, fmt.Sprint("k", i))
		}
		for i := range wide {
			in.Names = append(in.Names, fmt.Sprint("w", i))
		}
		for range rapid.IntRange(0, 9).Draw(rt, "rows") {
			in.Rows = append(in.Rows, rapid.SliceOfN(rapid.StringN(0, 3, -1), kept+wide, kept+wide).Draw(rt, "row"))
		}
		s, err := made("unpivot /^w/")
		require.NoError(rt, err)
		out, _, err := steptest.Run(s, in, rapid.IntRange(1, 4).Draw(rt, "size"), steptest.Plain)
		require.NoError(rt, err)
		require.Len(rt, out.Rows, wide*len(in.Rows))
		for i, row := range out.Rows {
			from := in.Rows[i/wide]
			require.Equal(rt, from[:kept:kept], row[:kept:kept])
			require.Equal(rt, []string{fmt.Sprint("w", i%wide), from[kept+i%wide]}, row[kept:])
		}
	})
}

func schemaOf(t steptest.Table) *table.Schema { return table.NewSchema(t.Names) }
