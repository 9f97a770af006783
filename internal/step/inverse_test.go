package step_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/step/steptest"
)

// through runs lines one after the other.
func through(rt *rapid.T, in steptest.Table, lines ...string) steptest.Table {
	for i, line := range lines {
		s, err := steptest.Made(line)
		require.NoError(rt, err, line)
		out, tally, err := steptest.Run(s, in, rapid.IntRange(1, 5).Draw(rt, fmt.Sprint("size ", i)), steptest.Kind(rapid.IntRange(0, int(steptest.Kinds)-1).Draw(rt, fmt.Sprint("kind ", i))))
		require.NoError(rt, err, line)
		require.Equal(rt, tally.Out, tally.In+tally.Made-tally.Merged-tally.LeftOut, line)
		require.Equal(rt, tally.FilledIn, tally.FilledOut, line)
		in = steptest.Table{Names: out.Names, Rows: out.Rows}
	}
	return in
}

// drawn is a table of some fields, with cells as each draws them.
func drawn(rt *rapid.T, names []string, cells ...*rapid.Generator[string]) steptest.Table {
	t := steptest.Table{Names: names}
	for range rapid.IntRange(1, 8).Draw(rt, "rows") {
		var row []string
		for i := range names {
			row = append(row, cells[i%len(cells)].Draw(rt, names[i]))
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// TestCombineThenSplit: what is combined comes apart again where no part but the
// last holds what stands between them, and none is blank.
func TestCombineThenSplit(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		in := drawn(rt, []string{"k", "a", "b", "c"}, rapid.StringMatching(`[0-9a-z ñ]{1,4}`))
		back := through(rt, in, "combine '{a}-{b}/{c}' --as all", "split all '{a}-{b}/{c}'")
		require.Equal(rt, in, back)
		back = through(rt, in, "combine a,b,c --with ' | ' --as all", "split all --at ' | ' --into a,b,c --exact")
		require.Equal(rt, in, back)
	})
}

// TestSplitThenCombine: every cell that fits a pattern without {_} comes back, whatever it holds; blanks do not.
func TestSplitThenCombine(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		in := drawn(rt, []string{"k", "h", "z"}, rapid.StringN(0, 3, -1), rapid.StringMatching(`[A-Z]{1,3}-[0-9 ]{2,4}(/[a-z\n,"é-]{1,3}){1,2}`), rapid.StringN(0, 3, -1))
		back := through(rt, in, "split h '{a}-{b:1-2}{c}/{d}'", "combine '{a}-{b}{c}/{d}' --as h")
		require.Equal(rt, in, back)
	})
}

// TestExplodeThenBundle: rows come back where no two agree in all other fields,
// the values are trimmed, none is empty, and the separator is written alike.
func TestExplodeThenBundle(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		in := steptest.Table{Names: []string{"k", "a", "b", "z"}}
		value := rapid.StringMatching(`[a-z0-9][a-z é,"]{0,3}[a-z]`)
		for r := range rapid.IntRange(1, 6).Draw(rt, "rows") {
			n := rapid.IntRange(0, 4).Draw(rt, "values")
			a, b := make([]string, n), make([]string, n)
			for i := range n {
				a[i], b[i] = value.Draw(rt, "a"), value.Draw(rt, "b")
			}
			in.Rows = append(in.Rows, []string{fmt.Sprint(r), strings.Join(a, "; "), strings.Join(b, "; "), "x"})
		}
		require.Equal(rt, in, through(rt, in, "explode a --at ';'", "bundle a --with '; '"))
		require.Equal(rt, in, through(rt, in, "explode a,b --at ';'", "bundle a,b --with '; '"))
	})
}

// TestBundleThenExplode: the rows come back, those that agree in the other
// fields beneath each other, where the values are not blank; as JSON whatever they hold.
func TestBundleThenExplode(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		in := drawn(rt, []string{"k", "a"}, rapid.SampledFrom([]string{"", "1", "01"}), rapid.StringN(1, 4, -1))
		order := map[string]int{}
		var together [][]string
		for _, row := range in.Rows {
			if _, ok := order[row[0]]; !ok {
				order[row[0]] = len(order)
				for _, other := range in.Rows {
					if other[0] == row[0] {
						together = append(together, other)
					}
				}
			}
		}
		back := through(rt, in, "bundle a --json", "explode a --json")
		require.Equal(rt, together, back.Rows)
	})
}

// TestTransposeTwice: the table comes back where the first field has no value twice and none blank.
func TestTransposeTwice(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		in := drawn(rt, []string{"k", "a", "b", "c"}, rapid.StringN(0, 3, -1))
		for r := range in.Rows {
			in.Rows[r][0] = fmt.Sprint("row ", r)
		}
		require.Equal(rt, in, through(rt, in, "transpose", "transpose"))
		require.Equal(rt, in, through(rt, in, "transpose --label x", "transpose --label k"))
	})
}

// TestStencilFindsEveryBlock: a form drawn by its blocks is read as those blocks.
func TestStencilFindsEveryBlock(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		down, across := rapid.IntRange(1, 3).Draw(rt, "down"), rapid.IntRange(1, 3).Draw(rt, "across")
		width := 1 + across*2
		sheet := steptest.Table{}
		for i := range width {
			sheet.Names = append(sheet.Names, fmt.Sprintf("field %d", i+1))
		}
		cell := rapid.StringN(0, 3, -1)
		top := make([]string, width)
		var want [][]string
		for a := range across {
			top[1+2*a] = fmt.Sprint("T", a)
		}
		sheet.Rows = append(sheet.Rows, top)
		for d := range down {
			upper, lower := make([]string, width), make([]string, width)
			upper[0] = fmt.Sprint("S", d)
			for a := range across {
				x, y, z := cell.Draw(rt, "x"), cell.Draw(rt, "y"), cell.Draw(rt, "z")
				upper[1+2*a], upper[2+2*a], lower[1+2*a], lower[2+2*a] = x, y, z, cell.Draw(rt, "unwanted")
				want = append(want, []string{fmt.Sprint("S", d), fmt.Sprint("T", a), x, y, z})
			}
			sheet.Rows = append(sheet.Rows, upper, lower)
		}
		out := through(rt, sheet, "stencil 'x y / z .' --side s --top t")
		require.Equal(rt, []string{"s", "t", "x", "y", "z"}, out.Names)
		require.Equal(rt, want, out.Rows)
	})
}

// TestUnpivotThenPivot: a pivot puts back, field for field, what an unpivot took apart, in whatever order the headers
// stand, where rows are told apart and no cell is blank.
func TestUnpivotThenPivot(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		combinations := rapid.Permutation([]string{"Q1 north", "Q1 south", "Q2 north", "Q2 south", "Q3 south"}).Draw(rt, "headers")
		in := steptest.Table{Names: []string{"k"}}
		byMeasure := rapid.Bool().Draw(rt, "by measure")
		unfold, fold := "unpivot '{q} {side} {@:kg|jars}'", "pivot --down k --across q,side --cell kg --cell jars --name '{q} {side} {@}'"
		if byMeasure {
			unfold, fold = "unpivot '{@:kg|jars} {q} {side}'", "pivot --down k --across q,side --cell kg --cell jars --name '{@} {q} {side}'"
			for _, m := range []string{"kg", "jars"} {
				for _, c := range combinations {
					in.Names = append(in.Names, m+" "+c)
				}
			}
		} else {
			for _, c := range combinations {
				in.Names = append(in.Names, c+" kg", c+" jars")
			}
		}
		for r := range rapid.IntRange(1, 4).Draw(rt, "rows") {
			row := []string{fmt.Sprint("H", r)}
			for range in.Names[1:] {
				row = append(row, rapid.StringMatching(`[0-9x,]{1,3}`).Draw(rt, "cell"))
			}
			in.Rows = append(in.Rows, row)
		}
		require.Equal(rt, in, through(rt, in, unfold, fold))
	})
}
