package step

import (
	"bytes"
	"encoding/binary"
	"hash/maphash"
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
	hashes []uint64
	text   []byte
	at     []int
	cells  [][]string
	spare  [][]string
}

func (k *rowKeys) load(b *table.Batch, fields []int) {
	k.keys = slices.Grow(k.keys[:0], b.Rows)[:b.Rows]
	k.hashes = slices.Grow(k.hashes[:0], b.Rows)[:b.Rows]
	if !k.asRead(b, fields) {
		k.joined(b, fields)
	}
	for r, key := range k.keys {
		k.hashes[r] = maphash.String(seed, key)
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

// keySet is a set of texts, asked for many at a time.
type keySet struct {
	slots  []uint64 // half of the hash, and the place of the key from 1; 0: empty
	count  int
	blocks [][]byte // of keys, each with its length before it
	next   int      // the place of the next
	warm   uint64   // of no use but to have the slots read
}

const (
	keyBlock  = 32 << 20
	keyAlign  = 8
	placeBits = 32
	mostKeys  = 30 << 30 // bytes of keys that places can tell apart, with some to spare
)

func newKeySet() *keySet { return &keySet{slots: make([]uint64, 1<<10)} }

// add adds the keys; it lists the rows whose key is new, and the others.
func (s *keySet) add(k *rowKeys, fresh, known []int32) ([]int32, []int32) {
	const burst = 64
	for r := 0; r < len(k.keys); r += burst {
		some := k.hashes[r:min(r+burst, len(k.hashes))]
		for 3*(s.count+len(some)) > 2*len(s.slots) {
			s.grow()
		}
		mask := uint64(len(s.slots) - 1)
		for _, h := range some { // no place in memory waits for another
			s.warm |= s.slots[h>>placeBits&mask]
		}
		for i, h := range some {
			if s.insert(h>>placeBits, k.keys[r+i]) {
				fresh = append(fresh, int32(r+i))
			} else {
				known = append(known, int32(r+i))
			}
		}
	}
	return fresh, known
}

// among lists the rows whose key is not in the set, and the others; it adds none.
func (s *keySet) among(k *rowKeys, fresh, known []int32) ([]int32, []int32) {
	mask := uint64(len(s.slots) - 1)
	for r, h := range k.hashes {
		half, found := h>>placeBits, false
		for i := half & mask; s.slots[i] != 0 && !found; i = (i + 1) & mask {
			e := s.slots[i]
			found = e>>placeBits == half && s.at(e) == k.keys[r]
		}
		if found {
			known = append(known, int32(r))
		} else {
			fresh = append(fresh, int32(r))
		}
	}
	return fresh, known
}

// size is about how many bytes it takes.
func (s *keySet) size() int64 { return int64(len(s.slots)*8 + s.next*keyAlign) }

func (s *keySet) insert(half uint64, key string) bool {
	mask := uint64(len(s.slots) - 1)
	for i := half & mask; ; i = (i + 1) & mask {
		e := s.slots[i]
		if e == 0 {
			s.slots[i] = half<<placeBits | uint64(s.store(key)+1)
			s.count++
			return true
		}
		if e>>placeBits == half && s.at(e) == key {
			return false
		}
	}
}

// at is the key of a slot.
func (s *keySet) at(slot uint64) string {
	place := (slot&(1<<placeBits-1) - 1) * keyAlign
	text := s.blocks[place/keyBlock][place%keyBlock:]
	n, at := uint64(text[0]), 1
	if n >= 0x80 {
		n, at = binary.Uvarint(text)
	}
	return unsafe.String(&text[at-1], int(n)+1)[1:] // the key may be empty
}

// store keeps a key and gives its place.
func (s *keySet) store(key string) int {
	need := len(key) + binary.MaxVarintLen64
	n := len(s.blocks)
	if n == 0 || cap(s.blocks[n-1])-len(s.blocks[n-1]) < need {
		s.blocks = append(s.blocks, make([]byte, 0, max(keyBlock, need)))
		s.next = n * (keyBlock / keyAlign)
		for size := need; size > keyBlock; size -= keyBlock { // a very large one takes the room of several
			s.blocks = append(s.blocks, nil)
		}
		if need > keyBlock {
			s.blocks[n] = appendKey(s.blocks[n], key)
			s.next = len(s.blocks) * (keyBlock / keyAlign)
			return n * (keyBlock / keyAlign)
		}
		n++
	}
	b := &s.blocks[n-1]
	place := (n-1)*(keyBlock/keyAlign) + len(*b)/keyAlign
	*b = appendKey(*b, key)
	for len(*b)%keyAlign != 0 && len(*b) < cap(*b) {
		*b = append(*b, 0)
	}
	s.next = (n-1)*(keyBlock/keyAlign) + len(*b)/keyAlign
	return place
}

func (s *keySet) grow() {
	old := s.slots
	times := 4 // most of the moving is done for the last growth
	if len(old) >= 1<<26 {
		times = 2
	}
	s.slots = table.Huge(make([]uint64, times*len(old)))
	mask := uint64(len(s.slots) - 1)
	for _, e := range old {
		if e == 0 {
			continue
		}
		i := e >> placeBits & mask
		for s.slots[i] != 0 {
			i = (i + 1) & mask
		}
		s.slots[i] = e
	}
}
