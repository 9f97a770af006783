package run

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// stage is a step in a run, how it is run, and its counts.
type stage struct {
	name    string
	plan    string // file, "" outside a plan
	line    int
	kind    stageKind
	section int  // within its table
	inner   bool // of the runner's own, as limit; the account does not name it

	capabilities step.Capabilities

	mu       sync.Mutex
	counters step.Counters
	fields   int
	notes    []string
	summary  func(*step.Counters) string
	after    func(*step.Counters) []string
	settle   func(*step.Counters) error
	text     string
	across   []string
	at       string // the file it reads from, for errors of binding; "" where others stand before it
}

// annotate says in an error where in a plan the step stands.
func (s *stage) annotate(err error) error {
	var e *diag.Error
	if !errors.As(err, &e) || e.Step != "" { // it arose in a step behind this one
		return err
	}
	e.Step = s.name
	if e.Plan == "" && s.plan != "" {
		e.Plan, e.PlanLine = s.plan, s.line
	}
	if e.File == "" {
		e.File = s.at
	}
	return err
}

func (s *stage) bound(b *step.Bound) {
	s.fields = b.Schema.Len()
	s.notes = append(s.notes, b.Notes...)
	s.summary, s.after, s.settle = b.Summary, b.After, b.Settle
}

func (s *stage) add(t *step.Counters) {
	s.mu.Lock()
	s.counters.Add(t)
	s.mu.Unlock()
}

// balance checks the counts of the step.
func (s *stage) balance() error {
	t := &s.counters
	if want := t.In + t.Made - t.Merged - t.LeftOut - t.SetAside; want != t.Out {
		return fmt.Errorf("the books of %s do not balance: %d rows in, %d made, %d merged, %d left out, %d set aside, but %d out; this is a fault of the program, and nothing was written",
			s.name, t.In, t.Made, t.Merged, t.LeftOut, t.SetAside, t.Out)
	}
	if t.FilledIn != t.FilledOut {
		return fmt.Errorf("the books of %s do not balance: %d cells with something in them went in and %d came out; this is a fault of the program, and nothing was written",
			s.name, t.FilledIn, t.FilledOut)
	}
	return nil
}

// account is the stage's part of the account.
func (s *stage) account() StepAccount {
	t := &s.counters
	a := StepAccount{Step: s.name, Line: s.line, RowsIn: t.In, RowsOut: t.Out, Fields: s.fields,
		Made: t.Made, Merged: t.Merged, LeftOut: t.LeftOut, SetAside: t.SetAside, Aside: reasonsOf(t.Aside), Unfit: reasonsOf(t.Unfit), Absent: reasonsOf(t.Absent), Reasons: reasonsOf(t.Aside, t.Left), Cells: cellsOf(t), Notes: s.notes, Across: s.across, Summary: s.text}
	if s.after != nil {
		a.Notes = append(a.Notes, s.after(t)...)
	}
	if s.summary != nil {
		a.Summary = s.summary(t)
	}
	if a.Notes == nil {
		a.Notes = []string{}
	}
	return a
}

// run runs a whole stage, the rows that come and go counted.
func (st *stage) run(ctx context.Context, in step.In, out step.Out, site *step.Context, aside, left func([]*step.Row) error) error {
	if aside != nil {
		site.Exits.Aside = func(row *step.Row) error { return aside([]*step.Row{row}) }
	}
	var unwritten error
	if left != nil {
		site.Exits.LeftOut = func(schema *table.Schema, b *table.Batch, rows []int32, cause step.Cause) {
			if err := left(leftRows(site, schema, b, rows, cause)); err != nil {
				unwritten = err
			}
		}
	}
	counting := func(ctx context.Context, to step.Out) error {
		return in(ctx, step.Through{OnStart: to.Start, OnEmit: func(b *table.Batch) error {
			site.Counters.In += int64(b.Rows)
			return to.Emit(b)
		}})
	}
	err := st.capabilities.Run(ctx, counting, step.Through{
		OnStart: func(schema *table.Schema) error { st.fields = schema.Len(); return out.Start(schema) },
		OnEmit: func(b *table.Batch) error {
			site.Counters.Out += int64(b.Rows)
			if err := valid(st.name, b); err != nil {
				return err
			}
			return out.Emit(b)
		},
	}, site)
	st.add(&site.Counters)
	st.across = site.Summary.Across
	st.text, st.notes = site.Summary.Text, append(st.notes, site.Summary.Notes...)
	if err == nil {
		err = unwritten
	}
	if err != nil {
		return st.annotate(err)
	}
	return nil
}
