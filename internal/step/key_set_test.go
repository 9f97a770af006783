package step

import (
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Each of the two hashes tells texts apart by itself, wherever they differ and whatever stands around them.
func TestFingerprints(t *testing.T) {
	first, second := map[uint64]string{}, map[uint64]string{}
	tell := func(s string) {
		a, b := hashes(s)
		around := "x" + s + "y"
		require.Equal(t, fingerprint{a, uint32(b)}, fingerprintOf(around[1:len(around)-1]), "%q", s)
		for hash, seen := range map[uint64]map[uint64]string{a: first, b: second} {
			if other, ok := seen[hash]; ok {
				require.Equal(t, other, s)
			}
			seen[hash] = s
		}
	}
	for n := range 80 {
		same := strings.Repeat("\x00", n)
		tell(same)
		for at := range n {
			for _, c := range []string{"\x01", "\x80", "a"} {
				tell(same[:at] + c + same[at+1:])
			}
			tell(same[:at] + "12" + same[at:])
		}
	}
	for i := range 100_000 {
		tell("H" + strconv.Itoa(i) + ",Quarry Lane,2021-01")
	}
}

// A set of keys says what a map says, through all growing, and makes no room beyond its limit.
func TestKeySet(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		set, seen := newKeySet(), map[int]bool{}
		limit := rapid.SampledFrom([]int64{math.MaxInt64, 1 << 16}).Draw(t, "limit")
		for range rapid.IntRange(1, 6).Draw(t, "batches") {
			numbers := rapid.SliceOfN(rapid.IntRange(0, 5000), 0, 3000).Draw(t, "keys")
			var keys []fingerprint
			for _, n := range numbers {
				keys = append(keys, fingerprintOf(strconv.Itoa(n)))
			}
			room := set.room(len(keys), rapid.Float64Range(0, 1).Draw(t, "share"), limit)
			assert.LessOrEqual(t, lineBytes*int64(len(set.lines)), limit)
			var fresh, known []int32
			if room {
				fresh, known = set.add(keys, nil, nil)
			} else {
				fresh, known = set.among(keys, nil, nil)
			}
			var wantFresh, wantKnown []int32
			for r, n := range numbers {
				if seen[n] {
					wantKnown = append(wantKnown, int32(r))
				} else {
					wantFresh = append(wantFresh, int32(r))
				}
				seen[n] = seen[n] || room
			}
			require.True(t, slices.Equal(wantFresh, fresh) && slices.Equal(wantKnown, known), "%v are %v and %v", numbers, fresh, known)
		}
	})
}
