package delimited

import (
	"slices"
	"unsafe"
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

// extended writes rows as they were read, with one cell behind.
func (e *Encoder) extended(dst []byte, rows int) []byte {
	a, z := &e.parts[0], &e.parts[1]
	first, last, cells := a.cells[:rows], a.last[:rows], z.cells[:rows]
	// What is copied by blocks reads a little too far: it must be before the end of the last row, which is in the same text.
	low, _ := ends(first[0], last[0])
	_, end := ends(first[rows-1], last[rows-1])
	for r, s := range cells {
		from, to := ends(first[r], last[r])
		nWas, n := int(to-from), len(dst)
		need := nWas + len(s) + 2
		if cap(dst)-n < need+2*slack {
			dst = slices.Grow(dst, need+2*slack)
		}
		dst = dst[:n+need]
		out := unsafe.Pointer(unsafe.SliceData(dst[n:]))
		if low <= from && to+slack <= end {
			blocks(out, unsafe.Pointer(unsafe.StringData(first[r])), nWas)
		} else {
			copy(dst[n:], between(first[r], last[r]))
		}
		*(*byte)(unsafe.Add(out, nWas)) = e.style.Delimiter
		short(unsafe.Add(out, nWas+1), s)
		*(*byte)(unsafe.Add(out, need-1)) = '\n'
	}
	return dst
}

// ends are the addresses between which cells and what parts them stand.
func ends(first, last string) (from, to uintptr) {
	from = uintptr(unsafe.Pointer(unsafe.StringData(first)))
	return from, uintptr(unsafe.Pointer(unsafe.StringData(last))) + uintptr(len(last))
}

// slack is how many bytes blocks may read and write too many.
const slack = 16

// blocks copies n bytes by sixteen; up to fifteen bytes behind both are read and overwritten.
func blocks(to, from unsafe.Pointer, n int) {
	for i := 0; i < n; i += 16 {
		*(*[16]byte)(unsafe.Add(to, i)) = *(*[16]byte)(unsafe.Add(from, i))
	}
}

// short copies a text, in two overlapping loads where it is no longer than 16 bytes.
func short(to unsafe.Pointer, s string) {
	from, n := unsafe.Pointer(unsafe.StringData(s)), len(s)
	switch {
	case n > 16:
		copy(unsafe.Slice((*byte)(to), n), s)
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
