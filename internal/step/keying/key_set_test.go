package keying

import (
	"math"
	"math/rand/v2"
	"reflect"
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
		require.Equal(t, Fingerprint{a, uint32(b)}, fingerprintOf(around[1:len(around)-1]), "%q", s)
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
		set, seen := NewKeySet(), map[int]bool{}
		limit := rapid.SampledFrom([]int64{math.MaxInt64, 1 << 16}).Draw(t, "limit")
		for range rapid.IntRange(1, 6).Draw(t, "batches") {
			numbers := rapid.SliceOfN(rapid.IntRange(0, 5000), 0, 3000).Draw(t, "keys")
			var keys []Fingerprint
			for _, n := range numbers {
				keys = append(keys, fingerprintOf(strconv.Itoa(n)))
			}
			room := set.Room(len(keys), rapid.Float64Range(0, 1).Draw(t, "share"), limit)
			assert.LessOrEqual(t, set.bytes(), limit)
			known := set.Among(keys, nil)
			if room {
				known = set.Add(keys, nil)
			}
			var want []int32
			for r, n := range numbers {
				if seen[n] {
					want = append(want, int32(r))
				}
				seen[n] = seen[n] || room
			}
			require.True(t, slices.Equal(want, known), "of %v there are %v", numbers, known)
			require.Equal(t, len(seen), set.count)
		}
	})
}

// Lines and keys are as large as what fetches them takes them to be.
func TestLinesOfMemory(t *testing.T) {
	assert.EqualValues(t, lineBytes, reflect.TypeFor[keyLine]().Size())
	assert.NotPanics(t, func() { fetchAll(make([]keyLine, 2), make([]Fingerprint, 3)) })
}

// With its size guessed a set grows once, and is not much too large; with more keys than guessed it holds them too.
func TestKeySetGuesses(t *testing.T) {
	const all, each, more = 3_000_000, 10_000, 3_000_000
	s, sizes := NewKeySet(), map[int]bool{}
	keys := make([]Fingerprint, each)
	for from := 0; from < all; from += each {
		for i := range keys {
			keys[i] = fingerprintOf(strconv.Itoa(from + i))
		}
		require.True(t, s.Room(each, float64(from)/all, math.MaxInt64))
		require.Empty(t, s.Add(keys, nil))
		if s.count > guessFrom {
			sizes[len(s.lines)] = true
		}
	}
	assert.LessOrEqual(t, len(sizes), 2)
	assert.Less(t, float64(s.bytes())/all, 16.0)
	for from := all - each; from < all+more; from += each { // each key twice
		for i := range keys {
			keys[i] = fingerprintOf(strconv.Itoa(from + i/2))
		}
		require.True(t, s.Room(each, 1, math.MaxInt64))
		known := s.Add(keys, nil)
		if from < all {
			require.Len(t, known, each)
		} else {
			require.Len(t, known, each/2)
		}
		require.Len(t, s.Among(keys, nil), each)
	}
	assert.NotNil(t, s.before)
}

func BenchmarkKeySet(b *testing.B) {
	keys := make([]Fingerprint, 2_000_000)
	for i := range keys {
		keys[i] = Fingerprint{rand.Uint64(), rand.Uint32()}
	}
	for b.Loop() {
		s := NewKeySet()
		var known []int32
		for at := 0; at < len(keys); at += 1500 {
			some := keys[at:min(at+1500, len(keys))]
			s.Room(len(some), float64(at)/float64(len(keys)), math.MaxInt64)
			known = s.Add(some, known[:0])
		}
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*len(keys)), "ns/key")
}
