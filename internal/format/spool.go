package format

import (
	"bufio"
	"cmp"
	"encoding/binary"
	"io"
	"os"

	"revuelta/internal/diag"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// Temporary makes a file in a folder ("" is the system's) that has no name any
// more, so that it goes away with the process whatever becomes of it.
func Temporary(dir string) (*os.File, error) {
	f, err := os.CreateTemp(dir, "revuelta-*")
	if err != nil {
		return nil, TemporaryError(dir, err)
	}
	if err := os.Remove(f.Name()); err != nil {
		f.Close()
		return nil, TemporaryError(dir, err)
	}
	return f, nil
}

// TemporaryError is what went wrong with a temporary file in a folder.
func TemporaryError(dir string, err error) error {
	if dir == "" {
		dir = os.TempDir()
	}
	return diag.Systemf("the folder for temporary files, %s: %v", dir, err).Trying("--temp another folder", "--memory more, so that fewer are needed")
}

// Spool is rows in a temporary file, to be read again as often as wanted.
type Spool struct {
	dir   string
	f     *os.File
	w     *bufio.Writer
	width int
	size  int64
	buf   []byte
}

// NewSpool makes a spool for rows of so many fields.
func NewSpool(dir string, width int) (*Spool, error) {
	f, err := Temporary(dir)
	if err != nil {
		return nil, err
	}
	return &Spool{dir: dir, f: f, w: bufio.NewWriterSize(f, 256<<10), width: width}, nil
}

// Append adds the rows of a batch.
func (s *Spool) Append(b *table.Batch) error {
	for r := range b.Rows {
		s.buf = binary.AppendUvarint(s.buf[:0], uint64(b.Origin.LineOf(r)))
		s.buf = binary.AppendUvarint(s.buf, uint64(b.Origin.FileOf(r)))
		for i := range b.Cols {
			cell := b.Cols[i].At(r)
			s.buf = append(binary.AppendUvarint(s.buf, uint64(len(cell))), cell...)
		}
		if _, err := s.w.Write(s.buf); err != nil {
			return TemporaryError(s.dir, err)
		}
		s.size += int64(len(s.buf))
	}
	return nil
}

// Close gives the file back.
func (s *Spool) Close() { s.f.Close() }

// Source reads the rows from the first; all must have been added.
func (s *Spool) Source(name string, schema *table.Schema, files []string) (Source, error) {
	if err := s.w.Flush(); err != nil {
		return nil, TemporaryError(s.dir, err)
	}
	return &spooled{made: made{name, schema, files}, s: s, r: bufio.NewReaderSize(io.NewSectionReader(s.f, 0, s.size), 256<<10)}, nil
}

type spooled struct {
	made
	s    *Spool
	r    *bufio.Reader
	next place // of the row that comes
	read bool  // it was read ahead
}

// place is where a row came from.
type place struct{ line, file uint64 }

// ahead gives the place of the next row, io.EOF behind the last.
func (p *spooled) ahead() (place, error) {
	if p.read {
		return p.next, nil
	}
	line, err := binary.ReadUvarint(p.r)
	if err == io.EOF {
		return place{}, err
	}
	file, again := binary.ReadUvarint(p.r)
	if err = cmp.Or(err, again); err != nil {
		return place{}, TemporaryError(p.s.dir, err)
	}
	p.next, p.read = place{line, file}, true
	return p.next, nil
}

// Next gives rows of one file, or rows whose line is not known.
func (p *spooled) Next() (Chunk, error) {
	const most = 1024
	first, err := p.ahead()
	if err != nil {
		return Chunk{}, err
	}
	b := &table.Batch{}
	if first.line > 0 {
		b.Origin = table.Origin{File: int(first.file), Line: int(first.line), Each: 1}
	}
	b.Shape(p.s.width)
	cols := make([][]string, p.s.width)
	for i := range cols {
		cols[i] = b.Cols[i].Make(most)
	}
	var text []byte
	n := 0
	for ; n < most; n++ {
		at, err := p.ahead()
		if err == io.EOF || err == nil && (at.file != first.file || (at.line > 0) != (first.line > 0)) {
			break
		}
		if err != nil {
			return Chunk{}, err
		}
		p.read = false
		if first.line > 0 {
			b.Origin.Lines = append(b.Origin.Lines, int32(int64(at.line)-int64(first.line)))
		}
		for i := range cols {
			size, err := binary.ReadUvarint(p.r)
			if err != nil {
				return Chunk{}, TemporaryError(p.s.dir, err)
			}
			if uint64(cap(text)-len(text)) < size {
				text = make([]byte, 0, max(64<<10, int(size)))
			}
			from := len(text)
			text = text[:from+int(size)]
			if _, err := io.ReadFull(p.r, text[from:]); err != nil {
				return Chunk{}, TemporaryError(p.s.dir, err)
			}
			cols[i][n] = view.String(text[from:])
		}
	}
	b.Rows = most
	b.Truncate(n)
	return Chunk{batch: b}, nil
}
