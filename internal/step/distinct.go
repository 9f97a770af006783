package step

import (
	"context"
	"fmt"
	"hash/maphash"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/table"
)

var distinctSpec = &Spec{
	Name: "distinct",
	Brief: []string{
		"Keeps the first of equal rows and leaves the others out.",
		"Rows are equal if all their cells are, byte for byte, or those that --by names.",
	},
	Forms:    []string{"distinct"},
	Operands: func(*Args) int { return 0 },
	Options:  []Option{{Name: "by", Value: "SELECTION", Help: "look at these fields only"}},
	Make: func(a *Args) (any, error) {
		d := &Distinct{}
		var err error
		if a.Has("by") {
			d.By, err = selection.Parse(a.Get("by", ""))
		}
		return d, err
	},
	Memory: "the cells it looks at, of each row that is kept",
	Examples: []Example{{
		Command: "revuelta distinct --by 'apiary,colony' visits.csv",
		Input:   "apiary,colony,kilos\nVesk,026,1.10\nVesk,26,2\nVesk,026,3\n",
		Output:  "apiary,colony,kilos\nVesk,026,1.10\nVesk,26,2\n",
	}},
}

// Distinct keeps the first of equal rows.
type Distinct struct{ By *selection.Selection }

// Run implements Step.
func (d *Distinct) Run(ctx context.Context, in In, out Out, s *Site) error {
	return inTurn(ctx, d, in, out, s)
}

// BindInOrder implements InOrder.
func (d *Distinct) BindInOrder(in *table.Schema) (*Ordered, error) {
	fields := except(in.Len(), nil)
	if d.By != nil {
		var err error
		if fields, err = d.By.Resolve(in); err != nil {
			return nil, err
		}
	}
	seen := newKeySet()
	spare := sync.Pool{New: func() any { return &rowKeys{} }}
	var kept, left []int32
	sub := table.Get()
	return &Ordered{
		Passing: true,
		Ahead: func(b *table.Batch) any {
			k := spare.Get().(*rowKeys)
			k.load(b, fields)
			return k
		},
		Do: func(b *table.Batch, ahead any, s *Site) {
			k := ahead.(*rowKeys)
			kept, left = seen.add(k, kept[:0], left[:0])
			spare.Put(k)
			if len(left) == 0 {
				return
			}
			s.Leave(in, b, left)
			gather(sub, b, kept)
			sub.Own() // what it lent goes with the batch
			*b, *sub = *sub, *b
		},
		Tell: func(t *Tally) string {
			if t.LeftOut == 0 {
				return "no row stands twice"
			}
			return fmt.Sprintf("%s left out: there was an equal one before", diag.Plural(t.LeftOut, "row"))
		},
	}, nil
}

// rowKeys are the keys of the rows of a batch: texts, different for different
// cells, one after the other.
type rowKeys struct {
	text   []byte
	ends   []int
	hashes []uint64
	cells  [][]string
	spare  [][]string
}

func (k *rowKeys) load(b *table.Batch, fields []int) {
	for len(k.spare) < len(fields) {
		k.spare, k.cells = append(k.spare, nil), append(k.cells, nil)
	}
	for i, f := range fields {
		k.cells[i], k.spare[i] = b.Cols[f].Flat(b.Rows, k.spare[i])
	}
	k.text, k.ends, k.hashes = k.text[:0], k.ends[:0], k.hashes[:0]
	for r := range b.Rows {
		from := len(k.text)
		for i := range fields {
			k.text = appendKey(k.text, k.cells[i][r])
		}
		k.ends = append(k.ends, len(k.text))
		k.hashes = append(k.hashes, maphash.Bytes(seed, k.text[from:]))
	}
}

// keySet is a set of texts, asked for many at a time.
type keySet struct {
	slots  []uint64 // half of the hash, and the number of the key from 1; 0: empty
	at     []uint64 // of each key: block and place in it
	blocks [][]byte
	warm   uint64 // of no use but to have the slots read
}

const (
	keyBlock  = 1 << 20
	placeBits = 32
)

func newKeySet() *keySet { return &keySet{slots: make([]uint64, 1<<10)} }

// add adds the keys; it lists the rows whose key is new, and the others.
func (s *keySet) add(k *rowKeys, fresh, known []int32) ([]int32, []int32) {
	const burst = 64
	from := 0
	for r := 0; r < len(k.ends); r += burst {
		some := k.hashes[r:min(r+burst, len(k.hashes))]
		for 3*(len(s.at)+len(some)) > 2*len(s.slots) {
			s.grow()
		}
		mask := uint64(len(s.slots) - 1)
		for _, h := range some { // no place in memory waits for another
			s.warm |= s.slots[h>>placeBits&mask]
		}
		for i, h := range some {
			key := k.text[from:k.ends[r+i]]
			from = k.ends[r+i]
			if s.insert(h>>placeBits, key) {
				fresh = append(fresh, int32(r+i))
			} else {
				known = append(known, int32(r+i))
			}
		}
	}
	return fresh, known
}

func (s *keySet) insert(half uint64, key []byte) bool {
	mask := uint64(len(s.slots) - 1)
	for i := half & mask; ; i = (i + 1) & mask {
		e := s.slots[i]
		if e == 0 {
			s.at = append(s.at, s.store(key))
			s.slots[i] = half<<placeBits | uint64(len(s.at))
			return true
		}
		if e>>placeBits == half && s.is(s.at[uint32(e)-1], key) {
			return false
		}
	}
}

func (s *keySet) is(at uint64, key []byte) bool {
	b := s.blocks[at>>placeBits][uint32(at):]
	return len(b) >= len(key) && string(b[:len(key)]) == string(key) // no key begins another
}

func (s *keySet) store(key []byte) uint64 {
	n := len(s.blocks)
	if n == 0 || cap(s.blocks[n-1])-len(s.blocks[n-1]) < len(key) {
		s.blocks = append(s.blocks, make([]byte, 0, max(keyBlock, len(key))))
		n++
	}
	b := &s.blocks[n-1]
	at := uint64(n-1)<<placeBits | uint64(len(*b))
	*b = append(*b, key...)
	return at
}

func (s *keySet) grow() {
	old := s.slots
	s.slots = make([]uint64, 2*len(old))
	at := make([]uint64, len(s.at), 2*len(s.slots)/3+1) // as many as there will be keys
	copy(at, s.at)
	s.at = at
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
