//go:build linux || darwin || freebsd || netbsd || openbsd || dragonfly

package format

import (
	"encoding/hex"
	"os"
	"path/filepath"
	"strings"
	"syscall"
)

// openUntilCommit tells that the temporary file of an output stays open, and locked, until it took its target's place.
const openUntilCommit = true

// hold locks a file that was just made, so that no other run takes it for the rest of a killed one; false where one did already.
func hold(f *os.File) bool {
	if syscall.Flock(int(f.Fd()), syscall.LOCK_EX) != nil {
		return true // where files can't be locked, none is taken away
	}
	mine, err := f.Stat()
	if err != nil {
		return true
	}
	there, err := os.Stat(f.Name())
	return err == nil && os.SameFile(mine, there)
}

// clearLeftovers takes away what runs that were killed have left beside a target: temporary files that nobody holds.
func clearLeftovers(target string) {
	left, _ := filepath.Glob(filepath.Join(globSafe(filepath.Dir(target)), "."+globSafe(filepath.Base(target))+".????????????.part"))
	for _, path := range left {
		if _, err := hex.DecodeString(strings.TrimSuffix(path, ".part")[len(path)-len(".part")-12:]); err != nil {
			continue // no name of ours
		}
		f, err := os.OpenFile(path, os.O_WRONLY, 0)
		if err != nil {
			continue
		}
		if syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) == nil {
			os.Remove(path)
		}
		f.Close()
	}
}

// syncFolder makes sure that a rename outlives a power cut, as far as the system knows how.
func syncFolder(path string) {
	if d, err := os.Open(path); err == nil {
		d.Sync()
		d.Close()
	}
}
