package format

import (
	"bytes"
	"errors"
	"io"
	"math"
	"os"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"revuelta/internal/diag"
	"revuelta/internal/rowstore"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

// openJSON opens JSON (an array of objects, or one object) or NDJSON (an
// object a line). Its fields are known only when all is read, so a file is gone through
// twice, and what comes through a pipe goes to a temporary file first.
func openJSON(path string, o ReadOptions) (*oneFile, *Input, error) {
	in, err := open(path, o)
	if err != nil {
		return nil, nil, err
	}
	return readJSON(in, o)
}

var ndjsonFormat = Format{
	Name: "ndjson", Suffixes: []string{".ndjson", ".jsonl"},
	Keeps: "every cell as it stands; blank is null; nested members as JSON text", Loses: "written: whether a number was one: all cells are texts, unless --typed is given",
	open: one(openJSON), sample: sampleOfTable,
	encode: func(path string, o WriteOptions) (Encoding, error) { return jsonOf(path, o, false), nil },
}

var jsonFormat = Format{
	Name: "json", Suffixes: []string{".json"}, Keeps: "as ndjson, in one array", Loses: "as ndjson",
	looks: looksLikeJSON, read: readJSON,
	open: one(openJSON), sample: sampleOfTable,
	encode: func(path string, o WriteOptions) (Encoding, error) { return jsonOf(path, o, true), nil },
}

// looksLikeJSON tells JSON from a text that happens to begin with a bracket.
func looksLikeJSON(text []byte) bool {
	if text = bytes.TrimLeft(text, " \t\r\n"); len(text) < 2 || text[0] != '{' && text[0] != '[' {
		return false
	}
	d := jsontext.NewDecoder(bytes.NewReader(text[:min(len(text), 4096)]))
	d.ReadToken()
	next, err := d.ReadToken()
	return err == nil && (next.Kind() == '"' && text[0] == '{' || (next.Kind() == '{' || next.Kind() == ']') && text[0] == '[')
}

func readJSON(in *opened, o ReadOptions) (*oneFile, *Input, error) {
	defer in.close()
	if o.AsItLies {
		return nil, nil, diag.Usagef("JSON is no sheet with rows and columns").At(in.name, 0)
	}
	if o.Header.Kind != HeaderFirst || o.Body > 0 || o.Foot > 0 || o.FootAuto {
		return nil, nil, diag.Usagef("--header, --body and --foot do not go with JSON: its members name the fields").At(in.name, 0)
	}
	f := &jsonFile{file: in.name, flatten: o.Flatten, at: map[string]int{}, again: func() (io.Reader, func(), error) {
		return bytes.NewReader(in.probe), func() {}, nil
	}}
	from := io.Reader(bytes.NewReader(in.probe))
	if in.rest != nil {
		if at, err := os.Stat(in.name); err == nil && at.Mode().IsRegular() {
			f.again = func() (io.Reader, func(), error) {
				in, err := open(in.name, o)
				if err != nil {
					return nil, nil, err
				}
				rest := in.rest
				if rest == nil {
					rest = bytes.NewReader(nil)
				}
				return io.MultiReader(bytes.NewReader(in.probe), rest), func() { in.close() }, nil
			}
			from = io.MultiReader(from, in.rest)
		} else { // a pipe is read once
			kept, err := rowstore.Temporary("")
			if err != nil {
				return nil, nil, err
			}
			f.kept = kept
			f.again = func() (io.Reader, func(), error) {
				return io.NewSectionReader(kept, 0, math.MaxInt64), func() {}, nil
			}
			from = io.TeeReader(io.MultiReader(from, in.rest), kept)
		}
	}
	parted := in.rest != nil && cutAt(in.probe) > 0
	var err, failed error
	var cuts arrayCuts
	if parted {
		err, failed = f.namesInParts(from, o.Workers)
	} else {
		names := &jsonReader{f: f, names: f.name}
		cuts.watch(names)
		err, failed = names.read(from), names.failed
		parted = err == nil && cuts.useful()
	}
	if failed != nil {
		f.close()
		return nil, nil, in.readError(failed)
	}
	// A fault in the middle is told when the rows before it have gone.
	if len(f.names) == 0 {
		f.close()
		if err == nil {
			err = diag.Dataf("there are no objects in it, so no fields").At(in.name, 0)
		}
		return nil, nil, err
	}
	clean, notes := headerNames(f.names, in.notes)
	input := &Input{Name: in.name, Fields: len(f.names), Size: in.size, Notes: notes, How: Found{Encoding: in.found}}
	if parted {
		parts, err := f.inParts(cuts.all)
		if err != nil {
			f.close()
			return nil, nil, err
		}
		return &oneFile{body: parts, names: clean}, input, nil
	}
	f.pull()
	return &oneFile{body: f, names: clean}, input, nil
}

// name takes a name that was met.
func (f *jsonFile) name(name []byte) {
	if _, ok := f.at[string(name)]; !ok {
		f.at[string(name)] = len(f.names)
		f.names = append(f.names, string(name))
	}
}

// jsonFile is the objects of a JSON or NDJSON text. They are gone through twice: for the names of the fields, and for the rows.
type jsonFile struct {
	file    string
	flatten bool
	names   []string
	at      map[string]int
	again   func() (from io.Reader, done func(), err error) // reads the text anew
	kept    *os.File                                        // the text of a pipe

	chunks chan Chunk
	stop   chan struct{}
	err    error
}

// jsonReader goes through the objects of a text once: for their names, or for their cells.
type jsonReader struct {
	f      *jsonFile
	names  func(name []byte)    // as written, with those above it where members are flattened; its cell is passed over
	begin  func(line int) error // an object begins
	cell   func(name []byte, kind jsontext.Kind, value []byte) error
	end    func() error
	failed error // of reading the text
	line   int   // where the text begins, 0: in the first

	d      *jsontext.Decoder
	lines  lineCounter
	prefix []byte
	inside bool // of an array
	arrays int  // that have begun
}

// lineCounter counts the lines of a text that is read through it, up to a place asked for; places rise.
type lineCounter struct {
	from   io.Reader
	offset int64
	ends   []int64 // places of line ends
	passed int     // of these, up to the last place that was asked for
	line   int     // of that place
	err    error
}

func (l *lineCounter) Read(p []byte) (int, error) {
	l.ends, l.passed = l.ends[:copy(l.ends, l.ends[l.passed:])], 0
	n, err := l.from.Read(p)
	for at := 0; ; at++ {
		i := bytes.IndexByte(p[at:n], '\n')
		if i < 0 {
			break
		}
		at += i
		l.ends = append(l.ends, l.offset+int64(at))
	}
	l.offset += int64(n)
	if err != nil && err != io.EOF {
		l.err = err
	}
	return n, err
}

func (l *lineCounter) at(offset int64) int {
	for l.passed < len(l.ends) && l.ends[l.passed] < offset {
		l.passed++
		l.line++
	}
	return l.line
}

// read goes through a text.
func (r *jsonReader) read(from io.Reader) error {
	r.lines = lineCounter{from: from, line: max(1, r.line), ends: r.lines.ends[:0]}
	if r.d == nil {
		r.d = jsontext.NewDecoder(&r.lines, jsontext.AllowDuplicateNames(true))
	} else {
		r.d.Reset(&r.lines, jsontext.AllowDuplicateNames(true))
	}
	r.inside, r.arrays, r.prefix = false, 0, r.prefix[:0]
	for {
		switch kind := r.d.PeekKind(); kind {
		case '[':
			if _, err := r.d.ReadToken(); err != nil {
				return r.fault(err)
			}
			if r.inside {
				return r.other()
			}
			r.inside = true
			r.arrays++
		case ']':
			r.inside = false
			if _, err := r.d.ReadToken(); err != nil {
				return r.fault(err)
			}
		case '{':
			if _, err := r.d.ReadToken(); err != nil {
				return r.fault(err)
			}
			line := r.lines.at(r.d.InputOffset())
			if r.begin != nil {
				if err := r.begin(line); err != nil {
					return err
				}
			}
			if err := r.members(line); err != nil {
				return err
			}
			if r.end != nil {
				if err := r.end(); err != nil {
					return err
				}
			}
		default:
			_, err := r.d.ReadValue()
			if err == io.EOF {
				return nil
			}
			if err != nil {
				return r.fault(err)
			}
			return r.other()
		}
	}
}

// members goes through the members of an object up to its end.
func (r *jsonReader) members(line int) error {
	for r.d.PeekKind() != '}' {
		raw, err := r.d.ReadValue()
		if err != nil {
			return r.fault(err)
		}
		above := len(r.prefix)
		if r.prefix, err = unquoted(r.prefix, raw); err != nil {
			return r.fault(err)
		}
		switch kind := r.d.PeekKind(); {
		case kind == '{' && r.f.flatten:
			r.prefix = append(r.prefix, '.')
			if _, err := r.d.ReadToken(); err != nil {
				return r.fault(err)
			}
			if err := r.members(line); err != nil {
				return err
			}
		case r.cell == nil:
			if err := r.d.SkipValue(); err != nil {
				return r.fault(err)
			}
			r.names(r.prefix)
		default:
			value, err := r.d.ReadValue()
			if err != nil {
				return r.fault(err)
			}
			if err := r.cell(r.prefix, kind, value); err != nil {
				return r.fault(err)
			}
		}
		r.prefix = r.prefix[:above]
	}
	if _, err := r.d.ReadToken(); err != nil {
		return r.fault(err)
	}
	return nil
}

// unquoted appends the text of a JSON string that was checked.
func unquoted(dst, raw []byte) ([]byte, error) {
	if bytes.IndexByte(raw, '\\') < 0 {
		return append(dst, raw[1:len(raw)-1]...), nil
	}
	return jsontext.AppendUnquote(dst, raw)
}

// other is the fault of a value that is no object.
func (r *jsonReader) other() error {
	return diag.Dataf("here stands no object; a table is an array of objects, or an object a line").At(r.f.file, r.lines.at(r.d.InputOffset()))
}

func (r *jsonReader) fault(err error) error {
	if told := (*diag.Error)(nil); errors.As(err, &told) {
		return err
	}
	if r.lines.err != nil {
		r.failed = r.lines.err
		return r.failed
	}
	line := r.lines.at(r.d.InputOffset())
	var s *jsontext.SyntacticError
	if errors.As(err, &s) {
		line, err = r.lines.at(s.ByteOffset), s.Err
	}
	e := diag.Dataf("this is not JSON: %s", strings.TrimPrefix(err.Error(), "jsontext: ")).At(r.f.file, line)
	e.Cause = errNotJSON
	return e
}

// errNotJSON is the cause of a fault in the syntax of a text.
var errNotJSON = errors.New("no JSON")

const jsonRows = 1000 // a chunk

// pull makes batches in a goroutine of its own, a few ahead.
func (f *jsonFile) pull() {
	f.chunks, f.stop = make(chan Chunk, 2), make(chan struct{})
	stop := f.stop
	go func() {
		defer close(f.chunks)
		from, done, err := f.again()
		if err != nil {
			f.err = err
			return
		}
		defer done()
		if err := f.rows(from, stop); err != io.EOF {
			f.err = err
		}
	}()
}

// span is where a cell stands in the text of a batch.
type span struct{ from, to int }

// objects makes rows of the objects that a reader goes through.
type objects struct {
	f     *jsonFile
	text  []byte // of all cells of a batch
	cells []span
	lines []int32
	first int // the line of the first

	given  []int // the last object that had each member
	object int
	blank  []span
	next   int  // where the next member is to be expected
	open   bool // an object has begun
}

// from has a reader hand its objects over.
func (o *objects) from(r *jsonReader) {
	width := len(o.f.names)
	o.given, o.blank = make([]int, width), make([]span, width)
	r.begin = func(line int) error {
		o.next, o.open = 0, true
		if len(o.lines) == 0 {
			o.first = line
		}
		o.lines = append(o.lines, int32(line-o.first))
		o.cells = append(o.cells, o.blank...)
		o.object++
		return nil
	}
	r.cell = o.cell
	r.end = func() error {
		o.open = false
		return nil
	}
}

func (o *objects) cell(name []byte, kind jsontext.Kind, value []byte) error {
	width := len(o.f.names)
	at, ok := o.next, true
	if o.next >= width || o.f.names[o.next] != string(name) {
		at, ok = o.f.at[string(name)]
	}
	if o.next = at + 1; !ok {
		return diag.Systemf("the file changed while it was read").At(o.f.file, 0)
	}
	if o.given[at] == o.object {
		return diag.Dataf("the object has two members of that name").At(o.f.file, o.first+int(o.lines[len(o.lines)-1])).InField(string(name)).Trying("give one of them another name")
	}
	o.given[at] = o.object
	from := len(o.text)
	var err error
	switch kind {
	case 'n':
	case '"':
		o.text, err = unquoted(o.text, value)
	default: // a number keeps its text
		o.text = append(o.text, value...)
	}
	o.cells[len(o.cells)-width+at] = span{from, len(o.text)}
	return err
}

// drop forgets an object that has begun: one that is at fault is no row.
func (o *objects) drop() {
	if o.open {
		o.lines, o.cells, o.open = o.lines[:len(o.lines)-1], o.cells[:len(o.cells)-len(o.f.names)], false
	}
}

// batch makes a batch of the rows so far, whose text is then its own.
func (o *objects) batch(b *table.Batch) {
	width := len(o.f.names)
	b.Shape(width)
	b.Rows = len(o.lines)
	all := view.String(o.text)
	for i := range width {
		col := b.Cols[i].Make(len(o.lines))
		for r := range col {
			s := o.cells[r*width+i]
			col[r] = all[s.from:s.to]
		}
	}
	b.Origin = table.Origin{Line: o.first, Each: 1, Lines: o.lines}
	o.text, o.cells, o.lines = make([]byte, 0, len(o.text)+len(o.text)/8), o.cells[:0], make([]int32, 0, len(o.lines))
}

// rows reads the rows of a text; io.EOF where nobody takes them any more.
func (f *jsonFile) rows(from io.Reader, stop <-chan struct{}) error {
	most, before := table.RowsOf(len(f.names), jsonRows), int64(0)
	r, o := &jsonReader{f: f}, &objects{f: f}
	send := func() error {
		if len(o.lines) == 0 {
			return nil
		}
		b := table.Get()
		o.batch(b)
		at := r.d.InputOffset()
		c := Chunk{batch: b, Bytes: at - before}
		before = at
		select {
		case f.chunks <- c:
			return nil
		case <-stop:
			return io.EOF
		}
	}
	o.from(r)
	r.end = func() error {
		o.open = false
		if len(o.lines) == most {
			return send()
		}
		return nil
	}
	err := r.read(from)
	if err == io.EOF {
		return err
	}
	if err != nil {
		o.drop()
	}
	if e := send(); err == nil {
		err = e
	}
	return err
}

// batchOf makes a batch of rows.
func batchOf(rows [][]string, lines []int, fields int) *table.Batch {
	b := table.Get()
	b.Shape(fields)
	b.Rows = len(rows)
	for i := range fields {
		cells := b.Cols[i].Make(len(rows))
		for r := range rows {
			cells[r] = rows[r][i]
		}
	}
	b.Origin = table.Origin{Line: lines[0], Each: 1}
	for _, l := range lines {
		b.Origin.Lines = append(b.Origin.Lines, int32(l-lines[0]))
	}
	return b
}

func (f *jsonFile) source() string { return f.file }
func (f *jsonFile) recycle(Chunk)  {}

func (f *jsonFile) close() error {
	if f.stop != nil {
		close(f.stop)
		f.stop = nil
		for range f.chunks { // until the goroutine has let go of the text
		}
	}
	if f.kept != nil {
		f.kept.Close()
		f.kept = nil
	}
	return nil
}

func (f *jsonFile) next() (Chunk, error) {
	c, ok := <-f.chunks
	if !ok {
		if f.err != nil {
			return c, f.err
		}
		return c, io.EOF
	}
	return c, nil
}

func (f *jsonFile) parser(*Stats, parsing) func(Chunk, *table.Batch) error { return ready }

// ready takes the rows of a chunk that were read already.
func ready(c Chunk, dst *table.Batch) error {
	*dst, *c.batch = *c.batch, *dst
	return nil
}
