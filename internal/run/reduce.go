package run

import (
	"context"
	"sync"
	"sync/atomic"

	"revuelta/internal/step"
	"revuelta/internal/table"
)

// reducer is a step whose work is dealt out to the workers of a section.
type reducer struct {
	st   *stage
	rows atomic.Int64

	mu        sync.Mutex
	reduction step.Reduction
	parts     []step.Partial
}

func (r *reducer) bind(in *table.Schema) (err error) {
	if r.reduction, err = r.st.capabilities.Reduce(in); err != nil {
		return r.st.annotate(err)
	}
	return nil
}

func (r *reducer) part(s *step.Context) step.Partial {
	p := r.reduction.NewPartial(s)
	r.mu.Lock()
	r.parts = append(r.parts, p)
	r.mu.Unlock()
	return p
}

// finish puts the parts together.
func (r *reducer) finish(ctx context.Context, out step.Out, site *step.Context) error {
	r.st.mu.Lock()
	site.Counters = r.st.counters
	r.st.counters = step.Counters{}
	r.st.mu.Unlock()
	site.Counters.In = r.rows.Load()
	err := r.reduction.Finish(ctx, r.parts, step.Through{
		OnStart: func(schema *table.Schema) error { r.st.fields = schema.Len(); return out.Start(schema) },
		OnEmit: func(b *table.Batch) error {
			site.Counters.Out += int64(b.Rows)
			if err := valid(r.st.name, b); err != nil {
				return err
			}
			return out.Emit(b)
		},
	}, site)
	r.st.add(&site.Counters)
	r.st.across = site.Summary.Across
	r.st.text, r.st.notes = site.Summary.Text, append(r.st.notes, site.Summary.Notes...)
	if err != nil {
		return r.st.annotate(err)
	}
	return nil
}
