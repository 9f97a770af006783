package view

import (
	"syscall"
	"unsafe"
)

// hugePage is the size of the pages asked for, adviseHuge the kernel's word for them, and hugeFrom the size of what is worth one.
const (
	hugePage   = 2 << 20
	adviseHuge = 14
	hugeFrom   = hugePage / 8
)

// Huge asks the system to back memory that was just made, and is about to be used all over, by large pages, also where it takes but
// a part of the first or the last: random access to it costs half as much then. It is advice; nothing depends on it.
func Huge[T any](s []T) []T {
	var zero T
	size := uintptr(cap(s)) * unsafe.Sizeof(zero)
	if size < hugeFrom {
		return s
	}
	from := uintptr(unsafe.Pointer(unsafe.SliceData(s[:cap(s)])))
	first, end := from&^(hugePage-1), (from+size+hugePage-1)&^(hugePage-1)
	_, _, _ = syscall.Syscall(syscall.SYS_MADVISE, first, end-first, adviseHuge)
	return s
}
