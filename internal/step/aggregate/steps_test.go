package aggregate_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/step/steptest"
)

// TestSteps: what each step makes of a table, rows parted by / and cells by |, and the errors it gives.
func TestSteps(t *testing.T) {
	steptest.Steps(t, []steptest.Case{
		// pivot
		{"pivot --across q --cell a", "k|q|a/1|x|7/1|y|8/2|y|9", "k|x|y/1|7|8/2||9"},
		{"pivot --down '' --across q --cell a", "k|q|a/1|x|7/1|y|8", "x|y/7|8"},
		{"pivot --down k --across q --cell a", "k|q|a/1|x|7/1|x|7", `two rows compete for "a" of one cell: "7" and "7", k "1", q "x"`},
		{"pivot --down k --across q --cell a", "k|q|a/1|x|7/1|x|/2||5", "k|x|no q/1|7|/2||5"},
		{"pivot --down k --across q,r --cell 'sum(a)'", "k|q|r|a/1|x|u|1/1|y|v|2/1|x|v|3", "k|x / u|y / v|x / v/1|1|2|3"},
		{"pivot --down k --across q,r --cell 'sum(a)' --name '{r} {q}'", "k|q|r|a/1|x|u|1/1|y|v|2/1|x|v|3/1|y|u|4", "k|u x|v y|v x|u y/1|1|2|3|4"},
		{"pivot --down k --across q,r --cell 'sum(a)' --name '{r} {q}' --order text", "k|q|r|a/1|x|u|1/1|y|v|2/1|x|v|3/1|y|u|4", "k|u x|u y|v x|v y/1|1|4|3|2"},
		{"pivot --down k --across q --cell 'sum(a)' --cell 'count()' --name '{@} {q}' --totals field", "k|q|a/1|y|1/1|x|2", "k|a y|a x|a Total|count y|count x|count Total/1|1|2|3|1|1|2"},
		{"pivot --down k --across q --cell 'sum(a)' --cell 'count()' --name '{q} {@}'", "k|q|a/1|y|1/1|x|2", "k|y a|y count|x a|x count/1|1|1|2|1"},
		{"pivot --down k --across q --cell 'sum(a)' --cell 'count()'", "k|q|a/1|x|1/1|y|2", "k|x / a|x / count|y / a|y / count/1|1|1|2|1"},
		{"pivot --down k --across q --cell 'sum(a)' --order text --empty -", "k|q|a/1|b|1/1||2/2|a|3", "k|a|b|no q/1|-|1|2/2|3|-|-"},
		{"pivot --down k --across q --cell 'sum(a)' --order number", "k|q|a/1|10|1/1|9|2/1|x|3", "k|9|10|x/1|2|1|3"},
		{"pivot --down k --across q,p --cell 'sum(a)' --order text", "k|q|p|a/1|x||1/1|y|u|2/1|x|u|3", "k|x / u|y / u|x / no p/1|3|2|1"},
		{"pivot --down k --across q --cell 'sum(a)' --order calendar", "k|q|a/1|Sept.|1/1|x|2/1||3/1|feb|4/1|January|5", "k|January|feb|Sept.|x|no q/1|5|4|1|2|3"},
		{"pivot --down k --across q --cell 'sum(a)' --order calendar --language de", "k|q|a/1|Okt|1/1|Mai|2/1|März|3", "k|März|Mai|Okt/1|3|2|1"},
		{"pivot --down k --across q,p --cell 'sum(a)' --order calendar --name '{p} {q}'", "k|q|p|a/1|Feb|H2|1/1|Jan|H2|2/1|Feb|H1|3", "k|H1 Feb|H2 Jan|H2 Feb/1|3|2|1"},
		{"pivot --down k --across q --cell a --order calendar --language xx", "k|q|a/1|x|1", `error: --language "xx": the names of months and weekdays are known in`},
		{"pivot --down k --across q --cell a --language de", "k|q|a/1|x|1", "error: --language goes with --order calendar"},
		{"pivot --down k --across q --cell 'sum(a)' --order natural", "k|q|a/1|d10|1/1|d9|2", "k|d9|d10/1|2|1"},
		{"pivot --down k --across q --cell 'sum(a)' --expect y,z,x --empty 0", "k|q|a/1|x|1/1|y|2", "k|y|z|x/1|2|0|1"},
		{"pivot --down k --across q --cell 'sum(a)' --expect y", "k|q|a/1|x|1/1|y|2", `error: line 2, field "q": "x" is not expected; expected are y`},
		{"pivot --down k --across q --cell 'sum(a)' --expect y --others drop --totals both", "k|q|a/1|x|1/1|y|2/2|x|5", "k|y|Total/1|2|2/2||/Total|2|2"},
		{"pivot --down k --across q --cell 'sum(a)' --expect y --others drop", "k|q|a/1|x|a lot/1|y|2/2|x|5", "k|y/1|2/2|"}, // what is dropped is not read
		{"pivot --down k --across q --cell a --expect y --others drop", "k|q|a/1|x|7/1|x|8/1|y|2", "k|y/1|2"},
		{"pivot --down k --across q --cell 'sum(a)' --expect y --others fold --totals row", "k|q|a/1|x|1/1|y|2/2|z|5/1|z|7", "k|y|others/1|2|8/2||5/Total|2|13"},
		{"pivot --down k --across q --cell a --expect y --others fold", "k|q|a/1|x|1/1|z|2", "two rows compete"},
		{"pivot --down k --across q --cell 'mean(a)' --totals field --totals-name all --decimals 2", "k|q|a/1|x|1/1|x|2/1|y|2", "k|x|y|all/1|1.50|2.00|1.67"},
		{"pivot --down k --across q --cell 'share(a)'", "k|q|a/1|x|1/2|x|3/1|y|5", "k|x|y/1|0.25|1/2|0.75|"},
		{"pivot --down k --across 'month(d)' --cell 'sum(a)' --name 'in {month}'", "k|d|a/1|2024-05-02|1/1|2024-05-30|2", "k|in 2024-05/1|3"},
		{"pivot --down 'year(d) as y' --across q --cell 'sum(a)'", "d|q|a/2024-05-02|x|1/2024-06-02|x|2", "y|x/2024|3"},
		{"pivot --down k --across q --cell 'sum(a)'", "k|q|a/1|x|1/1|y|x", `error: line 3, field "a": "x" is not a number`},
		{"pivot --down k --across 'month(d)' --cell 'sum(a)'", "k|d|a/1|x|1", `error: line 2, field "d": "x" is not a date`},
		{"pivot --down k --across q --cell 'sum(a)'", "k|q|a/1|k|1", `error: two fields would be named "k"`},
		{"pivot --down k --across q --cell 'sum(a)' --most-fields 1", "k|q|a/1|x|1/1|y|1", `error: this would make more than 1 fields; "q" alone has more than 1 values`},
		{"pivot --across q --cell 'smu(a)'", "q|a/1|2", "error: there is no calculation smu"},
		{"pivot --across q --cell a --totals row", "q|a/1|2", "error: --totals: a has no function"},
		{"pivot --across q --cell 'sum(a)' --totals row", "q|a/1|2", "error: a total row needs a field down the side"},
		{"pivot --across q --cell 'sum(a)' --name '{x}'", "q|a/1|2", "error: --name has the place {x}"},
		{"pivot --across q", "q|a/1|2", "error: pivot lacks --across or --cell"},
		{"pivot --down q --across q --cell a", "q|a/1|2", `error: "q" is both down and across`},
		// group
		{"group --by k --calc 'count()' --calc 'sum(a * 2) as d'", "k|a/1|1.50/2|/1|2", "k|count|d/1|2|7/2|1|"},
		{"group --calc 'count()' --calc 'sum(a)'", "a", "count|a/0|"},
		{"group --by k --calc 'sum(a)' --calc 'mean(a)' --calc 'p25(a)'", "k|a/1|1/1|2/1|4", "k|sum a|mean a|p25 a/1|7|2.3333333333333335|1.5"},
		{"group --by k --calc 'min(a)' --calc 'max(a) as z'", "k|a/1|010/1|9/1|9.0", "k|a|z/1|9|010"},
		{"group --by k --calc 'max(a)'", "k|a/1|2024-01-02/1|2023-12-31 10:00", "k|a/1|2024-01-02"},
		{"group --by k --calc 'max(a)'", "k|a/1|x/1|9", `error: max(a): the field mixes numbers and others, as "x" and "9"`},
		{"group --by k --calc 'max(text(a))'", "k|a/1|x/1|9", "k|text(a)/1|x"},
		{"group --by k --calc 'first(a)' --calc 'last(a) as l' --calc 'mode(a) as m' --calc 'distinct(a) as n'", "k|a/1|/1|x/1|y/1|y/1|", "k|a|l|m|n/1|x|y|y|2"},
		{"group --by k --calc 'var(a)' --calc 'stdev(a) as s' --calc 'median(a) as m'", "k|a/1|2/1|4/1|9/2|1", "k|a|s|m/1|13|3.605551275463989|4/2|||1"},
		{"group --by k --calc 'share(a)' --decimals 1", "k|a/1|1/2|2", "k|a/1|0.3/2|0.7"},
		{"group --by k --calc 'sum(a) as t' --each-row", "k|a/1|1/2|5/1|2", "k|a|t/1|1|3/2|5|5/1|2|3"},
		{"group --by k --calc 'sum(a) as t' --calc 'count()' --each-row --running b", "k|b|a/1|3|1.25/1|1|5/2|9|7/1|2|/1|10|0.5", "k|b|a|t|count/1|3|1.25|6.25|3/1|1|5|5|1/2|9|7|7|1/1|2||5|2/1|10|0.5|6.75|4"},
		{"group --calc 'max(a) as m' --calc 'mean(a) as d' --each-row --running 'b desc' --decimals 1", "b|a/1|2/3|5/2|1", "b|a|m|d/1|2|5|2.7/3|5|5|5.0/2|1|5|3.0"},
		{"group --calc 'sum(a) as t' --each-row --running b", "b|a/1|x", `error: line 2, field "a": "x" is not a number`},
		{"group --calc a --each-row --running b", "b|a/1|x", "error: --running: a means exactly one value"},
		{"group --calc 'share(a)' --each-row --running b", "b|a/1|x", "error: --running: share(a) is a part of a total"},
		{"group --calc 'sum(a)' --running b", "b|a/1|x", "error: --running goes with --each-row"},
		{"group --by k --calc 'mean(*)'", "k|a|b c/1|2|5/1|4|5.5", "k|a|b c/1|3|5.25"},
		{"group --by k --calc 'count(*)' --calc 'sum(a) as t'", "k|a|b/1|2|/1|4|5.5", "k|b|t/1|1|6"},
		{"group --by 'year(d)' --calc 'max(*)'", "d|a/2024-05-02|1/2024-06-02|2", "year|a/2024|2"},
		{"group --by k --calc 'mean(*)'", "k/1", "error: mean(*): no field is left"},
		{"group --by k --calc 'mean(*) as m'", "k|a/1|2", "error: mean(*) as m is several calculations"},
		{"pivot --down k --across q --cell 'sum(*)'", "k|q|a|b/1|x|1|2/1|y|3|4/1|x|5|6", "k|x / a|x / b|y / a|y / b/1|6|8|3|4"},
		{"pivot --across q --cell 'sum(*)'", "k|q|a/1|x|1", "error: sum(*) takes the fields that nothing else looks at, and so does --down"},
		{"group --by k --calc 'sum(a) as k'", "k|a/1|1", `error: two fields would be named "k"`},
		{"group --by k", "k|a/1|1", "error: group lacks --calc"},
	})
}

// TestPromises: each step keeps what all steps promise, in some uses on the fields a, b, c.
func TestPromises(t *testing.T) {
	steptest.Promises(t, map[string][]string{
		"pivot": {"pivot --down c,b --across a --cell 'count()'", "pivot --across a --cell 'last(b)' --down c --totals field"},
		"group": {"group --by c --calc 'count()' --calc 'distinct(a)' --calc 'join(b, \"+\")' --calc 'mode(a)'", "group --by c,a --calc 'max(b) as m' --each-row", "group --by c --calc 'count() as m' --each-row --running b"},
	})
}

// TestRunningIsWhatGroupsGive: the result so far on a row is that of the rows up to it, in their order, grouped by themselves.
func TestRunningIsWhatGroupsGive(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		run := func(line, text string) string {
			made, err := steptest.Made(line)
			require.NoError(rt, err)
			out, _, err := steptest.Run(made, steptest.Parse(text), 7, steptest.Plain)
			require.NoError(rt, err)
			return steptest.Text(out)
		}
		calc := rapid.SampledFrom([]string{"count()", "sum(a)", "mean(a)", "min(a)", "max(a)", "first(a)", "last(a)", "stdev(a)", "median(a)", "p90(a)", "distinct(a)", "mode(a)", `join(a, "+")`}).Draw(rt, "calc")
		n := rapid.IntRange(1, 30).Draw(rt, "rows")
		type row struct {
			key, cell string
			at        int
		}
		rows := make([]row, n)
		text := "k|b|a"
		for i := range rows {
			rows[i] = row{rapid.SampledFrom([]string{"x", "y"}).Draw(rt, "key"), rapid.SampledFrom([]string{"", "1", "2.50", "-3", "2.5"}).Draw(rt, "cell"), rapid.IntRange(0, 12).Draw(rt, "at")}
			text += fmt.Sprintf("/%s|%d|%s", rows[i].key, rows[i].at, rows[i].cell)
		}
		order := make([]int, n)
		for i := range order {
			order[i] = i
		}
		slices.SortStableFunc(order, func(i, j int) int { return rows[i].at - rows[j].at })
		want := make([]string, n)
		so := map[string]string{}
		for _, i := range order {
			r := rows[i]
			so[r.key] += "/" + r.key + "|" + r.cell
			grouped := run("group --by k --calc '"+calc+" as c'", "k|a"+so[r.key])
			want[i] = grouped[strings.LastIndex(grouped, "|")+1:]
		}
		out := "k|b|a|c"
		for i, r := range rows {
			out += fmt.Sprintf("/%s|%d|%s|%s", r.key, r.at, r.cell, want[i])
		}
		require.Equal(rt, out, run("group --by k --calc '"+calc+" as c' --each-row --running b", text), "%s on %s", calc, text)
	})
}
