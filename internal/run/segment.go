package run

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/sheet"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// smallInput is what one worker does as fast as two.
const smallInput = 256 << 10

// tableRun runs a segment.
type tableRun struct {
	r       *runner
	src     format.Source
	inputs  []*format.Input
	workers int
	size    int64 // bytes to be read, 0: not known
	before  int64 // bytes read when it began

	others []*TableAccount // that steps read
	mu     sync.Mutex
	files  []string // that rows came from, by number, with those that steps bring in
	stats  []format.Stats

	segment *segment
	section *section // the last so far
}

// segment runs one table from where it is read to where it ends.
func (r *runner) segment(ctx context.Context, items []any) error {
	t, err := r.openTable(items[0].(*Read))
	if err != nil {
		return err
	}
	defer t.src.Close()
	known := facts{limit: items[0].(*Read).Options.Limit, size: sizeOf(t.inputs, items[0].(*Read).Paths), memory: r.env.Memory}
	if len(t.inputs) == 1 {
		known.file = t.inputs[0].Name
	}
	t.segment, err = compile(r.p.Plan, items, known, t.prepare, r.openTee, func(m *Mark) step.Step { return marking{r, m.Name} })
	if err != nil {
		return err
	}
	t.section = t.first()
	for _, st := range t.segment.stages {
		t.link(st)
	}
	err = r.end(ctx, t.section, t.segment.write)
	for _, a := range []*asideFile{r.aside, r.leftOut} {
		if err == nil {
			err = a.settle()
		}
	}
	t.src.Close() // nobody adds notes any more
	t.account()
	if err != nil {
		t.nameKey(err)
		return err
	}
	return t.settle()
}

// nameKey names the key of the row at fault, where it is one of a table that has a key and no lines.
func (t *tableRun) nameKey(err error) {
	var e *diag.Error
	if keys, ok := t.src.(interface {
		Key(name string, row int, field, cell string) string
	}); ok && errors.As(err, &e) && e.Line > 0 && e.Field != "" && e.Key == "" {
		e.Key = keys.Key(e.File, e.Line, e.Field, e.Cell)
	}
}

// openTable opens what a segment reads.
func (r *runner) openTable(rd *Read) (*tableRun, error) {
	o := rd.Options
	o.Stdin, o.Workers = r.env.Stdin, r.env.Workers
	o.LongAside = r.aside != nil
	src, ok, err := r.marked(rd.Paths)
	if !ok {
		src, err = format.Open(rd.Paths, o)
	}
	if err != nil {
		return nil, r.errAt(err, rd.Line)
	}
	t := &tableRun{r: r, src: src, inputs: src.Inputs(), workers: r.env.Workers, files: filesOf(src), before: r.env.Bytes.Load()}
	t.stats = make([]format.Stats, len(t.inputs))
	for _, in := range t.inputs {
		if in.Size == 0 {
			t.size = 0
			break
		}
		t.size += in.Size
	}
	if 0 < t.size && t.size < smallInput {
		t.workers = 1
	}
	if r.env.Total != nil {
		r.env.Total(t.size)
	}
	return t, nil
}

// filesOf names what the origins of a source's rows number.
func filesOf(src format.Source) []string {
	if m, ok := src.(interface{ Files() []string }); ok {
		return slices.Clone(m.Files())
	}
	var names []string
	for _, in := range src.Inputs() {
		names = append(names, in.Name)
	}
	return names
}

func (t *tableRun) fileName(i int) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.files[i]
}

// tables is what steps of the segment find of tables.
func (t *tableRun) tables() step.Tables {
	return step.Tables{
		Open:     t.other,
		FileName: t.fileName,
		AddFile: func(name string) int {
			t.mu.Lock()
			defer t.mu.Unlock()
			t.files = append(t.files, name)
			return len(t.files) - 1
		},
		Merged: func(i int) []sheet.Area {
			if i >= len(t.inputs) {
				return nil
			}
			return t.inputs[i].Merged
		},
		Width: func(i int) int {
			if i >= len(t.inputs) {
				return t.src.Schema().Len()
			}
			return t.inputs[i].Fields
		},
	}
}

// other opens another table for a step, and counts what is read of it where it is a file.
func (t *tableRun) other(path string, role step.Role) (*step.Other, error) {
	o, err := t.r.other(path)
	if err != nil || strings.HasPrefix(path, "@") {
		return o, err
	}
	a := &TableAccount{Name: o.Name, Role: role, Fields: o.Schema.Len(), Names: o.Schema.Names()}
	t.others = append(t.others, a)
	run := o.Run
	o.Run = func(ctx context.Context, out step.Out) error {
		return run(ctx, step.Through{OnStart: out.Start, OnEmit: func(b *table.Batch) error {
			a.Rows += int64(b.Rows)
			return out.Emit(b)
		}})
	}
	return o, nil
}

// read is the share of the table that has been read, 0 where that is not known.
func (t *tableRun) read() float64 {
	if t.size == 0 {
		return 0
	}
	return min(float64(t.r.env.Bytes.Load()-t.before)/float64(t.size), 1)
}

func (t *tableRun) context(st *stage) *step.Context {
	return &step.Context{Step: st.name, Tables: t.tables(), Resources: step.Resources{Memory: t.r.env.Memory, Temp: t.r.env.Temp, Read: t.read}}
}

// prepare readies a step that looks at another table.
func (t *tableRun) prepare(st *stage, made step.Step) (step.Step, error) {
	return made.Capabilities().Prepare(t.context(st))
}

// newSection makes a section of what a feed gives.
func (t *tableRun) newSection(f feed) *section {
	r := t.r
	return &section{feed: f, workers: t.workers, bytes: r.env.Bytes, read: t.read, fileName: t.fileName, aside: r.aside.stream(), left: r.leftOut.stream()}
}

// first is the section that reads.
func (t *tableRun) first() *section {
	x := t.newSection(func(ctx context.Context, start func(*table.Schema) error, put func(item) error) error {
		if err := start(t.src.Schema()); err != nil {
			return err
		}
		for {
			c, err := t.src.Next()
			if err == io.EOF {
				return nil
			}
			if err == nil {
				err = put(item{chunk: c})
			}
			if err != nil {
				return err
			}
		}
	})
	x.source = t.src
	x.parsed = func(part []format.Stats) {
		t.mu.Lock()
		defer t.mu.Unlock()
		for i := range t.stats {
			t.stats[i].Add(part[i])
		}
	}
	return x
}

// behind is a section behind the last, fed by what runs that into an Out.
func (t *tableRun) behind(in step.In) *section {
	return t.newSection(func(ctx context.Context, start func(*table.Schema) error, put func(item) error) error {
		return in(ctx, step.Through{OnStart: start, OnEmit: func(b *table.Batch) error {
			return put(item{batch: table.Adopt(b)})
		}})
	})
}

// link puts a stage into the section it is compiled for.
func (t *tableRun) link(st *stage) {
	x, r := t.section, t.r
	switch st.kind {
	case inOrderStage:
		x.inOrder, x.before = st, len(x.stages)
	case rowStage:
		x.stages = append(x.stages, st)
	case reduceStage:
		x.reducer = &reducer{st: st}
		x.memory, x.temp = (r.env.Memory+int64(t.workers)-1)/int64(t.workers), r.env.Temp
		t.section = t.behind(func(ctx context.Context, out step.Out) error {
			nothing := func(*table.Schema) error { return nil }
			if err := x.run(ctx, sink{start: nothing}); err != nil {
				return err
			}
			return x.reducer.finish(ctx, out, t.context(st))
		})
	case wholeStage:
		upstream, aside, left := batches(x), r.aside.stream(), r.leftOut.stream()
		t.section = t.behind(func(ctx context.Context, out step.Out) error {
			return st.run(ctx, upstream, out, t.context(st), aside, left)
		})
	}
}

// account adds what became of the table to the account of the run.
func (t *tableRun) account() {
	r := t.r
	for i, in := range t.inputs {
		a := TableAccount{Name: in.Name, Role: step.ToRead, Rows: t.stats[i].Rows, Fields: in.Fields, Notes: in.Notes, How: in.How, Names: t.src.Schema().Names()}
		if s := t.segment.stages; len(s) > 0 && s[0].name == "limit" && s[0].inner && len(t.inputs) == 1 {
			a.Rows = s[0].counters.Out
		}
		for _, c := range []struct {
			n    int64
			text string
		}{{t.stats[i].Short, "shorter than the header, the rest blank"}, {t.stats[i].Long, "longer than the header set aside"}} {
			if c.n > 0 {
				a.Notes = append(a.Notes, fmt.Sprintf("%s %s", diag.Plural(c.n, "row"), c.text))
			}
		}
		comments := int64(0)
		if in.Comments != nil {
			var all int64
			if all, comments = in.Comments(); all > 0 {
				a.Notes = append(a.Notes, fmt.Sprintf("%s of comment left out", diag.Plural(all, "line")))
			}
		}
		if n := t.stats[i].Empty - comments; n > 0 {
			a.Notes = append(a.Notes, fmt.Sprintf("%s left out", diag.Plural(n, "empty line")))
		}
		r.account.Inputs = append(r.account.Inputs, a)
	}
	for _, a := range t.others {
		r.account.Inputs = append(r.account.Inputs, *a)
	}
	for _, st := range t.segment.stages {
		if !st.inner {
			r.account.Steps = append(r.account.Steps, st.account())
		}
	}
}

// settle finds what is wrong when all rows have passed.
func (t *tableRun) settle() error {
	for _, st := range t.segment.stages {
		if st.inner {
			continue
		}
		if st.settle != nil {
			if err := st.settle(&st.counters); err != nil {
				return st.annotate(err)
			}
		}
		if err := st.balance(); err != nil {
			return err
		}
	}
	return nil
}

// batches is a section as an In.
func batches(x *section) step.In {
	return func(ctx context.Context, out step.Out) error {
		return x.run(ctx, sink{start: out.Start, batch: out.Emit})
	}
}

// end runs the last section into the last write, standard output or the screen.
func (r *runner) end(ctx context.Context, x *section, w *Write) error {
	if w == nil { // the table was written on its way
		return x.run(ctx, sink{start: func(*table.Schema) error { return nil }, batch: func(*table.Batch) error { return nil }})
	}
	if w.Path == "" && r.env.Screen != nil && w.Options.As == "" {
		screen := r.env.Screen()
		acc := TableAccount{Name: OnScreen}
		err := x.run(ctx, sink{
			start: func(s *table.Schema) error { acc.Fields, acc.Names = s.Len(), s.Names(); return screen.Start(s) },
			batch: func(b *table.Batch) error { acc.Rows += int64(b.Rows); return screen.Emit(b) },
		})
		r.outputs = append(r.outputs, &target{acc: acc})
		if err != nil {
			return err
		}
		return screen.Close()
	}
	t, err := r.open(w)
	if err != nil {
		return err
	}
	x.encoding = countingEncoding{t.enc, &t.acc.Rows}
	return x.run(ctx, sink{
		start: func(s *table.Schema) error {
			t.acc.Fields, t.acc.Names = s.Len(), s.Names()
			return t.write(t.enc.Begin(nil, s))
		},
		bytes: t.rows,
	})
}
