package formula

import (
	"math/big"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// What a formula means, said once more in the plainest way: a tree of rationals, texts and truths, written out with
// no more brackets than its operators need.

// level is how tightly an operator holds.
type level int

const (
	loosest level = iota // ?: and ??, always in brackets inside others
	either
	both
	negation
	comparing
	sum
	product
	sign
	single
)

// result of a tree: a number, a text, a truth, or nothing (blank).
type result struct {
	num   *big.Rat
	text  string
	truth bool
	isNum bool
	fails bool // division by zero
}

func (r result) blank() bool { return !r.isNum && r.text == "" }

// tree is a formula: as it is written, and what it gives for a row.
type tree struct {
	text string
	at   level
	of   func(row map[string]string) result
}

// within writes the tree as an operand that must hold at least so tightly.
func (t tree) within(l level) string {
	if t.at < l {
		return "(" + t.text + ")"
	}
	return t.text
}

func number(s string) result {
	r, ok := new(big.Rat).SetString(s)
	if !ok {
		return result{text: s}
	}
	return result{num: r, isNum: true}
}

type grower struct{ rt *rapid.T }

func (g grower) of(texts ...string) string { return rapid.SampledFrom(texts).Draw(g.rt, "of") }

// num grows a tree that gives a number or nothing.
func (g grower) num(depth int) tree {
	kind := g.of("field", "literal")
	if depth > 0 {
		kind = g.of("+", "-", "*", "/", "sign", "??", "?:", "field", "literal")
	}
	switch kind {
	case "field":
		name := g.of("a", "b", "net weight")
		text := name
		if strings.Contains(name, " ") || g.of("plain", "braces") == "braces" {
			text = "{" + name + "}"
		}
		return tree{text, single, func(row map[string]string) result { return number(row[name]) }}
	case "literal":
		text := g.of("0", "1", "2.50", "0.1", "1e2", "007", ".5")
		return tree{text, single, func(map[string]string) result { return number(text) }}
	case "sign":
		x := g.num(depth - 1)
		return tree{"-" + x.within(single), sign, func(row map[string]string) result {
			v := x.of(row)
			if v.isNum {
				v.num = new(big.Rat).Neg(v.num)
			}
			return v
		}}
	case "??":
		x, y := g.num(depth-1), g.num(depth-1)
		return tree{x.within(single) + " ?? " + y.within(single), loosest, func(row map[string]string) result {
			if v := x.of(row); v.fails || !v.blank() {
				return v
			}
			return y.of(row)
		}}
	case "?:":
		c, x, y := g.truth(depth-1), g.num(depth-1), g.num(depth-1)
		return tree{c.within(either) + " ? " + x.within(sum) + " : " + y.within(sum), loosest, func(row map[string]string) result {
			v := c.of(row)
			switch {
			case v.fails:
				return v
			case v.truth:
				return x.of(row)
			}
			return y.of(row)
		}}
	}
	x, y := g.num(depth-1), g.num(depth-1)
	at, right := sum, product
	if kind == "*" || kind == "/" {
		at, right = product, sign
	}
	space := g.of(" ", " ", "")
	if strings.HasPrefix(y.within(right), "-") {
		space = " "
	}
	return tree{x.within(at) + space + kind + space + y.within(right), at, func(row map[string]string) result {
		v := x.of(row)
		if v.fails || v.blank() { // what stands behind is not looked at
			return v
		}
		w := y.of(row)
		if w.fails || w.blank() {
			return w
		}
		out := new(big.Rat)
		switch kind {
		case "+":
			out.Add(v.num, w.num)
		case "-":
			out.Sub(v.num, w.num)
		case "*":
			out.Mul(v.num, w.num)
		case "/":
			if w.num.Sign() == 0 {
				return result{fails: true}
			}
			n, _ := v.num.Float64()
			d, _ := w.num.Float64()
			return number(strconv.FormatFloat(n/d, 'g', 15, 64))
		}
		return result{num: out, isNum: true}
	}}
}

// truth grows a tree that holds or does not.
func (g grower) truth(depth int) tree {
	kind := g.of("number", "number", "text")
	if depth > 0 {
		kind = g.of("and", "or", "not", "number", "text")
	}
	switch kind {
	case "not":
		x := g.truth(depth - 1)
		return tree{"not " + x.within(negation), negation, func(row map[string]string) result {
			v := x.of(row)
			v.truth = !v.truth
			return v
		}}
	case "and", "or":
		x, y := g.truth(depth-1), g.truth(depth-1)
		at := map[string]level{"and": both, "or": either}[kind]
		return tree{x.within(at) + " " + kind + " " + y.within(at+1), at, func(row map[string]string) result {
			v := x.of(row)
			if v.fails || v.truth == (kind == "or") {
				return v
			}
			return y.of(row)
		}}
	case "text":
		name, op, text := g.of("t", "u"), g.of("==", "!=", "<", "<=", ">", ">="), g.of("", "Vesk", "026", "é")
		return tree{name + " " + op + ` "` + text + `"`, comparing, func(row map[string]string) result {
			cell := row[name]
			if strings.ContainsAny(op, "<>") && (cell == "" || text == "") {
				return result{}
			}
			return result{truth: orders(op, strings.Compare(cell, text))}
		}}
	}
	x, op := g.num(max(depth-1, 0)), g.of("==", "!=", "<", "<=", ">", ">=")
	y := g.num(max(depth-1, 0))
	return tree{x.within(sum) + " " + op + " " + y.within(sum), comparing, func(row map[string]string) result {
		v, w := x.of(row), y.of(row)
		switch {
		case v.fails || w.fails:
			return result{fails: true}
		case v.blank() || w.blank():
			same := v.blank() && w.blank()
			return result{truth: op == "==" && same || op == "!=" && !same}
		}
		return result{truth: orders(op, v.num.Cmp(w.num))}
	}}
}

func orders(op string, c int) bool {
	switch op {
	case "==":
		return c == 0
	case "!=":
		return c != 0
	case "<":
		return c < 0
	case "<=":
		return c <= 0
	case ">":
		return c > 0
	}
	return c >= 0
}

// shortest writes a number in shortest form.
func shortest(r *big.Rat) string {
	if r.IsInt() {
		return r.Num().String()
	}
	return strings.TrimRight(r.FloatString(60), "0")
}

func TestFormulasAgainstTheirMeaning(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		g := grower{rt}
		row := map[string]string{
			"a": g.of("", "0", "1", "-2.5", "007", "1e1", "0.30"), "b": g.of("", "0", "3", "0.1", "-1", "100"), "net weight": g.of("", "4", "0.25"),
			"t": g.of("", "Vesk", "026", "26", "é"), "u": g.of("", "vesk", "Vesk "),
		}
		f := g.num(3)
		if g.of("number", "truth") == "truth" {
			f = g.truth(3)
		}
		var pairs []string
		for _, n := range []string{"a", "b", "net weight", "t", "u"} {
			pairs = append(pairs, n+"="+row[n])
		}
		got := value(f.text, strings.Join(pairs, "|"))
		want := f.of(row)
		switch {
		case want.fails:
			require.Contains(rt, got, "division by zero", f.text)
		case f.at >= either && f.at <= comparing:
			require.Equal(rt, strconv.FormatBool(want.truth), got, f.text)
		case want.blank():
			require.Equal(rt, "", got, f.text)
		case (f.at == sum || f.at == product) && !strings.Contains(f.text, "/"): // behind a division there may be more digits than are written
			require.Equal(rt, shortest(want.num), got, f.text)
		default: // a cell may leave as it stands
			same, ok := new(big.Rat).SetString(got)
			require.True(rt, ok, "%s gives %q", f.text, got)
			require.Zero(rt, same.Cmp(want.num), "%s gives %s, not %s", f.text, got, want.num.FloatString(30))
		}
	})
}
