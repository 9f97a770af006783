package step

import (
	"strings"
	"unicode/utf8"
)

// Others appends the rows, of so many, that are not among those left, which rise.
func Others(rows int, left, kept []int32) []int32 {
	r := int32(0)
	for _, l := range append(left, int32(rows)) {
		for ; r < l; r++ {
			kept = append(kept, r)
		}
		r = l + 1
	}
	return kept
}

// Trim is strings.TrimSpace, quicker where there is nothing to trim.
func Trim(s string) string {
	if s == "" || ' ' < s[0] && s[0] < utf8.RuneSelf && ' ' < s[len(s)-1] && s[len(s)-1] < utf8.RuneSelf {
		return s
	}
	return strings.TrimSpace(s)
}
