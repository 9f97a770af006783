package keying

import (
	"encoding/binary"
	"hash/maphash"
	"math/bits"

	"revuelta/internal/view"
)

// Names numbers texts from 0 in the order in which they are added: hash tables
// made to be asked for many at a time, so that the processor waits for many
// places in memory at once. Texts of up to eight bytes stand in a table of
// their own, which holds them whole.
type Names struct {
	Names  []string
	Hashes []uint64
	short  []shortEntry // lengths are powers of two; at most two thirds full, those of long half full
	long   []longEntry
	shorts int
}

type shortEntry struct {
	key uint64
	id  int32 // + 1; 0: empty
	len int32
}

type longEntry struct {
	hash uint32
	id   int32 // + 1; 0: empty
}

const shortest = 8

var seed = maphash.MakeSeed()

// HashOf mixes a text; that of a short one is made of its bytes and length alone.
func HashOf(s string) uint64 {
	if len(s) <= shortest {
		return mix(bytesOf(s), len(s))
	}
	return maphash.String(seed, s)
}

func mix(key uint64, n int) uint64 {
	high, low := bits.Mul64(key^uint64(n)*0x9E3779B97F4A7C15, 0xD6E8FEB86659FD93)
	return high ^ low // so that every bit tells in every other
}

// bytesOf packs the bytes of a text of up to eight; with its length it is the text.
func bytesOf(s string) uint64 {
	p, n := view.Bytes(s), len(s)
	switch {
	case n >= 4: // two loads that may overlap
		return uint64(binary.LittleEndian.Uint32(p)) | uint64(binary.LittleEndian.Uint32(p[n-4:]))<<32
	case n > 0:
		return uint64(p[0]) | uint64(p[n/2])<<8 | uint64(p[n-1])<<16
	}
	return 0
}

// Find gives the number of a text, -1 where it has none.
func (n *Names) Find(s string, h uint64) int32 {
	if len(s) <= shortest {
		if len(n.short) == 0 {
			return -1
		}
		key, mask := bytesOf(s), uint64(len(n.short)-1)
		for i := h & mask; ; i = (i + 1) & mask {
			e := &n.short[i]
			if e.id == 0 || e.key == key && e.len == int32(len(s)) {
				return e.id - 1
			}
		}
	}
	if len(n.long) == 0 {
		return -1
	}
	mask := uint64(len(n.long) - 1)
	for i := h & mask; ; i = (i + 1) & mask {
		e := n.long[i]
		if e.id == 0 {
			return -1
		}
		if e.hash == uint32(h>>32) && n.Names[e.id-1] == s {
			return e.id - 1
		}
	}
}

// FindAll finds many texts; found, if any, is given what was found of some, from one on, while the others are looked for.
func (n *Names) FindAll(all []string, ids []int32, found func(from int, ids []int32)) {
	from := 0
	const burst = 128
	var hashes, keys [burst]uint64
	mask := uint64(len(n.short) - 1)
	for len(all) > 0 {
		some := all[:min(burst, len(all))]
		for i, s := range some {
			if len(s) <= shortest {
				keys[i] = bytesOf(s)
				hashes[i] = mix(keys[i], len(s))
			} else {
				hashes[i] = HashOf(s)
			}
		}
		for i, s := range some { // no place waits for another
			ids[i] = other
			if len(s) <= shortest && len(n.short) > 0 {
				ids[i] = n.near(keys[i], hashes[i]&mask, mask, len(s))
			}
		}
		for i, s := range some {
			if ids[i] == other {
				ids[i] = n.Find(s, hashes[i])
			}
		}
		if found != nil {
			found(from, ids[:len(some)])
		}
		from += len(some)
		all, ids = all[len(some):], ids[len(some):]
	}
}

// near looks at the first two places of a short text, without a branch that could not be foretold.
func (n *Names) near(key, at, mask uint64, size int) int32 {
	a, b := &n.short[at], &n.short[(at+1)&mask]
	id, idB := int32(other), b.id-1
	if (b.key^key)|uint64(b.len^int32(size)) == 0 {
		id = idB
	}
	idA := a.id - 1
	if (a.key^key)|uint64(a.len^int32(size)) == 0 {
		id = idA
	}
	return id
}

// other marks a text that stands at neither of its first two places in the table.
const other = -2

// Add gives a text that has none the next number; it keeps the text.
func (n *Names) Add(s string, h uint64) int32 {
	n.Names, n.Hashes = append(n.Names, s), append(n.Hashes, h)
	id := int32(len(n.Names) - 1)
	isShort := len(s) <= shortest
	if isShort {
		n.shorts++
	}
	switch longs := len(n.Names) - n.shorts; {
	case isShort && 3*n.shorts > 2*len(n.short):
		times := 4
		if len(n.short) >= 1<<12 { // then it matters that it is small
			times = 2
		}
		n.short = view.Huge(make([]shortEntry, max(64, times*len(n.short))))
		n.rebuild(true)
	case !isShort && 2*longs > len(n.long):
		n.long = make([]longEntry, max(64, 4*len(n.long)))
		n.rebuild(false)
	default:
		n.place(id)
	}
	return id
}

// rebuild places all short or all long texts.
func (n *Names) rebuild(short bool) {
	for i, s := range n.Names {
		if (len(s) <= shortest) == short {
			n.place(int32(i))
		}
	}
}

func (n *Names) place(id int32) {
	s, h := n.Names[id], n.Hashes[id]
	if len(s) <= shortest {
		mask := uint64(len(n.short) - 1)
		i := h & mask
		for n.short[i].id != 0 {
			i = (i + 1) & mask
		}
		n.short[i] = shortEntry{bytesOf(s), id + 1, int32(len(s))}
		return
	}
	mask := uint64(len(n.long) - 1)
	i := h & mask
	for n.long[i].id != 0 {
		i = (i + 1) & mask
	}
	n.long[i] = longEntry{uint32(h >> 32), id + 1}
}

// Drop takes the text last added back.
func (n *Names) Drop() {
	last := len(n.Names) - 1
	short := len(n.Names[last]) <= shortest
	n.Names, n.Hashes = n.Names[:last], n.Hashes[:last]
	if short {
		n.shorts--
		clear(n.short)
	} else {
		clear(n.long)
	}
	n.rebuild(short)
}
