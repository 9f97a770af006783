package joining_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/step/steptest"
)

// TestSteps: what each step makes of a table, rows parted by / and cells by |, and the errors it gives.
func TestSteps(t *testing.T) {
	steptest.Steps(t, []steptest.Case{
		// join
		{"join two.csv --on a=k", "a|b/1|p/01|q/3|r/|s", "a|b|v|a (2)/1|p|x|p/01|q|y|q/3|r||/|s||"},
		{"join two.csv --on k --bring v --alone drop", "k|b/1|p/3|r", "k|b|v/1|p|x"},
		{"join two.csv --on k", "k|b/1|p/2|r", `error: line 3, field "k": "2" has 2 partners in two.csv, lines 4 and 5`},
		{"join ranges.csv --when 'day >= from'", "day/6/1", `error: line 2: the row with day "6" has 2 partners in ranges.csv, lines 2 and 3`},
		{"join ranges.csv --when 'day < from' --alone error", "day/6/9", `error: line 3: the row with day "9" has no partner in ranges.csv`},
		{"join two.csv --on k --bring v --partners each", "k|b/1|p/2|r/1|q", "k|b|v/1|p|x/2|r|z/2|r|w/1|q|x"},
		{"join two.csv --on k --bring v --partners first", "k|b/2|r", "k|b|v/2|r|z"},
		{"join two.csv --on k,a --bring v", "k|a/2|s/2|p", "k|a|v/2|s|w/2|p|"},
		{"join two.csv --on k --bring v --when 'v == b'", "k|b/2|w/1|y", "k|b|v/2|w|w/1|y|"},
		{"join two.csv --on k --bring v --when 'v == \"never\"'", "k|b/1|w/01|y", "k|b|v/1|w|/01|y|"}, // the keys are there
		{"join two.csv --on k --when 'v == \"never\"'", "k|b/7|w", "error: no key of 1 row matches one of two.csv; none would without spaces, case or leading zeros either"},
		{"join two.csv --on k --alone error", "k/3", `error: line 2, field "k": "3" has no partner in two.csv`},
		{"join ranges.csv --when 'day >= from and day < to' --bring season", "day/1/5/4.5/9", "day|season/1|spring/5|summer/4.5|spring/9|late"},
		{"join ranges.csv --when 'day >= from + 0 and day < to + 0' --bring season", "day/8", `error: line 2: field "to" of ranges.csv: "x" is not a number`},
		{"join ranges.csv --when 'day >= from and from != 7 and day < to' --bring season", "day/1/5/4.5/0", "day|season/1|spring/5|summer/4.5|spring/0|"},
		{"join two.csv --on k --when 'a > 1'", "k|a/1|1", `error: --when: both tables have a field "a"`},
		{"join two.csv --on k=x", "k/1", `error: two.csv: there is no field "x"`},
		{"join two.csv --on x=k", "k/1", `error: there is no field "x"`},
		{"join two.csv", "k/1", "error: join lacks --on"},
		{"join none.csv --on k", "k/1", "error: none.csv: there is no such file"},
		{"join @there --on k", "k/1", "error: nothing was marked @there above"},
		{"join empty.csv --on k --alone keep", "k|v/1|x", "error: no key of 1 row matches one of empty.csv"},
		// append
		{"append two.csv", "v|k/x|1", "v|k|a/x|1|/x|1|p/y|01|q/z|2|r/w|2|s/blank||t"},
		{"append empty.csv", "b|k/x|1", "b|k|v/x|1|"},
		{"append empty.csv", "c|b/x|1", "error: the tables have no field in common"},
		{"append two.csv --source v", "v|k/x|1", `error: two fields would be named "v"`},
	})
}

// TestRanges: what is found by sorted search is what the formula finds row by row, whatever stands in the cells: numbers in several
// forms, texts, blanks, and with keys.
func TestRanges(t *testing.T) {
	t.Chdir(t.TempDir())
	cell := rapid.SampledFrom([]string{"", "1", "1.0", "02", "3", "-4", "12", "7.5", "9", "2024-05-02", "2024-05-01T10:00", "b", "B", "é"})
	number := rapid.SampledFrom([]string{"", "1", "1.0", "02", "3", "-4", "12", "7.5", "9"})
	text := rapid.SampledFrom([]string{"", "2024-05-02", "2024-05-01", "2024-05-01T10:00", "b", "B"})
	rapid.Check(t, func(rt *rapid.T) {
		one := rapid.SampledFrom([]*rapid.Generator[string]{cell, number, text}).Draw(rt, "cells of the one")
		other := rapid.SampledFrom([]*rapid.Generator[string]{cell, number, text}).Draw(rt, "cells of the other")
		rows := rapid.IntRange(0, 60).Draw(rt, "rows")
		var file strings.Builder
		file.WriteString("k,from,to,id\n")
		for i := range rows {
			fmt.Fprintf(&file, "%d,%s,%s,%d\n", i%3/2, one.Draw(rt, "from"), other.Draw(rt, "to"), i)
		}
		require.NoError(rt, os.WriteFile("spans.csv", []byte(file.String()), 0o644))
		in := steptest.Table{Names: []string{"k", "x", "y"}}
		for range rapid.IntRange(1, 8).Draw(rt, "rows here") {
			in.Rows = append(in.Rows, []string{rapid.SampledFrom([]string{"0", "1", "2"}).Draw(rt, "k"), one.Draw(rt, "x"), other.Draw(rt, "y")})
		}
		op := rapid.SampledFrom([]string{"<", "<=", ">", ">="})
		var parts []string
		for range rapid.IntRange(1, 3).Draw(rt, "comparisons") {
			l, r := rapid.SampledFrom([]string{"x", "y"}).Draw(rt, "l"), rapid.SampledFrom([]string{"from", "to", "x"}).Draw(rt, "r")
			if rapid.Bool().Draw(rt, "turned") {
				l, r = r, l
			}
			parts = append(parts, l+" "+op.Draw(rt, "op")+" "+r)
		}
		if rapid.Bool().Draw(rt, "more") {
			parts = append(parts, "id != 3")
		}
		rest := rapid.SampledFrom([]string{" --partners each", " --partners first", " --partners each --alone drop", " --partners each --on k"}).Draw(rt, "rest")
		when := strings.Join(parts, " and ")
		fast, err := steptest.Made("join spans.csv --when '" + when + "'" + rest)
		require.NoError(rt, err)
		plain, err := steptest.Made("join spans.csv --when 'not (1 == 2) and (" + when + ")'" + rest) // does not begin with a comparison of fields
		require.NoError(rt, err)
		want, _, fail := steptest.Run(plain, in, 3, steptest.Plain)
		got, _, err := steptest.Run(fast, in, 3, steptest.Plain)
		if fail != nil { // no key matches
			require.Error(rt, err)
			return
		}
		require.NoError(rt, err)
		require.Equal(rt, want.Rows, got.Rows, when+rest)
	})
}

// TestPromises: each step keeps what all steps promise, in some uses on the fields a, b, c.
func TestPromises(t *testing.T) {
	steptest.Promises(t, map[string][]string{
		"join":   {"join letters.csv --on a=k --partners first", "join letters.csv --on a=k --bring n --alone drop --partners each", "join letters.csv --on b=k --alone keep --partners first", "join letters.csv --when 'a == k' --partners first"},
		"append": {"append more.csv", "append more.csv --source s"},
	})
}
