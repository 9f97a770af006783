// Package ordering has the steps that depend on the order of rows (sort, distinct, fill, number, beside), and what others
// need of it: comparing texts as numbers and naturally, and putting rows back into an order they had.
package ordering

import (
	"strings"

	"revuelta/internal/decimal"
)

// Natural is [decimal.Natural].
func Natural(a, b string) int { return decimal.Natural(a, b) }

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
