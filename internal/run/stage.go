package run

import (
	"errors"
	"fmt"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/step"
)

// stage is a step in a run, with its books.
type stage struct {
	name    string
	plan    string // file, "" outside a plan
	line    int
	mapper  step.Mapper
	inOrder step.InOrder

	mu       sync.Mutex
	counters step.Counters
	fields   int
	notes    []string
	summary  func(*step.Counters) string
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
	if e.Plan == "" && s.plan != "" {
		e.Plan, e.PlanLine, e.Step = s.plan, s.line, s.name
	}
	if e.File == "" {
		e.File = s.at
	}
	return err
}

func (s *stage) bound(b *step.Bound) {
	s.fields = b.Schema.Len()
	s.notes = append(s.notes, b.Notes...)
	s.summary, s.settle = b.Summary, b.Settle
}

func (s *stage) add(t *step.Counters) {
	s.mu.Lock()
	s.counters.Add(t)
	s.mu.Unlock()
}

// balance checks the books of the step.
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
		Made: t.Made, Merged: t.Merged, LeftOut: t.LeftOut, SetAside: t.SetAside, Notes: s.notes, Across: s.across, Said: s.text}
	if s.summary != nil {
		a.Said = s.summary(t)
	}
	if a.Notes == nil {
		a.Notes = []string{}
	}
	return a
}
