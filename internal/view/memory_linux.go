package view

import (
	"syscall"
	"unsafe"
)

// hugePage is the size of the pages asked for, and adviseHuge the kernel's word for them.
const (
	hugePage   = 2 << 20
	adviseHuge = 14
)

// Huge asks the system to back memory that was just made, and is about to be used all over, by large pages:
// random access to it costs half as much then. It is advice; nothing depends on it.
func Huge[T any](s []T) []T {
	var zero T
	p := unsafe.Pointer(unsafe.SliceData(s[:cap(s)]))
	size := uintptr(cap(s)) * unsafe.Sizeof(zero)
	skip := -uintptr(p) & (hugePage - 1)
	if size < skip+hugePage {
		return s
	}
	inner := unsafe.Slice((*byte)(unsafe.Add(p, skip)), (size-skip)&^(hugePage-1))
	_ = syscall.Madvise(inner, adviseHuge)
	return s
}
