package decimal

import (
	"encoding/binary"
	"math"
	"math/bits"
	"slices"

	"revuelta/internal/view"
)

// BurstSize is how many numbers a [Burst] holds.
const BurstSize = 128

// Burst is numbers that fit into 64 bits, side by side, so that a calculation
// goes through many at a time. Whoever works on it stops at the first that
// does not fit; that one is then a matter for [D], which also knows the errors.
type Burst struct {
	coef  [BurstSize]int64
	scale [BurstSize]int8 // blankScale: there is none
}

const blankScale = -1

// Parse reads cells, no more than BurstSize, as [Parse] does, a blank as none. It gives how many it read.
func (b *Burst) Parse(cells []string) int {
	var places [BurstSize]Place
	Places(cells, places[:])
	for i, s := range cells {
		if p := places[i]; p != NoPlace { // most numbers
			b.coef[i], b.scale[i] = int64(p&(1<<PlaceDigits-1)), int8(p>>PlaceDigits)
			continue
		}
		if coef, scale, ok := parseShort(s); ok {
			b.coef[i], b.scale[i] = coef, int8(scale)
			continue
		}
		if s == "" {
			b.coef[i], b.scale[i] = 0, blankScale
			continue
		}
		d, ok := Parse(s)
		if !ok || d.big != nil {
			return i
		}
		b.coef[i], b.scale[i] = d.coef, int8(d.scale)
	}
	return len(cells)
}

// Fill makes the first n numbers d; 0 where it does not fit.
func (b *Burst) Fill(d D, n int) int {
	if d.big != nil {
		return 0
	}
	for i := range n {
		b.coef[i], b.scale[i] = d.coef, int8(d.scale)
	}
	return n
}

// Mul multiplies the first n by those of o.
func (b *Burst) Mul(o *Burst, n int) int {
	for i := range n {
		x, y := b.coef[i], o.coef[i]
		scale := int(b.scale[i]) + int(o.scale[i])
		if b.scale[i]|o.scale[i] < 0 {
			b.scale[i] = blankScale
			continue
		}
		hi, lo := bits.Mul64(uint64(abs(x)), uint64(abs(y)))
		if hi != 0 || lo > math.MaxInt64 || scale > maxScale || x == math.MinInt64 || y == math.MinInt64 {
			return i
		}
		sign := (x ^ y) >> 63 // all ones for a negative product
		b.coef[i], b.scale[i] = (int64(lo)^sign)-sign, int8(scale)
	}
	return n
}

// Add adds to the first n those of o.
func (b *Burst) Add(o *Burst, n int) int { return b.add(o, n, false) }

// Sub takes from the first n those of o.
func (b *Burst) Sub(o *Burst, n int) int { return b.add(o, n, true) }

func (b *Burst) add(o *Burst, n int, minus bool) int {
	for i := range n {
		if b.scale[i]|o.scale[i] < 0 {
			b.scale[i] = blankScale
			continue
		}
		x, y, scale := b.coef[i], o.coef[i], b.scale[i]
		if y == math.MinInt64 {
			return i
		}
		if minus {
			y = -y
		}
		if scale != o.scale[i] {
			var ok bool
			var s int32
			if x, y, s, ok = align(D{coef: x, scale: int32(scale)}, D{coef: y, scale: int32(o.scale[i])}); !ok {
				return i
			}
			scale = int8(s)
		}
		sum := x + y
		if (sum > x) != (y > 0) && y != 0 {
			return i
		}
		b.coef[i], b.scale[i] = sum, scale
	}
	return n
}

// Compare gives for each of the first n how it stands to a number: -1, 0, 1, or [Blank].
func (b *Burst) Compare(a *Against, out []int8) {
	for i := range out {
		d := D{coef: b.coef[i], scale: int32(b.scale[i])}
		if d.scale < 0 {
			out[i] = Blank
			continue
		}
		out[i] = int8(a.Cmp(d))
	}
}

// Blank is what [Burst.Compare] gives for a blank.
const Blank = 2

// Append appends the first n, each in shortest form, and sets cells to view what it wrote, empty for a blank.
func (b *Burst) Append(dst []byte, cells []string, n int) []byte {
	const room = 24 // bytes of a number, and as many more as may be stored behind it
	dst = slices.Grow(dst, room*(n+1))
	at := len(dst)
	dst = dst[:cap(dst)]
	for i := range n {
		coef, scale := b.coef[i], b.scale[i]
		if scale < 0 {
			cells[i] = ""
			continue
		}
		from := at
		u := uint64(coef)
		if coef < 0 {
			dst[at] = '-'
			at++
			u = -u
		}
		if u < 1e8 && scale < 8 {
			at += shortDigits((*[32]byte)(dst[at:]), uint32(u), int(scale))
		} else {
			at = len(D{coef: int64(u), scale: int32(scale)}.shortestTo(dst[:at]))
		}
		cells[i] = view.String(dst[from:at])
	}
	return dst[:at]
}

// shortestTo appends, where there is room, a number that is not negative (or the least there is, without its sign) in shortest form.
func (d D) shortestTo(dst []byte) []byte {
	u, scale := uint64(d.coef), d.scale
	for scale > 0 && u%10 == 0 {
		u /= 10
		scale--
	}
	var buf [24]byte
	at := len(buf)
	for k := scale; k > 0; k-- {
		at--
		buf[at] = byte('0' + u%10)
		u /= 10
	}
	if scale > 0 {
		at--
		buf[at] = '.'
	}
	for {
		at--
		buf[at] = byte('0' + u%10)
		if u /= 10; u == 0 {
			break
		}
	}
	n := len(dst)
	dst = dst[:n+len(buf)-at]
	copy(dst[n:], buf[at:])
	return dst
}

const (
	everyByte = 0x0101010101010101
	zeros     = '0' * everyByte
)

// Short reads a number of at most eight characters after a minus, without an exponent or a plus, as coef / 10^scale; what else there is, it does not read.
func Short(s string) (coef int64, scale int, ok bool) { return parseShort(s) }

// A Place is a plainly written number in 32 bits: its digits read as a whole number in the lower 27, its decimals above; or NoPlace.
type Place uint32

// NoPlace is the place of what is no number, or one that begins with a sign, a point or a zero, or has more than eight characters.
const NoPlace Place = math.MaxUint32

// PlaceDigits is how many bits of a Place are the digits.
const PlaceDigits = 27

// Places gives the places of cells; there is one for each.
func Places(cells []string, places []Place) {
	places = places[:len(cells)]
	for i, s := range cells {
		place, n := NoPlace, len(s)
		if n-1 < 8 && n > 0 {
			pad := 8 * (8 - n) & 63
			v := (eight(s)<<pad ^ zeros) >> pad << pad // each digit by its value, zeros in front
			if byte(v>>pad)-1 < 9 {                    // it begins with 1 to 9
				v, scale := closed(v)
				if areDigits(v) && scale >= 0 {
					place = Place(scale<<PlaceDigits) | Place(together(v))
				}
			}
		}
		places[i] = place
	}
}

// closed takes the first point out of eight characters, each less '0'; scale is how many stand behind it, -1 for none behind a point.
func closed(v uint64) (without uint64, scale int) {
	const point = '.' ^ '0'
	x := v ^ point*everyByte
	dot := (x - everyByte) & ^x & (0x80 * everyByte) // its lowest bit is that of the first point
	if dot == 0 {
		return v, 0
	}
	before := dot&-dot>>7 - 1 // the bits before the point
	if scale = 7 - bits.TrailingZeros64(dot)>>3; scale == 0 {
		scale = -1
	}
	return v&^(before<<8|0xFF) | v&before<<8, scale
}

// parseShort reads numbers of at most eight characters after a minus, without a
// branch that depends on what they are: false for anything unusual, which is not to say that it is no number.
func parseShort(s string) (coef int64, scale int, ok bool) {
	n := len(s)
	if n == 0 || n > 9 {
		return 0, 0, false
	}
	sign := int64(0)
	if s[0] == '-' {
		sign = -1
		n--
		s = s[1:]
	}
	if n > 8 || n == 0 {
		return 0, 0, false
	}
	pad := 8 * (8 - n) & 63
	v, scale := closed((eight(s)<<pad ^ zeros) >> pad << pad)
	return (int64(together(v)) ^ sign) - sign, scale, areDigits(v) && scale >= 0
}

// eight is a text of one to eight bytes, its first lowest.
func eight(s string) uint64 {
	b, n := view.Bytes(s), len(s)
	if n >= 4 { // two loads that overlap
		return uint64(binary.LittleEndian.Uint32(b)) | uint64(binary.LittleEndian.Uint32(b[n-4:]))<<(8*(n-4)&63)
	}
	return uint64(b[0]) | uint64(b[n/2])<<(8*(n/2)&63) | uint64(b[n-1])<<(8*(n-1)&63)
}

func areDigits(v uint64) bool { return (v|(v+6*everyByte))&(0xF0*everyByte) == 0 }

// together makes one number of eight digits: by pairs, by fours, by eight.
func together(v uint64) uint64 {
	v = v*10 + v>>8
	const mask = 0x000000FF000000FF
	return ((v&mask)*(100+1000000<<32) + (v>>16&mask)*(1+10000<<32)) >> 32
}

// shortDigits writes u below 1e8 with scale below 8 in shortest form and gives the
// length; all of them may be overwritten.
func shortDigits(to *[32]byte, u uint32, scale int) int {
	// One number to eight digits, the first one lowest.
	x := uint64(u/10000) | uint64(u%10000)<<32
	q := x * 10486 >> 20 & 0x7F0000007F
	x = q | (x-100*q)<<16
	q = x * 103 >> 10 & 0x000F000F000F000F
	x = q | (x-10*q)<<8
	whole := 8 - scale - min(bits.TrailingZeros64(x)/8, 7-scale) // digits before the point
	part := scale - min(bits.LeadingZeros64(x)/8, scale)
	x |= zeros
	binary.LittleEndian.PutUint64(to[:], x>>(8*(8-scale-whole)&63))
	if part == 0 {
		return whole
	}
	to[whole&15] = '.'
	binary.LittleEndian.PutUint64(to[(whole+1)&15:], x>>(8*(8-scale)&63))
	return whole + 1 + part
}
