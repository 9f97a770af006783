// Package steptest checks that a step keeps the promises all steps give,
// whatever it does to a table.
package steptest

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/format/delimited"
	"revuelta/internal/step"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// Table is a table at rest.
type Table struct {
	Names []string
	Rows  [][]string
	Lines []int // of each row, 0 where not known
}

// Kind is how the columns of an input are held.
type Kind int

// The kinds of column a step may be given. Claimed is added where the columns also tell which characters they lack.
const (
	Plain       Kind = iota
	Runs             // a run for equal cells in a row
	Coded            // each text once, and a code a row
	Interleaved      // parts of which a cell is taken in turn
	Placed           // plain, in a text in which the cells of a row stand side by side
	InTurns          // as interleaved, but of a text whose cells have not been made
	Parsed           // as the parser of delimited text lays them out, chunks and all, in a text of which the step takes what it can by place
	Claimed
	Kinds = 2 * Claimed // how many there are
)

// Run runs a step over rows, in batches of so many.
func Run(made step.Step, in Table, size int, kind Kind) (Table, step.Counters, error) {
	return RunAt(&step.Context{Step: "step"}, made, in, size, kind)
}

// RunAt runs a step in a context.
func RunAt(site *step.Context, made step.Step, in Table, size int, kind Kind) (Table, step.Counters, error) {
	out := &collector{}
	err := drive(context.Background(), made, in, size, kind, out, site)
	return out.table, site.Counters, err
}

// drive drives a step.
func drive(ctx context.Context, made step.Step, in Table, size int, kind Kind, out step.Out, site *step.Context) error {
	var byPlace []bool
	source := func(ctx context.Context, to step.Out) error {
		if err := to.Start(table.NewSchema(in.Names)); err != nil {
			return err
		}
		for from := 0; from < len(in.Rows); from += size {
			if err := context.Cause(ctx); err != nil {
				return err
			}
			b := batch(in, from, min(from+size, len(in.Rows)), kind, byPlace)
			site.Counters.In += int64(b.Rows)
			if err := to.Emit(b); err != nil {
				return err
			}
			spoil(b) // the contents were taken; what is left is ours
		}
		return nil
	}
	counting := step.Through{OnStart: out.Start, OnEmit: func(b *table.Batch) error {
		site.Counters.Out += int64(b.Rows)
		return out.Emit(b)
	}}
	ways := made.Capabilities()
	if ways.Run != nil {
		return ways.Run(ctx, source, counting, site)
	}
	var fn step.MapFunc
	return source(ctx, step.Through{
		OnStart: func(schema *table.Schema) error {
			bound, err := ways.Rows(schema)
			if err != nil {
				return err
			}
			fn, byPlace = bound.New(site), bound.ByPlace
			return counting.Start(bound.Schema)
		},
		OnEmit: func(b *table.Batch) error {
			before := rowsOf(b)
			err := fn(b, counting.Emit)
			taken := b.Rows == 0 // passed on whole
			if err == nil && !taken && !slices.EqualFunc(before, rowsOf(b), slices.Equal) {
				return errors.New("the step changed the batch it was to read only")
			}
			return err
		},
	})
}

// batch makes a batch of the rows from one up to another.
func batch(in Table, from, to int, kind Kind, byPlace []bool) *table.Batch {
	claims := kind >= Claimed
	if kind %= Claimed; kind == Parsed {
		if b := parsed(in, from, to, byPlace); b != nil {
			return b
		}
		kind = Placed // blank rows of one field are none for a parser
	}
	b := &table.Batch{}
	b.Shape(len(in.Names))
	b.Rows = to - from
	b.Origin = table.Origin{Line: from + 2, Each: 1}
	text, at := side(in.Rows[from:to])
	for i := range in.Names {
		col := &b.Cols[i]
		cells := make([]string, b.Rows)
		for r := range cells {
			cells[r] = in.Rows[from+r][i]
		}
		hold(col, cells, kind)
		if kind == Placed {
			for r := range cells {
				col.Cells[r] = text.Cell(at[r][i], at[r][i]+len(cells[r]))
			}
			col.Place(text, i)
		}
		if claims {
			col.Absent = table.AbsentFrom(cells)
		}
	}
	return b
}

// hold makes a column of cells.
func hold(col *table.Column, cells []string, kind Kind) {
	switch kind {
	case Runs:
		values, ends := col.MakeRuns(len(cells))
		n := 0
		for r, c := range cells {
			if n == 0 || values[n-1] != c {
				values[n] = c
				n++
			}
			ends[n-1] = int32(r + 1)
		}
		col.Cells, col.Ends = values[:n], ends[:n]
	case Coded:
		var values []string
		codes := make([]int32, len(cells))
		for r, c := range cells {
			k := slices.Index(values, c)
			if k < 0 {
				k = len(values)
				values = append(values, c)
			}
			codes[r] = int32(k)
		}
		copy(col.MakeCodes(values, len(cells)), codes)
	case Interleaved:
		n := 1 // parts, as few as go into the rows, but for one
		for n++; n < len(cells) && len(cells)%n != 0; n++ {
		}
		n = min(n, len(cells))
		parts := make([][]string, n)
		for r, c := range cells {
			parts[r%n] = append(parts[r%n], c)
		}
		for i, part := range parts[:n-1] { // one at least is there
			if !slices.ContainsFunc(part, func(c string) bool { return c != "" }) {
				parts[i] = nil
			}
		}
		col.Interleave(parts, 0)
	case InTurns:
		each := 2 - len(cells)%2 // cells of a row of the grid
		var fields []int32
		grid := &view.Grid{Fields: each}
		for r, c := range cells {
			if r < each {
				fields = append(fields, int32(r))
			}
			grid.Text = append(append(grid.Text, c...), ';')
			grid.Ends = append(grid.Ends, uint32(len(grid.Text)-1))
		}
		if len(cells) == 0 {
			col.Make(0)
			return
		}
		col.TakeTurns(grid, fields, 0, len(cells)/each, 0)
	default:
		copy(col.Make(len(cells)), cells)
	}
}

// side puts the cells of rows side by side as they stand in delimited text, quoted nowhere, and tells where each begins.
func side(rows [][]string) (text view.Text, at [][]int) {
	for _, row := range rows {
		begin := make([]int, len(row))
		for i, c := range row {
			begin[i] = len(text)
			text = append(append(text, c...), ',')
		}
		text, at = append(text, '\n'), append(at, begin)
	}
	return append(text, "behind"...), at
}

// parsed writes rows and reads them anew; nil where they do not come back.
func parsed(in Table, from, to int, byPlace []bool) *table.Batch {
	e := delimited.NewEncoder(delimited.Style{Delimiter: ','})
	var text []byte
	for _, row := range in.Rows[from:to] {
		text = e.Row(text, row)
	}
	b := &table.Batch{}
	p := delimited.NewParser(delimited.Dialect{Delimiter: ','}, len(in.Names))
	p.ByPlace = byPlace
	err := p.Parse(delimited.Whole(text, from+2), b)
	if err != nil || !slices.EqualFunc(rowsOf(b), in.Rows[from:to], slices.Equal) {
		return nil
	}
	b.Origin = table.Origin{Line: from + 2, Each: 1}
	return b
}

func rowsOf(b *table.Batch) [][]string {
	var out [][]string
	for r := range b.Rows {
		out = append(out, b.Row(r, nil))
	}
	return out
}

// spoil overwrites what a batch's own arrays hold.
func spoil(b *table.Batch) {
	for i := range b.Cols {
		cells := b.Cols[i].Make(max(64, len(b.Cols[i].Cells)))
		for r := range cells {
			cells[r] = "spoilt"
		}
		for r, codes := 0, b.Cols[i].MakeCodes(nil, 64); r < len(codes); r++ {
			codes[r] = 0x5b5b
		}
	}
}

// collector keeps what a step emits and spoils each batch it took.
type collector struct {
	table  Table
	starts int
	fail   error // returned by Emit
	after  int   // emits after it was
}

func (c *collector) Start(s *table.Schema) error {
	c.starts++
	c.table.Names = s.Names()
	return nil
}

func (c *collector) Emit(b *table.Batch) error {
	if c.starts != 1 {
		return fmt.Errorf("%d starts before a batch", c.starts)
	}
	if c.fail != nil {
		c.after++
		return c.fail
	}
	if n := len(b.Cols); n != len(c.table.Names) {
		return fmt.Errorf("%d columns for %d fields", n, len(c.table.Names))
	}
	if err := b.Validate(); err != nil {
		return err
	}
	// What is written of it by the quick ways is what is written row by row.
	e := delimited.NewEncoder(delimited.Style{Delimiter: ','})
	var plain []byte
	for _, row := range rowsOf(b) {
		plain = e.Row(plain, row)
	}
	if got := e.Append(nil, b); string(got) != string(plain) {
		return fmt.Errorf("it is written as %q instead of %q", got, plain)
	}
	taken := table.Adopt(b)
	for r, row := range rowsOf(taken) {
		c.table.Rows = append(c.table.Rows, row)
		c.table.Lines = append(c.table.Lines, taken.Origin.LineOf(r))
	}
	spoil(taken)
	return nil
}

// Check runs a step in all ways a runner may and compares the outcomes.
func Check(t *testing.T, made step.Step, in Table) Table {
	t.Helper()
	want, tally, err := Run(made, in, max(1, len(in.Rows)), Plain)
	require.NoError(t, err)
	assert.Equal(t, tally.Out, tally.In+tally.Made-tally.Merged-tally.LeftOut-tally.SetAside, "the books balance")
	assert.Equal(t, tally.FilledIn, tally.FilledOut, "the cells balance")
	for kind := range Kinds {
		for _, size := range []int{1, 3, 7, max(1, len(in.Rows))} {
			got, again, err := Run(made, in, size, kind)
			require.NoError(t, err)
			assert.Equal(t, want, got, "batches of %d rows, columns of kind %d", size, kind)
			assert.Equal(t, tally, again, "batches of %d rows, columns of kind %d", size, kind)
		}
	}
	t.Run("no rows", func(t *testing.T) {
		out := &collector{}
		site := &step.Context{}
		err := drive(t.Context(), made, Table{Names: in.Names}, 1, Plain, out, site)
		if err == nil { // some can't do without
			assert.Equal(t, 1, out.starts)
			assert.LessOrEqual(t, int64(len(out.table.Rows)), max(1, site.Counters.Made), "rows that nobody made")
		}
	})
	t.Run("an error comes back", func(t *testing.T) {
		out := &collector{fail: errors.New("no room")}
		err := drive(t.Context(), made, in, 2, Plain, out, &step.Context{})
		require.ErrorIs(t, err, out.fail)
		assert.Equal(t, 1, out.after, "nothing is emitted after an error")
	})
	t.Run("cancelled", func(t *testing.T) {
		ctx, cancel := context.WithCancelCause(t.Context())
		stop := errors.New("stop")
		cancel(stop)
		require.ErrorIs(t, drive(ctx, made, in, 2, Plain, &collector{}, &step.Context{}), stop)
	})
	t.Run("at once", func(t *testing.T) {
		var wg sync.WaitGroup
		for range 2 {
			wg.Go(func() {
				got, _, err := Run(made, in, 2, Plain)
				assert.NoError(t, err)
				assert.Equal(t, want, got)
			})
		}
		wg.Wait()
	})
	return want
}
