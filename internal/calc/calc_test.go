package calc

import (
	"fmt"
	"math/big"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/decimal"
	"revuelta/internal/table"
)

var schema = table.NewSchema([]string{"x"})

func batch(cells []string) *table.Batch {
	b := &table.Batch{}
	b.Shape(1)
	b.Rows = len(cells)
	copy(b.Cols[0].Make(len(cells)), cells)
	return b
}

// outcome deals the cells out to so many parts and merges them, the last part first.
func outcome(t require.TestingT, source string, cells []string, parts int) (string, error) {
	c, err := Parse(source)
	require.NoError(t, err)
	accs := make([]Acc, parts)
	for i := range accs {
		if accs[i], err = c.New(schema, -1); err != nil {
			return "", err
		}
		accs[i].Grow(1)
	}
	for pos, cell := range cells {
		a := accs[pos%parts]
		a.Load(batch([]string{cell}))
		r, fail := AddAll(a, []int32{0}, int64(pos))
		if fail != nil {
			require.Zero(t, r)
			return "", fmt.Errorf("%s", fail.Reason)
		}
	}
	all := accs[parts-1]
	for _, a := range accs[:parts-1] {
		if err := all.Merge(0, a, 0); err != nil {
			return "", err
		}
	}
	if err := all.Settle(); err != nil {
		return "", err
	}
	if share, ok := all.(*Share); ok {
		share.Total = func(int32) (decimal.D, bool) { return decimal.FromInt(8), true }
	}
	return string(all.Append(nil, 0)), nil
}

func TestCalculations(t *testing.T) {
	for _, c := range []struct{ source, cells, want string }{
		{"count()", "1||x", "3"}, {"count(x)", "1||x", "2"}, {"distinct(x)", "a|A|a||01|1", "4"},
		{"sum(x)", "0.1|0.1|0.1", "0.3"}, {"sum(x)", "1.10|-1.1", "0.00"}, {"sum(x)", "|", ""}, {"sum(x)", "026|1", "27"},
		{"sum(x)", "9223372036854775807|1|0.5", "9223372036854775808.5"}, {"sum(x)", "123456789012345678|0.001", "123456789012345678.001"},
		{"sum(x)", "-9223372036854775808|-1", "-9223372036854775809"}, {"sum(x)", "1e20|-1e20|1", "1"}, {"sum(x * 2)", "1.50|0.25", "3.5"},
		{"mean(x)", "0.1|0.2", "0.15"}, {"mean(x)", "1|2|2", "1.6666666666666667"}, {"mean(x)", "", ""}, {"mean(x)", "4.50|", "4.5"},
		{"median(x)", "3|1|2", "2"}, {"median(x)", "1|2|10|4", "3"}, {"p25(x)", "1|2|3|4", "1.75"}, {"p90(x)", "5", "5"}, {"p1(x)", "0|100", "1"},
		{"min(x)", "10|9.0|9", "9.0"}, {"max(x)", "b|a|", "b"}, {"max(x)", "2024-01-01|2023-12-31T10:00", "2024-01-01"}, {"min(x)", "10|9x", "fails: the field mixes numbers and others"},
		{"max(text(x))", "10|9x", "9x"}, {"max(text(x))", "10|9", "9"}, {"min(x)", "2024-05-02|2024-5-1", "2024-05-02"},
		{"first(x)", "|b|a", "b"}, {"last(x)", "|b|a|", "a"}, {"mode(x)", "a|b|b|a|c", "a"}, {"mode(x)", "", ""},
		{"var(x)", "2|4|9", "13"}, {"stdev(x)", "1|1|1", "0"}, {"stdev(x)", "1", ""}, {"var(x)", "0.1|0.2|0.3", "0.01"},
		{`join(x, "; ")`, "b||a|b", "b; a; b"}, {`join(x, "\n")`, "b|a", "b\na"}, {"share(x)", "1|1", "0.25"}, {"x", "|7|", "7"},
		{"sum(x)", "1|x", "fails: is not a number"}, {"mean(x)", "1|1,5", "fails: is not a number"},
	} {
		for parts := 1; parts <= 3; parts++ {
			got, err := outcome(t, c.source, strings.Split(c.cells, "|"), parts)
			if want, ok := strings.CutPrefix(c.want, "fails: "); ok {
				assert.ErrorContains(t, err, want, c.source)
				continue
			}
			require.NoError(t, err, c.source)
			assert.Equal(t, c.want, got, "%s of %s in %d parts", c.source, c.cells, parts)
		}
	}
}

func TestParse(t *testing.T) {
	for source, want := range map[string]string{
		"sum(kilos)": "sum kilos", "sum({net kg}) as kg": "sum kg", "count()": "count count", "kilos": " kilos", "mean( price )": "mean price",
		"sum(frames * 2.5)": "sum frames * 2.5", `join(plant, "; ") as p`: "join p", "p95(x)": "p x", "upper(x)": " upper(x)", `text(a, " as ", b)`: ` text(a, " as ", b)`,
		`sum(x) as "a, b"`: "sum a, b", "sum(round(x, 1))": "sum round(x, 1)",
	} {
		c, err := Parse(source)
		if assert.NoError(t, err, source) {
			assert.Equal(t, want, c.Func+" "+c.Measure(), source)
		}
	}
	for source, want := range map[string]string{
		"": "the calculation is empty", "smu(x)": "there is no calculation smu", "p0(x)": "the quantiles are p1 to p99", "sum()": "sum takes one field or formula",
		"sum(a, b)": "sum takes one field or formula", "join(x)": "join takes what to join", "join(x, y)": "a text in quotes", "sum(x > 1)": "a comparison can't be calculated with",
		"x > 1": "is a comparison", "sum(x": "a ( is not closed",
	} {
		_, err := Parse(source)
		assert.ErrorContains(t, err, want, source)
	}
	a, _ := Parse("sum(x)")
	b, _ := Parse("mean(x)")
	c, _ := Parse("p90(y)")
	assert.Equal(t, []string{"sum x", "mean x", "y"}, Measures([]*Calculation{a, b, c}))
}

func TestConflictsNameTheFirstTwo(t *testing.T) {
	c, err := Parse("x")
	require.NoError(t, err)
	for _, order := range [][]int64{{1, 5, 9}, {9, 5, 1}, {5, 9, 1}, {5, 1, 9}} {
		a, err := c.New(schema, -1)
		require.NoError(t, err)
		a.Grow(1)
		for _, pos := range order {
			a.Load(batch([]string{fmt.Sprint("v", pos)}))
			require.Nil(t, a.Add(0, 0, pos))
		}
		assert.Equal(t, Conflict{First: 1, Second: 5, A: "v1", B: "v5"}, a.(*Single).Conflicts[0], "%v", order)
	}
}

// FuzzAgainstBig compares sums, means, medians and variances with math/big.
func FuzzAgainstBig(f *testing.F) {
	f.Add("0.1|0.2|0.30", uint8(2))
	f.Add("999999999999999999|0.001|-1e18", uint8(1))
	f.Add("9223372036854775807|9223372036854775807||1e-18", uint8(3))
	f.Fuzz(func(t *testing.T, text string, parts uint8) {
		cells := strings.Split(text, "|")
		if len(cells) > 30 || len(text) > 300 {
			return
		}
		var all []*big.Rat
		sum, squares := new(big.Rat), new(big.Rat)
		for _, c := range cells {
			if c == "" {
				continue
			}
			if _, ok := decimal.Parse(c); !ok {
				return
			}
			r, ok := new(big.Rat).SetString(c)
			require.True(t, ok)
			all = append(all, r)
			sum.Add(sum, r)
			squares.Add(squares, new(big.Rat).Mul(r, r))
		}
		n := int(parts)%3 + 1
		check := func(source string, want *big.Rat, exact bool) {
			got, err := outcome(t, source, cells, n)
			if err != nil {
				require.Contains(t, err.Error(), decimal.ErrOverflow.Error())
				return
			}
			if want == nil {
				require.Empty(t, got)
				return
			}
			if exact {
				r, ok := new(big.Rat).SetString(got)
				require.True(t, ok, got)
				require.Zero(t, want.Cmp(r), "%s of %s is %s", source, text, got)
				return
			}
			nearest, _ := want.Float64()
			require.Equal(t, string(decimal.AppendFloat(nil, nearest)), got, "%s of %s", source, text)
		}
		if len(all) == 0 {
			check("sum(x)", nil, true)
			return
		}
		count := new(big.Rat).SetInt64(int64(len(all)))
		check("sum(x)", sum, true)
		check("mean(x)", new(big.Rat).Quo(sum, count), false)
		slices.SortFunc(all, (*big.Rat).Cmp)
		middle := new(big.Rat).Add(all[(len(all)-1)/2], all[len(all)/2])
		check("median(x)", middle.Quo(middle, big.NewRat(2, 1)), false)
		if len(all) > 1 {
			top := new(big.Rat).Sub(new(big.Rat).Mul(count, squares), new(big.Rat).Mul(sum, sum))
			check("var(x)", top.Quo(top, new(big.Rat).Mul(count, new(big.Rat).SetInt64(int64(len(all)-1)))), false)
		}
	})
}

func BenchmarkCalculations(b *testing.B) {
	const rows, slots = 1000, 36
	cells := make([]string, rows)
	where := make([]int32, rows)
	for i := range cells {
		cells[i], where[i] = fmt.Sprintf("%d.%02d", i*7%200, i%100), int32(i%slots)
	}
	in := batch(cells)
	for _, source := range []string{"count()", "distinct(x)", "sum(x)", "mean(x)", "median(x)", "min(x)", "max(x)", "first(x)", "last(x)", "stdev(x)", "var(x)", "mode(x)", "p90(x)", `join(x, ";")`, "share(x)", "sum(x * 2.5)"} {
		b.Run(source, func(b *testing.B) {
			c, err := Parse(source)
			require.NoError(b, err)
			for b.Loop() {
				a, err := c.New(schema, -1)
				require.NoError(b, err)
				a.Grow(slots)
				a.Load(in)
				if _, fail := AddAll(a, where, 0); fail != nil {
					b.Fatal(fail.Reason)
				}
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/rows, "ns/row")
		})
	}
}
