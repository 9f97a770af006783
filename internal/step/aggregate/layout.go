package aggregate

import (
	"context"
	"slices"

	"revuelta/internal/calc"
	"revuelta/internal/decimal"
	"revuelta/internal/step"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// layout writes what was folded as rows.
type layout struct {
	columnOf []int32 // of each key across, -1: it is folded or dropped
	part     *partial
	columns  []column
	keys     int
	empty    string
	// byMeasure: each measure has all its fields together, else each combination has
	byMeasure bool

	slots   []int32  // of the row at hand, a column each, -1: no row fell there
	next    []int32  // of the one below it
	totalOf []int32  // of each row, where there is a total field
	sums    *partial // where the totals of the columns are
	beneath []int32  // of each column, where there is a total row or a share
	rows    int      // written
	bare    int      // of those, in whose cells no row fell
	filled  int64    // cells written that are not blank
	ends    []int
	text    []byte
}

// find gives the slots of a row: those there are, looked up by their keys.
func (w *layout) find(row int32) []int32 {
	if w.columnOf == nil {
		w.columnOf = make([]int32, len(w.part.across.Values)+1)
		for i := range w.columnOf {
			w.columnOf[i] = -1
		}
		for i, c := range w.columns {
			if c.id >= 0 {
				w.columnOf[c.id] = int32(i)
			}
		}
	}
	w.slots = w.slots[:0]
	for range w.columns {
		w.slots = append(w.slots, -1)
	}
	w.part.grid.each(row, func(id, slot int32) {
		if i := w.columnOf[id]; i >= 0 {
			w.slots[i] = slot
		}
	})
	for i, c := range w.columns {
		for _, id := range c.folded { // they were merged into the slot of the first
			if s := w.part.grid.get(row, id); s >= 0 {
				w.slots[i] = s
				break
			}
		}
	}
	if n := len(w.columns) - 1; n >= 0 && w.columns[n].total && w.totalOf != nil {
		w.slots[n] = w.totalOf[row]
	}
	return w.slots
}

// totals tells which totals there are.
type totals struct{ field, beneath bool }

// write lays out all rows, and puts the totals to them.
func (w *layout) write(ctx context.Context, fields int, total totals, balance bool, s *step.Context, out step.Out) error {
	if len(w.part.spilled) > 0 {
		return w.emitSpilled(ctx, fields, total, balance, s, out)
	}
	rows := w.part.down.InOrder()
	w.rows, w.bare = len(rows), w.part.bare()
	if err := w.total(rows, total); err != nil {
		return err
	}
	return w.emit(ctx, rows, balance, s, out)
}

// total readies what is folded under others, totals, and what shares are of.
func (w *layout) total(rows []int32, total totals) error {
	if _, err := w.fold(rows); err != nil {
		return err
	}
	if total.field {
		if err := w.across(rows); err != nil {
			return err
		}
	}
	if total.beneath || w.shared() {
		w.sums = w.part
		w.beneath = w.part.slotsFor(len(w.columns))
	}
	return w.sum(rows)
}

// fold merges what is folded under others; where two rows compete there it tells where the second stands.
func (w *layout) fold(rows []int32) (int64, error) {
	p := w.part
	for _, c := range w.columns {
		if len(c.folded) < 2 {
			continue
		}
		for _, row := range rows {
			first := int32(-1)
			for _, id := range c.folded {
				slot := p.grid.get(row, id)
				if slot < 0 {
					continue
				}
				if first < 0 {
					first = slot
				} else if err := p.mergeSlot(first, p.accs, slot); err != nil {
					return 0, err
				}
			}
		}
		if at, err := p.conflict(); err != nil {
			return at, err
		}
	}
	return 0, nil
}

// across calculates the total of each row.
func (w *layout) across(rows []int32) error {
	w.totalOf = make([]int32, w.part.grid.rows)
	for _, row := range rows {
		w.totalOf[row] = w.part.loose()
		if err := w.into(w.totalOf[row], row); err != nil {
			return err
		}
	}
	return nil
}

// slotsFor makes slots outside the table.
func (p *partial) slotsFor(columns int) []int32 {
	var out []int32
	for range columns {
		out = append(out, p.loose())
	}
	return out
}

// sum adds the rows to the totals of the columns, where they are wanted.
func (w *layout) sum(rows []int32) error {
	if w.beneath == nil {
		return nil
	}
	for _, row := range rows {
		for i, slot := range w.find(row) {
			if slot >= 0 {
				if err := w.sums.mergeSlot(w.beneath[i], w.part.accs, slot); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// shared tells whether a calculation is a share, which is of a total.
func (w *layout) shared() bool {
	return slices.ContainsFunc(w.part.accs, func(a calc.Acc) bool { _, ok := a.(*calc.Share); return ok })
}

// into merges the cells of a row into a slot.
func (w *layout) into(slot, row int32) error {
	for i, s := range w.find(row) {
		if s >= 0 && !w.columns[i].total {
			if err := w.part.mergeSlot(slot, w.part.accs, s); err != nil {
				return err
			}
		}
	}
	return nil
}

// share tells the shares which column is written next.
func (w *layout) share(column int) {
	for k, a := range w.part.accs {
		if share, ok := a.(*calc.Share); ok {
			of := w.sums.accs[k].(*calc.Share)
			share.Total = func(int32) (decimal.D, bool) { return of.Sum(w.beneath[column]) }
		}
	}
}

// emit writes the rows, in batches of a bounded number of cells.
func (w *layout) emit(ctx context.Context, rows []int32, balance bool, s *step.Context, out step.Out) error {
	p := w.part
	if balance {
		defer func() { s.Counters.FilledOut += w.filled }()
	}
	width := w.keys + len(w.columns)*len(p.accs)
	most := max(16, 32<<10/max(1, width)) // at least a tile of the writer's
	b := table.Get()
	for from := 0; from < len(rows); from += most {
		if err := context.Cause(ctx); err != nil {
			return err
		}
		some := rows[from:min(from+most, len(rows))]
		w.begin(b, width, len(some))
		w.ahead(some[0])
		for r, row := range some {
			for i, v := range p.down.Values[row] {
				b.Cols[i].Cells[r] = v
			}
			w.slots, w.next = w.next, w.slots
			slots := w.slots
			if r+1 < len(some) {
				w.ahead(some[r+1])
			}
			w.row(slots)
		}
		w.lay(b, len(some))
		if err := out.Emit(b); err != nil {
			return err
		}
	}
	return nil
}

// ahead finds the slots of the next row and asks memory for them.
func (w *layout) ahead(row int32) {
	w.slots, w.next = w.next, w.slots
	w.find(row)
	w.slots, w.next = w.next, w.slots
	for _, a := range w.part.accs {
		calc.Ahead(a, w.next)
	}
}

func (w *layout) begin(b *table.Batch, width, rows int) {
	b.Shape(width)
	for i := range width {
		b.Cols[i].Make(rows)
	}
	b.Rows, b.Origin = rows, table.Origin{}
	w.text, w.ends = nil, w.ends[:0] // cells of the batch view the text
}

// row appends the cells of a row to the text.
func (w *layout) row(slots []int32) {
	shared := w.shared()
	for c, slot := range slots {
		if shared {
			w.share(c)
		}
		for _, a := range w.part.accs {
			n := len(w.text)
			if slot < 0 {
				w.text = append(w.text, w.empty...)
			} else if w.text = a.Append(w.text, slot); len(w.text) > n {
				w.filled++
			}
			w.ends = append(w.ends, len(w.text))
		}
	}
}

// lay cuts the text into cells.
func (w *layout) lay(b *table.Batch, rows int) {
	s := view.String(w.text)
	at, n, measures := 0, 0, len(w.part.accs)
	for r := range rows {
		for c := range w.columns {
			for k := range measures {
				i := w.keys + c*measures + k
				if w.byMeasure {
					i = w.keys + k*len(w.columns) + c
				}
				b.Cols[i].Cells[r] = s[at:w.ends[n]]
				at = w.ends[n]
				n++
			}
		}
	}
}

// totalRow writes the row beneath.
func (w *layout) totalRow(name string, out step.Out) error {
	b := table.Get()
	w.begin(b, w.keys+len(w.columns)*len(w.part.accs), 1)
	for i := range w.keys {
		b.Cols[i].Cells[0] = ""
	}
	b.Cols[0].Cells[0] = name
	w.part = w.sums
	w.row(w.beneath)
	w.lay(b, 1)
	return out.Emit(b)
}
