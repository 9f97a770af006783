package table

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/view"
)

// TestOriginsAgainstPlaces: whatever is made of rows, taken from them or repeated, each knows the file and the line it came from,
// as a plain list of places has it.
func TestOriginsAgainstPlaces(t *testing.T) {
	type place struct{ file, line int }
	rapid.Check(t, func(rt *rapid.T) {
		n := rapid.IntRange(1, 8).Draw(rt, "rows")
		first := rapid.IntRange(1, 50).Draw(rt, "first")
		o := Origin{File: rapid.IntRange(0, 2).Draw(rt, "file"), Line: first, Each: 1}
		var places []place
		kind := rapid.SampledFrom([]string{"consecutive", "uneven", "of several files"}).Draw(rt, "kind")
		for r := range n {
			p := place{o.File, first + r}
			if kind != "consecutive" {
				p.line = first + 2*r + rapid.IntRange(0, 1).Draw(rt, "gap")
				o.Lines = append(o.Lines, int32(p.line-first))
			}
			if kind == "of several files" {
				p.file = rapid.IntRange(0, 3).Draw(rt, "of file")
				o.Files = append(o.Files, int32(p.file))
			}
			places = append(places, p)
		}
		for range rapid.IntRange(0, 4).Draw(rt, "steps") {
			var made Origin
			var now []place
			switch rapid.SampledFrom([]string{"taken", "repeated", "part", "unevenly repeated", "owned"}).Draw(rt, "step") {
			case "taken":
				var rows []int32
				for r := range places {
					if rapid.Bool().Draw(rt, "keep") {
						rows, now = append(rows, int32(r)), append(now, places[r])
					}
				}
				made.Derive(&o, rows)
			case "repeated":
				each := rapid.IntRange(1, 3).Draw(rt, "each")
				for _, p := range places {
					for range each {
						now = append(now, p)
					}
				}
				made.Repeat(&o, each, len(places))
			case "part":
				from := rapid.IntRange(0, len(places)).Draw(rt, "from")
				to := rapid.IntRange(from, len(places)).Draw(rt, "to")
				made, now = o.From(from, to), places[from:to]
			case "unevenly repeated": // as explode does with rows that stand for one source row each
				if o.Each > 1 || o.Ends != nil {
					continue
				}
				made = o
				for _, p := range places {
					for range rapid.IntRange(1, 3).Draw(rt, "times") {
						now = append(now, p)
					}
					made.Ends = append(made.Ends, int32(len(now)))
				}
			case "owned":
				made, now = o, places
				made.own()
			}
			if o, places = made, now; len(places) == 0 {
				return
			}
			for r, p := range places {
				require.Equal(rt, p, place{o.FileOf(r), o.LineOf(r)}, "row %d of %+v", r, o)
			}
		}
	})
}

// TestCloneHoldsNothing: a clone has the same cells in text of its own, for columns of every kind.
func TestCloneHoldsNothing(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		text := []byte("Vesk026lime ivy")
		cell := func() string {
			from := rapid.IntRange(0, len(text)).Draw(rt, "from")
			to := rapid.IntRange(from, len(text)).Draw(rt, "to")
			return viewOf(text[from:to])
		}
		b := Get()
		b.Shape(4)
		b.Rows = 4
		plain := b.Cols[0].Make(4)
		for r := range plain {
			plain[r] = cell()
		}
		b.Cols[0].Parsed(text, 2)
		runs, ends := b.Cols[1].MakeRuns(2)
		runs[0], runs[1], ends[0], ends[1] = cell(), cell(), 1, 4
		b.Cols[2].ShareCodes([]string{cell(), cell()}, []int32{0, 1, 1, 0}, 0)
		b.Cols[3].SetConstant(cell(), 4)
		b.Origin = Origin{File: 1, Line: 7, Each: 1, Lines: []int32{0, 2, 3, 9}, Files: []int32{1, 0, 1, 0}}
		var before [][]string
		for r := range b.Rows {
			var row []string
			for i := range b.Cols {
				row = append(row, string([]byte(b.Cols[i].At(r))))
			}
			before = append(before, row)
		}
		c, size := b.Clone()
		require.Positive(rt, size)
		for i := range text {
			text[i] = 'X' // as a chunk that is used again
		}
		b.Origin.Lines[1], b.Origin.Files[1] = 99, 99
		for r := range c.Rows {
			require.Equal(rt, before[r], c.Row(r, nil))
		}
		require.Equal(rt, 9, c.Origin.LineOf(1))
		require.Equal(rt, 0, c.Origin.FileOf(1))
		for i := range c.Cols {
			require.Nil(rt, c.Cols[i].Text(), "its cells lie no more as they were read")
		}
	})
}

// viewOf is a text that views bytes, as cells do.
func viewOf(b []byte) string { return view.String(b) }
