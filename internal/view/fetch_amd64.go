//go:build !plain

package view

import "unsafe"

// fetch is [Fetch] by the processor's own instruction; count is at least 1.
//
//go:noescape
func fetch(lines unsafe.Pointer, n uint64, keys unsafe.Pointer, count int)
