package formula

import (
	"cmp"
	"errors"
	"strings"

	"revuelta/internal/decimal"
)

// env is what a formula works on: the cells of the fields it names, and a row.
type env struct {
	cells [][]string
	row   int
	fail  *failure // the first that went wrong
	spare []*decimal.Burst
	order [decimal.BurstSize]int8
}

// burst lends a burst until it is given back.
func (e *env) burst() *decimal.Burst {
	if n := len(e.spare); n > 0 {
		b := e.spare[n-1]
		e.spare = e.spare[:n-1]
		return b
	}
	return new(decimal.Burst)
}

func (e *env) giveBack(b *decimal.Burst) { e.spare = append(e.spare, b) }

type failure struct {
	slot   int
	reason string
}

func (e *env) wrong(slot int, reason string) {
	if e.fail == nil {
		e.fail = &failure{slot, reason}
	}
}

// node is a part of a formula, compiled. num gives false for a blank.
type node struct {
	kind  Kind
	at    int
	slot  int // of a bare field, -1
	fixed bool
	value decimal.D // of a fixed number
	word  bool      // a text written in the formula
	num   func(*env) (decimal.D, bool)
	text  func(*env) string
	yes   func(*env) bool
	// many is yes for the rows from one on, as many as truth holds; it gives how
	// many it was asked for before one failed. nil: row by row.
	many func(e *env, from int, truth []bool) int
	// all are the parts of comparisons joined by and, in their order; of one without and, it is nil.
	all   []node
	bound *Bound // of an order comparison of two fields; their slots stand for them
	// nums is num for n rows from one on, n no more than a burst holds. It gives
	// how many it did before one that calls for num. nil: row by row.
	nums func(e *env, from, n int, out *decimal.Burst) int
}

const notNumber = "is not a number"

func field(slot, at int) node {
	return node{kind: Cell, at: at, slot: slot,
		nums: func(e *env, from, n int, out *decimal.Burst) int {
			return out.Parse(e.cells[slot][from : from+n])
		},
		text: func(e *env) string { return e.cells[slot][e.row] },
		num: func(e *env) (decimal.D, bool) {
			s := e.cells[slot][e.row]
			if s == "" {
				return decimal.D{}, false
			}
			d, ok := decimal.Parse(s)
			if !ok {
				e.wrong(slot, notNumber)
			}
			return d, ok
		}}
}

func constant(d decimal.D, at int) node {
	n := numeric(at, func(*env) (decimal.D, bool) { return d, true })
	n.fixed, n.value = true, d
	n.nums = func(_ *env, _, n int, out *decimal.Burst) int { return out.Fill(d, n) }
	return n
}

func literal(s string, at int) node {
	n := textual(at, func(*env) string { return s })
	n.word = true
	return n
}

func numeric(at int, num func(*env) (decimal.D, bool)) node {
	return node{kind: Number, at: at, slot: -1, num: num, text: func(e *env) string {
		if d, ok := num(e); ok && e.fail == nil {
			return d.String()
		}
		return ""
	}}
}

func textual(at int, text func(*env) string) node {
	return node{kind: Text, at: at, slot: -1, text: text, num: readNumber(text)}
}

// cellular is a text that may serve as a number, as a cell does.
func cellular(at int, text func(*env) string) node {
	n := textual(at, text)
	n.kind = Cell
	return n
}

func readNumber(text func(*env) string) func(*env) (decimal.D, bool) {
	return func(e *env) (decimal.D, bool) {
		s := text(e)
		if s == "" {
			return decimal.D{}, false
		}
		d, ok := decimal.Parse(s)
		if !ok {
			e.wrong(-1, quote(s)+" "+notNumber)
		}
		return d, ok
	}
}

const textNoNumber = "a text is no number"

// number is the node read as a number.
func (n node) number() (func(*env) (decimal.D, bool), error) {
	switch {
	case n.kind == Truth:
		return nil, &Error{n.at, "a comparison is no number", ""}
	case n.word:
		return nil, &Error{n.at, textNoNumber, "text(a, \" \", b) puts texts together; a field stands without quotes, or as {net weight}"}
	}
	return n.num, nil
}

// string is the node read as a text.
func (n node) string() (func(*env) string, error) {
	if n.kind == Truth {
		return nil, &Error{n.at, "a comparison is no text", ""}
	}
	return n.text, nil
}

// choice is the one node or the other.
func choice(at int, first func(*env) bool, a, b node) (node, error) {
	switch {
	case a.kind == Truth && b.kind == Truth:
		return node{kind: Truth, at: at, slot: -1, yes: func(e *env) bool {
			if first(e) {
				return a.yes(e)
			}
			return b.yes(e)
		}}, nil
	case a.kind == Truth || b.kind == Truth:
		return a, &Error{at, "one side is a comparison, the other a value", ""}
	case a.kind == Number && b.kind == Number:
		return numeric(at, func(e *env) (decimal.D, bool) {
			if first(e) {
				return a.num(e)
			}
			return b.num(e)
		}), nil
	}
	n := cellular(at, func(e *env) string {
		if first(e) {
			return a.text(e)
		}
		return b.text(e)
	})
	n.num = func(e *env) (decimal.D, bool) { // a cell that can't be read is named
		if first(e) {
			return a.num(e)
		}
		return b.num(e)
	}
	if a.kind == Text && b.kind == Text {
		n.kind = Text
	}
	return n, nil
}

func arithmetic(op string, at int, l, r node) (node, error) {
	x, err := l.number()
	if err != nil {
		return l, err
	}
	y, err := r.number()
	if err != nil {
		return r, err
	}
	do := map[string]func(a, b decimal.D) (decimal.D, error){
		"+": decimal.D.Add, "-": decimal.D.Sub, "*": decimal.D.Mul, "/": decimal.D.Div, "%": decimal.D.Mod,
	}[op]
	out := numeric(at, func(e *env) (decimal.D, bool) {
		a, ok := x(e)
		if !ok {
			return a, false
		}
		b := r.value
		if !r.fixed {
			b, ok = y(e)
		}
		if !ok || e.fail != nil {
			return b, false
		}
		d, err := do(a, b)
		if err != nil {
			e.wrong(-1, err.Error()+": "+a.String()+" "+op+" "+b.String())
			return d, false
		}
		return d, true
	})
	if all := map[string]func(b, o *decimal.Burst, n int) int{
		"*": (*decimal.Burst).Mul, "+": (*decimal.Burst).Add, "-": (*decimal.Burst).Sub,
	}[op]; all != nil && l.nums != nil && r.nums != nil {
		left, right := l.nums, r.nums
		out.nums = func(e *env, from, n int, out *decimal.Burst) int {
			other := e.burst()
			defer e.giveBack(other)
			n = left(e, from, n, out)
			return all(out, other, right(e, from, n, other))
		}
	}
	return out, nil
}

// holds tells whether an order satisfies an operator.
func holds(op string) func(order int) bool {
	switch op {
	case "==":
		return func(o int) bool { return o == 0 }
	case "!=":
		return func(o int) bool { return o != 0 }
	case "<":
		return func(o int) bool { return o < 0 }
	case "<=":
		return func(o int) bool { return o <= 0 }
	case ">":
		return func(o int) bool { return o > 0 }
	}
	return func(o int) bool { return o >= 0 }
}

// comparison compares as numbers with a number, as texts with a text, and two
// cells as numbers where both are. To == and != a blank is empty text; in no
// other order does it stand.
func comparison(op string, at int, l, r node) (node, error) {
	if l.kind == Truth || r.kind == Truth {
		return l, &Error{at, op + " compares values, and one side is a comparison", "and, or, not"}
	}
	if l.word && r.kind == Number || r.word && l.kind == Number {
		return l, &Error{at, "a number is compared with a text", "take the quotes off the number"}
	}
	ok, equality := holds(op), op == "==" || op == "!="
	out := node{kind: Truth, at: at, slot: -1}
	switch {
	case l.kind == Cell && l.slot >= 0 && r.fixed:
		slot, value := l.slot, decimal.NewAgainst(r.value)
		out.yes = func(e *env) bool { // a field with a number: what is asked most
			s := e.cells[slot][e.row]
			if s == "" {
				return op == "!="
			}
			d, read := decimal.Parse(s)
			if !read {
				e.wrong(slot, notNumber)
				return false
			}
			return ok(value.Cmp(d))
		}
		when := [...]bool{ok(-1), ok(0), ok(1), op == "!="} // the last for a blank
		yes := out.yes
		out.many = func(e *env, from int, truth []bool) int {
			b := e.burst()
			defer e.giveBack(b)
			for done := 0; done < len(truth); {
				n := b.Parse(e.cells[slot][from+done : from+min(done+decimal.BurstSize, len(truth))])
				order := e.order[:n]
				b.Compare(value, order)
				for i, o := range order {
					truth[done+i] = when[o+1]
				}
				if done += n; n < decimal.BurstSize && done < len(truth) {
					e.row = from + done
					if truth[done] = yes(e); e.fail != nil {
						return done
					}
					done++
				}
			}
			return len(truth)
		}
	case l.kind == Number || r.kind == Number:
		out.yes = func(e *env) bool {
			a, there := l.num(e)
			b, too := r.num(e)
			if e.fail != nil {
				return false
			}
			if !there || !too {
				return equality && (there == too) == (op == "==")
			}
			return ok(a.Cmp(b))
		}
	case l.kind == Text || r.kind == Text:
		out.yes = func(e *env) bool {
			a, b := l.text(e), r.text(e)
			if !equality && (a == "" || b == "") {
				return false
			}
			return ok(cmp.Compare(a, b))
		}
	default:
		out.yes = func(e *env) bool {
			a, b := l.text(e), r.text(e)
			if !equality && (a == "" || b == "") {
				return false
			}
			if x, read := decimal.Parse(a); read {
				if y, read := decimal.Parse(b); read {
					return ok(x.Cmp(y))
				}
			}
			return ok(strings.Compare(a, b))
		}
		if !equality && l.slot >= 0 && r.slot >= 0 {
			out.bound = &Bound{left: l.slot, Op: op, right: r.slot}
		}
	}
	return out, nil
}

// Bound is an order comparison of two fields: as numbers where both cells are, else as texts; false where one is blank.
type Bound struct {
	Left, Op, Right string
	left, right     int
}

// Bounds gives the order comparisons of two fields that a formula begins with, joined by and, and whether it holds nothing else.
func (f *Formula) Bounds() (out []Bound, whole bool) {
	parts := f.root.all
	if parts == nil {
		parts = []node{f.root}
	}
	for i := range parts {
		b := parts[i].bound
		if b == nil {
			return out, false
		}
		out = append(out, Bound{Left: f.fields[b.left], Op: b.Op, Right: f.fields[b.right]})
	}
	return out, true
}

func quote(s string) string {
	const most = 40
	if r := []rune(s); len(r) > most {
		s = string(r[:most]) + "…"
	}
	return `"` + s + `"`
}

var errNoDate = errors.New("is not a date")
