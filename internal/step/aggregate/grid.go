package aggregate

import (
	"slices"

	"revuelta/internal/view"
)

// grid finds the slot of a row and an across key: the first keys across in an
// array of all rows, the others in a sorted list of each row, or, where that would be long, in an array of the row.
type grid struct {
	rows   int
	stride int     // keys across in near
	near   []int32 // slot + 1
	far    []farCells
}

// farCells are sorted, or by key: slot + 1 of each key from 0 on.
type farCells struct{ cols, slots, all []int32 }

const (
	nearCols  = 64
	longList  = 512 // what is put into a longer list takes its time
	fewBlanks = 8   // an array may have that many places for each slot
)

func (f *farCells) get(col int32) int32 {
	if f.all != nil {
		if int(col) < len(f.all) {
			return f.all[col] - 1
		}
		return -1
	}
	if i, ok := slices.BinarySearch(f.cols, col); ok {
		return f.slots[i]
	}
	return -1
}

func (f *farCells) put(col, slot int32) {
	if f.all == nil {
		i := len(f.cols)
		if i > 0 && f.cols[i-1] > col {
			i, _ = slices.BinarySearch(f.cols, col)
		}
		if n := len(f.cols); i == n || n < longList || int(f.cols[n-1]) > fewBlanks*n {
			f.cols, f.slots = slices.Insert(f.cols, i, col), slices.Insert(f.slots, i, slot)
			return
		}
		f.all = make([]int32, f.cols[len(f.cols)-1]+1)
		for i, c := range f.cols {
			f.all[c] = f.slots[i] + 1
		}
		f.cols, f.slots = nil, nil
	}
	for len(f.all) <= int(col) {
		f.all = append(f.all, 0)
	}
	f.all[col] = slot + 1
}

func (f *farCells) each(do func(col, slot int32)) {
	for i, c := range f.cols {
		do(c, f.slots[i])
	}
	for c, s := range f.all {
		if s > 0 {
			do(int32(c), s-1)
		}
	}
}

func (g *grid) get(row, col int32) int32 {
	if int(col) < g.stride {
		return g.near[int(row)*g.stride+int(col)] - 1
	}
	if int(row) < len(g.far) {
		return g.far[row].get(col)
	}
	return -1
}

// ahead asks memory for the slots of some rows, below 0 for one that has none yet.
func (g *grid) ahead(rows, cols []int32) {
	const burst = 128
	var at [burst]int32
	for i, row := range rows[:min(burst, len(rows), len(cols))] {
		at[i] = max(0, row)*int32(g.stride) + cols[i]
	}
	view.AheadShort(g.near, at[:min(burst, len(rows), len(cols))])
}

// addRow makes room for a further row.
func (g *grid) addRow() {
	g.rows++
	g.near = view.More(g.near, g.stride)
	for range g.stride {
		g.near = append(g.near, 0)
	}
}

// widen makes room for so many keys across.
func (g *grid) widen(cols int) {
	if cols <= g.stride || g.stride == nearCols {
		return
	}
	wide := min(nearCols, (cols+7)/8*8)
	near := make([]int32, g.rows*wide, max(g.rows, cap(g.near)/max(1, g.stride))*wide)
	for r := range g.rows {
		copy(near[r*wide:], g.near[r*g.stride:(r+1)*g.stride])
	}
	g.near, g.stride = near, wide
}

func (g *grid) put(row, col, slot int32) {
	g.widen(int(col) + 1)
	if int(col) < g.stride {
		g.near[int(row)*g.stride+int(col)] = slot + 1
		return
	}
	for len(g.far) <= int(row) {
		g.far = append(g.far, farCells{})
	}
	g.far[row].put(col, slot)
}

// each goes through the slots of a row.
func (g *grid) each(row int32, f func(col, slot int32)) {
	for c, s := range g.near[int(row)*g.stride : (int(row)+1)*g.stride] {
		if s > 0 {
			f(int32(c), s-1)
		}
	}
	if int(row) < len(g.far) {
		g.far[row].each(f)
	}
}
