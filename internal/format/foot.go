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
	line := 0
	if len(f.held) > 0 {
		line = f.held[0].Line
	}
	var text []byte
	for _, c := range f.held {
		text = append(text, c.Data...)
	}
	f.held = nil
	records, err := delimited.Head(text, f.d, 1<<30, true)
	if err != nil {
		return delimited.Whole(text, line), nil // the parser tells what is wrong
	}
	at := len(records)
	if f.auto {
		at = footOf(records, f.fields, labels{})
	} else {
		n := 0
		for ; at > 0 && n < f.rows; at-- {
			if len(records[at-1].Cells) > 0 {
				n++
			}
		}
		if n < f.rows {
			return delimited.Chunk{}, diag.Dataf("--foot %d: below the header stands only %s", f.rows, diag.Plural(int64(n), "row"))
		}
	}
	end := len(text)
	if at < len(records) {
		end = records[at].Start
	}
	f.tell(tellFoot(records[at:]))
	if end == 0 {
		return delimited.Chunk{}, io.EOF
	}
	return delimited.Whole(text[:end], line), nil
}

// tellFoot tells which rows were left out at the foot.
func tellFoot(rows []delimited.Record) string {
	var notes []string
	for _, r := range rows {
		if filled(r.Cells) > 0 {
			notes = append(notes, diag.Quote(strings.TrimRight(strings.Join(r.Cells, " "), " ")))
		}
	}
	n := len(notes)
	if n == 0 {
		return "no notes at the foot"
	}
	more := ""
	if len(notes) > 5 {
		notes, more = notes[:5], fmt.Sprintf(" and %d more", len(notes)-5)
	}
	return fmt.Sprintf("%s at the foot left out: %s%s", diag.Plural(int64(n), "row"), strings.Join(notes, ", "), more)
}

// labels is what is known of the first cells of the rows of data.
type labels struct {
	widest int  // bytes
	words  bool // one has several words, or none
}

func (l *labels) see(cell string) {
	l.widest = max(l.widest, len(cell))
	cell = strings.TrimSpace(cell)
	l.words = l.words || cell == "" || strings.Contains(cell, " ")
}

// footOf gives where the foot begins among the last rows of a table, blank ones above it included; len(rows) where
// there is none. Notes stand alone in the first cell. A row of data that lacks all else does so too, so the first of them must stand
// beneath a blank row and be no single word as those above, begin as notes do, or have several words and be longer than the first cells of the data, of which something is known.
func footOf(rows []delimited.Record, fields int, above labels) int {
	data := 0
	for i, r := range rows {
		if filled(r.Cells) > 0 && !standsAlone(r.Cells, fields) {
			data = i + 1
			above.see(r.Cells[0])
		}
	}
	for i := data; i < len(rows); i++ {
		if filled(rows[i].Cells) == 0 {
			continue
		}
		first := strings.TrimSpace(rows[i].Cells[0])
		beneath := data > 0 && filled(rows[i-1].Cells) == 0 && (above.words || strings.Contains(first, " ") || strings.HasSuffix(first, ":"))
		if beneath || strings.IndexAny(first, "*†‡¹") == 0 || strings.Contains(first, " ") && len(first) > above.widest {
			for i > data && filled(rows[i-1].Cells) == 0 {
				i--
			}
			return i
		}
	}
	return len(rows)
}

// standsAlone tells whether a text stands alone in the first cell of a table of several fields.
func standsAlone(cells []string, fields int) bool {
	return fields > 1 && len(cells) > 0 && strings.TrimSpace(cells[0]) != "" && filled(cells) == 1
}
