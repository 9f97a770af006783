//go:build !linux

package view

// Huge is of use on Linux alone.
func Huge[T any](s []T) []T { return s }
