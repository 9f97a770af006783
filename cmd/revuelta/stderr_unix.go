//go:build unix

package main

import (
	"os"
	"runtime/debug"

	"golang.org/x/sys/unix"
)

// ownStderr gives standard error to the program alone: what a library prints there by itself goes nowhere. What Go
// says when it has to give up still arrives.
func ownStderr() *os.File {
	fd, err := unix.FcntlInt(os.Stderr.Fd(), unix.F_DUPFD_CLOEXEC, 3)
	if err != nil {
		return os.Stderr
	}
	own := os.NewFile(uintptr(fd), os.Stderr.Name())
	nowhere, err := os.OpenFile(os.DevNull, os.O_WRONLY, 0)
	if err != nil {
		return os.Stderr
	}
	defer nowhere.Close()
	if debug.SetCrashOutput(own, debug.CrashOptions{}) != nil || unix.Dup2(int(nowhere.Fd()), 2) != nil {
		return os.Stderr
	}
	return own
}
