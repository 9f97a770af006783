package reshape

import (
	"math/bits"
	"slices"
	"unicode/utf8"

	"revuelta/internal/step"
	"revuelta/internal/view"
)

// bounds are where the pieces of many cells of one text begin and end. They
// are found without asking at every byte whether it is a separator: how often
// that is so can't be foretold, and a wrong guess of the processor costs more than to
// store what may not be there. [exploder.cut], which goes one by one, is the oracle.
type bounds struct {
	text     view.Text // from the first cell through the last
	from, to []uint32  // offsets in it
	rows     []int32   // where the pieces of each cell end
}

// find finds the pieces of cells that follow each other in one text; false
// where it is better done one by one, as with blank cells.
func (b *bounds) find(in view.Text, cells []string, sep byte) bool {
	const ones, low7 = 0x0101010101010101, 0x7f * 0x0101010101010101
	const gather8 = 0x0102040810204080 // puts the lowest bits of eight bytes side by side
	const largest = 1 << 22
	if len(cells) == 0 {
		return false
	}
	first, last := in.At(cells[0]), in.At(cells[len(cells)-1])+len(cells[len(cells)-1])
	if cells[0] == "" || first < 0 || last <= first || last-first > largest { // after a join they may go back
		return false
	}
	text := in[first:last]
	b.text = text
	size := len(text)
	if most := size + len(cells) + 16; most > len(b.from) { // each cell has a piece more than separators
		b.from, b.to = make([]uint32, most+most/4), make([]uint32, most+most/4)
	}
	from, to := b.from, b.to
	b.rows = slices.Grow(b.rows[:0], len(cells))[:len(cells)]
	rows := b.rows
	seps := uint64(sep) * ones
	k, behind := 0, 0
	for r := 0; r < len(cells); r++ {
		cell := cells[r]
		start := text.At(cell)
		if start >= behind {
			if n := view.Pieces(text, cells[r:], sep, from[k:], to[k:], rows[r:]); n > 0 {
				for i := range rows[r : r+n] {
					rows[r+i] += int32(k)
				}
				r += n - 1
				k, behind = int(rows[r]), text.At(cells[r])+len(cells[r])
				continue
			}
		}
		if cell == "" || start < behind { // a row that stands twice, as after a join, comes to the same place again
			return false
		}
		behind = start + len(cell)
		from[k] = uint32(start)
		for done := 0; done < len(cell); done += 64 {
			// The separators of up to 64 bytes, a bit for each.
			n := min(64, len(cell)-done)
			found := uint64(0)
			at := start + done
			if whole := (n + 7) &^ 7; at+whole <= size {
				for i := 0; i < n; i += 8 { // what is read behind the cell is taken off below
					x := text.Load8(at+i) ^ seps
					m := ^((x&low7 + low7) | x | low7)
					found |= m >> 7 * gather8 >> 56 << (i & 63)
				}
			} else {
				for i := range n {
					if text[at+i] == sep {
						found |= 1 << i
					}
				}
			}
			found &= ^uint64(0) >> ((64 - n) & 63)
			count := bits.OnesCount64(found)
			origin := uint32(start + done)
			for j := k; ; j += 4 { // four are stored whether they are there or not
				one := origin + uint32(bits.TrailingZeros64(found))
				found &= found - 1
				two := origin + uint32(bits.TrailingZeros64(found))
				found &= found - 1
				three := origin + uint32(bits.TrailingZeros64(found))
				found &= found - 1
				four := origin + uint32(bits.TrailingZeros64(found))
				found &= found - 1
				view.Put4(to, j, [4]uint32{one, two, three, four})
				view.Put4(from, j+1, [4]uint32{one + 1, two + 1, three + 1, four + 1})
				if found == 0 {
					break
				}
			}
			k += count
		}
		to[k] = uint32(start + len(cell))
		k++
		rows[r] = int32(k)
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
		piece := b.text.Cell(int(from), int(to))
		if c, z := piece[0], piece[len(piece)-1]; c-'!' >= utf8.RuneSelf-'!' || z-'!' >= utf8.RuneSelf-'!' {
			if piece = step.Trim(piece); piece == "" {
				return list[:0], false
			}
		}
		list[i] = piece
	}
	return list, true
}
