// Package pattern is the language of {place} patterns: it reads the parts of
// a text and writes them back. What a pattern without {_} reads from a text,
// it writes back as that text.
package pattern

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"
)

// The names with a meaning of their own.
const (
	Measure = "@" // the part of a header that names the value field
	Dropped = "_" // matched, then dropped
)

type kind uint8

const (
	literal kind = iota // exactly text
	lazy                // one or more characters, as few as will do
	width               // from least to most characters, as many as will do
	digits              // decimal digits, as many as will do
	words               // one of these
	expr                // what a regular expression matches, as much as will do
)

// element is a literal or a place of a pattern.
type element struct {
	kind        kind
	text        string // the literal
	name        string
	place       int // index into Pattern.names
	again       bool
	least, most int
	words       []string
	number      map[string]int // of each of many words, nil: they are few
	lengths     []int          // that those have
	source      string         // of the regular expression
	longest     *regexp.Regexp
	whole       *regexp.Regexp
}

// Pattern is a parsed pattern. It is immutable and safe for concurrent use.
type Pattern struct {
	source   string
	elements []element
	names    []string // places in the order of their first mention, {_} and {@} among them
	repeats  bool     // a name stands twice
	fixed    int      // bytes of a text of plain characters, where literals and widths leave no choice; 0: they do
}

// Error is what is wrong with a pattern's text; At is the byte it begins at.
type Error struct {
	At   int
	Text string
}

func (e *Error) Error() string { return e.Text }

// HasPlace reports whether a text holds a brace that opens a place.
func HasPlace(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] == '{' {
			if i+1 < len(s) && s[i+1] == '{' {
				i++
				continue
			}
			return true
		}
	}
	return false
}

// Parse reads a pattern. Its error is an *[Error].
func Parse(source string) (*Pattern, error) {
	if !utf8.ValidString(source) {
		return nil, &Error{0, "it is not UTF-8"}
	}
	p := &Pattern{source: source}
	var lit strings.Builder
	flush := func() {
		if lit.Len() > 0 {
			p.elements = append(p.elements, element{kind: literal, text: lit.String()})
			lit.Reset()
		}
	}
	for i := 0; i < len(source); {
		switch c := source[i]; {
		case (c == '{' || c == '}') && i+1 < len(source) && source[i+1] == c:
			lit.WriteByte(c)
			i += 2
		case c == '}':
			return nil, &Error{i, "a } without its {; a literal brace is written }}"}
		case c == '{':
			end := closing(source, i)
			if end < 0 {
				return nil, &Error{i, "this { has no }; a literal brace is written {{"}
			}
			flush()
			e, err := parsePlace(source[i+1:end], i+1)
			if err != nil {
				return nil, err
			}
			p.add(e)
			i = end + 1
		default:
			lit.WriteByte(c)
			i++
		}
	}
	flush()
	for i := range p.elements {
		switch e := &p.elements[i]; {
		case e.kind == literal:
			p.fixed += len(e.text)
		case e.kind == width && e.least == e.most && !e.again:
			p.fixed += e.most
		default:
			p.fixed = 0
			return p, nil
		}
	}
	return p, nil
}

// closing finds the brace that ends the place opened at i; a regular expression may hold braces.
func closing(s string, i int) int {
	if colon := strings.IndexByte(s[i:], ':'); colon >= 0 && i+colon+1 < len(s) && s[i+colon+1] == '/' &&
		!strings.ContainsAny(s[i+1:i+colon], "{}") {
		for j := i + colon + 2; j+1 < len(s); j++ {
			if s[j] == '\\' {
				j++
			} else if s[j] == '/' && s[j+1] == '}' {
				return j + 1
			}
		}
		return -1
	}
	if j := strings.IndexByte(s[i:], '}'); j >= 0 {
		return i + j
	}
	return -1
}

var span = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^([0-9]+)(?:-([0-9]+))?$`) })

func parsePlace(s string, at int) (element, error) {
	name, rule, ruled := strings.Cut(s, ":")
	name = strings.TrimSpace(name)
	e := element{kind: lazy, name: name}
	switch {
	case name == "":
		return e, &Error{at, "a place needs a name, as in {month}"}
	case strings.Contains(name, "{"):
		return e, &Error{at, "a { inside a place; a literal brace is written {{"}
	case !ruled:
		return e, nil
	case rule == "":
		return e, &Error{at, fmt.Sprintf("{%s:} lacks what comes after the colon, as in {%s:2} or {%s:a|b}", name, name, name)}
	}
	if rule == "#" {
		e.kind = digits
		return e, nil
	}
	if m := span().FindStringSubmatch(rule); m != nil {
		e.kind = width
		e.least, _ = strconv.Atoi(m[1])
		e.most = e.least
		if m[2] != "" {
			e.most, _ = strconv.Atoi(m[2])
		}
		if e.least < 1 || e.most < e.least || len(m[1]) > 6 || len(m[2]) > 6 {
			return e, &Error{at, fmt.Sprintf("{%s:%s} is no width: give a number from 1 up, or a lower and a higher one", name, rule)}
		}
		return e, nil
	}
	if strings.HasPrefix(rule, "/") {
		if len(rule) < 3 || !strings.HasSuffix(rule, "/") {
			return e, &Error{at, fmt.Sprintf("the regular expression of {%s} is written {%s:/…/}", name, name)}
		}
		e.kind = expr
		e.source = strings.ReplaceAll(rule[1:len(rule)-1], `\/`, `/`)
		var err error
		if e.longest, err = regexp.Compile(`\A(?:` + e.source + `)`); err != nil {
			return e, &Error{at, fmt.Sprintf("the regular expression of {%s} can't be read: %s", name, because(err))}
		}
		e.longest.Longest()
		e.whole = regexp.MustCompile(`\A(?:` + e.source + `)\z`)
		return e, nil
	}
	e.kind = words
	e.words = strings.Split(rule, "|")
	for _, w := range e.words {
		if w == "" {
			return e, &Error{at, fmt.Sprintf("{%s:%s} has an empty word", name, rule)}
		}
	}
	e.count()
	return e, nil
}

// because is what a regular expression's error says, without its preamble.
func because(err error) string {
	return strings.TrimPrefix(err.Error(), "error parsing regexp: ")
}

func (p *Pattern) add(e element) {
	e.place = -1
	if e.name != Dropped {
		for i, n := range p.names {
			if n == e.name {
				e.place, e.again, p.repeats = i, true, true
			}
		}
	}
	if e.place < 0 {
		e.place = len(p.names)
		p.names = append(p.names, e.name)
	}
	p.elements = append(p.elements, e)
}

// String is the pattern as it was written.
func (p *Pattern) String() string { return p.source }

// Names lists the places in the order of their first mention; each {_} is listed.
func (p *Pattern) Names() []string { return p.names }

// Places lists the names that stand for something: all but {_}.
func (p *Pattern) Places() []string {
	var out []string
	for _, n := range p.names {
		if n != Dropped {
			out = append(out, n)
		}
	}
	return out
}

// Everything reports whether the pattern is one free place and no more, which every text but a blank one fits.
func (p *Pattern) Everything() bool { return len(p.elements) == 1 && p.elements[0].kind == lazy }

// Words gives the words that a place must be one of, nil where it may be others.
func (p *Pattern) Words(name string) []string {
	for _, e := range p.elements {
		if e.name == name && e.kind == words {
			return e.words
		}
	}
	return nil
}

// Has reports whether the pattern has a place of that name.
func (p *Pattern) Has(name string) bool {
	for _, n := range p.names {
		if n == name {
			return true
		}
	}
	return false
}

// Free reports whether the place {name} is bound to nothing: no width, words or expression.
func (p *Pattern) Free(name string) bool {
	for i := range p.elements {
		if e := &p.elements[i]; e.kind != literal && e.name == name && !e.again {
			return e.kind == lazy
		}
	}
	return false
}

// ErrDropped is the error of writing out a pattern with {_}.
var ErrDropped = errors.New("{_} can't be written out: what it stood for was dropped; give it a name")

// Append writes the pattern out: the place of names[i] filled by values[i], in the order of [Pattern.Names].
func (p *Pattern) Append(dst []byte, values []string) []byte {
	for i := range p.elements {
		if e := &p.elements[i]; e.kind == literal {
			dst = append(dst, e.text...)
		} else {
			dst = append(dst, values[e.place]...)
		}
	}
	return dst
}
