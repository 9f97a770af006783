package reshape

import (
	"fmt"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/step"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// Counters of the counters.
const (
	blankGroups = 0 // rows not made because their cells are blank
	goneRows    = 1 // input rows of which nothing was left
)

func (f *unpivoting) tell(skip bool) func(*step.Counters) string {
	return func(t *step.Counters) string {
		combos := diag.Plural(int64(len(f.groups)), "combination")
		if len(f.labels) == 1 {
			combos = diag.Plural(int64(len(f.groups)), f.labels[0])
		}
		s := fmt.Sprintf("%s folded: %s x %s", diag.Plural(int64(len(f.folded)), "field"), diag.Plural(t.In, "row"), combos)
		if len(f.labels) > 1 {
			s += " of " + strings.Join(f.labels, ", ")
		}
		if len(f.values) > 1 {
			s += fmt.Sprintf(", %d measures", len(f.values))
		}
		if !skip {
			return s
		}
		if len(f.values) > 1 {
			s += fmt.Sprintf("; %s with only blanks left out", diag.Plural(t.Count[blankGroups], "combination"))
		} else {
			s += fmt.Sprintf("; %s left out", diag.Plural(t.Count[blankGroups], "blank cell"))
		}
		if n := t.Count[goneRows]; n > 0 {
			s += fmt.Sprintf(", %s went out whole", diag.Plural(n, "row"))
		}
		return s
	}
}

// unpivoter is the work of one worker.
type unpivoter struct {
	f      *unpivoting
	s      *step.Context
	in     *table.Schema
	per    int // input rows at a time
	codes  []int32
	ends   []int32
	labels [][]string
	skip   bool
	dst    *table.Batch
	cells  [][]string   // of each column but of those left in the grid
	flat   [][]string   // cells of the columns that are not plain
	parts  [][][]string // of each value column
	turns  [][]int32    // of each value column: the field of each combination
	folded []int32
	gone   []int32
	lines  []int32
}

// byPlace tells which fields are taken by their places: all that are folded.
func (f *unpivoting) byPlace(fields int) []bool {
	is := make([]bool, fields)
	for _, i := range f.folded {
		is[i] = true
	}
	return is
}

// grid is what all folded fields lie in; nil where one does not.
func (w *unpivoter) grid(src *table.Batch) *view.Grid {
	g, _ := src.Cols[w.f.folded[0]].Grid()
	for _, i := range w.f.folded {
		if other, field := src.Cols[i].Grid(); other == nil || other != g || int(field) != i {
			return nil
		}
	}
	return g
}

func (w *unpivoter) run(src *table.Batch, emit func(*table.Batch) error) error {
	if w.flat == nil {
		w.flat, w.cells = make([][]string, len(src.Cols)), make([][]string, len(src.Cols))
	}
	grid := w.grid(src)
	for i := range src.Cols {
		if c := &src.Cols[i]; grid == nil || c.Kind != table.Placed {
			w.cells[i], w.flat[i] = c.Flat(src.Rows, w.flat[i])
		}
	}
	for from := 0; from < src.Rows; from += w.per {
		to := min(from+w.per, src.Rows)
		if w.skip {
			w.skipping(src, from, to)
		} else {
			w.all(src, grid, from, to)
		}
		if w.dst.Rows == 0 {
			continue
		}
		if err := emit(w.dst); err != nil {
			return err
		}
	}
	return nil
}

// all makes all rows of the input rows from one to another.
func (w *unpivoter) all(src *table.Batch, grid *view.Grid, from, to int) {
	f, dst := w.f, w.dst
	n, each := to-from, len(f.groups)
	dst.Shape(len(f.kept) + len(f.labels) + len(f.values))
	dst.Rows = n * each
	for i, k := range f.kept {
		dst.Cols[i].ShareRuns(&src.Cols[k], w.cells[k][from:to], w.ends[:n])
	}
	for i, values := range w.labels {
		dst.Cols[len(f.kept)+i].ShareCodes(values, w.codes[:n*each], 0)
	}
	tally := &w.s.Counters
	if w.parts == nil {
		w.parts = make([][][]string, len(f.values))
		for v := range f.values {
			w.parts[v] = make([][]string, each)
		}
	}
	for v := range f.values {
		absent := table.AbsentAll
		for g := range f.groups {
			i := f.groups[g].fields[v]
			if i < 0 {
				continue
			}
			if grid == nil {
				w.parts[v][g] = w.cells[i][from:to]
			}
			absent &= src.Cols[i].Absent
		}
		col := &dst.Cols[len(f.kept)+len(f.labels)+v]
		if grid != nil {
			col.TakeTurns(grid, w.turns[v], from, n, absent)
		} else {
			col.Interleave(w.parts[v], absent)
		}
	}
	// Counted where they lie on either side: a cell interleaved wrongly shows.
	if grid != nil {
		tally.FilledIn += int64(grid.Filled(w.folded, from, to))
	} else {
		for _, i := range f.folded {
			tally.FilledIn += int64(src.Cols[i].FilledBetween(from, to))
		}
	}
	for v := range f.values {
		tally.FilledOut += int64(dst.Cols[len(f.kept)+len(f.labels)+v].Filled(n * each))
	}
	tally.Cells.In += int64(n * len(f.folded))
	tally.Cells.Out += int64(n * f.headers)
	tally.Made += int64(n * (each - 1))
	origin := src.Origin.From(from, to)
	dst.Origin.Repeat(&origin, each, n)
}

// skipping makes the rows that are not blank.
func (w *unpivoter) skipping(src *table.Batch, from, to int) {
	f, dst := w.f, w.dst
	each, most := len(f.groups), (to-from)*len(f.groups)
	dst.Shape(len(f.kept) + len(f.labels) + len(f.values))
	kept := make([][]string, len(f.kept))
	runs, ends := make([][]string, len(f.kept)), make([][]int32, len(f.kept))
	for i, k := range f.kept {
		kept[i] = w.cells[k]
		runs[i], ends[i] = dst.Cols[i].MakeRuns(to - from)
		dst.Cols[i].Absent = src.Cols[k].Absent
		dst.Cols[i].PlaceAs(&src.Cols[k])
	}
	codes := make([][]int32, len(f.labels))
	for i, values := range w.labels {
		codes[i] = dst.Cols[len(f.kept)+i].MakeCodes(values, most)
	}
	out := make([][]string, len(f.values))
	wide := make([][][]string, len(f.values))
	for v := range f.values {
		col := &dst.Cols[len(f.kept)+len(f.labels)+v]
		out[v] = col.Make(most)
		absent := table.AbsentAll
		wide[v] = make([][]string, each)
		for g := range f.groups {
			if i := f.groups[g].fields[v]; i >= 0 {
				wide[v][g] = w.cells[i]
				absent &= src.Cols[i].Absent
				w.s.Counters.FilledIn += int64(src.Cols[i].FilledBetween(from, to))
			}
		}
		col.Absent = absent
	}
	w.s.Counters.Cells.In += int64((to - from) * len(f.folded))
	n, run := 0, 0
	w.lines = w.lines[:0]
	w.gone = w.gone[:0]
	tally := &w.s.Counters
	for r := from; r < to; r++ {
		before := n
		for g := range each {
			blank := true
			for v := range wide {
				if c := wide[v][g]; c != nil && c[r] != "" {
					blank = false
					break
				}
			}
			if blank {
				tally.Count[blankGroups]++
				tally.Cells.LeftOut += int64(f.groups[g].headers)
				continue
			}
			for v := range wide {
				s := ""
				if c := wide[v][g]; c != nil {
					s = c[r]
				}
				out[v][n] = s
			}
			for i := range codes {
				codes[i][n] = int32(g)
			}
			tally.Cells.Out += int64(f.groups[g].headers)
			w.lines = append(w.lines, int32(r))
			n++
		}
		if n == before {
			w.gone = append(w.gone, int32(r))
			continue
		}
		tally.Made += int64(n - before - 1)
		for i := range runs {
			runs[i][run], ends[i][run] = kept[i][r], int32(n)
		}
		run++
	}
	tally.Count[goneRows] += int64(len(w.gone))
	w.s.Leave(w.in, src, w.gone, step.Cause{Field: step.NoField, Reason: "all folded cells are blank"})
	for i := range runs {
		dst.Cols[i].Cells, dst.Cols[i].Ends = runs[i][:run], ends[i][:run]
	}
	for i := range codes {
		dst.Cols[len(f.kept)+i].Codes = codes[i][:n]
	}
	for v := range out {
		col := &dst.Cols[len(f.kept)+len(f.labels)+v]
		col.Cells = out[v][:n]
		tally.FilledOut += int64(col.Filled(n))
	}
	dst.Rows = n
	dst.Origin.Derive(&src.Origin, w.lines)
}
