package formula

import (
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/decimal"
	"revuelta/internal/table"
)

// value evaluates a formula on one row; fields are given as name=cell|name=cell.
func value(source, row string) string {
	f, err := Parse(source)
	if err != nil {
		return "error: " + err.Error()
	}
	var names []string
	b := &table.Batch{Rows: 1}
	if row != "" {
		pairs := strings.Split(row, "|")
		b.Shape(len(pairs))
		b.Rows = 1
		for i, p := range pairs {
			name, cell, _ := strings.Cut(p, "=")
			names = append(names, name)
			b.Cols[i].Make(1)[0] = cell
		}
	}
	p, err := f.Bind(table.NewSchema(names), -1)
	if err != nil {
		return "error: " + err.Error()
	}
	v := p.Eval()
	v.Load(b)
	out, fail := v.Append(nil, 0)
	if fail != nil {
		where := ""
		if fail.Field >= 0 {
			where = names[fail.Field] + " "
		}
		return "fail: " + where + fail.Reason
	}
	return string(out)
}

func TestFormulas(t *testing.T) {
	for _, c := range []struct{ formula, row, want string }{
		// exact decimals, shortest form
		{"0.1 * 3", "", "0.3"}, {"4 * 2.5", "", "10"}, {"a + b", "a=0.1|b=0.2", "0.3"}, {"a - b", "a=1.10|b=0.10", "1"},
		{"10 / 4", "", "2.5"}, {"1 / 3", "", "0.333333333333333"}, {"7 % 4", "", "3"}, {"-a", "a=026", "-26"}, {"- - 2", "", "2"},
		{"2 + 3 * 4", "", "14"}, {"(2 + 3) * 4", "", "20"}, {"1e3 + 1", "", "1001"}, {"9007199254740993 + 0", "", "9007199254740993"},
		{"99999999999999999999 * 10", "", "999999999999999999990"},
		// blanks
		{"a + 1", "a=", ""}, {"a == b", "a=|b=", "true"}, {`a == ""`, "a=", "true"}, {"a == 0", "a=", "false"}, {"a != 0", "a=", "true"},
		{"a < 1", "a=", "false"}, {"a >= 0", "a=", "false"}, {`a < "x"`, "a=", "false"}, {"a ?? 7", "a=", "7"}, {"a ?? b", "a=|b=x", "x"},
		{"(a + 1) ?? 7", "a=", "7"}, {"(a + 1) == (b + 1)", "a=|b=", "true"}, {"a < b", "a=|b=1", "false"}, {"upper(a)", "a=", ""}, {"length(a)", "a=", ""},
		// read by use
		{"a == 26", "a=026", "true"}, {`a == "26"`, "a=026", "false"}, {"a == b", "a=026|b=26.0", "true"}, {"a == b", "a=x|b=x", "true"},
		{"a < b", "a=9|b=10", "true"}, {"a < b", "a=9|b=1x", "false"}, {`d >= "2024-05-01"`, "d=2024-05-02", "true"}, {"year(d) == 2024", "d=2024-05-02", "true"},
		{"a > 5", "a=12,5 kg", "fail: a is not a number"}, {"a * 2", "a=x", "fail: a is not a number"}, {"a > 5", "a= 6", "fail: a is not a number"},
		{"upper(a) * 2", "a=x", `fail: "X" is not a number`}, {"a > 1", "a=1e999999999", "fail: a is not a number"},
		{"a in [1, 2]", "a=1.0", "true"}, {`a in ["Vesk", "Tamro"]`, "a=Ulmo", "false"}, {`a not in ["Vesk"]`, "a=Ulmo", "true"},
		// logic
		{"a > 1 and b > 1", "a=0|b=x", "false"}, {"a > 1 or b > 1", "a=2|b=x", "true"}, {"not a > 1", "a=0", "true"}, {"not a > 1 and a == 0", "a=0", "true"}, {"(not (a > 1)) or not a in [0]", "a=0", "true"},
		{`a >= 100 ? "big" : "small"`, "a=0100", "big"}, {`a > 1 ? b : 0`, "a=2|b=x", "x"}, {"(a > 1 ? a : b) * 2", "a=0|b=3", "6"},
		{`(k ?? 0) >= 9.5 and p != "Vesk"`, "k=|p=x", "false"},
		// names
		{"{net weight} / jars", "net weight=9|jars=2", "4.5"}, {"ñ + 1", "ñ=1", "2"}, {"{a}", "a= x ", " x "}, {"in_stock", "in_stock=1", "1"},
		{"let", "let=1", "1"}, {"matches", "matches=y", "y"},
		{"a / b", "a=1|b=0", "fail: division by zero: 1 / 0"}, {"a * a", "a=1e300", "fail: the result is too large: 1e300 * 1e300"},
		// functions
		{`text(a, "-", b)`, "a=1|b=", "1-"}, {`part(a, ";", 3)`, "a=x;y", ""}, {`part(a, ";", -1)`, "a=x;y", "y"}, {`left(a, 9)`, "a=ñu", "ñu"},
		{`least(a, b)`, "a=10|b=9", "9"}, {`least(a, b)`, "a=b|b=a", "a"}, {`least(a, b)`, "a=1|b=x", `fail: b is compared with "1": one is a number and one is not`},
		{`month(a)`, "a=2024-02-30", "fail: a is not a date"}, {`hour(a)`, "a=2024-02-03", "fail: a has no time of day"}, {`month(a)`, "a=", ""},
		{`pick(a, "$.x")`, `a={"x": 12.50}`, "12.50"}, {`pick(a, "$.x")`, `a={"y": 1}`, ""}, {`pick(a, "$.x")`, "a={", "fail: a is not JSON"},
		{`pick(a, "$.x")`, `a={"x": {"b":1, "a":2}}`, `{"b":1, "a":2}`}, {`pick(a, "$[1]")`, `a=[1,"z"]`, "z"}, {`pick(a, "$.x") * 2`, `a={"x": 1.5}`, "3"},
		{`pick(a, "$[*].n")`, `a=[{"n":1},{"n":"b"}]`, `[1,"b"]`}, {`pick(a, "$.x")`, `a={"x":null}`, ""}, {`pick(a, "$")`, `a=1 2`, "fail: a is not JSON"},
		{`fits(a, "{x:2}")`, "a=ab", "true"}, {`reads(a, "json")`, "a=[1]", "true"}, {`reads(a, "number")`, "a=", "false"},
		{"round(a)", "a=2.5", "2"}, {"round(a, 1)", "a=2.25", "2.2"}, {"round(a, b)", "a=1|b=x", "fail: b is not a number"}, {"round(a, b)", "a=1|b=0.5", "fail: b is no whole number that would do here"},
		// what is wrong, and where
		{"", "", `character 1: the formula is empty`}, {"a +", "", "character 3: something is missing after +"}, {"(a", "", "character 2: a ( is not closed"},
		{"a b", "", "character 3: b can't stand here"}, {"a = 1", "", "character 3: = is no operator here"}, {"a && b", "", "character 3: && is no operator here"},
		{"1 + 12kg", "", "character 5: 12kg is not a number"}, {"0x1F", "", "0x1F is not a number"}, {"1_000", "", "1_000 is not a number"},
		{`a == "x`, "", "character 6: the quote that opens here is never closed"}, {"{a", "", "this { has no }"}, {"a.b", "", "character 2: .b is not a number"},
		{"uper(a)", "", "character 1: there is no function uper"}, {"round()", "", "round(x, n) does not take 0 arguments"}, {"a and b", "", "and wants comparisons on both sides"},
		{"(a > 1) + 1", "", "a comparison is no number"}, {`a * "2"`, "", "a text is no number"}, {`a * 2 == "x"`, "", "a number is compared with a text"},
		{"a ?? 0 > 5", "", "character 8: ?? needs brackets beside >: write (a ?? b) > c, or a ?? (b > c)"}, {"f(a ?? 0, b * (c) d)", "", "can't stand here"}, {"(a ?? 0) 5", "", "5 can't stand here"},
		{"not a", "", "not wants a comparison"}, {"a ? 1 : 2", "", "? wants a comparison before it"}, {"a in b", "", "in wants a list"},
		{"a ** 2", "", "** is no operator here"}, {"a; b", "", "; is no operator here"}, {"[1, 2]", "", "this has no meaning in a formula"}, {"a[1]", "", "this has no meaning in a formula"},
		{strings.Repeat("(", 300) + "1" + strings.Repeat(")", 300), "", "more than 200 brackets inside each other"},
		{strings.Repeat("-", 9000) + "1", "", "the formula is too deep"}, {strings.Repeat("1+", 6000) + "1", "", "the formula is too long"},
		{"a + nobody", "a=1", `there is no field "nobody"`}, {`fits(a, b)`, "", "here stands a pattern in quotes"}, {`reads(a, "x")`, "", `reads knows no "x"`},
		{`pick(a, "x")`, "", "does not begin with $"}, {`fits(a, "{")`, "", "the pattern can't be read"}, {"1 == a == 2", "", "one side is a comparison"},
	} {
		got := value(c.formula, c.row)
		if strings.HasPrefix(got, "error: ") {
			assert.Contains(t, got, c.want, c.formula)
		} else {
			assert.Equal(t, c.want, got, "%s with %s", c.formula, c.row)
		}
	}
}

// TestFunctionExamples runs the example of every function.
func TestFunctionExamples(t *testing.T) {
	names := map[string]bool{}
	for _, f := range Functions() {
		assert.Equal(t, f.Gives, value(f.Example, ""), f.Example)
		assert.Contains(t, f.Example, f.Name+"(")
		assert.False(t, names[f.Name], f.Name)
		names[f.Name] = true
	}
	for _, name := range strings.Fields("blank number text upper lower title trim replace left right part digits length round fixed floor ceil abs least greatest " +
		"if date time year quarter month week day hour month_of_year weekday month_end days_between hours_between minutes_between reads fits pick") {
		assert.True(t, names[name], name)
	}
}

// FuzzFormula: whatever is written is computed or refused in our words, and no
// decimal is ever lost in a sum of two numbers.
func FuzzFormula(f *testing.F) {
	f.Add("a + 0.1 * (b ?? 2)", "1", "x")
	f.Add(`a in ["x", 'y'] ? upper(b) : "z"`, "", "é")
	f.Add("{a} - -b % 3 >= 2 and not (a == b)", "-1e3", "7")
	f.Add(`pick(a, "$.x[0]") ?? part(b, ",", 2)`, `{"x":[1]}`, "1,2")
	f.Fuzz(func(t *testing.T, source, a, b string) {
		if len(source) > 300 || strings.ContainsAny(a+b, "|=") {
			return
		}
		first := value(source, "a="+a+"|b="+b)
		require.Equal(t, first, value(source, "a="+a+"|b="+b))
		if strings.HasPrefix(first, "error: ") && !strings.Contains(source, "v") {
			require.NotContains(t, first, "v0", "a name of the parser's shows")
		}
	})
}

// TestManyAtATime: many rows at a time give what one row at a time gives, with
// few different cells and many, short and long ones, and such as no 64 bits hold.
func TestManyAtATime(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	draw := map[string]func() string{
		"few":     func() string { return strconv.Itoa(random.IntN(50)) },
		"many":    func() string { return strconv.FormatFloat(float64(random.IntN(1e9))/100, 'f', 2, 64) },
		"unalike": func() string { return strings.Repeat("1", random.IntN(24)) + strconv.Itoa(random.IntN(100)) },
		"blanks":  func() string { return []string{"", "", "-0.50", "7"}[random.IntN(4)] },
		"wide":    func() string { return "-9223372036854775808" },
	}
	for name, cell := range draw {
		rows := 3_000
		if name == "few" {
			rows = 2 * trial
		}
		b := table.Get()
		b.Shape(2)
		b.Rows = rows
		for i := range b.Cols {
			cells := b.Cols[i].Make(rows)
			for r := range cells {
				cells[r] = cell()
			}
		}
		for _, source := range []string{"x * 2", "x + y", "x - 0.125", "x * y - x", "upper(x)", "x ?? 0", "text(x, y)", "left(x, 3)", "x / 4", "1.50", "x % 7"} {
			f, err := Parse(source)
			require.NoError(t, err)
			p, err := f.Bind(table.NewSchema([]string{"x", "y"}), -1)
			require.NoError(t, err)
			many, one := p.Eval(), p.Eval()
			many.Load(b)
			one.Load(b)
			out, text := make([]string, rows), []byte(nil)
			for r := 0; r < rows; {
				var n int
				text, n = many.AppendMany(nil, out[r:min(r+decimal.BurstSize, rows)], r)
				for i := range n {
					want, fail := one.Append(nil, r+i)
					if fail != nil || string(want) != out[r+i] {
						require.Failf(t, "not the same", "%s of %s: %q, by itself %q %v", source, name, out[r+i], want, fail)
					}
				}
				if r += n; n == 0 {
					_, fail := many.Append(text, r)
					_, same := one.Append(nil, r)
					require.Equal(t, same, fail)
					r++
				}
			}
		}
	}
}

// TestBounds: the order comparisons of two fields that a formula begins with; what may fail before them, or is no such comparison, ends them.
func TestBounds(t *testing.T) {
	for source, want := range map[string]string{
		"t >= from and t < to":              "t>=from t<to whole",
		"t >= from":                         "t>=from whole",
		"(a < b and c > d) and e <= {f g}":  "a<b c>d e<=f g whole",
		"a < b and c == d":                  "a<b",
		"a + 1 < b and c < d":               "",
		"a < b or c < d":                    "",
		"not (a < b)":                       "",
		"a == b and c < d":                  "",
		"a < 5 and c < d":                   "",
		"a < \"x\" and c < d":               "",
		"a < b and number(c) > 1 and d < e": "a<b",
	} {
		f, err := Parse(source)
		require.NoError(t, err, source)
		bounds, whole := f.Bounds()
		var got []string
		for _, b := range bounds {
			got = append(got, b.Left+b.Op+b.Right)
		}
		if whole {
			got = append(got, "whole")
		}
		assert.Equal(t, want, strings.Join(got, " "), source)
	}
}
