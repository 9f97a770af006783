package step

import (
	"context"

	"revuelta/internal/table"
)

// rowStore holds rows in the order they came; beyond a limit they go to a temporary file.
type rowStore struct {
	limit int64 // bytes; 0: none
	temp  string
	width int

	batches []*table.Batch
	size    int64
	file    *buckets
	cells   []string
}

// add takes a batch over.
func (x *rowStore) add(b *table.Batch) error {
	if x.file == nil {
		if x.limit == 0 {
			x.batches = append(x.batches, table.Take(b))
			return nil
		}
		for i := range b.Cols {
			for r := range b.Rows {
				x.size += int64(len(b.Cols[i].At(r))) + 16
			}
		}
		x.batches = append(x.batches, table.Take(b))
		if x.size <= x.limit {
			return nil
		}
		x.file = &buckets{temp: x.temp, width: x.width}
		for _, h := range x.batches {
			if err := x.write(h); err != nil {
				return err
			}
			table.Put(h)
		}
		x.batches = nil
		return nil
	}
	return x.write(b)
}

func (x *rowStore) write(b *table.Batch) error {
	for r := range b.Rows {
		x.cells = b.Row(r, x.cells[:0])
		if err := x.file.add(0, x.cells, b.Origin.LineOf(r), b.Origin.FileOf(r), 0); err != nil {
			return err
		}
	}
	return nil
}

// each gives all rows, in batches that may be taken over.
func (x *rowStore) each(ctx context.Context, take func(b *table.Batch) error) error {
	if x.file != nil {
		return x.file.each(ctx, 0, func(b *table.Batch, _ []int64) error { return take(b) })
	}
	for _, b := range x.batches {
		if err := take(b); err != nil {
			return err
		}
		table.Put(b)
	}
	x.batches = nil
	return nil
}

func (x *rowStore) close() {
	if x.file != nil {
		x.file.close()
	}
}
