package joining_test

import (
	"testing"

	"revuelta/internal/step/steptest"
)

// TestSteps: what each step makes of a table, rows parted by / and cells by |, and the errors it gives.
func TestSteps(t *testing.T) {
	steptest.Steps(t, []steptest.Case{
		// join
		{"join two.csv --on a=k", "a|b/1|p/01|q/3|r/|s", "a|b|v|a (2)/1|p|x|p/01|q|y|q/3|r||/|s||"},
		{"join two.csv --on k --bring v --alone drop", "k|b/1|p/3|r", "k|b|v/1|p|x"},
		{"join two.csv --on k", "k|b/1|p/2|r", `error: line 3, field "k": "2" has 2 partners in two.csv`},
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

// TestPromises: each step keeps what all steps promise, in some uses on the fields a, b, c.
func TestPromises(t *testing.T) {
	steptest.Promises(t, map[string][]string{
		"join":   {"join letters.csv --on a=k --partners first", "join letters.csv --on a=k --bring n --alone drop --partners each", "join letters.csv --on b=k --alone keep --partners first", "join letters.csv --when 'a == k' --partners first"},
		"append": {"append more.csv", "append more.csv --source s"},
	})
}
