package joining

import (
	"context"
	"slices"
	"strconv"

	"revuelta/internal/rowstore"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/step/ordering"
	"revuelta/internal/table"
)

// joinedSpilled is a Join whose other table is more than memory holds: the rows
// of both tables are dealt to files by their keys, each pair of files is
// joined by itself, and the outcome is put into the order of the rows here. Keys that
// differ in spaces, case and leading zeros alone are in one file, so that they can be told.
type joinedSpilled struct {
	t      *joined // without its rows
	there  *rowstore.Buckets
	memory int64
	temp   string
	cells  []string
	key    []string
}

func newJoinedApart(t *joined, s *step.Context) *joinedSpilled {
	return &joinedSpilled{t: t, there: &rowstore.Buckets{Temp: s.Resources.Temp, Width: t.schema.Len()}, key: make([]string, len(t.keys)), memory: s.Resources.Memory, temp: s.Resources.Temp}
}

// spillHeld deals the rows out that memory has.
func (x *joinedSpilled) spillHeld() error {
	b := table.Get()
	b.Shape(len(x.t.columns))
	for i, cells := range x.t.columns {
		copy(b.Cols[i].Make(x.t.rows), cells)
		x.t.columns[i] = nil
	}
	b.Rows = x.t.rows
	if lines := x.t.lines; len(lines) > 0 {
		b.Origin = table.Origin{Line: int(lines[0]), Each: 1}
		for _, l := range lines {
			b.Origin.Lines = append(b.Origin.Lines, l-lines[0])
		}
	}
	x.t.rows, x.t.size, x.t.lines = 0, 0, nil
	return x.spill(b)
}

// spill deals out rows of the other table; those with a blank in their keys have no partner.
func (x *joinedSpilled) spill(b *table.Batch) error {
	for r := range b.Rows {
		x.cells = b.Row(r, x.cells[:0])
		for k, i := range x.t.keys {
			x.key[k] = x.cells[i]
		}
		if slices.Contains(x.key, "") {
			continue
		}
		if err := x.there.Add(looseBucket(x.key), x.cells, rowstore.Place{Line: b.Origin.LineOf(r)}); err != nil {
			return err
		}
	}
	return nil
}

func looseBucket(key []string) int { return rowstore.BucketOf(keying.HashOf(looseKey(key)), 0) }

// numberField is the name of the field behind the others that has the numbers of the rows here. No header can have it.
const numberField = "\x00number"

// Capabilities implements step.Step.
func (x *joinedSpilled) Capabilities() step.Capabilities {
	return step.Capabilities{Run: x.Run}
}

// Run runs it on one goroutine.
func (x *joinedSpilled) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	defer x.there.Close()
	here := &rowstore.Buckets{Temp: x.temp}
	defer here.Close()
	var schema, numbered, after *table.Schema
	var keys []int
	number := int64(0)
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) error {
			bound, err := x.t.Bind(in)
			if err != nil {
				return err
			}
			schema, after = in, bound.Schema
			numbered = table.NewSchema(append(slices.Clone(in.Names()), numberField))
			here.Width = in.Len()
			s.Summary.Notes = append(s.Summary.Notes, bound.Notes...)
			for _, pair := range x.t.On {
				i, ok := in.Index(pair[0])
				if !ok {
					return selection.Missing(pair[0], in)
				}
				keys = append(keys, i)
			}
			return out.Start(after)
		},
		OnEmit: func(b *table.Batch) error {
			for r := range b.Rows {
				x.cells = b.Row(r, x.cells[:0])
				for k, i := range keys {
					x.key[k] = x.cells[i]
				}
				if err := here.Add(looseBucket(x.key), x.cells, rowstore.Place{File: b.Origin.FileOf(r), Line: b.Origin.LineOf(r), Position: number}); err != nil {
					return err
				}
				number++
			}
			return nil
		},
	})
	if err != nil {
		return err
	}
	width := after.Len()
	keeper := ordering.NewOrderKeeper(width, []int{width}, "number", &step.Context{Resources: step.Resources{Memory: x.memory, Temp: x.temp}})
	defer keeper.Close()
	var stop error
	first := int64(0) // the number of the row that stops it
	near, example, alone := int64(0), "", 0
	for n := range rowstore.FanOut {
		t := x.t.empty()
		if err := x.there.Each(ctx, n, func(b *table.Batch, _ []int64) error { t.add(b); return nil }); err != nil {
			return err
		}
		x.there.Drop(n)
		t.index()
		bound, err := t.Bind(numbered)
		if err != nil {
			return err
		}
		site := x.site(s, schema)
		fn := bound.New(site)
		keep := func(b *table.Batch) error { return keeper.Add(ctx, moved(b, schema.Len())) }
		err = here.Each(ctx, n, func(b *table.Batch, numbers []int64) error {
			cells := table.Column{}
			for r := range cells.Make(b.Rows) {
				cells.Cells[r] = strconv.FormatInt(numbers[r], 10)
			}
			b.Cols = append(b.Cols, cells)
			if stop != nil && numbers[0] > first {
				return nil
			}
			err := fn(b, keep)
			if err == nil || stop == nil && context.Cause(ctx) != nil {
				return err
			}
			// One of these rows stops the run. The first of all files is told.
			one := table.Get()
			for r := range b.Rows {
				one.Gather(b, []int32{int32(r)})
				if err := fn(one, func(*table.Batch) error { return nil }); err != nil {
					if stop == nil || numbers[r] < first {
						stop, first = err, numbers[r]
					}
					return nil
				}
			}
			return err
		})
		if err != nil {
			return err
		}
		here.Drop(n)
		k, e := t.nearly(&site.Counters)
		if near, alone = near+k, alone+len(site.Counters.Values); e != "" && (example == "" || e < example) {
			example = e
		}
		site.Counters.Values = nil
		s.Counters.Add(&site.Counters)
	}
	if stop != nil {
		return stop
	}
	said := sayNear(near, example, alone)
	if err := x.t.unmatched(&s.Counters, func() string { return said }); err != nil {
		return err
	}
	s.Summary.Text = x.t.say(&s.Counters, said)
	return keeper.Emit(ctx, step.Through{OnEmit: func(b *table.Batch) error {
		b.Cols = b.Cols[:width]
		return out.Emit(b)
	}})
}

// empty is the same without rows.
func (t *joined) empty() *joined {
	return &joined{Join: t.Join, name: t.name, schema: t.schema, columns: make([][]string, t.schema.Len()), keys: t.keys, joinedFields: t.joinedFields}
}

// site is where a pair of files is joined: rows that leave there do so without their number.
func (x *joinedSpilled) site(s *step.Context, schema *table.Schema) *step.Context {
	site := &step.Context{Step: s.Step, Tables: step.Tables{FileName: s.Tables.FileName}}
	if s.Exits.Aside != nil {
		site.Exits.Aside = func(r *step.Row) error {
			r.Names, r.Cells = r.Names[:schema.Len()], r.Cells[:schema.Len()]
			return s.Exits.Aside(r)
		}
	}
	if s.Exits.LeftOut != nil {
		site.Exits.LeftOut = func(_ *table.Schema, b *table.Batch, rows []int32, cause step.Cause) {
			bare := *b
			bare.Cols = b.Cols[:schema.Len()]
			s.Exits.LeftOut(schema, &bare, rows, cause)
		}
	}
	return site
}

// moved is the batch with a column put behind the others.
func moved(b *table.Batch, column int) *table.Batch {
	m := *b
	m.Cols = append(append(slices.Clone(b.Cols[:column]), b.Cols[column+1:]...), b.Cols[column])
	return &m
}
