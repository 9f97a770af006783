//go:build !plain

package view

import (
	"unsafe"

	"golang.org/x/sys/cpu"
)

// wide tells whether the processor has the instructions that separators64 needs.
var wide = cpu.X86.HasAVX2 && cpu.X86.HasBMI1 && cpu.X86.HasPOPCNT

// separators64 is [Separators] for whole blocks of 64 bytes, so many of which lie at data, as long as 64 numbers have room behind
// those stored; room is at least 64.
//
//go:noescape
func separators64(data unsafe.Pointer, blocks int, base uint32, delimiter byte, to unsafe.Pointer, room int) (read, stored int, seen Seen)

// quotedWide tells whether it has those of quoted64.
var quotedWide = wide && cpu.X86.HasBMI2 && cpu.X86.HasPCLMULQDQ

// quoted64 is [SeparatorsQuoted] for whole blocks of 64 bytes; inside and after are 0 or all ones, room and quoteRoom at least 64.
//
//go:noescape
func quoted64(data unsafe.Pointer, blocks int, base uint32, delimiter byte, inside uint64, to unsafe.Pointer, room int, quotes unsafe.Pointer, quoteRoom int) (read, stored, marks, feeds int, after uint64, seen Seen)

// turn64 is turnOne, whose texts have 32 bytes behind each that may be read, and the destination 64 that may be written; nil where
// a cell does not lie in the text before last, or a label is none of so many.
//
//go:noescape
func turn64(to, tail unsafe.Pointer, n int, labels unsafe.Pointer, count int, codes, ends unsafe.Pointer, cells int, text unsafe.Pointer, start, last uint32) (behind unsafe.Pointer)

// filled64 counts the cells that are not blank among so many whose ends lie from ends on, in so many rows whose ends lie apart by
// stride. The number before each row is where the cell before it ends; rows and cells are at least 1, and at most 2^31 together.
//
//go:noescape
func filled64(ends unsafe.Pointer, rows, stride, cells int) (sum int)

// repeat64 is repeatEach up to the first cell that does not lie from low on, before most; head and tail have 32 bytes behind them that
// may be read, as has what lies from low on, and count is at least 1.
//
//go:noescape
func repeat64(start unsafe.Pointer, left int, h unsafe.Pointer, nh int, t unsafe.Pointer, nt int, cells unsafe.Pointer, count int, marks unsafe.Pointer, low, most uintptr) (written, done int)

// pieces64 is [Pieces] for cells that begin at room at most and end at size at most; count is at least 1.
//
//go:noescape
func pieces64(text unsafe.Pointer, size, room int, cells unsafe.Pointer, count int, separator byte, from, to, ends unsafe.Pointer) (done int)
