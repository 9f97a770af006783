package rowwise

import (
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// rewriting is the work of a step that makes each cell of some fields anew, one at a time.
type rewriting struct {
	in     *table.Schema
	fields []int
	s      *step.Context
	// cell gives what a cell becomes, "" in reason where it fits; index counts the fields.
	cell func(index int, cell string) (out, reason string, tries []string)

	// unfit gives what a cell that does not fit becomes; nil: its row does not fit.
	unfit func(cell string) string

	dst, sub *table.Batch
	kept     []int32
	scratch  []string
}

// run makes the cells of a batch anew. Rows with a cell that does not fit are dealt with by the site.
func (w *rewriting) run(src *table.Batch, emit func(*table.Batch) error) error {
	if w.dst == nil {
		w.dst, w.sub = table.Get(), table.Get()
	}
	dst := w.dst
	dst.Shape(len(src.Cols))
	for i := range src.Cols {
		dst.Cols[i].Borrow(&src.Cols[i])
	}
	var bad map[int]step.Misfit // the first of each row, in the order of the fields
	changed := int64(0)
	for k, i := range w.fields {
		var cells []string
		cells, w.scratch = src.Cols[i].Flat(src.Rows, w.scratch)
		out := dst.Cols[i].Make(src.Rows)
		for r, c := range cells {
			made, reason, tries := w.cell(k, c)
			if reason != "" && w.unfit != nil {
				w.s.Misfit(w.in, src, r, i, reason)
				if out[r] = w.unfit(c); out[r] != c {
					changed++
				}
				continue
			}
			if reason != "" {
				if _, ok := bad[r]; !ok {
					if bad == nil {
						bad = map[int]step.Misfit{}
					}
					bad[r] = step.Misfit{Field: i, Reason: reason, Tries: tries}
				}
				continue
			}
			if out[r] = made; made != c {
				changed++
			}
		}
	}
	dst.Rows, dst.Origin = src.Rows, src.Origin
	if len(bad) == 0 && changed == 0 { // as it was read it is written sooner
		return emit(src)
	}
	if len(bad) == 0 {
		w.s.Counters.Count[0] += changed
		return emit(dst)
	}
	w.kept = w.kept[:0]
	var stop error
	for r := range src.Rows {
		m, ok := bad[r]
		if !ok {
			w.kept = append(w.kept, int32(r))
			continue
		}
		if stop = w.s.Unfit(w.in, src, r, m.Field, m.Reason, m.Tries...); stop != nil {
			break
		}
	}
	if len(w.kept) > 0 {
		w.count(src, dst, w.kept)
		w.sub.Gather(dst, w.kept)
		if err := emit(w.sub); err != nil {
			return err
		}
	}
	return stop
}

// count counts the cells that were changed in some rows.
func (w *rewriting) count(src, dst *table.Batch, rows []int32) {
	for _, i := range w.fields {
		for _, r := range rows {
			if dst.Cols[i].Cells[r] != src.Cols[i].At(int(r)) {
				w.s.Counters.Count[0]++
			}
		}
	}
}
