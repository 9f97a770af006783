//go:build !unix

package main

import "os"

func ownStderr() *os.File { return os.Stderr }
