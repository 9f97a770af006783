package inspect

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/format"
)

// reading is a way in which a file may be read, and what speaks for it.
type reading struct {
	options format.ReadOptions
	sample  *format.Sample
	says    string
}

// readable finds how a file, of which a sample was taken or not, is to be read: as it is told, or, where that fails or gives one field that holds a table, in another
// way that reads all rows. The finding tells which and why; a fault that no other way mends is a finding too.
func readable(in input, o format.ReadOptions, l *format.Sample, err error) (*format.Sample, format.ReadOptions, []Finding, error) {
	if in.once || err == nil && l.Rows != nil { // that was read as every other command reads it
		return l, o, nil, err
	}
	fault := err
	if fault == nil {
		fault = in.read(l, o)
	}
	doubt := ""
	if fault == nil && isText(l) {
		doubt = doubtful(l, o)
	}
	if fault == nil && doubt == "" {
		return l, o, nil, nil
	}
	if e := (*diag.Error)(nil); errors.As(fault, &e) && e.Status != diag.Data {
		return l, o, nil, err // a file that is not there
	}
	told := said(fault, doubt)
	if e := (*diag.Error)(nil); errors.As(fault, &e) && slices.Contains(e.Try, "--read-as json") && o.As == "" {
		asJSON := o
		asJSON.As = "json"
		if l, err := in.sample(asJSON); err == nil {
			return l, asJSON, []Finding{{Kind: "reading", Part: Safe, reads: true, Says: "it is JSON, under another name: --read-as json reads all rows", Evidence: diag.Names(l.Names)}}, nil
		}
	}
	var others []reading
	if l == nil || isText(l) {
		others = ways(in, o, l, fault)
	}
	if len(others) > 0 {
		w := others[0]
		part, question := Safe, ""
		if l != nil && w.options.Layout.Comment == "#" {
			if _, names := namedBehind(filledRows(l)); names != "" {
				part, question = Decide, "do the names of the fields stand in the comment ("+names+")? rename gives them"
			}
		}
		if l == nil && w.options.Layout.Comment == "#" { // nobody saw the lines that it leaves out
			part, question = Decide, "is every line that begins with # a comment?"
		}
		if w.options.Header.Kind == format.HeaderFirst && part == Safe && !namesProved(w.sample, w.options) {
			part, question = Decide, "does "+diag.Names(w.sample.Names)+" name the fields, or is it data? Then --header none with it"
		}
		if w.options.Body > 0 && o.Body == 0 {
			part, question = Decide, "is what stands above the data nothing but a title?"
		}
		f := Finding{Kind: "reading", Part: part, Question: question, reads: true, Says: told + "; " + w.says, Evidence: diag.Names(w.sample.Names)}
		return w.sample, w.options, []Finding{f}, nil
	}
	if fault == nil {
		return l, o, nil, nil
	}
	if err != nil {
		return l, o, nil, err
	}
	f := Finding{Kind: "reading", Part: Told, Says: "it can't be read as it is: " + told}
	if e := (*diag.Error)(nil); errors.As(fault, &e) && len(e.Try) > 0 {
		f.Question = "try " + strings.Join(e.Try, "; or: ")
	}
	return l, o, []Finding{f}, nil
}

// input is a file, or the text of standard input where that is short enough to be read again.
type input struct {
	path string
	text []byte // of standard input
	once bool   // it can't be read again
}

const mostHeld = 4 << 20

// openInput takes standard input up; what is longer than is held is read once.
func openInput(path string, o *format.ReadOptions) (input, error) {
	in := input{path: path}
	if path != "-" {
		info, err := os.Stat(path)
		in.once = err == nil && !info.Mode().IsRegular() // a pipe's writer would lose its reader
		return in, nil
	}
	if o.Stdin == nil {
		return in, nil
	}
	text, err := io.ReadAll(io.LimitReader(o.Stdin, mostHeld+1))
	if err != nil {
		return in, format.FileError(path, err)
	}
	if len(text) > mostHeld {
		o.Stdin, in.once = io.MultiReader(bytes.NewReader(text), o.Stdin), true
	} else {
		in.text = text
	}
	return in, nil
}

func (in input) again(o format.ReadOptions) format.ReadOptions {
	if in.text != nil {
		o.Stdin = bytes.NewReader(in.text)
	}
	return o
}

func (in input) sample(o format.ReadOptions) (*format.Sample, error) {
	return format.SampleOf(in.path, in.again(o))
}

func (in input) read(l *format.Sample, o format.ReadOptions) error {
	return l.Read(in.path, in.again(o))
}

// isText tells a file of delimited text.
func isText(l *format.Sample) bool { return l.Rows == nil && l.Delimiter != 0 }

// said tells a fault, or a doubt, without the file's name.
func said(fault error, doubt string) string {
	if e := (*diag.Error)(nil); errors.As(fault, &e) {
		where := ""
		if e.Line > 0 {
			where = "line " + strconv.Itoa(e.Line) + ": "
		}
		return where + e.Text
	}
	if fault != nil {
		return fault.Error()
	}
	return doubt
}

// doubtful tells why a reading that succeeds is not to be trusted, "" where nothing speaks against it.
func doubtful(l *format.Sample, o format.ReadOptions) string {
	rows := filledRows(l)
	switch {
	case len(rows) < 2:
		return ""
	case o.Layout.Comment == "" && o.Header.Kind == format.HeaderFirst && strings.HasPrefix(strings.TrimSpace(rows[0].first()), "#") && marked(rows) != 0:
		return "it begins with #"
	case o.Layout.Comment == "" && len(l.Names) > 1 && commentAlone(rows, len(l.Names)), o.Layout.Comment == "" && commentedHeader(l):
		return "lines in it begin with #"
	case o.Delimiter == 0 && o.Layout.Widths == nil && l.As == "tsv" && len(l.Names) == 1 && strings.ContainsAny(rows[0].first(), ",;|"):
		return "its name says tabs, and it has none"
	case o.Delimiter == 0 && o.Layout.Widths == nil && partedBy(rows) != 0:
		return "it has one field, with cells parted by " + string(rune(partedBy(rows)))
	case o.Delimiter == 0 && o.Layout.Widths == nil && l.Delimiter == ',' && commaNumbers(rows):
		return "its commas stand in numbers, which spaces part"
	case o.Delimiter == 0 && o.Layout.Widths == nil && len(l.Names) == 1 && len(rows) > 2 && slices.ContainsFunc(rows, func(r laid) bool { return strings.ContainsAny(strings.TrimSpace(r.first()), " \t") }):
		return "it has one field, with cells parted by spaces"
	case o.Header.Kind == format.HeaderFirst && o.Body == 0 && l.Header.From > 0 && namesAreData(l):
		return "its first row holds data, not names"
	}
	return ""
}

// commaNumbers tells rows of numbers with decimal commas that spaces part: 2,5  -0,25.
func commaNumbers(rows []laid) bool {
	if len(rows) < 3 {
		return false
	}
	commas := 0
	for _, r := range rows {
		numbers := strings.Fields(strings.Join(r, ","))
		if len(numbers) < 2 {
			return false
		}
		for _, n := range numbers {
			if commas += strings.Count(n, ","); strings.Count(n, ",") > 1 || strings.HasSuffix(n, ",") || !isNumber(strings.Replace(n, ",", ".", 1)) {
				return false
			}
		}
	}
	return commas >= len(rows)
}

// partedBy is a character that no delimiter is looked for by, of which every row of one cell has as many, two at least; 0 where there
// is none.
func partedBy(rows []laid) byte {
	for _, by := range []string{":", "^", "~"} {
		n := strings.Count(rows[0].first(), by)
		if n > 1 && len(rows) > 3 && !strings.ContainsAny(rows[0].first(), "/. ") && !slices.ContainsFunc(rows, func(r laid) bool { return len(r) != 1 || strings.Count(r[0], by) != n }) {
			return by[0]
		}
	}
	return 0
}

// wholeRows tells rows of many cells among which those that begin with # are as wide as the others, nearly all of them filled.
func wholeRows(rows []laid) bool {
	hashes := 0
	for _, r := range rows {
		if strings.HasPrefix(strings.TrimSpace(r.first()), "#") {
			if hashes++; len(r) != len(rows[0]) || len(r) < 3 || 2*filledCells(r) <= len(r) {
				return false
			}
		} else if len(r) != len(rows[0]) {
			return false
		}
	}
	return hashes > 0 && !strings.HasPrefix(strings.TrimSpace(rows[0].first()), "#")
}

// mostMarked tells rows of which, beneath the first that does not, most begin with # and are as wide as it: they are numbered so.
func mostMarked(rows []laid) bool {
	marked, others, width := 0, 0, 0
	for _, r := range rows {
		switch mark := strings.HasPrefix(strings.TrimSpace(r.first()), "#"); {
		case !mark && width == 0:
			width = len(r)
		case !mark:
			others++
		case width > 1 && len(r) == width && 2*filledCells(r) > width:
			marked++
		}
	}
	return marked > others && marked > 1
}

// hashedFirst tells rows of which the first begin with #, in words, and no other.
func hashedFirst(rows []laid) bool {
	n := 0
	for n < len(rows) && strings.HasPrefix(strings.TrimSpace(rows[n].first()), "#") {
		n++
	}
	return n > 0 && len(strings.Fields(strings.Join(rows[0], " "))) > 4 && !slices.ContainsFunc(rows[n:], func(r laid) bool { return strings.HasPrefix(strings.TrimSpace(r.first()), "#") })
}

// firstAlike tells a first row of data, read without a header, none of whose cells is new in its field: it names nothing.
func firstAlike(l *format.Sample) bool {
	rows, _ := l.Data()
	if len(rows) < 4 {
		return false
	}
	for i, c := range rows[0] {
		if chance(c, rows[1:], i) < 0.3 {
			return false
		}
	}
	return true
}

// commentAlone tells whether a row beneath the header, all in one cell, begins with #, while most rows are as wide as the header.
func commentAlone(rows []laid, width int) bool {
	comments, wide := 0, 0
	for _, r := range rows[1:] {
		switch {
		case len(r) == 1 && strings.HasPrefix(r[0], "#"):
			comments++
		case len(r) == width:
			wide++
		}
	}
	return comments > 0 && wide > 0
}

// laid is a row as it lies.
type laid []string

func (r laid) first() string {
	if len(r) == 0 {
		return ""
	}
	return r[0]
}

// filledRows are the rows at the beginning in which something stands.
func filledRows(l *format.Sample) (out []laid) {
	for _, r := range l.First {
		if len(r.Cells) > 0 {
			out = append(out, r.Cells)
		}
	}
	return out
}

// ways are the other ways in which all rows can be read, the likeliest first.
func ways(in input, o format.ReadOptions, plain *format.Sample, fault error) []reading {
	var out []reading
	try := func(says string, change func(*format.ReadOptions), good func(*format.Sample) bool) bool {
		c := o
		change(&c)
		l, err := in.sample(c)
		if err != nil || !isText(l) {
			return false
		}
		if namesAreData(l) && c.Header.Kind == format.HeaderFirst && c.First == "" {
			c.Header, says = format.Header{Kind: format.HeaderNone}, says+" --header none"
			if l, err = in.sample(c); err != nil {
				return false
			}
		}
		if good != nil && !good(l) || in.read(l, c) != nil {
			return false
		}
		out = append(out, reading{c, l, says + " reads all rows"})
		return true
	}
	even := func(l *format.Sample) bool { // all rows are as wide as the header, and something in them is a number
		rows, _ := l.Data()
		if len(l.Names) < 2 || len(rows) < 2 {
			return false
		}
		numbers := 0
		for _, r := range l.First[min(l.Body, len(l.First)):] {
			if len(r.Cells) != len(l.Names) && len(r.Cells) > 0 {
				return false
			}
			for _, c := range r.Cells {
				if _, ok := decimal.Parse(c); ok {
					numbers++
				}
			}
		}
		return numbers >= len(rows)
	}
	rows := []laid{}
	if plain != nil {
		rows = filledRows(plain)
	}
	e := (*diag.Error)(nil)
	errors.As(fault, &e)
	named := func(option string) bool {
		return e != nil && slices.ContainsFunc(e.Try, func(t string) bool { return strings.HasPrefix(t, option) })
	}
	comment := func(c *format.ReadOptions) { c.Layout.Comment = "#" }
	spaces := func(c *format.ReadOptions) { c.Layout.Spaces = true }
	wide := func(l *format.Sample) bool { return even(l) && len(l.Names) > 1 }
	hash := slices.ContainsFunc(rows, func(r laid) bool { return strings.HasPrefix(strings.TrimSpace(r.first()), "#") })
	untold := o.Delimiter == 0 && !o.Layout.Spaces && o.Layout.Widths == nil
	switch {
	case named("--line-end cr"):
		try("--line-end cr", func(c *format.ReadOptions) { c.LineEndCR = true }, nil)
		return out
	case hash && o.Layout.Comment == "" && fault == nil && marked(rows) == 0: // the first row names the fields, with a mark before the first
		return out
	case hash && o.Layout.Comment == "" && namedAboveComments(rows) && try("--comment '# '", func(c *format.ReadOptions) { c.Layout.Comment = "# " }, asWide):
		return out
	case hash && o.Layout.Comment == "" && marked(rows) > 0:
		at := marked(rows)
		if try("--header "+strconv.Itoa(at+1), func(c *format.ReadOptions) {
			c.Header = format.Header{Kind: format.HeaderRows, From: at + 1, To: at + 1}
		}, nil) {
			return out
		}
	case hash && o.Layout.Comment == "" && mostMarked(rows): // nor are those comments
	case hash && o.Layout.Comment == "":
		if at, names := namedBehind(rows); untold && at >= 0 && names == "" && try(fmt.Sprintf("--delimiter spaces --header %d", at+1), func(c *format.ReadOptions) {
			spaces(c)
			c.Header = format.Header{Kind: format.HeaderRows, From: at + 1, To: at + 1}
		}, even) {
			return out
		}
		if _, names := namedBehind(rows); names != "" && try("--comment '#' --header none", func(c *format.ReadOptions) { // the first row of data names nothing
			comment(c)
			c.Header = format.Header{Kind: format.HeaderNone}
		}, func(l *format.Sample) bool { return len(l.Names) > 1 && asWide(l) }) {
			return out
		}
		full := func(l *format.Sample) bool { return len(l.Names) > 1 && len(l.First) > l.Body && asWide(l) }
		if wholeRows(rows) { // what begins with # there is no comment
			break
		}
		if try("--comment '#'", comment, full) || untold && try("--comment '#' --header none", func(c *format.ReadOptions) {
			comment(c)
			c.Header = format.Header{Kind: format.HeaderNone}
		}, func(l *format.Sample) bool {
			return len(l.Names) > 1 && len(rows) > 2 && hashedFirst(rows) && firstAlike(l)
		}) || fault != nil && (try("--comment '#' --escape backslash", func(c *format.ReadOptions) { comment(c); c.Layout.Backslash = true }, full) ||
			try("--comment '#' --quote none", func(c *format.ReadOptions) { comment(c); c.NoQuotes = true }, full)) || untold && try("--comment '#' --delimiter spaces", func(c *format.ReadOptions) { comment(c); spaces(c) }, even) {
			return out
		}
	}
	if plain != nil && fault == nil && untold && commaNumbers(rows) && try("--delimiter spaces --header none", func(c *format.ReadOptions) {
		spaces(c)
		c.Header = format.Header{Kind: format.HeaderNone}
	}, func(l *format.Sample) bool { return len(l.Names) > 1 && asWide(l) }) {
		return out
	}
	if by := byte(0); plain != nil && fault == nil && untold && len(rows) > 0 {
		if plain.As == "tsv" && len(plain.Names) == 1 { // its suffix says tab, and there is none
			for _, by := range []byte{',', ';', '|'} {
				if try("--delimiter "+Shell(string(rune(by))), func(c *format.ReadOptions) { c.Delimiter = by }, func(l *format.Sample) bool { return asWide(l) && len(l.Names) > 1 }) {
					return out
				}
			}
		}
		if by = partedBy(rows); by != 0 && try("--delimiter "+string(rune(by)), func(c *format.ReadOptions) { c.Delimiter = by }, asWide) {
			return out
		}
	}
	if fault != nil && !o.Layout.Backslash && try("--escape backslash", func(c *format.ReadOptions) { c.Layout.Backslash = true }, wide) {
		return out
	}
	first := func(c *format.ReadOptions) { c.First = "row" }
	firstOf := func(c *format.ReadOptions) { // a header that looks like a title
		first(c)
		c.Header = format.Header{Kind: format.HeaderRows, From: plain.Header.From, To: plain.Header.From}
	}
	if fault != nil && plain != nil && o.First == "" && shortHeader(plain) && (try("--header-first row", first, nil) || try("--header-first row", firstOf, nil)) {
		return out
	}
	if plain != nil && o.First == "" && untold && (fault != nil || len(plain.Names) == 1) && slices.ContainsFunc(rows, func(r laid) bool { return strings.ContainsAny(r.first(), " \t") }) &&
		try("--delimiter spaces --header-first row", func(c *format.ReadOptions) { spaces(c); first(c) }, even) {
		return out
	}
	behindSpace := e != nil && strings.Contains(e.Text, ": a quote inside a cell") && strings.HasPrefix(strings.TrimSpace(strings.TrimPrefix(e.Text, `"`)), `"`)
	if fault != nil && !o.NoQuotes && !behindSpace && try("--quote none", func(c *format.ReadOptions) { c.NoQuotes = true }, func(l *format.Sample) bool {
		first := filledRows(l)[0].first()
		return len(l.Names) > 1 && len(filledRows(l)) > 1 && asWide(l) && !inQuotes(l) && !strings.HasPrefix(first, "{") && !strings.HasPrefix(first, "[") // which is JSON
	}) {
		return out
	}
	if plain == nil && untold && (try("--delimiter spaces", spaces, even) || try("--delimiter spaces --header-first row", func(c *format.ReadOptions) { spaces(c); c.First = "row" }, even)) {
		return out
	}
	if plain == nil && o.Layout.Comment == "" && untold && (try("--comment '#'", comment, wide) || try("--comment '#' --delimiter spaces", func(c *format.ReadOptions) { comment(c); spaces(c) }, even)) {
		return out // its first lines could not be read at all
	}
	if plain != nil && len(plain.Names) == 1 && untold && !hash {
		named := func(l *format.Sample) bool { // most columns have a name, or none has
			none := 0
			for _, n := range l.Names {
				if unnamed(n) {
					none++
				}
			}
			words := slices.ContainsFunc(l.Names, func(n string) bool { return strings.Count(n, " ") > 3 })
			return even(l) && !words && (4*none <= len(l.Names) || l.Header.From == 0)
		}
		if try("--delimiter spaces", spaces, even) || try("--widths auto", func(c *format.ReadOptions) { c.Layout.Widths = slices.Clone(format.FoundWidths) }, named) {
			return out
		}
	}
	if o.Header.Kind == format.HeaderFirst && plain != nil && (fault == nil && namesAreData(plain) || named("--header none")) {
		body := ""
		try("--header none", func(c *format.ReadOptions) {
			c.Header = format.Header{Kind: format.HeaderNone}
			if fault != nil && len(plain.First) > 1 && !likeBeneath(plain) { // the first row is no data either
				c.Body = plain.Header.From + 1
				body = fmt.Sprintf(" --body %d", c.Body)
			}
		}, func(l *format.Sample) bool { return asWide(l) && !otherwiseParted(plain) })
		if len(out) > 0 {
			out[0].says = "--header none" + body + " reads all rows as data"
		}
	}
	return out
}

// inQuotes tells names that stand in quotes: then quotes are quotes, and what is wrong is something else.
func inQuotes(l *format.Sample) bool {
	n := 0
	for _, c := range l.Names {
		if len(c) > 1 && c[0] == '"' && c[len(c)-1] == '"' {
			n++
		}
	}
	return 2*n > len(l.Names)
}

// namedAboveComments tells a first row that begins with # and a name, as wide as the data, above lines of comment that begin with # and
// a space.
func namedAboveComments(rows []laid) bool {
	if len(rows) < 3 || len(rows[0]) < 2 || !strings.HasPrefix(rows[0][0], "#") || strings.HasPrefix(rows[0][0], "# ") || !strings.HasPrefix(rows[1].first(), "# ") {
		return false
	}
	return !slices.ContainsFunc(rows[1:], func(r laid) bool { return strings.HasPrefix(r.first(), "#") && !strings.HasPrefix(r.first(), "# ") })
}

// marked gives which of the first rows, which begin with #, names the fields: it is the last of them and as wide as the data, of
// several cells; -1 where none does.
func marked(rows []laid) int {
	last := -1
	for i, r := range rows {
		if !strings.HasPrefix(strings.TrimSpace(r.first()), "#") {
			break
		}
		last = i
	}
	if last < 0 || last+1 >= len(rows) || len(rows[last]) < 2 {
		return -1
	}
	widest := 0
	for _, r := range rows[last+1:] {
		if strings.HasPrefix(r.first(), "#") { // --comment would take the names away, too
			return -1
		}
		widest = max(widest, len(r))
	}
	if len(rows[last]) != widest { // rows that lack something at their end are shorter
		return -1
	}
	return last
}

// namedBehind finds, of the first rows that begin with #, the last, where it has a word for each piece of the data beneath: the row,
// from 0, and the words where a # stands before them by itself; -1 where there is none.
func namedBehind(rows []laid) (at int, names string) {
	for at < len(rows) && strings.HasPrefix(strings.TrimSpace(rows[at].first()), "#") {
		at++
	}
	if at == 0 || at >= len(rows) || len(rows[at-1]) != 1 {
		return -1, ""
	}
	words, pieces := strings.Fields(rows[at-1].first()), strings.Fields(rows[at].first())
	if slices.ContainsFunc(words, func(w string) bool {
		_, number := decimal.Parse(w)
		return number || strings.Contains(w, "//") || strings.ContainsAny(w[len(w)-1:], ".:;,")
	}) { // a sentence
		return -1, ""
	}
	if n := len(rows[at]); n > 1 { // they are parted already, and the names of rows may have none
		if words[0] == "#" && (len(words) == n || len(words) == n+1) && slices.ContainsFunc(rows[at], isNumber) {
			return at - 1, strings.Join(words[1:], ", ")
		}
		return -1, ""
	}
	if len(pieces) < 2 {
		return -1, ""
	}
	switch {
	case len(words) == len(pieces) && words[0] == "#":
		return at - 1, strings.Join(words[1:], ", ")
	case len(words) == len(pieces):
		return at - 1, ""
	case len(words) == len(pieces)+1 && words[0] == "#":
		return at - 1, strings.Join(words[1:], ", ")
	}
	return -1, ""
}

// asWide tells whether all rows of data have as many cells as there are fields.
func asWide(l *format.Sample) bool {
	for _, r := range l.First[min(l.Body, len(l.First)):] {
		if len(r.Cells) != len(l.Names) && len(r.Cells) > 0 {
			return false
		}
	}
	return true
}

// shortHeader tells whether every row has one cell more than the header.
func shortHeader(l *format.Sample) bool {
	n := 0
	for _, r := range l.First[min(l.Body, len(l.First)):] {
		if len(r.Cells) == 0 {
			continue
		}
		if len(r.Cells) != len(l.Names)+1 {
			return false
		}
		n++
	}
	return n > 1 && (len(l.Names) > 1 || !strings.Contains(l.Names[0], " "))
}
