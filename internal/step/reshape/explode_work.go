package reshape

import (
	"strconv"

	"revuelta/internal/table"
)

// mostValues is about how many rows are emitted together.
const mostValues = 8192

// emit emits the values of the rows of src, whose ends are known.
func (w *exploder) emit(src *table.Batch, emit func(*table.Batch) error) error {
	// The other fields as plain cells, which the values of a row share.
	w.runs = w.runs[:0]
	for len(w.spare) < len(src.Cols) {
		w.spare = append(w.spare, nil)
	}
	for i := range src.Cols {
		var cells []string
		if w.places[i] < 0 {
			cells, w.spare[i] = src.Cols[i].Flat(src.Rows, w.spare[i])
		}
		w.runs = append(w.runs, cells)
	}
	from, row := int32(0), 0
	for row < src.Rows {
		first, to := row, from
		w.windows = w.windows[:0]
		for row < src.Rows && to < from+mostValues {
			end := min(w.ends[row], from+2*mostValues) // a row with very many values is parted
			to = end
			w.windows = append(w.windows, to-from)
			if end < w.ends[row] {
				break
			}
			row++
		}
		w.window(src, first, from, to)
		if err := emit(w.dst); err != nil {
			return err
		}
		from = to
	}
	return nil
}

// window makes the batch of the values from one to another, which belong to the rows from first on.
func (w *exploder) window(src *table.Batch, first int, from, to int32) {
	dst := w.dst
	dst.Shape(len(w.source))
	if w.e.Position != "" {
		dst.Shape(len(w.source) + 1)
	}
	rows := len(w.windows)
	for c, i := range w.source {
		if i >= 0 {
			dst.Cols[c].ShareRuns(&src.Cols[i], w.runs[i][first:first+rows], w.windows)
			continue
		}
		cells := w.lists[w.values[c]][from:to]
		dst.Cols[c].Share(cells, w.absent(src, w.values[c]))
		w.s.Counters.FilledOut += int64(dst.Cols[c].Filled(len(cells)))
	}
	dst.Rows = int(to - from)
	dst.Origin = src.Origin.From(first, first+rows)
	dst.Origin.Ends = w.windows
	if w.e.Position == "" {
		return
	}
	numbers := dst.Cols[len(w.source)].Make(dst.Rows)
	dst.Cols[len(w.source)].Absent = table.AbsentAll
	i := int32(0)
	for k, end := range w.windows {
		start, r := int32(0), first+k
		if r > 0 {
			start = w.ends[r-1]
		}
		for ; i < end; i++ {
			numbers[i] = ""
			if !w.blank[r] {
				numbers[i] = strconv.Itoa(int(from + i - start + 1))
			}
		}
	}
}

// absent is what the values of a list are known not to hold: pieces of cells lack what the cells do.
func (w *exploder) absent(src *table.Batch, list int) table.Absent {
	if w.e.JSON {
		return 0
	}
	return src.Cols[w.fields[list]].Absent
}
