package format

import (
	"errors"
	"fmt"
	"io"
	"slices"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
	"revuelta/internal/table"
)

// pull makes batches in a goroutine of its own, a few ahead.
func (f *bookSheet) pull() {
	f.chunks, f.stop = make(chan Chunk, 4), make(chan struct{})
	stop := f.stop
	go func() {
		defer close(f.chunks)
		p := &sheetPuller{f: f, stop: stop, most: table.RowsOf(len(f.names), sheetRows)}
		p.begin()
		err := p.all()
		if err == nil {
			err = p.foot()
		}
		if e := p.send(); err == nil {
			err = e
		}
		f.input.Notes = append(f.input.Notes, f.rows.Notes()...)
		if err != io.EOF {
			f.err = err
		}
	}()
}

// sheetPuller turns rows into chunks.
type sheetPuller struct {
	f    *bookSheet
	stop chan struct{}
	cols [][]string
	b    *table.Batch
	n    int
	most int // rows in a batch
	late late
	held []delimited.Record // rows that may be the foot

	labels labels // of the rows of data
}

const sheetRows = 1024 // a chunk

func (p *sheetPuller) begin() {
	p.b = table.Get()
	p.b.Shape(len(p.f.names))
	p.cols = p.cols[:0]
	for i := range p.f.names {
		p.cols = append(p.cols, p.b.Cols[i].Make(p.most))
	}
	p.b.Origin = table.Origin{Each: 1, Lines: p.b.Origin.Lines[:0]}
	p.n = 0
}

var errStopped = errors.New("reading was stopped")

func (p *sheetPuller) send() error {
	if p.n == 0 && len(p.late.long) == 0 && p.late.fault == nil && p.late.empty == 0 {
		return nil
	}
	p.b.Rows = p.most
	p.b.Truncate(p.n)
	p.b.Rows = p.n
	more := p.late
	c := Chunk{batch: p.b, late: &more}
	p.late = late{}
	p.begin()
	select {
	case p.f.chunks <- c:
		return nil
	case <-p.stop:
		return errStopped
	}
}

func (p *sheetPuller) all() error {
	for _, r := range p.f.ahead {
		if len(r.Cells) == 0 {
			continue
		}
		if err := p.take(r.Cells, r.Line); err != nil {
			return err
		}
	}
	p.f.ahead = nil
	for {
		cells, n, err := p.f.nextRow()
		if err == io.EOF {
			return nil
		}
		if err == nil {
			err = p.take(cells, n)
		}
		if err != nil {
			return err
		}
	}
}

// take takes a row, unless it may belong to the foot.
func (p *sheetPuller) take(cells []string, n int) error {
	o := &p.f.o
	if o.Foot == 0 && !o.FootAuto {
		return p.add(cells, n)
	}
	if o.FootAuto { // from the last row of data on
		if filled(cells) == 0 {
			p.held = append(p.held, delimited.Record{Cells: blankRow, Line: n})
			return nil
		}
		if !standsAlone(cells, len(p.f.names)) {
			if err := p.release(0); err != nil {
				return err
			}
			p.labels.see(cells[0])
		} else if last := len(p.held) - 1; last >= 0 && n > p.held[last].Line+1 { // a blank row
			p.held = append(p.held, delimited.Record{Line: n - 1})
		}
	}
	p.held = append(p.held, delimited.Record{Cells: slices.Clone(cells), Line: n})
	if o.Foot > 0 {
		return p.release(o.Foot)
	}
	return nil
}

// release lets go of rows that are not the foot, but for the last ones.
func (p *sheetPuller) release(keep int) error {
	for len(p.held) > keep {
		if r := p.held[0]; len(r.Cells) > 0 {
			if err := p.add(r.Cells, r.Line); err != nil {
				return err
			}
		}
		p.held = p.held[1:]
	}
	return nil
}

// foot tells what was left out at the end.
func (p *sheetPuller) foot() error {
	o := &p.f.o
	if o.Foot > 0 && len(p.held) < o.Foot {
		return diag.Dataf("--foot %d: below the header stands only %s", o.Foot, diag.Plural(int64(len(p.held)), "row")).At(p.f.what, 0)
	}
	if o.Foot == 0 && !o.FootAuto {
		return nil
	}
	if o.FootAuto {
		at := footOf(p.held, len(p.f.names), p.labels)
		if err := p.release(len(p.held) - at); err != nil {
			return err
		}
	}
	p.f.input.Notes = append(p.f.input.Notes, tellFoot(p.held))
	return nil
}

// add adds a row to the chunk at hand.
func (p *sheetPuller) add(cells []string, n int) error {
	f := p.f
	if gap := n - f.last - 1; gap > 0 {
		p.late.empty += int64(gap)
	}
	f.last = n
	if len(cells) > len(f.names) {
		at := len(f.names)
		for cells[at] == "" {
			at++
		}
		reason := fmt.Sprintf("the row is longer than the header, which has %s", diag.Plural(int64(len(f.names)), "field"))
		if !f.o.LongAside {
			p.late.fault = diag.Dataf("%s; beyond them stands %s", reason, diag.Quote(cells[at])).At(f.what, n).Trying("give the header a name for it", "--area for the columns that count", "--set-aside FILE")
			if err := p.send(); err != nil {
				return err
			}
			return errStopped
		}
		p.late.long = append(p.late.long, LongRow{f.what, n, cells[at], reason, slices.Clone(cells), f.names})
		return nil
	}
	if p.n == 0 {
		p.b.Origin.Line = n
	}
	for i, c := range cells {
		p.cols[i][p.n] = c
	}
	for i := len(cells); i < len(p.cols); i++ {
		p.cols[i][p.n] = ""
	}
	p.b.Origin.Lines = append(p.b.Origin.Lines, int32(n-p.b.Origin.Line))
	if p.n++; p.n == p.most {
		return p.send()
	}
	return nil
}

func (f *bookSheet) source() string { return f.of }
func (f *bookSheet) recycle(Chunk)  {}

func (f *bookSheet) close() error {
	if f.closed {
		return nil
	}
	f.closed = true
	if f.stop != nil {
		close(f.stop)
		for range f.chunks { // until the goroutine has let go of the file
		}
	}
	f.rows.Close()
	return f.book.leave()
}

func (f *bookSheet) next() (Chunk, error) {
	c, ok := <-f.chunks
	if ok {
		return c, nil
	}
	if f.err != nil && f.err != errStopped {
		return c, f.err
	}
	return c, io.EOF
}

func (f *bookSheet) parser(stats *Stats, how parsing) func(Chunk, *table.Batch) error {
	return func(c Chunk, dst *table.Batch) error {
		*dst, *c.batch = *c.batch, *dst
		for _, r := range c.late.long {
			how.aside(r)
			stats.Long++
		}
		stats.Empty += c.late.empty
		return c.late.fault
	}
}
