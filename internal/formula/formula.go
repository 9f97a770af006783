// Package formula computes one cell from a row. The syntax tree comes from an
// expression library's parser; it is compiled here to closures over columns, with exact decimals,
// and cells are read by use: as numbers where a number is wanted, as text where text is.
package formula

import (
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/file"
	"github.com/expr-lang/expr/parser"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// It is the word for the cell itself, where a formula is applied to many fields.
const It = "it"

// Kind is what a formula gives.
type Kind uint8

// The kinds of value. A Cell is a number or a text, by use.
const (
	Cell Kind = iota
	Number
	Text
	Truth
)

// Formula is a parsed formula. It is immutable and safe for concurrent use.
type Formula struct {
	source string
	root   node
	fields []string // named in it, each once, It among them
}

// String is the formula as it was written.
func (f *Formula) String() string { return f.source }

// Kind is what it gives.
func (f *Formula) Kind() Kind { return f.root.kind }

// Fields lists the fields it names.
func (f *Formula) Fields() []string { return f.fields }

// Single is the field a formula consists of, false where it is more than a name.
func (f *Formula) Single() (string, bool) {
	if f.root.slot >= 0 {
		return f.fields[f.root.slot], true
	}
	return "", false
}

// Parse reads a formula. Its error is a *diag.Error of the command, which
// shows the place.
func Parse(source string) (*Formula, error) {
	f, err := parse(source)
	var e *Error
	if errors.As(err, &e) {
		d := diag.Usagef("formula %s, character %d: %s", diag.Quote(source), utf8.RuneCountInString(source[:min(e.At, len(source))])+1, e.Text)
		if whole := joined(source, e); whole != "" {
			d.Trying(whole)
		} else if e.Try != "" {
			d.Trying(e.Try)
		}
		return nil, d
	}
	return f, err
}

func parse(source string) (*Formula, error) {
	tokens, err := lex(source)
	if err != nil {
		return nil, err
	}
	if len(tokens) == 0 {
		return nil, &Error{0, "the formula is empty", ""}
	}
	// Every value goes to the parser under a name; col finds it again.
	var b strings.Builder
	c := &compiler{source: source, names: map[string]int{}, tokens: tokens, at: map[int]int{}}
	var nots []int // depths of brackets at which a not is open
	depth := 0
	for i, t := range tokens {
		if t.kind == operator {
			// To the library not binds tighter than a comparison; here it reaches
			// up to the next and, or or the like.
			for len(nots) > 0 && nots[len(nots)-1] == depth && strings.Contains(" and or ? : , ) ] ?? ", " "+t.text+" ") {
				b.WriteString(" )")
				nots = nots[:len(nots)-1]
			}
			switch t.text {
			case "(", "[":
				depth++
			case ")", "]":
				depth--
			}
		}
		if b.Len() > 0 {
			b.WriteByte(' ')
		}
		c.at[b.Len()] = i
		switch {
		case t.kind != operator:
			fmt.Fprintf(&b, "v%d", i)
		case t.text == "not" && (i+1 == len(tokens) || tokens[i+1].text != "in" || tokens[i+1].kind != operator):
			b.WriteString("not (")
			nots = append(nots, depth)
		default:
			b.WriteString(t.text)
		}
	}
	b.WriteString(strings.Repeat(" )", len(nots)))
	tree, err := parser.Parse(b.String())
	if err != nil {
		var fe *file.Error
		at := len(source)
		if errors.As(err, &fe) {
			at = c.place(fe.From)
			return nil, &Error{at, c.explain(fe.From, b.Len()), proven(c.habit(fe.From), source)}
		}
		return nil, &Error{at, "the formula can't be read", ""}
	}
	root, err := c.node(tree.Node)
	if err != nil {
		return nil, err
	}
	return &Formula{source: source, root: root, fields: c.fields}, nil
}

// compiler makes closures of a syntax tree.
type compiler struct {
	source string
	tokens []token
	at     map[int]int // token that begins at an offset of the parser's text
	fields []string
	names  map[string]int
	depth  int
}

// token finds the token at or before an offset of the parser's text.
func (c *compiler) token(offset int) int {
	for ; offset >= 0; offset-- {
		if i, ok := c.at[offset]; ok {
			return i
		}
	}
	return 0
}

func (c *compiler) place(offset int) int { return c.tokens[c.token(offset)].at }

// besideElse tells whether ?? stands before a token, with no bracket or comma between.
func (c *compiler) besideElse(at int) bool {
	depth := 0
	for i := at - 1; i >= 0 && depth >= 0; i-- {
		switch t := c.tokens[i]; {
		case t.kind != operator:
		case t.text == ")" || t.text == "]":
			depth++
		case t.text == "(" || t.text == "[":
			depth--
		case depth == 0 && t.text == ",":
			return false
		case depth == 0 && t.text == "??":
			return true
		}
	}
	return false
}

// explain says in our words where the parser could not go on.
func (c *compiler) explain(offset, end int) string {
	if offset >= end-1 {
		if t := c.tokens[len(c.tokens)-1]; t.kind == operator && t.text != ")" && t.text != "]" {
			return fmt.Sprintf("something is missing after %s", t.text)
		}
		if open := c.unclosed(); open != "" {
			return fmt.Sprintf("a %s is not closed", open)
		}
	}
	at := c.token(offset)
	t := c.tokens[at]
	text := t.text
	if t.kind == operator && c.besideElse(at) {
		return fmt.Sprintf("?? needs brackets beside %s: write (a ?? b) %s c, or a ?? (b %s c)", text, text, text)
	}
	if t.kind == textToken {
		text = diag.Quote(text)
	}
	return fmt.Sprintf("%s can't stand here", text)
}

func (c *compiler) unclosed() string {
	var open []string
	for _, t := range c.tokens {
		if t.kind != operator {
			continue
		}
		switch t.text {
		case "(", "[":
			open = append(open, t.text)
		case ")", "]":
			if len(open) > 0 {
				open = open[:len(open)-1]
			}
		}
	}
	if len(open) > 0 {
		return open[len(open)-1]
	}
	return ""
}

func (c *compiler) slot(name string) int {
	if i, ok := c.names[name]; ok {
		return i
	}
	c.names[name] = len(c.fields)
	c.fields = append(c.fields, name)
	return len(c.fields) - 1
}

func (c *compiler) node(n ast.Node) (node, error) {
	if c.depth++; c.depth > 4*mostDepth {
		return node{}, &Error{c.place(n.Location().From), "the formula is too deep", "set it in parts"}
	}
	defer func() { c.depth-- }()
	at := c.place(n.Location().From)
	switch n := n.(type) {
	case *ast.IdentifierNode:
		t := c.tokens[c.token(n.Location().From)]
		switch t.kind {
		case numberToken:
			return constant(t.num, at), nil
		case textToken:
			return literal(t.text, at), nil
		case fieldToken:
			return field(c.slot(t.text), at), nil
		}
	case *ast.UnaryNode:
		return c.unary(n, at)
	case *ast.BinaryNode:
		return c.binary(n)
	case *ast.ConditionalNode:
		return c.conditional(n)
	case *ast.CallNode:
		id, ok := n.Callee.(*ast.IdentifierNode)
		if !ok {
			break
		}
		t := c.tokens[c.token(id.Location().From)]
		if t.kind != functionToken {
			break
		}
		var args []node
		for _, a := range n.Arguments {
			v, err := c.node(a)
			if err != nil {
				return node{}, err
			}
			args = append(args, v)
		}
		return c.call(t, args)
	}
	return node{}, &Error{at, "this has no meaning in a formula", ""}
}

func (c *compiler) unary(n *ast.UnaryNode, at int) (node, error) {
	v, err := c.node(n.Node)
	if err != nil {
		return v, err
	}
	switch n.Operator {
	case "not":
		if v.kind != Truth {
			return v, &Error{v.at, "not wants a comparison", ""}
		}
		yes := v.yes
		return node{kind: Truth, at: at, slot: -1, yes: func(e *env) bool { return !yes(e) }}, nil
	case "-":
		num, err := v.number()
		if err != nil {
			return v, err
		}
		if v.fixed {
			return constant(v.value.Neg(), at), nil
		}
		return numeric(at, func(e *env) (decimal.D, bool) {
			d, ok := num(e)
			return d.Neg(), ok
		}), nil
	case "+":
		num, err := v.number()
		return numeric(at, num), err
	}
	return v, &Error{at, n.Operator + " is no operator here", ""}
}

func (c *compiler) conditional(n *ast.ConditionalNode) (node, error) {
	at := c.place(n.Location().From)
	if !n.Ternary {
		return node{}, &Error{at, "this has no meaning in a formula", "condition ? this : that"}
	}
	cond, err := c.node(n.Cond)
	if err != nil {
		return cond, err
	}
	if cond.kind != Truth {
		return cond, &Error{cond.at, "? wants a comparison before it", ""}
	}
	a, err := c.node(n.Exp1)
	if err != nil {
		return a, err
	}
	b, err := c.node(n.Exp2)
	if err != nil {
		return b, err
	}
	return choice(at, func(e *env) bool { return cond.yes(e) }, a, b)
}

func (c *compiler) binary(n *ast.BinaryNode) (node, error) {
	at := c.place(n.Location().From)
	l, err := c.node(n.Left)
	if err != nil {
		return l, err
	}
	if n.Operator == "in" {
		return c.in(n, l)
	}
	r, err := c.node(n.Right)
	if err != nil {
		return r, err
	}
	switch n.Operator {
	case "+", "-", "*", "/", "%":
		return arithmetic(n.Operator, at, l, r)
	case "==", "!=", "<", "<=", ">", ">=":
		return comparison(n.Operator, at, l, r)
	case "and", "or":
		for _, v := range []node{l, r} {
			if v.kind != Truth {
				return v, &Error{v.at, n.Operator + " wants comparisons on both sides", ""}
			}
		}
		x, y := l.yes, r.yes
		out := node{kind: Truth, at: at, slot: -1, yes: func(e *env) bool { return x(e) && y(e) }}
		if n.Operator == "or" {
			out.yes = func(e *env) bool { return x(e) || y(e) }
			return out, nil
		}
		for _, v := range []node{l, r} {
			if v.all == nil {
				v.all = []node{v}
			}
			out.all = append(out.all, v.all...)
		}
		return out, nil
	case "??":
		if l.kind == Truth || r.kind == Truth {
			return l, &Error{at, "?? gives another value for a blank; a comparison is none", ""}
		}
		if l.kind == Number {
			return choice(at, func(e *env) bool { _, ok := l.num(e); return ok }, l, r)
		}
		return choice(at, func(e *env) bool { return l.text(e) != "" }, l, r)
	}
	return l, &Error{at, n.Operator + " is no operator here", ""}
}

func (c *compiler) in(n *ast.BinaryNode, l node) (node, error) {
	at := c.place(n.Location().From)
	list, ok := n.Right.(*ast.ArrayNode)
	if !ok {
		return l, &Error{c.place(n.Right.Location().From), "in wants a list", `apiary in ["Vesk", "Tamro"]`}
	}
	var any []func(*env) bool
	for _, item := range list.Nodes {
		v, err := c.node(item)
		if err != nil {
			return v, err
		}
		same, err := comparison("==", v.at, l, v)
		if err != nil {
			return v, err
		}
		any = append(any, same.yes)
	}
	return node{kind: Truth, at: at, slot: -1, yes: func(e *env) bool {
		for _, same := range any {
			if same(e) || e.fail != nil {
				return e.fail == nil
			}
		}
		return false
	}}, nil
}

// Failure is a cell that could not be read, or a calculation that could not be done.
type Failure struct {
	Field  int // of the table, -1 where it is none of its cells
	Reason string
}

// Program is a formula bound to the fields of a table. It is safe for concurrent use.
type Program struct {
	f       *Formula
	columns []int // of each slot
}

// Bind finds the fields of a formula in a table. it is the field that the word it
// stands for, -1 where it stands for none.
func (f *Formula) Bind(schema *table.Schema, it int) (*Program, error) {
	p := &Program{f: f}
	for _, name := range f.fields {
		i, ok := schema.Index(name)
		switch {
		case name == It && it >= 0:
			i = it
		case !ok:
			e := selection.Missing(name, schema)
			if name == "true" || name == "false" || name == "null" || name == "nil" {
				e.Trying("compare with a value; blank(x) asks for a blank")
			}
			if meant := unquoted(f.source, name); meant != "" {
				e.Trying(meant)
			}
			return nil, e
		}
		p.columns = append(p.columns, i)
	}
	return p, nil
}

// Eval evaluates a program. It serves one goroutine.
type Eval struct {
	p       *Program
	env     env
	scratch [][]string
	memo    *memo // nil: it has none, or none any more
}

// Eval makes an evaluator.
func (p *Program) Eval() *Eval {
	v := &Eval{p: p, env: env{cells: make([][]string, len(p.columns))}, scratch: make([][]string, len(p.columns))}
	if len(p.columns) == 1 && p.f.root.nums == nil { // where there is nums it is as quick
		v.memo = &memo{slots: make([]pair, fewestSlots)}
	}
	return v
}

// Load takes the batch whose rows are asked for next.
func (v *Eval) Load(b *table.Batch) {
	for i, c := range v.p.columns {
		v.env.cells[i], v.scratch[i] = b.Cols[c].Flat(b.Rows, v.scratch[i])
	}
}

// failure gives what went wrong in the last row, nil where nothing did.
func (v *Eval) failure() *Failure {
	f := v.env.fail
	if f == nil {
		return nil
	}
	v.env.fail = nil
	out := &Failure{Field: -1, Reason: f.reason}
	if f.slot >= 0 {
		out.Field = v.p.columns[f.slot]
	}
	return out
}

// True tells whether a condition holds in a row.
func (v *Eval) True(row int) (bool, *Failure) {
	v.env.row = row
	ok := v.p.f.root.yes(&v.env)
	if v.env.fail != nil {
		return false, v.failure()
	}
	return ok, nil
}

// Truths tells it for the rows from one on, as many as truth holds. It gives how
// many it told before one failed.
func (v *Eval) Truths(from int, truth []bool) (int, *Failure) {
	if many := v.p.f.root.many; many != nil {
		n := many(&v.env, from, truth)
		return n, v.failure()
	}
	for i := range truth {
		var fail *Failure
		if truth[i], fail = v.True(from + i); fail != nil {
			return i, fail
		}
	}
	return len(truth), nil
}

// AppendMany appends the values for the rows from one on, as many as cells
// holds, and makes the cells view them. It gives how many it did before one that is to be asked for by itself.
func (v *Eval) AppendMany(dst []byte, cells []string, from int) ([]byte, int) {
	if v.memo != nil {
		return v.remember(dst, cells, from)
	}
	nums := v.p.f.root.nums
	if nums == nil || v.p.f.root.kind != Number {
		return dst, 0
	}
	b := v.env.burst()
	defer v.env.giveBack(b)
	for done := 0; done < len(cells); {
		size := min(decimal.BurstSize, len(cells)-done)
		n := nums(&v.env, from+done, size, b)
		dst = b.Append(dst, cells[done:], n)
		done += n
		if n < size {
			return dst, done
		}
	}
	return dst, len(cells)
}

// remember is AppendMany by way of the memo.
func (v *Eval) remember(dst []byte, cells []string, from int) ([]byte, int) {
	m := v.memo
	in := v.env.cells[0][from : from+len(cells)]
	m.asked += len(cells)
	for done := 0; ; {
		n := m.cells(in[done:], cells[done:])
		m.found += n
		if done += n; done == len(cells) {
			if !m.judge() {
				v.memo = nil
			}
			return dst, done
		}
		start := len(dst)
		var fail *Failure
		if dst, fail = v.Append(dst, from+done); fail != nil {
			return dst[:start], done // it is found again, and told, by itself
		}
		cells[done] = view.String(dst[start:])
		m.keep(in[done], dst[start:])
		done++
	}
}

// Append appends the value for a row, nothing where it is blank.
func (v *Eval) Append(dst []byte, row int) ([]byte, *Failure) {
	v.env.row = row
	root := &v.p.f.root
	switch root.kind {
	case Number:
		if d, ok := root.num(&v.env); ok && v.env.fail == nil {
			dst = d.Shortest().Append(dst)
		}
	case Truth:
		if root.yes(&v.env) {
			dst = append(dst, "true"...)
		} else {
			dst = append(dst, "false"...)
		}
	default:
		dst = append(dst, root.text(&v.env)...)
	}
	return dst, v.failure()
}

// Number is the value for a row as a number, false where it is blank.
func (v *Eval) Number(row int) (decimal.D, bool, *Failure) {
	v.env.row = row
	num := v.p.f.root.num // of a comparison there is none
	if num == nil {
		return decimal.D{}, false, &Failure{Field: -1, Reason: "is no number"}
	}
	d, ok := num(&v.env)
	return d, ok, v.failure()
}

// Text is the value for a row as text.
func (v *Eval) Text(row int) (string, *Failure) {
	v.env.row = row
	if v.p.f.root.text == nil {
		b, f := v.Append(nil, row)
		return string(b), f
	}
	s := v.p.f.root.text(&v.env)
	return s, v.failure()
}

// Kind is what the formula gives.
func (v *Eval) Kind() Kind { return v.p.f.root.kind }
