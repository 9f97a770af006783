package format

import (
	"bytes"
	"fmt"
	"io"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
)

// footer cuts rows off the end of a text, before it is parsed: it holds the
// last chunks back until it knows that they are the last.
type footer struct {
	split  *delimited.Splitter
	d      delimited.Dialect
	rows   int
	auto   bool
	fields int
	tell   func(note string)

	held []delimited.Chunk
	done bool
}

// footSize is how much of the end is looked at for --foot auto, and held at least.
const footSize = 64 << 10

// Recycle does nothing: what is held back may be looked at again.
func (f *footer) Recycle(delimited.Chunk) {}

func (f *footer) Next() (delimited.Chunk, error) {
	for !f.done {
		// The chunks behind the first are enough to cut from.
		if rows, size := f.behind(); len(f.held) > 1 && rows > f.rows && size > footSize {
			c := f.held[0]
			f.held = f.held[1:]
			return c, nil
		}
		c, err := f.split.Next()
		if err == io.EOF {
			f.done = true
			return f.cut()
		}
		if err != nil {
			return c, err
		}
		f.held = append(f.held, c)
	}
	return delimited.Chunk{}, io.EOF
}

func (f *footer) behind() (rows, size int) {
	for _, c := range f.held[min(1, len(f.held)):] {
		rows += bytes.Count(c.Data, []byte{'\n'})
		size += len(c.Data)
	}
	return rows, size
}

// cut gives what is held but for the foot.
func (f *footer) cut() (delimited.Chunk, error) {
	if len(f.held) == 0 {
		return delimited.Chunk{}, io.EOF
	}
	line := f.held[0].Line
	var text []byte
	for _, c := range f.held {
		text = append(text, c.Data...)
	}
	f.held = nil
	records, err := delimited.Head(text, f.d, 1<<30, true)
	if err != nil {
		return delimited.Whole(text, line), nil // the parser tells what is wrong
	}
	end, n := len(text), 0
	var notes []string
	for i := len(records) - 1; i >= 0; i-- {
		r := records[i]
		if f.auto && filled(r.Cells) == 0 {
			if n > 0 { // blank rows above notes go with them
				end = r.Start
			}
			continue
		}
		if len(r.Cells) > 0 {
			if f.auto && !isNote(r.Cells, f.fields) || !f.auto && n == f.rows {
				break
			}
			n++
			notes = append([]string{noteText(r.Cells)}, notes...)
		}
		end = r.Start
	}
	if !f.auto && n < f.rows {
		return delimited.Chunk{}, diag.Dataf("--foot %d: below the header stands only %s", f.rows, diag.Plural(int64(n), "row"))
	}
	if n > 0 || f.auto {
		f.tell(tellFoot(n, notes))
	}
	if end == 0 {
		return delimited.Chunk{}, io.EOF
	}
	return delimited.Whole(text[:end], line), nil
}

// tellFoot tells what was left out at the foot, of which texts are quoted.
func tellFoot(n int, notes []string) string {
	if n == 0 {
		return "no notes at the foot"
	}
	more := ""
	if len(notes) > 5 {
		notes, more = notes[:5], fmt.Sprintf(" and %d more", len(notes)-5)
	}
	return fmt.Sprintf("%s at the foot left out: %s%s", diag.Plural(int64(n), "row"), strings.Join(notes, ", "), more)
}

// noteText is a row as a note is quoted.
func noteText(cells []string) string {
	return diag.Quote(strings.TrimRight(strings.Join(cells, " "), " "))
}

// footNote tells of the rows of a sheet left out at its foot.
func footNote(rows []delimited.Record, auto bool) string {
	if len(rows) == 0 && !auto {
		return ""
	}
	var notes []string
	for _, r := range rows {
		notes = append(notes, noteText(r.Cells))
	}
	return tellFoot(len(rows), notes)
}

// isNote tells a note from a row of data: a text that stands alone in the first cell of a table of several fields.
func isNote(cells []string, fields int) bool {
	first := strings.TrimSpace(cells[0])
	if fields < 2 || first == "" || filled(cells) != 1 {
		return false
	}
	return fields > 2 || strings.HasPrefix(first, "*") || strings.Contains(first, " ")
}
