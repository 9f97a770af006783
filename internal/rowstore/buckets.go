package rowstore

import (
	"context"
	"io"
	"math/bits"

	"revuelta/internal/table"
)

// Buckets are rows dealt to temporary files by a hash of their keys, so that
// the rows of a key are in one file and each file can be worked on by itself.
type Buckets struct {
	Temp  string
	Width int

	files [FanOut]*File // nil: no row fell there
}

// FanOut is how many files the rows are dealt to; those of a file that is still
// too large are dealt anew, by other bits of the hash, up to MostLevels times.
const (
	FanOut     = 64
	MostLevels = 64/6 - 1
)

// BucketOf is the file of a key.
func BucketOf(hash uint64, level int) int {
	return int(bits.RotateLeft64(hash, 6*(level+1)) & (FanOut - 1))
}

// Add writes a row to a file.
func (x *Buckets) Add(n int, cells []string, at Place) (err error) {
	if x.files[n] == nil {
		if x.files[n], err = NewFile(x.Temp, x.Width, 16<<10); err != nil {
			return err
		}
	}
	return x.files[n].Add(cells, at)
}

// Each reads the rows of a file back, in batches of rows of one input, with their positions.
func (x *Buckets) Each(ctx context.Context, n int, take func(b *table.Batch, positions []int64) error) error {
	if x.files[n] == nil {
		return nil
	}
	r, err := x.files[n].Read()
	if err != nil {
		return err
	}
	for {
		b, positions, err := r.Next()
		if err == io.EOF {
			return nil
		}
		if err == nil {
			err = take(b, positions)
		}
		if err == nil {
			err = context.Cause(ctx)
		}
		if err != nil {
			return err
		}
	}
}

// Drop gives a file back.
func (x *Buckets) Drop(n int) {
	if x.files[n] != nil {
		x.files[n].Close()
		x.files[n] = nil
	}
}

// Close gives all files back.
func (x *Buckets) Close() {
	for n := range x.files {
		x.Drop(n)
	}
}
