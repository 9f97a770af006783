// Package rowstore holds rows for later: in memory up to a limit and in temporary files beyond it ([Rows]), in one
// file ([File]), or dealt to files by a hash of their keys ([Buckets]). A row keeps where it came from. The files have no
// name, so none is left whatever ends the run. What is read back is in text of its own.
package rowstore

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

// Place is where a row came from: the number of its input, its line (0: not known) and its position among all rows.
type Place struct {
	File, Line int
	Position   int64
}

// File is rows in a temporary file. All are added before the first is read.
type File struct {
	dir   string
	f     *os.File
	w     *bufio.Writer
	width int
	size  int64
	buf   []byte
	cells []string
}

// NewFile makes a file, in a folder, for rows of so many cells; its buffer takes so many bytes.
func NewFile(dir string, width, buffer int) (*File, error) {
	f, err := Temporary(dir)
	if err != nil {
		return nil, err
	}
	return &File{dir: dir, f: f, w: bufio.NewWriterSize(f, buffer), width: width}, nil
}

// Add adds a row.
func (x *File) Add(cells []string, at Place) error {
	x.buf = binary.AppendUvarint(x.buf[:0], uint64(at.File))
	x.buf = binary.AppendUvarint(x.buf, uint64(at.Line))
	x.buf = binary.AppendUvarint(x.buf, uint64(at.Position))
	for _, c := range cells {
		x.buf = append(binary.AppendUvarint(x.buf, uint64(len(c))), c...)
	}
	x.size += int64(len(x.buf))
	if _, err := x.w.Write(x.buf); err != nil {
		return TemporaryError(x.dir, err)
	}
	return nil
}

// AddBatch adds the rows of a batch, whose positions are not told.
func (x *File) AddBatch(b *table.Batch) error {
	for r := range b.Rows {
		x.cells = b.Row(r, x.cells[:0])
		if err := x.Add(x.cells, Place{File: b.Origin.FileOf(r), Line: b.Origin.LineOf(r)}); err != nil {
			return err
		}
	}
	return nil
}

// Close gives the file back.
func (x *File) Close() { x.f.Close() }

// Read begins to read the rows, from the first.
func (x *File) Read() (*Reader, error) {
	if err := x.w.Flush(); err != nil {
		return nil, TemporaryError(x.dir, err)
	}
	return &Reader{x: x, r: bufio.NewReaderSize(io.NewSectionReader(x.f, 0, x.size), 64<<10)}, nil
}

// Reader reads the rows of a file. It serves one goroutine.
type Reader struct {
	x    *File
	r    *bufio.Reader
	next Place // of the row that comes
	read bool  // it was read ahead
}

// ahead gives the place of the next row, io.EOF behind the last.
func (p *Reader) ahead() (Place, error) {
	if p.read {
		return p.next, nil
	}
	file, err := binary.ReadUvarint(p.r)
	if err == io.EOF {
		return Place{}, err
	}
	line, second := binary.ReadUvarint(p.r)
	position, third := binary.ReadUvarint(p.r)
	if err := cmp.Or(err, second, third); err != nil {
		return Place{}, TemporaryError(p.x.dir, err)
	}
	p.next, p.read = Place{int(file), int(line), int64(position)}, true
	return p.next, nil
}

// mostRows is how many rows a batch that is read has at most.
const mostRows = 1024

// Next gives the next rows, of one input, and their positions; io.EOF after the last.
func (p *Reader) Next() (*table.Batch, []int64, error) {
	first, err := p.ahead()
	if err != nil {
		return nil, nil, err
	}
	base := max(first.Line, 1)
	b := &table.Batch{Origin: table.Origin{File: first.File, Line: base, Each: 1}}
	b.Shape(p.x.width)
	cols := make([][]string, p.x.width)
	for i := range cols {
		cols[i] = b.Cols[i].Make(mostRows)
	}
	var positions []int64
	var text []byte
	for len(positions) < mostRows {
		at, err := p.ahead()
		if err == io.EOF || err == nil && (at.File != first.File || at.Line-base != int(int32(at.Line-base))) {
			break
		}
		if err != nil {
			return nil, nil, err
		}
		p.read = false
		n := len(positions)
		b.Origin.Lines = append(b.Origin.Lines, int32(int64(at.Line)-int64(base)))
		positions = append(positions, at.Position)
		for i := range cols {
			size, err := binary.ReadUvarint(p.r)
			if err != nil {
				return nil, nil, TemporaryError(p.x.dir, err)
			}
			if uint64(cap(text)-len(text)) < size {
				text = make([]byte, 0, max(64<<10, int(size)))
			}
			from := len(text)
			text = text[:from+int(size)]
			if _, err := io.ReadFull(p.r, text[from:]); err != nil {
				return nil, nil, TemporaryError(p.x.dir, err)
			}
			cols[i][n] = view.String(text[from:])
		}
	}
	b.Rows = mostRows
	b.Origin.Lines = append(b.Origin.Lines, make([]int32, mostRows-len(positions))...)
	b.Truncate(len(positions))
	return b, positions, nil
}
