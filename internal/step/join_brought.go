package step

import (
	"encoding/binary"
	"sync/atomic"
	"unsafe"

	"revuelta/internal/table"
)

// brought holds the cells that rows of another table bring, those of a row side by side as they would stand in delimited
// text: one access to memory for a row, which the writer then copies in one piece.
type brought struct {
	// text has for each row where its cells end, counted from the first one's
	// beginning, in four bytes each, and the cells with a mark between them.
	text   []byte
	at     []int // where each row stands; first a row of blanks, then the row of number 0
	fields int
	seat   int32 // of the first of them, no other's in the program
}

const broughtMark = ','

// seats are given to what was not read as it lies: negative ones.
var seats atomic.Int32

// lay takes the cells of some columns.
func (t *brought) lay(columns [][]string, fields []int, rows int) {
	t.fields = len(fields)
	t.at = make([]int, 0, rows+1)
	t.seat = seats.Add(-int32(t.fields) - 1) // up to -2: the seat behind the last is nobody's, nor 0
	size := (rows + 1) * (5*t.fields + 1)
	for _, i := range fields {
		for _, c := range columns[i] {
			size += len(c)
		}
	}
	t.text = make([]byte, 0, size)
	for r := -1; r < rows; r++ {
		t.at = append(t.at, len(t.text))
		ends := len(t.text)
		t.text = append(t.text, make([]byte, 4*t.fields)...)
		start := len(t.text)
		for k, i := range fields {
			if r >= 0 {
				t.text = append(t.text, columns[i][r]...)
			}
			binary.NativeEndian.PutUint32(t.text[ends+4*k:], uint32(len(t.text)-start))
			t.text = append(t.text, broughtMark)
		}
	}
}

// bring fills columns of dst from one on with what rows bring; row -1 brings blanks.
func (t *brought) bring(dst *table.Batch, from int, rows []int32, lacks func(int) table.Lacks) {
	for k := range t.fields {
		c := &dst.Cols[from+k]
		c.Make(len(rows))
		c.Lacks, c.Seat = lacks(k), t.seat+int32(k)
	}
	text := unsafe.Pointer(unsafe.SliceData(t.text))
	switch t.fields {
	case 0:
	case 1:
		one := dst.Cols[from].Cells[:len(rows)]
		for r, p := range rows {
			row := unsafe.Add(text, t.at[p+1])
			one[r] = unsafe.String((*byte)(unsafe.Add(row, 4)), *(*uint32)(row))
		}
	case 2:
		one, two := dst.Cols[from].Cells[:len(rows)], dst.Cols[from+1].Cells[:len(rows)]
		for r, p := range rows {
			row := unsafe.Add(text, t.at[p+1])
			n, end := *(*uint32)(row), *(*uint32)(unsafe.Add(row, 4))
			one[r] = unsafe.String((*byte)(unsafe.Add(row, 8)), n)
			two[r] = unsafe.String((*byte)(unsafe.Add(row, 9+n)), end-n-1)
		}
	default:
		for r, p := range rows {
			row := unsafe.Add(text, t.at[p+1])
			cell, begin := unsafe.Add(row, 4*t.fields), uint32(0)
			for k := range t.fields {
				end := *(*uint32)(unsafe.Add(row, 4*k))
				dst.Cols[from+k].Cells[r] = unsafe.String((*byte)(unsafe.Add(cell, begin)), end-begin)
				begin = end + 1
			}
		}
	}
}
