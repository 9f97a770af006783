package diag

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Visible is a text on one line in which nothing acts on a terminal or stands unseen: control characters, bytes that are no
// UTF-8, and marks that turn the direction of writing or have no width are spelled out, as \n, \x1b, \u202e.
func Visible(s string) string { return visible(s, false) }

// Lines is as [Visible], but its lines stay lines.
func Lines(s string) string { return visible(s, true) }

func visible(s string, lines bool) string {
	plain := 0
	for plain < len(s) && (' ' <= s[plain] && s[plain] < 0x7f || lines && s[plain] == '\n') {
		plain++
	}
	if plain == len(s) {
		return s
	}
	var b strings.Builder
	b.WriteString(s[:plain])
	for i, n := plain, 0; i < len(s); i += n {
		var r rune
		r, n = utf8.DecodeRuneInString(s[i:])
		switch {
		case r == utf8.RuneError && n == 1:
			fmt.Fprintf(&b, `\x%02x`, s[i])
		case r == '\n' && lines:
			b.WriteByte('\n')
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\r':
			b.WriteString(`\r`)
		case r == '\t':
			b.WriteString(`\t`)
		case unicode.IsControl(r):
			fmt.Fprintf(&b, `\x%02x`, r)
		case unseen(r):
			fmt.Fprintf(&b, `\u%04x`, r)
		default:
			b.WriteString(s[i : i+n])
		}
	}
	return b.String()
}

// unseen tells characters that have no shape of their own but change what is seen: all of Unicode's format characters and
// separators of lines, but for those that scripts and emoji are written with.
func unseen(r rune) bool {
	switch {
	case r < 0xAD, r == 0x200C, r == 0x200D, 0x600 <= r && r <= 0x605, r == 0x6DD, r == 0x70F, r == 0x110BD:
		return false
	}
	return unicode.In(r, unicode.Cf, unicode.Zl, unicode.Zp)
}

const (
	mostText = 2000 // characters that a message has
	mostWord = 200  // and a word in it
)

// Cut is a text as it may be told: its words and itself cut in their middle where they are too long to be read.
func Cut(s string) string {
	if len(s) <= mostWord {
		return s
	}
	words := strings.Split(s, " ")
	for i, w := range words {
		words[i] = cutTo(w, mostWord)
	}
	return cutTo(strings.Join(words, " "), mostText)
}

func cutTo(s string, most int) string {
	if len(s) <= most || utf8.RuneCountInString(s) <= most {
		return s
	}
	r := []rune(s)
	return string(r[:most*3/4]) + "…" + string(r[len(r)-most/8:])
}
