package format

import (
	"bufio"
	"io"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"revuelta/internal/table"
)

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
