package view

import (
	"slices"
	"unsafe"
)

// Slack is how many bytes behind its end a block copy may read and overwrite: whoever hands in a text that is to be
// copied in blocks leaves that much capacity behind it.
const Slack = 32

// Mark is a text of up to two bytes that stands behind a cell or a row: a delimiter or a line end.
type Mark struct {
	text [2]byte
	n    int
}

// MarkOf makes a mark of a text, of which it takes the first two bytes.
func MarkOf(s string) (m Mark) {
	m.n = copy(m.text[:], s)
	return m
}

// Span is neighbouring cells that leave in one piece, and the mark behind them: in row r all that stands in the text
// from First[r] through Last[r]; where there is no text, First[r] alone.
type Span struct {
	Text        Text
	First, Last []string
	Mark        Mark

	blocks bool // all bytes of the rows at hand may be copied in blocks
}

// Rows appends rows of spans, as many as each of them has.
func Rows(dst []byte, spans []Span) []byte {
	rows := len(spans[0].First)
	for i := range spans {
		s := &spans[i]
		if s.Text == nil {
			s.Last = s.First
		}
		if len(s.First) != rows || len(s.Last) != rows {
			panic("view: spans of different lengths")
		}
	}
	for from := 0; from < rows; from += tile {
		n := min(tile, rows-from)
		need := 2 * Slack
		for i := range spans {
			need += spans[i].measure(from, n)
		}
		if cap(dst)-len(dst) < need {
			dst = slices.Grow(dst, need)
		}
		start := unsafe.Pointer(unsafe.SliceData(dst))
		end := writeRows(unsafe.Add(start, len(dst)), spans, from, n)
		dst = dst[:int(uintptr(end)-uintptr(start))]
	}
	return dst
}

// tile is how many rows are measured, then written: few enough for their cells to stay in the nearest cache.
const tile = 64

// measure gives how many bytes a span takes in some rows, and sees whether all of them may be copied in blocks. It
// panics where cells do not lie in the text.
func (s *Span) measure(row, rows int) int {
	size := (s.Mark.n + 1) * rows
	first, last := s.First[row:row+rows], s.Last[row:row+rows]
	if s.blocks = s.Text != nil; !s.blocks {
		for _, cell := range first {
			size += len(cell)
		}
		return size
	}
	base, most, high := uintptr(unsafe.Pointer(unsafe.SliceData(s.Text))), uintptr(len(s.Text)), uintptr(0)
	for r, cell := range first {
		from := uintptr(unsafe.Pointer(unsafe.StringData(cell)))
		n := uintptr(unsafe.Pointer(unsafe.StringData(last[r]))) - from + uintptr(len(last[r]))
		at := from - base
		if at > most || n > most-at {
			panic(notInText)
		}
		high = max(high, at+n)
		size += int(n)
	}
	s.blocks = high+Slack <= uintptr(cap(s.Text))
	return size
}

// writeRows writes rows that were measured, and gives where they end.
//
//go:noinline
func writeRows(out unsafe.Pointer, spans []Span, row, rows int) unsafe.Pointer {
	for r := row; r < row+rows; r++ {
		for i := range spans {
			p := &spans[i]
			first := *(*string)(unsafe.Add(unsafe.Pointer(unsafe.SliceData(p.First)), r*16))
			last := *(*string)(unsafe.Add(unsafe.Pointer(unsafe.SliceData(p.Last)), r*16))
			from := unsafe.Pointer(unsafe.StringData(first))
			n := int(uintptr(unsafe.Pointer(unsafe.StringData(last))) - uintptr(from) + uintptr(len(last)))
			switch {
			case n > 96: // from so many on memmove is quicker
				copy(unsafe.Slice((*byte)(out), n), unsafe.Slice((*byte)(from), n))
			case p.blocks:
				*(*[16]byte)(out) = *(*[16]byte)(from)
				*(*[16]byte)(unsafe.Add(out, 16)) = *(*[16]byte)(unsafe.Add(from, 16))
				if n > 32 {
					blocks(unsafe.Add(out, 32), unsafe.Add(from, 32), n-32)
				}
			case 4 <= n && n <= 8: // as in short
				a, b := *(*uint32)(from), *(*uint32)(unsafe.Add(from, n-4))
				*(*uint32)(out), *(*uint32)(unsafe.Add(out, n-4)) = a, b
			case n > 0:
				others(out, from, n)
			}
			*(*[2]byte)(unsafe.Add(out, n)) = p.Mark.text
			out = unsafe.Add(out, n+p.Mark.n)
		}
	}
	return out
}

// Interleaved is columns of a table of which a cell of each is taken in turn: that of every measure for the first
// combination, for the second, and so on, then those of the next row. It keeps its working memory.
type Interleaved struct {
	bases    []unsafe.Pointer // of the column of each combination and measure, the measures side by side
	measures int
	rows     int
	blanks   []string
	labels   []string // each with Slack readable behind it
	longest  int
}

// Load takes the columns: measures[m][c] has the cells of measure m and combination c, nil for blanks, all with so many
// rows; and the labels, which must have [Slack] behind them and stay as they are as long as rows are appended.
func (v *Interleaved) Load(labels [][]byte, measures [][][]string, rows int) {
	v.measures, v.rows = len(measures), rows
	if len(v.blanks) < rows {
		v.blanks = make([]string, rows)
	}
	v.bases, v.labels, v.longest = v.bases[:0], v.labels[:0], 0
	for c := range measures[0] {
		for _, m := range measures {
			cells := m[c]
			if cells == nil {
				cells = v.blanks
			}
			if len(cells) < rows {
				panic("view: an interleaved column lacks rows")
			}
			v.bases = append(v.bases, unsafe.Pointer(unsafe.SliceData(cells)))
		}
	}
	for _, l := range labels {
		if cap(l)-len(l) < Slack {
			panic(noSlack)
		}
		v.labels, v.longest = append(v.labels, String(l)), max(v.longest, len(l))
	}
}

// Append appends what a row makes: for each combination the text that is kept, that of its label, and its cells with a
// delimiter between them, and behind the last the end. The label of combination c is number codes[c]. tail is the end, of so many
// bytes, and the text that is kept, with [Slack] behind it.
func (v *Interleaved) Append(dst, tail []byte, end int, codes []int32, row int, delimiter byte) []byte {
	if row < 0 || row >= v.rows || len(codes) == 0 || len(codes)*v.measures != len(v.bases) || end < 0 || end > len(tail) {
		panic("view: no such row")
	}
	if cap(tail)-len(tail) < Slack {
		panic(noSlack)
	}
	offset := uintptr(row) * unsafe.Sizeof("")
	need := 2*Slack + (len(codes)+1)*(len(tail)+v.longest+v.measures)
	for _, base := range v.bases {
		need += len(*(*string)(unsafe.Add(base, offset)))
	}
	if cap(dst)-len(dst) < need {
		dst = slices.Grow(dst, need)
	}
	start := unsafe.Pointer(unsafe.SliceData(dst))
	to := unsafe.Add(start, len(dst))
	blocks(to, unsafe.Add(unsafe.Pointer(unsafe.SliceData(tail)), end), len(tail)-end)
	to = unsafe.Add(to, len(tail)-end)
	if v.measures == 1 {
		to = interleaveOne(to, unsafe.Pointer(unsafe.SliceData(tail)), len(tail), v.labels, codes, v.bases[:len(codes)], offset)
	} else {
		to = interleave(to, tail, v.labels, codes, v.bases, v.measures, offset, delimiter)
	}
	return dst[:int(uintptr(to)-uintptr(start))-len(tail)+end]
}

// interleaveOne is apart so that all it works with fits into registers. It writes a tail behind each row, so of the last one too much.
//
//go:noinline
func interleaveOne(to, tail unsafe.Pointer, n int, labels []string, codes []int32, bases []unsafe.Pointer, offset uintptr) unsafe.Pointer {
	bases = bases[:len(codes)]
	for i, code := range codes {
		label := labels[code]
		blocks(to, unsafe.Pointer(unsafe.StringData(label)), len(label))
		to = unsafe.Add(to, len(label))
		s := *(*string)(unsafe.Add(bases[i], offset))
		if n := len(s); 4 <= n && n <= 8 { // as in short, most numbers
			from := unsafe.Pointer(unsafe.StringData(s))
			a, b := *(*uint32)(from), *(*uint32)(unsafe.Add(from, n-4))
			*(*uint32)(to), *(*uint32)(unsafe.Add(to, n-4)) = a, b
		} else if n > 0 {
			others(to, unsafe.Pointer(unsafe.StringData(s)), n)
		}
		to = unsafe.Add(to, len(s))
		blocks(to, tail, n)
		to = unsafe.Add(to, n)
	}
	return to
}

//go:noinline
func interleave(to unsafe.Pointer, tail []byte, labels []string, codes []int32, bases []unsafe.Pointer, measures int, offset uintptr, delimiter byte) unsafe.Pointer {
	t, n := unsafe.Pointer(unsafe.SliceData(tail)), len(tail)
	for _, code := range codes {
		label := labels[code]
		blocks(to, unsafe.Pointer(unsafe.StringData(label)), len(label))
		to = unsafe.Add(to, len(label))
		for _, base := range bases[:measures] {
			s := *(*string)(unsafe.Add(base, offset))
			if n := len(s); 4 <= n && n <= 8 {
				from := unsafe.Pointer(unsafe.StringData(s))
				a, b := *(*uint32)(from), *(*uint32)(unsafe.Add(from, n-4))
				*(*uint32)(to), *(*uint32)(unsafe.Add(to, n-4)) = a, b
			} else if n > 0 {
				others(to, unsafe.Pointer(unsafe.StringData(s)), n)
			}
			to = unsafe.Add(to, len(s))
			*(*byte)(to) = delimiter
			to = unsafe.Add(to, 1)
		}
		bases = bases[measures:]
		to = unsafe.Add(to, -1) // the tail takes the place of the last delimiter
		blocks(to, t, n)
		to = unsafe.Add(to, n)
	}
	return to
}

const (
	noSlack   = "view: a text without slack behind it"
	notInText = "view: cells do not lie in their text one behind the other"
)

// Repeat writes rows of which all but one cell is the same, as many as room has capacity for: head, its mark, the cell,
// its mark, tail, its mark. It gives how many bytes and rows. head and tail have [Slack] behind them. text is where cells may lie,
// which are copied in blocks then.
func Repeat(room, head, tail []byte, cells []string, marks *[3]Mark, text Text) (int, int) {
	if cap(head)-len(head) < Slack || cap(tail)-len(tail) < Slack {
		panic(noSlack)
	}
	return repeat(unsafe.Pointer(unsafe.SliceData(room)), cap(room), unsafe.Pointer(unsafe.SliceData(head)), len(head),
		unsafe.Pointer(unsafe.SliceData(tail)), len(tail), cells, marks, text)
}

// RepeatRuns writes as [Repeat] does the rows of runs from one on, which end where ends tells, as long as there is room for all
// of a run and its head and tail, spans of one text, have [Slack] behind them. It gives how many bytes and runs.
func RepeatRuns(room []byte, head, tail *Span, run int, ends []int32, cells []string, marks *[3]Mark) (int, int) {
	headFirst, headLast, tailFirst, tailLast, text := head.First[:len(ends)], head.Last[:len(ends)], tail.First[:len(ends)], tail.Last[:len(ends)], head.Text
	base, most := uintptr(unsafe.Pointer(unsafe.SliceData(text))), uintptr(min(max(cap(text)-Slack, 0), len(text)))
	used, from, row := 0, run, int32(0)
	if cap(text) < Slack { // not even a blank cell at its beginning may be copied in blocks
		return 0, 0
	}
	if run > 0 {
		row = ends[run-1]
	}
	start := unsafe.Pointer(unsafe.SliceData(room))
	for ; run < len(ends); run++ {
		h, t := unsafe.Pointer(unsafe.StringData(headFirst[run])), unsafe.Pointer(unsafe.StringData(tailFirst[run]))
		nh := uintptr(unsafe.Pointer(unsafe.StringData(headLast[run]))) - uintptr(h) + uintptr(len(headLast[run]))
		nt := uintptr(unsafe.Pointer(unsafe.StringData(tailLast[run]))) - uintptr(t) + uintptr(len(tailLast[run]))
		if a, z := uintptr(h)-base, uintptr(t)-base; a > most || z > most || nh > most-a || nt > most-z {
			break
		}
		n, done := repeat(unsafe.Add(start, used), cap(room)-used, h, int(nh), t, int(nt), cells[row:ends[run]], marks, text)
		if done < int(ends[run]-row) {
			break
		}
		used += n
		row = ends[run]
	}
	return used, run - from
}

// repeat writes what fits into room but for the slack of copying.
func repeat(start unsafe.Pointer, room int, h unsafe.Pointer, nh int, t unsafe.Pointer, nt int, cells []string, marks *[3]Mark, text Text) (written, done int) {
	left := room - 4*Slack
	if left < 0 || len(cells) == 0 {
		return 0, 0
	}
	if wide && text != nil {
		low, most := uintptr(unsafe.Pointer(unsafe.SliceData(text))), uintptr(max(cap(text)-Slack, 0))
		if written, done = repeat64(start, left, h, nh, t, nt, unsafe.Pointer(unsafe.SliceData(cells)), len(cells), unsafe.Pointer(marks), low, most); done == len(cells) {
			return written, done
		}
	}
	more, also := repeatEach(unsafe.Add(start, written), left-written, h, nh, t, nt, cells[done:], marks, text)
	return written + more, done + also
}

// repeatEach is repeat by sixteen bytes.
//
//go:noinline
func repeatEach(start unsafe.Pointer, left int, h unsafe.Pointer, nh int, t unsafe.Pointer, nt int, cells []string, marks *[3]Mark, text Text) (int, int) {
	to := start
	low, most := uintptr(unsafe.Pointer(unsafe.SliceData(text))), uintptr(max(cap(text)-Slack, 0))
	hh, lh, cc, lc, tt, lt := marks[0].text, marks[0].n, marks[1].text, marks[1].n, marks[2].text, marks[2].n
	for i, s := range cells {
		n := len(s)
		if left -= nh + nt + n + threeMarks; left < 0 {
			return int(uintptr(to) - uintptr(start)), i
		}
		*(*[16]byte)(to) = *(*[16]byte)(h)
		if nh > 16 {
			blocks(unsafe.Add(to, 16), unsafe.Add(h, 16), nh-16)
		}
		to = unsafe.Add(to, nh)
		*(*[2]byte)(to) = hh
		to = unsafe.Add(to, lh)
		from := unsafe.Pointer(unsafe.StringData(s))
		if at := uintptr(from) - low; at < most && uintptr(n) <= most-at {
			*(*[16]byte)(to) = *(*[16]byte)(from)
			if n > 16 {
				blocks(unsafe.Add(to, 16), unsafe.Add(from, 16), n-16)
			}
		} else {
			short(to, from, n)
		}
		to = unsafe.Add(to, n)
		*(*[2]byte)(to) = cc
		to = unsafe.Add(to, lc)
		*(*[16]byte)(to) = *(*[16]byte)(t)
		*(*[16]byte)(unsafe.Add(to, 16)) = *(*[16]byte)(unsafe.Add(t, 16))
		if nt > 32 {
			blocks(unsafe.Add(to, 32), unsafe.Add(t, 32), nt-32)
		}
		to = unsafe.Add(to, nt)
		*(*[2]byte)(to) = tt
		to = unsafe.Add(to, lt)
	}
	return int(uintptr(to) - uintptr(start)), len(cells)
}

// RepeatRoom is the capacity in which [Repeat] surely writes a row of texts so long in all.
func RepeatRoom(n int) int { return n + threeMarks + 4*Slack }

// threeMarks is how long three marks are at most.
const threeMarks = 6

// blocks copies n bytes by sixteen; up to fifteen bytes behind both are read and overwritten.
func blocks(to, from unsafe.Pointer, n int) {
	for i := 0; i < n; i += 16 {
		*(*[16]byte)(unsafe.Add(to, i)) = *(*[16]byte)(unsafe.Add(from, i))
	}
}

// short copies n bytes and no more, in loads and stores that overlap.
func short(to, from unsafe.Pointer, n int) {
	if 4 <= n && n <= 8 { // most numbers
		a, b := *(*uint32)(from), *(*uint32)(unsafe.Add(from, n-4))
		*(*uint32)(to), *(*uint32)(unsafe.Add(to, n-4)) = a, b
	} else if n > 0 {
		others(to, from, n)
	}
}

func others(to, from unsafe.Pointer, n int) {
	switch {
	case n > 64:
		copy(unsafe.Slice((*byte)(to), n), unsafe.Slice((*byte)(from), n))
	case n > 16:
		last := *(*[16]byte)(unsafe.Add(from, n-16))
		blocks(to, from, n-16) // no further than n
		*(*[16]byte)(unsafe.Add(to, n-16)) = last
	case n >= 8:
		a, b := *(*uint64)(from), *(*uint64)(unsafe.Add(from, n-8))
		*(*uint64)(to), *(*uint64)(unsafe.Add(to, n-8)) = a, b
	default:
		a, b, c := *(*byte)(from), *(*byte)(unsafe.Add(from, n/2)), *(*byte)(unsafe.Add(from, n-1))
		*(*byte)(to), *(*byte)(unsafe.Add(to, n/2)), *(*byte)(unsafe.Add(to, n-1)) = a, b, c
	}
}
