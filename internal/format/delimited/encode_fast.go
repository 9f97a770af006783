package delimited

import (
	"slices"
	"unsafe"

	"revuelta/internal/table"
)

// woven writes what an unpivot makes: runs, codes, woven cells that need no
// quotes. It does what the loop of Append does, which is its oracle in the
// tests. Most of the rows' bytes are short repeated texts, and stored
// sixteen bytes at a time they take a third of the time of as many calls of memmove.
// The texts of runs and codes have slack behind them for that; cells have not,
// and are copied to the byte.
func (e *Encoder) woven(dst []byte, rows int) []byte {
	runs, codes, plain := &e.parts[0], &e.parts[1], &e.parts[2]
	codes.text = slices.Grow(codes.text, slack)
	e.labels = e.labels[:0]
	longest := 0
	for i := range codes.offs[1:] {
		n := int(codes.offs[i+1] - codes.offs[i])
		e.labels = append(e.labels, unsafe.String(&codes.text[codes.offs[i]], n))
		longest = max(longest, n)
	}
	each := len(plain.bases)
	for row, offset := 0, uintptr(0); row < rows; row, offset = row+each, offset+unsafe.Sizeof("") {
		e.advance(runs)
		runs.text = slices.Grow(runs.text, slack)
		need := slack + each*(len(runs.text)+longest+1)
		for _, base := range plain.bases {
			need += len(*(*string)(unsafe.Add(base, offset)))
		}
		if cap(dst)-len(dst) < need {
			dst = slices.Grow(dst, need)
		}
		start := unsafe.Pointer(unsafe.SliceData(dst))
		end := wovenRun(unsafe.Add(start, len(dst)), unsafe.Pointer(unsafe.SliceData(runs.text)), len(runs.text),
			e.labels, codes.codes[row:row+each], plain.bases, offset)
		dst = dst[:int(uintptr(end)-uintptr(start))]
	}
	return dst
}

// wovenRun writes the rows of one run and gives where it ended. It is apart
// so that all it works with fits into registers.
//
//go:noinline
func wovenRun(to, kept unsafe.Pointer, nKept int, labels []string, codes []int32, bases []unsafe.Pointer, offset uintptr) unsafe.Pointer {
	for i, code := range codes {
		blocks(to, kept, nKept)
		to = unsafe.Add(to, nKept)
		label := labels[code]
		blocks(to, unsafe.Pointer(unsafe.StringData(label)), len(label))
		to = unsafe.Add(to, len(label))
		s := *(*string)(unsafe.Add(bases[i], offset))
		if n := len(s); 4 <= n && n <= 8 { // most numbers
			from := unsafe.Pointer(unsafe.StringData(s))
			a, b := *(*uint32)(from), *(*uint32)(unsafe.Add(from, n-4))
			*(*uint32)(to), *(*uint32)(unsafe.Add(to, n-4)) = a, b
		} else if n > 0 {
			short(to, s)
		}
		to = unsafe.Add(to, len(s))
		*(*byte)(to) = '\n'
		to = unsafe.Add(to, 1)
	}
	return to
}

// exploded tells the shape that repeated writes: one plain column whose cells
// need no quotes, and runs with the same ends beside it. It gives the part that is plain, -1 for any other shape.
func (e *Encoder) exploded() int {
	plain := -1
	var ends []int32
	for i := range e.parts {
		p := &e.parts[i]
		switch {
		case p.kind == table.Plain && p.clean && p.last == nil && plain < 0:
			plain = i
		case p.kind == table.Runs && (ends == nil || sameEnds(ends, p.cols[0].Ends)):
			ends = p.cols[0].Ends
		default:
			return -1
		}
	}
	if ends == nil {
		return -1
	}
	return plain
}

// repeated writes rows of which all but one cell is the same all through a run.
func (e *Encoder) repeated(dst []byte, plain, rows int) []byte {
	p := &e.parts[plain]
	var head, tail same
	var runs []int32
	if plain > 0 {
		head.of(&e.parts[plain-1])
		runs = head.p.cols[0].Ends
	}
	if plain < len(e.parts)-1 {
		tail.of(&e.parts[plain+1])
		runs = tail.p.cols[0].Ends
	}
	// What is copied by blocks reads a little too far. That must be before the
	// end of the last cell, which is in the same text where all are.
	low, high := ends(p.cells[0], p.cells[rows-1])
	low, high = tail.widen(head.widen(low, high))
	if high < low || high-low > 2*largestText {
		low, high = 0, 0
	}
	marks := [3]mark{markOf(head.after), markOf(p.after), markOf(tail.after)}
	row := int32(0)
	for run := 0; run < len(runs); run++ {
		if head.as && tail.as {
			n, done := repeatedRuns(dst[len(dst):cap(dst)], &head, &tail, run, runs, p.cells, &marks, low, high)
			dst = dst[:len(dst)+n]
			if run += done; run == len(runs) {
				break
			}
			if done > 0 {
				row = runs[run-1]
			}
		}
		end := runs[run]
		h := head.text(e, run, low, high)
		t := tail.text(e, run, low, high)
		for row < end {
			need := len(h) + len(t) + len(p.cells[row]) + threeMarks + 4*slack
			if cap(dst)-len(dst) < need {
				dst = slices.Grow(dst, need)
			}
			n, done := repeatedRun(dst[len(dst):cap(dst)], h, t, p.cells[row:end], &marks, low, high)
			dst = dst[:len(dst)+n]
			row += int32(done)
		}
	}
	return dst
}

// repeatedRuns writes runs from one on, as many as there is room for and have
// texts that may be copied by blocks; it gives how many bytes and runs.
func repeatedRuns(room []byte, head, tail *same, run int, runs []int32, cells []string, marks *[3]mark, low, high uintptr) (int, int) {
	used, from := 0, run
	row := int32(0)
	if run > 0 {
		row = runs[run-1]
	}
	headFirst, headLast, tailFirst, tailLast := head.first, head.last, tail.first, tail.last
	for ; run < len(runs); run++ {
		end := runs[run]
		a, aTo := ends(headFirst[run], headLast[run])
		z, zTo := ends(tailFirst[run], tailLast[run])
		if a < low || z < low || aTo+slack > high || zTo+slack > high {
			break
		}
		n, done := repeatedRun(room[used:], between(headFirst[run], headLast[run]), between(tailFirst[run], tailLast[run]), cells[row:end], marks, low, high)
		if int32(done) < end-row {
			break
		}
		used += n
		row = end
	}
	return used, run - from
}

// largestText is more than a chunk of text holds, but for one with a huge row.
const largestText = 1 << 20

// same is the part of a row that stays the same all through a run.
type same struct {
	p           *part
	as          bool // it is taken as it was read
	first, last []string
	after       string
}

func (s *same) of(p *part) {
	s.p, s.after = p, p.after
	s.as = p.upTo[0] == len(p.cols) && p.cols[0].Seat != 0
	s.first, s.last = p.cols[0].Cells, p.cols[len(p.cols)-1].Cells
}

// widen makes addresses take in all texts of the part.
func (s *same) widen(low, high uintptr) (uintptr, uintptr) {
	if s.p == nil || !s.as {
		return low, high
	}
	from, _ := ends(s.first[0], s.last[0])
	_, to := ends(s.first[len(s.first)-1], s.last[len(s.last)-1])
	return min(low, from), max(high, to)
}

// text is the part's text in a run, such as may be copied by blocks, without what stands behind it.
func (s *same) text(e *Encoder, run int, low, high uintptr) string {
	if s.p == nil {
		return unsafe.String(&nothing[0], 0)
	}
	if s.as {
		if from, to := ends(s.first[run], s.last[run]); low <= from && to+slack <= high {
			return between(s.first[run], s.last[run])
		}
	}
	s.p.run = run - 1
	e.advance(s.p)
	s.p.text = slices.Grow(s.p.text, slack)
	n := len(s.p.text) - len(s.after)
	return unsafe.String(unsafe.SliceData(s.p.text), n)
}

// repeatedRun writes the rows of one run, as many as there is room for, at
// least one; it gives how many bytes and rows. Cells between the addresses low
// and high may be copied by blocks. marks stand behind head, cell and tail.
//
//go:noinline
func repeatedRun(room []byte, head, tail string, cells []string, marks *[3]mark, low, high uintptr) (int, int) {
	start := unsafe.Pointer(unsafe.SliceData(room))
	to, left := start, len(room)-4*slack
	if left < 0 {
		return 0, 0
	}
	h, nh := unsafe.Pointer(unsafe.StringData(head)), len(head)
	t, nt := unsafe.Pointer(unsafe.StringData(tail)), len(tail)
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
		if at := uintptr(from); low <= at && at+uintptr(n)+slack <= high {
			*(*[16]byte)(to) = *(*[16]byte)(from)
			if n > 16 {
				blocks(unsafe.Add(to, 16), unsafe.Add(from, 16), n-16)
			}
		} else {
			short(to, s)
		}
		to = unsafe.Add(to, len(s))
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

// nothing is a text without bytes that may be read beyond its end.
var nothing [slack]byte

// threeMarks is how long three marks are at most.
const threeMarks = 6

// mark is a text of up to two bytes.
type mark struct {
	text [2]byte
	n    int
}

func markOf(s string) (m mark) {
	m.n = copy(m.text[:], s)
	return m
}

// isClean tells the shape that cleanRows writes: plain columns, none of whose cells needs quotes.
func (e *Encoder) isClean() bool {
	for i := range e.parts {
		if p := &e.parts[i]; p.kind != table.Plain || !p.clean && p.last == nil {
			return false
		}
	}
	return len(e.parts) > 1
}

// cleanRows writes rows of which some columns are as they were read.
func (e *Encoder) cleanRows(dst []byte, rows int) []byte {
	parts := e.parts
	// As in repeated; what was read is one text, and what was taken out of its cells too.
	low, high := uintptr(0), uintptr(0)
	for i := range parts {
		if p := &parts[i]; p.last != nil {
			from, _ := ends(p.cells[0], p.last[0])
			_, to := ends(p.cells[rows-1], p.last[rows-1])
			if low == 0 || from < low {
				low = from
			}
			high = max(high, to)
		}
	}
	if high < low || high-low > 2*largestText {
		low, high = 0, 0
	}
	for i := range parts {
		p := &parts[i]
		p.mark = markOf(p.after)
		if p.last == nil {
			p.last = p.cells
		}
	}
	start := unsafe.Pointer(unsafe.SliceData(dst))
	out, room := unsafe.Add(start, len(dst)), cap(dst)-len(dst)-2*slack
	for r := range rows {
		for i := range parts {
			p := &parts[i]
			first := p.cells[r]
			from, to := ends(first, p.last[r])
			size := int(to - from)
			if room -= size + 2; room < 0 {
				dst = slices.Grow(dst[:int(uintptr(out)-uintptr(start))], size+2+2*slack)
				start = unsafe.Pointer(unsafe.SliceData(dst))
				out, room = unsafe.Add(start, len(dst)), cap(dst)-len(dst)-2*slack-size-2
			}
			if low <= from && to+slack <= high {
				text := unsafe.Pointer(unsafe.StringData(first))
				*(*[16]byte)(out) = *(*[16]byte)(text)
				if size > 16 {
					blocks(unsafe.Add(out, 16), unsafe.Add(text, 16), size-16)
				}
			} else {
				short(out, between(first, p.last[r]))
			}
			*(*[2]byte)(unsafe.Add(out, size)) = p.mark.text
			out = unsafe.Add(out, size+p.mark.n)
		}
	}
	return dst[:int(uintptr(out)-uintptr(start))]
}

// isExtended tells the shape that extended writes: columns as they were read,
// and a few with cells that need no quotes behind them, or that lie side by side too.
func (e *Encoder) isExtended() bool {
	p := e.parts
	if len(p) < 2 || p[0].last == nil || e.style.CRLF {
		return false
	}
	for i := range p[1:] {
		if z := &p[i+1]; z.kind != table.Plain || !z.clean {
			return false
		}
	}
	return true
}

// extended writes rows as they were read, with cells behind.
func (e *Encoder) extended(dst []byte, rows int) []byte {
	a, more := &e.parts[0], e.parts[1:]
	first, last := a.cells[:rows], a.last[:rows]
	low, end := ends(first[0], last[rows-1]) // as in repeated
	if end-low > 2*largestText {
		end = 0
	}
	if len(more) == 1 {
		if more[0].last == nil {
			more[0].last = more[0].cells
		}
		return e.extendedByOne(dst, first, last, more[0].cells[:rows], more[0].last[:rows], low, end)
	}
	for i := range more {
		if more[i].last == nil {
			more[i].last = more[i].cells
		}
	}
	for r := range first {
		from, to := ends(first[r], last[r])
		need := int(to-from) + 1
		for i := range more {
			need += len(between(more[i].cells[r], more[i].last[r])) + 1
		}
		n := len(dst)
		if cap(dst)-n < need+2*slack {
			dst = slices.Grow(dst, need+2*slack)
		}
		dst = dst[:n+need]
		out := unsafe.Pointer(unsafe.SliceData(dst[n:]))
		was := int(to - from)
		if low <= from && to+slack <= end {
			blocks(out, unsafe.Pointer(unsafe.StringData(first[r])), was)
		} else {
			copy(dst[n:], between(first[r], last[r]))
		}
		out = unsafe.Add(out, was)
		for i := range more {
			s := between(more[i].cells[r], more[i].last[r])
			*(*byte)(out) = e.style.Delimiter
			out = unsafe.Add(out, 1)
			short(out, s)
			out = unsafe.Add(out, len(s))
		}
		*(*byte)(out) = '\n'
	}
	return dst
}

// extendedByOne is extended with one cell behind, as most are, or with several that lie side by side.
func (e *Encoder) extendedByOne(dst []byte, first, last, cells, lastCells []string, low, end uintptr) []byte {
	for r := range cells {
		s := between(cells[r], lastCells[r])
		from, to := ends(first[r], last[r])
		was, n := int(to-from), len(dst)
		need := was + len(s) + 2
		if cap(dst)-n < need+2*slack {
			dst = slices.Grow(dst, need+2*slack)
		}
		dst = dst[:n+need]
		out := unsafe.Pointer(unsafe.SliceData(dst[n:]))
		if low <= from && to+slack <= end {
			blocks(out, unsafe.Pointer(unsafe.StringData(first[r])), was)
		} else {
			copy(dst[n:], between(first[r], last[r]))
		}
		*(*byte)(unsafe.Add(out, was)) = e.style.Delimiter
		short(unsafe.Add(out, was+1), s)
		*(*byte)(unsafe.Add(out, need-1)) = '\n'
	}
	return dst
}

// ends are the addresses between which cells and what parts them stand.
func ends(first, last string) (from, to uintptr) {
	from = uintptr(unsafe.Pointer(unsafe.StringData(first)))
	return from, uintptr(unsafe.Pointer(unsafe.StringData(last))) + uintptr(len(last))
}

// slack is how many bytes may be read and written too many.
const slack = 32

// blocks copies n bytes by sixteen; up to fifteen bytes behind both are read and overwritten.
func blocks(to, from unsafe.Pointer, n int) {
	for i := 0; i < n; i += 16 {
		*(*[16]byte)(unsafe.Add(to, i)) = *(*[16]byte)(unsafe.Add(from, i))
	}
}

// short copies a text, in loads and stores that overlap.
func short(to unsafe.Pointer, s string) {
	from, n := unsafe.Pointer(unsafe.StringData(s)), len(s)
	switch {
	case n > 64:
		copy(unsafe.Slice((*byte)(to), n), s)
	case n > 16:
		last := *(*[16]byte)(unsafe.Add(from, n-16))
		blocks(to, from, n-16) // no further than n
		*(*[16]byte)(unsafe.Add(to, n-16)) = last
	case n >= 8:
		a, b := *(*uint64)(from), *(*uint64)(unsafe.Add(from, n-8))
		*(*uint64)(to), *(*uint64)(unsafe.Add(to, n-8)) = a, b
	case n >= 4:
		a, b := *(*uint32)(from), *(*uint32)(unsafe.Add(from, n-4))
		*(*uint32)(to), *(*uint32)(unsafe.Add(to, n-4)) = a, b
	case n > 0:
		a, b, c := *(*byte)(from), *(*byte)(unsafe.Add(from, n/2)), *(*byte)(unsafe.Add(from, n-1))
		*(*byte)(to), *(*byte)(unsafe.Add(to, n/2)), *(*byte)(unsafe.Add(to, n-1)) = a, b, c
	}
}
