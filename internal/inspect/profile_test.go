package inspect

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
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
			t.add(cells[i:i+1], func(int) int { return i + 2 })
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

// TestProfileAgainstPlain: up to the limits everything is exact, however the rows were dealt out and the numbers written.
func TestProfileAgainstPlain(t *testing.T) {
	form := rapid.SampledFrom([]string{"%.0f", "%.1f", "%.2f", "%.5f", "+%.0f", "%.0f000000", "%.1f", "-0%.0f"})
	rapid.Check(t, func(rt *rapid.T) {
		var cells []string
		var plain []float64
		seen := map[string]int64{}
		sum := 0.0
		for range rapid.IntRange(1, 60).Draw(rt, "rows") {
			f := rapid.SampledFrom([]float64{0, 0.5, 1, 2.25, 7, 39.35, 1310.71, 1310.72, 131071, 131072, 99999}).Draw(rt, "number")
			c := fmt.Sprintf(form.Draw(rt, "form"), f)
			if rapid.Bool().Draw(rt, "below") && c[0] != '+' && c[0] != '-' {
				c = "-" + c
			}
			f, err := strconv.ParseFloat(c, 64)
			require.NoError(rt, err)
			cells, plain = append(cells, c), append(plain, f)
			sum += f
			seen[c]++
		}
		slices.Sort(plain)
		p := profiled(append(cells, ""), rapid.IntRange(1, 4).Draw(rt, "workers"))
		require.EqualValues(rt, 1, p.Blank)
		require.EqualValues(rt, len(plain), p.Numbers)
		require.EqualValues(rt, len(seen), p.Distinct)
		require.False(rt, p.DistinctIsAbout || p.QuartilesAreAbout)
		longest := slices.MaxFunc(cells, func(a, b string) int { return len(a) - len(b) })
		require.Len(rt, p.Longest, len(longest))
		require.NotZero(rt, seen[p.Longest])
		most := int64(0)
		for _, n := range seen {
			most = max(most, n)
		}
		require.True(rt, len(p.Common) == 0 && most == 1 || p.Common[0].Count == most)
		for _, c := range p.Common {
			require.Equal(rt, seen[c.Value], c.Count)
		}
		if !strings.Contains(p.Type, "number") { // digits with zeros before them are codes
			require.Equal(rt, []string{slices.Min(cells), slices.Max(cells)}, []string{p.Min, p.Max})
			return
		}
		for cell, want := range map[string]float64{p.Min: plain[0], p.Max: plain[len(plain)-1]} {
			require.NotZero(rt, seen[cell], cell)
			f, _ := strconv.ParseFloat(cell, 64)
			require.Equal(rt, want, f)
		}
		size := max(math.Abs(plain[0]), math.Abs(plain[len(plain)-1]))
		require.InDelta(rt, sum/float64(len(plain)), p.Mean, 1e-12*size)
		squares := 0.0
		for _, f := range plain {
			squares += (f - p.Mean) * (f - p.Mean)
		}
		if len(plain) > 1 {
			require.InDelta(rt, math.Sqrt(squares/float64(len(plain)-1)), p.Stdev, 1e-6*size)
		}
		for i, q := range p.Quartiles {
			require.InDelta(rt, between(plain, float64(i+1)/4), q, 1e-9*size)
		}
		total := int64(0)
		for _, n := range p.Bars {
			total += n
		}
		require.True(rt, p.Bars == nil || total == int64(len(plain)))
	})
}

// Counts of small numbers hold more than their 16 bits.
func TestManyOfANumber(t *testing.T) {
	cells := slices.Repeat([]string{"7", "-2.5", "Vesk"}, 150_000)
	p := profiled(append(cells, "8"), 2)
	require.Equal(t, []Common{{"-2.5", 150_000, 0}, {"7", 150_000, 0}, {"Vesk", 150_000, 0}, {"8", 1, 0}}, p.Common)
	require.EqualValues(t, 300_001, p.Numbers)
	require.InDelta(t, (150_000*4.5+8)/300_001, p.Mean, 1e-9)
	require.Equal(t, [3]float64{-2.5, 7, 7}, p.Quartiles)
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

// What the sketch says of different cells is less than 4 % off here, whatever they look like, and the same in every run.
func TestSketchOfDifferentCells(t *testing.T) {
	for _, form := range []string{"%d", "H%06d", "%08d-x", "colony %d of the eastern apiary", "%d,5 kg"} {
		for _, n := range []int{12_000, 50_000, 300_000} {
			tally := newTally()
			tally.toSketch()
			for i := range n {
				tally.note(fmt.Sprintf(form, i))
			}
			got, about := tally.distinct()
			assert.True(t, about)
			assert.InDelta(t, n, got, 0.04*float64(n), "%d of %s", n, form)
		}
	}
	assert.EqualValues(t, 0x47255d9a65bcd5d4, spread("H000001"))
}

// TestProfileOfMixedFields: texts among numbers have their first line, whoever met it, and dates in other forms are named.
func TestProfileOfMixedFields(t *testing.T) {
	p := profiled([]string{"1", "x", "2", "n/a", "x", "3"}, 3)
	require.Equal(t, []Common{{"x", 2, 3}, {"n/a", 1, 5}}, p.Texts)
	for _, c := range []struct {
		cells           []string
		kind, low, high string
	}{
		{[]string{"13.05.2024", "02.06.2024", "30.01.2023"}, "date as %d.%m.%Y", "30.01.2023", "02.06.2024"},
		{[]string{"03/04/2024", "04/05/2024"}, "date as %d/%m/%Y or %m/%d/%Y", "03/04/2024", "04/05/2024"},
		{[]string{"5/13/24", "11/2/23"}, "date as %m/%d/%y", "11/2/23", "5/13/24"},
		{[]string{"13.05.2024", "Vesk"}, "text", "13.05.2024", "Vesk"},
		{[]string{"2024-05-13", "2023-01-01"}, "date", "2023-01-01", "2024-05-13"},
	} {
		p := profiled(c.cells, 2)
		require.Equal(t, [3]string{c.kind, c.low, c.high}, [3]string{p.Type, p.Min, p.Max}, c.cells)
	}
}

// TestLinesOfTexts: of many texts, whoever met them, the first line is that of the first cell that holds it.
func TestLinesOfTexts(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		cells := rapid.SliceOfN(rapid.StringMatching(`[a-f]{1,3}|[0-9]{1,2}`), 1, 300).Draw(rt, "cells")
		p := profiled(cells, rapid.IntRange(1, 4).Draw(rt, "workers"))
		for _, c := range p.Texts {
			require.Equal(rt, slices.Index(cells, c.Value)+2, c.Line, c.Value)
		}
	})
}
