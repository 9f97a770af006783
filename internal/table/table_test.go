package table

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/view"
)

// column makes a column of some kind that holds the cells.
func column(kind Kind, cells []string) *Column {
	c := &Column{}
	switch kind {
	case Runs:
		values, ends := c.MakeRuns(len(cells))
		n := 0
		for r, s := range cells {
			if n == 0 || values[n-1] != s {
				values[n] = s
				n++
			}
			ends[n-1] = int32(r + 1)
		}
		c.Cells, c.Ends = values[:n], ends[:n]
	case Encoded:
		var values []string
		codes := make([]int32, len(cells))
		for r, s := range cells {
			k := slices.Index(values, s)
			if k < 0 {
				k = len(values)
				values = append(values, s)
			}
			codes[r] = int32(k)
		}
		c.ShareCodes(values, codes, 0)
	case Interleaved:
		parts := make([][]string, 2)
		for r, s := range cells {
			parts[r%2] = append(parts[r%2], s)
		}
		c.Interleave(parts, 0)
	case Placed:
		c.InGrid(gridOf(slices.Repeat([]string{"beside"}, len(cells)), cells), 1, 0)
	case inTurns:
		c.TakeTurns(turnedGrid(cells), []int32{2, 0}, 1, len(cells)/2, 0)
	default:
		copy(c.Make(len(cells)), cells)
	}
	return c
}

// inTurns is interleaved over a grid.
const inTurns = Placed + 1

// gridOf is a grid of columns side by side, the first of which may be longer.
func gridOf(columns ...[]string) *view.Grid {
	g := &view.Grid{Fields: len(columns)}
	for r := range columns[len(columns)-1] {
		for _, c := range columns {
			g.Text = append(append(g.Text, c[r]...), ';')
			g.Ends = append(g.Ends, uint32(len(g.Text)-1))
		}
	}
	return g
}

// turnedGrid has the cells, an even number, two in a row of three, the later one first, below a row of others.
func turnedGrid(cells []string) *view.Grid {
	columns := [][]string{{"x"}, {""}, {"y"}}
	for r := 0; r < len(cells); r += 2 {
		columns[0], columns[1], columns[2] = append(columns[0], cells[r+1]), append(columns[1], "between"), append(columns[2], cells[r])
	}
	return gridOf(columns...)
}

func read(c *Column, n int) []string {
	out := make([]string, n)
	for r := range out {
		out[r] = c.At(r)
	}
	return out
}

// TestColumnsOfAllKindsAreAlike: whatever the kind, the same cells are read, gathered, cut and owned.
func TestColumnsOfAllKindsAreAlike(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		n := 2 * rapid.IntRange(1, 40).Draw(rt, "half")
		cells := rapid.SliceOfN(rapid.SampledFrom([]string{"", "a", "026", "b,c"}), n, n).Draw(rt, "cells")
		var rows []int32
		for r := range n {
			if rapid.Bool().Draw(rt, "keep") {
				rows = append(rows, int32(r))
			}
		}
		cut := rapid.IntRange(0, n).Draw(rt, "cut")
		filled := 0
		for _, c := range cells {
			if c != "" {
				filled++
			}
		}
		for kind := Plain; kind <= inTurns; kind++ {
			c := column(kind, cells)
			require.Equal(rt, cells, read(c, n), "kind %d", kind)
			flat, _ := c.Flat(n, nil)
			require.Equal(rt, cells, flat, "kind %d", kind)
			require.Equal(rt, filled, c.Filled(n), "kind %d", kind)

			var g Column
			g.Gather(c, rows)
			for i, r := range rows {
				require.Equal(rt, cells[r], g.At(i), "kind %d", kind)
			}
			var lent Column
			lent.Borrow(c)
			lent.Own()
			c.Flatten(n)[0] = "changed"
			require.Equal(rt, cells, read(&lent, n), "kind %d: an owned column depends on nobody", kind)

			b := Batch{Rows: n, Cols: []Column{*column(kind, cells)}}
			b.Truncate(cut)
			require.Equal(rt, cut, b.Rows)
			require.Equal(rt, cells[:cut], read(&b.Cols[0], cut), "kind %d", kind)
		}
	})
}

func TestGatherCopiesStretches(t *testing.T) {
	cells := make([]string, 200)
	for i := range cells {
		cells[i] = string(rune('a' + i%26))
	}
	src := column(Plain, cells)
	var rows []int32
	for r := range int32(200) {
		if r != 40 && r != 150 {
			rows = append(rows, r)
		}
	}
	var g Column
	g.Gather(src, rows)
	for i, r := range rows {
		require.Equal(t, cells[r], g.Cells[i])
	}
}

func TestOrigins(t *testing.T) {
	plain := Origin{Line: 10, Each: 1}
	uneven := Origin{Line: 10, Each: 1, Lines: []int32{0, 3, 4}}
	for name, c := range map[string]struct {
		o    Origin
		want []int
	}{
		"plain":             {plain, []int{10, 11, 12}},
		"uneven":            {uneven, []int{10, 13, 14}},
		"not known":         {Origin{}, []int{0, 0, 0}},
		"part":              {plain.From(1, 4), []int{11, 12, 13}},
		"part of an uneven": {uneven.From(1, 3), []int{13, 14}},
	} {
		for r, want := range c.want {
			assert.Equal(t, want, c.o.LineOf(r), name)
		}
	}
	var twice, again, some Origin
	twice.Repeat(&uneven, 2, 3)
	again.Repeat(&twice, 2, 6)
	some.Derive(&twice, []int32{1, 2, 5})
	for r, want := range []int{10, 10, 13, 13, 14, 14} {
		assert.Equal(t, want, twice.LineOf(r))
		assert.Equal(t, want, again.LineOf(2*r))
		assert.Equal(t, want, again.LineOf(2*r+1))
	}
	for r, want := range []int{10, 13, 14} {
		assert.Equal(t, want, some.LineOf(r))
	}
	part := twice.From(3, 6)
	assert.Equal(t, []int{13, 14, 14}, []int{part.LineOf(0), part.LineOf(1), part.LineOf(2)})
}

func TestTakeLeavesNothingBehind(t *testing.T) {
	src := Get()
	src.Shape(1)
	copy(src.Cols[0].Make(2), []string{"a", "b"})
	src.Rows = 2
	taken := Adopt(src)
	assert.Zero(t, src.Rows)
	src.Shape(1)
	copy(src.Cols[0].Make(2), []string{"x", "y"})
	assert.Equal(t, []string{"a", "b"}, read(&taken.Cols[0], 2))
}

// Of very many equal names each gets the number that it would get by itself.
func TestNamesOfManyEqualOnes(t *testing.T) {
	cells := make([]string, 200_000)
	for i := range cells {
		cells[i] = []string{"Vesk", "Tamro", "Vesk (3)"}[i%3]
	}
	names, _, repeated := Names(cells)
	require.Equal(t, []string{"Vesk", "Tamro", "Vesk (3)", "Vesk (2)", "Tamro (2)", "Vesk (3) (2)", "Vesk (4)"}, names[:7])
	require.Len(t, repeated, len(cells)-3)
	seen := map[string]bool{}
	for _, n := range names {
		seen[n] = true
	}
	require.Len(t, seen, len(cells))
}
