//go:build strict

package table

// Strict builds check every batch behind every step, and overwrite text before it is used again.
const Strict = true
