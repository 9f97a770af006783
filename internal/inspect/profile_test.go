package inspect

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// profiled profiles cells that several workers took.
func profiled(cells []string, workers int) *FieldProfile {
	var all *tally
	for w := range workers {
		t := newTally()
		for i := w; i < len(cells); i += workers {
			t.add(cells[i : i+1])
		}
		if all == nil {
			all = t
		} else {
			all.merge(t)
		}
	}
	return all.profile("f", int64(len(cells)))
}

func TestTypesByContent(t *testing.T) {
	for cells, want := range map[string]string{
		"1|2|-3": "whole number", "1|2.5|": "number", "026|007|120": "code", "2024-05-02|2024-05-02T14:30": "date", "a|b|": "text", "||": "blank",
		"1|2|3|x": "numbers and texts", "T-1|T-2|3|026": "text", "1.0|2": "number",
	} {
		assert.Equal(t, want, profiled(strings.Split(cells, "|"), 1).Type, cells)
	}
}

// TestProfileAgainstPlain: up to the limits everything is exact, however the rows were dealt out.
func TestProfileAgainstPlain(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		numbers := rapid.SliceOfN(rapid.IntRange(-50, 50), 1, 60).Draw(rt, "numbers")
		cells := make([]string, len(numbers))
		plain := make([]float64, len(numbers))
		seen := map[string]int64{}
		sum := 0.0
		for i, n := range numbers {
			cells[i], plain[i] = fmt.Sprint(n), float64(n)
			sum += float64(n)
			seen[cells[i]]++
		}
		slices.Sort(plain)
		p := profiled(append(cells, ""), rapid.IntRange(1, 4).Draw(rt, "workers"))
		require.EqualValues(rt, 1, p.Blank)
		require.EqualValues(rt, len(seen), p.Distinct)
		require.False(rt, p.DistinctIsAbout || p.QuartilesAreAbout)
		require.Equal(rt, []string{fmt.Sprint(plain[0]), fmt.Sprint(plain[len(plain)-1])}, []string{p.Min, p.Max})
		require.InDelta(rt, sum/float64(len(plain)), p.Mean, 1e-9)
		squares := 0.0
		for _, f := range plain {
			squares += (f - p.Mean) * (f - p.Mean)
		}
		if len(plain) > 1 {
			require.InDelta(rt, math.Sqrt(squares/float64(len(plain)-1)), p.Stdev, 1e-6)
		}
		require.InDelta(rt, between(plain, 0.5), p.Quartiles[1], 1e-9)
		for _, c := range p.Common {
			require.Equal(rt, seen[c.Value], c.Count)
		}
		total := int64(0)
		for _, n := range p.Bars {
			total += n
		}
		require.True(rt, p.Bars == nil || total == int64(len(plain)))
	})
}

// TestSketches: beyond the limits the figures are as near as it is said.
func TestSketches(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	const n = 200_000
	cells, plain := make([]string, n), make([]float64, n)
	for i := range cells {
		plain[i] = math.Round(r.NormFloat64()*1e6) / 100
		cells[i] = fmt.Sprint(plain[i])
	}
	distinct := map[string]bool{}
	for _, c := range cells {
		distinct[c] = true
	}
	slices.Sort(plain)
	for _, workers := range []int{1, 3} {
		p := profiled(cells, workers)
		require.True(t, p.DistinctIsAbout && p.QuartilesAreAbout)
		require.InEpsilon(t, len(distinct), p.Distinct, 0.06)
		for i, q := range p.Quartiles {
			want := between(plain, float64(i+1)/4)
			require.InDelta(t, want, q, 0.004*math.Abs(want)+5, "quartile %d", i+1)
		}
		require.Empty(t, p.Common)
	}
}
