// Package run wires sources, steps and sinks together and runs them: row steps
// in parallel and in order, ordered and whole steps one batch after the other. It counts rows at every
// door, checks that the books balance, and puts output files in place only when all is well.
package run

import (
	"context"
	"slices"
	"sync"
	"sync/atomic"

	"revuelta/internal/format"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// item is work for a worker: text to be parsed, or a batch.
type item struct {
	chunk format.Chunk
	batch *table.Batch
}

// feed runs what is upstream: start once, then put for each item.
type feed func(ctx context.Context, start func(*table.Schema) error, put func(item) error) error

// sink takes what a section makes, in order, on the goroutine that runs it.
type sink struct {
	start func(*table.Schema) error
	bytes func([]byte) error       // where the section encodes
	batch func(*table.Batch) error // where it does not
	aside func([]*step.Row) error
	left  func([]*step.Row) error
}

// section is row steps run by workers: parsing before them where they read a
// source, formatting after them where they write a file.
type section struct {
	feed     feed
	source   format.Source // whose chunks are parsed; nil: batches come
	stages   []*stage
	encoding format.Encoding // nil: batches go out
	reducer  *reducer        // takes what comes out of the steps, in the workers; nil: there is none
	workers  int
	setAside bool
	leftOut  bool
	bytes    *atomic.Int64 // read so far, for the progress
	parsed   func([]format.Stats)
	fileName func(int) string
}

// piece is one thing a worker made.
type piece struct {
	buf   *[]byte
	batch *table.Batch
	aside []*step.Row
	left  []*step.Row
	err   error
}

// job is an item on its way; its pieces come out of it in order.
type job struct {
	start *table.Schema
	err   error
	in    item
	at    int64 // where its first row stands among all, however many rows others make
	out   chan piece
}

const (
	flushSize = 256 << 10 // bytes a piece has at least, but for the last of a job
	maxPieces = 4         // a job holds before its worker waits for its turn
)

var buffers = sync.Pool{New: func() any { b := make([]byte, 0, flushSize+flushSize/2); return &b }}

// run runs the section into the sink. It returns when all its goroutines have ended.
func (x *section) run(parent context.Context, to sink) error {
	ctx, cancel := context.WithCancelCause(parent)
	depth := 2*x.workers + 1
	queue, jobs := make(chan *job, depth), make(chan *job, depth)
	var wg sync.WaitGroup
	send := func(j *job) error {
		select {
		case queue <- j:
			return nil
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
	start := func(schema *table.Schema) error {
		bound, err := x.bind(schema)
		if err != nil {
			return err
		}
		out := schema
		if len(bound) > 0 {
			out = bound[len(bound)-1].Schema
		}
		if x.reducer != nil {
			if err := x.reducer.bind(out); err != nil {
				return err
			}
		}
		for range x.workers {
			wg.Go(func() { x.work(ctx, jobs, bound, schema) })
		}
		return send(&job{start: out})
	}
	number := int64(0)
	put := func(it item) error {
		j := &job{in: it, at: number << 32, out: make(chan piece, maxPieces)}
		number++
		if err := send(j); err != nil {
			return err
		}
		select {
		case jobs <- j:
			return nil
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
	wg.Go(func() {
		defer close(queue)
		defer close(jobs)
		if err := x.feed(ctx, start, put); err != nil {
			_ = send(&job{err: err}) // not sent: somebody else's error came first
		}
	})
	err := consume(ctx, queue, to)
	if err == nil {
		err = context.Cause(parent)
	}
	cancel(err)
	for range queue { // let the feed end
	}
	wg.Wait()
	return err
}

// consume hands the pieces of all jobs to the sink, in order.
func consume(ctx context.Context, queue chan *job, to sink) error {
	for j := range queue {
		switch {
		case j.err != nil:
			return j.err
		case j.start != nil:
			if err := to.start(j.start); err != nil {
				return err
			}
			continue
		}
		for open := true; open; {
			select {
			case p, ok := <-j.out:
				if open = ok; !ok {
					break
				}
				if err := p.deliver(to); err != nil {
					return err
				}
			case <-ctx.Done():
				return context.Cause(ctx)
			}
		}
	}
	return nil
}

func (p piece) deliver(to sink) error {
	switch {
	case p.buf != nil:
		err := to.bytes(*p.buf)
		buffers.Put(p.buf)
		return err
	case p.batch != nil:
		err := to.batch(p.batch)
		table.Put(p.batch)
		return err
	case p.aside != nil:
		return to.aside(p.aside)
	case p.left != nil:
		return to.left(p.left)
	}
	return p.err
}

// bind binds the stages, one after the other.
func (x *section) bind(schema *table.Schema) ([]*step.Bound, error) {
	var out []*step.Bound
	for _, st := range x.stages {
		b, err := st.mapper.Bind(schema)
		if err != nil {
			return nil, st.place(err)
		}
		st.bound(b)
		out = append(out, b)
		schema = b.Schema
	}
	return out, nil
}

// worker is one goroutine's share of a section.
type worker struct {
	x      *section
	ctx    context.Context
	parser format.Parser
	raw    *table.Batch
	encode format.Encoder
	sites  []*step.Site
	entry  func(*table.Batch) error // through all steps and out
	buf    *[]byte
	aside  []*step.Row
	left   []*step.Row
	out    chan piece

	part step.Part // of the reducer
	at   int64

	recycle bool // the text of a chunk may be overwritten when it is done
}

func (x *section) work(ctx context.Context, jobs chan *job, bound []*step.Bound, schema *table.Schema) {
	w := &worker{x: x, ctx: ctx, raw: table.Get()}
	if x.source != nil {
		w.parser = x.source.Parser()
	}
	if x.encoding != nil {
		out := schema
		if len(bound) > 0 {
			out = bound[len(bound)-1].Schema
		}
		w.encode = x.encoding.Worker(out)
	}
	if x.reducer != nil {
		site := x.site(w, x.reducer.st)
		w.part = x.reducer.part(site)
		defer func() { x.reducer.st.add(&site.Tally) }()
	}
	w.recycle = x.source != nil && (x.encoding != nil || w.part != nil) && !x.setAside && !x.leftOut
	for _, b := range bound {
		w.recycle = w.recycle && b.Passing
	}
	w.entry = w.leave
	for i := len(bound) - 1; i >= 0; i-- {
		st := x.stages[i]
		site := x.site(w, st)
		w.sites = append(w.sites, site)
		w.entry = counted(site, bound[i].New(site), st, w.entry)
	}
	for j := range jobs {
		if ctx.Err() == nil {
			w.out, w.at = j.out, j.at
			if err := w.do(j); err != nil {
				w.send(piece{err: err})
			}
		}
		close(j.out)
	}
	for i, site := range w.sites {
		x.stages[len(x.stages)-1-i].add(&site.Tally)
	}
	if w.parser != nil && x.parsed != nil {
		x.parsed(w.parser.Stats())
	}
}

// site makes the place where a step works in a worker.
func (x *section) site(w *worker, st *stage) *step.Site {
	site := &step.Site{Step: st.name, File: x.fileName}
	if x.setAside {
		site.Aside = func(r *step.Row) error { w.aside = append(w.aside, r); return nil }
	}
	if x.leftOut {
		site.LeftOut = func(schema *table.Schema, b *table.Batch, rows []int32) {
			w.left = append(w.left, leftRows(site, schema, b, rows)...)
		}
	}
	return site
}

// counted counts the rows at a step's doors.
func counted(site *step.Site, fn step.MapFunc, st *stage, next func(*table.Batch) error) func(*table.Batch) error {
	emit := func(b *table.Batch) error {
		site.Tally.Out += int64(b.Rows)
		return next(b)
	}
	return func(b *table.Batch) error {
		site.Tally.In += int64(b.Rows)
		if err := fn(b, emit); err != nil {
			return st.place(err)
		}
		return nil
	}
}

// do runs one job through: the rows before a fault first, then the fault.
func (w *worker) do(j *job) error {
	b := j.in.batch
	var fault error
	if b == nil {
		b = w.raw
		w.x.bytes.Add(j.in.chunk.Bytes)
		fault = w.parser.Parse(j.in.chunk, b)
		for _, l := range w.parser.Long() {
			w.aside = append(w.aside, &step.Row{Source: l.File, Line: l.Line, Step: "read", Cell: l.Cell, Reason: l.Reason, Names: l.Names, Cells: l.Cells})
		}
	}
	err := w.entry(b)
	switch {
	case j.in.batch != nil:
		table.Put(b)
	case w.recycle:
		w.x.source.Recycle(j.in.chunk)
	}
	if err == nil {
		err = fault
	}
	if len(w.aside) > 0 {
		slices.SortStableFunc(w.aside, func(a, b *step.Row) int { return a.Line - b.Line })
		w.send(piece{aside: w.aside})
		w.aside = nil
	}
	if len(w.left) > 0 {
		slices.SortStableFunc(w.left, func(a, b *step.Row) int { return a.Line - b.Line })
		w.send(piece{left: w.left})
		w.left = nil
	}
	w.flush()
	return err
}

// leave takes a batch out of the section.
func (w *worker) leave(b *table.Batch) error {
	if w.part != nil {
		err := w.part.Add(b, w.at)
		w.at += int64(b.Rows)
		w.x.reducer.rows.Add(int64(b.Rows))
		if err != nil {
			return w.x.reducer.st.place(err)
		}
		return context.Cause(w.ctx)
	}
	if w.encode == nil {
		if b.Rows > 0 {
			w.send(piece{batch: table.Take(b)})
		}
		return context.Cause(w.ctx)
	}
	if w.buf == nil {
		w.buf = buffers.Get().(*[]byte)
		*w.buf = (*w.buf)[:0]
	}
	*w.buf = w.encode.Append(*w.buf, b)
	if len(*w.buf) >= flushSize {
		w.flush()
	}
	return context.Cause(w.ctx)
}

func (w *worker) flush() {
	if w.buf != nil && len(*w.buf) > 0 {
		w.send(piece{buf: w.buf})
		w.buf = nil
	}
}

func (w *worker) send(p piece) {
	select {
	case w.out <- p:
	case <-w.ctx.Done():
	}
}
