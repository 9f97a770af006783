package aggregate

import (
	"context"
	"fmt"
	"slices"

	"revuelta/internal/calc"
	"revuelta/internal/diag"
	"revuelta/internal/rowstore"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/step/ordering"
	"revuelta/internal/table"
)

var GroupSpec = &step.Spec{
	Name: "group",
	Brief: []string{
		"Folds rows into groups and calculates each: counts, exact sums, means, extremes, lists.",
		"With --each-row the result is written onto every row instead.",
	},
	Forms:    []string{"group --by SELECTION --calc CALCULATION..."},
	Operands: func(*step.Args) int { return 0 },
	Options: []step.Option{
		{Name: "by", Value: "SELECTION", Help: "what makes a group (without: all rows are one); also year(date), month(date) as m, …"},
		{Name: "calc", Value: "CALCULATION", Repeat: true, Help: "count(), sum(kilos), mean(price) as price, join(plant, \"; \"), …; mean(*): one for each field left"},
		{Name: "each-row", Help: "write the result onto every row"},
		{Name: "running", Value: "SELECTION", Help: "with --each-row: the result so far, in the order of these fields ('date', 'kilos desc'); the rows stay where they are"},
		{Name: "decimals", Value: "N", Help: "round what was calculated, half to even, and write so many decimals (106.70)"},
	},
	Make:   makeGroup,
	Memory: "one entry for each group; median, pNN, distinct, mode and join hold their cells; --each-row holds all rows; beyond --memory rows go to temporary files",
	Examples: []step.Example{{
		Command: "revuelta group --by apiary --calc 'count() as visits' --calc 'sum(kilos)' visits.csv",
		Input:   "apiary,kilos\nVesk,1.25\nTamro,\nVesk,0.75\n",
		Output:  "apiary,visits,kilos\nVesk,2,2.00\nTamro,1,\n",
	}, {
		Command: "revuelta group --by colony --calc 'sum(kilos) as so_far' --each-row --running visit visits.csv",
		Input:   "visit,colony,kilos\n3,026,2.5\n1,026,1.25\n2,007,3\n",
		Output:  "visit,colony,kilos,so_far\n3,026,2.5,3.75\n1,026,1.25,1.25\n2,007,3,3\n",
	}},
}

// Group folds rows into groups.
type Group struct {
	By       *keying.KeySpec // nil: one group
	Calcs    []*calc.Calculation
	EachRow  bool
	Running  *ordering.Order // of the results so far; nil: there are none
	Decimals int
}

func makeGroup(a *step.Args) (step.Step, error) {
	g := &Group{By: &keying.KeySpec{}, EachRow: a.Has("each-row")}
	var err error
	if g.By, err = keying.ParseKeys(a.Get("by", "")); err != nil {
		return nil, err
	}
	if !a.Has("calc") {
		return nil, diag.Usagef("group lacks --calc").Trying("--calc 'count()'", "distinct --by … for one row of each")
	}
	if g.Calcs, err = parseCalculations(a.All("calc")); err != nil {
		return nil, err
	}
	if g.Decimals, err = decimalsOf(a); err != nil {
		return nil, err
	}
	if a.Has("running") {
		if !g.EachRow {
			return nil, diag.Usagef("--running goes with --each-row: a result so far stands on every row")
		}
		if g.Running, err = ordering.ParseOrder(a.Get("running", ""), ""); err != nil {
			return nil, err
		}
		return (*groupRunning)(g), g.checkRunning()
	}
	if g.EachRow {
		return (*groupEach)(g), nil
	}
	return g, nil
}

// bind finds the fields.
func (g *Group) bind(in *table.Schema) (*aggregator, error) {
	f := &aggregator{in: in, decimals: g.Decimals}
	var err error
	if f.down, err = g.By.Bind(in); err != nil {
		return nil, err
	}
	if f.calcs, err = calc.Expand(g.Calcs, in, keying.Uses(in, f.down)); err != nil {
		return nil, err
	}
	for _, c := range f.calcs {
		if _, err := c.New(in, -1); err != nil {
			return nil, err
		}
	}
	return f.ready(), nil
}

// Capabilities implements step.Step.
func (g *Group) Capabilities() step.Capabilities {
	return step.Capabilities{Reduce: g.Reduce, Run: g.Run}
}

// Run runs it on one goroutine.
func (g *Group) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	return step.Reduced(ctx, g.Reduce, in, out, s)
}

// grouping is a group bound to the fields of a table.
type grouping struct {
	f      *aggregator
	schema *table.Schema
}

// Reduce binds it to the fields of its input.
func (g *Group) Reduce(in *table.Schema) (step.Reduction, error) {
	f, err := g.bind(in)
	if err != nil {
		return nil, err
	}
	schema, err := step.Unique(append(namesOfKeys(f.down), calc.Measures(f.calcs)...), "name the calculation: sum(kilos) as total")
	return &grouping{f, schema}, err
}

// Part implements Reduction.
func (g *grouping) ByPlace() []bool                         { return g.f.byPlace() }
func (g *grouping) NewPartial(s *step.Context) step.Partial { return g.f.newPartial(s) }

// Finish implements Reduction.
func (g *grouping) Finish(ctx context.Context, parts []step.Partial, out step.Out, s *step.Context) error {
	all, err := mergePartials(parts, s)
	if err != nil {
		return err
	}
	if err := out.Start(g.schema); err != nil {
		return err
	}
	if len(g.f.down) == 0 && len(all.down.Values) == 0 { // no rows are a group too
		all.down.Add("", keying.HashOf(""), 0)
		all.grid.addRow()
		all.slot(0, 0)
		s.Counters.Made++
	}
	w := &layout{part: all, columns: []column{{id: 0}}, keys: len(g.f.down)}
	if err := w.write(ctx, g.schema.Len(), totals{}, false, s, out); err != nil {
		return err
	}
	s.Summary.Text = fmt.Sprintf("%s merged into %s", diag.Plural(s.Counters.Merged+int64(w.rows), "row"), diag.Plural(int64(w.rows), "group"))
	return nil
}

// groupEach is a group that writes its results onto every row.
type groupEach Group

// Capabilities implements step.Step.
func (g *groupEach) Capabilities() step.Capabilities {
	return step.Capabilities{Run: g.Run}
}

// Run implements Step. It holds all rows.
func (g *groupEach) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var f *aggregator
	var schema *table.Schema
	var p *partial
	held := &rowstore.Rows{Limit: s.Resources.Memory / 2, Temp: s.Resources.Temp}
	defer held.Close()
	at := int64(0)
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) (err error) {
			if f, err = (*Group)(g).bind(in); err != nil {
				return err
			}
			schema, err = step.Unique(append(slices.Clone(in.Names()), calc.Measures(f.calcs)...), "name the calculation: sum(kilos) as total")
			p = f.newPartial(s)
			p.level = rowstore.MostLevels // the groups are held
			return err
		},
		OnEmit: func(b *table.Batch) error {
			if s.Exits.Aside != nil {
				return diag.Usagef("group --each-row does not go with --set-aside").Trying("where or cast before it")
			}
			if err := p.Add(b, at); err != nil {
				return err
			}
			at += int64(b.Rows)
			return held.Adopt(b)
		},
	})
	if err != nil {
		return err
	}
	s.Counters.Merged, s.Counters.FilledIn = 0, 0 // no row was merged: all go out again
	all, err := mergePartials([]step.Partial{p}, s)
	if err != nil {
		return err
	}
	w := &layout{part: all, columns: []column{{id: 0}}}
	rows := all.down.InOrder()
	if err := w.total(rows, totals{}); err != nil {
		return err
	}
	if err := out.Start(schema); err != nil {
		return err
	}
	// The result of each group once; the rows share it as codes.
	values := make([][]string, len(all.accs))
	for _, row := range rowsByID(rows) {
		w.share(0)
		for k, a := range all.accs {
			values[k] = append(values[k], string(a.Append(nil, all.grid.get(row, 0))))
		}
	}
	s.Summary.Text = diag.Plural(int64(len(rows)), "group")
	b := table.Get()
	return held.Drain(ctx, func(h *table.Batch) error {
		all.down.Load(h)
		b.Shape(schema.Len())
		for i := range h.Cols {
			b.Cols[i].Borrow(&h.Cols[i])
		}
		for k := range all.accs {
			codes := b.Cols[len(h.Cols)+k].MakeCodes(values[k], h.Rows)
			for r := range h.Rows {
				id, _, fail := all.down.Id(r, 0)
				if fail != nil {
					return diag.Dataf("%s", fail.Reason)
				}
				codes[r] = id
			}
		}
		b.Rows, b.Origin = h.Rows, h.Origin
		if err := out.Emit(b); err != nil {
			return err
		}
		return context.Cause(ctx)
	})
}

// rowsByID lists the groups by their numbers.
func rowsByID(rows []int32) []int32 {
	out := slices.Clone(rows)
	slices.Sort(out)
	return out
}
