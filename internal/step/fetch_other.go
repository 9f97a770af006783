//go:build !amd64

package step

import (
	"sync/atomic"
	"unsafe"
)

// fetched is of no use but to have the lines read.
var fetched atomic.Uint32

// fetch reads the lines of some keys, none of which waits for another.
func fetch(lines *keyLine, n uint64, keys *fingerprint, count int) {
	all, sum := unsafe.Slice(lines, n), uint32(0)
	for _, k := range unsafe.Slice(keys, count) {
		sum |= uint32(all[k.line(int(n))].tags)
	}
	fetched.Store(sum)
}
