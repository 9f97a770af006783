package ordering

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/rowstore"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var SortSpec = &step.Spec{
	Name: "sort",
	Brief: []string{
		"Sorts the rows by fields; desc behind a name turns it round.",
		"Numbers where all cells of a field are, else text; blanks last; equal rows stay in their order.",
	},
	Forms:   []string{"sort SELECTION"},
	Options: []step.Option{{Name: "order", Value: "number|text|natural", Help: "how all fields are ordered; natural: digits inside text count as numbers"}},
	Make: func(a *step.Args) (step.Step, error) {
		order := ""
		if a.Has("order") {
			var err error
			if order, err = a.OneOf("order", "number", "text", "natural"); err != nil {
				return nil, err
			}
		}
		by, err := ParseOrder(a.Operands[0], order)
		return &Sort{by}, err
	},
	Memory: "all rows; beyond --memory they go to temporary files",
	Examples: []step.Example{{
		Command: "revuelta sort 'apiary, kilos desc' harvest.csv",
		Input:   "apiary,colony,kilos\nVesk,026,9\nTamro,007,\nVesk,011,10.0\n",
		Output:  "apiary,colony,kilos\nTamro,007,\nVesk,011,10.0\nVesk,026,9\n",
	}},
}

// Sort sorts the rows.
type Sort struct{ By *Order }

// sorter sorts rows that may be more than memory holds: full runs of them are
// sorted and written to files, and all runs are merged at the end.
type sorter struct {
	keys  *sortKeys
	width int
	limit int // bytes of a run; 0: none
	temp  string

	blocks [][]byte
	at     []uint64 // of each row of the run: block and place in it
	size   int
	spare  [][]byte
	files  []*sortedFile
	cells  [][]string
	flat   [][]string
	absent []table.Absent // of each field, in all rows
}

// sortedFile is a run in a temporary file, which has no name any more.
type sortedFile struct {
	f      *os.File
	orders []string // of the fields, when it was sorted
}

const sortBlock = 1 << 20

// Capabilities implements step.Step.
func (t *Sort) Capabilities() step.Capabilities {
	return step.Capabilities{Run: t.Run}
}

// Run runs it on one goroutine.
func (t *Sort) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	x := &sorter{temp: s.Resources.Temp, limit: int(s.Resources.Memory / 2)}
	defer x.Close()
	var schema *table.Schema
	rows := int64(0)
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) (err error) {
			schema, x.width = in, in.Len()
			if x.keys, err = t.By.bind(in); err != nil {
				return err
			}
			return nil
		},
		OnEmit: func(b *table.Batch) error {
			x.keys.look(b)
			rows += int64(b.Rows)
			return x.Add(ctx, b)
		},
	})
	if err != nil {
		return err
	}
	if err := out.Start(schema); err != nil {
		return err
	}
	x.keys.settle(s)
	if err := x.redo(ctx); err != nil {
		return err
	}
	s.Summary.Text = fmt.Sprintf("%s sorted", diag.Plural(rows, "row"))
	if n := len(x.files); n > 0 {
		s.Summary.Text += fmt.Sprintf(", by way of %s", diag.Plural(int64(n), "temporary file"))
	}
	return x.Emit(ctx, out)
}

// Add takes the rows of a batch.
func (x *sorter) Add(ctx context.Context, b *table.Batch) error {
	for len(x.flat) < len(b.Cols) {
		x.flat, x.cells = append(x.flat, nil), append(x.cells, nil)
	}
	for i := range b.Cols {
		x.cells[i], x.flat[i] = b.Cols[i].Flat(b.Rows, x.flat[i])
	}
	if x.absent == nil {
		x.absent = slices.Repeat([]table.Absent{table.AbsentAll}, len(b.Cols))
	}
	for i := range b.Cols {
		x.absent[i] &= b.Cols[i].Absent
	}
	for r := range b.Rows {
		need := x.rowSize(r)
		if x.limit > 0 && x.size+need+rowOverhead > x.limit && len(x.at) > 0 {
			if err := x.spill(ctx); err != nil {
				return err
			}
		}
		n := len(x.blocks)
		if n == 0 || cap(x.blocks[n-1])-len(x.blocks[n-1]) < need {
			x.blocks = append(x.blocks, x.block(need))
			n++
		}
		block := x.blocks[n-1]
		x.at = append(x.at, uint64(n-1)<<32|uint64(len(block)))
		from := len(block)
		block = x.appendRow(block, r, b.Origin.LineOf(r), b.Origin.FileOf(r))
		x.size += len(block) - from + rowOverhead
		x.blocks[n-1] = block
	}
	return nil
}

// rowOverhead is about what a row takes besides its text, while it is sorted.
const rowOverhead = 64

func (x *sorter) block(need int) []byte {
	if n := len(x.spare); n > 0 && need <= sortBlock {
		b := x.spare[n-1]
		x.spare = x.spare[:n-1]
		return b[:0]
	}
	return make([]byte, 0, max(sortBlock, need))
}

// entry is a row with the beginning of its key.
type entry struct {
	high, low uint64
	at        uint64
	key       uint64 // place of the whole key, in its part's text
}

// sortedPart is rows in order, with their keys.
type sortedPart struct {
	entries []entry
	keys    []byte
}

// sorted sorts the run at hand in as many parts as there are processors.
func (x *sorter) sorted() []sortedPart {
	n := min(runtime.GOMAXPROCS(0), 8)
	if len(x.at) < 1<<12 {
		n = 1
	}
	parts := make([]sortedPart, n)
	var wg sync.WaitGroup
	for i := range parts {
		from, to := len(x.at)*i/n, len(x.at)*(i+1)/n
		wg.Go(func() { parts[i] = x.part(x.at[from:to]) })
	}
	wg.Wait()
	return parts
}

func (x *sorter) part(rows []uint64) sortedPart {
	p := sortedPart{entries: make([]entry, len(rows)), keys: make([]byte, 0, 16*len(rows))}
	cells := make([]string, x.width)
	for i, at := range rows {
		rowCells(x.blocks[at>>32][at&(1<<32-1):], cells)
		from := len(p.keys)
		for k := range x.keys.fields {
			f := &x.keys.fields[k]
			p.keys = f.append(p.keys, cells[f.column])
		}
		key := p.keys[from:]
		p.entries[i] = entry{at: at, key: uint64(from)<<24 | uint64(min(len(key), 1<<24-1))}
		p.entries[i].hold(key, 0)
	}
	p.sort(p.entries, 0, 0)
	return p
}

// beginning is the first eight bytes as a number.
func beginning(key []byte) uint64 {
	if len(key) >= 8 {
		return binary.BigEndian.Uint64(key)
	}
	var b [8]byte
	copy(b[:], key)
	return binary.BigEndian.Uint64(b[:])
}

// whole is the key of an entry. One of 16 MiB or more counts up to there.
func (p *sortedPart) whole(e *entry) []byte {
	from := e.key >> 24
	return p.keys[from : from+e.key&(1<<24-1)]
}

// compare compares by key, equal ones by where they stood.
func (p *sortedPart) compare(a *entry, q *sortedPart, b *entry) int { return p.compareFrom(0, a, q, b) }

// compareFrom compares entries whose keys are alike up to there, and which hold what stands behind it.
func (p *sortedPart) compareFrom(behind int, a *entry, q *sortedPart, b *entry) int {
	if a.high != b.high {
		return cmp.Compare(a.high, b.high)
	}
	if a.low != b.low {
		return cmp.Compare(a.low, b.low)
	}
	x, y := p.whole(a), q.whole(b)
	if behind += 16; len(x) > behind || len(y) > behind { // else they are the same
		if c := bytes.Compare(x[min(behind, len(x)):], y[min(behind, len(y)):]); c != 0 {
			return c
		}
	}
	return cmp.Compare(a.at, b.at)
}

// spill writes the run at hand to a file, in order.
func (x *sorter) spill(ctx context.Context) error {
	x.keys.decide()
	f, err := rowstore.Temporary(x.temp)
	if err != nil {
		return err
	}
	file := &sortedFile{f: f, orders: x.keys.orders()}
	x.files = append(x.files, file)
	w := bufio.NewWriterSize(f, 256<<10)
	var head []byte
	m := newMerge(x.memory())
	for row, key := m.next(); row != nil; row, key = m.next() {
		head = binary.AppendUvarint(binary.AppendUvarint(head[:0], uint64(len(key))), uint64(len(row)))
		w.Write(head)
		w.Write(key)
		w.Write(row)
		if err := context.Cause(ctx); err != nil {
			return err
		}
	}
	if err := w.Flush(); err != nil {
		return rowstore.TemporaryError(x.temp, err)
	}
	x.spare = append(x.spare, x.blocks...)
	x.spare = slices.DeleteFunc(x.spare, func(b []byte) bool { return cap(b) != sortBlock })
	x.blocks, x.at, x.size = x.blocks[:0], x.at[:0], 0
	return nil
}

func (k *sortKeys) orders() []string {
	var out []string
	for _, f := range k.fields {
		out = append(out, f.order)
	}
	return out
}

// redo sorts those files anew that were sorted before it turned out that a field holds no numbers alone.
func (x *sorter) redo(ctx context.Context) error {
	blocks, at, size := x.blocks, x.at, x.size
	now := x.keys.orders()
	for i, file := range x.files {
		if slices.Equal(file.orders, now) {
			continue
		}
		x.blocks, x.at, x.size = nil, nil, 0
		c, err := newFileCursor(file.f)
		if err != nil {
			return err
		}
		for ; c.row != nil; c.advance() {
			x.blocks = append(x.blocks, bytes.Clone(c.row))
			x.at = append(x.at, uint64(len(x.blocks)-1)<<32)
		}
		if c.err != nil {
			return c.err
		}
		others := x.files
		x.files = nil
		if err := x.spill(ctx); err != nil {
			return err
		}
		file.f.Close()
		others[i] = x.files[0]
		x.files = others
	}
	x.blocks, x.at, x.size = blocks, at, size
	return nil
}

func (x *sorter) Close() {
	for _, f := range x.files {
		f.f.Close()
	}
}

// Emit merges all runs.
func (x *sorter) Emit(ctx context.Context, out step.Out) error {
	var cursors []cursor
	for _, file := range x.files {
		c, err := newFileCursor(file.f)
		if err != nil {
			return err
		}
		cursors = append(cursors, c)
	}
	if len(cursors) == 0 {
		return x.emitSorted(ctx, out)
	}
	m := newMerge(append(cursors, x.memory()...))
	const most = 2048
	b := table.Get()
	b.Shape(x.width)
	cols := make([][]string, x.width)
	cells := make([]string, x.width)
	var text []byte
	n := 0
	lines, files := make([]int32, most), make([]int32, most)
	send := func() error {
		if n == 0 {
			return nil
		}
		for i := range cols {
			copy(b.Cols[i].Make(n), cols[i][:n])
			b.Cols[i].Absent = x.absent[i]
		}
		b.Rows, b.Origin = n, table.Origin{File: int(files[0]), Line: 1, Each: 1, Lines: lines[:n]}
		if slices.ContainsFunc(files[:n], func(f int32) bool { return f != files[0] }) {
			b.Origin.Files = files[:n]
		}
		n = 0
		text = nil
		if err := out.Emit(b); err != nil {
			return err
		}
		b.Shape(x.width)
		return context.Cause(ctx)
	}
	for i := range cols {
		cols[i] = make([]string, most)
	}
	for row, _ := m.next(); row != nil; row, _ = m.next() {
		if m.borrowed { // its text is overwritten by the next
			if cap(text)-len(text) < len(row) {
				text = make([]byte, 0, max(64<<10, len(row)))
			}
			from := len(text)
			text = append(text, row...)
			row = text[from:]
		}
		lines[n], files[n] = rowCells(row, cells)
		for i, c := range cells {
			cols[i][n] = c
		}
		if n++; n == most {
			if err := send(); err != nil {
				return err
			}
		}
	}
	if m.err != nil {
		return m.err
	}
	return send()
}

// memory gives the rows held as sorted cursors.
func (x *sorter) memory() []cursor {
	var out []cursor
	for _, p := range x.sorted() {
		out = append(out, &memoryCursor{x: x, p: p, i: -1})
	}
	return out
}

// cursor goes through sorted rows.
type cursor interface {
	// step goes to the next row and gives it with its key, nil after the last.
	step() (row, key []byte, err error)
	lends() bool // the row is good until the next step only
}

type memoryCursor struct {
	x *sorter
	p sortedPart
	i int
}

func (c *memoryCursor) lends() bool { return false }

func (c *memoryCursor) step() ([]byte, []byte, error) {
	if c.i++; c.i >= len(c.p.entries) {
		return nil, nil, nil
	}
	e := &c.p.entries[c.i]
	text := c.x.blocks[e.at>>32][e.at&(1<<32-1):]
	return text[:rowLength(text, c.x.width)], c.p.whole(e), nil
}

// fileCursor reads a sorted file.
type fileCursor struct {
	r        *bufio.Reader
	row, key []byte
	err      error
	buf      []byte
	other    []byte
}

func newFileCursor(f *os.File) (*fileCursor, error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, rowstore.TemporaryError("", err)
	}
	c := &fileCursor{r: bufio.NewReaderSize(f, 256<<10)}
	c.advance()
	return c, c.err
}

func (c *fileCursor) advance() {
	c.row, c.key = nil, nil
	k, err := binary.ReadUvarint(c.r)
	if err == io.EOF {
		return
	}
	n, err2 := binary.ReadUvarint(c.r)
	if err == nil {
		err = err2
	}
	if err == nil {
		c.buf = slices.Grow(c.buf[:0], int(k+n))[:k+n]
		_, err = io.ReadFull(c.r, c.buf)
	}
	if err != nil {
		c.err = rowstore.TemporaryError("", err)
		return
	}
	c.key, c.row = c.buf[:k:k], c.buf[k:]
}

func (c *fileCursor) lends() bool { return true }

func (c *fileCursor) step() ([]byte, []byte, error) {
	row, key := c.row, c.key
	if row == nil {
		return nil, nil, c.err
	}
	// What is given must outlive the reading of the next: two buffers take turns.
	c.buf, c.other = c.other, c.buf
	c.advance()
	return row, key, nil
}

// merge goes through many cursors in order; of equal rows those of the earlier cursor come first.
type merge struct {
	cursors  []cursor
	heads    []head
	heap     []int // numbers of cursors, the least first
	borrowed bool
	last     int
	err      error
}

type head struct{ row, key []byte }

func newMerge(cursors []cursor) *merge {
	m := &merge{cursors: cursors, heads: make([]head, len(cursors)), last: -1}
	for i := range cursors {
		if m.fill(i) {
			m.heap = append(m.heap, i)
		}
	}
	for i := len(m.heap)/2 - 1; i >= 0; i-- {
		m.down(i)
	}
	return m
}

func (m *merge) fill(i int) bool {
	row, key, err := m.cursors[i].step()
	if err != nil && m.err == nil {
		m.err = err
	}
	m.heads[i] = head{row, key}
	return row != nil
}

func (m *merge) less(a, b int) bool {
	c := bytes.Compare(m.heads[a].key, m.heads[b].key)
	return c < 0 || c == 0 && a < b
}

func (m *merge) down(i int) {
	for {
		k := 2*i + 1
		if k >= len(m.heap) {
			return
		}
		if k+1 < len(m.heap) && m.less(m.heap[k+1], m.heap[k]) {
			k++
		}
		if !m.less(m.heap[k], m.heap[i]) {
			return
		}
		m.heap[i], m.heap[k] = m.heap[k], m.heap[i]
		i = k
	}
}

// next gives the next row and its key, nil after the last or an error.
func (m *merge) next() (row, key []byte) {
	if m.last >= 0 { // the one given last goes on
		if m.fill(m.last) {
			m.down(0)
		} else {
			m.heap[0] = m.heap[len(m.heap)-1]
			m.heap = m.heap[:len(m.heap)-1]
			m.down(0)
		}
	}
	if len(m.heap) == 0 || m.err != nil {
		m.last = -1
		return nil, nil
	}
	m.last = m.heap[0]
	m.borrowed = m.cursors[m.last].lends()
	return m.heads[m.last].row, m.heads[m.last].key
}

// sortStable sorts numbers by their keys, equal ones as they are.
func sortStable(order []int, keys []string) {
	slices.SortStableFunc(order, func(a, b int) int { return strings.Compare(keys[a], keys[b]) })
}

// NewOrderKeeper is a sorter of rows with a number behind their cells.
func NewOrderKeeper(width int, by []int, order string, s *step.Context) *sorter {
	k := &sortKeys{}
	for _, i := range by {
		k.fields = append(k.fields, sortField{column: i, order: order})
	}
	return &sorter{keys: k, width: width + 1, limit: int(s.Resources.Memory / 4), temp: s.Resources.Temp}
}
