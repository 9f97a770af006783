package step

import (
	"hash/maphash"
)

// names numbers texts from 0 in the order in which they are added: a hash table made to be
// asked for many at a time, so that the processor waits for many places in memory at once.
type names struct {
	names  []string
	hashes []uint64
	table  []entry // its length a power of two; at most half full
}

type entry struct {
	hash uint32
	id   int32 // + 1; 0: empty
}

var seed = maphash.MakeSeed()

func hashOf(s string) uint64 { return maphash.String(seed, s) }

// find gives the number of a text, -1 where it has none.
func (n *names) find(s string, h uint64) int32 {
	if len(n.table) == 0 {
		return -1
	}
	mask := uint64(len(n.table) - 1)
	for i := h & mask; ; i = (i + 1) & mask {
		e := n.table[i]
		if e.id == 0 {
			return -1
		}
		if e.hash == uint32(h>>32) && n.names[e.id-1] == s {
			return e.id - 1
		}
	}
}

// findAll finds many texts.
func (n *names) findAll(all []string, ids []int32) {
	if len(n.table) == 0 {
		for i := range ids {
			ids[i] = -1
		}
		return
	}
	const burst = 128
	var hashes [burst]uint64
	mask := uint64(len(n.table) - 1)
	for len(all) > 0 {
		some := all[:min(burst, len(all))]
		for i, s := range some {
			hashes[i] = hashOf(s)
		}
		for i := range some { // the table's places, none of which waits for another
			h := hashes[i]
			e := n.table[h&mask]
			ids[i] = e.id - 1
			if e.hash != uint32(h>>32) && e.id != 0 {
				ids[i] = -2 // taken by another
			}
		}
		for i, s := range some {
			if id := ids[i]; id == -2 || id >= 0 && n.names[id] != s {
				ids[i] = n.find(s, hashes[i])
			}
		}
		all, ids = all[len(some):], ids[len(some):]
	}
}

// add gives a text that has none the next number; it keeps the text.
func (n *names) add(s string, h uint64) int32 {
	n.names, n.hashes = append(n.names, s), append(n.hashes, h)
	if 2*len(n.names) > len(n.table) {
		n.table = make([]entry, max(64, 4*len(n.table)))
		for i, h := range n.hashes {
			n.place(int32(i), h)
		}
	} else {
		n.place(int32(len(n.names)-1), h)
	}
	return int32(len(n.names) - 1)
}

func (n *names) place(id int32, h uint64) {
	mask := uint64(len(n.table) - 1)
	i := h & mask
	for n.table[i].id != 0 {
		i = (i + 1) & mask
	}
	n.table[i] = entry{uint32(h >> 32), id + 1}
}

// drop takes the text last added back.
func (n *names) drop() {
	last := len(n.names) - 1
	n.names, n.hashes = n.names[:last], n.hashes[:last]
	clear(n.table)
	for i, h := range n.hashes {
		n.place(int32(i), h)
	}
}
