package joining

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/format/delimited"
	"revuelta/internal/table"
)

// TestJoinedCellsComeBack: what rows bring are their cells, blanks for a row without a match, in whichever order and how often; they stand side
// by side, and are written as they are.
func TestJoinedCellsComeBack(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		rows, width := rapid.IntRange(0, 80).Draw(rt, "rows"), rapid.IntRange(0, 4).Draw(rt, "columns")
		columns := make([][]string, width)
		for i := range columns {
			columns[i] = rapid.SliceOfN(rapid.SampledFrom([]string{"", "a", "026", "a,b", `"`, "two\nlines", "a rather long cell, longer than a block"}), rows, rows).Draw(rt, "cells")
		}
		fields := rapid.Permutation([]int{0, 1, 2, 3}[:width]).Draw(rt, "fields")[:rapid.IntRange(0, width).Draw(rt, "of them")]
		var cells joinedCells
		cells.layOut(columns, fields, rows)
		var taken []int32
		for range rapid.IntRange(1, 200).Draw(rt, "taken") {
			taken = append(taken, int32(rapid.IntRange(-1, rows-1).Draw(rt, "row")))
		}
		b := &table.Batch{}
		b.Shape(1 + len(fields))
		b.Rows = len(taken)
		b.Cols[0].SetConstant("kept", len(taken))
		cells.fill(b, 1, taken, func(k int) table.Absent { return table.AbsentFrom(columns[fields[k]]) })
		require.NoError(rt, b.Validate())
		e := delimited.NewEncoder(delimited.Style{Delimiter: ','})
		var want []byte
		for r, row := range taken {
			all := []string{"kept"}
			for k, f := range fields {
				cell := ""
				if row >= 0 {
					cell = columns[f][row]
				}
				require.Equal(rt, cell, b.Cols[1+k].At(r))
				all = append(all, cell)
			}
			want = e.Row(want, all)
		}
		for k := 1; k < len(fields); k++ {
			require.True(rt, table.Adjacent(&b.Cols[k], &b.Cols[k+1], cellMark), "they stand side by side")
		}
		require.Equal(rt, string(want), string(e.Append(nil, b)))
	})
}

// TestFillingTakesNoMemory: rows are joined without any of their own.
func TestFillingTakesNoMemory(t *testing.T) {
	columns := [][]string{{"a", "b", "c"}, {"1", "2", "3"}, {"x", "y", "z"}}
	for n := 1; n <= 3; n++ {
		var cells joinedCells
		cells.layOut(columns, []int{0, 1, 2}[:n], 3)
		b := &table.Batch{}
		b.Shape(n)
		rows := []int32{2, -1, 0, 1}
		absent := func(int) table.Absent { return 0 }
		cells.fill(b, 0, rows, absent)
		assert.Zero(t, testing.AllocsPerRun(50, func() { cells.fill(b, 0, rows, absent) }), fmt.Sprint(n, " fields"))
		assert.Equal(t, []string{"c", "3", "z"}[:n], b.Row(0, nil)[:n])
	}
}
