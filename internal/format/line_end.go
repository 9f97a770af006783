package format

import (
	"bytes"
	"io"

	"revuelta/internal/diag"
)

// endLines lets rows end with LF, whatever ends them in the file. A text whose only line ends are lone CR is an error, unless the
// options say that CR ends its lines.
func (f *opened) endLines(o ReadOptions) error {
	if o.LineEndCR {
		t := &crTurner{r: f.rest, delimiter: o.Delimiter, noQuotes: o.NoQuotes, last: '\n'}
		f.probe = bytes.Clone(f.probe)
		t.turn(f.probe)
		if f.rest != nil {
			f.rest = t
		}
		return nil
	}
	if bytes.IndexByte(f.probe, '\n') >= 0 || bytes.IndexByte(f.probe, '\r') < 0 {
		return nil
	}
	t := &crTurner{delimiter: o.Delimiter, noQuotes: o.NoQuotes, last: '\n'}
	if t.turn(bytes.Clone(f.probe)); t.turned == 0 {
		return nil // they stand within quotes
	}
	return diag.Dataf("the lines end with lone CR, so all of the file is one row").At(f.name, 1).Trying("--line-end cr")
}

// crTurner makes LF of the lone CR that end rows, byte for byte, and leaves those within quotes alone.
type crTurner struct {
	r         io.Reader
	delimiter byte // 0: any of those that are found out
	noQuotes  bool
	last      byte // the byte before, as it was turned
	quoted    bool // within quotes
	closed    bool // the byte before closed a quote
	turned    int
}

func (t *crTurner) Read(p []byte) (int, error) {
	n, err := t.r.Read(p)
	t.turn(p[:n])
	return n, err
}

func (t *crTurner) turn(text []byte) {
	for i, b := range text {
		switch {
		case b == '"' && !t.noQuotes:
			// Two quotes within quotes close and open them.
			t.quoted, t.closed, t.last = !t.quoted && (t.closed || t.begins()), t.quoted, b
			continue
		case b == '\r' && !t.quoted:
			b, text[i] = '\n', '\n'
			t.turned++
		}
		t.last, t.closed = b, false
	}
}

// begins reports whether a cell begins behind the byte before.
func (t *crTurner) begins() bool {
	if t.delimiter != 0 {
		return t.last == '\n' || t.last == t.delimiter
	}
	return bytes.IndexByte([]byte("\n,;\t|"), t.last) >= 0
}
