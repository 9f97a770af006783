// Package table holds the table that flows through the program: its fields ([Schema]), its columns and the batches of
// rows, each of which knows where it came from ([Origin]). It reads and writes nothing.
//
// A cell is a string that usually views the chunk of text it was read from. In a section that promises to retain nothing
// the chunk is overwritten by a later one once its batch has left, so who keeps a cell beyond that clones it. The arrays
// around the cells are pooled and do not outlive their batch. Where a column's cells lie in a text is told by the parser and
// handed on by the functions that share, borrow and gather; nobody sets it by hand.
package table

import (
	"slices"
	"strconv"
	"sync"

	"revuelta/internal/view"
)

// Schema names the fields of a table, each name once. It is immutable and
// safe to share.
type Schema struct {
	names []string
	at    map[string]int
}

// RowsOf is how many rows of so many fields a batch has at most, where it may have so many: its cells are bounded, since each takes
// memory also where it is blank.
func RowsOf(fields, most int) int {
	const cells = 1 << 19
	return max(1, min(most, cells/max(1, fields)))
}

// NewSchema makes a schema; it keeps names. Of equal names the first is found by [Schema.Index].
func NewSchema(names []string) *Schema {
	s := &Schema{names: names, at: make(map[string]int, len(names))}
	for i, n := range names {
		if _, ok := s.at[n]; !ok {
			s.at[n] = i
		}
	}
	return s
}

// Names makes names of the cells of a header: an empty one becomes field N, one
// that comes again gets a number. It lists those it made.
func Names(cells []string) (names, empty, repeated []string) {
	const there, taken = 1, 2 // in the header; a name by now
	state := make(map[string]uint8, len(cells))
	for _, c := range cells {
		state[c] = there
	}
	tried := map[string]int{} // numbers up to which a name is taken, so that many equal ones take no time
	free := func(name string) string {
		base := name
		for n := max(tried[base]+1, 2); state[name] > 0; n++ {
			name = base + " (" + strconv.Itoa(n) + ")"
			tried[base] = n
		}
		return name
	}
	names = make([]string, 0, len(cells))
	for i, name := range cells {
		switch {
		case name == "":
			name = free("field " + strconv.Itoa(i+1))
			empty = append(empty, name)
		case state[name] == taken:
			name = free(name)
			repeated = append(repeated, name)
		}
		state[name] = taken
		names = append(names, name)
	}
	return names, empty, repeated
}

// Len is the number of fields.
func (s *Schema) Len() int { return len(s.names) }

// Name is the name of field i.
func (s *Schema) Name(i int) string { return s.names[i] }

// Names lists the names in order; the caller must not change it.
func (s *Schema) Names() []string { return s.names }

// Index finds a field by its exact name.
func (s *Schema) Index(name string) (int, bool) {
	i, ok := s.at[name]
	return i, ok
}

// Batch is consecutive rows of a table.
type Batch struct {
	Rows   int
	Cols   []Column
	Origin Origin
}

// Shape readies the batch for a number of columns, keeping the arrays it has.
func (b *Batch) Shape(cols int) {
	b.Rows = 0
	if cap(b.Cols) < cols {
		b.Cols = append(b.Cols[:cap(b.Cols)], make([]Column, cols-cap(b.Cols))...)
	}
	b.Cols = b.Cols[:cols]
}

// Own makes the batch depend on no other.
func (b *Batch) Own() {
	for i := range b.Cols {
		b.Cols[i].Own()
	}
	b.Origin.own()
}

// Clone copies the batch and the text of its cells, which then lies in one piece, so that the copy holds on to
// nothing else. It also gives the bytes the copy takes, about.
func (b *Batch) Clone() (*Batch, int64) {
	c := &Batch{Rows: b.Rows, Cols: make([]Column, len(b.Cols)), Origin: b.Origin}
	text, size := 0, 0
	for i := range c.Cols {
		col := &c.Cols[i]
		col.Borrow(&b.Cols[i])
		switch col.Kind {
		case Interleaved:
			col.Flatten(col.interleavedRows())
		case Placed:
			col.Flatten(b.Rows)
		}
		for _, cell := range col.Cells {
			text += len(cell)
		}
		size += len(col.Cells)*16 + (len(col.Ends)+len(col.Codes))*4
	}
	all := make([]byte, 0, text)
	for i := range c.Cols {
		col := &c.Cols[i]
		col.cells = make([]string, len(col.Cells))
		for r, cell := range col.Cells {
			from := len(all)
			all = append(all, cell...)
			col.cells[r] = view.String(all[from:])
		}
		col.Cells, col.Ends, col.Codes, col.source, col.foreign = col.cells, slices.Clone(col.Ends), slices.Clone(col.Codes), source{}, 0
	}
	c.Origin.own()
	return c, int64(text + size)
}

// Row appends the cells of a row to dst.
func (b *Batch) Row(row int, dst []string) []string {
	for i := range b.Cols {
		dst = append(dst, b.Cols[i].At(row))
	}
	return dst
}

// Gather makes the batch the given rows of src, in rising order.
func (b *Batch) Gather(src *Batch, rows []int32) {
	b.Shape(len(src.Cols))
	for i := range src.Cols {
		b.Cols[i].Gather(&src.Cols[i], rows)
	}
	b.Rows = len(rows)
	b.Origin.Derive(&src.Origin, rows)
}

// Extend readies the batch for the columns of src, which it borrows, and some more.
func (b *Batch) Extend(src *Batch, more int) {
	b.Shape(len(src.Cols) + more)
	for i := range src.Cols {
		b.Cols[i].Borrow(&src.Cols[i])
	}
	b.Rows, b.Origin = src.Rows, src.Origin
}

// Truncate keeps the first n rows.
func (b *Batch) Truncate(n int) {
	if n >= b.Rows {
		return
	}
	for i := range b.Cols {
		c := &b.Cols[i]
		switch c.Kind {
		case Encoded:
			c.Codes = c.Codes[:n]
		case Interleaved, Placed:
			c.Own()
			c.Cells = c.Cells[:n]
		case Runs:
			k := 0
			for k < len(c.Ends) && int(c.Ends[k]) < n {
				k++
			}
			if n == 0 {
				c.Cells, c.Ends = c.Cells[:0], c.Ends[:0]
				continue
			}
			c.Own()
			c.Cells, c.Ends = c.Cells[:k+1], c.Ends[:k+1]
			c.Ends[k] = int32(n)
		default:
			c.Cells = c.Cells[:n]
		}
	}
	if b.Origin.Lines != nil && b.Origin.Each <= 1 && b.Origin.Ends == nil {
		b.Origin.Lines = b.Origin.Lines[:n]
		if b.Origin.Files != nil {
			b.Origin.Files = b.Origin.Files[:n]
		}
	}
	b.Rows = n
}

var pool = sync.Pool{New: func() any { return new(Batch) }}

// Get gives an empty batch, with arrays of an earlier one to reuse.
func Get() *Batch { return pool.Get().(*Batch) }

// Put takes a batch back; nobody may hold it any more.
func Put(b *Batch) {
	const most = 1 << 22 // bytes in cell headers; larger ones are left to the collector
	size := 0
	for i := range b.Cols {
		size += cap(b.Cols[i].cells) * 16
	}
	if size > most {
		return
	}
	b.Shape(len(b.Cols))
	b.Origin = Origin{} // its lines may be lent
	pool.Put(b)
}

// Adopt moves the contents of src into a batch of the pool and leaves src empty.
func Adopt(src *Batch) *Batch {
	b := Get()
	*b, *src = *src, *b
	b.Own()
	src.Shape(0)
	return b
}

// sized gives a slice of n elements, of a's array where it is large enough.
func sized[T any](a []T, n int) []T {
	if cap(a) < n {
		return make([]T, n, n+n/8)
	}
	return a[:n]
}
