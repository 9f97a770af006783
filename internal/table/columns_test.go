package table

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/view"
)

// held draws cells, and a column that holds them in some way, with what it may claim of them.
func held(rt *rapid.T, rows int) (*Column, []string) {
	cells := make([]string, rows)
	for i := range cells {
		cells[i] = rapid.SampledFrom([]string{"", "026", "026", "a,b", "x;y", `"`, "ñ", "a\nb", "tab\t|"}).Draw(rt, "cell")
	}
	c := &Column{}
	switch rapid.SampledFrom([]Kind{Plain, Runs, Encoded, Interleaved, Placed, inTurns}).Draw(rt, "kind") {
	case Plain:
		copy(c.Make(rows), cells)
		if rapid.Bool().Draw(rt, "in a text") {
			var text view.Text
			var at []int
			for _, s := range cells {
				at, text = append(at, len(text)), append(append(text, s...), ',')
			}
			for r, s := range cells {
				c.Cells[r] = text.Cell(at[r], at[r]+len(s))
			}
			c.Place(text, rapid.IntRange(0, 3).Draw(rt, "field"))
		}
	case Runs:
		values, ends := c.MakeRuns(rows)
		n := 0
		for r, s := range cells {
			if n == 0 || values[n-1] != s {
				values[n] = s
				n++
			}
			ends[n-1] = int32(r + 1)
		}
		c.Cells, c.Ends = values[:n], ends[:n]
	case Encoded:
		values := append(slices.Clone(cells), "never used")
		for r := range c.MakeCodes(values, rows) {
			c.Codes[r] = int32(slices.Index(values, cells[r]))
		}
	case Interleaved:
		n := rapid.SampledFrom([]int{1, 2, rows}).Filter(func(n int) bool { return rows%n == 0 }).Draw(rt, "parts")
		parts := make([][]string, n)
		for r, s := range cells {
			parts[r%n] = append(parts[r%n], s)
		}
		if n > 1 && !slices.ContainsFunc(parts[n-1], func(s string) bool { return s != "" }) {
			parts[n-1] = nil
		}
		c.Interleave(parts, 0)
	case Placed:
		c.InGrid(gridOf(cells, slices.Repeat([]string{""}, rows)), 0, 0)
	case inTurns:
		if rows%2 > 0 {
			c.TakeTurns(gridOf(cells), []int32{0}, 0, rows, 0)
			break
		}
		c.TakeTurns(turnedGrid(cells), []int32{2, 0}, 1, rows/2, 0)
	}
	if rapid.Bool().Draw(rt, "claims") {
		c.Absent = AbsentFrom(cells)
		if c.Kind == Encoded {
			c.Absent = AbsentFrom(c.Cells)
		}
	}
	return c, cells
}

// TestColumnsAgainstLists: whatever is done to a column of whatever kind, it holds what a list of cells would, keeps what
// it promises, and what it was made of stays as it was.
func TestColumnsAgainstLists(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		rows := rapid.IntRange(1, 90).Draw(rt, "rows")
		c, cells := held(rt, rows)
		first, was := c, slices.Clone(cells)
		for range rapid.IntRange(1, 4).Draw(rt, "deeds") {
			made := &Column{}
			switch deed := rapid.SampledFrom([]string{"gather", "borrow", "own", "flatten", "truncate", "clone", "share", "runs", "none"}).Draw(rt, "deed"); deed {
			case "gather":
				var taken []int32
				var now []string
				from := rapid.IntRange(0, len(cells)-1).Draw(rt, "from")
				for r := from; r < len(cells); r++ {
					if len(taken) == 0 || rapid.SampledFrom([]bool{true, true, true, false}).Draw(rt, "take") {
						taken, now = append(taken, int32(r)), append(now, cells[r])
					}
				}
				made.Gather(c, taken)
				c, cells = made, now
			case "borrow":
				made.Borrow(c)
				c = made
			case "own":
				made.Borrow(c)
				made.Own()
				c = made
			case "flatten":
				made.Borrow(c)
				flat := made.Flatten(len(cells))
				require.Equal(rt, cells, flat)
				flat[0] = "changed"
				made.Absent = 0
				c, cells = made, slices.Concat([]string{"changed"}, cells[1:])
			case "truncate":
				made.Borrow(c)
				b := Batch{Rows: len(cells), Cols: []Column{*made}}
				b.Truncate(rapid.IntRange(1, len(cells)).Draw(rt, "to"))
				c, cells = &b.Cols[0], cells[:b.Rows]
			case "clone":
				b := Batch{Rows: len(cells), Cols: []Column{*c}}
				twin, _ := b.Clone()
				c = &twin.Cols[0]
				require.Nil(rt, c.Text(), "it lies in a text of its own")
			case "share":
				flat, _ := c.Flat(len(cells), nil)
				made.Share(slices.Clone(flat), c.Absent)
				c = made
			case "runs":
				flat, _ := c.Flat(len(cells), nil)
				var ends []int32
				for i := range flat {
					ends = append(ends, int32(2*i+2))
				}
				made.ShareRuns(c, slices.Clone(flat), ends)
				var now []string
				for _, s := range cells {
					now = append(now, s, s)
				}
				c, cells = made, now
			}
			b := Batch{Rows: len(cells), Cols: []Column{*c}}
			require.NoError(rt, b.Validate())
			filled := 0
			for r, s := range cells {
				require.Equal(rt, s, c.At(r))
				if s != "" {
					filled++
				}
			}
			flat, _ := c.Flat(len(cells), make([]string, 3))
			require.Equal(rt, cells, flat)
			require.Equal(rt, filled, c.Filled(len(cells)))
			from := rapid.IntRange(0, len(cells)).Draw(rt, "counted from")
			require.Equal(rt, c.FilledBetween(0, from)+c.FilledBetween(from, len(cells)), filled)
		}
		for r, s := range was {
			require.Equal(rt, s, first.At(r), "what it was made of has changed")
		}
	})
}

// TestValidate finds each broken promise.
func TestValidate(t *testing.T) {
	text := view.Text("a,b\n")
	for want, spoil := range map[string]func(b *Batch){
		"2 cells for 3 rows":          func(b *Batch) { b.Cols[0].Make(2) },
		"runs with":                   func(b *Batch) { b.Cols[0].MakeRuns(2); b.Cols[0].Ends = b.Cols[0].Ends[:1] },
		"before the one above it":     func(b *Batch) { b.Cols[0].ShareRuns(&Column{}, []string{"a", "b"}, []int32{3, 2}) },
		"the runs end at 2 of 3":      func(b *Batch) { b.Cols[0].ShareRuns(&Column{}, []string{"a"}, []int32{2}) },
		"codes for 3 rows":            func(b *Batch) { b.Cols[0].ShareCodes([]string{"a"}, []int32{0}, 0) },
		"row 1 has code 1 of 1":       func(b *Batch) { b.Cols[0].ShareCodes([]string{"a"}, []int32{0, 1, 0}, 0) },
		"has code -1":                 func(b *Batch) { b.Cols[0].ShareCodes([]string{"a"}, []int32{-1, 0, 0}, 0) },
		"rows of 2 interleaved parts": func(b *Batch) { b.Cols[0].Interleave([][]string{{"a"}, {"b"}}, 0) },
		"no part of 3 rows is there":  func(b *Batch) { b.Cols[0].Interleave([][]string{nil, nil, nil}, 0) },
		"part 1 has 2 cells":          func(b *Batch) { b.Cols[0].Interleave([][]string{{"a"}, {"b", "c"}, nil}, 0) },
		"of no kind":                  func(b *Batch) { b.Cols[0].Kind = 9 },
		"said to be absent":           func(b *Batch) { b.Cols[0].Cells[1], b.Cols[0].Absent = "a,b", AbsentComma },
		"does not lie in the text":    func(b *Batch) { b.Cols[0].Place(text, 0) },
		"is said to lie in a text":    func(b *Batch) { b.Cols[0].ShareCodes([]string{"a"}, []int32{0, 0, 0}, 0); b.Cols[0].Place(text, 0) },
		"the origin ends at":          func(b *Batch) { b.Origin.Ends = []int32{1, 2} },
		"source rows that make 2":     func(b *Batch) { b.Origin.Each = 2 },
		"2 lines for 3":               func(b *Batch) { b.Origin.Lines = []int32{0, 1} },
		"2 files for 3":               func(b *Batch) { b.Origin.Files = []int32{0, 1} },
	} {
		b := &Batch{}
		b.Shape(1)
		b.Rows, b.Origin = 3, Origin{Line: 2, Each: 1}
		copy(b.Cols[0].Make(3), []string{"x", "y", "z"})
		require.NoError(t, b.Validate())
		spoil(b)
		require.ErrorContains(t, b.Validate(), want)
	}
}

// TestAdjacentColumns: two columns go together where they say so and lie so. What the parser laid out is trusted between its first
// row and its last; anybody else's cells are looked at row by row.
func TestAdjacentColumns(t *testing.T) {
	text := view.Text("1,a\n2,b\n3,c\n4,d\n")
	column := func(at int) *Column {
		c := &Column{}
		for r := range c.Make(4) {
			c.Cells[r] = text.Cell(r*4+at, r*4+at+1)
		}
		return c
	}
	placed := func(at, field int) *Column { c := column(at); c.Place(text, field); return c }
	parsed := func(at, field int) *Column { c := column(at); c.Parsed(text, field); return c }
	gathered := func(c *Column, rows ...int32) *Column { g := &Column{}; g.Gather(c, rows); return g }
	odd := func(c *Column) *Column { c.Cells[2] = strings.Clone(c.Cells[2]); return c }
	runs := func(c *Column) *Column {
		r := &Column{}
		r.ShareRuns(c, c.Cells, []int32{1, 2, 3, 4})
		return r
	}
	for name, c := range map[string]struct {
		a, b *Column
		want bool
	}{
		"placed":                      {placed(0, 0), placed(2, 1), true},
		"parsed":                      {parsed(0, 4), parsed(2, 5), true},
		"one of each":                 {parsed(0, 0), placed(2, 1), true},
		"the same rows gathered":      {gathered(parsed(0, 0), 1, 3), gathered(parsed(2, 1), 1, 3), true},
		"other rows gathered":         {gathered(parsed(0, 0), 0, 1, 3), gathered(parsed(2, 1), 0, 2, 3), false},
		"other runs":                  {runs(parsed(0, 0)), runs(odd(parsed(2, 1))), false},
		"runs":                        {runs(parsed(0, 0)), runs(parsed(2, 1)), true},
		"runs beside plain":           {runs(parsed(0, 0)), parsed(2, 1), false},
		"not the next field":          {placed(0, 0), placed(2, 2), false},
		"the other way round":         {placed(2, 0), placed(0, 1), false},
		"a row between lies else":     {odd(placed(0, 0)), placed(2, 1), false},
		"one not placed":              {placed(0, 0), column(2), false},
		"neither placed":              {column(0), column(2), false},
		"fewer rows":                  {gathered(placed(0, 0), 0, 1), placed(2, 1), false},
		"changed since it was parsed": {parsed(0, 0), &Column{Cells: parsed(2, 1).Flatten(4)}, false},
	} {
		assert.Equal(t, c.want, Adjacent(c.a, c.b, ','), name)
		assert.False(t, Adjacent(c.a, c.b, ';'), name)
	}
	empty := &Column{}
	empty.Place(text, 0)
	assert.False(t, Adjacent(empty, empty, ','), "without rows")
}
