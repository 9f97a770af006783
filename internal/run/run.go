package run

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/sheet"
	"revuelta/internal/step"
	"revuelta/internal/step/reshape"
	"revuelta/internal/table"
)

// Read is where a table comes from.
type Read struct {
	Paths   []string
	Options format.ReadOptions
	Line    int // in the plan
}

// Apply is a step.
type Apply struct {
	Name string
	Step any // a step.Mapper or a step.Step
	Line int
}

// Write is where a table goes.
type Write struct {
	Path      string // "": standard output
	Options   format.WriteOptions
	Overwrite bool
	Line      int
}

// Program is what is to be run: each item a *Read, *Apply or *Write.
type Program struct {
	Plan  string // file name, "" where there is none
	Items []any
}

// Env is what a run has around it.
type Env struct {
	Stdin       io.Reader
	Stdout      io.Writer
	Screen      func() Screen // draws the table on a terminal instead; nil: there is none
	Workers     int           // 0: as many as there are processors
	Memory      int64         // bytes that steps which hold rows may take; 0: no limit
	Temp        string        // folder for temporary files, "" the system's
	Aside       string        // file for rows that do not fit
	Most        string        // --most-aside
	LeftOut     string        // file for rows left out
	AccountFile string        // file the account goes to when the run has ended, "": none; not written here
	Keep        string        // plan the step goes to then, likewise
	Bytes       *atomic.Int64 // counts what is read, for the progress
	Total       func(int64)   // is told how much there is to read, where that is known
}

// Screen draws a table when it has it all.
type Screen interface {
	step.Out
	Close() error
}

// OnScreen is what the account calls the table that is drawn.
const OnScreen = "on the screen"

// ErrPipe is the error of standard output closed by its reader.
var ErrPipe = errors.New("standard output was closed by its reader")

// Run runs a program. The account is given also where it failed.
func Run(ctx context.Context, p *Program, env Env) (*Account, error) {
	began := time.Now()
	if env.Workers <= 0 {
		env.Workers = runtime.GOMAXPROCS(0)
	}
	if env.Bytes == nil {
		env.Bytes = new(atomic.Int64)
	}
	r := &runner{p: p, env: env, account: &Account{Status: "done"}, marks: map[string]*held{}}
	err := r.all(ctx)
	r.account.Seconds = time.Since(began).Seconds()
	if err != nil {
		r.account.Status, r.account.Failed = "failed", err.Error()
	}
	return r.account, err
}

type runner struct {
	p       *Program
	env     Env
	account *Account
	outputs []*target
	aside   *asideFile
	leftOut *asideFile
	marks   map[string]*held
	addFile func(name string) int
	read    func() float64 // the share of the table at work that has been read, 0: not known
	merged  func(file int) []sheet.Area
	width   func(file int) int
}

// all runs the segments, then puts the files in place.
func (r *runner) all(ctx context.Context) (err error) {
	defer func() {
		for _, t := range r.outputs {
			if t.whole != nil {
				t.whole.temp.Close()
			}
			if t.file != nil {
				t.file.Abort() // has no effect on what was put in place
			}
		}
		for _, a := range []*asideFile{r.aside, r.leftOut} {
			if a != nil {
				a.drop()
				a.out.Abort()
			}
		}
		for _, h := range r.marks {
			h.rows.Close()
		}
	}()
	if err := r.refuse(); err != nil {
		return err
	}
	if _, err := r.p.OnSheets(); err != nil {
		return err
	}
	if r.env.Aside != "" {
		if r.aside, err = newAsideFile(r.env.Aside, r.env.Temp, asideFields); err != nil {
			return err
		}
		if err := r.aside.bound(r.env.Most); err != nil {
			return err
		}
	}
	if r.env.LeftOut != "" {
		if r.leftOut, err = newAsideFile(r.env.LeftOut, r.env.Temp, leftOutFields); err != nil {
			return err
		}
	}
	segments, err := r.segments()
	if err != nil {
		return err
	}
	for _, s := range segments {
		if err := r.segment(ctx, s); err != nil {
			return err
		}
	}
	return r.finish()
}

// segments parts the program at its reads.
func (r *runner) segments() ([][]any, error) {
	var out [][]any
	for _, it := range r.p.Items {
		if _, ok := it.(*Read); ok {
			out = append(out, nil)
		}
		if len(out) == 0 {
			return nil, diag.Usagef("nothing is read before the first step")
		}
		out[len(out)-1] = append(out[len(out)-1], it)
	}
	var parted [][]any
	for _, items := range out {
		parted = append(parted, atMarks(items)...)
	}
	return parted, nil
}

// atMarks parts a segment where a table is marked that a step behind looks at:
// the mark must be whole before that step begins.
func atMarks(items []any) [][]any {
	for k, it := range items {
		m, ok := it.(*Mark)
		if !ok {
			continue
		}
		for _, later := range items[k+1:] {
			a, ok := later.(*Apply)
			if !ok {
				continue
			}
			if u, ok := a.Step.(step.LooksAt); ok && u.LooksAt() == "@"+m.Name {
				rest := append([]any{&Read{Paths: []string{"@" + m.Name}, Line: m.Line}}, items[k+1:]...)
				return append([][]any{items[:k+1]}, atMarks(rest)...)
			}
		}
	}
	return [][]any{items}
}

// OnSheets lets the steps that work on a sheet as it lies have it so. It gives
// the step that stands where it can't.
func (p *Program) OnSheets() (*Apply, error) {
	for i, it := range p.Items {
		a, ok := it.(*Apply)
		if !ok {
			continue
		}
		if _, ok := a.Step.(reshape.OnSheet); !ok {
			continue
		}
		var rd *Read
		before := i - 1
		if before > 0 { // one who only looks does not count
			if a, ok := p.Items[before].(*Apply); ok {
				if _, ok := a.Step.(*tap); ok {
					before--
				}
			}
		}
		if before >= 0 {
			rd, _ = p.Items[before].(*Read)
		}
		if rd == nil || slices.ContainsFunc(rd.Paths, func(s string) bool { return strings.HasPrefix(s, "@") }) {
			return a, diag.Usagef("%s works on the sheet as it lies, so it comes right after reading a file", a.Name).Trying("read FILE on the line before")
		}
		rd.Options.AsItLies = true
	}
	return nil, nil
}

// segment runs one table from where it is read to where it ends.
func (r *runner) segment(ctx context.Context, items []any) error {
	rd := items[0].(*Read)
	o := rd.Options
	o.Stdin = r.env.Stdin
	o.LongAside = r.aside != nil
	src, ok, err := r.marked(rd.Paths)
	if !ok {
		src, err = format.Open(rd.Paths, o)
	}
	if err != nil {
		return r.errAt(err, rd.Line)
	}
	defer src.Close()
	inputs := src.Inputs()
	workers := r.env.Workers
	size := int64(0)
	for _, in := range inputs {
		if in.Size == 0 {
			size = 0
			break
		}
		size += in.Size
	}
	if 0 < size && size < smallInput {
		workers = 1
	}
	if r.env.Total != nil {
		r.env.Total(size)
	}
	var mu sync.Mutex
	files := filesOf(src) // and those that steps bring in
	name := func(i int) string {
		mu.Lock()
		defer mu.Unlock()
		return files[i]
	}
	r.merged = func(i int) []sheet.Area {
		if i >= len(inputs) {
			return nil
		}
		return inputs[i].Merged
	}
	r.width = func(i int) int {
		if i >= len(inputs) {
			return src.Schema().Len()
		}
		return inputs[i].Fields
	}
	r.addFile = func(name string) int {
		mu.Lock()
		defer mu.Unlock()
		files = append(files, name)
		return len(files) - 1
	}

	stats := make([]format.Stats, len(inputs))
	before := r.env.Bytes.Load()
	r.read = func() float64 {
		if size == 0 {
			return 0
		}
		return min(float64(r.env.Bytes.Load()-before)/float64(size), 1)
	}
	x := &section{source: src, workers: workers, bytes: r.env.Bytes, read: r.read, fileName: name, aside: r.aside.stream(), left: r.leftOut.stream(),
		parsed: func(part []format.Stats) {
			mu.Lock()
			defer mu.Unlock()
			for i := range stats {
				stats[i].Add(part[i])
			}
		}}
	x.feed = func(ctx context.Context, start func(*table.Schema) error, put func(item) error) error {
		if err := start(src.Schema()); err != nil {
			return err
		}
		for {
			c, err := src.Next()
			if err == io.EOF {
				return nil
			}
			if err != nil {
				return err
			}
			if err := put(item{chunk: c}); err != nil {
				return err
			}
		}
	}
	var stages []*stage
	next := func(in step.In) *section {
		return &section{workers: workers, bytes: r.env.Bytes, read: r.read, fileName: name, aside: r.aside.stream(), left: r.leftOut.stream(), feed: func(ctx context.Context, start func(*table.Schema) error, put func(item) error) error {
			return in(ctx, step.Through{OnStart: start, OnEmit: func(b *table.Batch) error {
				return put(item{batch: table.Adopt(b)})
			}})
		}}
	}
	ordered := func(s step.Step, st *stage) {
		upstream, aside, left := batches(x), r.aside.stream(), r.leftOut.stream()
		x = next(func(ctx context.Context, out step.Out) error {
			return r.runStep(ctx, s, st, upstream, out, &step.Context{Step: st.name, Tables: step.Tables{FileName: name}}, aside, left)
		})
	}
	var limited *stage
	if o.Limit > 0 {
		limited = &stage{name: "limit"}
		ordered(limit(o.Limit), limited)
	}
	var last *Write
	for i, it := range items[1:] {
		switch it := it.(type) {
		case *Apply:
			st := &stage{name: it.Name, plan: r.p.Plan, line: it.Line}
			if i == 0 && len(inputs) == 1 {
				st.at = inputs[0].Name
			}
			stages = append(stages, st)
			made := it.Step
			if p, ok := made.(step.Prepared); ok {
				if made, err = p.Prepare(&step.Context{Tables: step.Tables{Open: r.other}, Resources: step.Resources{Memory: r.env.Memory, Temp: r.env.Temp}}); err != nil {
					return st.annotate(err)
				}
			}
			if s, ok := made.(step.InOrder); ok && x.inOrder == nil && !r.mayExceed(made, rd.Paths, size, len(stages) > 1) {
				st.inOrder = s
				x.inOrder, x.before = st, len(x.stages)
				continue
			}
			switch s := made.(type) {
			case step.Mapper:
				st.mapper = s
				x.stages = append(x.stages, st)
			case step.Reducer:
				up := x
				up.reducer = &reducer{step: s, st: st}
				up.memory, up.temp = (r.env.Memory+int64(workers)-1)/int64(workers), r.env.Temp
				x = next(func(ctx context.Context, out step.Out) error {
					nothing := func(*table.Schema) error { return nil }
					if err := up.run(ctx, sink{start: nothing}); err != nil {
						return err
					}
					return up.reducer.finish(ctx, out, &step.Context{Step: st.name, Tables: step.Tables{FileName: name}, Resources: step.Resources{Memory: r.env.Memory, Temp: r.env.Temp}})
				})
			case step.Step:
				ordered(s, st)
			default:
				panic(fmt.Sprintf("run: %T is no step", it.Step))
			}
		case *Mark:
			ordered(marking{r, it.Name}, &stage{name: "mark", plan: r.p.Plan, line: it.Line})
		case *Write:
			if i == len(items)-2 {
				last = it
				continue
			}
			t, err := r.open(it)
			if err != nil {
				return err
			}
			ordered(tee(t), &stage{name: "write", plan: r.p.Plan, line: it.Line})
		}
	}
	err = r.end(ctx, x, last)
	for _, a := range []*asideFile{r.aside, r.leftOut} {
		if err == nil {
			err = a.settle()
		}
	}
	src.Close() // nobody adds notes any more
	for i, in := range inputs {
		a := TableAccount{Name: in.Name, Rows: stats[i].Rows, Fields: in.Fields, Notes: in.Notes, How: in.How, Names: src.Schema().Names()}
		if limited != nil && len(inputs) == 1 {
			a.Rows = limited.counters.Out
		}
		if n := stats[i].Short; n > 0 {
			a.Notes = append(a.Notes, fmt.Sprintf("%s shorter than the header, the rest blank", diag.Plural(n, "row")))
		}
		if n := stats[i].Long; n > 0 {
			a.Notes = append(a.Notes, fmt.Sprintf("%s longer than the header set aside", diag.Plural(n, "row")))
		}
		if n := stats[i].Empty; n > 0 {
			a.Notes = append(a.Notes, fmt.Sprintf("%s left out", diag.Plural(n, "empty line")))
		}
		r.account.Inputs = append(r.account.Inputs, a)
	}
	for _, st := range stages {
		r.account.Steps = append(r.account.Steps, st.account())
	}
	if err != nil {
		return err
	}
	for _, st := range stages {
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

// mayExceed tells whether a step may need more memory than there is. What
// steps before it make of the rows, or what is packed, is of unknown size.
func (r *runner) mayExceed(made any, paths []string, size int64, others bool) bool {
	s, ok := made.(step.Spilling)
	if !ok || r.env.Memory == 0 {
		return false
	}
	for _, p := range paths {
		others = others || strings.HasSuffix(p, ".gz") || strings.HasSuffix(p, ".zst")
	}
	if others {
		size = 0
	}
	return s.MayExceed(size, r.env.Memory)
}

// smallInput is what one worker does as fast as two.
const smallInput = 256 << 10

func (r *runner) errAt(err error, line int) error {
	var e *diag.Error
	if errors.As(err, &e) {
		r.at(e, line)
	}
	return err
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

// open begins an output.
func (r *runner) open(w *Write) (*target, error) {
	enc, err := format.NewEncoding(w.Path, w.Options)
	if err != nil {
		return nil, r.errAt(err, w.Line)
	}
	t := &target{enc: enc, acc: TableAccount{Name: w.Path}, w: r.env.Stdout}
	if e, ok := enc.(format.Whole); ok {
		if t.whole, err = newWholeTarget(e, r.env.Temp); err != nil {
			return nil, r.errAt(err, w.Line)
		}
	}
	if w.Path == "" {
		t.acc.Name = "standard output"
	} else {
		if t.file, err = format.Create(w.Path); err != nil {
			return nil, r.errAt(err, w.Line)
		}
		t.w = t.file
	}
	r.outputs = append(r.outputs, t)
	return t, nil
}

// countingEncoding counts the rows that leave.
type countingEncoding struct {
	format.Encoding
	rows *int64
}

func (c countingEncoding) Worker(s *table.Schema) format.Encoder {
	return countingEncoder{c.Encoding.Worker(s), c.rows}
}

type countingEncoder struct {
	format.Encoder
	rows *int64
}

func (c countingEncoder) Append(dst []byte, b *table.Batch) []byte {
	atomic.AddInt64(c.rows, int64(b.Rows))
	return c.Encoder.Append(dst, b)
}

// runStep runs an ordered or whole step with its doors counted.
func (r *runner) runStep(ctx context.Context, s step.Step, st *stage, in step.In, out step.Out, site *step.Context, aside, left func([]*step.Row) error) error {
	site.Tables.Width = r.width
	site.Tables.Merged, site.Tables.Open, site.Resources.Read, site.Tables.AddFile, site.Resources.Memory, site.Resources.Temp = r.merged, r.other, r.read, r.addFile, r.env.Memory, r.env.Temp
	if aside != nil {
		site.Exits.Aside = func(row *step.Row) error { return aside([]*step.Row{row}) }
	}
	var unwritten error
	if left != nil {
		site.Exits.LeftOut = func(schema *table.Schema, b *table.Batch, rows []int32) {
			if err := left(leftRows(site, schema, b, rows)); err != nil {
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
	err := s.Run(ctx, counting, step.Through{
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
