package formula

import (
	"encoding/binary"

	"revuelta/internal/view"
)

// memo remembers what a formula of one field makes of short cells: columns
// repeat themselves, and to find a result costs a fraction of its calculation.
// It grows while that helps and gives up where cells hardly ever come again.
type memo struct {
	slots        []pair // a power of two; each key has two places
	asked, found int
	text         []byte // the results are kept here
}

// remembered is a cell and its result, in 32 bytes.
type remembered struct {
	a, b   uint64 // b is 0 where there is none
	result string
}

// pair is the places of one hash, the later one first.
type pair [2]remembered

const (
	fewestSlots = 1 << 10
	mostSlots   = 1 << 14
	trial       = 1 << 15 // lookups after which it is judged
	memoText    = 1 << 14
)

// key is a cell of 1 to 15 bytes as two words that no other has, b never 0.
func key(s string) (a, b uint64, ok bool) {
	p, n := view.Bytes(s), len(s)
	switch {
	case n == 0 || n > 15:
		return 0, 0, false
	case n > 8:
		a, b = binary.LittleEndian.Uint64(p), binary.LittleEndian.Uint64(p[n-8:])>>(8*(16-n)&63)
	case n == 8:
		a = binary.LittleEndian.Uint64(p)
	case n >= 4:
		a = uint64(binary.LittleEndian.Uint32(p)) | uint64(binary.LittleEndian.Uint32(p[n-4:]))<<(8*(n-4)&63)
	default:
		a = uint64(p[0]) | uint64(p[n/2])<<8 | uint64(p[n-1])<<16
	}
	return a, b | uint64(n)<<56, true
}

func (m *memo) slot(a, b uint64) *pair {
	h := (a ^ b*0x9E3779B97F4A7C15) * 0xD6E8FEB86659FD93
	return &m.slots[h>>32&uint64(len(m.slots)-1)]
}

// cells gives the results for the cells it remembers, as many as there are in a row from the first on.
func (m *memo) cells(in, out []string) int {
	for i, s := range in {
		a, b, ok := key(s)
		if !ok {
			return i
		}
		p := m.slot(a, b)
		if r := &p[0]; r.a == a && r.b == b {
			out[i] = r.result
			continue
		}
		if r := &p[1]; r.a == a && r.b == b {
			out[i] = r.result
			continue
		}
		return i
	}
	return len(in)
}

// keep remembers a result.
func (m *memo) keep(s string, result []byte) {
	a, b, ok := key(s)
	if !ok {
		return
	}
	if len(result) > cap(m.text)-len(m.text) {
		m.text = make([]byte, 0, max(memoText, len(result))) // older results keep the older ones alive
	}
	n := len(m.text)
	m.text = append(m.text, result...)
	m.put(remembered{a, b, view.String(m.text[n:])})
}

func (m *memo) put(r remembered) {
	p := m.slot(r.a, r.b)
	p[1], p[0] = p[0], r
}

// judge tells whether to go on with it.
func (m *memo) judge() bool {
	if m.asked < trial {
		return true
	}
	found := float64(m.found) / float64(m.asked)
	m.asked, m.found = 0, 0
	if found > 0.95 {
		return true
	}
	if len(m.slots) < mostSlots {
		old := m.slots
		m.slots = make([]pair, 4*len(old))
		for _, p := range old {
			for _, r := range [...]remembered{p[1], p[0]} {
				if r.b != 0 {
					m.put(r)
				}
			}
		}
		return true
	}
	return found > 0.7
}
