package run

import (
	"context"
	"errors"
	"io"
	"runtime"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/step"
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
	Step step.Step
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
	ReportFile  string        // the same of the report
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
		r.account.Status, r.account.Failed = "failed", failureOf(err)
	}
	return r.account, err
}

type runner struct {
	p       *Program
	env     Env
	account *Account
	outputs []*target
	out     format.Outputs
	aside   *asideFile
	leftOut *asideFile
	marks   map[string]*held
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
	if err := r.expand(); err != nil {
		return err
	}
	if err := r.refuse(); err != nil {
		return err
	}
	if _, err := r.p.OnSheets(); err != nil {
		return err
	}
	if r.env.Aside != "" {
		if r.aside, err = newAsideFile(r.env.Aside, r.env.Temp); err != nil {
			return err
		}
		if err := r.aside.bound(r.env.Most); err != nil {
			return err
		}
	}
	if r.env.LeftOut != "" {
		if r.leftOut, err = newAsideFile(r.env.LeftOut, r.env.Temp); err != nil {
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

// expand puts the files that fit a glob in its place.
func (r *runner) expand() (err error) {
	for _, it := range r.p.Items {
		if rd, ok := it.(*Read); ok {
			if rd.Paths, err = format.Expand(rd.Paths); err != nil {
				return r.errAt(err, rd.Line)
			}
		}
	}
	return nil
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
			if a.Step.Capabilities().LooksAt == "@"+m.Name {
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
		if !a.Step.Capabilities().OnSheet {
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

func (r *runner) errAt(err error, line int) error {
	var e *diag.Error
	if errors.As(err, &e) {
		r.at(e, line)
	}
	return err
}

// open begins an output.
func (r *runner) open(w *Write) (*target, error) {
	enc, err := format.NewEncoding(w.Path, w.Options)
	if err != nil {
		return nil, r.errAt(err, w.Line)
	}
	t := &target{enc: enc, acc: TableAccount{Name: format.NameOf(w.Path)}, w: r.env.Stdout}
	if e, ok := enc.(format.Whole); ok {
		if t.whole, err = newWholeTarget(e, r.env.Temp); err != nil {
			return nil, r.errAt(err, w.Line)
		}
	}
	if w.Path == "" {
		t.acc.Name = "standard output"
	} else {
		if t.file, err = r.out.Create(w.Path); err != nil {
			return nil, r.errAt(err, w.Line)
		}
		t.w = t.file
		if s, ok := enc.(format.Sender); ok {
			s.To(t.file)
		}
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
