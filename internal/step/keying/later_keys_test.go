package keying

import (
	"math/rand/v2"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestLaterKeys: of very many keys in a file those are told that came before, by whatever pieces they were added.
func TestLaterKeys(t *testing.T) {
	for _, n := range []int{0, 1, 5000, 600_000} { // the last fills several blocks of each bucket
		l, err := NewLaterKeys(t.TempDir())
		require.NoError(t, err)
		random := rand.New(rand.NewPCG(1, uint64(n)))
		seen := map[string]bool{}
		var want []bool
		var keys []Fingerprint
		for range n {
			key := strconv.Itoa(random.IntN(n*2/3 + 1))
			want = append(want, seen[key])
			seen[key] = true
			if keys = append(keys, fingerprintOf(key)); random.IntN(500) == 0 {
				require.NoError(t, l.Add(keys))
				keys = keys[:0]
			}
		}
		require.NoError(t, l.Add(keys))
		came, err := l.Repeated()
		require.NoError(t, err)
		for i, w := range want {
			if came[i/64]>>(i%64)&1 != 0 != w {
				require.Failf(t, "another key", "%d of %d: %v", i, n, w)
			}
		}
		l.Close()
	}
	_, err := NewLaterKeys("not/there")
	assert.ErrorContains(t, err, "temporary files")
	l, err := NewLaterKeys("")
	require.NoError(t, err)
	l.Close()
	keys := make([]Fingerprint, 2*keyBlock/keyEntry)
	assert.ErrorContains(t, l.Add(keys), "temporary files", "a file that can't be written")
}
