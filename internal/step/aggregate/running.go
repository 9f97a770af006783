package aggregate

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/calc"
	"revuelta/internal/diag"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/step/ordering"
	"revuelta/internal/table"
)

// groupRunning is a group that writes onto every row the result so far, in the order of some fields.
type groupRunning Group

// runningAt is how many rows are calculated together, brought together in their order.
const runningAt = 4096

// checkRunning refuses calculations that have no result so far.
func (g *Group) checkRunning() error {
	for _, c := range g.Calcs {
		switch {
		case c.Func == "":
			return diag.Usagef("--running: %s means exactly one value, and has no result so far", c.Source).Trying("last(" + c.Source + ")")
		case c.Func == "share":
			return diag.Usagef("--running: %s is a part of a total that is known at the end alone", c.Source).Trying("sum(…), and set with the total of group --each-row")
		}
	}
	return nil
}

// Capabilities implements step.Step.
func (g *groupRunning) Capabilities() step.Capabilities {
	return step.Capabilities{Run: g.Run}
}

// Run implements Step. It holds all rows.
func (g *groupRunning) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var f *aggregator
	var schema *table.Schema
	var rows ordering.Held
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) (err error) {
			if f, err = (*Group)(g).bind(in); err != nil {
				return err
			}
			if schema, err = step.Unique(append(slices.Clone(in.Names()), calc.Measures(f.calcs)...), "name the calculation: sum(kilos) as total"); err != nil {
				return err
			}
			if s.Exits.Aside != nil {
				return diag.Usagef("group --each-row does not go with --set-aside").Trying("where or cast before it")
			}
			return rows.Start(in, g.Running, s)
		},
		OnEmit: rows.Take,
	})
	if err != nil {
		return err
	}
	results := make([][]string, len(f.calcs))
	for k := range results {
		results[k] = make([]string, rows.Len())
	}
	groups := keying.NewInterner(f.in, f.down)
	var accs []calc.Acc
	for _, c := range f.calcs {
		a, err := c.New(f.in, f.decimals)
		if err != nil {
			return err
		}
		accs = append(accs, a)
	}
	order := rows.InOrder(s)
	b := table.Get()
	var line []byte
	for from := 0; from < len(order); from += runningAt {
		some := order[from:min(from+runningAt, len(order))]
		b.Shape(f.in.Len())
		b.Rows = len(some)
		for c := range b.Cols {
			cells := b.Cols[c].Make(len(some))
			clear(cells)
			if !slices.Contains(f.wanted, c) {
				continue
			}
			for k, i := range some {
				batch, r := rows.Row(i)
				cells[k] = batch.Cols[c].At(r)
			}
		}
		groups.Load(b)
		for _, a := range accs {
			a.Load(b)
		}
		for k, i := range some {
			id, _, fail := groups.Id(k, 0)
			for n := 0; n < len(accs) && fail == nil; n++ {
				accs[n].Grow(int(id) + 1)
				if fail = accs[n].Add(id, k, int64(from+k)); fail == nil {
					line = accs[n].Append(line[:0], id)
					results[n][i] = string(line)
				}
			}
			if fail != nil { // rows in the middle of an order can't be put aside
				return runningFault(&rows, i, f.in, fail.Field, fail.Reason)
			}
		}
		if err := context.Cause(ctx); err != nil {
			return err
		}
	}
	for _, a := range accs {
		if err := a.Settle(); err != nil {
			return err
		}
	}
	s.Summary.Text = fmt.Sprintf("results so far in %s", diag.Plural(int64(len(groups.Values)), "group"))
	return rows.Emit(ctx, schema, results, out)
}

// runningFault names the row, the field and the cell that can't be calculated with.
func runningFault(rows *ordering.Held, i int, in *table.Schema, field int, reason string) error {
	batch, r := rows.Row(i)
	if field < 0 {
		return diag.Dataf("%s", reason).At("", batch.Origin.LineOf(r))
	}
	cell := batch.Cols[field].At(r)
	e := diag.Dataf("%s %s", diag.Quote(cell), reason).At("", batch.Origin.LineOf(r)).InField(in.Name(field))
	e.Cell = strings.Clone(cell)
	return e
}
