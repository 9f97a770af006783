// Package run wires sources, steps and sinks together and runs them: row steps
// in parallel and in order, ordered and whole steps one batch after the other. It counts rows at every
// boundary, checks that the counts balance, and puts output files in place only when all is well.
package run

import (
	"context"
	"fmt"
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
}

// section is row steps run by workers: parsing before them where they read a
// source, formatting after them where they write a file.
type section struct {
	feed     feed
	source   format.Source // whose chunks are parsed; nil: batches come
	stages   []*stage
	inOrder  *stage // an ordered step among them, done on the workers; nil: there is none
	before   int    // how many stages stand before it
	ordered  *step.Ordered
	encoding format.Encoding // nil: batches go out
	memory   int64           // bytes that each worker's part of a reducer may take; 0: no limit
	temp     string          // folder for temporary files
	reducer  *reducer        // takes what comes out of the steps, in the workers; nil: there is none
	workers  int
	aside    func([]*step.Row) error // takes rows that do not fit, in order; nil: the run stops
	left     func([]*step.Row) error // takes rows left out; nil: nobody wants them
	bytes    *atomic.Int64           // read so far, for the progress
	read     func() float64          // the share of the input that has been read, 0: not known
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

	prev   chan struct{} // closed when the job before has passed the step in order
	passed chan struct{}
}

const (
	flushSize = 256 << 10 // bytes a piece has at least, but for the last of a job
	maxPieces = 4         // a job holds before its worker waits for its turn
)

var buffers = sync.Pool{New: func() any { b := make([]byte, 0, flushSize+flushSize/2); return &b }}

// run runs the section into the sink. It returns when all its goroutines have ended.
func (x *section) run(parent context.Context, to sink) error {
	ctx, cancel := context.WithCancelCause(parent)
	depth := x.workers + 1
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
	last := make(chan struct{})
	close(last)
	put := func(it item) error {
		j := &job{in: it, at: number << 32, out: make(chan piece, maxPieces)}
		number++
		if x.inOrder != nil {
			j.prev, j.passed = last, make(chan struct{})
			last = j.passed
		}
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
	err := x.consume(ctx, queue, to)
	if err == nil {
		err = context.Cause(parent)
	}
	if err != nil {
		cancel(stopped{err})
	}
	cancel(nil)
	for range queue { // let the feed end
	}
	wg.Wait()
	return err
}

// stopped is why what stands before a section was told to end: an error of the section, which is placed where it arose and by nobody else.
type stopped struct{ error }

// consume hands the pieces of all jobs to the sink, in order.
func (x *section) consume(ctx context.Context, queue chan *job, to sink) error {
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
				if err := x.deliver(p, to); err != nil {
					return err
				}
			case <-ctx.Done():
				return context.Cause(ctx)
			}
		}
	}
	return nil
}

func (x *section) deliver(p piece, to sink) error {
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
		return x.aside(p.aside)
	case p.left != nil:
		return x.left(p.left)
	}
	return p.err
}

// bind binds the stages, one after the other.
func (x *section) bind(schema *table.Schema) ([]*step.Bound, error) {
	var out []*step.Bound
	for i, st := range x.stages {
		if x.inOrder != nil && i == x.before {
			if err := x.bindInOrder(schema); err != nil {
				return nil, err
			}
		}
		b, err := st.capabilities.Rows(schema)
		if err != nil {
			return nil, st.annotate(err)
		}
		st.bound(b)
		out = append(out, b)
		schema = b.Schema
	}
	if x.inOrder != nil && x.before == len(x.stages) {
		return out, x.bindInOrder(schema)
	}
	return out, nil
}

func (x *section) bindInOrder(schema *table.Schema) (err error) {
	if x.ordered, err = x.inOrder.capabilities.InOrder(schema); err != nil {
		return x.inOrder.annotate(err)
	}
	x.inOrder.fields, x.inOrder.summary = schema.Len(), x.ordered.Summary
	return nil
}

// worker is one goroutine's share of a section.
type worker struct {
	x      *section
	ctx    context.Context
	parser format.Parser
	raw    *table.Batch
	encode format.Encoder
	sites  []*step.Context
	first  func(*table.Batch) error // through the steps before the one in order
	entry  func(*table.Batch) error // through all others and out
	held   []*table.Batch           // what waits for its turn at the step in order
	ahead  []any                    // what was done of it ahead
	turn   *step.Context            // where the step in order works
	buf    *[]byte
	aside  []*step.Row
	left   []*step.Row
	out    chan piece

	part step.Partial // of the reducer
	at   int64

	passed  bool // the job has passed the step in order
	recycle bool // the text of a chunk may be overwritten when it is done
}

func (x *section) work(ctx context.Context, jobs chan *job, bound []*step.Bound, schema *table.Schema) {
	w := &worker{x: x, ctx: ctx, raw: table.Get()}
	if x.source != nil {
		w.parser = x.source.Parser()
		switch {
		case x.inOrder != nil && x.before == 0: // it sees the batches first
		case len(bound) > 0:
			w.parser.ByPlace(bound[0].ByPlace)
		case x.reducer != nil:
			w.parser.ByPlace(x.reducer.reduction.ByPlace())
		}
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
		site.Resources.Memory, site.Resources.Temp = x.memory, x.temp
		w.part = x.reducer.part(site)
		defer func() { x.reducer.st.add(&site.Counters) }()
	}
	w.recycle = x.source != nil && (x.encoding != nil || w.part != nil) && x.aside == nil && x.left == nil
	for _, b := range bound {
		w.recycle = w.recycle && b.RetainsNothing
	}
	if x.inOrder != nil {
		w.recycle = w.recycle && x.ordered.RetainsNothing
		w.turn = x.site(w, x.inOrder)
		defer func() { x.inOrder.add(&w.turn.Counters) }()
	}
	w.entry = w.leave
	for i := len(bound) - 1; i >= 0; i-- {
		if x.inOrder != nil && i == x.before-1 {
			w.first, w.entry = w.entry, w.hold
		}
		st := x.stages[i]
		site := x.site(w, st)
		w.sites = append(w.sites, site)
		w.entry = counted(site, bound[i].New(site), st, w.entry)
	}
	switch {
	case x.inOrder == nil:
		w.first = w.entry
	case x.before == 0:
		w.first = nil // the batch as it was read
	default:
		w.first, w.entry = w.entry, w.first
	}
	for j := range jobs {
		if ctx.Err() == nil {
			w.out, w.at = j.out, j.at
			if err := w.do(j); err != nil {
				w.send(piece{err: err})
			}
		}
		if j.passed != nil && !w.passed {
			close(j.passed) // cancelled before its turn came
		}
		w.passed = false
		close(j.out)
	}
	for i, site := range w.sites {
		x.stages[len(x.stages)-1-i].add(&site.Counters)
	}
	if w.parser != nil && x.parsed != nil {
		x.parsed(w.parser.Stats())
	}
}

// site makes the place where a step works in a worker.
func (x *section) site(w *worker, st *stage) *step.Context {
	site := &step.Context{Step: st.name, Tables: step.Tables{FileName: x.fileName}, Resources: step.Resources{Read: x.read}}
	if x.aside != nil {
		site.Exits.Aside = func(r *step.Row) error { w.aside = append(w.aside, r); return nil }
	}
	if x.left != nil {
		site.Exits.LeftOut = func(schema *table.Schema, b *table.Batch, rows []int32, cause step.Cause) {
			w.left = append(w.left, leftRows(site, schema, b, rows, cause)...)
		}
	}
	return site
}

// counted counts the rows that enter and leave a step.
func counted(site *step.Context, fn step.MapFunc, st *stage, next func(*table.Batch) error) func(*table.Batch) error {
	emit := func(b *table.Batch) error {
		site.Counters.Out += int64(b.Rows)
		if err := valid(st.name, b); err != nil {
			return err
		}
		return next(b)
	}
	return func(b *table.Batch) error {
		if b.Rows == 0 { // all were set aside before
			return nil
		}
		site.Counters.In += int64(b.Rows)
		if err := fn(b, emit); err != nil {
			return st.annotate(err)
		}
		return nil
	}
}

// valid looks, in strict builds, whether a batch keeps its promises.
func valid(step string, b *table.Batch) error {
	if !table.Strict {
		return nil
	}
	if err := b.Validate(); err != nil {
		return fmt.Errorf("%s hands on a batch that breaks its promises: %w", step, err)
	}
	return nil
}

// do runs one job through: the rows before a fault first, then the fault.
func (w *worker) do(j *job) error {
	b := j.in.batch
	var fault error
	if b == nil {
		b = w.raw
		w.x.bytes.Add(j.in.chunk.Bytes)
		fault = w.parser.Parse(j.in.chunk, b)
		if err := valid("read", b); err != nil {
			return err
		}
		for _, l := range w.parser.Long() {
			w.aside = append(w.aside, &step.Row{Source: l.File, Line: l.Line, Step: "read", Cell: l.Cell, Reason: l.Reason, Names: l.Names, Cells: l.Cells})
		}
	}
	err := w.through(j, b)
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

// through takes a batch through the steps: those before the step in order, that
// step when the job before has passed it, and the others.
func (w *worker) through(j *job, b *table.Batch) error {
	if w.x.inOrder == nil {
		return w.entry(b)
	}
	var err error
	if w.first == nil {
		w.held = append(w.held[:0], b)
	} else {
		w.held = w.held[:0]
		err = w.first(b)
	}
	w.ahead = w.ahead[:0]
	for _, h := range w.held {
		var ahead any
		if w.x.ordered.Ahead != nil {
			ahead = w.x.ordered.Ahead(h)
		}
		w.ahead = append(w.ahead, ahead)
	}
	select {
	case <-j.prev:
	case <-w.ctx.Done():
	}
	if w.ctx.Err() != nil { // then others let their turn go by, while one before them may still be at work
		return context.Cause(w.ctx)
	}
	for i, h := range w.held { // nobody else is here until passed is closed
		w.turn.Counters.In += int64(h.Rows)
		w.x.ordered.Do(h, w.ahead[i], w.turn)
		w.turn.Counters.Out += int64(h.Rows)
	}
	close(j.passed)
	w.passed = true
	for _, h := range w.held {
		if h.Rows > 0 {
			if e := w.entry(h); e != nil {
				return e // it stands before what failed above
			}
		}
		if w.first != nil {
			table.Put(h)
		}
	}
	return err
}

// hold keeps a batch until the job's turn at the step in order.
func (w *worker) hold(b *table.Batch) error {
	w.held = append(w.held, table.Adopt(b))
	return context.Cause(w.ctx)
}

// leave takes a batch out of the section.
func (w *worker) leave(b *table.Batch) error {
	if w.part != nil {
		err := w.part.Add(b, w.at)
		w.at += int64(b.Rows)
		w.x.reducer.rows.Add(int64(b.Rows))
		if err != nil {
			return w.x.reducer.st.annotate(err)
		}
		return context.Cause(w.ctx)
	}
	if w.encode == nil {
		if b.Rows > 0 {
			w.send(piece{batch: table.Adopt(b)})
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
