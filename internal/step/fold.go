package step

import (
	"slices"
	"sort"

	"revuelta/internal/calc"
	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/table"
)

// folder is what pivot and group share: rows are dealt to slots by their keys
// down and across, and each slot has its calculations.
type folder struct {
	in       *table.Schema
	down     []key
	across   []key // none: a single column
	calcs    []*calc.Calculation
	decimals int
	balance  []int                                                 // fields whose cells come out as they went in, one each
	watch    func(values []string) (reason string, tries []string) // looks at a new across key
	most     int                                                   // across keys; 0: no bound
	tooMany  func(across *interner) error
}

// part is what one worker folded.
type part struct {
	f      *folder
	s      *Site
	down   *interner
	across *interner
	rows   []rowCells
	slots  int32
	accs   []calc.Acc
	spans  []span
	single []*calc.Single // those of accs that take exactly one value
	cells  [][]string     // of balance
	spare  [][]string
}

// span tells where the rows of a batch stand, for messages.
type span struct {
	at     int64
	rows   int
	origin table.Origin
}

// rowCells finds the slot of an across key: few or the first in an array,
// others in a sorted list, all in the array when there are many.
type rowCells struct {
	dense []int32 // slot + 1
	cols  []int32
	slots []int32
}

const denseCols = 64

func (r *rowCells) get(col int32) int32 {
	if int(col) < len(r.dense) {
		return r.dense[col] - 1
	}
	if len(r.cols) == 0 {
		return -1
	}
	if i, ok := slices.BinarySearch(r.cols, col); ok {
		return r.slots[i]
	}
	return -1
}

func (r *rowCells) put(col, slot int32) {
	if col < denseCols || int(col) < len(r.dense) {
		for len(r.dense) <= int(col) {
			r.dense = append(r.dense, 0)
		}
		r.dense[col] = slot + 1
		return
	}
	i, _ := slices.BinarySearch(r.cols, col)
	r.cols, r.slots = slices.Insert(r.cols, i, col), slices.Insert(r.slots, i, slot)
	if n := len(r.cols); n > 32 && n*4 > int(r.cols[n-1]) {
		dense := make([]int32, r.cols[n-1]+1)
		copy(dense, r.dense)
		for k, c := range r.cols {
			dense[c] = r.slots[k] + 1
		}
		*r = rowCells{dense: dense}
	}
}

// each goes through the slots there are.
func (r *rowCells) each(f func(col, slot int32)) {
	for c, s := range r.dense {
		if s > 0 {
			f(int32(c), s-1)
		}
	}
	for i, c := range r.cols {
		f(c, r.slots[i])
	}
}

// newPart makes a part.
func (f *folder) newPart(s *Site) *part {
	p := &part{f: f, s: s, down: newInterner(f.in, f.down), across: newInterner(f.in, f.across)}
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

// Add implements Part.
func (p *part) Add(b *table.Batch, at int64) error {
	p.down.load(b)
	p.across.load(b)
	for _, a := range p.accs {
		a.Load(b)
	}
	for i, c := range p.f.balance {
		p.cells[i], p.spare[i] = b.Cols[c].Flat(b.Rows, p.spare[i])
	}
	if len(p.single) > 0 {
		o := b.Origin
		o.Lines = slices.Clone(o.Lines)
		p.spans = append(p.spans, span{at, b.Rows, o})
	}
	for r := range b.Rows {
		if err := p.row(b, r, at+int64(r)); err != nil {
			return err
		}
	}
	return nil
}

func (p *part) row(b *table.Batch, r int, pos int64) error {
	if p.s.Aside != nil { // a row that is put aside leaves no trace
		for _, a := range p.accs {
			if fail := a.Check(r); fail != nil {
				return p.unfit(b, r, fail)
			}
		}
	}
	col, fresh, fail := p.across.id(r, pos)
	if fail == nil && fresh {
		if reason, tries := p.f.look(p.across.values[col]); reason != "" {
			p.across.forget(col)
			return p.s.Unfit(p.f.in, b, r, p.f.across[0].column, reason, tries...)
		}
		if p.f.most > 0 && len(p.across.values) > p.f.most {
			return p.f.tooMany(p.across)
		}
	}
	var row int32
	if fail == nil {
		row, fresh, fail = p.down.id(r, pos)
	}
	if fail != nil {
		return p.unfit(b, r, fail)
	}
	if fresh {
		p.rows = append(p.rows, rowCells{})
	} else {
		p.s.Tally.Merged++
	}
	slot := p.rows[row].get(col)
	if slot < 0 {
		slot = p.slots
		p.slots++
		p.rows[row].put(col, slot)
		for _, a := range p.accs {
			a.Grow(int(p.slots))
		}
	}
	for _, a := range p.accs {
		if fail := a.Add(slot, r, pos); fail != nil {
			return p.unfit(b, r, fail)
		}
	}
	for i := range p.cells {
		if p.cells[i][r] != "" {
			p.s.Tally.FilledIn++
		}
	}
	return nil
}

// look asks whether an across key may be there.
func (f *folder) look(values []string) (string, []string) {
	if f.watch == nil {
		return "", nil
	}
	return f.watch(values)
}

func (p *part) unfit(b *table.Batch, r int, fail *formula.Failure) error {
	return p.s.Unfit(p.f.in, b, r, fail.Field, fail.Reason, triesFor(fail)...)
}

// forget takes the key last added back.
func (t *interner) forget(id int32) {
	for name, i := range t.ids {
		if i == id {
			delete(t.ids, name)
		}
	}
	t.values, t.first, t.lastID = t.values[:id], t.first[:id], -1
}

// merge takes what another part folded.
func (p *part) merge(o *part) error {
	rows, known := p.down.merge(o.down)
	cols, _ := p.across.merge(o.across)
	p.s.Tally.Merged += int64(known)
	for len(p.rows) < len(p.down.values) {
		p.rows = append(p.rows, rowCells{})
	}
	var err error
	for i := range o.rows {
		row := &p.rows[rows[i]]
		o.rows[i].each(func(col, theirs int32) {
			slot := row.get(cols[col])
			if slot < 0 {
				slot = p.slot(row, cols[col])
			}
			if e := p.mergeSlot(slot, o.accs, theirs); e != nil && err == nil {
				err = e
			}
		})
	}
	p.spans = append(p.spans, o.spans...)
	return err
}

// slot makes a new slot; with no row it stands outside the table.
func (p *part) slot(row *rowCells, col int32) int32 {
	slot := p.slots
	p.slots++
	if row != nil {
		row.put(col, slot)
	}
	for _, a := range p.accs {
		a.Grow(int(p.slots))
	}
	return slot
}

func (p *part) mergeSlot(slot int32, from []calc.Acc, other int32) error {
	for k, a := range p.accs {
		if err := a.Merge(slot, from[k], other); err != nil {
			return diag.Dataf("%s: %v", p.f.calcs[k].Source, err)
		}
	}
	return nil
}

// gatherParts puts the parts of all workers together.
func gatherParts(parts []Part, s *Site) (*part, error) {
	all := parts[0].(*part)
	all.s = s
	for i, o := range parts[1:] {
		if err := all.merge(o.(*part)); err != nil {
			return nil, err
		}
		parts[i+1] = nil
	}
	sort.Slice(all.spans, func(i, j int) bool { return all.spans[i].at < all.spans[j].at })
	if err := all.conflict(); err != nil {
		return nil, err
	}
	for _, a := range all.accs {
		if err := a.Settle(); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// conflict names the two rows that compete for one cell, the earliest there are.
func (p *part) conflict() error {
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
		return nil
	}
	var where string
	for id, r := range p.rows {
		r.each(func(col, slot int32) {
			if slot != at {
				return
			}
			for i, k := range p.f.down {
				where += ", " + k.name + " " + diag.Quote(p.down.values[id][i])
			}
			for i, k := range p.f.across {
				where += ", " + k.name + " " + diag.Quote(p.across.values[col][i])
			}
		})
	}
	file, line := p.place(first.Second)
	e := diag.Dataf("two rows compete for %s of one cell: %s and %s%s", diag.Quote(measure), diag.Quote(first.A), diag.Quote(first.B), where).At(file, line)
	if _, other := p.place(first.First); other > 0 {
		e.Text += ", lines " + diag.Count(int64(other)) + " and " + diag.Count(int64(line))
	}
	return e.Trying("say what to make of several: sum("+measure+"), first("+measure+"), join("+measure+", \"; \")", "keep apart what differs: --down")
}

// place finds the file and line of a row.
func (p *part) place(pos int64) (string, int) {
	i := sort.Search(len(p.spans), func(i int) bool { return p.spans[i].at > pos }) - 1
	if i < 0 || pos >= p.spans[i].at+int64(p.spans[i].rows) {
		return "", 0
	}
	o := &p.spans[i].origin
	if o.Line == 0 || p.s.File == nil {
		return "", 0
	}
	return p.s.File(o.File), o.LineOf(int(pos - p.spans[i].at))
}
