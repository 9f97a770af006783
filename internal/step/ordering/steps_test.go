package ordering_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/step/steptest"
)

// TestSteps: what each step makes of a table, rows parted by / and cells by |, and the errors it gives.
func TestSteps(t *testing.T) {
	steptest.Steps(t, []steptest.Case{
		// fill
		{"fill a", "a|b/|1/x|2/|3/y|/|", "a|b/|1/x|2/x|3/y|/y|"},
		{"fill a,b --within k", "k|a|b/n|x|/s||/n||p/s|y|/n||/s||", "k|a|b/n|x|/s||/n|x|p/s|y|/n|x|p/s|y|"},
		{"fill a --up --within k", "k|a/1|/2|/1|x/2|y/1|", "k|a/1|x/2|y/1|x/2|y/1|"},
		{"fill a,b,c --right", "a|b|c/1||/|2|/||", "a|b|c/1|1|1/|2|2/||"},
		{"fill c,b --right", "a|b|c/1||/|2|/||", "a|b|c/1||/|2|2/||"}, // from within the selection only
		{"fill a,c --right", "a|b|c/1|x|/|y|", "a|b|c/1|x|1/|y|"},     // the nearest selected, whatever lies between
		{"fill a --with 0", "a|b/|1/x|", "a|b/0|1/x|"},
		{"fill a --right", "a|b/1|2", "error: fill --right fills from the left within the selection, which has one field only"},
		{"fill a --with ''", "a|b/1|2", "error: --with '' would leave the cells blank"},
		{"fill a --up --with x", "a|b/1|2", "error: --up and --with do not go together"},
		{"fill a --within a", "a|b/1|2", `error: "a" is to be filled, and --within looks at it`},
		{"fill x", "a|b/1|2", `error: there is no field "x"`},
		// sort
		{"sort a", "a|b/10|1/9|2/|3/9.0|4/-1|5", "a|b/-1|5/9|2/9.0|4/10|1/|3"},
		{"sort 'a desc'", "a|b/10|1/9|2/|3/9.0|4/1e2|5", "a|b/1e2|5/10|1/9|2/9.0|4/|3"},
		{"sort a", "a/10/x/9/", "a/10/9/x/"},
		{"sort a --order number", "a/10/x/9//b", "a/9/10/b/x/"},
		{"sort a --order natural", "a/h10/h9/h09/H1/h/", "a/H1/h/h09/h9/h10/"},
		{"sort 'b,a desc'", "a|b/1|x/2|y/3|x", "a|b/3|x/1|x/2|y"},
		{"sort 'a desc,b'", "a|b/-1|x/-1.0|w/2|y", "a|b/2|y/-1.0|w/-1|x"},
		{"sort 'a desc'", "a desc|b/2|x/1|y", "a desc|b/1|y/2|x"}, // a name that ends so
		{"sort /^[ab]/", "b|a/1|x/1|w", "b|a/1|w/1|x"},
		{"sort a", "a|b/ab|1/a|2/a\x00|3", "a|b/a|2/a\x00|3/ab|1"},
		{"sort x", "a/1", `error: there is no field "x"`},
		{"sort 'a,a'", "a/1", `error: "a" is sorted by twice`},
		{"sort a --order dates", "a/1", `error: --order "dates": it is one of number, text, natural`},
		// distinct
		{"first 2", "a|b/1|x/2|y/3|z", "a|b/1|x/2|y"},
		{"first 9", "a/1", "a/1"},
		{"first 1 --within a", "a|b/1|x/01|x/1|y/|z/|w", "a|b/1|x/01|x/|z"},
		{"first 0", "a/1", `error: first "0": it is a number of rows from 1 up`},
		{"first 2 --within x", "a/1", `error: there is no field "x"`},
		{"distinct", "a|b/1|x/01|x/1|x/1|y", "a|b/1|x/01|x/1|y"},
		{"distinct --by a", "a|b/1|x/01|x/1|x/1|y/|z/|w", "a|b/1|x/01|x/|z"},
		{"distinct --by a,b", "a|b/x|/|x/x|", "a|b/x|/|x"},
		{"distinct --by x", "a/1", `error: there is no field "x"`},
		// number
		{"number n", "a/x/y", "a|n/x|1/y|2"},
		{"number n --within a --every 2", "a/x/y/x/x", "a|n/x|1/y|1/x|1/x|2"},
		{"number n --cycle 2", "a/x/y/z", "a|n/x|1/y|2/z|1"},
		{"number n --when 'a == \"s\"' --within b", "a|b/x|1/s|1/x|1/s|2/s|1", "a|b|n/x|1|/s|1|1/x|1|1/s|2|1/s|1|2"},
		{"number n --by 'a desc'", "a/2/10/1/10", "a|n/2|3/10|1/1|4/10|2"},
		{"number n --by a --within b --every 2", "a|b/3|x/2|x/1|x/9|y", "a|b|n/3|x|2/2|x|1/1|x|1/9|y|1"},
		{"number a", "a/x", `error: two fields would be named "a"`},
		{"number n --every 0", "a/x", `error: --every "0": it is a number from 1 up`},
		{"number n --every 2 --cycle 2", "a/x", "error: --every and --cycle do not go together"},
		{"number n --when a", "a/x", "error: --when \"a\": the formula gives a value"},
		{"number n --when 'a > 1'", "a/2/x", `error: line 3, field "a": "x" is not a number`},
		// beside
		{"beside a --as n", "a/1/2/3", "a|n/1|2/2|3/3|"},
		{"beside a --as n --back 1 --else -", "a/1/2/3", "a|n/1|-/2|1/3|2"},
		{"beside a --as n --ahead 2 --within b", "a|b/1|x/2|x/3|y/4|x", "a|b|n/1|x|4/2|x|/3|y|/4|x|"},
		{"beside a --as n --by 'a desc'", "a/10/9/11", "a|n/10|9/9|/11|10"},
		{"beside a --as a", "a/1", `error: two fields would be named "a"`},
		{"beside a", "a/1", "error: beside lacks --as"},
		{"beside a --as n --ahead x", "a/1", `error: --ahead "x": it is a number from 1 up`},
		{"beside a --as n --ahead 1 --back 1", "a/1", "error: --ahead and --back do not go together"},
	})
}

// TestPromises: each step keeps what all steps promise, in some uses on the fields a, b, c.
func TestPromises(t *testing.T) {
	steptest.Promises(t, map[string][]string{
		"sort":     {"sort a", "sort 'b desc, a' --order natural", "sort c --order text", "sort 'a desc' --order number"},
		"distinct": {"distinct", "distinct --by a,c"},
		"first":    {"first 1000", "first 1 --within c"},
		"number":   {"number n", "number n --within a --every 2", "number n --cycle 3", "number n --when 'b == \"w0\"'", "number n --by 'b desc' --within a"},
		"beside":   {"beside a --as n", "beside a --as n --back 2 --within b", "beside b --as n --ahead 2 --by 'a desc' --else -"},
		"fill":     {"fill a,b", "fill a --within b", "fill a --up", "fill b --up --within a", "fill a,b --right", "fill a --with 0"},
	})
}

// TestFirstOfGroups: the first rows of each combination, however many there are, are those that counting one by one keeps.
func TestFirstOfGroups(t *testing.T) {
	for _, many := range []int{3, 40, 900} { // beyond 512, pairs do not stand in a table
		rapid.Check(t, func(rt *rapid.T) {
			in := steptest.Table{Names: []string{"a", "b", "c", "n"}}
			cell := rapid.Custom(func(rt *rapid.T) string { return fmt.Sprint("v", rapid.IntRange(0, many).Draw(rt, "value")) })
			rows := rapid.IntRange(1, 40).Draw(rt, "rows")
			for i := range rows * (1 + many/20) {
				in.Rows = append(in.Rows, []string{fmt.Sprint("v", i%(many+1)), cell.Draw(rt, "b"), "", fmt.Sprint(i)})
			}
			n := rapid.IntRange(1, 3).Draw(rt, "n")
			fields := rapid.SampledFrom([]string{"a", "b", "a,b", "c,a,b", "c"}).Draw(rt, "fields")
			var want [][]string
			seen := map[string]int{}
			for _, row := range in.Rows {
				key := ""
				for _, f := range strings.Split(fields, ",") {
					key += row[f[0]-'a'] + "|"
				}
				if seen[key]++; seen[key] <= n {
					want = append(want, row)
				}
			}
			made, err := steptest.Made(fmt.Sprintf("first %d --within %s", n, fields))
			require.NoError(rt, err)
			got, counters, err := steptest.Run(made, in, 7, steptest.Kind(rapid.IntRange(0, int(steptest.Kinds)-1).Draw(rt, "kind")))
			require.NoError(rt, err)
			require.Equal(rt, want, got.Rows)
			require.EqualValues(rt, len(in.Rows)-len(want), counters.LeftOut)
		})
	}
}
