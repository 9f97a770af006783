package numeral

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func scales(t *testing.T, s string) []Scale {
	out, err := ParseScales(s)
	require.NoError(t, err)
	return out
}

// TestRead: what forms make of texts; "" where they are no number.
func TestRead(t *testing.T) {
	sizes := scales(t, "k=1000,M=1000000,%=0.01,kg=1,g=0.001")
	for _, c := range []struct {
		form       Form
		texts, out string // parted by |
	}{
		{Form{}, "1.10|007|-0|+5| 3 |\u22123.25|.5|5.|1,5|(3)|3-|1 000|", "1.10|7|0|5|3|-3.25|0.5||||||"},
		{Form{Decimal: ",", Thousands: "."}, "1.234,50|1.234|12.34|1,5|1.5,0|-1.000", "1234.50|1234||1.5||-1000"},
		{Form{Strip: "€kg"}, "€ 12.50|3 kg|-€5|€\u22125|k", "12.50|3|-5|-5|"},
		{Form{Negative: []string{"(n)", "n-", "n CR"}}, "(3)|( 3.50 )|(-3)|(\u22125)|7-|7 -|12 CR|12CR|-4|(0)|()|88", "-3|-3.50|||-7|-7|-12|-12|-4|0||88"},
		{Form{Negative: []string{"(n)"}, Strip: "€"}, "(€ 5)|€ (5)|(5)€", "-5||"},
		{Form{Negative: []string{"minus n"}}, "minus 3|minus", "-3|"},
		{Form{Scales: sizes}, "1.5k|12 g|2 kg|12.50%|7.10|-0.10k|3.7x|k|9007199254740993k", "1500|0.012|2|0.125|7.10|-100|||9007199254740993000"},
		{Form{Scales: sizes, Negative: []string{"(n)"}, Strip: "$"}, "($1.5k)|$(1k)", "-1500|"},
	} {
		want := strings.Split(c.out, "|")
		for i, text := range strings.Split(c.texts, "|") {
			got, ok := c.form.Read(text)
			assert.Equal(t, want[i], got, "%q by%s", text, c.form.Options())
			assert.Equal(t, want[i] != "", ok, "%q", text)
		}
	}
}

func TestWrongForms(t *testing.T) {
	for _, form := range []string{"", "n", " n ", "x", "nn", "n n", "minus"} {
		assert.Error(t, ParseNegative(form), form)
	}
	for _, list := range []string{"", "k", "k=", "=5", "k=0", "k=-1", "k=x", "k=1,k=2", "2=5", "-=1", "k=1,"} {
		_, err := ParseScales(list)
		assert.Error(t, err, list)
	}
	assert.NoError(t, ParseNegative("n CR"))
	assert.NoError(t, ParseNegative("−n"))
}

// TestReadings: what a text may be, as options of cast with the number that they give; nothing where it would be a guess.
func TestReadings(t *testing.T) {
	for _, c := range []struct {
		text, told string // what is told already: the decimal mark, then what is stripped
		want       string
	}{
		{"12,5 kg", "", "--decimal , --strip kg=12.5"}, {"3,178", "", "--decimal ,=3.178|--thousands ,=3178"}, {"1.234,50", "", "--decimal , --thousands .=1234.50"}, {"1,234.50", "", "--thousands ,=1234.50"},
		{"1,234,567", "", "--thousands ,=1234567"}, {"1.234.567", "", "--decimal , --thousands .=1234567"}, {"1 234,5", "", "--decimal , --thousands ' '=1234.5"}, {"1'234.5", "", `--thousands ''"'"''=1234.5`},
		{"5-", "", "--negative n-=-5"}, {"(45.85)", "", "--negative '(n)'=-45.85"}, {"10.00 CR", "", "--negative 'n CR'=-10.00"}, {"5\u2212", "", "--negative 'n\u2212'=-5"}, {"(1,5)", "", "--decimal , --negative '(n)'=-1.5"},
		{"1.5k", "", "--scale 'k=1000'=1500"}, {"2 Mio.", "", "--scale 'Mio.=1000000'=2000000"}, {"12%", "", "--scale '%=0.01'=0.12|--strip %=12"}, {"-€5", "", "--strip '€'=-5"}, {"EUR 7", "", "--strip EUR=7"}, {"€ −5", "", "--strip '€'=-5"},
		{"12 lb", ".kg", ""}, {"n/k", "", ""}, {"about 5", "", ""}, {"<5", "", ""}, {"5-7", "", ""}, {"2024-05-02", "", ""}, {"12:30", "", ""}, {"+49 30 123", "", ""}, {"", "", ""}, {"kg", "", ""}, {"5 + 3", "", ""}, {"(a)", "", ""},
		{"1.5", ",", ""}, {"1.234", ",", "--decimal , --thousands .=1234"}, {"12 tons of honey", "", ""}, {"A12", "", "--strip A=12"}, {"7 DR", "", "--strip DR=7"},
	} {
		var f Form
		if c.told != "" {
			f.Decimal, f.Strip = c.told[:1], c.told[1:]
		}
		var got []string
		for _, r := range Readings(c.text, f) {
			got = append(got, strings.TrimSpace(r.Options())+"="+r.Number)
		}
		assert.Equal(t, c.want, strings.Join(got, "|"), c.text)
	}
}

// TestNoSignIsLost: whatever a number is dressed in, every reading of it has its sign, and the true one is among them.
func TestNoSignIsLost(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		digits := rapid.StringMatching(`[1-9][0-9]{0,2}`).Draw(rt, "first")
		plain := digits
		thousands := rapid.SampledFrom([]string{"", ",", ".", "'", "\u00a0"}).Draw(rt, "thousands")
		groups := rapid.IntRange(0, 2).Draw(rt, "groups")
		for range groups {
			g := rapid.StringMatching(`[0-9]{3}`).Draw(rt, "group")
			digits, plain = digits+thousands+g, plain+g
		}
		if thousands != "." && rapid.Bool().Draw(rt, "decimals") {
			part := rapid.StringMatching(`[0-9]{1,2}`).Draw(rt, "part")
			digits, plain = digits+"."+part, plain+"."+part
		}
		text := digits
		negative := rapid.SampledFrom([]string{"", "-", "\u2212", "()", "n-", "CR"}).Draw(rt, "negative")
		dress := rapid.SampledFrom([]string{"", "€", "kg", " kg"}).Draw(rt, "dress")
		if dress == "€" {
			text = "€" + text
		} else {
			text += dress
		}
		switch negative {
		case "()":
			text = "(" + text + ")"
		case "n-":
			text += "-"
		case "CR":
			text += " CR"
		default:
			text = negative + text
		}
		want := plain
		if negative != "" {
			want = "-" + plain
		}
		found := false
		for _, r := range Readings(text, Form{}) {
			require.Equal(rt, negative != "", strings.HasPrefix(r.Number, "-"), "%q is read as %s by%s", text, r.Number, r.Options())
			again, ok := r.Form.Read(text)
			require.True(rt, ok)
			require.Equal(rt, r.Number, again)
			found = found || r.Number == want
		}
		if thousands == "." && groups == 1 {
			return // 1.000 is a number as it stands
		}
		require.True(rt, found, "%q is never %s", text, want)
	})
}

// FuzzQuick: what is read quickly is read by the plain reader, and as the same.
func FuzzQuick(f *testing.F) {
	for _, cell := range []string{"113.71", "-0.50", "007", "1.234,50", "1,234,567.5", "-12", "1.2345", "12,", ",5", "0", "-0", "-0.00", "1.234.56", "1234.567,8", "(5)", "5-", "1e5", "+3", "999999999999999999", "1 234", "00,5", "1..2"} {
		f.Add(cell, "", "", "", "")
		f.Add(cell, ",", ".", "", "n-")
		f.Add(cell, ".", ",", "€", "(n)")
		f.Add(cell, ",", "", ".", "-n")
	}
	f.Fuzz(func(t *testing.T, cell, point, mark, strip, negative string) {
		form := Form{Decimal: point, Thousands: mark, Strip: strip}
		if len([]rune(point)) > 1 || len([]rune(mark)) > 1 || point == mark && mark != "" || point == "" && mark == "." || strings.ContainsAny(strip, "+-()\u2212") {
			return // cast refuses those
		}
		if negative != "" {
			if ParseNegative(negative) != nil {
				return
			}
			form.Negative = []string{negative}
		}
		quick := form.Quick()
		if quick == nil {
			return
		}
		if got, ok := quick(cell); ok {
			want, fits := form.Read(cell)
			assert.True(t, fits, "%q by %+v", cell, form)
			assert.Equal(t, want, got, "%q by %+v", cell, form)
		}
	})
}
