package ordering

import (
	"context"
	"fmt"
	"math"
	"strconv"
	"sync"
	"sync/atomic"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

var DistinctSpec = &step.Spec{
	Name: "distinct",
	Brief: []string{
		"Keeps the first of equal rows and leaves the others out.",
		"Rows are equal if all their cells are, byte for byte, or those that --by names.",
	},
	Forms:    []string{"distinct"},
	Operands: func(*step.Args) int { return 0 },
	Options:  []step.Option{{Name: "by", Value: "SELECTION", Help: "look at these fields only"}},
	Make: func(a *step.Args) (step.Step, error) {
		d := &Distinct{}
		var err error
		if a.Has("by") {
			d.By, err = selection.Parse(a.Get("by", ""))
		}
		return d, err
	},
	Memory: "about 14 bytes for each row that is kept, by which its equals are known; beyond --memory rows go to temporary files",
	Examples: []step.Example{{
		Command: "revuelta distinct --by 'apiary,colony' visits.csv",
		Input:   "apiary,colony,kilos\nVesk,026,1.10\nVesk,26,2\nVesk,026,3\n",
		Output:  "apiary,colony,kilos\nVesk,026,1.10\nVesk,26,2\n",
	}},
}

// Distinct keeps the first of equal rows.
type Distinct struct{ By *selection.Selection }

// Capabilities implements step.Step.
func (d *Distinct) Capabilities() step.Capabilities {
	return step.Capabilities{InOrder: d.BindInOrder, Run: d.Run, MayExceed: d.MayExceed}
}

// cause is why rows are left out.
func (d *Distinct) cause(in *table.Schema, fields []int) step.Cause {
	if d.By == nil {
		return step.Cause{Field: step.NoField, Reason: "equal to a row above"}
	}
	return step.Cause{Field: step.NoField, Reason: diag.Names(step.NamesOf(in, fields)) + " as in a row above"}
}

// MayExceed implements Spilling: a set that has just grown takes 52 bytes a row with what it was, and rows are seldom of fewer than twelve.
func (d *Distinct) MayExceed(size, memory int64) bool {
	return size == 0 || 5*size > memory
}

func (d *Distinct) fields(in *table.Schema) ([]int, error) {
	if d.By == nil {
		return step.Except(in.Len(), nil), nil
	}
	return d.By.Resolve(in)
}

// Run implements Step. Rows whose keys memory has no room for are sorted by
// them, which brings equal ones together, and the first of each put back into the order they came in.
func (d *Distinct) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	if s.Resources.Memory == 0 {
		return step.InTurn(ctx, d.BindInOrder, in, out, s)
	}
	var schema *table.Schema
	var fields []int
	var cause step.Cause
	seen := keying.NewKeySet()
	keys := &keying.RowKeys{Mark: new(atomic.Uint32)}
	var kept, left []int32
	sub := table.Get()
	var rest *sorter // of the rows there was no room for
	number := int64(0)
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) (err error) {
			schema = in
			if fields, err = d.fields(in); err != nil {
				return err
			}
			cause = d.cause(in, fields)
			return out.Start(in)
		},
		OnEmit: func(b *table.Batch) error {
			keys.Load(b, fields)
			if rest == nil && !seen.Room(b.Rows, s.Share(), s.Resources.Memory/2) {
				rest = NewOrderKeeper(schema.Len(), fields, "text", s)
			}
			if rest == nil {
				left = seen.Add(keys.Prints, left[:0])
				s.Leave(schema, b, left, cause)
				if kept = step.Others(b.Rows, left, kept[:0]); len(kept) == 0 {
					return nil
				}
				sub.Gather(b, kept)
				return out.Emit(sub)
			}
			left = seen.Among(keys.Prints, left[:0])
			s.Leave(schema, b, left, cause)
			kept = step.Others(b.Rows, left, kept[:0])
			sub.Gather(b, kept)
			number = numbered(sub, number)
			return rest.Add(ctx, sub)
		},
	})
	if err == nil && rest != nil {
		err = d.rest(ctx, schema, fields, rest, out, s)
	}
	s.Summary.Text = tellDistinct(&s.Counters)
	return err
}

// NewOrderKeeper is a sorter of rows with a number behind their cells.
func NewOrderKeeper(width int, by []int, order string, s *step.Context) *sorter {
	k := &sortKeys{}
	for _, i := range by {
		k.fields = append(k.fields, sortField{column: i, order: order})
	}
	return &sorter{keys: k, width: width + 1, limit: int(s.Resources.Memory / 4), temp: s.Resources.Temp}
}

// numbered numbers the rows of a batch, in a column behind the others.
func numbered(b *table.Batch, from int64) int64 {
	b.Cols = append(b.Cols, table.Column{})
	numbers := b.Cols[len(b.Cols)-1].Make(b.Rows)
	for r := range numbers {
		numbers[r] = strconv.FormatInt(from, 10)
		from++
	}
	return from
}

// rest finds the first of equal rows among those that were sorted.
func (d *Distinct) rest(ctx context.Context, schema *table.Schema, fields []int, rest *sorter, out step.Out, s *step.Context) error {
	defer rest.Close()
	first := NewOrderKeeper(schema.Len(), []int{schema.Len()}, "number", s)
	defer first.Close()
	key := keying.RowKey(fields)
	before, any := "", false
	var kept, left []int32
	sub := table.Get()
	err := rest.Emit(ctx, step.Through{OnEmit: func(b *table.Batch) error {
		kept, left = kept[:0], left[:0]
		for r := range b.Rows {
			k := key(b, r)
			if any && k == before {
				left = append(left, int32(r))
				continue
			}
			before, any = k, true
			kept = append(kept, int32(r))
		}
		if len(left) > 0 {
			bare := *b
			bare.Cols = b.Cols[:schema.Len()]
			s.Leave(schema, &bare, left, d.cause(schema, fields))
		}
		sub.Gather(b, kept)
		return first.Add(ctx, sub)
	}})
	if err != nil {
		return err
	}
	return first.Emit(ctx, step.Through{OnEmit: func(b *table.Batch) error {
		b.Cols = b.Cols[:schema.Len()]
		return out.Emit(b)
	}})
}

// BindInOrder binds it to the fields of its input.
func (d *Distinct) BindInOrder(in *table.Schema) (*step.Ordered, error) {
	fields, err := d.fields(in)
	if err != nil {
		return nil, err
	}
	seen, cause := keying.NewKeySet(), d.cause(in, fields)
	mark := new(atomic.Uint32)
	spare := sync.Pool{New: func() any { return &keying.RowKeys{Mark: mark} }}
	var kept, left []int32
	sub := table.Get()
	return &step.Ordered{
		RetainsNothing: true,
		Ahead: func(b *table.Batch) any {
			k := spare.Get().(*keying.RowKeys)
			k.Load(b, fields)
			return k
		},
		Do: func(b *table.Batch, ahead any, s *step.Context) {
			k := ahead.(*keying.RowKeys)
			seen.Room(b.Rows, s.Share(), math.MaxInt64)
			left = seen.Add(k.Prints, left[:0])
			spare.Put(k)
			if len(left) == 0 {
				return
			}
			s.Leave(in, b, left, cause)
			kept = step.Others(b.Rows, left, kept[:0])
			sub.Gather(b, kept)
			sub.Own() // what it lent goes with the batch
			*b, *sub = *sub, *b
		},
		Summary: tellDistinct,
	}, nil
}

func tellDistinct(t *step.Counters) string {
	if t.LeftOut == 0 {
		return "no row stands twice"
	}
	return fmt.Sprintf("%s left out: there was an equal one before", diag.Plural(t.LeftOut, "row"))
}
