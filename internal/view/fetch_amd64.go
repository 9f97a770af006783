//go:build !plain

package view

import "unsafe"

// fetch is [Fetch] by the processor's own instruction; count is at least 1.
//
//go:noescape
func fetch(lines unsafe.Pointer, n uint64, keys unsafe.Pointer, count int)

// ahead asks for what stands at some places of a list whose elements take 1<<shift bytes; count is at least 1.
//
//go:noescape
func ahead(list unsafe.Pointer, shift uint64, at unsafe.Pointer, count int)

// aheadTexts asks for the first 128 bytes from where each text begins; count is at least 1.
//
//go:noescape
func aheadTexts(texts unsafe.Pointer, count int)
