package format

import (
	"bytes"
	"errors"
	"io"
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
				_, err := kept.Seek(0, io.SeekStart)
				return kept, func() {}, err
			}
			from = io.TeeReader(io.MultiReader(from, in.rest), kept)
		}
	}
	names := &jsonReader{f: f, names: func(name []byte) {
		if _, ok := f.at[string(name)]; !ok {
			f.at[string(name)] = len(f.names)
			f.names = append(f.names, string(name))
		}
	}}
	err := names.read(from)
	if failed := names.failed; failed != nil {
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
	f.pull()
	return &oneFile{body: f, names: clean}, input, nil
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

	d      *jsontext.Decoder
	lines  lineCounter
	prefix []byte
	inside bool
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
	r.lines = lineCounter{from: from, line: 1}
	r.d = jsontext.NewDecoder(&r.lines, jsontext.AllowDuplicateNames(true))
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
	return diag.Dataf("this is not JSON: %s", strings.TrimPrefix(err.Error(), "jsontext: ")).At(r.f.file, line)
}

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

// rows reads the rows of a text; io.EOF where nobody takes them any more.
func (f *jsonFile) rows(from io.Reader, stop <-chan struct{}) error {
	width, most := len(f.names), table.RowsOf(len(f.names), jsonRows)
	var text []byte // of all cells of a batch
	var cells []span
	var lines []int32
	first, before := 0, int64(0)
	given := make([]int, width) // the last object that had each
	object := 0
	r := &jsonReader{f: f}
	send := func() error {
		if len(lines) == 0 {
			return nil
		}
		b := table.Get()
		b.Shape(width)
		b.Rows = len(lines)
		all := view.String(text)
		for i := range width {
			col := b.Cols[i].Make(len(lines))
			for r := range col {
				s := cells[r*width+i]
				col[r] = all[s.from:s.to]
			}
		}
		b.Origin = table.Origin{Line: first, Each: 1, Lines: lines}
		at := r.d.InputOffset()
		c := Chunk{batch: b, Bytes: at - before}
		before = at
		text, cells, lines = make([]byte, 0, len(text)+len(text)/8), cells[:0], make([]int32, 0, most)
		select {
		case f.chunks <- c:
			return nil
		case <-stop:
			return io.EOF
		}
	}
	blank, next := make([]span, width), 0 // next: where the next member is to be expected
	open := false                         // an object has begun
	r.begin = func(line int) error {
		next, open = 0, true
		if len(lines) == 0 {
			first = line
		}
		lines = append(lines, int32(line-first))
		cells = append(cells, blank...)
		object++
		return nil
	}
	r.cell = func(name []byte, kind jsontext.Kind, value []byte) error {
		at, ok := next, true
		if next >= width || f.names[next] != string(name) {
			at, ok = f.at[string(name)]
		}
		if next = at + 1; !ok {
			return diag.Systemf("the file changed while it was read").At(f.file, 0)
		}
		if given[at] == object {
			return diag.Dataf("the object has two members of that name").At(f.file, first+int(lines[len(lines)-1])).InField(string(name)).Trying("give one of them another name")
		}
		given[at] = object
		from := len(text)
		var err error
		switch kind {
		case 'n':
		case '"':
			text, err = unquoted(text, value)
		default: // a number keeps its text
			text = append(text, value...)
		}
		cells[len(cells)-width+at] = span{from, len(text)}
		return err
	}
	r.end = func() error {
		open = false
		if len(lines) == most {
			return send()
		}
		return nil
	}
	err := r.read(from)
	if err != nil && err != io.EOF && open { // the object that is at fault is no row
		lines, cells = lines[:len(lines)-1], cells[:len(cells)-width]
	}
	if err == io.EOF {
		return err
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
