// Package rowstore holds rows for later: in memory up to a limit and in temporary files beyond it ([Rows]), in one
// file ([File]), or dealt to files by a hash of their keys ([Buckets]). A row keeps where it came from. The files have no
// name, so none is left whatever ends the run. What is read back is in text of its own.
package rowstore

import (
	"encoding/binary"
	"io"
	"os"
	"slices"

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
	dir    string
	f      *os.File
	width  int
	size   int64
	buffer int
	buf    []byte // not written yet
	absent []table.Absent
	some   bool // rows were added
	placed bool // with their positions
	cells  [][]string
	spare  [][]string
}

// NewFile makes a file, in a folder, for rows of so many cells; its buffer takes so many bytes.
func NewFile(dir string, width, buffer int) (*File, error) {
	f, err := Temporary(dir)
	if err != nil {
		return nil, err
	}
	return &File{dir: dir, f: f, width: width, buffer: buffer, absent: make([]table.Absent, width)}, nil
}

// Add adds a row.
func (x *File) Add(cells []string, at Place) error {
	clear(x.absent) // nobody says what they lack
	x.some, x.placed = true, true
	x.begin(at)
	for _, c := range cells {
		x.buf = append(binary.AppendUvarint(x.buf, uint64(len(c))), c...)
	}
	return x.written(x.buffer)
}

func (x *File) begin(at Place) {
	x.buf = binary.AppendUvarint(x.buf, uint64(at.File))
	x.buf = binary.AppendUvarint(x.buf, uint64(at.Line))
	x.buf = binary.AppendUvarint(x.buf, uint64(at.Position))
}

// written writes what is held, if it is at least so much.
func (x *File) written(most int) error {
	if len(x.buf) < most {
		return nil
	}
	if _, err := x.f.WriteAt(x.buf, x.size); err != nil {
		return TemporaryError(x.dir, err)
	}
	x.size += int64(len(x.buf))
	x.buf = x.buf[:0]
	return nil
}

// AddBatch adds the rows of a batch, whose positions are not told.
func (x *File) AddBatch(b *table.Batch) error {
	if b.Rows == 0 {
		return nil
	}
	for len(x.spare) < x.width {
		x.spare, x.cells = append(x.spare, nil), append(x.cells, nil)
	}
	for i := range x.width {
		x.cells[i], x.spare[i] = b.Cols[i].Flat(b.Rows, x.spare[i])
		if !x.some {
			x.absent[i] = table.AbsentAll
		}
		x.absent[i] &= b.Cols[i].Absent
	}
	x.some = true
	for r := range b.Rows {
		x.begin(Place{File: b.Origin.FileOf(r), Line: b.Origin.LineOf(r)})
		for _, cells := range x.cells {
			c := cells[r]
			if len(c) < 0x80 { // as a number of one byte
				x.buf = append(x.buf, byte(len(c)))
			} else {
				x.buf = binary.AppendUvarint(x.buf, uint64(len(c)))
			}
			x.buf = append(x.buf, c...)
		}
		if err := x.written(x.buffer); err != nil {
			return err
		}
	}
	return nil
}

// Close gives the file back.
func (x *File) Close() { x.f.Close() }

// Read begins to read the rows, from the first.
func (x *File) Read() (*Reader, error) {
	if err := x.written(1); err != nil {
		return nil, err
	}
	return &Reader{x: x}, nil
}

// Reader reads the rows of a file. It serves one goroutine.
type Reader struct {
	x    *File
	at   int64  // read so far
	text []byte // what was read last, which the cells of rows view
	done int    // of it

	cols      [][]string
	cells     []string
	positions []int64
}

// readSize is about how much is read at a time.
const readSize = 128 << 10

// more reads on, behind what is left of the text; false at the end. Rows that view the old text keep it.
func (p *Reader) more() (bool, error) {
	left := p.text[p.done:]
	n := min(int64(max(readSize, 2*len(left))-len(left)), p.x.size-p.at)
	if n == 0 {
		return false, nil
	}
	text := append(make([]byte, 0, len(left)+int(n)), left...)
	p.text, p.done = text[:len(left)+int(n)], 0
	if _, err := p.x.f.ReadAt(p.text[len(left):], p.at); err != nil {
		return false, TemporaryError(p.x.dir, err)
	}
	p.at += n
	return true, nil
}

// row reads the next row into cells: its place, and how long it is; 0 where it is not whole in the text.
func (p *Reader) row(cells []string) (Place, int, bool) {
	text := p.text[p.done:]
	at := 0
	number := func() (uint64, bool) {
		if at < len(text) && text[at] < 0x80 {
			at++
			return uint64(text[at-1]), true
		}
		v, n := binary.Uvarint(text[at:])
		at += max(n, 0)
		return v, n > 0
	}
	file, _ := number()
	line, _ := number()
	position, whole := number()
	for i := 0; i < len(cells) && whole; i++ {
		var size uint64
		if size, whole = number(); !whole || uint64(len(text)-at) < size {
			return Place{}, 0, false
		}
		cells[i] = view.String(text[at : at+int(size)])
		at += int(size)
	}
	return Place{int(file), int(line), int64(position)}, at, whole
}

// mostRows is how many rows a batch that is read has at most, where its fields are not very many.
const mostRows = 1024

// Next gives the next rows, of one input, and their positions; io.EOF after the last.
func (p *Reader) Next() (*table.Batch, []int64, error) {
	b := &table.Batch{}
	if err := p.Into(b); err != nil {
		return nil, nil, err
	}
	return b, p.positions, nil
}

// Into is as Next, into a batch whose arrays are used again. It tells no positions.
func (p *Reader) Into(b *table.Batch) error {
	b.Shape(p.x.width)
	most := table.RowsOf(p.x.width, mostRows)
	p.cols = slices.Grow(p.cols[:0], p.x.width)[:p.x.width]
	for i := range p.cols {
		p.cols[i] = b.Cols[i].Make(most)
		b.Cols[i].Absent = p.x.absent[i]
	}
	cols := p.cols
	p.cells = slices.Grow(p.cells[:0], p.x.width)[:p.x.width]
	cells, lines := p.cells, b.Origin.Lines[:0]
	var positions []int64
	var first Place
	base := 1
	for len(lines) < most {
		at, size, whole := p.row(cells)
		if !whole {
			ok, err := p.more()
			if err != nil {
				return err
			}
			if ok {
				continue
			}
			if p.done < len(p.text) {
				return TemporaryError(p.x.dir, io.ErrUnexpectedEOF)
			}
			break
		}
		n := len(lines)
		if n == 0 {
			first, base = at, max(at.Line, 1)
			if p.x.placed {
				positions = make([]int64, 0, most)
			}
			lines = slices.Grow(lines, most)
		}
		if at.File != first.File || at.Line-base != int(int32(at.Line-base)) {
			break
		}
		lines = append(lines, int32(at.Line-base))
		if p.x.placed {
			positions = append(positions, at.Position)
		}
		for i, c := range cells {
			cols[i][n] = c
		}
		p.done += size
	}
	n := len(lines)
	if n == 0 {
		return io.EOF
	}
	b.Rows = most
	b.Origin = table.Origin{File: first.File, Line: base, Each: 1, Lines: lines[:most]}
	b.Truncate(n)
	p.positions = positions
	return nil
}
