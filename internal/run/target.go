package run

import (
	"bufio"
	"errors"
	"io"
	"os"
	"syscall"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/rowstore"
)

// target is an output of the run.
type target struct {
	file *format.Output // nil: standard output
	w    io.Writer
	enc  format.Encoding
	acc  TableAccount

	begun bool // rows were written
	whole *wholeTarget
}

// rows writes a piece of rows.
func (t *target) rows(b []byte) error {
	if t.whole != nil {
		if err := t.whole.enc.Fault(); err != nil {
			return err
		}
	}
	if j, ok := t.enc.(format.Joined); ok && !t.begun && len(b) > 0 {
		b = j.First(b)
		t.begun = true
	}
	return t.write(b)
}

func (t *target) write(b []byte) error {
	if t.whole == nil {
		return t.writeOut(b)
	}
	if _, err := t.whole.rows.Write(b); err != nil {
		return rowstore.TemporaryError(t.whole.dir, err)
	}
	if s, ok := t.whole.enc.(format.Sender); ok {
		s.Send(b)
	}
	return nil
}

func (t *target) writeOut(b []byte) error {
	_, err := t.w.Write(b)
	if t.file == nil && err != nil {
		if errors.Is(err, syscall.EPIPE) {
			return ErrPipe
		}
		e := diag.Systemf("standard output: %s", systemText(err))
		e.Cause = err
		return e
	}
	return err
}

func systemText(err error) string {
	switch {
	case errors.Is(err, syscall.ENOSPC):
		return "the disk is full"
	}
	return err.Error()
}

// wholeTarget is where the rows of an output wait that is written at the end.
type wholeTarget struct {
	enc  format.Whole
	temp *os.File
	rows *bufio.Writer
	dir  string
}

func newWholeTarget(enc format.Whole, dir string) (*wholeTarget, error) {
	temp, err := rowstore.Temporary(dir)
	if err != nil {
		return nil, err
	}
	return &wholeTarget{enc: enc, temp: temp, rows: bufio.NewWriterSize(temp, 256<<10), dir: dir}, nil
}

// finish writes the output of the rows that waited.
func (t *target) finish() error {
	if err := t.whole.enc.Fault(); err != nil {
		return err
	}
	err := t.whole.rows.Flush()
	if err == nil {
		_, err = t.whole.temp.Seek(0, io.SeekStart)
	}
	if err != nil {
		return rowstore.TemporaryError(t.whole.dir, err)
	}
	return t.whole.enc.Finish(t.whole.temp, t.file, checked{t})
}

// checked is a target as a writer.
type checked struct{ t *target }

func (c checked) Write(b []byte) (int, error) {
	if err := c.t.writeOut(b); err != nil {
		return 0, err
	}
	return len(b), nil
}
