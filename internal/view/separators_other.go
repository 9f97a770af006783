//go:build !amd64 || plain

package view

import "unsafe"

const wide, quotedWide = false, false

func separators64(unsafe.Pointer, int, uint32, byte, unsafe.Pointer, int) (read, stored int, seen Seen) {
	panic("view: no wide instructions")
}

func quoted64(unsafe.Pointer, int, uint32, byte, uint64, unsafe.Pointer, int, unsafe.Pointer, int) (read, stored, marks, feeds int, after uint64, seen Seen) {
	panic("view: no wide instructions")
}

func turn64(unsafe.Pointer, unsafe.Pointer, int, unsafe.Pointer, int, unsafe.Pointer, unsafe.Pointer, int, unsafe.Pointer, uint32, uint32) unsafe.Pointer {
	panic("view: no wide instructions")
}

func filled64(unsafe.Pointer, int, int, int) int { panic("view: no wide instructions") }

func repeat64(unsafe.Pointer, int, unsafe.Pointer, int, unsafe.Pointer, int, unsafe.Pointer, int, unsafe.Pointer, uintptr, uintptr) (written, done int) {
	panic("view: no wide instructions")
}

func pieces64(unsafe.Pointer, int, int, unsafe.Pointer, int, byte, unsafe.Pointer, unsafe.Pointer, unsafe.Pointer) int {
	panic("view: no wide instructions")
}
