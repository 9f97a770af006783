package aggregate

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestGridAgainstMap: slots are found again, however rows and keys across come in.
func TestGridAgainstMap(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		var g grid
		want := map[[2]int32]int32{}
		for range rapid.IntRange(1, 300).Draw(rt, "steps") {
			if g.rows == 0 || rapid.IntRange(0, 9).Draw(rt, "what") == 0 {
				g.addRow()
			}
			at := [2]int32{int32(rapid.IntRange(0, g.rows-1).Draw(rt, "row")), int32(rapid.IntRange(0, 150).Draw(rt, "col"))}
			slot, ok := want[at]
			if !ok {
				require.EqualValues(rt, -1, g.get(at[0], at[1]))
				slot = int32(len(want))
				want[at] = slot
				g.put(at[0], at[1], slot)
			}
			require.Equal(rt, slot, g.get(at[0], at[1]))
		}
		found := map[[2]int32]int32{}
		for r := range g.rows {
			g.each(int32(r), func(col, slot int32) { found[[2]int32{int32(r), col}] = slot })
		}
		require.Equal(rt, want, found)
	})
}
