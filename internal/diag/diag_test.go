package diag

import (
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
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

// TestVisible: what acts on a terminal or can't be seen is spelled out, what people write is not.
func TestVisible(t *testing.T) {
	for in, want := range map[string]string{
		"": "", "net kg": "net kg", "a\nb\rc\td": `a\nb\rc\td`, "\x1b[31m": `\x1b[31m`, "\u0085\u009b": `\x85\x9b`, "\x7f": `\x7f`, "é\xff": `é\xff`, "\uFFFD": "\uFFFD",
		"kg\u202Egnp": `kg\u202egnp`, "a\u2028b\u2029\u2066": `a\u2028b\u2029\u2066`, "\uFEFFa\u200B\u00AD": `\ufeffa\u200b\u00ad`, "\U000E0041": `\ue0041`,
		"می\u200Cخواهم 👩\u200D🌾 🐝\uFE0F \u0600\u0661": "می\u200Cخواهم 👩\u200D🌾 🐝\uFE0F \u0600\u0661",
	} {
		assert.Equal(t, want, Visible(in))
	}
	assert.Equal(t, "a\n\\x1bb\n", Lines("a\n\x1bb\n"))
	rapid.Check(t, func(rt *rapid.T) {
		in := string(rapid.SliceOf(rapid.Byte()).Draw(rt, "bytes")) + rapid.String().Draw(rt, "text")
		for _, out := range []string{Visible(in), Quote(in), Cut(Visible(in)), strings.ReplaceAll(Lines(in), "\n", ""), Names([]string{in}), Dataf("%s", in).At(in, 1).InField(in).Error()} {
			require.True(rt, utf8.ValidString(out))
			require.False(rt, strings.ContainsFunc(out, func(r rune) bool {
				return unicode.IsControl(r) || unicode.In(r, unicode.Bidi_Control, unicode.Zl, unicode.Zp)
			}), "%q", out)
		}
		require.Equal(rt, Visible(in), Visible(Visible(in)))
	})
}

// TestMessagesAreShort: however long what they tell of is, and however many there are.
func TestMessagesAreShort(t *testing.T) {
	long := strings.Repeat("é", 60_000)
	assert.Equal(t, strings.Repeat("é", 150)+"…"+strings.Repeat("é", 25)+" b", Cut(long+" b"))
	assert.Equal(t, 1500+1+250, utf8.RuneCountInString(Cut(strings.Repeat("é ", 60_000))))
	path := strings.Repeat("folder/", 20) + "harvest.csv"
	assert.Equal(t, path, Cut(path))
	e := Dataf("%s is no step", long).At(long, 3).InField(long).Trying(long, "--set-aside FILE")
	assert.Less(t, len(e.Error()), 1200)
	said := Render("revuelta", e)
	assert.Less(t, len(said), 1300)
	assert.True(t, strings.HasSuffix(said, "\n  try: --set-aside FILE\n"), "advice that was cut would do something else")
	var many List
	for range 20_000 {
		many = append(many, e)
	}
	said = Render("revuelta", many)
	assert.Less(t, len(said), 20*1400)
	assert.True(t, strings.HasSuffix(said, "\nrevuelta: and 19,980 more errors\n"))
	assert.NotContains(t, Render("revuelta", many[:20]), "more error")
	assert.True(t, strings.HasSuffix(Render("revuelta", many[:21]), "and 1 more error\n"))
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
