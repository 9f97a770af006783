package step

import (
	"context"
	"fmt"
	"hash/maphash"
	"strconv"
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
	Memory: "the cells it looks at, of each row that is kept; beyond --memory rows go to temporary files",
	Examples: []Example{{
		Command: "revuelta distinct --by 'apiary,colony' visits.csv",
		Input:   "apiary,colony,kilos\nVesk,026,1.10\nVesk,26,2\nVesk,026,3\n",
		Output:  "apiary,colony,kilos\nVesk,026,1.10\nVesk,26,2\n",
	}},
}

// Distinct keeps the first of equal rows.
type Distinct struct{ By *selection.Selection }

// MayExceed implements Spilling: what is held is not much more than what was read.
func (d *Distinct) MayExceed(size, memory int64) bool { return size == 0 || 2*size > memory }

func (d *Distinct) fields(in *table.Schema) ([]int, error) {
	if d.By == nil {
		return except(in.Len(), nil), nil
	}
	return d.By.Resolve(in)
}

// Run implements Step. Rows whose keys memory has no room for are sorted by
// them, which brings equal ones together, and the first of each put back into the order they came in.
func (d *Distinct) Run(ctx context.Context, in In, out Out, s *Site) error {
	if s.Memory == 0 {
		return inTurn(ctx, d, in, out, s)
	}
	var schema *table.Schema
	var fields []int
	seen := newKeySet()
	keys := &rowKeys{}
	var kept, left []int32
	sub := table.Get()
	var rest *sorter // of the rows there was no room for
	number := int64(0)
	err := in(ctx, Through{
		OnStart: func(in *table.Schema) (err error) {
			schema = in
			if fields, err = d.fields(in); err != nil {
				return err
			}
			return out.Start(in)
		},
		OnEmit: func(b *table.Batch) error {
			keys.load(b, fields)
			if rest == nil {
				kept, left = seen.add(keys, kept[:0], left[:0])
				s.Leave(schema, b, left)
				if seen.size() > s.Memory/2 {
					rest = newOrderKeeper(schema.Len(), fields, "text", s)
				}
				if len(kept) == 0 {
					return nil
				}
				gather(sub, b, kept)
				return out.Emit(sub)
			}
			kept, left = seen.among(keys, kept[:0], left[:0])
			s.Leave(schema, b, left)
			gather(sub, b, kept)
			number = numbered(sub, number)
			return rest.add(ctx, sub)
		},
	})
	if err == nil && rest != nil {
		err = d.rest(ctx, schema, fields, rest, out, s)
	}
	s.Say = tellDistinct(&s.Tally)
	return err
}

// newOrderKeeper is a sorter of rows with a number behind their cells.
func newOrderKeeper(width int, by []int, order string, s *Site) *sorter {
	k := &sortKeys{}
	for _, i := range by {
		k.fields = append(k.fields, sortField{column: i, order: order})
	}
	return &sorter{keys: k, width: width + 1, limit: int(s.Memory / 4), temp: s.Temp}
}

// numbered numbers the rows of a batch, in a column behind the others.
func numbered(b *table.Batch, from int64) int64 {
	b.Cols = append(b.Cols, table.Column{})
	numbers := b.Cols[len(b.Cols)-1].Make(b.Rows)
	for r := range numbers {
		numbers[r] = strconv.FormatInt(from, 10)
		from++
	}
	return from
}

// rest finds the first of equal rows among those that were sorted.
func (d *Distinct) rest(ctx context.Context, schema *table.Schema, fields []int, rest *sorter, out Out, s *Site) error {
	defer rest.close()
	first := newOrderKeeper(schema.Len(), []int{schema.Len()}, "number", s)
	defer first.close()
	key := rowKey(fields)
	before, any := "", false
	var kept, left []int32
	sub := table.Get()
	err := rest.emit(ctx, Through{OnEmit: func(b *table.Batch) error {
		kept, left = kept[:0], left[:0]
		for r := range b.Rows {
			k := key(b, r)
			if any && k == before {
				left = append(left, int32(r))
				continue
			}
			before, any = k, true
			kept = append(kept, int32(r))
		}
		if len(left) > 0 {
			bare := *b
			bare.Cols = b.Cols[:schema.Len()]
			s.Leave(schema, &bare, left)
		}
		gather(sub, b, kept)
		return first.add(ctx, sub)
	}})
	if err != nil {
		return err
	}
	return first.emit(ctx, Through{OnEmit: func(b *table.Batch) error {
		b.Cols = b.Cols[:schema.Len()]
		return out.Emit(b)
	}})
}

// BindInOrder implements InOrder.
func (d *Distinct) BindInOrder(in *table.Schema) (*Ordered, error) {
	fields, err := d.fields(in)
	if err != nil {
		return nil, err
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
		Tell: tellDistinct,
	}, nil
}

func tellDistinct(t *Tally) string {
	if t.LeftOut == 0 {
		return "no row stands twice"
	}
	return fmt.Sprintf("%s left out: there was an equal one before", diag.Plural(t.LeftOut, "row"))
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

// among lists the rows whose key is not in the set, and the others; it adds none.
func (s *keySet) among(k *rowKeys, fresh, known []int32) ([]int32, []int32) {
	from := 0
	mask := uint64(len(s.slots) - 1)
	for r, h := range k.hashes {
		key := k.text[from:k.ends[r]]
		from = k.ends[r]
		half, found := h>>placeBits, false
		for i := half & mask; s.slots[i] != 0 && !found; i = (i + 1) & mask {
			e := s.slots[i]
			found = e>>placeBits == half && s.is(s.at[uint32(e)-1], key)
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
func (s *keySet) size() int64 {
	return int64(len(s.slots)*8 + cap(s.at)*8 + len(s.blocks)*keyBlock)
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
