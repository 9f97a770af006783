package step

import (
	"bytes"
	"math/bits"
	"math/rand/v2"
	"slices"
	"strings"
	"sync/atomic"
	"unsafe"

	"revuelta/internal/table"
)

// rowKeys are the fingerprints of the keys of the rows of a batch, which are texts that are equal where the
// cells are. That of cells which stand beside each other in what was read is a view of
// it; others are put together likewise, with the same mark between them.
type rowKeys struct {
	mark   *atomic.Uint32 // the delimiter between cells, shared by all keys that are compared; 0: not known yet
	prints []fingerprint
	text   []byte
	cells  [][]string
	spare  [][]string
}

func (k *rowKeys) load(b *table.Batch, fields []int) {
	k.prints = slices.Grow(k.prints[:0], b.Rows)[:b.Rows]
	if !k.asRead(b, fields) {
		k.joined(b, fields)
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
		key := unsafe.String(from, int(uintptr(unsafe.Pointer(to))-uintptr(unsafe.Pointer(from)))+len(last[r]))
		k.prints[r] = fingerprintOf(key)
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
		for r, c := range cells[0] {
			k.prints[r] = fingerprintOf(c)
		}
		return
	}
	for r := range b.Rows {
		k.text = k.text[:0]
		for i, c := range cells {
			if i > 0 {
				k.text = append(k.text, mark)
			}
			k.text = append(k.text, c[r]...)
		}
		if lacks == 0 && bytes.Count(k.text, []byte{mark}) >= len(cells) {
			k.text = append(k.text[:0], strings.Repeat(string(mark), len(cells))...)
			for _, c := range cells {
				k.text = appendKey(k.text, c[r])
			}
		}
		k.prints[r] = fingerprintOf(unsafe.String(unsafe.SliceData(k.text), len(k.text)))
	}
}

// A fingerprint stands for a key: 96 bits of two hashes with secrets of this process. That two keys of a billion
// share one has a chance below 1 in 10^10, less than that of memory that fails; so no key needs to be kept.
type fingerprint struct {
	a uint64 // never 0
	b uint32
}

// secrets key the hashes.
var secrets = [8]uint64{
	rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(),
}

func fingerprintOf(key string) fingerprint {
	a, b := hashes(key)
	return fingerprint{max(a, 1), uint32(b)}
}

// hashes multiplies a text with itself and what is secret, 16 bytes at a time, in two ways that do not depend on each other.
func hashes(key string) (uint64, uint64) {
	p, n := unsafe.Pointer(unsafe.StringData(key)), len(key)
	a, b := secrets[0], secrets[1]
	lengthA, lengthB := secrets[6]^uint64(n), secrets[7]^uint64(n)
	if n <= 8 {
		w := bytesOf(key)
		return fold(fold(w^secrets[2], lengthA), a), fold(fold(w^secrets[3], lengthB), b)
	}
	for ; n > 16; n -= 16 {
		first, last := *(*uint64)(p), *(*uint64)(unsafe.Add(p, 8))
		a, b = fold(first^secrets[2], last^a), fold(first^b, last^secrets[3])
		p = unsafe.Add(p, 16)
	}
	// Of the rest, the first and the last eight, which reach back where there are fewer than sixteen.
	first, last := p, unsafe.Add(p, n-8)
	if n < 8 {
		first = last
	}
	x, y := *(*uint64)(first), *(*uint64)(last)
	return fold(fold(x^secrets[4], y^a), lengthA), fold(fold(x^b, y^secrets[5]), lengthB)
}

func fold(a, b uint64) uint64 {
	high, low := bits.Mul64(a, b)
	return high ^ low
}

// keySet is a set of keys by their fingerprints, asked for many at a time. They stand in the order of their
// first hash, so that growing goes through memory from its beginning to its end.
type keySet struct {
	lines []keyLine // an even number
	count int
}

// keyLine is what one access to memory brings: up to five fingerprints, those that found no place before the first with room left.
type keyLine struct {
	a [inLine]uint64
	b [inLine]uint32
	n uint32
}

const (
	inLine      = 5
	fewestLines = 1 << 8
	lineBytes   = int64(unsafe.Sizeof(keyLine{}))
	guessFrom   = 1 << 18 // keys from which on it is guessed how many there will be
)

func newKeySet() *keySet { return &keySet{lines: make([]keyLine, fewestLines)} }

// fits is how many keys lines take before there are too many that have no room left.
func fits(lines int) int { return lines * 17 / 4 }

// room makes room for some more keys. It says false where the set would take more than limit bytes then. Of the
// keys there will be, about a share is there; 0: nobody knows.
func (s *keySet) room(more int, share float64, limit int64) bool {
	need := s.count + more
	if need <= fits(len(s.lines)) {
		return true
	}
	n := 2 * max(len(s.lines), need/4)
	if share > 0 && s.count >= guessFrom {
		// Five in a hundred more than that, but no less than what keeps growing rare.
		n = max(min(int(float64(s.count)/share*1.05/3.3), 64*n), n*3/4)
	}
	n = int(min(int64(n), limit/lineBytes)) &^ 1
	if need > fits(n) {
		return false
	}
	old := s.lines
	s.lines = table.Huge(make([]keyLine, n))
	for i := range old {
		l := &old[i]
		for k := range l.n {
			f := fingerprint{l.a[k], l.b[k]}
			to, _ := s.find(f)
			to.put(f)
		}
	}
	return true
}

// add adds keys, for which there is room; it lists the rows whose key is new, and the others.
func (s *keySet) add(keys []fingerprint, fresh, known []int32) ([]int32, []int32) {
	const burst, ahead = 16, 64 // memory is asked for a line that far ahead, so that it is there in time
	lines := s.lines
	fresh = slices.Grow(fresh, len(keys))[:len(keys)]
	count := 0
	fetchAll(lines, keys[:min(ahead, len(keys))])
	for r := 0; r < len(keys); r += burst {
		some := keys[r:min(r+burst, len(keys))]
		fetchAll(lines, keys[min(r+ahead, len(keys)):min(r+ahead+burst, len(keys))])
		for i := range some {
			f := some[i]
			at, _ := bits.Mul64(f.a, uint64(len(lines)))
			l := &lines[at]
			there := l.has(f)
			if l.n == inLine && !there {
				l, there = s.beside(f, at)
			}
			if there {
				known = append(known, int32(r+i))
				continue
			}
			l.put(f)
			fresh[count] = int32(r + i)
			count++
		}
	}
	s.count += count
	return fresh[:count], known
}

// fetchAll asks for the lines of keys from memory.
func fetchAll(lines []keyLine, keys []fingerprint) {
	if len(keys) > 0 {
		fetch(unsafe.SliceData(lines), uint64(len(lines)), unsafe.SliceData(keys), len(keys))
	}
}

// among lists the rows whose key is not in the set, and the others; it adds none.
func (s *keySet) among(keys []fingerprint, fresh, known []int32) ([]int32, []int32) {
	for r, f := range keys {
		if _, there := s.find(f); there {
			known = append(known, int32(r))
		} else {
			fresh = append(fresh, int32(r))
		}
	}
	return fresh, known
}

// find gives the line of a key, or that with room for it, and whether it is there.
func (s *keySet) find(f fingerprint) (*keyLine, bool) {
	at, _ := bits.Mul64(f.a, uint64(len(s.lines)))
	if l := &s.lines[at]; l.has(f) || l.n < inLine {
		return l, l.has(f)
	}
	return s.beside(f, at)
}

// beside does what find does for a key whose own line is full of others: it looks at the other line of
// the two that lie side by side, then at the next two.
func (s *keySet) beside(f fingerprint, at uint64) (*keyLine, bool) {
	for {
		if l := &s.lines[at^1]; l.has(f) || l.n < inLine {
			return l, l.has(f)
		}
		if at += 2; at >= uint64(len(s.lines)) {
			at -= uint64(len(s.lines))
		}
		if l := &s.lines[at]; l.has(f) || l.n < inLine {
			return l, l.has(f)
		}
	}
}

func (l *keyLine) has(f fingerprint) bool {
	return l.a[0] == f.a && l.b[0] == f.b || l.a[1] == f.a && l.b[1] == f.b || l.a[2] == f.a && l.b[2] == f.b ||
		l.a[3] == f.a && l.b[3] == f.b || l.a[4] == f.a && l.b[4] == f.b
}

// put puts a key into a line with room for it.
func (l *keyLine) put(f fingerprint) {
	l.a[l.n], l.b[l.n] = f.a, f.b
	l.n++
}
