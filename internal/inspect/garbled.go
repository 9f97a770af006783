package inspect

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"

	"revuelta/internal/diag"
)

// garbled finds cells whose UTF-8 was read as Windows-1252 before it came into the file, as Ã© for é. No step reads them anew.
func (s *sample) garbled() []Finding {
	var names []string
	n, example, meant := 0, "", ""
	for _, f := range s.fields {
		before := n
		for _, c := range f.order {
			text, ok := ungarbled(c)
			if !ok {
				continue
			}
			if n += f.counts[c]; example == "" {
				example, meant = f.example(func(x string) bool { return x == c }), text
			}
		}
		if n > before {
			names = append(names, f.name)
		}
	}
	if n == 0 {
		return nil
	}
	return []Finding{{Kind: "garbled", Part: Told, Fields: names, Says: "letters in " + fieldList(names) + " were garbled before they came into the file", Evidence: fmt.Sprintf("%s, as %s for %s", diag.Plural(int64(n), "cell"), example, diag.Quote(meant)),
		Question: "can the file be exported anew as UTF-8?"}}
}

// ungarbled reads a text's bytes in Windows-1252 as UTF-8, if they are that and letters come of it.
func ungarbled(c string) (string, bool) {
	if !strings.ContainsAny(c, "ÂÃâÅÐ") || !utf8.ValidString(c) {
		return "", false
	}
	var b []byte
	for _, r := range c {
		x, ok := charmap.Windows1252.EncodeRune(r)
		if !ok {
			if r < 0x80 || r > 0x9f { // five bytes have no letter, and are kept as they are by most programs
				return "", false
			}
			x = byte(r)
		}
		b = append(b, x)
	}
	if !utf8.Valid(b) {
		return "", false
	}
	text := string(b)
	ok := !strings.ContainsFunc(text, func(r rune) bool {
		return r >= 0x80 && r < 0xa0 || !unicode.IsPrint(r) && r != '\u00a0' && r != '\n' && r != '\t' && r != '\r'
	})
	return text, ok
}
