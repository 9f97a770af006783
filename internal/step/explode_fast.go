package step

import (
	"encoding/binary"
	"math/bits"
	"slices"
	"unicode/utf8"
	"unsafe"
)

// bounds are where the pieces of many cells of one text begin and end. They
// are found without asking at every byte whether it is a separator: how often
// that is so can't be foretold, and a wrong guess of the processor costs more than to
// store what may not be there. [exploder.cut], which goes one by one, is the oracle.
type bounds struct {
	base     unsafe.Pointer // of the first cell
	from, to []uint32       // counted from there
	rows     []int32        // where the pieces of each cell end
}

// find finds the pieces of cells that follow each other in one text; false
// where it is better done one by one, as with blank cells.
func (b *bounds) find(cells []string, sep byte) bool {
	const ones, low7, high = 0x0101010101010101, 0x7f * 0x0101010101010101, 0x80 * 0x0101010101010101
	const largest = 1 << 22
	last := cells[len(cells)-1]
	if cells[0] == "" || last == "" {
		return false
	}
	b.base = unsafe.Pointer(unsafe.StringData(cells[0]))
	size := int(uintptr(unsafe.Pointer(unsafe.StringData(last)))-uintptr(b.base)) + len(last)
	if size < 0 || size > largest {
		return false
	}
	if size+8 > len(b.from) { // there are no more pieces than bytes
		b.from, b.to = make([]uint32, size+size/4+8), make([]uint32, size+size/4+8)
	}
	from, to := unsafe.Pointer(unsafe.SliceData(b.from)), unsafe.Pointer(unsafe.SliceData(b.to))
	b.rows = slices.Grow(b.rows[:0], len(cells))
	seps := uint64(sep) * ones
	k := 0
	for _, cell := range cells {
		p := unsafe.Pointer(unsafe.StringData(cell))
		start := int(uintptr(p) - uintptr(b.base))
		if cell == "" || start < 0 || start+len(cell) > size {
			return false
		}
		*(*uint32)(unsafe.Add(from, 4*k)) = uint32(start)
		i, whole := 0, len(cell)&^7
		for {
			var w uint64
			valid := ^uint64(0)
			switch {
			case i < whole:
				w = binary.LittleEndian.Uint64((*[8]byte)(unsafe.Add(p, i))[:])
			case start+i+8 <= size:
				w = binary.LittleEndian.Uint64((*[8]byte)(unsafe.Add(p, i))[:])
				valid = 1<<(8*(len(cell)-i)&63) - 1
			default:
				var rest [8]byte
				copy(rest[:], cell[i:])
				w = binary.LittleEndian.Uint64(rest[:])
				valid = 1<<(8*(len(cell)-i)&63) - 1
			}
			x := w ^ seps
			m := ^((x&low7 + low7) | x | low7) & high & valid
			next := m & (m - 1)
			one := uint32(start + i + bits.TrailingZeros64(m)>>3)
			two := uint32(start + i + bits.TrailingZeros64(next)>>3)
			*(*[2]uint32)(unsafe.Add(to, 4*k)) = [2]uint32{one, two}
			*(*[2]uint32)(unsafe.Add(from, 4*k+4)) = [2]uint32{one + 1, two + 1}
			n := int(m >> 7 * ones >> 56)
			if n > 2 {
				m = next
				for j := k + 2; j < k+n; j++ {
					m &= m - 1
					at := uint32(start + i + bits.TrailingZeros64(m)>>3)
					b.to[j], b.from[j+1] = at, at+1
				}
			}
			k += n
			if i += 8; i > whole {
				break
			}
		}
		*(*uint32)(unsafe.Add(to, 4*k)) = uint32(start + len(cell))
		k++
		b.rows = append(b.rows, int32(k))
	}
	return true
}

// pieces appends the pieces, trimmed; false where one is empty.
func (b *bounds) pieces(list []string) ([]string, bool) {
	n := int(b.rows[len(b.rows)-1])
	list = slices.Grow(list, n)[:n]
	for i, from := range b.from[:n] {
		to := b.to[i]
		if from == to {
			return list[:0], false
		}
		piece := unsafe.String((*byte)(unsafe.Add(b.base, from)), int(to-from))
		if c, z := piece[0], piece[len(piece)-1]; c <= ' ' || z <= ' ' || c >= utf8.RuneSelf || z >= utf8.RuneSelf {
			if piece = trim(piece); piece == "" {
				return list[:0], false
			}
		}
		list[i] = piece
	}
	return list, true
}
