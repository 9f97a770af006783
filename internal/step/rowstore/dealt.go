package rowstore

import (
	"bufio"
	"context"
	"encoding/binary"
	"io"
	"math/bits"
	"os"

	"revuelta/internal/format"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// Buckets are rows dealt to temporary files by a hash of their keys, so that
// the rows of a key are in one file and each file can be worked on by itself.
type Buckets struct {
	Temp  string
	Width int
	files [FanOut]*bucket // nil: no row fell there
	buf   []byte
}

type bucket struct {
	f    *os.File
	w    *bufio.Writer
	size int64
}

// fanOut is how many files the rows are dealt to; those of a file that is still
// too large are dealt anew, by other bits of the hash.
const (
	FanOut     = 64
	MostLevels = 64/6 - 1
)

// BucketOf is the file of a key.
func BucketOf(hash uint64, level int) int {
	return int(bits.RotateLeft64(hash, 6*(level+1)) & (FanOut - 1))
}

// Add writes a row: its cells, where it came from, and its place among all rows.
func (x *Buckets) Add(n int, cells []string, line, file int, pos int64) error {
	k := x.files[n]
	if k == nil {
		f, err := format.Temporary(x.Temp)
		if err != nil {
			return err
		}
		k = &bucket{f: f, w: bufio.NewWriterSize(f, 16<<10)}
		x.files[n] = k
	}
	x.buf = x.buf[:0]
	for _, c := range cells {
		x.buf = keying.AppendKey(x.buf, c)
	}
	x.buf = binary.AppendUvarint(x.buf, uint64(line))
	x.buf = binary.AppendUvarint(x.buf, uint64(file))
	x.buf = binary.AppendUvarint(x.buf, uint64(pos))
	k.size += int64(len(x.buf))
	if _, err := k.w.Write(x.buf); err != nil {
		return format.TemporaryError(x.Temp, err)
	}
	return nil
}

// Each reads the rows of a file back, in batches of rows of one input, with their places.
func (x *Buckets) Each(ctx context.Context, n int, take func(b *table.Batch, pos []int64) error) error {
	k := x.files[n]
	if k == nil {
		return nil
	}
	if err := k.w.Flush(); err != nil {
		return format.TemporaryError(x.Temp, err)
	}
	r := bufio.NewReaderSize(io.NewSectionReader(k.f, 0, k.size), 64<<10)
	const most = 1024
	b := &table.Batch{}
	cols := make([][]string, x.Width)
	row := make([]string, x.Width)
	var lines []int32
	var pos []int64
	file := 0
	send := func() error {
		if len(pos) == 0 {
			return nil
		}
		b.Shape(x.Width)
		for i := range cols {
			copy(b.Cols[i].Make(len(pos)), cols[i])
			cols[i] = cols[i][:0]
		}
		b.Rows, b.Origin = len(pos), table.Origin{File: file, Line: 1, Each: 1, Lines: lines}
		err := take(b, pos)
		lines, pos = lines[:0], pos[:0]
		if err == nil {
			err = context.Cause(ctx)
		}
		return err
	}
	var text []byte
	for {
		for i := range row {
			size, err := binary.ReadUvarint(r)
			if err == io.EOF && i == 0 {
				return send()
			}
			if err != nil {
				return format.TemporaryError(x.Temp, err)
			}
			if uint64(cap(text)-len(text)) < size {
				text = make([]byte, 0, max(64<<10, int(size)))
			}
			from := len(text)
			text = text[:from+int(size)]
			if _, err := io.ReadFull(r, text[from:]); err != nil {
				return format.TemporaryError(x.Temp, err)
			}
			row[i] = view.String(text[from:])
		}
		var more [3]uint64
		for i := range more {
			var err error
			if more[i], err = binary.ReadUvarint(r); err != nil {
				return format.TemporaryError(x.Temp, err)
			}
		}
		if int(more[1]) != file || len(pos) == most {
			if err := send(); err != nil {
				return err
			}
			file = int(more[1])
		}
		for i, c := range row {
			cols[i] = append(cols[i], c)
		}
		lines, pos = append(lines, int32(more[0])-1), append(pos, int64(more[2]))
	}
}

// Drop gives a file back.
func (x *Buckets) Drop(n int) {
	if k := x.files[n]; k != nil {
		k.f.Close()
		x.files[n] = nil
	}
}

// Close gives all files back.
func (x *Buckets) Close() {
	for n := range x.files {
		x.Drop(n)
	}
}
