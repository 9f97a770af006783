package formula

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"revuelta/internal/decimal"
)

// token is a word of a formula. What stands for a value is handed to the
// parser under a name of its own, so that the library has nothing to say about how
// numbers, texts, fields and functions are written.
type token struct {
	kind tokenKind
	text string // an operator as the parser has it; else what stands there
	at   int
	num  decimal.D
}

type tokenKind uint8

const (
	operator tokenKind = iota
	numberToken
	textToken
	fieldToken
	functionToken
)

// Error is what is wrong with a formula; At is the byte it begins at.
type Error struct {
	At   int
	Text string
	Try  string
}

func (e *Error) Error() string { return e.Text }

var wordOperators = []string{"and", "or", "not", "in"}

const (
	mostTokens = 10000
	mostDepth  = 200
)

// lex parts a formula into tokens.
func lex(s string) ([]token, error) {
	var out []token
	depth := 0
	for i := 0; i < len(s); {
		if len(out) > mostTokens {
			return nil, &Error{i, "the formula is too long", "set it in parts"}
		}
		r, n := utf8.DecodeRuneInString(s[i:])
		switch {
		case unicode.IsSpace(r):
			i += n
		case r == '"' || r == '\'':
			text, end, err := quoted(s, i)
			if err != nil {
				return nil, err
			}
			out = append(out, token{kind: textToken, text: text, at: i})
			i = end
		case r == '{':
			end := strings.IndexByte(s[i:], '}')
			if end < 0 {
				return nil, &Error{i, "this { has no }", "{net weight}"}
			}
			name := strings.TrimSpace(s[i+1 : i+end])
			if name == "" {
				return nil, &Error{i, "{} names no field", "{net weight}"}
			}
			out = append(out, token{kind: fieldToken, text: name, at: i})
			i += end + 1
		case '0' <= r && r <= '9' || r == '.':
			end := i
			for end < len(s) && (isWordByte(s[end]) || s[end] == '.' || (s[end] == '-' || s[end] == '+') && (s[end-1] == 'e' || s[end-1] == 'E')) {
				end++
			}
			d, ok := decimal.Parse(s[i:end])
			if !ok {
				e := &Error{i, fmt.Sprintf("%s is not a number", s[i:end]), ""}
				if r != '.' {
					e.Try = "a name that begins with a digit is written {" + s[i:end] + "}"
				}
				return nil, e
			}
			out = append(out, token{kind: numberToken, text: s[i:end], at: i, num: d.Shortest()})
			i = end
		case unicode.IsLetter(r) || r == '_':
			end := i
			for end < len(s) {
				r, n := utf8.DecodeRuneInString(s[end:])
				if !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r) && r != '_' {
					break
				}
				end += n
			}
			out = append(out, word(s, i, end))
			i = end
		default:
			op, err := operatorAt(s, i)
			if err != nil {
				return nil, err
			}
			switch op {
			case "(", "[":
				if depth++; depth > mostDepth {
					return nil, &Error{i, fmt.Sprintf("more than %d brackets inside each other", mostDepth), "set it in parts"}
				}
			case ")", "]":
				depth--
			}
			out = append(out, token{text: op, at: i})
			i += len(op)
		}
	}
	return out, nil
}

// word is a bare word: an operator, a function where a bracket follows, or a field.
func word(s string, from, to int) token {
	w := s[from:to]
	for _, op := range wordOperators {
		if w == op {
			return token{text: op, at: from}
		}
	}
	if strings.HasPrefix(strings.TrimLeft(s[to:], " \t"), "(") {
		return token{kind: functionToken, text: w, at: from}
	}
	return token{kind: fieldToken, text: w, at: from}
}

func isWordByte(c byte) bool {
	return '0' <= c && c <= '9' || 'a' <= c|0x20 && c|0x20 <= 'z' || c == '_' || c >= 0x80
}

// quoted reads a text in quotes; a backslash takes the meaning off a quote or backslash, \n and \t are breaks.
func quoted(s string, i int) (text string, end int, err error) {
	q := s[i]
	var b strings.Builder
	for j := i + 1; j < len(s); j++ {
		switch {
		case s[j] == q:
			return b.String(), j + 1, nil
		case s[j] == '\\' && j+1 < len(s):
			j++
			switch s[j] {
			case 'n':
				b.WriteByte('\n')
			case 't':
				b.WriteByte('\t')
			case '\\', '"', '\'':
				b.WriteByte(s[j])
			default:
				b.WriteByte('\\')
				b.WriteByte(s[j])
			}
		default:
			b.WriteByte(s[j])
		}
	}
	return "", 0, &Error{i, "the quote that opens here is never closed", ""}
}

// operators are what the page allows, the longer first.
var operators = []string{"==", "!=", "<=", ">=", "??", "+", "-", "*", "/", "%", "(", ")", "[", "]", "<", ">", "?", ":", ","}

// mistaken are operators of other languages, with what is meant.
var mistaken = [][2]string{{"&&", "and"}, {"||", "or"}, {"<>", "!="}, {"=", "=="}, {"!", "not"}, {"&", "text(a, b)"}, {"^", ""}, {"|", ""}, {";", ","}}

func operatorAt(s string, i int) (string, error) {
	for _, m := range mistaken[:3] {
		if strings.HasPrefix(s[i:], m[0]) {
			return "", &Error{i, m[0] + " is no operator here", "write " + m[1]}
		}
	}
	if strings.HasPrefix(s[i:], "**") {
		return "", &Error{i, "** is no operator here", ""}
	}
	for _, op := range operators {
		if strings.HasPrefix(s[i:], op) {
			return op, nil
		}
	}
	for _, m := range mistaken {
		if strings.HasPrefix(s[i:], m[0]) {
			e := &Error{i, m[0] + " is no operator here", ""}
			if m[1] != "" {
				e.Try = "write " + m[1]
			}
			return "", e
		}
	}
	r, _ := utf8.DecodeRuneInString(s[i:])
	return "", &Error{i, strconv.QuoteRune(r) + " has no meaning in a formula", ""}
}
