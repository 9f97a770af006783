package ordering

import (
	"context"
	"fmt"
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
		cell := rapid.OneOf(numbers, rapid.SampledFrom([]string{"h1", "h10", "h2", "h02", "\x00", "a\x00b", "a", "ab", "ñ", "12x"}))
		if rapid.Bool().Draw(rt, "all numbers") {
			cell = numbers
		}
		var rows [][]string
		for i := range rapid.IntRange(0, 40).Draw(rt, "rows") {
			rows = append(rows, []string{cell.Draw(rt, "cell"), fmt.Sprint(i)})
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
		for _, memory := range []int64{0, 300, 1200} {
			got, err := sortedRows(rt, by, order, rows, memory, temp)
			require.NoError(rt, err)
			require.Equal(rt, want, got, "%s %s with %d bytes", by, order, memory)
		}
		left, err := os.ReadDir(temp)
		require.NoError(rt, err)
		require.Empty(rt, left)
	})
}

func TestSortWithoutAFolder(t *testing.T) {
	_, err := sortedRows(t, "a", "", [][]string{{"2", "x"}, {"1", "y"}, {"3", "z"}}, 100, t.TempDir()+"/none")
	require.ErrorContains(t, err, "the folder for temporary files")
}
