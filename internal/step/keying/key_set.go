package keying

import (
	"bytes"
	"math/bits"
	"math/rand/v2"
	"slices"
	"strings"
	"sync/atomic"

	"revuelta/internal/table"
	"revuelta/internal/view"
)

// RowKeys are the fingerprints of the keys of the rows of a batch, which are texts that are equal where the
// cells are. That of cells which stand beside each other in what was read is a view of
// it; others are put together likewise, with the same mark between them.
type RowKeys struct {
	Mark   *atomic.Uint32 // the delimiter between cells, shared by all keys that are compared; 0: not known yet
	Prints []Fingerprint
	text   []byte
	cells  [][]string
	spare  [][]string
}

func (k *RowKeys) Load(b *table.Batch, fields []int) {
	k.Prints = slices.Grow(k.Prints[:0], b.Rows)[:b.Rows]
	if !k.asRead(b, fields) {
		k.joined(b, fields)
	}
}

// asRead takes the keys from the text that was read, where they stand in it as they would be put together.
func (k *RowKeys) asRead(b *table.Batch, fields []int) bool {
	if b.Rows == 0 || len(fields) < 2 {
		return false
	}
	text, cells := b.Cols[fields[0]].Text(), b.Cols[fields[0]].Cells
	if text == nil {
		return false
	}
	at := text.At(cells[0]) + len(cells[0])
	if at < len(cells[0]) || at >= len(text) {
		return false
	}
	mark := text[at]
	for i, f := range fields {
		if b.Cols[f].Kind != table.Plain || i > 0 && !table.Adjacent(&b.Cols[fields[i-1]], &b.Cols[f], mark) {
			return false
		}
	}
	k.Mark.CompareAndSwap(0, uint32(mark))
	if byte(k.Mark.Load()) != mark {
		return false
	}
	for _, f := range fields { // what was put together may hold the mark itself
		if b.Cols[f].Absent&table.AbsentDelimiter(mark) == 0 {
			return false
		}
	}
	last := b.Cols[fields[len(fields)-1]].Cells[:len(cells)]
	for r, c := range cells {
		from, to := text.At(c), text.At(last[r])
		k.Prints[r] = fingerprintOf(view.String(text[from : to+len(last[r])]))
	}
	return true
}

// Keep keeps the fingerprints of some rows alone, in rising order.
func (k *RowKeys) Keep(rows []int32) {
	for i, r := range rows {
		k.Prints[i] = k.Prints[r]
	}
	k.Prints = k.Prints[:len(rows)]
}

// joined puts the keys together. A row with the mark in a cell has as many marks
// before it as there are cells, so that it is no other row's.
func (k *RowKeys) joined(b *table.Batch, fields []int) {
	k.Mark.CompareAndSwap(0, ',')
	mark := byte(k.Mark.Load())
	for len(k.spare) < len(fields) {
		k.spare, k.cells = append(k.spare, nil), append(k.cells, nil)
	}
	for i, f := range fields {
		k.cells[i], k.spare[i] = b.Cols[f].Flat(b.Rows, k.spare[i])
	}
	cells := k.cells[:len(fields)]
	absent := table.AbsentDelimiter(mark)
	for _, f := range fields {
		absent &= b.Cols[f].Absent
	}
	if len(fields) == 1 && absent != 0 {
		for r, c := range cells[0] {
			k.Prints[r] = fingerprintOf(c)
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
		if absent == 0 && bytes.Count(k.text, []byte{mark}) >= len(cells) {
			k.text = append(k.text[:0], strings.Repeat(string(mark), len(cells))...)
			for _, c := range cells {
				k.text = AppendKey(k.text, c[r])
			}
		}
		k.Prints[r] = fingerprintOf(view.String(k.text))
	}
}

// A Fingerprint stands for a key: 96 bits of two hashes with secrets of this process, all of which tell in a
// [keySet]. That two keys of a billion are taken for one has a chance below 1 in 10^10, less than that of memory that
// fails; so no key needs to be kept.
type Fingerprint struct {
	a uint64 // never 0
	b uint32
}

// secrets key the hashes.
var secrets = [8]uint64{
	rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(), rand.Uint64(),
}

func fingerprintOf(key string) Fingerprint {
	a, b := hashes(key)
	return Fingerprint{max(a, 1), uint32(b)}
}

// hashes multiplies a text with itself and what is secret, 16 bytes at a time, in two ways that do not depend on each other.
func hashes(key string) (uint64, uint64) {
	p, n := view.Text(view.Bytes(key)), len(key)
	a, b := secrets[0], secrets[1]
	lengthA, lengthB := secrets[6]^uint64(n), secrets[7]^uint64(n)
	if n <= 8 {
		w := bytesOf(key)
		return fold(fold(w^secrets[2], lengthA), a), fold(fold(w^secrets[3], lengthB), b)
	}
	at := 0
	for ; n-at > 16; at += 16 {
		first, last := p.Load8(at), p.Load8(at+8)
		a, b = fold(first^secrets[2], last^a), fold(first^b, last^secrets[3])
	}
	// Of the rest, the first and the last eight, which reach back where there are fewer than sixteen.
	y := p.Load8(n - 8)
	x := y
	if n-at >= 8 {
		x = p.Load8(at)
	}
	return fold(fold(x^secrets[4], y^a), lengthA), fold(fold(x^b, y^secrets[5]), lengthB)
}

func fold(a, b uint64) uint64 {
	high, low := bits.Mul64(a, b)
	return high ^ low
}

// keySet is a set of keys by their fingerprints, asked for many at a time. The second hash tells the line where a key
// stands: they are in its order, so that growing goes through memory from its beginning to its end.
type keySet struct {
	lines  []keyLine        // an even number
	second [][inLine]uint32 // the second hashes of the keys in each line, by which it can grow; nil: it can't
	count  int
	before *keySet // keys that came before this one was begun, since it could not grow
}

// keyLine is what one access to memory brings: the first hashes of up to seven keys. To hold the
// line and a byte of the second hash against each other besides makes false equals as rare as by all of it.
type keyLine struct {
	a    [inLine]uint64
	tags uint64 // how many there are in the lowest byte, then a byte of the second hash of each
}

const (
	inLine      = 7
	fewestLines = 1 << 8
	lineBytes   = int64(64) // of a [keyLine]
	guessFrom   = 1 << 18   // keys from which on it is guessed how many there will be
)

func NewKeySet() *keySet {
	return &keySet{lines: make([]keyLine, fewestLines), second: make([][inLine]uint32, fewestLines)}
}

// fits is how many keys lines take before there are too many that have no room left.
func fits(lines int) int { return lines * 27 / 5 }

// bytes is what the set takes.
func (s *keySet) bytes() int64 {
	n := int64(len(s.lines))*lineBytes + int64(len(s.second))*inLine*4
	if s.before != nil {
		n += s.before.bytes()
	}
	return n
}

// Room makes room for some more keys. It says false where the set would take more than limit bytes then. Of the
// keys there will be, about a share is there; 0: nobody knows. Where that is known the set is made as large as it
// will have to be, and keeps no more than it needs for that.
func (s *keySet) Room(more int, share float64, limit int64) bool {
	need := s.count + more
	if need <= fits(len(s.lines)) {
		return true
	}
	if s.second == nil { // there are more than was guessed
		was := *s
		*s = *NewKeySet()
		s.before = &was
		if s.bytes() <= limit && s.Room(more, 0, limit) {
			return true
		}
		*s = was
		return false
	}
	grown := &keySet{before: s.before, count: s.count}
	if share > 0 && s.count >= guessFrom && s.before == nil {
		// Five in a hundred more, with four or five in a line.
		grown.lines = make([]keyLine, max(min(int(float64(s.count)/share*1.05/4.5), 64*len(s.lines)), need/4)&^1)
		if most := int(limit/lineBytes) &^ 1; len(grown.lines) > most { // not all will have room, but as many as can
			grown.lines = nil
			if most >= 2*len(s.lines) {
				grown.lines = make([]keyLine, most)
			}
		}
	}
	if grown.lines == nil {
		n := 2 * max(len(s.lines), need/5)
		grown.lines, grown.second = make([]keyLine, n), make([][inLine]uint32, n)
		if grown.bytes() > limit {
			return false
		}
	}
	view.Huge(grown.lines)
	for i := range s.lines {
		l := &s.lines[i]
		for k := range l.count() {
			grown.put(Fingerprint{l.a[k], s.second[i][k]})
		}
	}
	*s = *grown
	return true
}

// put puts a key that is not there into the set.
func (s *keySet) put(f Fingerprint) {
	at, _ := s.find(f)
	if s.second != nil {
		s.second[at][s.lines[at].count()] = f.b
	}
	s.lines[at].put(f)
}

// Add adds keys, for which there is room; it lists the rows whose key was there before.
func (s *keySet) Add(keys []Fingerprint, known []int32) []int32 {
	const burst, ahead = 16, 64 // memory is asked for a line that far ahead, so that it is there in time
	fetchAll(s.lines, keys[:min(ahead, len(keys))])
	s.count += len(keys)
	plain := s.second == nil && s.before == nil
	for r := 0; r < len(keys); r += burst {
		some := keys[r:min(r+burst, len(keys))]
		fetchAll(s.lines, keys[min(r+ahead, len(keys)):min(r+ahead+burst, len(keys))])
		for i := 0; i < len(some); i++ {
			if plain {
				if i += fill(s.lines, some[i:]); i == len(some) {
					break
				}
			}
			at, there := s.find(some[i])
			if there {
				known = append(known, int32(r+i))
				s.count--
				continue
			}
			l := &s.lines[at]
			if s.second != nil {
				s.second[at][l.count()] = some[i].b
			}
			l.put(some[i])
		}
	}
	return known
}

// fill puts keys into their lines, up to the first that may be there already or whose line is full, and says how many that are.
func fill(lines []keyLine, keys []Fingerprint) int {
	n := len(lines)
	for i := range keys {
		f := keys[i]
		l := &lines[f.line(n)]
		tags := l.tags
		k := tags & 0xff
		if k >= inLine || l.maybe(f.a) {
			return i
		}
		l.a[k] = f.a
		l.tags = tags + 1 + uint64(byte(f.b))<<(8*k+8)
	}
	return len(keys)
}

// fetchAll asks for the lines of keys from memory.
func fetchAll(lines []keyLine, keys []Fingerprint) {
	view.Fetch(lines, keys)
}

// Among lists the rows whose key is in the set; it adds none.
func (s *keySet) Among(keys []Fingerprint, known []int32) []int32 {
	const burst, ahead = 16, 64 // as in Add
	fetchAll(s.lines, keys[:min(ahead, len(keys))])
	for r := 0; r < len(keys); r += burst {
		fetchAll(s.lines, keys[min(r+ahead, len(keys)):min(r+ahead+burst, len(keys))])
		for i, f := range keys[r:min(r+burst, len(keys))] {
			if _, there := s.find(f); there {
				known = append(known, int32(r+i))
			}
		}
	}
	return known
}

// find gives the line of a key, or that with room for it, and whether it is there, or was before.
func (s *keySet) find(f Fingerprint) (at uint64, there bool) {
	at = f.line(len(s.lines))
	if l := &s.lines[at]; l.has(f) {
		return at, true
	} else if l.count() == inLine {
		at, there = s.beside(f, at)
	}
	if !there && s.before != nil {
		_, there = s.before.find(f)
	}
	return at, there
}

// beside does what find does for a key whose own line is full of others: it looks at the other line of
// the two that lie side by side, then at the next two.
func (s *keySet) beside(f Fingerprint, at uint64) (uint64, bool) {
	for {
		if l := &s.lines[at^1]; l.has(f) || l.count() < inLine {
			return at ^ 1, l.has(f)
		}
		if at += 2; at >= uint64(len(s.lines)) {
			at -= uint64(len(s.lines))
		}
		if l := &s.lines[at]; l.has(f) || l.count() < inLine {
			return at, l.has(f)
		}
	}
}

// line is where among so many lines a key stands.
func (f Fingerprint) line(lines int) uint64 { return uint64(f.b) * uint64(lines) >> 32 }

func (l *keyLine) count() uint64 { return l.tags & 0xff }

func (l *keyLine) has(f Fingerprint) bool { return l.maybe(f.a) && l.surely(f) }

func (l *keyLine) maybe(a uint64) bool {
	return l.a[0] == a || l.a[1] == a || l.a[2] == a || l.a[3] == a || l.a[4] == a || l.a[5] == a || l.a[6] == a
}

func (l *keyLine) surely(f Fingerprint) bool {
	for k := range l.count() {
		if l.a[k] == f.a && byte(l.tags>>(8*k+8)) == byte(f.b) {
			return true
		}
	}
	return false
}

// put puts a key into a line with room for it.
func (l *keyLine) put(f Fingerprint) {
	n := l.count()
	l.a[n] = f.a
	l.tags += 1 + uint64(byte(f.b))<<(8*n+8)
}
