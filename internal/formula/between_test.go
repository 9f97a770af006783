package formula

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestInUnits: seconds in hours and minutes are exact where their decimals end, and right to 15 digits elsewhere.
func TestInUnits(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		unit := rapid.SampledFrom([]int64{60, 3600}).Draw(rt, "unit")
		seconds := rapid.Int64Range(-400*366*86400, 400*366*86400).Draw(rt, "seconds")
		got, ok := new(big.Rat).SetString(inUnits(seconds, unit).String())
		require.True(rt, ok)
		want := big.NewRat(seconds, unit)
		if odd := new(big.Int).Mod(want.Denom(), big.NewInt(3)); odd.Sign() != 0 { // no third is left
			require.Zero(rt, want.Cmp(got), "%d seconds", seconds)
			return
		}
		off := new(big.Rat).Quo(new(big.Rat).Sub(got, want), want)
		require.Negative(rt, off.Abs(off).Cmp(big.NewRat(1, 1e14)), "%d seconds: %s", seconds, got.FloatString(20))
	})
}

func TestIfAndBetween(t *testing.T) {
	for formula, want := range map[string]string{
		`if(2 > 1, "a", "b")`: "a", `if(1 > 2, 1, if(2 > 1, 2, 3))`: "2", `if("x" == "", 5, 7) + 1`: "8", `hours_between("2024-05-02", "2024-05-01")`: "-24", `minutes_between("2024-05-02T14:30", "2024-05-02T14:30:20")`: "0.333333333333333",
		`hours_between("", "2024-05-01")`: "", `hours_between("2024-02-28T12:00", "2024-03-01T12:00")`: "48",
	} {
		assert.Equal(t, want, value(formula, ""), formula)
	}
	for formula, says := range map[string]string{`if(1, 2, 3)`: "if wants a comparison first", `if(1 > 2, 3)`: "does not take 2 arguments", `hours_between(1, 2)`: "a number is no date"} {
		_, err := Parse(formula)
		assert.ErrorContains(t, err, says)
	}
}
