// Package ordering has the steps that depend on the order of rows (sort, distinct, fill, number, beside), and what others
// need of it: comparing texts as numbers and naturally, and putting rows back into an order they had.
package ordering

import (
	"cmp"
	"strings"

	"revuelta/internal/decimal"
)

// Natural compares texts, digits inside them counting as numbers.
func Natural(a, b string) int {
	i, j := 0, 0
	for i < len(a) && j < len(b) {
		if isDigit(a[i]) && isDigit(b[j]) {
			x, y := digitsAt(a, i), digitsAt(b, j)
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

func isDigit(c byte) bool { return '0' <= c && c <= '9' }

func digitsAt(s string, i int) string {
	j := i
	for j < len(s) && isDigit(s[j]) {
		j++
	}
	return s[i:j]
}

// Numerically compares as numbers; what is none comes after those that are, as text.
func Numerically(a, b string) int {
	x, ok := decimal.Parse(a)
	y, too := decimal.Parse(b)
	switch {
	case ok && too:
		return x.Cmp(y)
	case ok:
		return -1
	case too:
		return 1
	}
	return strings.Compare(a, b)
}
