package decimal

import (
	"bytes"
	"math"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestParse(t *testing.T) {
	for s, want := range map[string]string{
		"026": "26", "1.10": "1.1", "-.5": "-0.5", "+7": "7", "1e3": "1000", "1E-2": "0.01", "0.00": "0", "-0": "0",
		"9007199254740993": "9007199254740993", "123456789012345678901234567890.5": "123456789012345678901234567890.5",
		"1e21": "1e21", "1e20": "100000000000000000000", "1e400": "1e400", "0.1e1": "1", "9223372036854775808": "9223372036854775808",
		"": "-", "-": "-", ".": "-", "1.": "-", "1,5": "-", " 1": "-", "1 ": "-", "0x1": "-", "1e": "-", "1e+": "-", "1e401": "-",
		"1e999999999": "-", "Inf": "-", "NaN": "-", "1_0": "-", "--1": "-", "1e--2": "-", "1e-+2": "-", "1.2.3": "-", "e5": "-", ".e5": "-",
	} {
		d, ok := Parse(s)
		got := "-"
		if ok {
			got = d.String()
		}
		assert.Equal(t, want, got, "%q", s)
	}
}

func TestArithmetic(t *testing.T) {
	num := func(s string) D { d, ok := Parse(s); require.True(t, ok, s); return d }
	for _, c := range []struct{ a, op, b, want string }{
		{"0.1", "*", "3", "0.3"}, {"4", "*", "2.5", "10.0"}, {"0.1", "+", "0.20", "0.30"},
		{"9223372036854775807", "+", "1", "9223372036854775808"}, {"123456789012345678", "+", "0.001", "123456789012345678.001"},
		{"-9223372036854775808", "-", "1", "-9223372036854775809"}, {"999999999999999999", "*", "999999999999999999", "999999999999999998000000000000000001"},
		{"1", "/", "3", "0.333333333333333"}, {"10", "/", "4", "2.5"}, {"7.5", "%", "2", "1.5"}, {"-7", "%", "3", "-1"},
		{"1", "/", "0", "division by zero"}, {"1", "%", "0", "division by zero"}, {"1e400", "*", "1e400", "the result is too large"},
		{"1e400", "+", "1e-400", "1" + strings.Repeat("0", 400) + "." + strings.Repeat("0", 399) + "1"},
	} {
		var r D
		var err error
		switch c.op {
		case "+":
			r, err = num(c.a).Add(num(c.b))
		case "-":
			r, err = num(c.a).Sub(num(c.b))
		case "*":
			r, err = num(c.a).Mul(num(c.b))
		case "/":
			r, err = num(c.a).Div(num(c.b))
		case "%":
			r, err = num(c.a).Mod(num(c.b))
		}
		got := string(r.Append(nil))
		if err != nil {
			got = err.Error()
		}
		assert.Equal(t, c.want, got, "%s %s %s", c.a, c.op, c.b)
	}
	for _, c := range []struct {
		in   string
		n    int
		want string
	}{{"2.5", 0, "2"}, {"3.5", 0, "4"}, {"-2.5", 0, "-2"}, {"-3.5", 0, "-4"}, {"1.005", 2, "1.00"}, {"1.0051", 2, "1.01"}, {"7", 2, "7"}, {"12345678901234567890.55", 1, "12345678901234567890.6"}, {"-12345678901234567890.45", 1, "-12345678901234567890.4"},
		{"0.0000000000000000000000000000000000125", 33, "0.000000000000000000000000000000000"}, {"-1.25e-40", 41, "-1.2e-40"}, {"1234567890123456789012345e10", 0, "1.234567890123456789012345e34"}, {"55", -1, "60"}, {"45", -1, "40"}} {
		assert.Equal(t, c.want, string(num(c.in).Round(c.n).Append(nil)), c.in)
	}
	assert.Equal(t, "-2", num("-1.5").Floor().String())
	assert.Equal(t, "-12345678901234567891", num("-12345678901234567890.5").Floor().String())
	assert.Equal(t, "-12345678901234567890", num("-12345678901234567890.5").Ceil().String())
	assert.Equal(t, "-1", num("-1.5").Ceil().String())
	assert.Equal(t, "1.50", string(num("1.5").AppendScaled(nil, 2)))
	assert.Equal(t, "3.00", string(num("3").AppendScaled(nil, 2)))
}

// FuzzAgainstBig compares with math/big's rationals.
func FuzzAgainstBig(f *testing.F) {
	f.Add("0.1", "0.2")
	f.Add("-9223372036854775808", "1e-18")
	f.Add("123456789012345678", "0.001")
	f.Fuzz(func(t *testing.T, a, b string) {
		x, ok1 := Parse(a)
		y, ok2 := Parse(b)
		if !ok1 || !ok2 || len(a) > 100 || len(b) > 100 {
			return
		}
		rx, ok := new(big.Rat).SetString(a)
		require.True(t, ok, a)
		ry, ok := new(big.Rat).SetString(b)
		require.True(t, ok, b)
		same := func(want *big.Rat, got D, err error) {
			if err != nil {
				return // too large
			}
			text := string(got.Append(nil))
			r, ok := new(big.Rat).SetString(text)
			require.True(t, ok, text)
			require.Zero(t, want.Cmp(r), "%s and %s: %s", a, b, text)
		}
		sum, err := x.Add(y)
		same(new(big.Rat).Add(rx, ry), sum, err)
		diff, err := x.Sub(y)
		same(new(big.Rat).Sub(rx, ry), diff, err)
		product, err := x.Mul(y)
		same(new(big.Rat).Mul(rx, ry), product, err)
		same(rx, x.Shortest(), nil)
		if y.Sign() != 0 {
			left, err := x.Mod(y)
			whole := new(big.Rat).Quo(rx, ry)
			times := new(big.Int).Quo(whole.Num(), whole.Denom())
			same(new(big.Rat).Sub(rx, new(big.Rat).Mul(ry, new(big.Rat).SetInt(times))), left, err)
		}
		roundsAsRationals(t, rx, x)
		sameInBursts(t, a, b, x, y)
		require.Equal(t, rx.Cmp(ry), x.Cmp(y))
		require.Equal(t, rx.Cmp(ry), NewAgainst(y).Cmp(x))
		nearest, _ := rx.Float64()
		require.Equal(t, nearest, x.Float(), a)
	})
}

// roundsAsRationals tells what rounding must give from the number before and after.
func roundsAsRationals(t *testing.T, rx *big.Rat, x D) {
	one, half := big.NewRat(1, 1), big.NewRat(1, 2)
	floor, ceil := x.Floor().Rat(), x.Ceil().Rat()
	require.True(t, floor.IsInt() && floor.Cmp(rx) <= 0 && new(big.Rat).Add(floor, one).Cmp(rx) > 0, "%s: %s", rx, floor)
	require.True(t, ceil.IsInt() && ceil.Cmp(rx) >= 0 && new(big.Rat).Sub(ceil, one).Cmp(rx) < 0, "%s: %s", rx, ceil)
	for _, n := range []int{0, 1, 3, -2} {
		unit := big.NewRat(1, 1)
		for range max(n, -n) {
			unit.Mul(unit, map[bool]*big.Rat{true: big.NewRat(1, 10), false: big.NewRat(10, 1)}[n > 0])
		}
		got := x.Round(n)
		units := new(big.Rat).Quo(got.Rat(), unit)
		if got.Decimals() > max(n, 0) && got.Rat().Cmp(rx) == 0 {
			continue // too many digits: it stays
		}
		off := new(big.Rat).Sub(new(big.Rat).Quo(rx, unit), units)
		switch off.Abs(off).Cmp(half) {
		case 1:
			require.Fail(t, "rounded too far", "%s to %d: %s", rx, n, got)
		case 0:
			require.Zero(t, units.Num().Bit(0), "%s to %d: %s", rx, n, got)
		}
		require.True(t, units.IsInt(), "%s to %d: %s", rx, n, got)
	}
}

// sameInBursts compares work on many at a time with work on one.
func sameInBursts(t *testing.T, a, b string, x, y D) {
	var left, right Burst
	cells := make([]string, 3)
	for name, op := range map[string]struct {
		one  func(x, y D) (D, error)
		many func(b, o *Burst, n int) int
	}{"+": {D.Add, (*Burst).Add}, "-": {D.Sub, (*Burst).Sub}, "*": {D.Mul, (*Burst).Mul}} {
		if n := left.Parse([]string{a, "", a}); n < 3 {
			require.NotNil(t, x.big, a)
			return
		}
		if n := right.Parse([]string{b, b, b}); n < 3 {
			require.NotNil(t, y.big, b)
			return
		}
		order := make([]int8, 2)
		left.Compare(NewAgainst(y), order)
		require.Equal(t, []int8{int8(x.Cmp(y)), Blank}, order)
		want, err := op.one(x, y)
		if n := op.many(&left, &right, 3); n < 3 {
			require.True(t, err != nil || want.big != nil || want.coef == math.MinInt64 || y.coef == math.MinInt64 || x.scale != y.scale, "%s %s %s was left to the slow way", a, name, b)
			return
		}
		require.NoError(t, err)
		text := left.Append([]byte("="), cells, 3)
		require.Equal(t, []string{want.String(), "", want.String()}, cells, "%s %s %s", a, name, b)
		require.Equal(t, "="+want.String()+want.String(), string(text))
	}
}

// FuzzParseShort compares the quick reader with the plain one.
func FuzzParseShort(f *testing.F) {
	for _, s := range []string{"", "0", "-1.50", "113.71", ".5", "5.", "1234567.", "12345678", "-12345678", "123456789", "1e5", "+3", "--1", "1.2.3", "-.5", ".", "-", "12a4567", "1/2", "1:2"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		coef, scale, ok := parseShort(s)
		want, is := parsePlain(s)
		places := []Place{0, 0}
		Places([]string{s, "7"}, places)
		text := "39.35,5," + s + ",9" // what stands before a cell makes no difference
		in := make([]Place, 4)
		Places([]string{text[:5], text[6:7], text[8 : 8+len(s)], text[9+len(s):]}, in)
		require.Equal(t, []Place{2<<PlaceDigits | 3935, 5, places[0], 9}, in, s)
		usual := ok && len(s) <= 8 && '1' <= s[0] && s[0] <= '9'
		require.Equal(t, usual, places[0] != NoPlace, s)
		if usual {
			require.Equal(t, Place(scale<<PlaceDigits|int(coef)), places[0], s)
		}
		require.EqualValues(t, 7, places[1])
		if ok {
			require.True(t, is, s)
			require.Equal(t, want, D{coef: coef, scale: int32(scale)}, s)
			return
		}
		plain := is && want.big == nil && len(s) <= 8 && s[0] != '+'
		require.False(t, plain && parsesPlainly(s), "%s was left to the slow way", s)
	})
}

func parsesPlainly(s string) bool { return !strings.ContainsAny(s, "eE") }

func BenchmarkBurst(b *testing.B) {
	in := make([]string, BurstSize)
	for i := range in {
		in[i] = D{coef: int64(i*i*i*7 + i), scale: 2}.String()
	}
	out := make([]string, BurstSize)
	var text []byte
	var x, two Burst
	two.Fill(FromInt(2), BurstSize)
	for b.Loop() {
		x.Parse(in)
		x.Mul(&two, BurstSize)
		text = x.Append(text[:0], out, BurstSize)
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*BurstSize), "ns/number")
}

// FuzzKeysStandInOrder: the keys of numbers are ordered as the numbers are.
func FuzzKeysStandInOrder(f *testing.F) {
	f.Add("0", "-0.0")
	f.Add("9.99", "10")
	f.Add("-1e-30", "1e300")
	f.Add("123456789012345678901234567890", "-9223372036854775808")
	f.Fuzz(func(t *testing.T, a, b string) {
		x, ok1 := Parse(a)
		y, ok2 := Parse(b)
		if !ok1 || !ok2 || len(a) > 100 || len(b) > 100 {
			return
		}
		k, l := x.AppendKey(nil), y.AppendKey(nil)
		require.Equal(t, x.Cmp(y), bytes.Compare(k, l), "%s and %s: %x, %x", a, b, k, l)
		require.False(t, len(k) < len(l) && bytes.HasPrefix(l, k), "the key of %s begins that of %s", a, b)
	})
}
