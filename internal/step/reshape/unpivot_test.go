package reshape

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestShapes(t *testing.T) {
	same := [][2]string{{"Day 1", "Day 12"}, {"Jan", "Dec"}, {"May kilos", "June kilos"}, {"QC07", "QC1"}, {"Sept", "oct"}}
	for _, p := range same {
		assert.Equal(t, shape(p[0]), shape(p[1]), "%v", p)
	}
	assert.NotEqual(t, shape("Day 1"), shape("Night 1"))
	assert.Equal(t, "Mayor", shape("Mayor"))
	assert.Equal(t, "keeper", shape("keeper"))
}
