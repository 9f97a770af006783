package ordering

import (
	"context"
	"fmt"
	"io"
	"math"
	"sync"
	"sync/atomic"

	"revuelta/internal/diag"
	"revuelta/internal/rowstore"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

var DistinctSpec = &step.Spec{
	Name: "distinct",
	Brief: []string{
		"Keeps the first of equal rows and leaves the others out.",
		"Rows are equal if all their cells are, byte for byte, or those that --by names.",
	},
	Forms:    []string{"distinct"},
	Operands: func(*step.Args) int { return 0 },
	Options:  []step.Option{{Name: "by", Value: "SELECTION", Help: "look at these fields only"}},
	Make: func(a *step.Args) (step.Step, error) {
		d := &Distinct{}
		var err error
		if a.Has("by") {
			d.By, err = selection.Parse(a.Get("by", ""))
		}
		return d, err
	},
	Memory: "about 14 bytes for each row that is kept, by which its equals are known; beyond --memory rows go to temporary files",
	Examples: []step.Example{{
		Command: "revuelta distinct --by 'apiary,colony' visits.csv",
		Input:   "apiary,colony,kilos\nVesk,026,1.10\nVesk,26,2\nVesk,026,3\n",
		Output:  "apiary,colony,kilos\nVesk,026,1.10\nVesk,26,2\n",
	}},
}

// Distinct keeps the first of equal rows.
type Distinct struct{ By *selection.Selection }

// Capabilities implements step.Step.
func (d *Distinct) Capabilities() step.Capabilities {
	return step.Capabilities{InOrder: d.BindInOrder, Run: d.Run, MayExceed: d.MayExceed}
}

// cause is why rows are left out.
func (d *Distinct) cause(in *table.Schema, fields []int) step.Cause {
	if d.By == nil {
		return step.Cause{Field: step.NoField, Reason: "equal to a row above"}
	}
	return step.Cause{Field: step.NoField, Reason: diag.Names(step.NamesOf(in, fields)) + " as in a row above"}
}

// MayExceed implements Spilling: a set that has just grown takes 52 bytes a row with what it was, and rows are seldom of fewer than twelve.
func (d *Distinct) MayExceed(size, memory int64) bool {
	return size == 0 || 5*size > memory
}

func (d *Distinct) fields(in *table.Schema) ([]int, error) {
	if d.By == nil {
		return step.Except(in.Len(), nil), nil
	}
	return d.By.Resolve(in)
}

// Run implements Step. Rows whose keys memory has no room for wait in a file, in their order, and their keys in another, dealt
// by a hash; when all have come it is found out which keys came again.
func (d *Distinct) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	if s.Resources.Memory == 0 {
		return step.InTurn(ctx, d.BindInOrder, in, out, s)
	}
	var schema *table.Schema
	var fields []int
	var cause step.Cause
	seen := keying.NewKeySet()
	keys := &keying.RowKeys{Mark: new(atomic.Uint32)}
	var kept, left []int32
	sub := table.Get()
	var wait *laterRows // rows there was no room for
	defer func() { wait.close() }()
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) (err error) {
			schema = in
			if fields, err = d.fields(in); err != nil {
				return err
			}
			cause = d.cause(in, fields)
			return out.Start(in)
		},
		OnEmit: func(b *table.Batch) (err error) {
			keys.Load(b, fields)
			if wait == nil && !seen.Room(b.Rows, s.Share(), s.Resources.Memory/2) {
				if wait, err = newLaterRows(schema.Len(), s); err != nil {
					return err
				}
			}
			if wait == nil {
				left = seen.Add(keys.Prints, left[:0])
			} else {
				left = seen.Among(keys.Prints, left[:0])
			}
			s.Leave(schema, b, left, cause)
			if len(left) > 0 {
				if kept = step.Others(b.Rows, left, kept[:0]); len(kept) == 0 {
					return nil
				}
				sub.Gather(b, kept)
				b = sub
				keys.Keep(kept)
			}
			if wait == nil {
				return out.Emit(b)
			}
			return wait.add(b, keys.Prints)
		},
	})
	if err == nil && wait != nil {
		seen = nil
		err = wait.emit(ctx, func(b *table.Batch, came []int32) error {
			s.Leave(schema, b, came, cause)
			if kept = step.Others(b.Rows, came, kept[:0]); len(kept) == 0 {
				return nil
			}
			sub.Gather(b, kept)
			return out.Emit(sub)
		})
	}
	s.Summary.Text = tellDistinct(&s.Counters)
	return err
}

// laterRows are rows that wait until it is known which of their keys came before. They are written and read beside the
// other work.
type laterRows struct {
	keys  *keying.LaterKeys
	rows  *rowstore.File
	write chan *table.Batch
	wrote chan error
}

func newLaterRows(width int, s *step.Context) (*laterRows, error) {
	rows, err := rowstore.NewFile(s.Resources.Temp, width, 256<<10)
	if err != nil {
		return nil, err
	}
	keys, err := keying.NewLaterKeys(s.Resources.Temp)
	if err != nil {
		rows.Close()
		return nil, err
	}
	w := &laterRows{keys: keys, rows: rows, write: make(chan *table.Batch, 2), wrote: make(chan error, 1)}
	go func(write <-chan *table.Batch) { // the field is cleared when all is written
		var fault error
		for b := range write {
			if fault == nil {
				fault = rows.AddBatch(b)
			}
			table.Put(b)
		}
		w.wrote <- fault
	}(w.write)
	return w, nil
}

// written waits for the rows to be written.
func (w *laterRows) written() error {
	if w.write == nil {
		return nil
	}
	close(w.write)
	w.write = nil
	return <-w.wrote
}

func (w *laterRows) close() {
	if w != nil {
		_ = w.written() // nobody reads them any more
		w.rows.Close()
		w.keys.Close()
	}
}

// add takes rows over.
func (w *laterRows) add(b *table.Batch, keys []keying.Fingerprint) error {
	w.write <- table.Adopt(b)
	return w.keys.Add(keys)
}

// emit hands over the rows in their order, with those whose key came before.
func (w *laterRows) emit(ctx context.Context, do func(b *table.Batch, came []int32) error) error {
	if err := w.written(); err != nil {
		return err
	}
	again, err := w.keys.Repeated()
	if err != nil {
		return err
	}
	rows, err := w.rows.Read()
	if err != nil {
		return err
	}
	ctx, stop := context.WithCancel(ctx)
	read, ended := make(chan *table.Batch, 2), make(chan error, 1)
	go func() {
		defer close(read)
		for {
			b := table.Get()
			if err := rows.Into(b); err != nil {
				ended <- err
				return
			}
			select {
			case read <- b:
			case <-ctx.Done():
				ended <- context.Cause(ctx)
				return
			}
		}
	}()
	var came []int32
	n := 0
	for b := range read {
		came = came[:0]
		for r := range b.Rows {
			if again[n/64]>>(n%64)&1 != 0 {
				came = append(came, int32(r))
			}
			n++
		}
		if err == nil {
			if err = do(b, came); err != nil {
				stop()
			}
		}
		table.Put(b)
	}
	stop()
	if end := <-ended; err == nil && end != io.EOF {
		err = end
	}
	return err
}

// BindInOrder binds it to the fields of its input.
func (d *Distinct) BindInOrder(in *table.Schema) (*step.Ordered, error) {
	fields, err := d.fields(in)
	if err != nil {
		return nil, err
	}
	seen, cause := keying.NewKeySet(), d.cause(in, fields)
	mark := new(atomic.Uint32)
	spare := sync.Pool{New: func() any { return &keying.RowKeys{Mark: mark} }}
	var kept, left []int32
	sub := table.Get()
	return &step.Ordered{
		RetainsNothing: true,
		Ahead: func(b *table.Batch) any {
			k := spare.Get().(*keying.RowKeys)
			k.Load(b, fields)
			return k
		},
		Do: func(b *table.Batch, ahead any, s *step.Context) {
			k := ahead.(*keying.RowKeys)
			seen.Room(b.Rows, s.Share(), math.MaxInt64)
			left = seen.Add(k.Prints, left[:0])
			spare.Put(k)
			if len(left) == 0 {
				return
			}
			s.Leave(in, b, left, cause)
			kept = step.Others(b.Rows, left, kept[:0])
			sub.Gather(b, kept)
			sub.Own() // what it lent goes with the batch
			*b, *sub = *sub, *b
		},
		Summary: tellDistinct,
	}, nil
}

func tellDistinct(t *step.Counters) string {
	if t.LeftOut == 0 {
		return "no row stands twice"
	}
	return fmt.Sprintf("%s left out: there was an equal one before", diag.Plural(t.LeftOut, "row"))
}
