package joining

import (
	"encoding/binary"

	"revuelta/internal/table"
	"revuelta/internal/view"
)

// joinedCells holds the cells that rows of another table bring, those of a row side by side as they would stand in delimited
// text: one access to memory for a row, which the writer then copies in one piece.
type joinedCells struct {
	// text has for each row where its cells end, counted from the first one's
	// beginning, in four bytes each, and the cells with a mark between them.
	text   view.Text
	at     []int // where each row stands; first a row of blanks, then the row of number 0
	fields int
}

const cellMark = ','

// layOut takes the cells of some columns.
func (t *joinedCells) layOut(columns [][]string, fields []int, rows int) {
	t.fields = len(fields)
	t.at = make([]int, 0, rows+1)
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
			binary.LittleEndian.PutUint32(t.text[ends+4*k:], uint32(len(t.text)-start))
			t.text = append(t.text, cellMark)
		}
	}
}

// fill fills columns of dst from one on with what rows bring; row -1 brings blanks.
func (t *joinedCells) fill(dst *table.Batch, from int, rows []int32, absent func(int) table.Absent) {
	for k := range t.fields {
		c := &dst.Cols[from+k]
		c.Make(len(rows))
		c.Absent = absent(k)
		c.Place(t.text, k)
	}
	text := t.text
	// Where the cells of some rows end is loaded first, so that no row waits in memory for another.
	const burst = 64
	var ends [burst]uint64
	switch t.fields {
	case 0:
	case 1:
		for first := 0; first < len(rows); first += burst {
			some, one := rows[first:min(first+burst, len(rows))], dst.Cols[from].Cells[first:]
			for r, p := range some {
				ends[r] = uint64(t.end(t.at[p+1]))
			}
			for r, p := range some {
				at := t.at[p+1] + 4
				one[r] = text.Cell(at, at+int(ends[r]))
			}
		}
	case 2:
		for first := 0; first < len(rows); first += burst {
			some, one, two := rows[first:min(first+burst, len(rows))], dst.Cols[from].Cells[first:], dst.Cols[from+1].Cells[first:]
			for r, p := range some {
				ends[r] = text.Load8(t.at[p+1])
			}
			for r, p := range some {
				at := t.at[p+1] + 8
				middle := at + int(uint32(ends[r]))
				one[r], two[r] = text.Cell(at, middle), text.Cell(middle+1, at+int(ends[r]>>32))
			}
		}
	default:
		for r, p := range rows {
			row := t.at[p+1]
			first := row + 4*t.fields
			begin := 0
			for k := range t.fields {
				end := t.end(row + 4*k)
				dst.Cols[from+k].Cells[r] = text.Cell(first+begin, first+end)
				begin = end + 1
			}
		}
	}
}

// end is where a cell ends, as it stands at a place of the text.
func (t *joinedCells) end(at int) int { return int(t.text.Load4(at)) }
