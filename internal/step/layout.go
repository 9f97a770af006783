package step

import (
	"context"
	"unsafe"

	"revuelta/internal/calc"
	"revuelta/internal/decimal"
	"revuelta/internal/table"
)

// layout writes what was folded as rows.
type layout struct {
	columnOf []int32 // of each key across, -1: it is folded or dropped
	part     *part
	columns  []column
	keys     int
	empty    string

	slots   []int32 // of the row at hand, a column each, -1: no row fell there
	totalOf []int32 // of each row, where there is a total field
	beneath []int32 // of each column, where there is a total row
	filled  int64   // cells written that are not blank
	ends    []int
	text    []byte
	shares  []*calc.Share
}

// find gives the slots of a row: those there are, looked up by their keys.
func (w *layout) find(row int32) []int32 {
	if w.columnOf == nil {
		w.columnOf = make([]int32, len(w.part.across.values)+1)
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

// totals merges what is folded under others and what totals are made of.
func (w *layout) totals(rows []int32, field, beneath bool) error {
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
					return err
				}
			}
		}
		if err := p.conflict(); err != nil {
			return err
		}
	}
	if field {
		w.totalOf = make([]int32, p.grid.rows)
		for _, row := range rows {
			w.totalOf[row] = p.loose()
			if err := w.into(w.totalOf[row], row); err != nil {
				return err
			}
		}
	}
	var sums []int32
	for _, a := range p.accs {
		if share, ok := a.(*calc.Share); ok {
			w.shares = append(w.shares, share)
		}
	}
	if beneath || len(w.shares) > 0 {
		for range w.columns {
			sums = append(sums, p.loose())
		}
		for _, row := range rows {
			for i, slot := range w.find(row) {
				if slot >= 0 {
					if err := p.mergeSlot(sums[i], p.accs, slot); err != nil {
						return err
					}
				}
			}
		}
		w.beneath = sums
	}
	return nil
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
	for _, s := range w.shares {
		s.Total = func(int32) (decimal.D, bool) { return s.Sum(w.beneath[column]) }
	}
}

// emit writes the rows, in batches of a bounded number of cells.
func (w *layout) emit(ctx context.Context, rows []int32, balance bool, s *Site, out Out) error {
	p := w.part
	if balance {
		defer func() { s.Tally.FilledOut += w.filled }()
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
		for r, row := range some {
			for i, v := range p.down.values[row] {
				b.Cols[i].Cells[r] = v
			}
			w.row(w.find(row))
		}
		w.lay(b, len(some))
		if err := out.Emit(b); err != nil {
			return err
		}
	}
	return nil
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
	for c, slot := range slots {
		if w.shares != nil {
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
	s := unsafe.String(unsafe.SliceData(w.text), len(w.text))
	at, k := 0, 0
	for r := range rows {
		for i := w.keys; i < len(b.Cols); i++ {
			b.Cols[i].Cells[r] = s[at:w.ends[k]]
			at = w.ends[k]
			k++
		}
	}
}

// totalRow writes the row beneath.
func (w *layout) totalRow(name string, out Out) error {
	b := table.Get()
	w.begin(b, w.keys+len(w.columns)*len(w.part.accs), 1)
	for i := range w.keys {
		b.Cols[i].Cells[0] = ""
	}
	b.Cols[0].Cells[0] = name
	slots := make([]int32, len(w.columns))
	copy(slots, w.beneath)
	w.row(slots)
	w.lay(b, 1)
	return out.Emit(b)
}
