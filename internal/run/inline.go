package run

import (
	"context"
	"errors"

	"revuelta/internal/format"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// limit is a step that ends its input after so many rows.
type limit int64

var _ step.Step = limit(0)

// Run implements step.Step.
func (l limit) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	enough := errors.New("enough rows")
	left := int(l)
	err := in(ctx, step.Through{OnStart: out.Start, OnEmit: func(b *table.Batch) error {
		if b.Rows > left {
			b.Truncate(left)
		}
		left -= b.Rows
		if err := out.Emit(b); err != nil {
			return err
		}
		if left == 0 {
			return enough
		}
		return nil
	}})
	if err == enough {
		return nil
	}
	return err
}

// tee is a write in the middle: the table flows on.
func tee(t *target) step.Step { return teeStep{t} }

type teeStep struct{ t *target }

// Run implements step.Step.
func (w teeStep) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var enc format.Encoder
	var buf []byte
	return in(ctx, step.Through{
		OnStart: func(schema *table.Schema) error {
			w.t.acc.Fields, w.t.acc.Names = schema.Len(), schema.Names()
			enc = w.t.enc.Worker(schema)
			if err := w.t.write(w.t.enc.Begin(nil, schema)); err != nil {
				return err
			}
			return out.Start(schema)
		},
		OnEmit: func(b *table.Batch) error {
			w.t.acc.Rows += int64(b.Rows)
			buf = enc.Append(buf[:0], b)
			if err := w.t.rows(buf); err != nil {
				return err
			}
			return out.Emit(b)
		},
	})
}
