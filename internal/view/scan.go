package view

import (
	"bytes"
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

// Seen tells which kinds of bytes a text has.
type Seen uint8

// Kinds of bytes: beyond ASCII, carriage returns, NULs.
const (
	SeenHigh Seen = 1 << iota
	SeenReturn
	SeenNUL
)

// Separators stores where delimiters and line feeds stand, as long as there is room in to and at least eight bytes are left. It
// gives how many bytes it read, how many places it stored, and what kinds of bytes are among those it read. base is what
// data[0] counts as.
func Separators(data []byte, base uint32, delimiter byte, to []uint32) (read, stored int, seen Seen) {
	if wide && len(data) >= 64 && len(to) >= 64 {
		read, stored, seen = separators64(unsafe.Pointer(unsafe.SliceData(data)), len(data)/64, base, delimiter, unsafe.Pointer(unsafe.SliceData(to)), len(to))
	}
	n, k, rest := separators8(data[read:], base+uint32(read), delimiter, to[stored:])
	return read + n, stored + k, seen | rest
}

// separators8 is [Separators] eight bytes at a time.
//
//go:noinline
func separators8(data []byte, base uint32, delimiter byte, to []uint32) (read, stored int, seen Seen) {
	const feeds = '\n' * ones
	delims, all := uint64(delimiter)*ones, uint64(0)
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
	if all&high != 0 {
		seen |= SeenHigh
	}
	if bytes.IndexByte(data[:i], '\r') >= 0 {
		seen |= SeenReturn
	}
	if bytes.IndexByte(data[:i], 0) >= 0 {
		seen |= SeenNUL
	}
	return i, k, seen
}

// Quote is where a quote stands, and how many separators stand before it.
type Quote struct{ At, Separators uint32 }

// QuotedBlock is how many bytes [SeparatorsQuoted] reads at a time, and how much room it needs for them in both places.
const QuotedBlock = 64

// Quoted is what [SeparatorsQuoted] found.
type Quoted struct {
	Read, Stored, Quotes int
	Feeds                int // line feeds outside quotes
	Inside               bool
	Seen                 Seen
}

// SeparatorsQuoted is [Separators] for text with quotes, of which it reads whole blocks: it stores the separators outside quotes
// and where all quotes stand, as long as there is room for a block. inside tells whether data begins inside quotes.
func SeparatorsQuoted(data []byte, base uint32, delimiter byte, inside bool, to []uint32, quotes []Quote) (q Quoted) {
	if len(to) < QuotedBlock || len(quotes) < QuotedBlock {
		return Quoted{Inside: inside}
	}
	if !quotedWide {
		return quotedPlain(data, base, delimiter, inside, to, quotes)
	}
	var before, after uint64
	if inside {
		before = ^before
	}
	q.Read, q.Stored, q.Quotes, q.Feeds, after, q.Seen = quoted64(unsafe.Pointer(unsafe.SliceData(data)), len(data)/QuotedBlock, base, delimiter, before,
		unsafe.Pointer(unsafe.SliceData(to)), len(to), unsafe.Pointer(unsafe.SliceData(quotes)), len(quotes))
	q.Inside = after != 0
	return q
}

// QuotedQuick reports whether [SeparatorsQuoted] is quicker here than going from quote to quote.
func QuotedQuick() bool { return quotedWide }

// quotedPlain is [SeparatorsQuoted] byte by byte.
func quotedPlain(data []byte, base uint32, delimiter byte, inside bool, to []uint32, quotes []Quote) (q Quoted) {
	q.Inside = inside
	for q.Read+QuotedBlock <= len(data) && q.Stored+QuotedBlock <= len(to) && q.Quotes+QuotedBlock <= len(quotes) {
		for i, c := range data[q.Read : q.Read+QuotedBlock] {
			at := base + uint32(q.Read+i)
			switch {
			case c == '"':
				quotes[q.Quotes] = Quote{at, uint32(q.Stored)}
				q.Quotes++
				q.Inside = !q.Inside
			case (c == delimiter || c == '\n') && !q.Inside:
				to[q.Stored] = at
				q.Stored++
				if c == '\n' {
					q.Feeds++
				}
			}
			switch {
			case c == '\r':
				q.Seen |= SeenReturn
			case c == 0:
				q.Seen |= SeenNUL
			case c >= 0x80:
				q.Seen |= SeenHigh
			}
		}
		q.Read += QuotedBlock
	}
	return q
}

// SeparatorsToQuote is Separators up to the first quote.
//
//go:noinline
func SeparatorsToQuote(data []byte, base uint32, delimiter byte, to []uint32) (read, stored int) {
	const (
		feeds  = '\n' * ones
		quotes = '"' * ones
	)
	delims := uint64(delimiter) * ones
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

// Pieces finds the pieces between separators of cells that lie in the text one behind the other, each of up to 64 bytes: where
// they begin and end, and for each cell how many there are up to its end. It stops before a cell that is blank, longer or lies
// elsewhere, and gives how many it did, which may be none: where the processor is not made for it, or from and to have no room for
// so many pieces as there might be.
func Pieces(text Text, cells []string, separator byte, from, to []uint32, ends []int32) (done int) {
	most := len(text) + len(cells) + 8
	if !wide || !quotedWide || len(cells) == 0 || cap(text) < 64 || len(from) < most || len(to) < most || len(ends) < len(cells) {
		return 0
	}
	return pieces64(unsafe.Pointer(unsafe.SliceData(text)), len(text), cap(text)-64, unsafe.Pointer(unsafe.SliceData(cells)), len(cells), separator,
		unsafe.Pointer(unsafe.SliceData(from)), unsafe.Pointer(unsafe.SliceData(to)), unsafe.Pointer(unsafe.SliceData(ends)))
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
