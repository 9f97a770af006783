// Package rowstore holds rows for later, in memory up to a limit and in temporary files beyond it: one behind the
// other ([RowStore]), or dealt by a hash of their keys ([Buckets]). Its files have no name, so none is left whatever ends the run.
package rowstore

import (
	"context"

	"revuelta/internal/table"
)

// RowStore holds rows in the order they came; beyond a limit they go to a temporary file.
type RowStore struct {
	Limit int64 // bytes; 0: none
	Temp  string
	Width int

	batches []*table.Batch
	size    int64
	file    *Buckets
	cells   []string
}

// Add takes a batch over.
func (x *RowStore) Add(b *table.Batch) error {
	if x.file == nil {
		if x.Limit == 0 {
			x.batches = append(x.batches, table.Take(b))
			return nil
		}
		for i := range b.Cols {
			for r := range b.Rows {
				x.size += int64(len(b.Cols[i].At(r))) + 16
			}
		}
		x.batches = append(x.batches, table.Take(b))
		if x.size <= x.Limit {
			return nil
		}
		x.file = &Buckets{Temp: x.Temp, Width: x.Width}
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

func (x *RowStore) write(b *table.Batch) error {
	for r := range b.Rows {
		x.cells = b.Row(r, x.cells[:0])
		if err := x.file.Add(0, x.cells, b.Origin.LineOf(r), b.Origin.FileOf(r), 0); err != nil {
			return err
		}
	}
	return nil
}

// Each gives all rows, in batches that may be taken over.
func (x *RowStore) Each(ctx context.Context, take func(b *table.Batch) error) error {
	if x.file != nil {
		return x.file.Each(ctx, 0, func(b *table.Batch, _ []int64) error { return take(b) })
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

func (x *RowStore) Close() {
	if x.file != nil {
		x.file.Close()
	}
}
