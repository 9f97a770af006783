package format

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"slices"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"revuelta/internal/diag"
	"revuelta/internal/table"
)

// openJSON opens JSON (an array of objects, or one object) or NDJSON (an
// object a line). Its fields are known only when all is read, so a file is gone through
// twice, and standard input is held.
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
	Name: "json", Suffixes: []string{".json"}, Keeps: "as ndjson, in one array", Loses: "as ndjson; the file is held in memory",
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
	text := in.probe
	if in.rest != nil {
		more, err := io.ReadAll(in.rest)
		if err != nil {
			return nil, nil, in.readError(err)
		}
		text = append(slices.Clip(text), more...)
	}
	f := &jsonFile{file: in.name, text: text, flatten: o.Flatten, at: map[string]int{}}
	err := f.each(func(line int, members []member) error {
		for _, m := range members {
			if _, ok := f.at[m.name]; !ok {
				f.at[m.name] = len(f.names)
				f.names = append(f.names, strings.Clone(m.name))
			}
		}
		return nil
	})
	// A fault in the middle is told when the rows before it have gone.
	if len(f.names) == 0 {
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

// jsonFile is the objects of a JSON or NDJSON text.
type jsonFile struct {
	file    string
	text    []byte
	flatten bool
	names   []string
	at      map[string]int

	chunks chan Chunk
	stop   chan struct{}
	err    error
}

// member is a member of an object, as a cell.
type member struct{ name, cell string }

// each goes through the objects.
func (f *jsonFile) each(do func(line int, members []member) error) error {
	d := jsontext.NewDecoder(bytes.NewReader(f.text), jsontext.AllowDuplicateNames(true))
	line, counted := 1, int64(0)
	depth := 0
	for {
		switch d.PeekKind() {
		case '[':
			if depth > 0 {
				return f.fault(d, line, nil)
			}
			depth = 1
			d.ReadToken()
			continue
		case ']':
			depth = 0
			d.ReadToken()
			continue
		}
		raw, err := d.ReadValue()
		if err == io.EOF {
			return nil
		}
		start := d.InputOffset() - int64(len(raw))
		if err == nil {
			line += bytes.Count(f.text[counted:start], []byte{'\n'})
			counted = start
		}
		if err != nil || raw.Kind() != '{' {
			return f.fault(d, line, err)
		}
		members, err := f.members(nil, "", raw)
		if err != nil {
			return f.fault(d, line, err)
		}
		if err := do(line, members); err != nil {
			return err
		}
	}
}

func (f *jsonFile) fault(d *jsontext.Decoder, line int, err error) error {
	text := "here stands no object; a table is an array of objects, or an object a line"
	var s *jsontext.SyntacticError
	if errors.As(err, &s) {
		at := min(s.ByteOffset, int64(len(f.text)))
		line = 1 + bytes.Count(f.text[:at], []byte{'\n'})
		text = "this is not JSON: " + strings.TrimPrefix(s.Err.Error(), "jsontext: ")
	} else if err != nil {
		text = "this is not JSON: " + strings.TrimPrefix(err.Error(), "jsontext: ")
	}
	return diag.Dataf("%s", text).At(f.file, line)
}

// members lists the members of an object; nested objects stay JSON text, or
// their members become fields a.b.
func (f *jsonFile) members(dst []member, prefix string, raw jsontext.Value) ([]member, error) {
	d := jsontext.NewDecoder(bytes.NewReader(raw), jsontext.AllowDuplicateNames(true))
	if _, err := d.ReadToken(); err != nil {
		return dst, err
	}
	for d.PeekKind() != '}' {
		name, err := d.ReadToken()
		if err != nil {
			return dst, err
		}
		full := prefix + name.String()
		value, err := d.ReadValue()
		if err != nil {
			return dst, err
		}
		switch kind := value.Kind(); {
		case kind == '{' && f.flatten:
			if dst, err = f.members(dst, full+".", value); err != nil {
				return dst, err
			}
		case kind == 'n':
			dst = append(dst, member{full, ""})
		case kind == '"':
			text, err := jsontext.AppendUnquote(nil, value)
			if err != nil {
				return dst, err
			}
			dst = append(dst, member{full, string(text)})
		default: // a number keeps its text
			dst = append(dst, member{full, string(value)})
		}
	}
	return dst, nil
}

const jsonRows = 1000 // a chunk

// pull makes batches in a goroutine of its own, a few ahead.
func (f *jsonFile) pull() {
	f.chunks, f.stop = make(chan Chunk, 2), make(chan struct{})
	go func() {
		defer close(f.chunks)
		var rows [][]string
		var lines []int
		before := 0
		send := func() error {
			if len(rows) == 0 {
				return nil
			}
			c := Chunk{batch: batchOf(rows, lines, len(f.names)), Bytes: int64(len(f.text) / 100)}
			rows, lines = nil, nil
			select {
			case f.chunks <- c:
				return nil
			case <-f.stop:
				return io.EOF
			}
		}
		given := make([]int, len(f.names)) // the last object that had each
		err := f.each(func(line int, members []member) error {
			row := make([]string, len(f.names))
			before++
			for _, m := range members {
				at := f.at[m.name]
				if given[at] == before {
					return diag.Dataf("the object has two members of that name").At(f.file, line).InField(m.name).Trying("give one of them another name")
				}
				given[at], row[at] = before, m.cell
			}
			rows, lines = append(rows, row), append(lines, line)
			if len(rows) == table.RowsOf(len(f.names), jsonRows) {
				return send()
			}
			return nil
		})
		if e := send(); err == nil {
			err = e
		}
		if err != io.EOF {
			f.err = err
		}
	}()
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

func (f *jsonFile) parser(*Stats, func(LongRow)) func(Chunk, *table.Batch) error { return ready }

// ready takes the rows of a chunk that were read already.
func ready(c Chunk, dst *table.Batch) error {
	*dst, *c.batch = *c.batch, *dst
	return nil
}

// jsonOf is JSON, or NDJSON, as it is to be written.
func jsonOf(path string, o WriteOptions, array bool) Encoding {
	j := &jsonEncoding{array: array, blank: o.Blank}
	if !o.Typed {
		return j
	}
	w := newWhole(path, o, nil, j.typed)
	w.still = stillJSON
	return w
}

// What a field holds, of those that are written as JSON values.
const (
	jsonNumbers = holdsNumbers
	jsonTruths  = holdsDates
)

// stillJSON tells whether a field can be numbers, or true and false, with a further cell.
func stillJSON(could holds, c string) holds {
	could &= jsonNumbers | jsonTruths | holdsSome
	if could&jsonNumbers != 0 && !isJSONNumber(c) {
		could &^= jsonNumbers
	}
	if could&jsonTruths != 0 && c != "true" && c != "false" {
		could &^= jsonTruths
	}
	return could
}

// isJSONNumber tells a text that is a number of JSON as it stands: 1.10, -0.5, 1e3, but not +5, .5, 007.
func isJSONNumber(c string) bool {
	return c != "" && (c[0] == '-' || c[0] >= '0' && c[0] <= '9') && jsontext.Value(c).IsValid() && strings.TrimSpace(c) == c
}

// typed writes rows with the numbers, and true and false, of fields that hold nothing else.
func (j *jsonEncoding) typed(w *whole, next func() ([]string, error), _ *Output, to io.Writer) error {
	out := bufio.NewWriterSize(to, 64<<10)
	e := j.Worker(w.schema).(*jsonEncoder)
	line, rows := j.Begin(nil, w.schema), 0
	for ; ; rows++ {
		cells, err := next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		if j.array {
			if rows > 0 {
				line = append(line, ',')
			}
			line = append(line, '\n')
		}
		for i, name := range e.names {
			line = append(line, name...)
			switch c := cells[i]; {
			case c == "":
				line = append(line, "null"...)
			case w.could[i]&jsonNumbers != 0 && isJSONNumber(c), w.could[i]&jsonTruths != 0 && (c == "true" || c == "false"):
				line = append(line, c...)
			default:
				line, _ = jsontext.AppendQuote(line, c)
			}
		}
		line = append(line, '}')
		if !j.array {
			line = append(line, '\n')
		}
		if _, err := out.Write(line); err != nil {
			return err
		}
		line = line[:0]
	}
	if _, err := out.Write(j.End(line)); err != nil {
		return err
	}
	return out.Flush()
}

// jsonEncoding writes an object a row: every cell a text as it stands, blank ones null.
type jsonEncoding struct {
	array bool
	blank string
}

func (j *jsonEncoding) Begin(dst []byte, s *table.Schema) []byte {
	if j.array {
		return append(dst, '[')
	}
	return dst
}

func (j *jsonEncoding) End(dst []byte) []byte {
	if j.array {
		return append(dst, "\n]\n"...)
	}
	return dst
}

// First takes off the comma before the first object.
func (j *jsonEncoding) First(piece []byte) []byte {
	if j.array {
		return piece[1:]
	}
	return piece
}

func (j *jsonEncoding) Worker(s *table.Schema) Encoder {
	e := &jsonEncoder{j: j}
	for i, n := range s.Names() {
		lead := []byte{','}
		if i == 0 {
			lead = []byte{'{'}
		}
		quoted, _ := jsontext.AppendQuote(lead, n)
		e.names = append(e.names, append(quoted, ':'))
	}
	return e
}

type jsonEncoder struct {
	j       *jsonEncoding
	names   [][]byte // with what stands before and behind them
	scratch [][]string
	cells   [][]string
}

func (e *jsonEncoder) Append(dst []byte, b *table.Batch) []byte {
	e.cells, e.scratch = flatAll(b, e.cells, e.scratch)
	for r := range b.Rows {
		if e.j.array {
			dst = append(dst, ",\n"...)
		}
		for i, name := range e.names {
			dst = append(dst, name...)
			c := e.cells[i][r]
			if c == "" {
				c = e.j.blank
			}
			if c == "" {
				dst = append(dst, "null"...)
				continue
			}
			dst, _ = jsontext.AppendQuote(dst, c)
		}
		dst = append(dst, '}')
		if !e.j.array {
			dst = append(dst, '\n')
		}
	}
	return dst
}

// flatAll gives the cells of all columns, a cell a row.
func flatAll(b *table.Batch, cells, scratch [][]string) (c, s [][]string) {
	for len(cells) < len(b.Cols) {
		cells, scratch = append(cells, nil), append(scratch, nil)
	}
	for i := range b.Cols {
		cells[i], scratch[i] = b.Cols[i].Flat(b.Rows, scratch[i])
	}
	return cells, scratch
}
