package format

import (
	"bytes"
	"errors"
	"io"
	"runtime"
	"sync"

	"github.com/go-json-experiment/json/jsontext"

	"revuelta/internal/diag"
	"revuelta/internal/table"
)

// A text is cut between objects, and its parts are read by all processors. Where the objects stand one behind the other, a line or several
// each, it is cut at line ends, and what is at fault in a part is told as a reader of the whole text tells it. One array, without a fault
// where its names were looked for, is cut where its objects were seen to begin.

// cutAt finds the last place between two objects of a text: a line end with the end of an object before it and the beginning of another
// behind it. Within an object, or an array, a comma would stand there. 0 where there is none.
func cutAt(text []byte) int {
	for end := len(text); ; {
		end = bytes.LastIndexByte(text[:end], '\n')
		if end < 0 {
			return 0
		}
		if before, behind := bytes.TrimRight(text[:end], " \t\r\n"), bytes.TrimLeft(text[end:], " \t\r\n"); len(before) > 0 && before[len(before)-1] == '}' && len(behind) > 0 && behind[0] == '{' {
			return end + 1
		}
	}
}

// jsonCutter cuts a text between objects. It serves one goroutine.
type jsonCutter struct {
	from   io.Reader
	size   int // of a part, about
	most   int // objects in a part, as far as they stand in a line each; 0: no bound
	rest   []byte
	line   int
	offset int64
	ended  bool
}

// jsonPart is a stretch of a text of JSON.
type jsonPart struct {
	text   []byte
	line   int // of its first byte, from 1
	offset int64
}

// next gives the next part; io.EOF after the last.
func (c *jsonCutter) next() (jsonPart, error) {
	for {
		if end := c.bounded(); end > 0 {
			return c.take(end), nil
		}
		if c.ended {
			if len(c.rest) == 0 {
				return jsonPart{}, io.EOF
			}
			return c.take(len(c.rest)), nil
		}
		had := len(c.rest)
		grown := make([]byte, max(c.size, 2*had))
		copy(grown, c.rest)
		n, err := io.ReadFull(c.from, grown[had:])
		c.rest = grown[:had+n]
		if err == io.EOF || err == io.ErrUnexpectedEOF {
			c.ended = true
		} else if err != nil {
			return jsonPart{}, err
		}
	}
}

// bounded is where the part ends that is there, 0 where more is to be read first.
func (c *jsonCutter) bounded() int {
	end := cutAt(c.rest[:min(len(c.rest), c.size)])
	if end == 0 && len(c.rest) > c.size {
		end = cutAt(c.rest)
	}
	if c.most > 0 && bytes.Count(c.rest[:end], []byte{'\n'}) > c.most {
		at := 0
		for range c.most {
			at += bytes.IndexByte(c.rest[at:end], '\n') + 1
		}
		if fewer := cutAt(c.rest[:min(at+2, end)]); fewer > 0 {
			return fewer
		}
	}
	return end
}

func (c *jsonCutter) take(end int) jsonPart {
	p := jsonPart{c.rest[:end:end], c.line, c.offset}
	c.line += bytes.Count(p.text, []byte{'\n'})
	c.offset += int64(end)
	c.rest = c.rest[end:]
	return p
}

// arrayCuts is where a text that is one array can be cut: where some of its objects begin.
type arrayCuts struct {
	all     []arrayCut
	objects int  // since the last cut
	other   bool // it is no array, or not one alone
}

type arrayCut struct {
	offset int64
	line   int
}

// watch has a reader of a whole text note where it can be cut.
func (a *arrayCuts) watch(r *jsonReader) {
	a.all = []arrayCut{{0, 1}}
	r.begin = func(line int) error {
		if a.other = a.other || !r.inside || r.arrays > 1; a.other {
			return nil
		}
		at := r.d.InputOffset() - 1
		if a.objects > 0 && (at-a.all[len(a.all)-1].offset >= int64(chunkSize) || a.objects >= table.RowsOf(max(1, len(r.f.names)), jsonRows)) {
			a.all, a.objects = append(a.all, arrayCut{at, line}), 0
		}
		a.objects++
		return nil
	}
}

// useful tells that there are several parts.
func (a *arrayCuts) useful() bool { return !a.other && len(a.all) > 1 }

// arrayCutter gives the parts of an array, each an array too. It serves one goroutine.
type arrayCutter struct {
	from io.Reader
	cuts []arrayCut // those whose parts are to come
}

func (c *arrayCutter) next() (jsonPart, error) {
	if len(c.cuts) == 0 {
		return jsonPart{}, io.EOF
	}
	part := jsonPart{line: c.cuts[0].line, offset: c.cuts[0].offset}
	begun := 0
	if part.offset > 0 {
		begun = 1
	}
	var err error
	if c.cuts = c.cuts[1:]; len(c.cuts) == 0 {
		part.text, err = io.ReadAll(c.from)
		part.text = append([]byte("[")[:begun], part.text...)
		return part, err
	}
	size := int(c.cuts[0].offset - part.offset)
	part.text = make([]byte, begun+size, begun+size+1)
	part.text[0] = '['
	if _, err = io.ReadFull(c.from, part.text[begun:]); err == io.EOF || err == io.ErrUnexpectedEOF {
		return part, errChanged
	} else if err != nil {
		return part, err
	}
	part.text = append(bytes.TrimSuffix(bytes.TrimRight(part.text, " \t\r\n"), []byte(",")), ']')
	return part, nil
}

var errChanged = errors.New("the file changed while it was read")

// namesInParts finds the names of the fields, in the order in which they are met, up to the first fault, by so many processors.
func (f *jsonFile) namesInParts(from io.Reader, most int) (err, failed error) {
	if most <= 0 {
		most = runtime.GOMAXPROCS(0)
	}
	type found struct {
		names []string
		err   error
	}
	cutter := &jsonCutter{from: from, size: 4 * chunkSize, line: 1}
	parts := make(chan struct {
		part jsonPart
		to   chan found
	})
	inTurn := make(chan chan found, 2*most)
	stop := make(chan struct{})
	var workers sync.WaitGroup
	for range most {
		workers.Go(func() {
			var out found
			seen := map[string]bool{}
			r := &jsonReader{f: f, names: func(name []byte) {
				if !seen[string(name)] {
					seen[string(name)] = true
					out.names = append(out.names, string(name))
				}
			}}
			for p := range parts {
				clear(seen)
				out = found{}
				out.err = r.read(bytes.NewReader(p.part.text))
				p.to <- out
			}
		})
	}
	var unread error
	go func() {
		defer close(inTurn)
		defer close(parts)
		for {
			part, err := cutter.next()
			if err != nil {
				if err != io.EOF {
					unread = err
				}
				return
			}
			to := make(chan found, 1)
			select {
			case inTurn <- to:
			case <-stop:
				return
			}
			parts <- struct {
				part jsonPart
				to   chan found
			}{part, to}
		}
	}()
	for to := range inTurn {
		got := <-to
		if err == nil {
			for _, n := range got.names {
				f.name([]byte(n))
			}
			if err = got.err; err != nil {
				close(stop)
			}
		}
	}
	workers.Wait()
	return err, unread
}

// jsonParts is the rows of a text that is read in parts.
type jsonParts struct {
	*jsonFile
	cutter interface{ next() (jsonPart, error) }
	done   func()
}

// inParts begins to read the rows; cuts are those of an array, nil where objects stand one behind the other.
func (f *jsonFile) inParts(cuts []arrayCut) (*jsonParts, error) {
	from, done, err := f.again()
	if err != nil {
		return nil, err
	}
	if cuts != nil {
		return &jsonParts{f, &arrayCutter{from, cuts}, done}, nil
	}
	return &jsonParts{f, &jsonCutter{from: from, size: chunkSize, most: table.RowsOf(len(f.names), jsonRows), line: 1}, done}, nil
}

func (p *jsonParts) next() (Chunk, error) {
	part, err := p.cutter.next()
	if err != nil && err != io.EOF {
		err = FileError(p.file, err)
	}
	return Chunk{text: textChunk{Data: part.text, Line: part.line}, offset: part.offset, Bytes: int64(len(part.text))}, err
}

func (p *jsonParts) close() error {
	p.done()
	return p.jsonFile.close()
}

func (p *jsonParts) parser(*Stats, parsing) func(Chunk, *table.Batch) error {
	r, o := &jsonReader{f: p.jsonFile}, &objects{f: p.jsonFile}
	o.from(r)
	return func(c Chunk, dst *table.Batch) error {
		r.line = c.text.Line
		err := r.read(bytes.NewReader(c.text.Data))
		if err != nil {
			o.drop()
		}
		o.batch(dst)
		var told *diag.Error
		if errors.As(err, &told) && told.Cause == errNotJSON {
			return p.faultFrom(c)
		}
		return err
	}
}

// faultFrom tells what a reader of the whole text finds from a part on that is at fault by itself.
func (p *jsonParts) faultFrom(c Chunk) error {
	if _, array := p.cutter.(*arrayCutter); array { // it had no fault
		return diag.Systemf("%s", errChanged).At(p.file, 0)
	}
	from, done, err := p.again()
	if err != nil {
		return err
	}
	defer done()
	if _, err := io.CopyN(io.Discard, from, c.offset); err != nil {
		return FileError(p.file, err)
	}
	r := &jsonReader{f: p.jsonFile, cell: func([]byte, jsontext.Kind, []byte) error { return nil }, line: c.text.Line}
	if err := r.read(from); err != nil {
		return err
	}
	return diag.Systemf("%s", errChanged).At(p.file, 0)
}
