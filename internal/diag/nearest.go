package diag

import (
	"slices"
	"strings"

	"github.com/agnivade/levenshtein"
)

// Nearest gives the name most like word, or "" where none is near: equal but for case and spaces first, then one
// that begins with it, then the fewest edits, then one that contains it.
func Nearest(word string, names []string) string {
	key := func(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), "")) }
	w := key(word)
	if w == "" {
		return ""
	}
	begins := ""
	best, fewest := "", 4
	for _, n := range names {
		k := key(n)
		switch k {
		case "":
			continue
		case w:
			return n
		}
		if len(w) > 2 && strings.HasPrefix(k, w) && (begins == "" || len(n) < len(begins)) {
			begins = n
		}
		d := levenshtein.ComputeDistance(w, k)
		most := max(1, len([]rune(w))/3)
		if w[0] == k[0] || letters(w) == letters(k) { // which are seldom mistaken, or two that changed places
			most = max(2, most)
		}
		if d == 2 && letters(w) == letters(k) { // two that changed places are one mistake
			d = 1
		}
		nearer := d < fewest || d == fewest && best != "" && levenshtein.ComputeDistance(word, n) < levenshtein.ComputeDistance(word, best) // where case tells two apart
		if d <= most && nearer && d < len([]rune(w)) {
			best, fewest = n, d
		}
	}
	if begins != "" {
		return begins
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

// letters are those of a word in order.
func letters(word string) string {
	r := []rune(word)
	slices.Sort(r)
	return string(r)
}
