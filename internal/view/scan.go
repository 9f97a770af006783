package view

import (
	"encoding/binary"
	"math/bits"
	"unsafe"
)

const (
	ones = 0x0101010101010101
	low7 = 0x7f * ones
	high = 0x80 * ones
)

// zeros marks the zero bytes of w by their high bits, exactly.
func zeros(w uint64) uint64 { return ^((w&low7 + low7) | w | low7) }

// Separators stores where delimiters and line feeds stand, eight bytes at a
// time, as long as there is room in to. It gives how many bytes it read, how
// many it stored, and the bits of all bytes, or-ed. base is what data[0] counts as, and delims
// the delimiter in each of eight bytes.
//
//go:noinline
func Separators(data []byte, base uint32, delims uint64, to []uint32) (read, stored int, all uint64) {
	const feeds = '\n' * ones
	k, i := 0, 0
	out := unsafe.Pointer(unsafe.SliceData(to))
	for ; i+8 <= len(data) && k+8 <= len(to); i += 8 {
		w := binary.LittleEndian.Uint64(data[i:])
		all |= w
		// As zeros does it, for both at once.
		x, y := w^delims, w^feeds
		m := ^((x&low7 + low7 | x) & (y&low7 + low7 | y)) & high
		// Two are stored whether they are there or not: how many there are
		// can't be foretold, and a wrong guess costs more than the stores.
		at := base + uint32(i)
		next := m & (m - 1)
		*(*[2]uint32)(unsafe.Add(out, 4*k)) = [2]uint32{at + uint32(bits.TrailingZeros64(m)>>3), at + uint32(bits.TrailingZeros64(next)>>3)}
		n := int(m >> 7 * ones >> 56)
		if n > 2 {
			m = next
			for j := k + 2; j < k+n; j++ {
				m &= m - 1
				to[j] = at + uint32(bits.TrailingZeros64(m)>>3)
			}
		}
		k += n
	}
	return i, k, all
}

// SeparatorsToQuote is Separators up to the first quote.
//
//go:noinline
func SeparatorsToQuote(data []byte, base uint32, delims uint64, to []uint32) (read, stored int) {
	const (
		feeds  = '\n' * ones
		quotes = '"' * ones
	)
	k, i := 0, 0
	out := unsafe.Pointer(unsafe.SliceData(to))
	for ; i+8 <= len(data) && k+8 <= len(to); i += 8 {
		w := binary.LittleEndian.Uint64(data[i:])
		x, y := w^delims, w^feeds
		m := ^((x&low7 + low7 | x) & (y&low7 + low7 | y)) & high
		if q := zeros(w ^ quotes); q != 0 {
			for m &= q&-q - 1; m != 0; m &= m - 1 {
				to[k] = base + uint32(i+bits.TrailingZeros64(m)>>3)
				k++
			}
			return i + bits.TrailingZeros64(q)>>3, k
		}
		at := base + uint32(i)
		next := m & (m - 1)
		*(*[2]uint32)(unsafe.Add(out, 4*k)) = [2]uint32{at + uint32(bits.TrailingZeros64(m)>>3), at + uint32(bits.TrailingZeros64(next)>>3)}
		n := int(m >> 7 * ones >> 56)
		if n > 2 {
			m = next
			for j := k + 2; j < k+n; j++ {
				m &= m - 1
				to[j] = at + uint32(bits.TrailingZeros64(m)>>3)
			}
		}
		k += n
	}
	return i, k
}

// Cut makes cells of a text: the first from start to the first of ends, each of the others from behind the one
// before ends[k] to ends[k], where k goes on by stride. Each has a place in the text, also where it is blank.
func (t Text) Cut(cells []string, start uint32, ends []uint32, stride int) {
	base, k := unsafe.Pointer(unsafe.SliceData(t)), 0
	for r := range cells {
		end := ends[k]
		if start > end || int(end) > len(t) {
			panic("view: a cell that ends before it begins, or behind its text")
		}
		cells[r] = unsafe.String((*byte)(unsafe.Add(base, start)), int(end-start))
		if k += stride; r+1 < len(cells) {
			start = ends[k-1] + 1
		}
	}
}
