package sheet

import (
	"bytes"
	"errors"
	"io"
	"strconv"
	"unicode/utf8"
)

// scanner goes through XML tag by tag, without building anything. What it gives
// views its buffer and is good until the next tag.
type scanner struct {
	r        io.Reader
	buf      []byte
	from, to int
	extra    []byte // text from before a comment or the like
	ended    bool
}

func newScanner(r io.Reader) *scanner { return &scanner{r: r, buf: make([]byte, 128<<10)} }

var (
	errLarge   = errors.New("a cell or tag is larger than 64 MiB")
	errDoctype = errors.New("it has a document type of its own, which no workbook has")
)

// fill reads more behind what is there.
func (x *scanner) fill() error {
	if x.ended {
		return io.EOF
	}
	if x.from > 0 {
		copy(x.buf, x.buf[x.from:x.to])
		x.to -= x.from
		x.from = 0
	}
	if x.to == len(x.buf) {
		if len(x.buf) >= mostText {
			return errLarge
		}
		x.buf = append(x.buf, make([]byte, len(x.buf))...)
	}
	n, err := x.r.Read(x.buf[x.to:])
	x.to += n
	if err == io.EOF {
		x.ended = true
		if n == 0 {
			return io.EOF
		}
		return nil
	}
	return err
}

// tag goes behind the next tag. tag is what stands between < and >, text what
// stands before it, entities and all. io.EOF where there is none.
func (x *scanner) tag() (text, tag []byte, err error) {
	x.extra = x.extra[:0]
	at := 0 // looked at already, behind from
	open := -1
	for {
		if open < 0 {
			i := bytes.IndexByte(x.buf[x.from+at:x.to], '<')
			if i < 0 {
				at = x.to - x.from
				if err := x.fill(); err != nil {
					return nil, nil, err
				}
				continue
			}
			open = at + i
			at = open + 1
		}
		if i := bytes.IndexByte(x.buf[x.from+at:x.to], '>'); i >= 0 {
			at += i
			inner := x.buf[x.from+open+1 : x.from+at]
			if len(inner) > 0 && (inner[0] == '!' || inner[0] == '?') {
				whole, err := x.special(open, inner)
				if err != nil {
					return nil, nil, err
				}
				if whole {
					at, open = 0, -1
				} else {
					at++
				}
				continue
			}
			if quoted(inner) { // a > in an attribute
				at++
				continue
			}
			text = x.buf[x.from : x.from+open]
			if len(x.extra) > 0 {
				x.extra = append(x.extra, text...)
				text = x.extra
			}
			x.from += at + 1
			return text, inner, nil
		}
		at = x.to - x.from
		if err := x.fill(); err != nil {
			return nil, nil, unexpected(err)
		}
	}
}

func unexpected(err error) error {
	if err == io.EOF {
		return io.ErrUnexpectedEOF
	}
	return err
}

// quoted tells whether a tag seems to end inside an attribute's value.
func quoted(tag []byte) bool {
	if n := len(tag); n == 0 || tag[n-1] == '"' || tag[n-1] == '/' || bytes.IndexByte(tag, '=') < 0 {
		return false
	}
	var in byte
	for _, c := range tag {
		switch {
		case in == 0 && (c == '"' || c == '\''):
			in = c
		case c == in:
			in = 0
		}
	}
	return in != 0
}

// special deals with what begins <! or <?; whole tells that its end was there.
func (x *scanner) special(open int, inner []byte) (whole bool, err error) {
	const comment, cdata = "!--", "![CDATA["
	before := x.buf[x.from : x.from+open]
	switch {
	case inner[0] == '?':
		if inner[len(inner)-1] != '?' {
			return false, nil
		}
	case bytes.HasPrefix(inner, []byte(comment)):
		if len(inner) < 5 || !bytes.HasSuffix(inner[3:], []byte("--")) {
			return false, nil
		}
	case bytes.HasPrefix(inner, []byte(cdata)):
		if !bytes.HasSuffix(inner[len(cdata):], []byte("]]")) {
			return false, nil
		}
		x.extra = append(x.extra, before...)
		before = nil
		x.extra = append(x.extra, bytes.ReplaceAll(inner[len(cdata):len(inner)-2], []byte("&"), []byte("&amp;"))...)
	default:
		return false, errDoctype
	}
	x.extra = append(x.extra, before...)
	x.from += open + len(inner) + 2
	return true, nil
}

// name is the local name of a tag; closing tells that it ends an element, empty that it is the whole element.
func name(tag []byte) (local []byte, closing, empty bool) {
	if len(tag) > 0 && tag[0] == '/' {
		closing, tag = true, tag[1:]
	}
	if n := len(tag); n > 0 && tag[n-1] == '/' {
		empty = true
		tag = tag[:n-1]
	}
	from := 0
	for i, c := range tag {
		switch c {
		case ':':
			from = i + 1
		case ' ', '\t', '\n', '\r':
			return tag[from:i], closing, empty
		}
	}
	return tag[from:], closing, empty
}

// attribute finds an attribute by its local name; its value has entities and all.
func attribute(tag []byte, want string) ([]byte, bool) {
	i := bytes.IndexAny(tag, " \t\n\r")
	if i < 0 {
		return nil, false
	}
	for tag = tag[i:]; ; {
		i := bytes.IndexByte(tag, '=')
		if i < 0 || i+1 >= len(tag) {
			return nil, false
		}
		key := bytes.TrimSpace(tag[:i])
		if c := bytes.LastIndexByte(key, ':'); c >= 0 {
			key = key[c+1:]
		}
		tag = bytes.TrimLeft(tag[i+1:], " \t\n\r")
		if len(tag) == 0 {
			return nil, false
		}
		end := bytes.IndexByte(tag[1:], tag[0])
		if end < 0 {
			return nil, false
		}
		if string(key) == want {
			return tag[1 : 1+end], true
		}
		tag = tag[end+2:]
	}
}

// value is an attribute as text, "" where it is not there.
func value(tag []byte, want string) string {
	v, _ := attribute(tag, want)
	return string(unescape(nil, v))
}

// unescape appends a text with its entities and line ends put right.
func unescape(dst, s []byte) []byte {
	for {
		i := bytes.IndexAny(s, "&\r")
		if i < 0 {
			return append(dst, s...)
		}
		dst = append(dst, s[:i]...)
		if s[i] == '\r' {
			if i+1 == len(s) || s[i+1] != '\n' {
				dst = append(dst, '\n')
			}
			s = s[i+1:]
			continue
		}
		s = s[i:]
		end := bytes.IndexByte(s, ';')
		if end < 0 || end > 12 {
			dst, s = append(dst, '&'), s[1:]
			continue
		}
		switch e := string(s[1:end]); {
		case e == "amp":
			dst = append(dst, '&')
		case e == "lt":
			dst = append(dst, '<')
		case e == "gt":
			dst = append(dst, '>')
		case e == "quot":
			dst = append(dst, '"')
		case e == "apos":
			dst = append(dst, '\'')
		default:
			r, ok := numbered(e)
			if !ok {
				dst, s = append(dst, '&'), s[1:]
				continue
			}
			dst = utf8.AppendRune(dst, r)
		}
		s = s[end+1:]
	}
}

// numbered reads #65 or #x41.
func numbered(e string) (rune, bool) {
	if len(e) < 2 || e[0] != '#' {
		return 0, false
	}
	base, digits := 10, e[1:]
	if digits[0] == 'x' || digits[0] == 'X' {
		base, digits = 16, digits[1:]
	}
	n, err := strconv.ParseUint(digits, base, 21)
	return rune(n), err == nil && utf8.ValidRune(rune(n))
}
