package step_test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/calendar"
	"revuelta/internal/step"
	"revuelta/internal/step/catalog"
	"revuelta/internal/step/steptest"
	"revuelta/internal/table"
)

// TestEveryStepIsChecked: a new step is asked for in the tests of its package.
func TestEveryStepIsChecked(t *testing.T) {
	tests, err := filepath.Glob("*/steps_test.go")
	require.NoError(t, err)
	all := ""
	for _, file := range tests {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		all += string(text)
	}
	for _, name := range catalog.Names() {
		assert.True(t, regexp.MustCompile(`\n\t\t"`+name+`": +\{`).MatchString(all), "%s has no uses in TestPromises", name)
		assert.True(t, regexp.MustCompile("\\{[\"`]"+name+" ?").MatchString(all), "%s has no case in TestSteps", name)
	}
}

func TestFillUpSingleField(t *testing.T) {
	s, err := steptest.Made("fill a --up")
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
		{"unpivot '{a} {b}' --value v", "x 1|x 2/1|2", []string{"all fields are folded: nothing is left to name a row"}, "2 fields folded: 1 row x 2 combinations of a, b"},
		{"unpivot '{@} {_}'", "id|kg May|kg June/1|2|3", []string{`"kg May" and "kg June" give the same labels: each makes a row`}, "2 fields folded: 1 row x 2 combinations"},
		{"unpivot '{m} {_:a|b}'", "id|May a|May b/1|2|3", []string{`"May a" and "May b" give the same labels: each makes a row`}, "2 fields folded: 1 row x 2 ms"},
		{"unpivot 'Week {n:#}'", "id|Week 1|Week 2|week 3|Week  4|Week 5 (est)|est Week 6|Weekly/1|2|3|4|5|6|7|8", []string{"kept, though named like the folded fields: week 3, Week  4, Week 5 (est), est Week 6"}, "2 fields folded: 1 row x 2 ns"},
	} {
		s, err := steptest.Made(c.line)
		require.NoError(t, err)
		in := steptest.Parse(c.in)
		bound, err := s.Capabilities().Rows(schemaOf(in))
		require.NoError(t, err)
		assert.Equal(t, c.notes, bound.Notes, c.line)
		_, tally, err := steptest.Run(s, in, 10, steptest.Plain)
		require.NoError(t, err)
		assert.Equal(t, c.tell, bound.Summary(&tally), c.line)
	}
}

func TestLinesFollowTheRows(t *testing.T) {
	s, err := steptest.Made("unpivot a,b --skip-blank")
	require.NoError(t, err)
	out, _, err := steptest.Run(s, steptest.Parse("a|b/1|2/|/|3"), 2, steptest.Plain)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 2, 4}, out.Lines)
	again, _, err := steptest.Run(must(t, "unpivot label,value --label l --value v"), steptest.Table{Names: out.Names, Rows: out.Rows}, 2, steptest.Plain)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 2, 3, 3, 4, 4}, again.Lines)
}

func must(t *testing.T, line string) step.Step {
	s, err := steptest.Made(line)
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
		s, err := steptest.Made("unpivot /^w/")
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

// TestUnpivotAndPivotAreInverse: through one pattern the table comes back, where
// the kept fields tell the rows apart and no cell is blank.
func TestUnpivotAndPivotAreInverse(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		months, measures := rapid.IntRange(1, 4).Draw(rt, "months"), rapid.IntRange(2, 3).Draw(rt, "measures")
		in := steptest.Table{Names: []string{"id"}}
		for m := range months {
			for k := range measures {
				in.Names = append(in.Names, fmt.Sprintf("m%d k%d", m, k))
			}
		}
		cell := rapid.StringMatching(`[0-9a-z ,."]{1,4}`)
		for r := range rapid.IntRange(1, 6).Draw(rt, "rows") {
			in.Rows = append(in.Rows, append([]string{fmt.Sprint(r)}, rapid.SliceOfN(cell, months*measures, months*measures).Draw(rt, "row")...))
		}
		long, _, err := steptest.Run(must(t, "unpivot '{month} {@}' --among '!id'"), in, 3, steptest.Plain)
		require.NoError(rt, err)
		line := "pivot --down id --across month --name '{month} {@}'"
		for k := range measures {
			line += fmt.Sprintf(" --cell k%d", k)
		}
		back, _, err := steptest.Run(must(t, line), steptest.Table{Names: long.Names, Rows: long.Rows}, 2, steptest.Coded)
		require.NoError(rt, err)
		require.Equal(rt, in.Names, back.Names)
		require.Equal(rt, in.Rows, back.Rows)
	})
}

// TestTotalsCoverTheRows: totals equal the calculation over all rows.
func TestTotalsCoverTheRows(t *testing.T) {
	for _, f := range []string{"sum(v)", "mean(v)", "median(v)", "max(v)", "stdev(v)", "distinct(v)", "mode(v)", "first(v)", "p90(v)", "count(v)", "join(v, \"+\")", "var(v * 2)"} {
		rapid.Check(t, func(rt *rapid.T) {
			in := steptest.Table{Names: []string{"k", "q", "v"}}
			for range rapid.IntRange(1, 12).Draw(rt, "rows") {
				in.Rows = append(in.Rows, []string{
					rapid.SampledFrom([]string{"a", "b", ""}).Draw(rt, "k"), rapid.SampledFrom([]string{"x", "y"}).Draw(rt, "q"),
					rapid.SampledFrom([]string{"", "1", "2.50", "-0.25", "1e3", "7"}).Draw(rt, "v")})
			}
			wide, _, err := steptest.Run(must(t, "pivot --down k --across q --totals both --cell '"+f+" as c'"), in, 4, steptest.Plain)
			require.NoError(rt, err)
			all, _, err := steptest.Run(must(t, "group --calc '"+f+"'"), in, 3, steptest.Plain)
			require.NoError(rt, err)
			byRow, _, err := steptest.Run(must(t, "group --by k --calc '"+f+" as c'"), in, 2, steptest.Runs)
			require.NoError(rt, err)
			last := wide.Rows[len(wide.Rows)-1]
			require.Equal(rt, all.Rows[0][0], last[len(last)-1], f)
			for i, row := range byRow.Rows {
				require.Equal(rt, row[1], wide.Rows[i][len(last)-1], f)
			}
		})
	}
}

// FuzzCastDate: what a form reads, it writes back but for case and leading zeros, and no day comes out that was not meant.
func FuzzCastDate(f *testing.F) {
	f.Add("3/4/2024", "%d/%m/%Y")
	f.Add("31 Feb 2024", "%d %b %Y")
	f.Add("2024-366", "%Y-%j")
	f.Fuzz(func(t *testing.T, cell, form string) {
		if strings.ContainsAny(form+cell, "'\"\n\r\\\x00") || !strings.Contains(form, "%") || cell == "" || len(form) > 30 {
			return
		}
		s, err := steptest.Made("cast d date --from '" + form + "'")
		if err != nil {
			return
		}
		out, _, err := steptest.Run(s, steptest.Table{Names: []string{"d"}, Rows: [][]string{{cell}}}, 1, steptest.Plain)
		if err != nil {
			return
		}
		_, ok := calendar.Parse(out.Rows[0][0])
		year := strings.SplitN(out.Rows[0][0], "-", 2)[0]
		require.True(t, ok || len(year) != 4, "%q by %q became %q", cell, form, out.Rows[0][0])
	})
}
