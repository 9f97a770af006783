package delimited

import (
	"bytes"
	"errors"
	"io"
	"math"

	"revuelta/internal/table"
)

// Chunk is a stretch of text that begins and ends at a row border.
type Chunk struct {
	Data []byte // never written again by the splitter
	Line int    // physical line of the first byte, from 1
	Huge bool   // ends inside a row longer than MostRow; the last chunk

	quotes, feeds int // how many there are
}

// Splitter cuts text into chunks. It serves one goroutine.
type Splitter struct {
	r      io.Reader
	d      Dialect
	size   int
	rest   []byte // read but not yet handed out
	tail   []byte // own array behind rest: a row's beginning
	line   int
	done   bool
	spare  chan []byte
	failed error

	most  int   // rows in a chunk, 0: no bound
	whole Chunk // rows that are left of a chunk which had more
}

// Bound has no chunk make a batch of very many cells, where short rows stand below a header of so many fields.
func (s *Splitter) Bound(fields int) { s.most = table.RowsOf(fields, math.MaxInt32) }

// NewSplitter cuts head followed by what r holds into chunks of about size
// bytes, the first of which begins on the given line. A nil r holds nothing.
func NewSplitter(head []byte, r io.Reader, d Dialect, line, size int) *Splitter {
	return &Splitter{r: r, d: d, size: size, rest: head, line: line, done: r == nil, spare: make(chan []byte, 16)}
}

// Recycle takes back the text of a chunk of which nobody holds a cell any more.
// It may be called by any goroutine.
func (s *Splitter) Recycle(c Chunk) {
	if table.Strict { // whoever still looks at a cell of it shall see that
		spoil := c.Data[:cap(c.Data)]
		for i := range spoil {
			spoil[i] = 0xDB
		}
	}
	if cap(c.Data) < s.size {
		return
	}
	select {
	case s.spare <- c.Data[:0]:
	default:
	}
}

// fresh is an empty buffer, a recycled one where there is one.
func (s *Splitter) fresh() []byte {
	select {
	case b := <-s.spare:
		return b
	default:
		return make([]byte, 0, s.size)
	}
}

// Next gives the next chunk, io.EOF after the last.
func (s *Splitter) Next() (Chunk, error) {
	if len(s.whole.Data) > 0 {
		return s.piece(), nil
	}
	if s.failed != nil {
		return Chunk{}, s.failed
	}
	size := s.size
	var buf []byte
	if len(s.rest) >= size { // what was read ahead is handed out in place
		buf, s.rest = s.rest[:size:size], s.rest[size:]
	} else {
		buf = append(s.fresh(), s.rest...)
		s.rest = nil
	}
	quotes, counted := 0, 0
	for {
		if err := s.fill(&buf); err != nil {
			s.failed = err
			return Chunk{}, err
		}
		if len(buf) == 0 {
			s.failed = io.EOF
			return Chunk{}, io.EOF
		}
		last := s.done && len(s.rest) == 0
		if !s.d.NoQuotes {
			quotes += bytes.Count(buf[counted:], quote)
			counted = len(buf)
		}
		border := s.border(buf, quotes)
		if last {
			// With quotes out of order the parser finds where.
			border = len(buf)
		}
		if border > 0 || len(buf) >= MostRow {
			c := Chunk{Data: buf, Line: s.line, quotes: quotes}
			if border > 0 {
				c.Data = buf[:border]
				if len(s.rest) > 0 { // both lie in what was read ahead
					c.Data = buf[:border:border]
					s.rest = append(bytes.Clone(buf[border:]), s.rest...)
				} else {
					s.tail = append(s.tail[:0], buf[border:]...)
					s.rest = s.tail
				}
				// The row cut off may hold quotes too: what counts is whether there are any.
				c.feeds = bytes.Count(c.Data, newline)
				s.line += c.feeds
			} else {
				c.Huge = true
				s.failed = io.EOF
			}
			if last && len(s.rest) == 0 {
				s.failed = io.EOF
			}
			if s.most > 0 && c.feeds > s.most && !c.Huge {
				s.whole = c
				return s.piece(), nil
			}
			return c, nil
		}
		buf = append(make([]byte, 0, 2*cap(buf)), buf...)
	}
}

// piece takes as many rows as a chunk may have from one that had more.
func (s *Splitter) piece() Chunk {
	c := s.whole
	end, odd := 0, false
	for rows := 0; rows < s.most && end < len(c.Data); {
		n := bytes.IndexByte(c.Data[end:], '\n') + 1
		if n == 0 {
			end = len(c.Data)
			break
		}
		line := c.Data[end : end+n]
		if !s.d.NoQuotes && bytes.Count(line, quote)%2 == 1 {
			odd = !odd
		}
		if end += n; !odd && len(bytes.TrimRight(line, "\r\n")) > 0 { // an empty line is no row
			rows++
		}
	}
	s.whole.Data = c.Data[end:]
	c.Data = c.Data[:end:end]
	c.feeds = bytes.Count(c.Data, newline)
	s.whole.Line += c.feeds
	return c
}

var (
	quote    = []byte{'"'}
	newline  = []byte{'\n'}
	carriage = []byte{'\r'}
)

// fill reads until buf is full or the input ends.
func (s *Splitter) fill(buf *[]byte) error {
	b := *buf
	if n := min(len(s.rest), cap(b)-len(b)); n > 0 {
		b = append(b, s.rest[:n]...)
		s.rest = s.rest[n:]
	}
	for len(b) < cap(b) && !s.done {
		n, err := s.r.Read(b[len(b):cap(b)])
		b = b[:len(b)+n]
		if errors.Is(err, io.EOF) {
			s.done = true
		} else if err != nil {
			return err
		}
	}
	*buf = b
	return nil
}

// border finds the end of the last whole row of text that begins at a row
// border and holds so many quotes; 0 where there is none. In text with quotes in order
// a line feed ends a row exactly where the quotes before it are even.
func (s *Splitter) border(buf []byte, quotes int) int {
	for end := len(buf); ; {
		i := bytes.LastIndexByte(buf[:end], '\n')
		if i < 0 {
			return 0
		}
		if !s.d.NoQuotes {
			quotes -= bytes.Count(buf[i+1:end], quote)
		}
		if quotes%2 == 0 {
			return i + 1
		}
		end = i
	}
}
