package ordering

import (
	"context"
	"strconv"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

var NumberSpec = &step.Spec{
	Name: "number",
	Brief: []string{
		"Numbers the rows 1, 2, 3 and so on, in a new field at the end.",
		"Anew in each group, in another order, so many alike, in turns, or at rows that begin something.",
	},
	Forms: []string{"number NAME"},
	Options: []step.Option{
		{Name: "within", Value: "SELECTION", Help: "begin at 1 for each group of these fields"},
		{Name: "by", Value: "SELECTION", Help: "number in the order of these fields, as sort takes them; the rows stay where they are"},
		{Name: "every", Value: "N", Help: "N rows have the same number: 1 1 1 2 2 2"},
		{Name: "cycle", Value: "N", Help: "begin again after N: 1 2 3 1 2 3"},
		{Name: "when", Value: "FORMULA", Help: "a new number where it holds; blank before the first"},
	},
	Make:   makeNumber,
	Memory: "a number for each group; with --by all rows",
	Examples: []step.Example{{
		Command: "revuelta number visit --within colony visits.csv",
		Input:   "colony,mites\n026,4\n007,\n026,1\n",
		Output:  "colony,mites,visit\n026,4,1\n007,,1\n026,1,2\n",
	}},
}

// Number numbers rows.
type Number struct {
	Name   string
	Within *selection.Selection
	By     *Order
	Every  int64
	Cycle  int64
	When   *formula.Formula
}

func makeNumber(a *step.Args) (step.Step, error) {
	n := &Number{Every: 1}
	var err error
	if n.Name, _, err = selection.Unquote(a.Operands[0]); err != nil {
		return nil, err
	}
	if n.Name == "" {
		return nil, diag.Usagef("number: the field has no name")
	}
	for _, pair := range [][]string{{"every", "cycle", "when"}, {"cycle", "when"}} {
		if err := a.Excludes(pair[0], pair[1:]...); err != nil {
			return nil, err
		}
	}
	for _, o := range []struct {
		name string
		to   *int64
	}{{"every", &n.Every}, {"cycle", &n.Cycle}} {
		if a.Has(o.name) {
			if *o.to, err = strconv.ParseInt(a.Get(o.name, ""), 10, 64); err != nil || *o.to < 1 {
				return nil, diag.Usagef("--%s %s: it is a number from 1 up", o.name, diag.Quote(a.Get(o.name, "")))
			}
		}
	}
	if n.Within, err = step.OptionalSelection(a, "within"); err != nil {
		return nil, err
	}
	if a.Has("when") {
		if n.When, err = step.Condition(a, "when"); err != nil {
			return nil, err
		}
	}
	if a.Has("by") {
		n.By, err = ParseOrder(a.Get("by", ""), "")
		return (*numberBy)(n), err
	}
	return n, nil
}

// numbering is a Number bound to the fields of a table.
type numbering struct {
	n      *Number
	in     *table.Schema
	schema *table.Schema
	within func(*table.Batch, int) string // nil: all rows are one group
	when   *formula.Eval
	seen   map[string]int64 // rows numbered in each group, or numbers given
}

func (n *Number) bind(in *table.Schema) (*numbering, error) {
	b := &numbering{n: n, in: in, seen: map[string]int64{}}
	var err error
	if b.schema, err = step.Unique(append(in.Names()[:in.Len():in.Len()], n.Name), "another name"); err != nil {
		return nil, err
	}
	if n.Within != nil {
		fields, err := n.Within.Resolve(in)
		if err != nil {
			return nil, err
		}
		b.within = keying.RowKey(fields)
	}
	if n.When != nil {
		p, err := n.When.Bind(in, -1)
		if err != nil {
			return nil, err
		}
		b.when = p.Eval()
	}
	return b, nil
}

// next is the number of a row, "" for a blank. The batch was loaded.
func (b *numbering) next(batch *table.Batch, r int) (string, *formula.Failure) {
	group := ""
	if b.within != nil {
		group = b.within(batch, r)
	}
	if b.when != nil {
		begins, fail := b.when.True(r)
		if fail != nil {
			return "", fail
		}
		if begins {
			b.seen[group]++
		}
		if b.seen[group] == 0 {
			return "", nil
		}
		return strconv.FormatInt(b.seen[group], 10), nil
	}
	k := b.seen[group]
	b.seen[group]++
	if b.n.Cycle > 0 {
		return strconv.FormatInt(k%b.n.Cycle+1, 10), nil
	}
	return strconv.FormatInt(k/b.n.Every+1, 10), nil
}

func (b *numbering) tell() string {
	if b.within == nil {
		return ""
	}
	return diag.Plural(int64(len(b.seen)), "group")
}

// Capabilities implements step.Step.
func (n *Number) Capabilities() step.Capabilities {
	return step.Capabilities{Run: n.Run}
}

// Run runs it on one goroutine.
func (n *Number) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var b *numbering
	dst, sub := table.Get(), table.Get()
	var kept []int32
	err := in(ctx, step.Through{
		OnStart: func(schema *table.Schema) (err error) {
			if b, err = n.bind(schema); err != nil {
				return err
			}
			return out.Start(b.schema)
		},
		OnEmit: func(src *table.Batch) error {
			if b.when != nil {
				b.when.Load(src)
			}
			dst.Extend(src, 1)
			numbers := dst.Cols[len(src.Cols)].Make(src.Rows)
			dst.Cols[len(src.Cols)].Absent = table.AbsentAll
			kept = kept[:0]
			for r := range numbers {
				number, fail := b.next(src, r)
				if fail != nil {
					if err := s.Unfit(b.in, src, r, fail.Field, fail.Reason, step.TriesFor(fail, src, r)...); err != nil {
						return err
					}
					continue
				}
				numbers[r] = number
				kept = append(kept, int32(r))
			}
			if len(kept) < src.Rows {
				sub.Gather(dst, kept)
				return out.Emit(sub)
			}
			return out.Emit(dst)
		},
	})
	if b != nil {
		s.Summary.Text = b.tell()
	}
	return err
}

// numberBy is a Number in the order of some fields.
type numberBy Number

// Capabilities implements step.Step.
func (n *numberBy) Capabilities() step.Capabilities {
	return step.Capabilities{Run: n.Run}
}

// Run implements Step. It holds all rows.
func (n *numberBy) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var b *numbering
	var rows Held
	err := in(ctx, step.Through{
		OnStart: func(schema *table.Schema) (err error) {
			if b, err = (*Number)(n).bind(schema); err != nil {
				return err
			}
			return rows.Start(schema, n.By, s)
		},
		OnEmit: rows.Take,
	})
	if err != nil {
		return err
	}
	numbers := make([]string, len(rows.at))
	last := (*table.Batch)(nil)
	for _, i := range rows.InOrder(s) {
		batch, r := rows.Row(i)
		if b.when != nil && batch != last {
			b.when.Load(batch)
			last = batch
		}
		number, fail := b.next(batch, r)
		if fail != nil { // rows in the middle of an order can't be put aside
			return diag.Dataf("%s", fail.Reason).At("", batch.Origin.LineOf(r))
		}
		numbers[i] = strings.Clone(number)
	}
	s.Summary.Text = b.tell()
	return rows.Emit(ctx, b.schema, [][]string{numbers}, out)
}

// Held are all rows of a table, to be gone through in an order and emitted as they came.
type Held struct {
	batches []*table.Batch
	at      []rowAt
	keys    *sortKeys
	order   *Order
}

type rowAt struct{ batch, row int32 }

// Start binds the order, nil where they are gone through as they came.
func (h *Held) Start(schema *table.Schema, order *Order, s *step.Context) (err error) {
	h.order = order
	if order != nil {
		h.keys, err = order.bind(schema)
	}
	return err
}

// Take holds the rows of a batch.
func (h *Held) Take(b *table.Batch) error {
	b = table.Adopt(b)
	for r := range b.Rows {
		h.at = append(h.at, rowAt{int32(len(h.batches)), int32(r)})
	}
	if h.keys != nil {
		h.keys.look(b)
	}
	h.batches = append(h.batches, b)
	return nil
}

// Len is how many rows there are.
func (h *Held) Len() int { return len(h.at) }

// Row is where a row lies, by its number.
func (h *Held) Row(i int) (*table.Batch, int) {
	at := h.at[i]
	return h.batches[at.batch], int(at.row)
}

// InOrder lists the rows by number in their order.
func (h *Held) InOrder(s *step.Context) []int {
	order := make([]int, len(h.at))
	for i := range order {
		order[i] = i
	}
	if h.keys == nil {
		return order
	}
	h.keys.settle(s)
	keys := make([]string, len(h.at))
	var buf []byte
	for i := range keys {
		b, r := h.Row(i)
		buf = h.keys.append(buf[:0], b, r)
		keys[i] = string(buf)
	}
	sortStable(order, keys)
	return order
}

// Emit emits the rows as they came, with new cells at the end of each: those of each new field, by the rows' numbers.
func (h *Held) Emit(ctx context.Context, schema *table.Schema, fields [][]string, out step.Out) error {
	if err := out.Start(schema); err != nil {
		return err
	}
	dst := table.Get()
	from := 0
	for k, b := range h.batches {
		dst.Extend(b, len(fields))
		for k, cells := range fields {
			copy(dst.Cols[len(b.Cols)+k].Make(b.Rows), cells[from:from+b.Rows])
		}
		from += b.Rows
		if err := out.Emit(dst); err != nil {
			return err
		}
		h.batches[k] = nil
		if err := context.Cause(ctx); err != nil {
			return err
		}
	}
	return nil
}
