package step

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestNamesAgainstMap: texts short and long get the numbers a map would give them.
func TestNamesAgainstMap(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		text := rapid.OneOf(rapid.StringN(0, 10, 20), rapid.SampledFrom([]string{"", "a", "aa", "aaa", "aaaa", "aaaaa", "aaaaaaa", "aaaaaaaa", "aaaaaaaaa", "a\x00", "\x00"}))
		all := rapid.SliceOfN(text, 1, 300).Draw(rt, "texts")
		var n names
		want := map[string]int32{}
		for _, s := range all {
			id := n.find(s, hashOf(s))
			known, ok := want[s]
			if !ok {
				require.EqualValues(rt, -1, id, "%q", s)
				want[strings.Clone(s)] = n.add(s, hashOf(s))
				continue
			}
			require.Equal(rt, known, id, "%q", s)
		}
		ids := make([]int32, len(all))
		n.findAll(all, ids)
		for i, s := range all {
			require.Equal(rt, want[s], ids[i], "%q", s)
		}
		last := n.names[len(n.names)-1]
		n.drop()
		require.EqualValues(rt, -1, n.find(last, hashOf(last)))
		for s, id := range want {
			if s != last {
				require.Equal(rt, id, n.find(s, hashOf(s)))
			}
		}
	})
}

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

func TestNaturalOrder(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"H2", "H10", -1}, {"H10", "H10", 0}, {"H02", "H2", -1}, {"a", "b", -1}, {"9", "10", -1}, {"x9y2", "x9y10", -1}, {"2024-9", "2024-10", -1}, {"a1", "a", 1}} {
		assert.Equal(t, c.want, natural(c.a, c.b), "%s %s", c.a, c.b)
		assert.Equal(t, -c.want, natural(c.b, c.a), "%s %s", c.b, c.a)
	}
	assert.Negative(t, numerically("9", "10"))
	assert.Negative(t, numerically("10", "x"))
	assert.Zero(t, numerically("1.0", "1"))
}

func TestShapes(t *testing.T) {
	same := [][2]string{{"Day 1", "Day 12"}, {"Jan", "Dec"}, {"May kilos", "June kilos"}, {"QC07", "QC1"}, {"Sept", "oct"}}
	for _, p := range same {
		assert.Equal(t, shape(p[0]), shape(p[1]), "%v", p)
	}
	assert.NotEqual(t, shape("Day 1"), shape("Night 1"))
	assert.Equal(t, "Mayor", shape("Mayor"))
	assert.Equal(t, "keeper", shape("keeper"))
}

func TestParseKeys(t *testing.T) {
	for source, want := range map[string]string{
		"a, b": "sel", "month(date) as m": "month m", "a, year(date), b": "sel year year sel", "": "", `"x, y"`: "sel", `quarter(date) as "a, b"`: "quarter a, b",
	} {
		k, err := parseKeys(source)
		require.NoError(t, err, source)
		var got []string
		for _, it := range k.items {
			if it.sel != nil {
				got = append(got, "sel")
			} else {
				got = append(got, it.period+" "+it.as)
			}
		}
		assert.Equal(t, want, strings.Join(got, " "), source)
	}
	for source, want := range map[string]string{"upper(x)": "only the periods year, quarter", "month(": "selection", "a,,b": "empty item", "month(1 +)": "can't stand here"} {
		k, err := parseKeys(source)
		if err == nil {
			continue // it may be a field's name
		}
		assert.ErrorContains(t, err, want, fmt.Sprint(source, k))
	}
}
