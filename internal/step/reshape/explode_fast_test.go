package reshape

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/view"
)

// FuzzPieces compares the search for pieces of many cells at once with that of one cell after the other.
func FuzzPieces(f *testing.F) {
	f.Add("clover; lime,ivy,a;b;c;d;e;f;g;h;i", byte(';'))
	f.Add("oilseed rape;ivy;hawthorn;willow,x;;y", byte(';'))
	f.Add("  a | b,1234567|,\u00a0x|y", byte('|'))
	f.Fuzz(func(t *testing.T, text string, sep byte) {
		if sep == ',' || sep >= 0x80 {
			return
		}
		var b bounds
		long := append(make(view.Text, 0, len(text)+100), text...) // as a chunk has it, so that blocks can be read
		for _, in := range []view.Text{long, view.Bytes(text)} {
			text := view.String(in)
			if !b.find(in, strings.Split(text, ","), sep) { // all in one text, as a reader gives them
				return
			}
			piecesAlike(t, &b, strings.Split(text, ","), sep)
		}
	})
}

func piecesAlike(t *testing.T, b *bounds, cells []string, sep byte) {
	list, ok := b.pieces(nil)
	w := &exploder{e: &Explode{At: []string{string(sep)}}}
	var want []string
	var ends []int32
	for _, c := range cells {
		want = w.cut(want, c, true)
		ends = append(ends, int32(len(want)))
	}
	if !ok { // an empty piece
		dropped := 0
		for _, c := range cells {
			dropped += strings.Count(c, string(sep)) + 1
		}
		require.Less(t, len(want), dropped)
		return
	}
	require.Equal(t, want, list)
	require.Equal(t, ends, b.rows)
}

// Cells that come to the same text again and again, as those of rows that a join has repeated, have more pieces
// than the text has bytes: they are done one by one.
func TestPiecesOfRepeatedRows(t *testing.T) {
	text := "ivy;lime,clover;willow"
	first, second := text[:8], text[9:]
	for name, cells := range map[string][]string{
		"twice the same":      {first, first, second},
		"all the same":        {first, first, first},
		"back to the first":   {first, second, first, second},
		"within one another":  {first, text[4:8], second},
		"the last comes back": {first, second, second},
	} {
		assert.False(t, new(bounds).find(view.Bytes(text), cells, ';'), name)
	}
	assert.False(t, new(bounds).find(view.Bytes(strings.Clone(text)), []string{first, second}, ';'), "of another text")
	assert.True(t, new(bounds).find(view.Bytes(text), []string{first, second}, ';'))
}
