package ordering

import (
	"context"
	"fmt"
	"strconv"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

var FirstSpec = &step.Spec{
	Name: "first",
	Brief: []string{
		"Keeps the first N rows, or of each group the first N, and leaves the others out.",
		"After sort they are the greatest or the least; --limit, in contrast, stops reading.",
	},
	Forms:   []string{"first N"},
	Options: []step.Option{{Name: "within", Value: "SELECTION", Help: "the first N of each group of these fields"}},
	Make:    makeFirst,
	Memory:  "a number for each group",
	Examples: []step.Example{{
		Command: "revuelta first 1 --within apiary harvest.csv",
		Input:   "apiary,colony,kilos\nVesk,026,12.5\nTamro,007,9\nVesk,011,7\n",
		Output:  "apiary,colony,kilos\nVesk,026,12.5\nTamro,007,9\n",
	}},
}

// First keeps the first rows.
type First struct {
	N      int64
	Within *selection.Selection // nil: all rows are one group
}

func makeFirst(a *step.Args) (step.Step, error) {
	n, err := strconv.ParseInt(a.Operands[0], 10, 64)
	if err != nil || n < 1 {
		return nil, diag.Usagef("first %s: it is a number of rows from 1 up", diag.Quote(a.Operands[0])).Trying("first 10")
	}
	f := &First{N: n}
	f.Within, err = step.OptionalSelection(a, "within")
	return f, err
}

// Capabilities implements step.Step.
func (f *First) Capabilities() step.Capabilities {
	return step.Capabilities{InOrder: f.BindInOrder, Run: f.Run}
}

// Run runs it on one goroutine.
func (f *First) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	return step.InTurn(ctx, f.BindInOrder, in, out, s)
}

// BindInOrder binds it to the fields of its input.
func (f *First) BindInOrder(in *table.Schema) (*step.Ordered, error) {
	cause := step.Cause{Field: step.NoField, Reason: fmt.Sprintf("not among the first %s", diag.Count(f.N))}
	var groups *numbered // nil: all rows are one
	if f.Within != nil {
		fields, err := f.Within.Resolve(in)
		if err != nil {
			return nil, err
		}
		groups = &numbered{}
		for _, i := range fields {
			groups.fields = append(groups.fields, keying.NewInterner(in, []keying.Key{{Name: in.Name(i), Column: i}}))
			groups.pairs, groups.small = append(groups.pairs, map[uint64]int32{}), append(groups.small, nil)
		}
		cause.Reason += " of its " + diag.Names(step.NamesOf(in, fields))
	}
	seen := []int64{0} // rows of each group
	var kept, left []int32
	sub := table.Get()
	return &step.Ordered{
		RetainsNothing: true,
		Do: func(b *table.Batch, _ any, s *step.Context) {
			kept, left = kept[:0], left[:0]
			var ids []int32
			if groups != nil {
				ids = groups.ids(b)
				seen = append(seen, make([]int64, max(0, groups.known()-len(seen)))...)
			}
			for r := range b.Rows {
				k := int32(0)
				if ids != nil {
					k = ids[r]
				}
				if seen[k] == f.N {
					left = append(left, int32(r))
					continue
				}
				seen[k]++
				kept = append(kept, int32(r))
			}
			if len(left) == 0 {
				return
			}
			s.Leave(in, b, left, cause)
			sub.Gather(b, kept)
			sub.Own() // what it lent goes with the batch
			*b, *sub = *sub, *b
		},
		Summary: func(t *step.Counters) string { return fmt.Sprintf("%s left out", diag.Plural(t.LeftOut, "row")) },
	}, nil
}

// numbered numbers the combinations of some fields: each field by itself, as is fastest, then the pairs of what stands before with the next.
type numbered struct {
	fields []*keying.Interner
	pairs  []map[uint64]int32 // of each field with those before it; none of the first
	small  [][]int32          // the same for small numbers, one more than the number, 0: not known
}

// smallNumbers is up to where pairs stand in a table as well.
const smallNumbers = 512

// ids gives the numbers of the rows of a batch.
func (n *numbered) ids(b *table.Batch) (ids []int32) {
	for k, f := range n.fields {
		f.Load(b)
		these, _, _ := f.Ids(b, b.Rows, 0, func(int32, int) error { return nil }) // of fields alone: none fails
		if k == 0 {
			ids = these
			continue
		}
		pairs, small := n.pairs[k], n.small[k]
		if small == nil {
			small = make([]int32, smallNumbers*smallNumbers)
			n.small[k] = small
		}
		for r, id := range these {
			near := ids[r] < smallNumbers && id < smallNumbers
			if near {
				if both := small[ids[r]*smallNumbers+id]; both > 0 {
					ids[r] = both - 1
					continue
				}
			}
			pair := uint64(ids[r])<<32 | uint64(id)
			both, ok := pairs[pair]
			if !ok {
				both = int32(len(pairs))
				pairs[pair] = both
			}
			if near {
				small[ids[r]*smallNumbers+id] = both + 1
			}
			ids[r] = both
		}
	}
	return ids
}

// known is how many numbers were given.
func (n *numbered) known() int {
	if last := len(n.fields) - 1; last > 0 {
		return len(n.pairs[last])
	}
	return len(n.fields[0].Values)
}
