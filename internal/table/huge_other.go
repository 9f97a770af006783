//go:build !linux

package table

// Huge is of use on Linux alone.
func Huge[T any](s []T) []T { return s }
