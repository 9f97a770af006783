package step

// fetch asks for the lines of some keys from memory, and does not wait for them. count is at least 1.
//
//go:noescape
func fetch(lines *keyLine, n uint64, keys *fingerprint, count int)
