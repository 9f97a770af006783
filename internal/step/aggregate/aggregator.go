// Package aggregate has the steps that make one row of many: pivot and group. Workers aggregate what they read into
// parts of their own, which are merged at the end; every row carries its position among all, so the outcome does not depend on
// who read it. Keys for which memory has no room go to files, each of which is aggregated by itself.
package aggregate

import (
	"slices"
	"sort"

	"revuelta/internal/calc"
	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/rowstore"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

// aggregator is what pivot and group share: rows are dealt to slots by their keys
// down and across, and each slot has its calculations.
type aggregator struct {
	in       *table.Schema
	down     []keying.Key
	across   []keying.Key // none: a single column
	calcs    []*calc.Calculation
	decimals int
	balance  []int                                                 // fields whose cells come out as they went in, one each
	watch    func(values []string) (reason string, tries []string) // looks at a new across key
	drops    func(values []string) bool                            // across keys whose values nobody wants; nil: there are none
	outside  func(values []string) bool                            // across keys whose rows and sums are told; nil: there are none
	unwanted func(values []string) step.Cause                      // why rows of such a key are left out
	most     int                                                   // across keys; 0: no bound
	wanted   []int                                                 // fields that keys and calculations look at
	perSlot  int                                                   // bytes, about
	perRow   int                                                   // bytes that are held of each row, about
	tooMany  func(across *keying.Interner) error
}

// partial is what one worker folded.
type partial struct {
	f      *aggregator
	s      *step.Context
	down   *keying.Interner
	across *keying.Interner
	grid   grid
	slots  int32
	at     []int32 // slots of the rows at hand
	drops  []bool  // of each key across
	accs   []calc.Acc
	spans  []span
	single []*calc.Single // those of accs that take exactly one value
	cells  [][]string     // of balance
	spare  [][]string

	outside *outsiders           // nil: nothing is told of any
	left    map[int32]step.Cause // why rows of keys across are left out
	held    int                  // bytes that calculations hold of rows
	spilled []*rowstore.Buckets  // rows there was no room for; those of one worker in each
	level   int                  // how often the rows at hand were dealt to files
	sparse  []string             // a row of the fields that are wanted alone
}

// span tells where the rows of a batch stand, for messages.
type span struct {
	at     int64
	rows   int
	origin table.Origin
}

// newPartial makes a part.
func (f *aggregator) newPartial(s *step.Context) *partial {
	p := &partial{f: f, s: s, down: keying.NewInterner(f.in, f.down), across: keying.NewInterner(f.in, f.across)}
	for _, c := range f.calcs {
		a, err := c.New(f.in, f.decimals)
		if err != nil {
			panic("step: " + err.Error()) // it was bound before
		}
		p.accs = append(p.accs, a)
		if one, ok := a.(*calc.Single); ok {
			p.single = append(p.single, one)
		}
	}
	p.cells, p.spare = make([][]string, len(f.balance)), make([][]string, len(f.balance))
	return p
}

// ready finds out what is needed of a row where it goes to a file, and what is held of it.
func (f *aggregator) ready() *aggregator {
	f.wanted = append(append(keying.Uses(f.in, f.down), keying.Uses(f.in, f.across)...), f.balance...)
	for _, c := range f.calcs {
		slot, row := c.Holds()
		f.perSlot, f.perRow = f.perSlot+slot, f.perRow+row
		for _, n := range c.Fields() {
			if i, ok := f.in.Index(n); ok {
				f.wanted = append(f.wanted, i)
			}
		}
	}
	slices.Sort(f.wanted)
	f.wanted = slices.Compact(f.wanted)
	return f
}

// byPlace tells which fields nobody looks at, so that no cells need be made of them.
func (f *aggregator) byPlace() []bool {
	is := slices.Repeat([]bool{true}, f.in.Len())
	for _, i := range f.wanted {
		is[i] = false
	}
	return is
}

// load readies the rows of a batch.
func (p *partial) load(b *table.Batch) {
	p.down.Load(b)
	p.across.Load(b)
	for _, a := range p.accs {
		a.Load(b)
	}
	for i, c := range p.f.balance {
		p.cells[i], p.spare[i] = b.Cols[c].Flat(b.Rows, p.spare[i])
	}
}

// Add implements Part.
func (p *partial) Add(b *table.Batch, at int64) error {
	p.load(b)
	if p.f.outside != nil && p.s.Exits.Aside == nil { // else rows that are put aside would be among them
		if p.outside == nil {
			p.outside = newOutsiders(p.f)
		}
		p.outside.add(b)
	}
	if p.full() {
		return p.spill(b, at)
	}
	p.adopt(b, at)
	p.held += b.Rows * p.f.perRow
	if p.s.Exits.Aside != nil {
		return p.oneByOne(b, at)
	}
	return p.all(b, at)
}

// oneByOne takes the rows of a batch each for itself.
func (p *partial) oneByOne(b *table.Batch, at int64) error {
	for r := range b.Rows {
		if err := p.row(b, r, at+int64(r)); err != nil {
			return err
		}
	}
	return nil
}

// adopt notes where rows stand, for a message of two that compete.
func (p *partial) adopt(b *table.Batch, at int64) {
	if len(p.single) > 0 {
		o := b.Origin
		o.Lines, o.Ends, o.Files = slices.Clone(o.Lines), slices.Clone(o.Ends), slices.Clone(o.Files)
		p.spans = append(p.spans, span{at, b.Rows, o})
	}
}

// all takes the rows of a batch step by step: all keys across, all keys down,
// all slots, then one calculation after the other. What each of these waits for in
// memory it waits for together. The earliest row that fails is told.
func (p *partial) all(b *table.Batch, at int64) error {
	var stop error
	failed := func(r int, fail *formula.Failure, err error) {
		if fail != nil {
			err = p.unfit(b, r, fail)
		}
		if err != nil {
			stop = err
		}
	}
	n := b.Rows
	cols, fail, err := p.across.Ids(b, n, at, func(id int32, r int) error { return p.newAcross(b, id, r) })
	if p.f.drops != nil && slices.ContainsFunc(cols, p.dropped) {
		return p.oneByOne(b, at)
	}
	failed(len(cols), fail, err)
	p.grid.widen(len(p.across.Values))
	p.down.Found = func(from int, ids []int32) { p.grid.ahead(ids, cols[min(from, len(cols)):]) }
	rows, fail, err := p.down.Ids(b, len(cols), at, func(int32, int) error {
		p.grid.addRow()
		p.s.Counters.Merged-- // counted below with those that are not new
		return nil
	})
	failed(len(rows), fail, err)
	n = len(rows)
	p.s.Counters.Merged += int64(n)
	if cap(p.at) < n {
		p.at = make([]int32, b.Rows)
	}
	slots := p.at[:n]
	if g := &p.grid; len(p.across.Values) <= g.stride {
		for r, row := range rows {
			slots[r] = g.near[int(row)*g.stride+int(cols[r])] - 1
		}
	} else {
		for r, row := range rows {
			slots[r] = g.get(row, cols[r])
		}
	}
	for r, slot := range slots {
		if slot >= 0 {
			continue
		}
		// It may have been made for a row above.
		if slot = p.grid.get(rows[r], cols[r]); slot < 0 {
			slot = p.slot(rows[r], cols[r])
		}
		slots[r] = slot
	}
	for _, a := range p.accs {
		r, fail := calc.AddAll(a, slots[:n], at)
		if fail != nil {
			failed(r, fail, nil)
			n = r
		}
	}
	for i := range p.cells {
		p.s.Counters.FilledIn += int64((&table.Column{Cells: p.cells[i]}).Filled(n))
	}
	return stop
}

// newAcross looks at a key across that was not seen before.
func (p *partial) newAcross(b *table.Batch, id int32, r int) error {
	if reason, tries := p.f.look(p.across.Values[id]); reason != "" {
		p.across.Undo(id)
		return p.s.Unfit(p.f.in, b, r, p.f.across[0].Column, reason, tries...)
	}
	if p.f.most > 0 && len(p.across.Values) > p.f.most {
		return p.f.tooMany(p.across)
	}
	return nil
}

func (p *partial) row(b *table.Batch, r int, pos int64) error {
	if dropped, ok, err := p.drop(b, r, pos); !ok {
		return err
	} else if dropped {
		p.leave(b, r)
		_, err := p.downOf(b, r, pos) // its row stays
		return err
	}
	if p.s.Exits.Aside != nil { // a row that is put aside leaves no trace
		if fail := p.check(r); fail != nil {
			return p.unfit(b, r, fail)
		}
	}
	col, ok, err := p.acrossOf(b, r, pos)
	if !ok {
		return err
	}
	row, err := p.downOf(b, r, pos)
	if row < 0 {
		return err
	}
	slot := p.grid.get(row, col)
	if slot < 0 {
		slot = p.slot(row, col)
	}
	for _, a := range p.accs {
		if fail := a.Add(slot, r, pos); fail != nil {
			return p.unfit(b, r, fail)
		}
	}
	p.countFilled(r)
	return nil
}

// downOf is the number of a row's key down, which it counts; negative: the row was dealt with, or stops the run.
func (p *partial) downOf(b *table.Batch, r int, pos int64) (int32, error) {
	row, fresh, fail := p.down.Id(r, pos)
	if fail != nil {
		return -1, p.unfit(b, r, fail)
	}
	if fresh {
		p.grid.addRow()
	} else {
		p.s.Counters.Merged++
		p.down.First[row] = min(p.down.First[row], pos) // rows of files come after those held
	}
	return row, nil
}

// drop tells whether nobody wants the values of a row, which then need not be read; not ok: it was dealt with, or stops the run.
func (p *partial) drop(b *table.Batch, r int, pos int64) (dropped, ok bool, err error) {
	if p.f.drops == nil {
		return false, true, nil
	}
	id, ok, err := p.acrossOf(b, r, pos)
	return ok && p.dropped(id), ok, err
}

// dropped tells whether nobody wants the values of a key across.
func (p *partial) dropped(id int32) bool {
	for k := int32(len(p.drops)); k <= id; k++ {
		p.drops = append(p.drops, p.f.drops(p.across.Values[k]))
	}
	return p.drops[id]
}

// leave leaves out a row whose values nobody wants.
func (p *partial) leave(b *table.Batch, r int) {
	id, _, _ := p.across.Id(r, 0) // it was looked up before
	cause, ok := p.left[id]
	if !ok {
		cause = p.f.unwanted(p.across.Values[id])
		if p.left == nil {
			p.left = map[int32]step.Cause{}
		}
		p.left[id] = cause
	}
	p.s.Leave(p.f.in, b, []int32{int32(r)}, cause)
}

// bare counts the keys down all of whose rows were left out.
func (p *partial) bare() (n int) {
	if p.f.drops == nil {
		return 0
	}
	for row := range p.grid.rows {
		some := false
		p.grid.each(int32(row), func(int32, int32) { some = true })
		if !some {
			n++
		}
	}
	return n
}

func (p *partial) countFilled(r int) {
	for i := range p.cells {
		if p.cells[i][r] != "" {
			p.s.Counters.FilledIn++
		}
	}
}

// check tells whether the calculations can take a row.
func (p *partial) check(r int) *formula.Failure {
	for _, a := range p.accs {
		if fail := a.Check(r); fail != nil {
			return fail
		}
	}
	return nil
}

// acrossOf is the number of a row's key across; not ok: the row was dealt with, or stops the run.
func (p *partial) acrossOf(b *table.Batch, r int, pos int64) (id int32, ok bool, err error) {
	id, fresh, fail := p.across.Id(r, pos)
	if fail != nil {
		return 0, false, p.unfit(b, r, fail)
	}
	if fresh {
		known := len(p.across.Values)
		if err := p.newAcross(b, id, r); err != nil || len(p.across.Values) < known {
			return 0, false, err
		}
	}
	return id, true, nil
}

// look asks whether an across key may be there.
func (f *aggregator) look(values []string) (string, []string) {
	if f.watch == nil {
		return "", nil
	}
	return f.watch(values)
}

func (p *partial) unfit(b *table.Batch, r int, fail *formula.Failure) error {
	return p.s.Unfit(p.f.in, b, r, fail.Field, fail.Reason, step.TriesFor(fail, b, r)...)
}

// merge takes what another part folded.
func (p *partial) merge(o *partial) error {
	rows, known := p.down.Merge(o.down)
	cols, _ := p.across.Merge(o.across)
	p.s.Counters.Merged += int64(known)
	for p.grid.rows < len(p.down.Values) {
		p.grid.addRow()
	}
	p.grid.widen(len(p.across.Values))
	pairs := pairs{}
	for i := range o.grid.rows {
		p.pair(&pairs, rows[i], o, int32(i), cols)
		if len(pairs.slots) >= mostPairs || i == o.grid.rows-1 {
			if err := p.mergePairs(&pairs, o); err != nil {
				return err
			}
		}
	}
	p.learn(o)
	if o.outside != nil && p.outside != nil {
		p.outside.merge(o.outside)
	} else if o.outside != nil {
		p.outside = o.outside
	}
	p.spans, p.spilled = append(p.spans, o.spans...), append(p.spilled, o.spilled...)
	return nil
}

// pairs are slots, and those of another part that go into them: so many that memory is waited for together, as few as stay in the
// nearest cache.
type pairs struct{ slots, others []int32 }

const mostPairs = 256

// pair finds the slots of another's row; cols are the numbers its keys across have here, nil: the same.
func (p *partial) pair(to *pairs, row int32, o *partial, theirs int32, cols []int32) {
	o.grid.each(theirs, func(col, from int32) {
		if cols != nil {
			col = cols[col]
		}
		slot := p.grid.get(row, col)
		if slot < 0 {
			slot = p.slot(row, col)
		}
		to.slots, to.others = append(to.slots, slot), append(to.others, from)
	})
}

// mergePairs merges them and leaves none.
func (p *partial) mergePairs(of *pairs, o *partial) error {
	for k, a := range p.accs {
		if err := calc.MergeAll(a, of.slots, o.accs[k], of.others); err != nil {
			return diag.Dataf("%s: %v", p.f.calcs[k].Source, err)
		}
	}
	of.slots, of.others = of.slots[:0], of.others[:0]
	return nil
}

// learn takes over what the calculations of another know of the whole field.
func (p *partial) learn(o *partial) {
	for k, a := range p.accs {
		if a, ok := a.(calc.Knowing); ok {
			a.Learn(o.accs[k])
		}
	}
}

// slot makes a new slot.
func (p *partial) slot(row, col int32) int32 {
	slot := p.loose()
	p.grid.put(row, col, slot)
	return slot
}

// loose makes a slot outside the table.
func (p *partial) loose() int32 {
	p.slots++
	for _, a := range p.accs {
		a.Grow(int(p.slots))
	}
	return p.slots - 1
}

func (p *partial) mergeSlot(slot int32, from []calc.Acc, other int32) error {
	for k, a := range p.accs {
		if err := a.Merge(slot, from[k], other); err != nil {
			return diag.Dataf("%s: %v", p.f.calcs[k].Source, err)
		}
	}
	return nil
}

// mergePartials puts the parts of all workers together.
func mergePartials(parts []step.Partial, s *step.Context) (*partial, error) {
	all := parts[0].(*partial)
	all.s = s
	for i, o := range parts[1:] {
		if err := all.merge(o.(*partial)); err != nil {
			return nil, err
		}
		parts[i+1] = nil
	}
	sort.Slice(all.spans, func(i, j int) bool { return all.spans[i].at < all.spans[j].at })
	if len(all.spilled) == 0 {
		if _, err := all.conflict(); err != nil {
			return nil, err
		}
	}
	for _, a := range all.accs {
		if err := a.Settle(); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// conflict names the two rows that compete for one cell, the earliest there are, and tells where the second stands.
func (p *partial) conflict() (int64, error) {
	var first *calc.Conflict
	var at int32
	measure := ""
	for k, a := range p.accs {
		one, ok := a.(*calc.Single)
		if !ok {
			continue
		}
		for slot, c := range one.Conflicts {
			if first == nil || c.Second < first.Second {
				first, at, measure = &c, slot, p.f.calcs[k].Measure()
			}
		}
	}
	if first == nil {
		return 0, nil
	}
	var where string
	for id := range p.grid.rows {
		p.grid.each(int32(id), func(col, slot int32) {
			if slot != at {
				return
			}
			for i, k := range p.f.down {
				where += ", " + k.Name + " " + diag.Quote(p.down.Values[id][i])
			}
			for i, k := range p.f.across {
				where += ", " + k.Name + " " + diag.Quote(p.across.Values[col][i])
			}
		})
	}
	file, line := p.place(first.Second)
	e := diag.Dataf("two rows compete for %s of one cell: %s and %s%s", diag.Quote(measure), diag.Quote(first.A), diag.Quote(first.B), where).At(file, line)
	if _, other := p.place(first.First); other > 0 {
		e.OtherLine = other
		e.Text += ", " + diag.LineOf(file) + "s " + diag.Count(int64(other)) + " and " + diag.Count(int64(line))
	}
	return first.Second, e.Trying("say what to make of several: sum("+measure+"), first("+measure+"), join("+measure+", \"; \")", "keep apart what differs: --down")
}

// place finds the file and line of a row.
func (p *partial) place(pos int64) (string, int) {
	i := sort.Search(len(p.spans), func(i int) bool { return p.spans[i].at > pos }) - 1
	if i < 0 || pos >= p.spans[i].at+int64(p.spans[i].rows) {
		return "", 0
	}
	o := &p.spans[i].origin
	if o.Line == 0 || p.s.Tables.FileName == nil {
		return "", 0
	}
	row := int(pos - p.spans[i].at)
	return p.s.Tables.FileName(o.FileOf(row)), o.LineOf(row)
}
