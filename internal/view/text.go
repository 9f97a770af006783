// Package view is the memory that cells view without a copy. It is the only package that may import unsafe, and holds
// all that needs it: texts over bytes, the place of a cell in the text it was read from, and copying in blocks.
//
// Its invariants: a place is asked of the text the cell came from, so whoever asks for a wrong one gets bytes of that
// text or a panic, never other memory; a copy writes within the capacity of its destination and reads within the capacity
// of its source, the bytes beyond both lengths being overwritten or read in vain. It knows nothing of tables.
package view

import (
	"encoding/binary"
	"unsafe"
)

// String views bytes as a text. They must not be changed as long as it is used.
func String(b []byte) string { return unsafe.String(unsafe.SliceData(b), len(b)) }

// Bytes views a text as bytes, which must not be written.
func Bytes(s string) []byte { return unsafe.Slice(unsafe.StringData(s), len(s)) }

// Text is memory that many cells view: a chunk of a file, or what was put together for them.
type Text []byte

// Same reports whether two texts are the same memory.
func (t Text) Same(o Text) bool {
	return len(t) == len(o) && unsafe.SliceData(t) == unsafe.SliceData(o)
}

// At is the offset of a cell in the text, -1 where it does not lie in it. A blank cell has a place too where it was made with one.
func (t Text) At(s string) int {
	at := uintptr(unsafe.Pointer(unsafe.StringData(s))) - uintptr(unsafe.Pointer(unsafe.SliceData(t)))
	if at > uintptr(len(t)) || uintptr(len(s)) > uintptr(len(t))-at {
		return -1
	}
	return int(at)
}

// Cell is the cell between two offsets, which has a place also where it is blank.
func (t Text) Cell(from, to int) string {
	if uint(from) > uint(to) || uint(to) > uint(len(t)) {
		panic(notInText)
	}
	return unsafe.String((*byte)(unsafe.Add(unsafe.Pointer(unsafe.SliceData(t)), from)), to-from)
}

// Load4 and Load8 are the bytes from an offset on as a number, the first of them lowest.
func (t Text) Load4(at int) uint32 {
	if uint(at) > uint(len(t)-4) || len(t) < 4 {
		panic(notInText)
	}
	return binary.LittleEndian.Uint32((*[4]byte)(unsafe.Add(unsafe.Pointer(unsafe.SliceData(t)), at))[:])
}

// Load8 is as Load4.
func (t Text) Load8(at int) uint64 {
	if uint(at) > uint(len(t)-8) || len(t) < 8 {
		panic(notInText)
	}
	return binary.LittleEndian.Uint64((*[8]byte)(unsafe.Add(unsafe.Pointer(unsafe.SliceData(t)), at))[:])
}

// Put4 stores four numbers from an index on.
func Put4(dst []uint32, at int, v [4]uint32) {
	if uint(at) > uint(len(dst)-4) || len(dst) < 4 {
		panic("view: no room")
	}
	*(*[4]uint32)(unsafe.Add(unsafe.Pointer(unsafe.SliceData(dst)), 4*at)) = v
}

// Through is the text from one cell through another, which stands behind it. It panics where they do not lie so.
func (t Text) Through(first, last string) []byte {
	from, to := t.At(first), t.At(last)
	if from < 0 || to < from {
		panic(notInText)
	}
	return t[from : to+len(last)]
}

// Adjacent reports whether in every row the cell of next begins behind that of cells and a delimiter.
func (t Text) Adjacent(cells, next []string, delimiter byte) bool {
	if len(cells) != len(next) || len(t) == 0 {
		return false
	}
	base, last := uintptr(unsafe.Pointer(unsafe.SliceData(t))), uintptr(len(t)-1)
	for r, s := range cells {
		from, behind := uintptr(unsafe.Pointer(unsafe.StringData(s))), next[r]
		end := from - base + uintptr(len(s))
		// What lies before the text has an offset beyond its end.
		if end > last || from-base > last || uintptr(unsafe.Pointer(unsafe.StringData(behind)))-base != end+1 || uintptr(len(behind)) > last-end {
			return false
		}
		if t[end] != delimiter {
			return false
		}
	}
	return true
}
