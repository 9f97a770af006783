package run

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/step"
	"revuelta/internal/table"
)

// failing is a row step that passes rows on and fails at a row, or at once.
type failing struct {
	name string
	at   string // the cell of the row it fails at, "bind": it can't be bound
	slow bool   // now and then it takes its time, so that workers pass each other
}

func (f failing) Capabilities() step.Capabilities { return step.Capabilities{Rows: f.bind} }

func (f failing) bind(in *table.Schema) (*step.Bound, error) {
	if f.at == "bind" {
		return nil, fmt.Errorf("%s can't be bound", f.name)
	}
	return &step.Bound{Schema: in, New: func(s *step.Context) step.MapFunc {
		sub := table.Get()
		return func(src *table.Batch, emit func(*table.Batch) error) error {
			if f.slow && src.Rows%3 == 0 {
				time.Sleep(time.Duration(src.Rows) * 10 * time.Microsecond)
			}
			at := -1
			for r := range src.Rows {
				if src.Cols[0].At(r) == f.at {
					at = r
					break
				}
			}
			if at < 0 {
				return emit(src)
			}
			var before []int32
			for r := range at {
				before = append(before, int32(r))
			}
			if sub.Gather(src, before); at > 0 {
				if err := emit(sub); err != nil {
					return err
				}
			}
			return fmt.Errorf("%s fails at %s", f.name, f.at)
		}
	}}, nil
}

// TestTheFirstFaultWins: whatever fails in a section, at whichever rows and with however many workers, the rows before the first fault come out, in order, then that
// fault; and every goroutine ends.
func TestTheFirstFaultWins(t *testing.T) {
	before := runtime.NumGoroutine()
	rapid.Check(t, func(rt *rapid.T) {
		rows := rapid.IntRange(0, 400).Draw(rt, "rows")
		place := func(name string) int { // rows: nothing fails there
			return rapid.OneOf(rapid.Just(rows), rapid.IntRange(0, rows)).Draw(rt, name)
		}
		first, second, feed, sinks, cancelled := place("first step"), place("second step"), place("feed"), place("sink"), place("cancelled")
		var text []string
		for r := range rows {
			text = append(text, fmt.Sprint("row", r))
		}
		cell := func(r int) string {
			if r == rows {
				return ""
			}
			return text[r]
		}
		ctx, cancel := context.WithCancelCause(t.Context())
		defer cancel(nil)
		stop := errors.New("cancelled")
		var bytes atomic.Int64
		size := rapid.IntRange(1, 20).Draw(rt, "rows a batch")
		mapped := func(f failing) *stage { return &stage{name: f.name, capabilities: f.Capabilities()} }
		x := &section{workers: rapid.IntRange(1, 4).Draw(rt, "workers"), bytes: &bytes, fileName: func(int) string { return "in" },
			stages: []*stage{mapped(failing{"first", cell(first), true}), mapped(failing{"second", cell(second), false})}}
		x.feed = func(ctx context.Context, start func(*table.Schema) error, put func(item) error) error {
			if err := start(table.NewSchema([]string{"k"})); err != nil {
				return err
			}
			for from := 0; from < rows; from += size {
				if feed < rows && from >= feed {
					return errors.New("the feed fails")
				}
				b := table.Get()
				b.Shape(1)
				b.Rows = min(size, rows-from)
				copy(b.Cols[0].Make(b.Rows), text[from:])
				if err := put(item{batch: b}); err != nil {
					return err
				}
			}
			if feed < rows {
				return errors.New("the feed fails")
			}
			return nil
		}
		var got []string
		err := x.run(ctx, sink{
			start: func(*table.Schema) error { return nil },
			batch: func(b *table.Batch) error {
				for r := range b.Rows {
					if len(got) == sinks && sinks < rows {
						return errors.New("the sink fails")
					}
					if len(got) == cancelled && cancelled < rows {
						cancel(stop)
					}
					got = append(got, strings.Clone(b.Cols[0].At(r)))
				}
				return nil
			},
		})
		require.True(rt, slices.Equal(text[:len(got)], got), "rows in their order, none twice")
		faults := map[string]int{"first fails": first, "second fails": second, "the sink fails": sinks}
		least := min(first, second, sinks)
		if feed < rows { // it fails between two batches
			fed := (feed + size - 1) / size * size
			faults["the feed fails"] = min(fed, rows)
			least = min(least, fed)
		}
		if cancelled < rows && cancelled <= least {
			require.Error(rt, err)
			return
		}
		if least >= rows && feed >= rows {
			require.NoError(rt, err)
			require.Len(rt, got, rows)
			return
		}
		require.Error(rt, err)
		require.Len(rt, got, min(least, rows), "%v", err)
		told := false
		for text, at := range faults {
			told = told || at == min(least, rows) && strings.Contains(err.Error(), strings.TrimSuffix(text, " fails")) || at == least && strings.Contains(err.Error(), strings.TrimSuffix(text, " fails"))
		}
		require.True(rt, told, "%v is not the first fault of %v", err, faults)
	})
	require.Eventually(t, func() bool { return runtime.NumGoroutine() <= before+2 }, 5*time.Second, 20*time.Millisecond, "goroutines that go on")
}

// TestBindingFails: a step that can't be bound ends the section before a row flows.
func TestBindingFails(t *testing.T) {
	f := failing{name: "odd", at: "bind"}
	var bytes atomic.Int64
	x := &section{workers: 2, bytes: &bytes, fileName: func(int) string { return "in" }, stages: []*stage{{name: "odd", plan: "p", line: 3, capabilities: f.Capabilities()}}}
	put := 0
	x.feed = func(ctx context.Context, start func(*table.Schema) error, _ func(item) error) error {
		if err := start(table.NewSchema([]string{"k"})); err != nil {
			return err
		}
		put++
		return nil
	}
	err := x.run(t.Context(), sink{start: func(*table.Schema) error { put++; return nil }})
	require.ErrorContains(t, err, "odd can't be bound")
	require.Zero(t, put)
}
