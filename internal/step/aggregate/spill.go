package aggregate

import (
	"cmp"
	"context"
	"strconv"

	"revuelta/internal/calc"
	"revuelta/internal/rowstore"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/step/ordering"
	"revuelta/internal/table"
)

// When a part has no more room, the rows that come are dealt to files by their
// keys down. At the end each file is folded by itself, together with what
// memory has of its keys, and the outcomes are put into the order in which the keys were first seen.

// full tells whether rows must go to files.
func (p *partial) full() bool {
	switch {
	case len(p.spilled) > 0:
		return true
	case p.s.Resources.Memory == 0 || p.level >= rowstore.MostLevels || len(p.down.Values) < 2: // one key can't be parted
		return false
	}
	const perKey = 128
	size := p.down.Size + len(p.down.Values)*(perKey+24*len(p.f.down)+4*p.grid.stride) + int(p.slots)*p.f.perSlot + p.held
	if int64(size) <= p.s.Resources.Memory/4 {
		return false
	}
	p.spilled = []*rowstore.Buckets{{Temp: p.s.Resources.Temp, Width: len(p.f.wanted)}}
	return true
}

// spill deals the rows of a batch to files.
func (p *partial) spill(b *table.Batch, at int64) error {
	p.adopt(b, at)
	for r := range b.Rows {
		if err := p.spillRow(b, r, at+int64(r)); err != nil {
			return err
		}
	}
	return nil
}

func (p *partial) spillRow(b *table.Batch, r int, pos int64) error {
	dropped, ok, err := p.drop(b, r, pos)
	if !ok {
		return err
	}
	if p.s.Exits.Aside != nil && !dropped {
		if fail := p.check(r); fail != nil {
			return p.unfit(b, r, fail)
		}
	}
	if _, ok, err := p.acrossOf(b, r, pos); !ok {
		return err
	}
	name, fail := p.down.Name(r)
	if fail == nil && !dropped {
		fail = p.check(r)
	}
	if fail != nil {
		return p.unfit(b, r, fail)
	}
	for _, a := range p.accs {
		if a, ok := a.(calc.Knowing); ok && !dropped {
			a.Watch(r, pos)
		}
	}
	p.countFilled(r)
	p.s.Counters.Merged++
	if dropped {
		p.leave(b, r)
	}
	return p.deal(b, r, name, pos)
}

// deal writes a row to the file of its key.
func (p *partial) deal(b *table.Batch, r int, name string, pos int64) error {
	p.sparse = p.sparse[:0]
	for _, c := range p.f.wanted {
		p.sparse = append(p.sparse, b.Cols[c].At(r))
	}
	return p.spilled[0].Add(rowstore.BucketOf(keying.HashOf(name), p.level), p.sparse, rowstore.Place{Position: pos})
}

// again takes rows of a file.
func (p *partial) again(b *table.Batch, pos []int64) error {
	p.load(b)
	full := p.full()
	p.held += b.Rows * p.f.perRow
	for r := range b.Rows {
		if !full {
			if err := p.row(b, r, pos[r]); err != nil {
				return err
			}
			continue
		}
		name, _ := p.down.Name(r) // it was read before
		if err := p.deal(b, r, name, pos[r]); err != nil {
			return err
		}
	}
	return nil
}

// each visits parts that together hold all there is, with all rows of a key in one of them.
func (p *partial) each(ctx context.Context, visit func(*partial) error) error {
	if len(p.spilled) == 0 {
		return visit(p)
	}
	f := p.f
	for n := range rowstore.FanOut {
		some := f.newPartial(&step.Context{Step: p.s.Step, Tables: step.Tables{FileName: p.s.Tables.FileName}, Resources: step.Resources{Memory: p.s.Resources.Memory / 2, Temp: p.s.Resources.Temp}})
		some.level, some.spans = p.level+1, p.spans
		some.across.Names, some.across.Values, some.across.First = p.across.Names, p.across.Values, p.across.First
		err := some.respilled(ctx, p, n)
		if err == nil && len(some.down.Values) > 0 {
			some.learn(p)
			err = some.each(ctx, visit)
		}
		for _, x := range some.spilled {
			x.Close()
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// respilled takes those keys of another part that are in a file, and the rows of the file.
func (p *partial) respilled(ctx context.Context, from *partial, n int) error {
	pairs := pairs{}
	for id, name := range from.down.Names.Names {
		h := from.down.Names.Hashes[id]
		if rowstore.BucketOf(h, from.level) != n {
			continue
		}
		row, fresh := p.down.Adopt(from.down, int32(id), name, h)
		if fresh {
			p.grid.addRow()
		}
		p.pair(&pairs, row, from, int32(id), nil)
		if err := p.mergePairs(&pairs, from); err != nil {
			return err
		}
	}
	wide := &table.Batch{}
	for _, x := range from.spilled {
		err := x.Each(ctx, n, func(b *table.Batch, pos []int64) error {
			wide.Shape(p.f.in.Len())
			for i, c := range p.f.wanted {
				wide.Cols[c].Borrow(&b.Cols[i])
			}
			wide.Rows = b.Rows
			return p.again(wide, pos)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// earliest is the error of the earliest row.
type earliest struct {
	err error
	at  int64
}

func (e *earliest) note(at int64, err error) {
	if err != nil && (e.err == nil || at < e.at) {
		e.err, e.at = err, at
	}
}

// emitSpilled lays out what went to files, part by part; fields are all that come out.
func (w *layout) emitSpilled(ctx context.Context, fields int, total totals, balance bool, s *step.Context, out step.Out) error {
	all := w.part
	defer func() {
		for _, x := range all.spilled {
			x.Close()
		}
	}()
	keeper := ordering.NewOrderKeeper(fields, []int{fields}, "number", s)
	defer keeper.Close()
	w.sums = all.f.newPartial(&step.Context{})
	if total.beneath || w.shared() {
		w.beneath = w.sums.slotsFor(len(w.columns))
	}
	keys, bare := 0, 0
	var stop, folded earliest
	pass := func(ready, write bool) error {
		return all.each(ctx, func(p *partial) error {
			v := &layout{part: p, sums: w.sums, beneath: w.beneath, columns: w.columns, keys: w.keys, empty: w.empty}
			rows := p.down.InOrder()
			if stop.note(p.conflict()); stop.err != nil {
				return nil
			}
			if folded.note(v.fold(rows)); folded.err != nil {
				return nil
			}
			if total.field {
				if err := v.across(rows); err != nil {
					return err
				}
			}
			if ready {
				keys += len(rows)
				bare += p.bare()
				if err := v.sum(rows); err != nil {
					return err
				}
			}
			if !write {
				return nil
			}
			n := 0
			return v.emit(ctx, rows, balance, s, step.Through{OnEmit: func(b *table.Batch) error {
				b.Cols = append(b.Cols, table.Column{})
				places := b.Cols[len(b.Cols)-1].Make(b.Rows)
				for r := range places {
					places[r] = strconv.FormatInt(p.down.First[rows[n]], 10)
					n++
				}
				return keeper.Add(ctx, b)
			}})
		})
	}
	err := pass(true, !w.shared())
	if err == nil {
		err = cmp.Or(stop.err, folded.err)
	}
	if err == nil && w.shared() { // a share needs the total of all
		err = pass(false, true)
	}
	if err != nil {
		return err
	}
	s.Counters.Merged += int64(len(all.down.Values) - keys)
	w.rows, w.bare = keys, bare
	return keeper.Emit(ctx, step.Through{OnEmit: func(b *table.Batch) error {
		b.Cols, b.Origin = b.Cols[:fields], table.Origin{}
		return out.Emit(b)
	}})
}
