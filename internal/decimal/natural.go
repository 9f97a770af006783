package decimal

import (
	"cmp"
	"strings"
)

// Natural compares texts, digits inside them counting as numbers.
func Natural(a, b string) int {
	i, j := 0, 0
	for i < len(a) && j < len(b) {
		if Digit(a[i]) && Digit(b[j]) {
			x, y := DigitsAt(a, i), DigitsAt(b, j)
			i, j = i+len(x), j+len(y)
			x, y = strings.TrimLeft(x, "0"), strings.TrimLeft(y, "0")
			if c := cmp.Compare(len(x), len(y)); c != 0 {
				return c
			}
			if c := strings.Compare(x, y); c != 0 {
				return c
			}
			continue
		}
		if a[i] != b[j] {
			return cmp.Compare(a[i], b[j])
		}
		i, j = i+1, j+1
	}
	if c := cmp.Compare(len(a)-i, len(b)-j); c != 0 {
		return c
	}
	return strings.Compare(a, b)
}

// Digit tells a decimal digit.
func Digit(c byte) bool { return '0' <= c && c <= '9' }

// DigitsAt is the digits that stand from a place on.
func DigitsAt(s string, i int) string {
	j := i
	for j < len(s) && Digit(s[j]) {
		j++
	}
	return s[i:j]
}
