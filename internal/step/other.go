package step

import (
	"context"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/table"
)

// OpenFile opens a file as another table.
func OpenFile(path string) (*Other, error) {
	if strings.HasPrefix(path, "@") {
		return nil, diag.Usagef("nothing was marked %s above", path).Trying("mark " + path[1:] + " on a line before")
	}
	src, err := format.Open([]string{path}, format.ReadOptions{})
	if err != nil {
		return nil, err
	}
	return OfSource(format.NameOf(path), src), nil
}

// OfSource makes another table of a source. It can be run once.
func OfSource(name string, src format.Source) *Other {
	return &Other{Name: name, Schema: src.Schema(), Close: func() { src.Close() }, Run: func(ctx context.Context, out Out) error {
		if err := out.Start(src.Schema()); err != nil {
			return err
		}
		return format.Each(src, func(b *table.Batch) error {
			if err := context.Cause(ctx); err != nil {
				return err
			}
			return out.Emit(b)
		})
	}}
}

// InTurn runs an ordered step in the calling goroutine.
func InTurn(ctx context.Context, bind func(in *table.Schema) (*Ordered, error), in In, out Out, s *Context) error {
	var o *Ordered
	err := in(ctx, Through{
		OnStart: func(schema *table.Schema) (err error) {
			if o, err = bind(schema); err != nil {
				return err
			}
			return out.Start(schema)
		},
		OnEmit: func(b *table.Batch) error {
			var ahead any
			if o.Ahead != nil {
				ahead = o.Ahead(b)
			}
			o.Do(b, ahead, s)
			if b.Rows == 0 {
				return nil
			}
			return out.Emit(b)
		},
	})
	if o != nil && o.Summary != nil {
		s.Summary.Text = o.Summary(&s.Counters)
	}
	return err
}
