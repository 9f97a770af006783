package ordering

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/decimal"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// sorted sorts rows of two fields with so much memory, in batches of a few rows.
func sortedRows(t require.TestingT, by, order string, rows [][]string, memory int64, temp string) ([][]string, error) {
	spec, err := ParseOrder(by, order)
	require.NoError(t, err)
	var got [][]string
	in := func(ctx context.Context, out step.Out) error {
		if err := out.Start(table.NewSchema([]string{"a", "b"})); err != nil {
			return err
		}
		for from := 0; from < len(rows); from += 3 {
			some := rows[from:min(from+3, len(rows))]
			b := table.Get()
			b.Shape(2)
			for i := range 2 {
				cells := b.Cols[i].Make(len(some))
				for r := range cells {
					cells[r] = some[r][i]
				}
			}
			b.Rows = len(some)
			if err := out.Emit(b); err != nil {
				return err
			}
		}
		return nil
	}
	err = (&Sort{spec}).Run(context.Background(), in, step.Through{
		OnStart: func(*table.Schema) error { return nil },
		OnEmit: func(b *table.Batch) error {
			for r := range b.Rows {
				row := b.Row(r, nil)
				got = append(got, []string{strings.Clone(row[0]), row[1]})
			}
			return nil
		},
	}, &step.Context{Resources: step.Resources{Memory: memory, Temp: temp}})
	return got, err
}

// TestSortAgainstPlain: what is sorted is what a plain stable sort by comparison
// gives, in memory and by way of temporary files, of which nothing is left.
func TestSortAgainstPlain(t *testing.T) {
	temp := t.TempDir()
	compare := map[string]func(a, b string) int{"text": strings.Compare, "number": Numerically, "natural": Natural}
	rapid.Check(t, func(rt *rapid.T) {
		order := rapid.SampledFrom([]string{"text", "number", "natural", ""}).Draw(rt, "order")
		desc := rapid.Bool().Draw(rt, "desc")
		numbers := rapid.SampledFrom([]string{"", "1", "01", "-2.5", "1e3", "-1e-30", "10", "9.99", "123456789012345678901234567890", "-0"})
		cell := rapid.OneOf(numbers, rapid.SampledFrom([]string{"h1", "h10", "h2", "h02", "\x00", "a\x00b", "\x01", "a\x01b", "a\x01", "a", "ab", "ñ", "12x",
			"a text that is longer than sixteen bytes", "a text that is longer than sixteen", "a text that is longer than thirty-two bytes, too"}))
		if rapid.Bool().Draw(rt, "all numbers") {
			cell = numbers
		}
		var rows [][]string
		cells := rapid.SliceOfN(cell, 0, 40).Draw(rt, "cells")
		memories := []int64{0, 300, 1200}
		for range rapid.SampledFrom([]int{1, 1, 1, 1, 400}).Draw(rt, "times") { // many are dealt out, and made to batches side by side
			for _, c := range cells {
				rows = append(rows, []string{c, fmt.Sprint(len(rows))})
			}
		}
		if len(rows) > 40 {
			memories = []int64{0, 500_000}
		}
		by := "a"
		if desc {
			by = "a desc"
		}
		how := order
		if order == "" {
			how = "number"
			for _, r := range rows {
				if _, ok := decimal.Parse(r[0]); !ok && r[0] != "" {
					how = "text"
				}
			}
		}
		want := slices.Clone(rows)
		slices.SortStableFunc(want, func(x, y []string) int {
			a, b := x[0], y[0]
			switch {
			case a == "" || b == "":
				return len(b) - len(a) // one is blank: it comes last
			case !desc:
				return compare[how](a, b)
			}
			if how == "number" { // what is no number stays behind the numbers
				_, ok := decimal.Parse(a)
				_, too := decimal.Parse(b)
				if ok != too {
					return Numerically(a, b)
				}
			}
			return compare[how](b, a)
		})
		for _, memory := range memories {
			got, err := sortedRows(rt, by, order, rows, memory, temp)
			require.NoError(rt, err)
			require.Equal(rt, want, got, "%s %s with %d bytes", by, order, memory)
		}
		left, err := os.ReadDir(temp)
		require.NoError(rt, err)
		require.Empty(rt, left)
	})
}

// TestKeysStandAsRows: keys of several fields, one behind the other, stand in the order of their cells.
func TestKeysStandAsRows(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		spec, err := ParseOrder(rapid.SampledFrom([]string{"a,b", "a desc,b", "a,b desc", "a desc,b desc"}).Draw(rt, "by"), "text")
		require.NoError(rt, err)
		keys, err := spec.bind(table.NewSchema([]string{"a", "b"}))
		require.NoError(rt, err)
		cell := rapid.StringOfN(rapid.SampledFrom([]rune("\x00\x01\x02a")), 0, 3, -1)
		key := func(row []string) (key []byte) {
			for i, c := range row {
				key = keys.fields[i].append(key, c)
			}
			return key
		}
		x, y := []string{cell.Draw(rt, "a of one"), cell.Draw(rt, "b of one")}, []string{cell.Draw(rt, "a of the other"), cell.Draw(rt, "b of the other")}
		want := 0
		for i := range x {
			if want == 0 && x[i] != y[i] {
				switch {
				case x[i] == "":
					want = 1
				case y[i] == "":
					want = -1
				default:
					if want = strings.Compare(x[i], y[i]); keys.fields[i].desc {
						want = -want
					}
				}
			}
		}
		require.Equal(rt, want, bytes.Compare(key(x), key(y)))
		p := sortedPart{}
		var entries []entry
		for i, row := range [][]string{x, y} {
			k := key(row)
			entries = append(entries, entry{at: uint64(i), key: uint64(len(p.keys))<<24 | uint64(len(k))})
			entries[i].hold(k, 0)
			p.keys = append(p.keys, k...)
		}
		if want == 0 {
			want = -1 // the one that stood first
		}
		require.Equal(rt, want, p.compare(&entries[0], &p, &entries[1]))
	})
}

// TestEntriesAreSorted: dealing entries out by bytes sorts them as comparing them does, whatever their keys share.
func TestEntriesAreSorted(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		piece := rapid.SampledFrom([]string{"", "a", "b", "ab", "\xff", "sixteen bytes in", "a text of thirty-three bytes, this"})
		pieces := rapid.SliceOfN(piece, 2, 9).Draw(rt, "pieces")
		p := sortedPart{}
		n := rapid.IntRange(0, 3000).Draw(rt, "entries")
		random := rand.New(rand.NewPCG(uint64(n), 1))
		for i := range n {
			from := len(p.keys)
			for range random.IntN(5) {
				p.keys = append(p.keys, pieces[random.IntN(len(pieces))]...)
			}
			e := entry{at: uint64(i), key: uint64(from)<<24 | uint64(len(p.keys)-from)}
			e.hold(p.whole(&e), 0)
			p.entries = append(p.entries, e)
		}
		want := slices.Clone(p.entries)
		slices.SortFunc(want, func(a, b entry) int {
			if c := bytes.Compare(p.whole(&a), p.whole(&b)); c != 0 {
				return c
			}
			return cmp.Compare(a.at, b.at)
		})
		p.sort(p.entries, 0, 0)
		require.Equal(rt, want, p.entries)
		parts := []sortedPart{{entries: p.entries, keys: p.keys}}
		rows := 0
		for _, s := range stretches(parts, 100) {
			require.Equal(rt, rows, s.from[0])
			rows = s.to[0]
		}
		require.Equal(rt, n, rows)
	})
}

func TestSortWithoutAFolder(t *testing.T) {
	_, err := sortedRows(t, "a", "", [][]string{{"2", "x"}, {"1", "y"}, {"3", "z"}}, 100, t.TempDir()+"/none")
	require.ErrorContains(t, err, "the folder for temporary files")
}
