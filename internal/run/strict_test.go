//go:build strict

package run_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/format"
	"revuelta/internal/run"
	"revuelta/internal/step"
	tables "revuelta/internal/table"
)

// liar is a row step that breaks a promise.
type liar struct {
	promise string
	last    string // what it keeps of the batch before
}

func (l *liar) Capabilities() step.Capabilities { return step.Capabilities{Rows: l.bind} }

func (l *liar) bind(in *tables.Schema) (*step.Bound, error) {
	return &step.Bound{Schema: in, RetainsNothing: true, New: func(s *step.Context) step.MapFunc {
		dst := tables.Get()
		return func(src *tables.Batch, emit func(*tables.Batch) error) error {
			dst.Extend(src, 0)
			switch l.promise {
			case "retains nothing":
				cells := dst.Cols[1].Flatten(src.Rows)
				if l.last != "" {
					cells[0] = l.last // a view of a chunk that has left
				}
				l.last = src.Cols[0].At(src.Rows - 1)
				dst.Cols[1].Absent = 0
			case "absent":
				dst.Cols[1].Flatten(src.Rows)[0] = "a,b"
			case "rows":
				dst.Rows++
			case "place":
				dst.Cols[0].Flatten(src.Rows)[0] = strings.Clone("x")
				dst.Cols[0].PlaceAs(&src.Cols[0])
			}
			return emit(dst)
		}
	}}, nil
}

// TestLiarsAreCaught: in a strict build a step that breaks a promise shows, each in its way.
func TestLiarsAreCaught(t *testing.T) {
	require.True(t, tables.Strict)
	dir := t.TempDir()
	in, out := filepath.Join(dir, "in.csv"), filepath.Join(dir, "out.csv")
	require.NoError(t, os.WriteFile(in, []byte("a,b\n"+strings.Repeat("clover,lime\n", 3000)), 0o644))
	ran := func(promise string) (string, error) {
		p := &run.Program{Items: []any{&run.Read{Paths: []string{in}}, &run.Apply{Name: "liar", Step: &liar{promise: promise}}, &run.Write{Path: out, Options: format.WriteOptions{}}}}
		_, err := run.Run(context.Background(), p, run.Env{Workers: 1})
		text, _ := os.ReadFile(out)
		return string(text), err
	}
	text, err := ran("none")
	require.NoError(t, err)
	assert.NotContains(t, text, "\xdb")
	text, err = ran("retains nothing")
	require.NoError(t, err)
	assert.Contains(t, text, "\xdb\xdb\xdb", "the text was overwritten before it was used again")
	for promise, want := range map[string]string{"absent": "said to be absent", "rows": "cells for", "place": "does not lie in the text"} {
		_, err := ran(promise)
		assert.ErrorContains(t, err, "liar hands on a batch that breaks its promises", promise)
		assert.ErrorContains(t, err, want, promise)
	}
}
