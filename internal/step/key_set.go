package step

import (
	"bytes"
	"hash/maphash"
	"math/bits"
	"math/rand/v2"
	"slices"
	"strings"
	"sync/atomic"
	"unsafe"

	"revuelta/internal/table"
)

// rowKeys are the keys of the rows of a batch: texts that are equal where the
// cells are. That of cells which stand beside each other in what was read is a view of
// it; others are put together likewise, with the same mark between them.
type rowKeys struct {
	mark   *atomic.Uint32 // the delimiter between cells, shared by all keys that are compared; 0: not known yet
	keys   []string
	prints []fingerprint
	text   []byte
	at     []int
	cells  [][]string
	spare  [][]string
}

func (k *rowKeys) load(b *table.Batch, fields []int) {
	k.keys = slices.Grow(k.keys[:0], b.Rows)[:b.Rows]
	k.prints = slices.Grow(k.prints[:0], b.Rows)[:b.Rows]
	if !k.asRead(b, fields) {
		k.joined(b, fields)
	}
	for r, key := range k.keys {
		k.prints[r] = fingerprintOf(key)
	}
}

// asRead takes the keys from the text that was read, where they stand in it as they would be put together.
func (k *rowKeys) asRead(b *table.Batch, fields []int) bool {
	if b.Rows == 0 || len(fields) < 2 {
		return false
	}
	for i, f := range fields {
		if c := &b.Cols[f]; c.Kind != table.Plain || c.Seat == 0 || c.Seat != b.Cols[fields[0]].Seat+int32(i) {
			return false
		}
	}
	first, last := b.Cols[fields[0]].Cells, b.Cols[fields[len(fields)-1]].Cells
	mark := *(*byte)(unsafe.Add(unsafe.Pointer(unsafe.StringData(first[0])), len(first[0])))
	k.mark.CompareAndSwap(0, uint32(mark))
	if byte(k.mark.Load()) != mark {
		return false
	}
	last = last[:len(first)]
	for r, c := range first {
		from, to := unsafe.StringData(c), unsafe.StringData(last[r])
		k.keys[r] = unsafe.String(from, int(uintptr(unsafe.Pointer(to))-uintptr(unsafe.Pointer(from)))+len(last[r]))
	}
	return true
}

// joined puts the keys together. A row with the mark in a cell has as many marks
// before it as there are cells, so that it is no other row's.
func (k *rowKeys) joined(b *table.Batch, fields []int) {
	k.mark.CompareAndSwap(0, ',')
	mark := byte(k.mark.Load())
	for len(k.spare) < len(fields) {
		k.spare, k.cells = append(k.spare, nil), append(k.cells, nil)
	}
	for i, f := range fields {
		k.cells[i], k.spare[i] = b.Cols[f].Flat(b.Rows, k.spare[i])
	}
	cells := k.cells[:len(fields)]
	lacks := table.LacksDelimiter(mark)
	for _, f := range fields {
		lacks &= b.Cols[f].Lacks
	}
	if len(fields) == 1 && lacks != 0 {
		copy(k.keys, cells[0])
		return
	}
	k.text, k.at = k.text[:0], k.at[:0]
	for r := range b.Rows {
		from := len(k.text)
		for i, c := range cells {
			if i > 0 {
				k.text = append(k.text, mark)
			}
			k.text = append(k.text, c[r]...)
		}
		if lacks == 0 && bytes.Count(k.text[from:], []byte{mark}) >= len(cells) {
			k.text = append(k.text[:from], strings.Repeat(string(mark), len(cells))...)
			for _, c := range cells {
				k.text = appendKey(k.text, c[r])
			}
		}
		k.at = append(k.at, len(k.text))
	}
	from := 0
	text := unsafe.String(unsafe.SliceData(k.text), len(k.text))
	for r, to := range k.at {
		k.keys[r] = text[from:to]
		from = to
	}
}

// A fingerprint stands for a key: 128 bits of two hashes of different kinds, keyed for this process. That two keys of
// a billion share one has a chance below 1 in 10^20, less than that of memory that fails; so no key needs to be kept.
type fingerprint struct{ a, b uint64 } // a is never 0

// secrets key the second hash.
var secrets = [4]uint64{rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64()}

func fingerprintOf(key string) fingerprint {
	return fingerprint{max(maphash.String(seed, key), 1), folded(key)}
}

// folded multiplies a text with itself and what is secret, 16 bytes at a time.
func folded(key string) uint64 {
	p, n := unsafe.Pointer(unsafe.StringData(key)), len(key)
	length := secrets[3] ^ uint64(n)
	if n <= 8 {
		return fold(bytesOf(key)^secrets[1], length)
	}
	h := secrets[0]
	for ; n > 16; n -= 16 {
		h = fold(*(*uint64)(p)^secrets[1], *(*uint64)(unsafe.Add(p, 8))^h)
		p = unsafe.Add(p, 16)
	}
	// Of the rest, the first and the last eight, which reach back where there are fewer than sixteen.
	first, last := p, unsafe.Add(p, n-8)
	if n < 8 {
		first = last
	}
	return fold(fold(*(*uint64)(first)^secrets[2], *(*uint64)(last)^h), length)
}

func fold(a, b uint64) uint64 {
	high, low := bits.Mul64(a, b)
	return high ^ low
}

// keySet is a set of keys by their fingerprints, asked for many at a time. They stand in the order of their
// first bits, so that growing goes through memory from its beginning to its end.
type keySet struct {
	slots []fingerprint
	shift int // of the first bits to an index
	count int
	warm  uint64 // of no use but to have the slots read
}

const (
	fewestSlots = 1 << 10
	slotBytes   = int64(unsafe.Sizeof(fingerprint{}))
	growFast    = 1 << 22 // slots: a smaller set grows by four, since most of the moving is done for the last growth
)

func newKeySet() *keySet {
	s := &keySet{}
	s.sized(fewestSlots)
	return s
}

func (s *keySet) sized(n int) {
	s.slots, s.shift = table.Huge(make([]fingerprint, n)), 64-bits.TrailingZeros(uint(n))
}

// room makes room for some more keys. It says false where the set would take more than limit bytes then.
func (s *keySet) room(more int, limit int64) bool {
	for 3*(s.count+more) > 2*len(s.slots) {
		times := 2
		if len(s.slots) <= growFast && 4*slotBytes*int64(len(s.slots)) <= limit {
			times = 4
		}
		if int64(times*len(s.slots))*slotBytes > limit {
			return false
		}
		old := s.slots
		s.sized(times * len(old))
		for _, f := range old {
			if f.a != 0 {
				s.slots[find(s.slots, f, f.a>>s.shift)] = f
			}
		}
	}
	return true
}

// add adds keys, for which there is room; it lists the rows whose key is new, and the others.
func (s *keySet) add(keys []fingerprint, fresh, known []int32) ([]int32, []int32) {
	const burst = 64
	slots, shift := s.slots, s.shift&63
	fresh, known = slices.Grow(fresh, len(keys)), slices.Grow(known, len(keys))
	for r := 0; r < len(keys); r += burst {
		some := keys[r:min(r+burst, len(keys))]
		warm := uint64(0)
		for i := range some { // no place in memory waits for another
			warm |= slots[some[i].a>>shift].a
		}
		s.warm = warm
		for i, f := range some {
			if at := find(slots, f, f.a>>shift); slots[at].a == 0 {
				slots[at] = f
				fresh = append(fresh, int32(r+i))
			} else {
				known = append(known, int32(r+i))
			}
		}
	}
	s.count += len(fresh)
	return fresh, known
}

// among lists the rows whose key is not in the set, and the others; it adds none.
func (s *keySet) among(keys []fingerprint, fresh, known []int32) ([]int32, []int32) {
	for r, f := range keys {
		if at := find(s.slots, f, f.a>>s.shift); s.slots[at].a == 0 {
			fresh = append(fresh, int32(r))
		} else {
			known = append(known, int32(r))
		}
	}
	return fresh, known
}

// find gives the slot of a key, or the empty one where it would stand.
func find(slots []fingerprint, f fingerprint, i uint64) uint64 {
	for last := uint64(len(slots) - 1); ; i++ {
		if e := &slots[i&last]; e.a == 0 || e.a == f.a && e.b == f.b {
			return i & last
		}
	}
}
