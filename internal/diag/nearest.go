package diag

import (
	"strings"

	"github.com/agnivade/levenshtein"
)

// Nearest gives the name most like word, or "" where none is near: equal but
// for case and spaces first, then the fewest edits, then one that contains it.
func Nearest(word string, names []string) string {
	key := func(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), "")) }
	w := key(word)
	if w == "" {
		return ""
	}
	best, fewest := "", max(2, len([]rune(w))/3)+1
	for _, n := range names {
		k := key(n)
		if k == w {
			return n
		}
		if d := levenshtein.ComputeDistance(w, k); d < fewest && d <= 3 {
			best, fewest = n, d
		}
	}
	if best == "" && len(w) > 2 {
		for _, n := range names {
			if k := key(n); strings.Contains(k, w) || len(k) > 2 && strings.Contains(w, k) {
				return n
			}
		}
	}
	return best
}
