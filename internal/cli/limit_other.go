//go:build !linux

package cli

func ownLimit() int64 { return 0 }
