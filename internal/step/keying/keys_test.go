package keying

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
		var n Names
		want := map[string]int32{}
		for _, s := range all {
			id := n.Find(s, HashOf(s))
			known, ok := want[s]
			if !ok {
				require.EqualValues(rt, -1, id, "%q", s)
				want[strings.Clone(s)] = n.Add(s, HashOf(s))
				continue
			}
			require.Equal(rt, known, id, "%q", s)
		}
		ids := make([]int32, len(all))
		told := 0
		n.FindAll(all, ids, func(from int, some []int32) {
			require.Equal(rt, told, from)
			for i, id := range some {
				require.Equal(rt, want[all[from+i]], id)
			}
			told += len(some)
		})
		require.Len(rt, all, told)
		for i, s := range all {
			require.Equal(rt, want[s], ids[i], "%q", s)
		}
		last := n.Names[len(n.Names)-1]
		n.Drop()
		require.EqualValues(rt, -1, n.Find(last, HashOf(last)))
		for s, id := range want {
			if s != last {
				require.Equal(rt, id, n.Find(s, HashOf(s)))
			}
		}
	})
}

func TestParseKeys(t *testing.T) {
	for source, want := range map[string]string{
		"a, b": "sel", "month(date) as m": "month m", "a, year(date), b": "sel year year sel", "": "", `"x, y"`: "sel", `quarter(date) as "a, b"`: "quarter a, b",
	} {
		k, err := ParseKeys(source)
		require.NoError(t, err, source)
		var got []string
		for _, it := range k.Items {
			if it.sel != nil {
				got = append(got, "sel")
			} else {
				got = append(got, it.period+" "+it.as)
			}
		}
		assert.Equal(t, want, strings.Join(got, " "), source)
	}
	for source, want := range map[string]string{"upper(x)": "only the periods year, quarter", "month(": "selection", "a,,b": "empty item", "month(1 +)": "can't stand here"} {
		k, err := ParseKeys(source)
		if err == nil {
			continue // it may be a field's name
		}
		assert.ErrorContains(t, err, want, fmt.Sprint(source, k))
	}
}
