package cli

import (
	"os"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// toCome is about how much address space Go still reserves for itself, mostly without using it.
const toCome = 512 << 20

// ownLimit is how much address space the process may still take, as ulimit -v or -d bound it; 0: there is no bound.
func ownLimit() int64 {
	least := int64(0)
	for _, what := range []int{unix.RLIMIT_AS, unix.RLIMIT_DATA} {
		var r unix.Rlimit
		if unix.Getrlimit(what, &r) != nil || r.Cur >= 1<<60 {
			continue
		}
		left := int64(r.Cur) - taken(what == unix.RLIMIT_AS) - toCome
		if left = max(left, 2); least == 0 || left < least {
			least = left
		}
	}
	return least
}

// taken is how much the process has taken already: all its address space, or its data.
func taken(all bool) int64 {
	text, _ := os.ReadFile("/proc/self/statm")
	f := strings.Fields(string(text))
	at := 5 // data and stack
	if all {
		at = 0
	}
	if len(f) <= at {
		return 0
	}
	pages, _ := strconv.ParseInt(f[at], 10, 64) // 0 is: not known
	return pages * int64(os.Getpagesize())
}
