//go:build !amd64

package view

import "unsafe"

const wide = false

func separators64(unsafe.Pointer, int, uint32, byte, unsafe.Pointer, int) (read, stored int, seen Seen) {
	panic("view: no wide instructions")
}
