package ordering

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

var FillSpec = &step.Spec{
	Name: "fill",
	Brief: []string{
		"Fills blank cells from the cell above.",
		"Or from below, from the left, or with a value; cells that are not blank stay as they are.",
	},
	Forms: []string{"fill SELECTION"},
	Options: []step.Option{
		{Name: "up", Help: "from the cell below"},
		{Name: "right", Help: "from the nearest selected field to the left"},
		{Name: "with", Value: "VALUE", Help: "with this value"},
		{Name: "within", Value: "SELECTION", Help: "only from rows that agree in these fields"},
	},
	Make:   makeFill,
	Memory: "one row for each group of --within; with --up the rows from a blank cell to the one that fills it",
	Examples: []step.Example{{
		Command: "revuelta fill apiary harvest.csv",
		Input:   "apiary,colony,kilos\nVesk,026,1.10\n,007,\nTamro,T-1,3\n",
		Output:  "apiary,colony,kilos\nVesk,026,1.10\nVesk,007,\nTamro,T-1,3\n",
	}},
}

// FillFrom is where a blank cell's value comes from.
type FillFrom uint8

// Where values come from.
const (
	FromAbove FillFrom = iota
	FromBelow
	FromLeft
	FromValue
)

// Fill fills blank cells.
type Fill struct {
	Selection *selection.Selection
	From      FillFrom
	Value     string
	Within    *selection.Selection
}

func makeFill(a *step.Args) (step.Step, error) {
	f := &Fill{Value: a.Get("with", "")}
	for _, pair := range [][]string{{"up", "right", "with"}, {"right", "with", "within"}, {"with", "within"}} {
		if err := a.Excludes(pair[0], pair[1:]...); err != nil {
			return nil, err
		}
	}
	switch {
	case a.Has("up"):
		f.From = FromBelow
	case a.Has("right"):
		f.From = FromLeft
	case a.Has("with"):
		if f.From = FromValue; f.Value == "" {
			return nil, diag.Usagef("--with '' would leave the cells blank")
		}
	}
	var err error
	if f.Selection, err = selection.Parse(a.Operands[0]); err != nil {
		return nil, err
	}
	if a.Has("within") {
		if f.Within, err = selection.Parse(a.Get("within", "")); err != nil {
			return nil, err
		}
	}
	switch f.From {
	case FromLeft, FromValue:
		return (*fillRow)(f), nil
	case FromAbove:
		return &fillDown{f}, nil
	}
	return f, nil
}

// Counters of the counters.
const (
	filledCells = 0
	stillBlank  = 1
)

func tellFill(t *step.Counters) string {
	s := fmt.Sprintf("%s filled", diag.Plural(t.Count[filledCells], "cell"))
	if n := t.Count[stillBlank]; n > 0 {
		s += fmt.Sprintf("; %s stay blank, with nothing to fill them from", diag.Count(n))
	}
	return s
}

// fillRow fills from the same row, so it is a row step.
type fillRow Fill

// Capabilities implements step.Step.
func (f *fillRow) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: f.Bind}
}

// Bind binds it to the fields of its input.
func (f *fillRow) Bind(in *table.Schema) (*step.Bound, error) {
	fields, err := f.Selection.Resolve(in)
	if err != nil {
		return nil, err
	}
	slices.Sort(fields)
	from := make([]int, len(in.Names())) // the field that fills each, its nearest neighbour to the left within the selection
	if f.From == FromLeft {
		if len(fields) < 2 {
			return nil, diag.Usagef("fill --right fills from the left within the selection, which has one field only").Trying("select the field to fill from too: fill 'Jan..Mar' --right")
		}
		for k, i := range fields[1:] {
			from[i] = fields[k]
		}
		fields = fields[1:] // the first is never filled
	}
	absent := table.Absent(0) // nothing is known of the value
	return &step.Bound{Schema: in, Summary: tellFill, RetainsNothing: true, New: func(s *step.Context) step.MapFunc {
		dst := table.Get()
		return func(src *table.Batch, emit func(*table.Batch) error) error {
			dst.Shape(len(src.Cols))
			for i := range src.Cols {
				dst.Cols[i].Borrow(&src.Cols[i])
			}
			for _, i := range fields {
				col := &dst.Cols[i]
				if col.Filled(src.Rows) == src.Rows {
					continue
				}
				known := col.Absent & absent
				if f.From == FromLeft {
					known = col.Absent & dst.Cols[from[i]].Absent
				}
				cells := col.Flatten(src.Rows)
				for r, c := range cells {
					if c != "" {
						continue
					}
					v := f.Value
					if f.From == FromLeft {
						v = dst.Cols[from[i]].At(r)
					}
					if v == "" {
						s.Counters.Count[stillBlank]++
						continue
					}
					cells[r] = v
					s.Counters.Count[filledCells]++
				}
				col.Absent = known
			}
			dst.Rows, dst.Origin = src.Rows, src.Origin
			return emit(dst)
		}
	}}, nil
}

// fillDown fills from the row above.
type fillDown struct{ *Fill }

// Capabilities implements step.Step.
func (f *fillDown) Capabilities() step.Capabilities {
	return step.Capabilities{InOrder: f.BindInOrder, Run: f.Run}
}

// BindInOrder binds it to the fields of its input.
func (f *fillDown) BindInOrder(in *table.Schema) (*step.Ordered, error) {
	fields, key, err := f.resolve(in)
	if err != nil {
		return nil, err
	}
	latest := map[string][]kept{"": make([]kept, len(fields))}
	return &step.Ordered{RetainsNothing: key == nil, Summary: tellFill, Do: func(b *table.Batch, _ any, s *step.Context) {
		t := &s.Counters
		if key != nil {
			f.downWithin(b, fields, key, latest, t)
			return
		}
		for k, i := range fields {
			latest[""][k].down(&b.Cols[i], b.Rows, t)
		}
	}}, nil
}

// Run runs it on one goroutine.
func (f *fillDown) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	return step.InTurn(ctx, f.BindInOrder, in, out, s)
}

func (f *Fill) resolve(schema *table.Schema) (fields []int, key func(*table.Batch, int) string, err error) {
	if fields, err = f.Selection.Resolve(schema); err != nil || f.Within == nil {
		return fields, nil, err
	}
	within, err := f.Within.Resolve(schema)
	if err != nil {
		return nil, nil, err
	}
	places := step.Places(schema.Len(), within)
	for _, i := range fields {
		if places[i] >= 0 {
			return nil, nil, diag.Usagef("%s is to be filled, and --within looks at it", diag.Quote(schema.Name(i)))
		}
	}
	return fields, keying.RowKey(within), nil
}

// kept is the cell that fills the blanks beneath it.
type kept struct {
	cell   string
	absent table.Absent
}

// down fills a column from the top.
func (k *kept) down(col *table.Column, rows int, t *step.Counters) {
	if rows == 0 {
		return
	}
	own := col.Absent
	if col.Filled(rows) < rows {
		cells := col.Flatten(rows)
		last := k.cell
		if cells[0] == "" && last != "" {
			col.Absent &= k.absent
		}
		for r, c := range cells {
			switch {
			case c != "":
				last = c
			case last != "":
				cells[r] = last
				t.Count[filledCells]++
			default:
				t.Count[stillBlank]++
			}
		}
		own = col.Absent
	}
	if c := col.At(rows - 1); c != "" {
		*k = kept{strings.Clone(c), own} // the text it views may be overwritten
	}
}

func (f *Fill) downWithin(b *table.Batch, fields []int, key func(*table.Batch, int) string, latest map[string][]kept, t *step.Counters) {
	for r := range b.Rows {
		name := key(b, r)
		last := latest[name]
		if last == nil {
			last = make([]kept, len(fields))
			latest[name] = last
		}
		for k, i := range fields {
			col := &b.Cols[i]
			c := col.At(r)
			switch {
			case c != "":
				last[k] = kept{c, col.Absent}
			case last[k].cell != "":
				absent := col.Absent & last[k].absent
				col.Flatten(b.Rows)[r] = last[k].cell
				col.Absent = absent
				t.Count[filledCells]++
			default:
				t.Count[stillBlank]++
			}
		}
	}
}

// waiting is a batch some blank cells of which wait for a value from below.
type waiting struct {
	b    *table.Batch
	open int
}

// hole is a blank cell.
type hole struct {
	w   *waiting
	row int
}

// Capabilities implements step.Step.
func (f *Fill) Capabilities() step.Capabilities {
	return step.Capabilities{Run: f.Run}
}

// Run implements Step: filling from below, it holds batches back until the
// blanks in them are filled.
func (f *Fill) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var fields []int
	var key func(b *table.Batch, row int) string
	var queue []*waiting
	holes := map[string][][]hole{}
	flush := func(all bool) error {
		for len(queue) > 0 && (all || queue[0].open == 0) {
			if err := out.Emit(queue[0].b); err != nil {
				return err
			}
			table.Put(queue[0].b)
			queue[0] = nil
			queue = queue[1:]
		}
		return nil
	}
	err := in(ctx, step.Through{
		OnStart: func(schema *table.Schema) (err error) {
			if fields, key, err = f.resolve(schema); err != nil {
				return err
			}
			return out.Start(schema)
		},
		OnEmit: func(b *table.Batch) error {
			w := &waiting{b: table.Adopt(b)}
			queue = append(queue, w)
			for r := range w.b.Rows {
				name := ""
				if key != nil {
					name = key(w.b, r)
				}
				open := holes[name]
				if open == nil {
					open = make([][]hole, len(fields))
					holes[name] = open
				}
				for k, i := range fields {
					col := &w.b.Cols[i]
					c := col.At(r)
					if c == "" {
						open[k] = append(open[k], hole{w, r})
						w.open++
						continue
					}
					for _, h := range open[k] {
						above := &h.w.b.Cols[i]
						absent := above.Absent & col.Absent
						above.Flatten(h.w.b.Rows)[h.row] = c
						above.Absent = absent
						h.w.open--
						s.Counters.Count[filledCells]++
					}
					open[k] = open[k][:0]
				}
			}
			return flush(false)
		},
	})
	if err == nil {
		for _, w := range queue {
			s.Counters.Count[stillBlank] += int64(w.open)
		}
		err = flush(true)
	}
	s.Summary.Text = tellFill(&s.Counters)
	return err
}
