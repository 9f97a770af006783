package rowstore

import (
	"context"
	"io"

	"revuelta/internal/table"
)

// Rows holds rows in the order they came: in memory, and in a temporary file once they take more than a limit.
type Rows struct {
	Limit int64 // bytes; 0: none
	Temp  string

	batches []*table.Batch
	size    int64
	file    *File // nil: they are in memory
}

// Add takes a copy of a batch, in text of its own.
func (x *Rows) Add(b *table.Batch) error {
	if x.file != nil {
		return x.file.AddBatch(b)
	}
	held, size := b.Clone()
	return x.hold(held, size)
}

// Adopt takes a batch over and leaves it empty; what its cells view is kept.
func (x *Rows) Adopt(b *table.Batch) error {
	if x.file != nil {
		return x.file.AddBatch(b)
	}
	size := int64(0)
	if x.Limit > 0 {
		for i := range b.Cols {
			for r := range b.Rows {
				size += int64(len(b.Cols[i].At(r))) + 16
			}
		}
	}
	return x.hold(table.Adopt(b), size)
}

func (x *Rows) hold(b *table.Batch, size int64) (err error) {
	x.size += size
	x.batches = append(x.batches, b)
	if x.Limit == 0 || x.size <= x.Limit {
		return nil
	}
	if x.file, err = NewFile(x.Temp, len(b.Cols), 256<<10); err != nil {
		return err
	}
	for _, h := range x.batches {
		if err := x.file.AddBatch(h); err != nil {
			return err
		}
	}
	x.batches = nil
	return nil
}

// Read begins to read the rows, which may be done any number of times.
func (x *Rows) Read() (*RowsReader, error) {
	r := &RowsReader{batches: x.batches}
	if x.file == nil {
		return r, nil
	}
	var err error
	r.file, err = x.file.Read()
	return r, err
}

// RowsReader reads the rows from the first. It serves one goroutine.
type RowsReader struct {
	batches []*table.Batch
	file    *Reader
}

// Next gives the next batch, which is to be read only; io.EOF after the last.
func (r *RowsReader) Next() (*table.Batch, error) {
	if r.file != nil {
		b, _, err := r.file.Next()
		return b, err
	}
	if len(r.batches) == 0 {
		return nil, io.EOF
	}
	b := r.batches[0]
	r.batches = r.batches[1:]
	return b, nil
}

// Drain gives all rows, in batches that may be taken over; after that there are none.
func (x *Rows) Drain(ctx context.Context, take func(b *table.Batch) error) error {
	r, err := x.Read()
	if err != nil {
		return err
	}
	x.batches = nil
	for {
		b, err := r.Next()
		if err == io.EOF {
			return nil
		}
		if err == nil {
			err = take(b)
		}
		if err == nil {
			err = context.Cause(ctx)
		}
		if err != nil {
			return err
		}
	}
}

// Close gives back what is held.
func (x *Rows) Close() {
	x.batches = nil
	if x.file != nil {
		x.file.Close()
	}
}
