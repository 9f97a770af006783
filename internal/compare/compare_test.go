package compare

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/format"
	"revuelta/internal/rowstore"
	"revuelta/internal/selection"
	"revuelta/internal/table"
)

// held is a table as a source.
func held(names []string, rows [][]string) format.Source {
	b := table.Get()
	b.Shape(len(names))
	for i := range names {
		cells := b.Cols[i].Make(len(rows))
		for r := range cells {
			cells[r] = rows[r][i]
		}
	}
	b.Rows = len(rows)
	store := &rowstore.Rows{}
	if err := store.Adopt(b); err != nil {
		panic(err)
	}
	src, err := format.Stored("t", table.NewSchema(names), store, nil)
	if err != nil {
		panic(err)
	}
	return src
}

// parsed is a table written as names/cells/cells, parted by |.
func parsed(text string) format.Source {
	var rows [][]string
	for _, r := range strings.Split(text, "/") {
		rows = append(rows, strings.Split(r, "|"))
	}
	return held(rows[0], rows[1:])
}

// said is an outcome in short.
func said(o *Outcome) string {
	var out []string
	add := func(what string, n int) {
		if n > 0 {
			out = append(out, fmt.Sprint(what, " ", n))
		}
	}
	out = append(out, o.FieldsA...)
	out = append(out, o.FieldsB...)
	add("here", len(o.OnlyA))
	add("there", len(o.OnlyB))
	for _, c := range o.Cells {
		out = append(out, fmt.Sprintf("%s %s %s=%s", strings.Join(c.Key, "+"), c.Field, c.A, c.B))
	}
	for _, c := range o.Spelled {
		out = append(out, fmt.Sprintf("%s %s %s~%s", strings.Join(c.Key, "+"), c.Field, c.A, c.B))
	}
	for _, p := range o.SpelledRows {
		out = append(out, fmt.Sprintf("%v~%v", p.A.Cells, p.B.Cells))
	}
	return strings.Join(out, ", ")
}

func TestTables(t *testing.T) {
	for _, c := range []struct{ a, b, key, want string }{
		{"k|v/1|x/2|y", "v|k/y|2/x|1", "", ""},
		{"k|v/1|x/1|x", "k|v/1|x", "", "here 1"},
		{"k|v/1|x", "k|v/1|x/01|x", "", "there 1"},
		{"k|v/1|x/2|y", "k|v/1|x/2|z", "", "here 1, there 1"},
		{"k|v/1|1.10", "k|v/01|1.1", "", "[1 1.10]~[01 1.1]"},
		{"k|v|w/1|x|p", "k|v|z/1|x|q", "", "w, z"},
		{"k|v/1|x/2|y/3|z", "k|v/3|z/2|Y/4|w", "k", "here 1, there 1, 2 v y=Y"},
		{"k|v/1|1.10/2|", "k|v/1|1.1/2|0", "k", "2 v =0, 1 v 1.10~1.1"},
		{"k|l|v/1|a|x/1|b|y", "k|l|v/1|b|y/1|a|z", "k,l", "1+a v x=z"},
		{"k|v/1|x/1|y", "k|v/1|x", "k", `error: t line 0, field "k": a second row with the key "1"`},
		{"k|v/1|x", "k|v/1|x", "z", `error: there is no field "z"`},
		{"k/1", "v/1", "", "error: the tables have no field in common: k, and v"},
	} {
		var key *selection.Selection
		if c.key != "" {
			var err error
			key, err = selection.Parse(c.key)
			require.NoError(t, err)
		}
		o, err := Tables("t", parsed(c.a), "u", parsed(c.b), key)
		got := ""
		if err != nil {
			got = strings.Replace("error: "+err.Error(), "error: t, ", "error: t line 0, ", 1)
			assert.Contains(t, got, c.want, "%s and %s", c.a, c.b)
			continue
		}
		got = said(o)
		assert.Equal(t, c.want, got, "%s and %s by %s", c.a, c.b, c.key)
		assert.Equal(t, c.want == "", o.Agree())
	}
}

// TestOrderDoesNotMatter: a table agrees with itself in any order of rows and
// fields, and no longer when one cell is another.
func TestOrderDoesNotMatter(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		names := []string{"a", "b", "c"}
		cell := rapid.SampledFrom([]string{"", "1", "1.0", "x", "\x00", "1,2"})
		var rows [][]string
		for range rapid.IntRange(1, 6).Draw(rt, "rows") {
			rows = append(rows, rapid.SliceOfN(cell, 3, 3).Draw(rt, "row"))
		}
		order := rapid.Permutation([]int{0, 1, 2}).Draw(rt, "fields")
		pick := func(row []string) []string { return []string{row[order[0]], row[order[1]], row[order[2]]} }
		var others [][]string
		for _, r := range rapid.Permutation(rows).Draw(rt, "order") {
			others = append(others, pick(r))
		}
		o, err := Tables("t", held(names, rows), "u", held(pick(names), others), nil)
		require.NoError(rt, err)
		require.True(rt, o.Agree(), "%v and %v: %s", rows, others, said(o))
		others = slices.Clone(others)
		others[0] = slices.Clone(others[0])
		others[0][0] += "!"
		o, err = Tables("t", held(names, rows), "u", held(pick(names), others), nil)
		require.NoError(rt, err)
		require.Len(rt, o.OnlyA, 1)
		require.Len(rt, o.OnlyB, 1)
	})
}

// TestDifferencesAreFound: of two tables that differ in some cells, rows and fields, in any order, exactly those are told.
func TestDifferencesAreFound(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		names := []string{"k", "a", "b"}
		n := rapid.IntRange(0, 12).Draw(rt, "rows")
		var here, there [][]string
		var want []string
		onlyHere, onlyThere := 0, 0
		for r := range n {
			row := []string{fmt.Sprint("H", r), rapid.SampledFrom([]string{"", "026", "x"}).Draw(rt, "a"), rapid.SampledFrom([]string{"1.5", "y"}).Draw(rt, "b")}
			other := slices.Clone(row)
			switch rapid.SampledFrom([]string{"same", "same", "cell", "here", "there"}).Draw(rt, "becomes") {
			case "cell":
				f := rapid.IntRange(1, 2).Draw(rt, "field")
				other[f] = "other"
				want = append(want, fmt.Sprintf("%s %s %s=%s", row[0], names[f], row[f], other[f]))
			case "here":
				onlyHere++
				here = append(here, row)
				continue
			case "there":
				onlyThere++
				there = append(there, other)
				continue
			}
			here, there = append(here, row), append(there, other)
		}
		order := rapid.Permutation([]int{0, 1, 2}).Draw(rt, "fields")
		moved := make([]string, 3)
		for i, f := range order {
			moved[i] = names[f]
		}
		there = rapid.Permutation(there).Draw(rt, "order")
		var turned [][]string
		for _, row := range there {
			turned = append(turned, []string{row[order[0]], row[order[1]], row[order[2]]})
		}
		key, err := selection.Parse("k")
		require.NoError(rt, err)
		o, err := Tables("a", held(names, here), "b", held(moved, turned), key)
		require.NoError(rt, err)
		require.Len(rt, o.OnlyA, onlyHere)
		require.Len(rt, o.OnlyB, onlyThere)
		var got []string
		for _, c := range o.Cells {
			got = append(got, fmt.Sprintf("%s %s %s=%s", strings.Join(c.Key, "+"), c.Field, c.A, c.B))
		}
		slices.Sort(want)
		slices.Sort(got)
		require.Equal(rt, want, got)
		again, err := Tables("b", held(moved, turned), "a", held(names, here), key)
		require.NoError(rt, err)
		require.Len(rt, again.OnlyA, onlyThere)
		require.Len(rt, again.OnlyB, onlyHere)
	})
}
