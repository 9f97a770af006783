package rowstore

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/diag"
	"revuelta/internal/table"
)

type row struct {
	cells string
	at    Place
}

// drawn makes a batch of two columns, one of them runs, of one or more inputs.
func drawn(rt *rapid.T) (*table.Batch, []row) {
	b := &table.Batch{}
	b.Shape(2)
	b.Rows = rapid.IntRange(1, 40).Draw(rt, "rows")
	b.Origin = table.Origin{File: rapid.IntRange(0, 2).Draw(rt, "file"), Line: rapid.SampledFrom([]int{0, 1, 7, 3_000_000_000}).Draw(rt, "line"), Each: 1}
	cells := b.Cols[0].Make(b.Rows)
	for r := range cells {
		cells[r] = rapid.SampledFrom([]string{"", "026", "a,b\n", "a rather long cell that fills the buffers sooner than others do", "ñ"}).Draw(rt, "cell")
	}
	b.Cols[1].SetConstant("run", b.Rows)
	var rows []row
	for r := range b.Rows {
		rows = append(rows, row{cells[r] + "|run", Place{File: b.Origin.File, Line: b.Origin.LineOf(r)}})
	}
	return b, rows
}

func rowsOf(rt require.TestingT, b *table.Batch) (out []row) {
	require.NoError(rt, b.Validate())
	for r := range b.Rows {
		out = append(out, row{b.Cols[0].At(r) + "|" + b.Cols[1].At(r), Place{File: b.Origin.FileOf(r), Line: b.Origin.LineOf(r)}})
	}
	return out
}

// TestRowsComeBack: rows come back in their order with their places, from memory or a file, as often as they are read, and the folder stays empty.
func TestRowsComeBack(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(rt *rapid.T) {
		x := &Rows{Temp: dir, Limit: rapid.SampledFrom([]int64{0, 1, 3000, 1 << 30}).Draw(rt, "limit")}
		defer x.Close()
		var want []row
		for range rapid.IntRange(0, 60).Draw(rt, "batches") {
			b, rows := drawn(rt)
			want = append(want, rows...)
			if rapid.Bool().Draw(rt, "adopt") {
				require.NoError(rt, x.Adopt(b))
				continue
			}
			require.NoError(rt, x.Add(b))
			require.Equal(rt, rows, rowsOf(rt, b), "a batch that was copied stays as it was")
		}
		for range 2 {
			r, err := x.Read()
			require.NoError(rt, err)
			var got []row
			for {
				b, err := r.Next()
				if err == io.EOF {
					break
				}
				require.NoError(rt, err)
				got = append(got, rowsOf(rt, b)...)
			}
			require.Equal(rt, want, got)
		}
		var got []row
		require.NoError(rt, x.Drain(t.Context(), func(b *table.Batch) error { got = append(got, rowsOf(rt, b)...); return nil }))
		require.Equal(rt, want, got)
		left, err := os.ReadDir(dir)
		require.NoError(rt, err)
		require.Empty(rt, left)
	})
}

// TestBucketsPartRows: each row comes back from the file of its hash, in order, with its position; levels part what one did not.
func TestBucketsPartRows(t *testing.T) {
	x := &Buckets{Temp: t.TempDir(), Width: 2}
	defer x.Close()
	want := map[int][]int64{}
	hash := func(i int) uint64 { return uint64(i) * 0x9E3779B97F4A7C15 }
	for i := range 5000 {
		n := BucketOf(hash(i), 0)
		require.NoError(t, x.Add(n, []string{"k", "v"}, Place{File: i % 3, Line: i, Position: int64(i)}))
		want[n] = append(want[n], int64(i))
	}
	require.Greater(t, len(want), FanOut/2)
	for n := range FanOut {
		var got []int64
		require.NoError(t, x.Each(t.Context(), n, func(b *table.Batch, positions []int64) error {
			for r, p := range positions {
				assert.EqualValues(t, p%3, b.Origin.FileOf(r))
				assert.EqualValues(t, p, b.Origin.LineOf(r))
			}
			got = append(got, positions...)
			return b.Validate()
		}))
		require.Equal(t, want[n], got)
		x.Drop(n)
		require.NoError(t, x.Each(t.Context(), n, func(*table.Batch, []int64) error { return errors.New("it was given back") }))
	}
	same := slices.DeleteFunc(slices.Collect(func(yield func(int) bool) {
		for i := range 5000 {
			if !yield(i) {
				return
			}
		}
	}), func(i int) bool { return BucketOf(hash(i), 0) != 5 })
	other := map[int]bool{}
	for _, i := range same {
		other[BucketOf(hash(i), 1)] = true
	}
	assert.Greater(t, len(other), 10, "the next level parts what came into one file")
}

// TestWhatEnds: a folder that is not there, a taker that fails, a run that is cancelled.
func TestWhatEnds(t *testing.T) {
	missing := filepath.Join(t.TempDir(), "not there")
	_, err := NewFile(missing, 1, 100)
	var e *diag.Error
	require.ErrorAs(t, err, &e)
	assert.ErrorContains(t, err, missing)
	assert.EqualValues(t, 3, e.Status)
	b := &table.Batch{}
	b.Shape(1)
	b.Rows = 1
	b.Cols[0].Make(1)[0] = "x"
	require.Error(t, (&Rows{Limit: 1, Temp: missing}).Adopt(b))
	require.Error(t, (&Buckets{Temp: missing, Width: 1}).Add(3, []string{"x"}, Place{}))
	x := &Rows{Limit: 1, Temp: t.TempDir()}
	defer x.Close()
	b.Shape(1)
	b.Rows = 1
	b.Cols[0].Make(1)[0] = "x"
	require.NoError(t, x.Add(b))
	stop := errors.New("stop")
	require.ErrorIs(t, x.Drain(t.Context(), func(*table.Batch) error { return stop }), stop)
	ctx, cancel := context.WithCancelCause(t.Context())
	cancel(stop)
	require.ErrorIs(t, x.Drain(ctx, func(*table.Batch) error { return nil }), stop)
	x.file.size -= 1 // as a file that was cut off
	require.ErrorContains(t, x.Drain(t.Context(), func(*table.Batch) error { return nil }), "temporary files")
}
