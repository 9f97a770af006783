package diag

import (
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestRender(t *testing.T) {
	for _, c := range []struct {
		err  error
		want string
	}{
		{Dataf("%s is not a number", Quote("12,5 kg")).At("harvest.csv", 214).InField("kilos").Trying("cast kilos number --decimal , --strip kg", "--set-aside aside.csv"),
			"p: harvest.csv line 214, field \"kilos\": \"12,5 kg\" is not a number\n  try: cast kilos number --decimal , --strip kg     or: --set-aside aside.csv\n"},
		{&Error{Plan: "a.plan", PlanLine: 3, Step: "cast", File: "x.csv", Text: "no"}, "p: a.plan line 3 (cast): x.csv: no\n"},
		{&Error{Plan: "a.plan", PlanLine: 3, Text: "no", Try: []string{"did you mean yes?"}}, "p: a.plan line 3: no\n  did you mean yes?\n"},
		{&Error{Field: "a, b", Text: "no", Try: []string{strings.Repeat("x", 50), strings.Repeat("y", 50)}}, "p: field \"a, b\": no\n  try: " + strings.Repeat("x", 50) + "\n   or: " + strings.Repeat("y", 50) + "\n"},
		{List{Usagef("one"), Usagef("two")}, "p: one\np: two\n"},
		{errors.New("plain"), "p: plain\n"},
		{&Error{File: "b.xlsx", Sheet: "May", Line: 2, Text: "no"}, "p: b.xlsx sheet \"May\" line 2: no\n"},
	} {
		assert.Equal(t, c.want, Render("p", c.err))
	}
}

func TestStatus(t *testing.T) {
	assert.Equal(t, Done, StatusOf(nil))
	assert.Equal(t, Usage, StatusOf(fmt.Errorf("wrapped: %w", Usagef("x"))))
	assert.Equal(t, Data, StatusOf(List{Dataf("x"), Usagef("y")}))
	assert.Equal(t, System, StatusOf(errors.New("x")))
	assert.ErrorIs(t, Systemf("%v", fs.ErrNotExist), fs.ErrNotExist)
}

func TestQuote(t *testing.T) {
	for in, want := range map[string]string{
		"a\nb\t\r\x00": `"a\nb\t\r\x00"`, "ñ\"": `"ñ""`, "\xff": `"\xff"`, "\uFFFD": "\"\uFFFD\"", strings.Repeat("é", 41): `"` + strings.Repeat("é", 40) + `…"`, "": `""`,
	} {
		assert.Equal(t, want, Quote(in))
	}
}

func TestWords(t *testing.T) {
	for n, want := range map[int64]string{0: "0", 999: "999", 1000: "1,000", -1234567: "-1,234,567", 100000: "100,000"} {
		assert.Equal(t, want, Count(n))
	}
	assert.Equal(t, "1 row", Plural(1, "row"))
	assert.Equal(t, "2 apiaries", Plural(2, "apiary"))
	assert.Equal(t, "2 days", Plural(2, "day"))
	assert.Equal(t, "2 boxes", Plural(2, "box"))
	assert.Equal(t, `a b, "c,d", "", " e"`, Names([]string{"a b", "c,d", "", " e"}))
	many := make([]string, 25)
	for i := range many {
		many[i] = "f"
	}
	assert.True(t, strings.HasSuffix(Names(many), "f and 5 more"))
}

func TestNearest(t *testing.T) {
	assert.Equal(t, "sort", Nearest("srot", []string{"set", "sort", "split"}), "two letters that changed places are one mistake")
	names := []string{"colony", "Jan", "Mar", "net kilos", "keeper"}
	for word, want := range map[string]string{"Mrz": "Mar", "COLONY": "colony", "netkilos": "net kilos", "keepr": "keeper", "kilos": "net kilos", "nobody": "", "": "", "x": "", "Ja": "Jan", "kg": "", "clo": "",
		"net": "net kilos", "Mra": "Mar", "keeprs": "keeper", "kee pers": "keeper", "colnoy": "colony"} {
		assert.Equal(t, want, Nearest(word, names), word)
	}
}

func TestFold(t *testing.T) {
	assert.Equal(t, []string{"one two", "three four", "five"}, Fold("one two three four five", 10))
	assert.Equal(t, []string{"averylongword", "b"}, Fold("averylongword b", 10))
	assert.Equal(t, []string{"a b c"}, Fold("a b c", 0))
	assert.Equal(t, "  a  b", strings.Join(Fold("  a  b", 40), ""))
}
