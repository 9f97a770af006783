package ordering

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNaturalOrder(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"H2", "H10", -1}, {"H10", "H10", 0}, {"H02", "H2", -1}, {"a", "b", -1}, {"9", "10", -1}, {"x9y2", "x9y10", -1}, {"2024-9", "2024-10", -1}, {"a1", "a", 1}} {
		assert.Equal(t, c.want, Natural(c.a, c.b), "%s %s", c.a, c.b)
		assert.Equal(t, -c.want, Natural(c.b, c.a), "%s %s", c.b, c.a)
	}
	assert.Negative(t, Numerically("9", "10"))
	assert.Negative(t, Numerically("10", "x"))
	assert.Zero(t, Numerically("1.0", "1"))
}
