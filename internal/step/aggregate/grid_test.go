package aggregate

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestGridAgainstMap: slots are found again, however rows and keys across come in.
func TestGridAgainstMap(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		var g grid
		want := map[[2]int32]int32{}
		steps, cols := 300, 150
		if rapid.IntRange(0, 4).Draw(rt, "wide") == 0 {
			steps, cols = 2_000, 3_000 // rows have arrays of their own
		}
		random := rand.New(rand.NewPCG(rapid.Uint64().Draw(rt, "seed"), 0))
		for range rapid.IntRange(1, steps).Draw(rt, "steps") {
			if g.rows == 0 || steps == 300 && rapid.IntRange(0, 9).Draw(rt, "what") == 0 {
				g.addRow()
			}
			at := [2]int32{int32(random.IntN(g.rows)), int32(random.IntN(cols + 1))}
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
