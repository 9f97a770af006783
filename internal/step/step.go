// Package step is the contract between the steps a table goes through and the runner: what kinds of step there are,
// what each may rely on and what it promises, how it counts what becomes of rows, and how it is described for the command line, plans and
// help. The steps themselves stand in the packages below, and catalog lists them. A step is immutable
// configuration; it prints nothing and writes no output file.
//
// A step tells by its [Capabilities] how it can be run. What row work makes of a row depends on that row alone, so it
// runs inside the workers, on many batches at once. An ordered step sees the batches one after the other in input
// order. A whole step reads all rows before it emits; where its work can be dealt out it is a [Reduction].
package step

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/sheet"
	"revuelta/internal/table"
)

// In runs what is upstream into out.
type In func(ctx context.Context, out Out) error

// Out receives one table.
type Out interface {
	// Start comes once, first, also for a table without rows.
	Start(*table.Schema) error
	// Emit takes the contents of the batch; an empty one is left in its place.
	Emit(*table.Batch) error
}

// Step is a step of a program, as it was configured. It may run many times and at the same time.
type Step interface{ Capabilities() Capabilities }

// Capabilities is what a runner has to know of a step: the ways in which it can be run, one at least, and what it asks
// for. Where there are several ways they give the same.
type Capabilities struct {
	Rows    func(in *table.Schema) (*Bound, error)                      // row work, inside the workers
	InOrder func(in *table.Schema) (*Ordered, error)                    // batches changed in place, one after the other, on whatever worker has the next
	Reduce  func(in *table.Schema) (Reduction, error)                   // all rows, dealt out to the workers
	Run     func(ctx context.Context, in In, out Out, s *Context) error // one table into another in one call, on one goroutine

	Prepare    func(s *Context) (Step, error) // reads another table before the first row comes, and gives the step to be run
	LooksAt    string                         // another table: a file or @NAME; "" where there is none
	OpenFields bool                           // its fields may be known only when all rows are in
	OnSheet    bool                           // it works on a sheet as it is laid out, and comes right after reading
	MayExceed  func(size, memory int64) bool  // whether InOrder may need more memory than that for an input of a size, 0: not known; nil: never
}

// Bound is a row step bound to the fields of its input.
type Bound struct {
	Schema *table.Schema
	// New makes a function for one worker. It may emit any number of batches,
	// all of whose contents it may reuse when emit has returned. Before it
	// returns an error it emits the rows before the one in error.
	New   func(s *Context) MapFunc
	Notes []string
	// RetainsNothing promises that no cell is kept beyond the emit it left with, so
	// that the text it views may be overwritten then.
	RetainsNothing bool
	// ByPlace tells of which fields of its input it also takes columns of kind [table.Placed]; nil: of none.
	ByPlace []bool
	// Summary says for the account what became of the rows, given the counters of all workers; nil: nothing to say.
	Summary func(t *Counters) string
	// After gives further notes when all rows have passed; nil: there are none.
	After func(t *Counters) []string
	// Settle finds what is wrong when all rows have passed; nil: nothing is.
	Settle func(t *Counters) error
}

// Other is another table that a step looks at.
type Other struct {
	Name   string
	Files  []string // that its rows came from, as their origins number them; nil: it is one, of that name
	Schema *table.Schema
	Run    In
	Close  func()
}

// File names the input that rows came from by its number.
func (o *Other) File(number int) string {
	if number < len(o.Files) {
		return o.Files[number]
	}
	return o.Name
}

// MapFunc is a row step's work on one batch, which has rows, and which it reads only, or emits whole.
type MapFunc func(src *table.Batch, emit func(*table.Batch) error) error

// Ordered is an ordered step bound to the fields of its input.
type Ordered struct {
	// Ahead does what can be done before the batches are in order; what it gives goes to Do. It may be nil.
	Ahead          func(b *table.Batch) any
	Do             func(b *table.Batch, ahead any, s *Context) // sees the batches in input order
	RetainsNothing bool                                        // as in Bound
	Summary        func(t *Counters) string
}

// Reduction is a whole step bound to the fields of its input.
type Reduction interface {
	// ByPlace is as in [Bound].
	ByPlace() []bool
	// NewPartial makes the partial result of one worker.
	NewPartial(s *Context) Partial
	// Finish merges the partial results and emits the outcome.
	Finish(ctx context.Context, parts []Partial, out Out, s *Context) error
}

// Partial takes the rows of batches and keeps what it needs of them in text of its own; at is where the first row of the batch
// stands among all rows, in an order that does not depend on who takes it.
type Partial interface {
	Add(b *table.Batch, at int64) error
}

// Reduced runs a reduction in the calling goroutine.
func Reduced(ctx context.Context, reduce func(in *table.Schema) (Reduction, error), in In, out Out, s *Context) error {
	var reduction Reduction
	var part Partial
	at := int64(0)
	err := in(ctx, Through{
		OnStart: func(schema *table.Schema) (err error) {
			if reduction, err = reduce(schema); err == nil {
				part = reduction.NewPartial(s)
			}
			return err
		},
		OnEmit: func(b *table.Batch) error {
			err := part.Add(b, at)
			at += int64(b.Rows)
			return err
		},
	})
	if err != nil {
		return err
	}
	return reduction.Finish(ctx, []Partial{part}, out, s)
}

// Cells counts cells that a step moves about: they come in, and go out or are left out.
type Cells struct {
	In      int64 `json:"in"`
	Out     int64 `json:"out"`
	LeftOut int64 `json:"left_out"`
}

// Counters counts what becomes of rows and cells. In and Out are counted by the
// runner, the others by the step where it decides.
type Counters struct {
	In, Out                         int64
	Made, Merged, LeftOut, SetAside int64
	FilledIn, FilledOut             int64 // cells that are not blank, where the step balances them
	Cells                           Cells // where a step tells of blank ones too
	Count                           [8]int64
	Values                          map[string]int64 // values met, where a step tells of them
	Aside, Left                     map[string]int64 // why rows were set aside, and left out
	Absent                          map[string]int64 // members of JSON objects that were not there, by name
	Unfit                           map[string]int64 // why cells did not fit of which the rows went on
	First                           []Quoted         // such cells, the first of them, in their order
}

// Add adds another counters.
func (t *Counters) Add(o *Counters) {
	t.In += o.In
	t.Out += o.Out
	t.Made += o.Made
	t.Merged += o.Merged
	t.LeftOut += o.LeftOut
	t.SetAside += o.SetAside
	t.FilledIn += o.FilledIn
	t.FilledOut += o.FilledOut
	t.Cells.In += o.Cells.In
	t.Cells.Out += o.Cells.Out
	t.Cells.LeftOut += o.Cells.LeftOut
	for i := range t.Count {
		t.Count[i] += o.Count[i]
	}
	t.Values, t.Aside, t.Left = addAll(t.Values, o.Values), addAll(t.Aside, o.Aside), addAll(t.Left, o.Left)
	t.Unfit, t.Absent = addAll(t.Unfit, o.Unfit), addAll(t.Absent, o.Absent)
	for _, q := range o.First {
		t.quote(q)
	}
}

// Lacks counts a member that is not there.
func (t *Counters) Lacks(name string) { t.Absent = because(t.Absent, name, 1) }

func addAll(to, from map[string]int64) map[string]int64 {
	for k, n := range from {
		if to == nil {
			to = make(map[string]int64, len(from))
		}
		to[k] += n
	}
	return to
}

// Quoted is a cell and where it stands.
type Quoted struct {
	File, Line int
	Text       string
}

// mostQuoted is how many cells are quoted.
const mostQuoted = 3

// quote keeps a cell if it is among the first that differ.
func (t *Counters) quote(q Quoted) {
	order := func(a, b Quoted) int { return cmp.Or(cmp.Compare(a.File, b.File), cmp.Compare(a.Line, b.Line)) }
	if len(t.First) == mostQuoted && order(q, t.First[mostQuoted-1]) >= 0 {
		return
	}
	if i := slices.IndexFunc(t.First, func(o Quoted) bool { return o.Text == q.Text }); i >= 0 {
		if order(q, t.First[i]) >= 0 {
			return
		}
		t.First = slices.Delete(t.First, i, i+1)
	}
	q.Text = strings.Clone(q.Text)
	at, _ := slices.BinarySearchFunc(t.First, q, order)
	if t.First = slices.Insert(t.First, at, q); len(t.First) > mostQuoted {
		t.First = t.First[:mostQuoted]
	}
}

// Quotes tells whether a text of a row of a batch may be among the first.
func (s *Context) Quotes(b *table.Batch) bool {
	first := s.Counters.First
	if len(first) < mostQuoted || b.Rows == 0 {
		return true
	}
	file, line := b.Origin.Earliest()
	last := first[mostQuoted-1]
	return file < last.File || file == last.File && line < last.Line
}

// Quote keeps a text of a row if it is among the first that differ.
func (s *Context) Quote(b *table.Batch, row int, text string) {
	s.Counters.quote(Quoted{b.Origin.FileOf(row), b.Origin.LineOf(row), text})
}

// Misfit counts a cell that does not fit, of which the row goes on.
func (s *Context) Misfit(schema *table.Schema, b *table.Batch, row, field int, reason string) {
	s.Counters.Unfit = because(s.Counters.Unfit, reasonIn(schema.Name(field), reason), 1)
	s.Quote(b, row, b.Cols[field].At(row))
}

// because counts rows that leave for a reason.
func because(reasons map[string]int64, reason string, rows int) map[string]int64 {
	if reasons == nil {
		reasons = map[string]int64{}
	}
	reasons[reason] += int64(rows)
	return reasons
}

// reasonIn is a reason as the account tells it, with the field that gave it unless that is "".
func reasonIn(field, reason string) string {
	if field != "" {
		reason = field + ": " + reason
	}
	return diag.Cut(reason)
}

// Context is where a step works: it counts there what becomes of rows, and finds what it needs of the run. Each worker
// has its own, so nothing in it is locked.
type Context struct {
	Step      string // its name, for messages
	Counters  Counters
	Summary   Summary
	Tables    Tables
	Resources Resources
	Exits     Exits
}

// Summary is what the account says of a step that is no row work; that says it by its [Bound].
type Summary struct {
	Text   string
	Notes  []string
	Across []string // the values that became fields
}

// Tables are the inputs of the run and the tables a step may ask for.
type Tables struct {
	Open     func(path string, role Role) (*Other, error) // opens another table, a file or @NAME
	AddFile  func(name string) int                        // the number of a further file, for the origin of rows
	FileName func(file int) string                        // names an input
	Merged   func(file int) []sheet.Area                  // merged areas of an input that is read as it lies: rows by their line, columns from 1
	Width    func(file int) int                           // how many columns such an input has
}

// Role is what another table is read for.
type Role string

// The roles of tables.
const (
	ToRead   Role = "read" // the table itself
	ToJoin   Role = "join"
	ToAppend Role = "append"
	AsMap    Role = "map" // read whole also where only fields are asked for
	ToCheck  Role = "check"
)

// Resources are what a step that holds rows may use.
type Resources struct {
	Memory int64          // bytes; 0: no limit
	Temp   string         // folder for temporary files, "" the system's
	Read   func() float64 // the share of the input that has been read, 0: not known; nil: likewise
}

// Exits are where rows go that leave the table.
type Exits struct {
	Aside   func(r *Row) error                                                    // takes a row that does not fit; nil: the run stops
	LeftOut func(schema *table.Schema, b *table.Batch, rows []int32, cause Cause) // takes rows left out; nil: nobody wants them
}

// OpenTable opens another table: a file, or what the run knows by @NAME.
func (s *Context) OpenTable(path string, role Role) (*Other, error) {
	if s.Tables.Open == nil {
		return OpenFile(path)
	}
	return s.Tables.Open(path, role)
}

func (s *Context) Share() float64 {
	if s.Resources.Read == nil {
		return 0
	}
	return s.Resources.Read()
}

// Row is a row that leaves the table.
type Row struct {
	Source string
	Line   int
	Step   string
	Field  string
	Cell   string
	Reason string
	Names  []string
	Cells  []string
}

// Unfit deals with a row that does not fit because of a cell: put aside, it is
// counted and nil returned, and the step goes on without the row; else the
// error is returned that stops the run. field may be -1. In tries FIELD stands for the field's name.
func (s *Context) Unfit(schema *table.Schema, b *table.Batch, row, field int, reason string, tries ...string) error {
	r := &Row{Line: b.Origin.LineOf(row), Step: s.Step, Reason: reason}
	if s.Tables.FileName != nil {
		r.Source = s.Tables.FileName(b.Origin.FileOf(row))
	}
	if field >= 0 {
		r.Field, r.Cell = schema.Name(field), b.Cols[field].At(row)
	}
	if s.Exits.Aside != nil {
		r.Names, r.Cells = schema.Names(), b.Row(row, nil)
		s.Counters.SetAside++
		s.Counters.Aside = because(s.Counters.Aside, reasonIn(r.Field, reason), 1)
		return s.Exits.Aside(r)
	}
	text := reason
	if field >= 0 {
		text = diag.Quote(r.Cell) + " " + reason
	}
	e := diag.Dataf("%s", text).At(r.Source, r.Line).InField(r.Field)
	e.Cell = r.Cell
	for _, t := range tries {
		name := r.Field
		if strings.ContainsAny(name, " ,'\"") {
			name = "'" + name + "'"
		}
		e.Trying(strings.Replace(t, "FIELD", name, 1))
	}
	return e.Trying("--set-aside FILE")
}

// Cause is why rows are left out: a reason, and the field that gave it.
type Cause struct {
	Field  int // of the rows, [NoField]: the row as a whole
	Reason string
}

// NoField stands for none.
const NoField = -1

// In is the cause as the account tells it of rows with those fields.
func (c Cause) In(schema *table.Schema) string {
	if c.Field < 0 {
		return reasonIn("", c.Reason)
	}
	return reasonIn(schema.Name(c.Field), c.Reason)
}

// Leave counts rows left out for a cause, and hands them to whoever wants them.
func (s *Context) Leave(schema *table.Schema, b *table.Batch, rows []int32, cause Cause) {
	if len(rows) == 0 {
		return
	}
	s.Counters.LeftOut += int64(len(rows))
	s.Counters.Left = because(s.Counters.Left, cause.In(schema), len(rows))
	if s.Exits.LeftOut != nil {
		s.Exits.LeftOut(schema, b, rows, cause)
	}
}

// Through is an Out made of two functions.
type Through struct {
	OnStart func(*table.Schema) error
	OnEmit  func(*table.Batch) error
}

// Start implements Out.
func (t Through) Start(s *table.Schema) error { return t.OnStart(s) }

// Emit implements Out.
func (t Through) Emit(b *table.Batch) error { return t.OnEmit(b) }

// Except lists the numbers 0 to n-1 without those given.
func Except(n int, fields []int) []int {
	gone := make([]bool, n)
	for _, f := range fields {
		gone[f] = true
	}
	var kept []int
	for i := range n {
		if !gone[i] {
			kept = append(kept, i)
		}
	}
	return kept
}

// Places tells for each of n fields where it stands among those given, -1 where it does not.
func Places(n int, fields []int) []int {
	at := make([]int, n)
	for i := range at {
		at[i] = -1
	}
	for k, f := range fields {
		at[f] = k
	}
	return at
}

func NamesOf(s *table.Schema, fields []int) []string {
	out := make([]string, len(fields))
	for i, f := range fields {
		out[i] = s.Name(f)
	}
	return out
}

// Unique makes a schema of names that must differ; hint says how to name another way.
func Unique(names []string, hint string) (*table.Schema, error) {
	seen := make(map[string]bool, len(names))
	for _, n := range names {
		if n == "" {
			return nil, diag.Dataf("a field would have no name").Trying(hint)
		}
		if seen[n] {
			return nil, diag.Dataf("two fields would be named %s", diag.Quote(n)).Trying(hint)
		}
		seen[n] = true
	}
	return table.NewSchema(names), nil
}
