//go:build !amd64 || plain

package view

import (
	"sync/atomic"
	"unsafe"
)

// fetched is of no use but to have the lines read.
var fetched atomic.Uint32

// fetch reads the lines of some keys, none of which waits for another.
func fetch(lines unsafe.Pointer, n uint64, keys unsafe.Pointer, count int) {
	sum := byte(0)
	for i := range count {
		hash := *(*uint32)(unsafe.Add(keys, i*keySize+8))
		sum |= *(*byte)(unsafe.Add(lines, uint64(hash)*n>>32*lineSize))
	}
	fetched.Store(uint32(sum))
}

// ahead leaves it to the processor.
func ahead(unsafe.Pointer, uint64, unsafe.Pointer, int) {}

// aheadTexts leaves it to the processor.
func aheadTexts(unsafe.Pointer, int) {}
