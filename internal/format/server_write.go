package format

import (
	"encoding/csv"
	"errors"
	"io"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
	"revuelta/internal/server"
	"revuelta/internal/table"
)

// Sender is a Whole that may hand out rows before all are known: To is told where they go, then Send is given each piece, in order.
type Sender interface {
	Whole
	To(out *Output)
	Send(piece []byte)
}

// serverTable is a table that is written to a server. What a field is made as is known when all rows are; until then they are sent as if
// the first were like all, and once more from the beginning where they were not.
type serverTable struct {
	*whole
	way   server.Way
	o     WriteOptions
	early bool // the table is not there, or keeps its rows: nobody waits for it while the run goes on
	out   *Output

	sent   []server.Field // as what the fields are sent; nil: nothing was
	pipe   *io.PipeWriter
	answer chan answer
	lost   error // the server takes no more
}

// answer is what the server made of what was sent.
type answer struct {
	rows int64
	err  error
}

func encodeServer(path string, o WriteOptions) (Encoding, error) {
	a, err := addressOf(path)
	if err != nil {
		return nil, err
	}
	way, err := o.wayOf()
	if err != nil {
		return nil, err
	}
	if o.Mark || o.CRLF {
		return nil, diag.Usagef("--bom and --crlf go with text, not with a table of a server")
	}
	there, err := server.Refuse(a, way)
	if err != nil {
		return nil, err
	}
	w := newWhole(a.Name(), o, nil, nil)
	w.refuse, w.still, w.can = notOnServer, stillOnServer, holdsAll|holdsTruths
	return &serverTable{whole: w, way: way, o: o, early: way == server.Add || !there}, nil
}

// Worker implements Encoding.
func (s *serverTable) Worker(schema *table.Schema) Encoder {
	e := s.whole.Worker(schema).(*wholeEncoder)
	if schema.Len() == 1 {
		e.rows = quotedCells{s.o.Blank}
	} else {
		e.rows = delimited.NewEncoder(delimited.Style{Delimiter: ',', Blank: s.o.Blank})
	}
	return e
}

// quotedCells writes rows of one cell in quotes: a row \. would end the copying.
type quotedCells struct{ blank string }

func (q quotedCells) Append(dst []byte, b *table.Batch) []byte {
	for r := range b.Rows {
		c := b.Cols[0].At(r)
		if c == "" {
			c = q.blank
		}
		dst = append(delimited.QuoteCell(dst, c), '\n')
	}
	return dst
}

// To implements Sender.
func (s *serverTable) To(out *Output) { s.out = out }

// fields are those of the table as it would be made of the rows so far.
func (s *serverTable) fields() []server.Field {
	s.mu.Lock()
	defer s.mu.Unlock()
	fields := make([]server.Field, s.schema.Len())
	for i, n := range s.schema.Names() {
		f := server.Field{Name: n, Empty: s.o.EmptyText, Kind: s.could[i].onServer()}
		if s.o.AsText || s.way == server.Add || s.could[i]&holdsBlank != 0 && (s.o.EmptyText || s.o.Blank != "") {
			f.Kind = server.Text
		}
		fields[i] = f
	}
	return fields
}

// Fault implements Whole.
func (s *serverTable) Fault() error {
	var unfit *server.Unfit
	if s.lost != nil && !errors.As(s.lost, &unfit) { // where it is a cell, its row is looked for at the end
		return s.lost
	}
	return s.whole.Fault()
}

// Send implements Sender.
func (s *serverTable) Send(piece []byte) {
	if !s.early || s.lost != nil || len(piece) == 0 {
		return
	}
	now := s.fields()
	switch {
	case s.sent == nil:
		if s.early = s.out.link.Free(); !s.early {
			return
		}
		if s.lost = s.begin(now); s.lost != nil {
			return
		}
		s.out.link.Occupy(s.settle, s.drop)
	case !slices.Equal(now, s.sent): // what was sent is not as the rest is
		s.early = false
		s.drop()
		s.sent = nil
		s.lost = s.out.link.TakeBack()
		return
	}
	if _, err := s.pipe.Write(piece); err != nil {
		s.settle()
	}
}

var errOtherwise = errors.New("the fields hold something else")

// begin makes the table ready and begins to send.
func (s *serverTable) begin(fields []server.Field) error {
	if err := s.out.link.Begin(s.out.table); err != nil {
		return err
	}
	to, err := s.out.link.Table(s.way, fields)
	if err != nil {
		return err
	}
	r, w := io.Pipe()
	s.sent, s.pipe, s.answer = fields, w, make(chan answer, 1)
	go func() {
		n, err := to.Copy(r)
		r.CloseWithError(errOtherwise)
		s.answer <- answer{n, err}
	}()
	return nil
}

// drop ends the sending of rows that are to be lost.
func (s *serverTable) drop() {
	if s.pipe != nil {
		s.pipe.CloseWithError(errOtherwise)
		<-s.answer
		s.pipe = nil
	}
}

// settle ends the sending and hears what the server says.
func (s *serverTable) settle() {
	if s.pipe == nil {
		return
	}
	s.pipe.Close()
	a := <-s.answer
	s.pipe = nil
	if s.lost = a.err; a.err == nil && a.rows != s.rows {
		s.lost = diag.Systemf("%s were sent, and the server took %s", diag.Plural(s.rows, "row"), diag.Count(a.rows)).At(s.name, 0)
	}
}

// Finish implements Whole.
func (s *serverTable) Finish(rows io.Reader, out *Output, _ io.Writer) error {
	s.out = out
	fields := s.fields()
	s.settle()
	if s.lost == nil && s.sent != nil && !slices.Equal(fields, s.sent) {
		return diag.Systemf("the fields hold something else than was sent").At(s.name, 0) // each piece was looked at before it went
	}
	if s.lost == nil && s.sent == nil {
		if s.lost = s.begin(fields); s.lost == nil {
			if _, err := io.Copy(s.pipe, rows); err != nil && !errors.Is(err, errOtherwise) {
				s.drop()
				return err
			}
			s.settle()
		}
	}
	var unfit *server.Unfit
	if errors.As(s.lost, &unfit) {
		return s.unfit(unfit, rows)
	}
	return s.lost
}

// unfit names the row and the cell that the server refused: those of the line in which it stood as it was sent.
func (s *serverTable) unfit(u *server.Unfit, rows io.Reader) error {
	e := u.Err
	again, ok := rows.(io.Seeker)
	if !ok {
		return e
	}
	if _, err := again.Seek(0, io.SeekStart); err != nil {
		return e
	}
	r := csv.NewReader(rows)
	for row := 1; ; row++ {
		cells, err := r.Read()
		if err != nil {
			return e
		}
		line, _ := r.FieldPos(0)
		for _, c := range cells {
			line += strings.Count(c, "\n")
		}
		if line < u.Line {
			continue
		}
		e.Line = row
		for i, name := range s.schema.Names() {
			nul := strings.IndexByte(cells[i], 0) >= 0
			if name != u.Field && (u.Field != "" || !nul) {
				continue
			}
			e.Field, e.Cell = name, cells[i]
			switch {
			case nul:
				e.Text = diag.Quote(cells[i]) + ": a server takes no NUL in a text"
				e.Trying("scrub " + diag.Shell(name) + " before")
			case u.Type != "":
				e.Text = diag.Quote(cells[i]) + " is no " + u.Type + ", as the table has it"
				e.Trying("cast or set it before")
			}
		}
		return e
	}
}
