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

// Capabilities implements step.Step.
func (l limit) Capabilities() step.Capabilities { return step.Capabilities{Run: l.run} }

func (l limit) run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
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

// teeStep is a write in the middle: the table flows on.
type teeStep struct{ t *target }

// openTee begins the output of a write in the middle.
func (r *runner) openTee(w *Write) (step.Step, error) {
	t, err := r.open(w)
	return teeStep{t}, err
}

// Capabilities implements step.Step.
func (w teeStep) Capabilities() step.Capabilities { return step.Capabilities{Run: w.run} }

func (w teeStep) run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
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
