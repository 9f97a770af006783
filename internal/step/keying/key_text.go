// Package keying gives rows keys: what --by, --down and --across take, numbers for texts and for combinations of
// them, and fingerprints by which rows are told apart. Keys are compared byte for byte. It keeps no cell but clones.
package keying

import "revuelta/internal/table"

// RowKey makes one text of some cells of a row, different for different cells.
func RowKey(fields []int) func(*table.Batch, int) string {
	var buf []byte
	return func(b *table.Batch, row int) string {
		buf = buf[:0]
		for _, i := range fields {
			buf = AppendKey(buf, b.Cols[i].At(row))
		}
		return string(buf)
	}
}

// AppendKey appends a cell so that the keys of different rows differ: its length, then its bytes.
func AppendKey(buf []byte, cell string) []byte {
	n := len(cell)
	for n >= 0x80 {
		buf = append(buf, byte(n)|0x80)
		n >>= 7
	}
	return append(append(buf, byte(n)), cell...)
}
