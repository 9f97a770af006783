package ordering

import (
	"context"
	"encoding/binary"
	"runtime"
	"slices"
	"sync"

	"revuelta/internal/step"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// A row that is sorted stands as the lengths of its cells, its line and its file, then its cells as delimited text has them, so that
// rows whose cells need no quotes leave in one piece.
const (
	cellEnd = ','
	rowEnd  = '\n'
)

// rowSize is how many bytes row r of the batch at hand takes at most.
func (x *sorter) rowSize(r int) int {
	need := 2 * binary.MaxVarintLen32
	for i := range x.cells {
		need += len(x.cells[i][r]) + binary.MaxVarintLen32 + 1
	}
	return need
}

// appendRow appends row r of the batch at hand.
func (x *sorter) appendRow(dst []byte, r, line, file int) []byte {
	for i := range x.cells {
		dst = appendLength(dst, len(x.cells[i][r]))
	}
	dst = appendLength(appendLength(dst, line), file)
	for i := range x.cells {
		dst = append(append(dst, x.cells[i][r]...), cellEnd)
	}
	dst[len(dst)-1] = rowEnd
	return dst
}

func appendLength(dst []byte, n int) []byte {
	if n < 0x80 {
		return append(dst, byte(n))
	}
	return binary.AppendUvarint(dst, uint64(n))
}

func lengthAt(text []byte, at int) (n, behind int) {
	if c := text[at]; c < 0x80 {
		return int(c), at + 1
	}
	v, used := binary.Uvarint(text[at:])
	return int(v), at + used
}

// rowHead reads what stands before the cells of a row: the length of each, and its line and file. It gives where the cells begin,
// and how long they are together with what ends each.
func rowHead(text []byte, lengths []int32) (line, file int32, at, size int) {
	n := 0
	for i := range lengths {
		n, at = lengthAt(text, at)
		lengths[i] = int32(n)
		size += n + 1
	}
	n, at = lengthAt(text, at)
	line = int32(n) - 1
	n, at = lengthAt(text, at)
	return line, int32(n), at, size
}

// rowCells reads the cells of a row, which view its text, its line, counted from 0, and its file.
func rowCells(text []byte, cells []string) (line, file int32) {
	at, n := 0, 0
	for i := range cells {
		n, at = lengthAt(text, at)
		cells[i] = view.String(text[:n]) // its place comes below
	}
	n, at = lengthAt(text, at)
	line = int32(n) - 1
	n, at = lengthAt(text, at)
	for i, c := range cells {
		cells[i] = view.String(text[at : at+len(c)])
		at += len(c) + 1
	}
	return line, int32(n)
}

// rowLength is how long the text of a row is.
func rowLength(text []byte, width int) int {
	at, n, size := 0, 0, 0
	for range width {
		n, at = lengthAt(text, at)
		size += n + 1
	}
	_, at = lengthAt(text, at)
	_, at = lengthAt(text, at)
	return at + size
}

// stretch is rows that follow each other when all are sorted: in each part those from one up to another.
type stretch struct{ from, to []int }

// stretches cuts sorted parts into pieces of about so many rows, each of which comes wholly before the next.
func stretches(parts []sortedPart, rows int) []stretch {
	type mark struct{ part, at int }
	var marks []mark
	for p := range parts {
		for at := rows; at < len(parts[p].entries); at += rows {
			marks = append(marks, mark{p, at})
		}
	}
	slices.SortFunc(marks, func(a, b mark) int {
		return parts[a.part].compare(&parts[a.part].entries[a.at], &parts[b.part], &parts[b.part].entries[b.at])
	})
	var out []stretch
	from := make([]int, len(parts))
	for i, m := range marks {
		if i%len(parts) != len(parts)-1 {
			continue
		}
		to := make([]int, len(parts))
		for p := range parts {
			to[p], _ = slices.BinarySearchFunc(parts[p].entries, &parts[m.part].entries[m.at], func(e entry, than *entry) int {
				return parts[p].compare(&e, &parts[m.part], than)
			})
		}
		out = append(out, stretch{from, to})
		from = to
	}
	to := make([]int, len(parts))
	for p := range parts {
		to[p] = len(parts[p].entries)
	}
	return append(out, stretch{from, to})
}

// emitSorted emits the rows, all of which are in memory: batches are made on all processors, and emitted in order.
func (x *sorter) emitSorted(ctx context.Context, out step.Out) error {
	parts := x.sorted()
	const most, bytes = 4096, 256 << 10
	all := stretches(parts, max(16, min(most, bytes*len(x.at)/max(1, x.size))))
	ctx, cancel := context.WithCancel(ctx)
	workers := min(runtime.GOMAXPROCS(0), len(all))
	done := make([]chan []*table.Batch, len(all))
	for i := range done {
		done[i] = make(chan []*table.Batch, 1)
	}
	ready, numbers := make(chan struct{}, 2*workers), make(chan int)
	var wg sync.WaitGroup
	defer wg.Wait()
	defer cancel()
	wg.Go(func() {
		defer close(numbers)
		for i := range all {
			select {
			case ready <- struct{}{}: // so many are made ahead
			case <-ctx.Done():
				return
			}
			select {
			case numbers <- i:
			case <-ctx.Done():
				return
			}
		}
	})
	for range workers {
		wg.Go(func() {
			w := &rowMaker{x: x}
			for i := range numbers {
				done[i] <- w.batches(parts, all[i])
			}
		})
	}
	for i := range done {
		select {
		case batches := <-done[i]:
			for _, b := range batches {
				if err := out.Emit(b); err != nil {
					return err
				}
				table.Put(b)
			}
			<-ready
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
	return context.Cause(ctx)
}

// rowMaker makes batches of sorted rows. It keeps its working memory and serves one goroutine.
type rowMaker struct {
	x       *sorter
	rows    []string // the text of each row, and what stands behind it
	lengths []int32
	places  []place
}

// place is where the cells of a row stand in its text.
type place struct{ at, size int }

// batches makes the batches of a stretch.
func (w *rowMaker) batches(parts []sortedPart, s stretch) (out []*table.Batch) {
	w.rows = w.rows[:0]
	at := slices.Clone(s.from)
	for {
		least := -1
		for p := range parts {
			if at[p] < s.to[p] && (least < 0 || parts[p].compare(&parts[p].entries[at[p]], &parts[least], &parts[least].entries[at[least]]) < 0) {
				least = p
			}
		}
		if least < 0 {
			break
		}
		row := parts[least].entries[at[least]].at
		block := w.x.blocks[row>>32]
		w.rows = append(w.rows, view.String(block[row&(1<<32-1):]))
		at[least]++
	}
	for rows := w.rows; len(rows) > 0; {
		b, n := w.batch(rows)
		out, rows = append(out, b), rows[n:]
	}
	return out
}

// batch makes a batch of the first rows, and gives how many it took.
func (w *rowMaker) batch(rows []string) (*table.Batch, int) {
	const most, bytes, ahead = 2048, 1 << 20, 32
	width, n := w.x.width, 0
	rows = rows[:min(most, len(rows))]
	b := table.Get()
	b.Shape(width)
	w.lengths, w.places = slices.Grow(w.lengths[:0], len(rows)*width)[:len(rows)*width], w.places[:0]
	lines, files := make([]int32, len(rows)), make([]int32, len(rows))
	size := 0
	view.AheadTexts(rows[:min(ahead, len(rows))])
	for n < len(rows) && size < bytes {
		if n%ahead == 0 {
			view.AheadTexts(rows[min(n+ahead, len(rows)):min(n+2*ahead, len(rows))])
		}
		var p place
		lines[n], files[n], p.at, p.size = rowHead(view.Bytes(rows[n]), w.lengths[n*width:(n+1)*width])
		w.places = append(w.places, p)
		size += p.size
		n++
	}
	text := make([]byte, 0, size+view.Slack)
	for r, p := range w.places {
		text = append(text, rows[r][p.at:p.at+p.size]...)
	}
	for i := range width {
		b.Cols[i].Make(n)
		b.Cols[i].Absent = w.x.absent[i]
	}
	all, at := view.Text(text), 0
	for r := range n {
		for i := range width {
			end := at + int(w.lengths[r*width+i])
			b.Cols[i].Cells[r] = all.Cell(at, end)
			at = end + 1
		}
	}
	for i := range width {
		b.Cols[i].Place(all, i)
	}
	b.Rows, b.Origin = n, table.Origin{File: int(files[0]), Line: 1, Each: 1, Lines: lines[:n]}
	if slices.ContainsFunc(files[:n], func(f int32) bool { return f != files[0] }) {
		b.Origin.Files = files[:n]
	}
	return b, n
}
