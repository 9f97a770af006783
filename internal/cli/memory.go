package cli

import (
	"bytes"
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"strconv"
	"strings"

	"revuelta/internal/diag"
)

// memoryLimit reads a size, as 512MiB; without one it is half of what the machine allows, 0 where that is not known.
func memoryLimit(s string) (int64, error) {
	if s == "" {
		return machineMemory() / 2, nil
	}
	number := strings.TrimRight(s, "kKmMgGtTiIbB ")
	unit, ok := map[string]int64{"": 1, "B": 1, "K": 1 << 10, "KB": 1000, "KIB": 1 << 10, "M": 1 << 20, "MB": 1e6, "MIB": 1 << 20, "G": 1 << 30, "GB": 1e9, "GIB": 1 << 30, "TIB": 1 << 40, "TB": 1e12}[strings.ToUpper(strings.TrimSpace(s[len(number):]))]
	n, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
	if err != nil || !ok || n <= 0 || n*float64(unit) < least || n*float64(unit) > 1<<60 {
		return 0, diag.Usagef("--memory %s: it is a size of at least 1MiB", diag.Quote(s)).Trying("--memory 512MiB", "--memory 2GiB")
	}
	return int64(n * float64(unit)), nil
}

const least = 1 << 20

// machineMemory is what the system says is there, or the limit it set for this process, where it is less.
func machineMemory() int64 {
	total := int64(0)
	if text, err := os.ReadFile("/proc/meminfo"); err == nil {
		for line := range bytes.Lines(text) {
			if f := strings.Fields(string(line)); len(f) > 1 && f[0] == "MemTotal:" {
				n, _ := strconv.ParseInt(f[1], 10, 64) // 0 is: not known
				total = n << 10
			}
		}
	}
	for _, path := range []string{"/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes"} {
		text, err := os.ReadFile(path)
		if n, e := strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64); err == nil && e == nil && n > 0 && (total == 0 || n < total) {
			total = n
		}
	}
	return total
}

// restCollector has the collector wait: what is looked at is little.
func restCollector() { debug.SetGCPercent(400) }

// paceCollector has the collector leave a small margin, which saves memory where
// much is held. Where little is, that would have it run all the time: memory never touched,
// which costs nothing, makes it think there is more, until there is.
func paceCollector() {
	const untouched, much = 24 << 20, 12 << 20
	debug.SetGCPercent(60)
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
