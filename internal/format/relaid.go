package format

import (
	"bufio"
	"bytes"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
)

// Layout is how a text is laid out that is not delimited as usual. Such a text is laid out anew, line by line, before it is
// read, so that the lines keep their numbers.
type Layout struct {
	Comment   string // what begins lines that are left out; "": there are none
	Spaces    bool   // runs of spaces part the cells
	Widths    []int  // of the cells, in characters; those of -1 are found out
	Backslash bool   // a quote inside quotes is written \"
}

// FoundWidths asks for widths to be found out.
var FoundWidths = []int{-1}

// ParseWidths reads the widths of cells, or auto.
func ParseWidths(s string) ([]int, error) {
	if s == "auto" {
		return FoundWidths, nil
	}
	var out []int
	for _, piece := range strings.Split(s, ",") {
		n, err := strconv.Atoi(strings.TrimSpace(piece))
		if err != nil || n < 1 {
			return nil, diag.Usagef("--widths %s: it is the number of characters of each cell, or auto", diag.Quote(s)).Trying("--widths 8,12,5", "--widths auto")
		}
		out = append(out, n)
	}
	return out, nil
}

// WidthList is the widths as [ParseWidths] takes them.
func (l *Layout) WidthList() string {
	if slices.Equal(l.Widths, FoundWidths) {
		return "auto"
	}
	var out []string
	for _, n := range l.Widths {
		out = append(out, strconv.Itoa(n))
	}
	return strings.Join(out, ",")
}

func (l *Layout) plain() bool {
	return l.Comment == "" && !l.Spaces && l.Widths == nil && !l.Backslash
}

// delimiter parts the cells of a text that was laid out anew, 0: what it had.
func (l *Layout) delimiter() byte {
	if l.Spaces || l.Widths != nil {
		return ','
	}
	return 0
}

// relay lays out the text of a file anew, of which so much is looked at.
func (f *opened) relay(o *ReadOptions) error {
	l := o.Layout
	if l.plain() {
		return nil
	}
	if l.Widths != nil || l.Spaces {
		if o.Delimiter != 0 || l.Widths != nil && l.Spaces {
			return diag.Usagef("--delimiter and --widths say two things about what parts the cells").At(f.name, 0)
		}
	}
	var whole io.Reader = bytes.NewReader(f.probe)
	if f.rest != nil {
		whole = io.MultiReader(whole, f.rest)
	}
	if slices.Equal(l.Widths, FoundWidths) {
		if l.Widths = widthsOf(f.probe, l.Comment, f.rest == nil); len(l.Widths) < 2 {
			return diag.Dataf("--widths auto: no column is blank in every row of the beginning").At(f.name, 0).Trying("--widths 8,12,5")
		}
	}
	r := &relaid{Layout: l, r: bufio.NewReaderSize(whole, 64<<10), quoted: !o.NoQuotes && l.Widths == nil && !l.Spaces, literal: o.NoQuotes}
	if l.Widths != nil || l.Spaces { // what is laid out anew has quotes where cells need them
		o.NoQuotes = false
	}
	size := max(len(f.probe), 1<<12)
	var all bool
	var err error
	if f.probe, all, err = readProbe(r, size); err != nil {
		return f.readError(err)
	}
	if f.rest = r; all {
		f.rest = nil
	}
	f.relaid = r
	return nil
}

// relaid reads a text as it is laid out anew.
type relaid struct {
	Layout
	r        *bufio.Reader
	quoted   bool // quotes count
	literal  bool // they never do
	open     bool // the line begins within quotes
	out      []byte
	line     []byte
	number   int
	comments []int // their lines
	err      error
}

func (r *relaid) Read(p []byte) (int, error) {
	for len(r.out) == 0 {
		if r.err != nil {
			return 0, r.err
		}
		r.line = r.line[:0]
		for more := true; more && r.err == nil; {
			var piece []byte
			piece, r.err = r.r.ReadSlice('\n')
			r.line = append(r.line, piece...)
			if more = r.err == bufio.ErrBufferFull; more {
				r.err = nil
			}
		}
		if len(r.line) > 0 {
			r.number++
			r.out = r.lay(r.out[:0], r.line)
		}
	}
	n := copy(p, r.out)
	r.out = r.out[n:]
	return n, nil
}

// lay appends a line as it is to be read.
func (r *relaid) lay(dst, line []byte) []byte {
	text := bytes.TrimRight(line, "\r\n")
	end := line[len(text):]
	if r.Comment != "" && !r.open && bytes.HasPrefix(text, []byte(r.Comment)) {
		r.comments = append(r.comments, r.number)
		return append(dst, end...) // an empty line, which holds no row
	}
	switch {
	case r.Widths != nil:
		dst = r.cut(dst, string(text))
	case r.Spaces:
		dst = appendCells(dst, spaced(string(text), !r.literal))
	default:
		if r.Backslash {
			text = r.doubled(text)
		}
		if r.quoted && bytes.Count(text, []byte{'"'})%2 == 1 {
			r.open = !r.open
		}
		dst = append(dst, text...)
	}
	return append(dst, end...)
}

// spaced parts a line at runs of spaces and tabs. A piece that begins with a quote runs to the quote that has a space or the end behind
// it, and stands without both; a quote inside is doubled.
func spaced(text string, quotes bool) (cells []string) {
	const blank = " \t"
	for {
		if text = strings.TrimLeft(text, blank); text == "" {
			return cells
		}
		end := strings.IndexAny(text, blank)
		if end < 0 {
			end = len(text)
		}
		piece := text[:end]
		if quotes && text[0] == '"' {
			for at := 1; at < len(text); at++ {
				if text[at] != '"' {
					continue
				}
				if at+1 < len(text) && text[at+1] == '"' {
					at++
					continue
				}
				if at+1 == len(text) || strings.IndexByte(blank, text[at+1]) >= 0 {
					end, piece = at+1, strings.ReplaceAll(text[1:at], `""`, `"`)
				}
				break
			}
		}
		cells, text = append(cells, piece), text[end:]
	}
}

// cut parts a line by the widths; what stands beyond them is one cell more.
func (r *relaid) cut(dst []byte, text string) []byte {
	if strings.TrimSpace(text) == "" {
		return dst
	}
	var cells []string
	for _, n := range r.Widths {
		at := 0
		for ; n > 0 && at < len(text); n-- {
			_, size := utf8.DecodeRuneInString(text[at:])
			at += size
		}
		cells, text = append(cells, strings.TrimFunc(text[:at], unicode.IsSpace)), text[at:]
	}
	if rest := strings.TrimFunc(text, unicode.IsSpace); rest != "" {
		cells = append(cells, rest)
	}
	return appendCells(dst, cells)
}

var relaidCells = delimited.NewEncoder(delimited.Style{Delimiter: ','})

func appendCells(dst []byte, cells []string) []byte {
	if len(cells) == 0 {
		return dst
	}
	return bytes.TrimSuffix(relaidCells.Row(dst, cells), []byte("\n"))
}

// doubled doubles the quotes that a backslash precedes, which stand for themselves, and takes those backslashes away. One of an even number of
// backslashes is one itself.
func (r *relaid) doubled(text []byte) []byte {
	var out []byte
	slashes := 0
	for _, c := range text {
		if c == '"' && slashes%2 == 1 {
			out = append(out[:len(out)-1], '"')
		}
		if slashes++; c != '\\' {
			slashes = 0
		}
		out = append(out, c)
	}
	return out
}

// widthsOf finds the widths of cells: they begin where a character stands below columns that are blank in every line.
func widthsOf(text []byte, comment string, all bool) []int {
	var filled []bool
	for line := range bytes.Lines(text) {
		if !bytes.HasSuffix(line, []byte("\n")) && !all || comment != "" && bytes.HasPrefix(line, []byte(comment)) {
			continue
		}
		at := 0
		for _, c := range string(bytes.TrimRight(line, "\r\n")) {
			if at == len(filled) {
				filled = append(filled, false)
			}
			filled[at] = filled[at] || !unicode.IsSpace(c)
			at++
		}
	}
	var begins []int
	for i, f := range filled {
		if f && (i == 0 || !filled[i-1]) {
			begins = append(begins, i)
		}
	}
	var out []int
	for k, b := range begins {
		switch {
		case k+1 < len(begins):
			from := b
			if k == 0 {
				from = 0
			}
			out = append(out, begins[k+1]-from)
		default:
			out = append(out, max(len(filled)-b, 1<<20)) // the last takes all there is
		}
	}
	return out
}

// nameFirst puts a name before those of a header that is one name short of the rows beneath.
func nameFirst(h *head, rows []delimited.Record, name string) *diag.Error {
	short := false
	for _, r := range rows[min(h.body, len(rows)):] {
		short = short || len(r.Cells) == len(h.names)+1
	}
	switch {
	case !short:
		return diag.Dataf("--header-first %s: the rows have no more cells than the header, which has %s", diag.Quote(name), diag.Plural(int64(len(h.names)), "name"))
	case slices.Contains(h.names, name):
		return diag.Dataf("--header-first %s: there is a field of that name already", diag.Quote(name)).Trying("another name")
	}
	h.names = append([]string{name}, h.names...)
	return nil
}
