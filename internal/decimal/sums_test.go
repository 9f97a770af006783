package decimal

import (
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// number draws a number as it may be written: plain ones, great and small ones, with many decimals and exponents.
func number() *rapid.Generator[string] {
	return rapid.OneOf(
		rapid.StringMatching(`-?[0-9]{1,4}(\.[0-9]{1,3})?`),
		rapid.StringMatching(`-?[0-9]{15,25}`),
		rapid.StringMatching(`-?0\.0{0,20}[0-9]{1,12}`),
		rapid.StringMatching(`-?[0-9]\.[0-9]{1,5}[eE][+-]?[0-9]{1,2}`),
		rapid.SampledFrom([]string{"0", "-0", "0.000", "9223372036854775807", "-9223372036854775808", "9223372036854775808", "1e400", "-1e-400", "0.1", ".5"}),
	)
}

// decimalsOf is how many decimals a number is written with, -1 where it has an exponent.
func decimalsOf(d D) int {
	text := string(d.Append(nil))
	if strings.Contains(text, "e") {
		return -1
	}
	_, places, _ := strings.Cut(text, ".")
	return len(places)
}

func parsed(t require.TestingT, s string) D {
	d, ok := Parse(s)
	require.True(t, ok, s)
	return d
}

// TestSumsAgainstRationals: many sums side by side, whatever goes into which, are those of rationals, with the most decimals that went in.
func TestSumsAgainstRationals(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		var sums Sums
		slots := rapid.IntRange(1, 4).Draw(rt, "slots")
		sums.Grow(slots)
		want := make([]*big.Rat, slots)
		decimals := make([]int, slots)
		add := func(slot int32, s string, d D) {
			if want[slot] == nil {
				want[slot] = new(big.Rat)
			}
			want[slot].Add(want[slot], d.Rat())
			if n := decimalsOf(d); n < 0 || decimals[slot] < 0 {
				decimals[slot] = -1
			} else {
				decimals[slot] = max(decimals[slot], n)
			}
		}
		alike := rapid.Bool().Draw(rt, "two decimals all")
		for range rapid.IntRange(0, 30).Draw(rt, "numbers") {
			s := number().Draw(rt, "number")
			if alike {
				s = rapid.StringMatching(`-?[0-9]{1,3}\.[0-9]{2}`).Draw(rt, "number")
			}
			slot := int32(rapid.IntRange(0, slots-1).Draw(rt, "slot"))
			d := parsed(rt, s)
			require.NoError(rt, sums.Add(slot, d))
			add(slot, s, d)
		}
		if more := rapid.IntRange(0, 5).Draw(rt, "many"); more > 0 {
			var to []int32
			var numbers []D
			var cells []string
			for range more {
				s := rapid.OneOf(number(), rapid.Just("")).Draw(rt, "number")
				slot := int32(rapid.IntRange(0, slots-1).Draw(rt, "slot"))
				to, cells = append(to, slot), append(cells, s)
				d := D{}
				if s != "" {
					d = parsed(rt, s)
					add(slot, s, d)
				}
				numbers = append(numbers, d)
			}
			require.NoError(rt, sums.AddAll(to, numbers, cells))
		}
		sums.Grow(slots + 1)
		_, there := sums.Get(int32(slots))
		require.False(rt, there, "a sum of nothing")
		for slot := range want {
			got, there := sums.Get(int32(slot))
			require.Equal(rt, want[slot] != nil, there)
			if there {
				require.Zero(rt, want[slot].Cmp(got.Rat()), "%s instead of %s", got, want[slot])
				if decimals[slot] >= 0 {
					require.Equal(rt, decimals[slot], decimalsOf(got), "decimals of %s", got.Append(nil))
				}
			}
		}
	})
}

// TestOrderAgainstRationals: comparing, turning, and dividing agree with rationals.
func TestOrderAgainstRationals(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		a, b := number().Draw(rt, "a"), number().Draw(rt, "b")
		x, y := parsed(rt, a), parsed(rt, b)
		require.Equal(rt, x.Rat().Cmp(y.Rat()), x.Cmp(y), "%s and %s", a, b)
		require.Equal(rt, x.Rat().Cmp(y.Rat()), NewAgainst(y).Cmp(x), "%s against %s", a, b)
		require.Zero(rt, x.Cmp(x))
		require.Zero(rt, new(big.Rat).Neg(x.Rat()).Cmp(x.Neg().Rat()), a)
		require.Zero(rt, new(big.Rat).Abs(x.Rat()).Cmp(x.Abs().Rat()), a)
		n := int64(rapid.IntRange(1, 1_000_000).Draw(rt, "n"))
		want, _ := new(big.Rat).Quo(x.Rat(), new(big.Rat).SetInt64(n)).Float64()
		require.Equal(rt, want, x.Per(n), "%s / %d", a, n)
		if f, err := strconv.ParseFloat(a, 64); err == nil && !math.IsInf(f, 0) && strings.TrimLeft(a, "-0.e") != "" {
			d, err := FromFloat(f)
			require.NoError(rt, err)
			back, err := strconv.ParseFloat(d.String(), 64)
			require.NoError(rt, err)
			require.InEpsilon(rt, 1+math.Abs(f), 1+math.Abs(back), 1e-14, "%s through a float64", a)
		}
	})
}

func TestSmallParts(t *testing.T) {
	assert.Equal(t, "7", FromInt(7).String())
	assert.Equal(t, "-1.25", Scaled(-125, 2).String())
	for in, want := range map[float64]string{0: "0", math.Copysign(0, -1): "0", 0.5: "0.5", 1e20: "100000000000000000000", 1e21: "1e21", 1.5e300: "1.5e300", 1e-7: "0.0000001", 5e-8: "5e-08", -2.25: "-2.25"} {
		assert.Equal(t, want, string(AppendFloat(nil, in)), fmt.Sprint(in))
	}
	for in, want := range map[string]int64{"12": 12, "-7.00": -7, "9223372036854775807": math.MaxInt64, "1e3": 1000} {
		n, ok := parsed(t, in).Int()
		assert.True(t, ok, in)
		assert.Equal(t, want, n, in)
	}
	for _, in := range []string{"1.5", "9223372036854775808", "0.1"} {
		_, ok := parsed(t, in).Int()
		assert.False(t, ok, in)
	}
	for _, c := range []struct {
		s     string
		coef  int64
		scale int
		ok    bool
	}{{"1.50", 150, 2, true}, {"-7", -7, 0, true}, {"123456789", 0, 0, false}, {"", 0, 0, false}, {"x", 0, 0, false}} {
		coef, scale, ok := Short(c.s)
		assert.Equal(t, c.ok, ok, c.s)
		if ok {
			assert.Equal(t, c.coef, coef, c.s)
			assert.Equal(t, c.scale, scale, c.s)
		}
	}
}

// TestBurstsWriteAsOne: what is written many at a time is the shortest form of each, great numbers and zeros too.
func TestBurstsWriteAsOne(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		cells := rapid.SliceOfN(rapid.OneOf(rapid.StringMatching(`-?[0-9]{1,18}(\.[0-9]{0,6}0)?`).Filter(func(s string) bool { return !strings.HasSuffix(s, ".") }), rapid.Just("")), 1, BurstSize).Draw(rt, "cells")
		var b Burst
		n := b.Parse(cells)
		out := make([]string, len(cells))
		b.Append(nil, out, n)
		for i, c := range cells[:n] {
			want := ""
			if c != "" {
				want = parsed(rt, c).Shortest().String()
			}
			require.Equal(rt, want, out[i], c)
		}
		d := parsed(rt, number().Draw(rt, "constant"))
		if k := b.Fill(d, 3); k == 3 {
			b.Append(nil, out[:0:0], 0)
			three := make([]string, 3)
			b.Append([]byte("x"), three, 3)
			require.Equal(rt, d.Shortest().String(), three[2])
		} else {
			require.Zero(rt, k)
		}
	})
}

// TestNoAllocations: what runs once per cell takes no memory of its own.
func TestNoAllocations(t *testing.T) {
	cells := []string{"39.35", "-7", "0.125", "12345.6789", "", "100000000"}
	var b Burst
	var places [8]Place
	var sums Sums
	sums.Grow(2)
	d := parsed(t, "12.50")
	require.NoError(t, sums.Add(1, d))
	dst, out := make([]byte, 0, 4096), make([]string, len(cells))
	for name, work := range map[string]func(){
		"parse":      func() { Parse(cells[0]) },
		"parse many": func() { b.Parse(cells) },
		"places":     func() { Places(cells, places[:]) },
		"multiply":   func() { b.Mul(&b, 1) },
		"write many": func() { b.Append(dst, out, len(cells)) },
		"sum":        func() { _ = sums.Add(1, d) },
		"append":     func() { d.Append(dst) },
		"compare":    func() { d.Cmp(d) },
	} {
		b.Parse(cells)
		assert.Zero(t, testing.AllocsPerRun(50, work), name)
	}
}
