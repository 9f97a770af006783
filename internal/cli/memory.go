package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/diag"
)

// memoryLimit reads a size, as 512MiB; without one it is half of what the machine and the limits of the process allow, 0 where that
// is not known. It is never more than those limits, which would end the process.
func memoryLimit(s string) (int64, error) {
	total, limit := machineMemory("/proc/meminfo"), processLimit()
	if limit > 0 && (total == 0 || limit < total) {
		total = limit
	}
	if s == "" {
		return total / 2, nil
	}
	number := strings.TrimRight(s, "kKmMgGtTiIbB ")
	unit, ok := map[string]int64{"": 1, "B": 1, "K": 1 << 10, "KB": 1000, "KIB": 1 << 10, "M": 1 << 20, "MB": 1e6, "MIB": 1 << 20, "G": 1 << 30, "GB": 1e9, "GIB": 1 << 30, "TIB": 1 << 40, "TB": 1e12}[strings.ToUpper(strings.TrimSpace(s[len(number):]))]
	n, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
	if err != nil || !ok || n <= 0 || n*float64(unit) < least || n*float64(unit) > 1<<60 {
		return 0, diag.Usagef("--memory %s: it is a size of at least 1MiB", diag.Quote(s)).Trying("--memory 512MiB", "--memory 2GiB")
	}
	size := int64(n * float64(unit))
	if limit > 0 && size > limit/2 {
		size = max(least, limit/2)
	}
	return size, nil
}

const least = 1 << 20

// machineMemory is what the system says is there; 0: not known.
func machineMemory(path string) int64 {
	text, _ := os.ReadFile(path)
	for line := range bytes.Lines(text) {
		if f := strings.Fields(string(line)); len(f) > 1 && f[0] == "MemTotal:" {
			n, _ := strconv.ParseInt(f[1], 10, 64) // 0 is: not known
			return n << 10
		}
	}
	return 0
}

// processLimit is how much memory this process may still take before the system ends it or refuses more; 0: there is no such limit.
func processLimit() int64 {
	limit := groupLimit("/proc/self/cgroup", "/sys/fs/cgroup")
	if own := ownLimit(); own > 0 && (limit == 0 || own < limit) {
		limit = own
	}
	return limit
}

// groupLimit is the least limit of the control groups that the process is in, told by a file of them, and of those
// above, which lie below a folder: of either version. 0: there is none.
func groupLimit(file, folder string) int64 {
	text, err := os.ReadFile(file)
	if err != nil {
		return 0
	}
	least := int64(0)
	take := func(path string) {
		text, _ := os.ReadFile(path)
		if n, err := strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64); err == nil && n > 0 && n < 1<<60 && (least == 0 || n < least) {
			least = n
		}
	}
	for line := range bytes.Lines(text) { // number:controllers:path
		part := strings.SplitN(strings.TrimSpace(string(line)), ":", 3)
		if len(part) < 3 {
			continue
		}
		root, name := folder, "memory.max"
		if slices.Contains(strings.Split(part[1], ","), "memory") {
			root, name = filepath.Join(folder, "memory"), "memory.limit_in_bytes"
		} else if part[1] != "" {
			continue
		}
		for path := filepath.Clean("/" + part[2]); ; path = filepath.Dir(path) {
			take(filepath.Join(root, path, name))
			if path == "/" {
				break
			}
		}
	}
	return least
}

// restCollector has the collector wait: what is looked at is little.
func restCollector() { debug.SetGCPercent(400) }

// paceCollector has the collector leave a small margin, which saves memory where
// much is held. Where little is, that would have it run all the time: memory never touched,
// which costs nothing, makes it think there is more, until there is.
func paceCollector() {
	const untouched, much = 12 << 20, 12 << 20
	debug.SetGCPercent(60)
	if limit := processLimit(); limit > 0 {
		debug.SetMemoryLimit(limit - limit/8) // as it comes near, the collector runs more often
		if limit < 20*untouched {
			return
		}
	}
	ballast := make([]byte, untouched)
	var after func(*[16]byte)
	after = func(sentinel *[16]byte) { // is called when a collection is over
		held := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
		if metrics.Read(held); held[0].Value.Uint64() > untouched+much {
			ballast = nil
			return
		}
		runtime.KeepAlive(ballast)
		runtime.SetFinalizer(sentinel, after)
	}
	runtime.SetFinalizer(new([16]byte), after)
}
