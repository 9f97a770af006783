package inspect

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"revuelta/internal/diag"
	"revuelta/internal/format"
)

// hardlyTable tells a text that only happens to have delimiters in it: a name of many words above rows of which many are shorter than the
// header, or a name that begins as code does. Nothing else is told of it.
func (s *sample) hardlyTable(o format.ReadOptions) *Finding {
	l := s.lie
	if !isText(l) {
		return nil
	}
	if len(l.Names) == 1 {
		return lines(l, o)
	}
	odd := ""
	for _, n := range l.Names {
		if len(strings.Fields(n)) > 5 || strings.Contains(n, "   ") || strings.HasPrefix(n, "{ ") || strings.HasPrefix(n, ";") {
			odd = n
			break
		}
	}
	short, all := 0, 0
	for _, r := range l.First[min(l.Body, len(l.First)):] {
		if len(r.Cells) == 0 {
			continue
		}
		if all++; len(r.Cells) < len(l.Names) {
			short++
		}
	}
	code := strings.HasPrefix(odd, "{ ") || strings.HasPrefix(odd, ";")
	if odd == "" || !code && !share(short, all, 0.3) {
		return nil
	}
	return &Finding{Kind: "no table", Part: Told, Says: "this hardly looks like a table", Evidence: fmt.Sprintf("a field would be named %s; %s shorter than the header", diag.Quote(odd), diag.Plural(int64(short), "row")),
		Question: "where does the table begin? --body and --header tell"}
}

// lines tells a text of one field that begins with a comment: no delimiter was found in it, and nothing names the field.
func lines(l *format.Sample, o format.ReadOptions) *Finding {
	name := strings.TrimSpace(l.Names[0])
	if name == "" || !strings.ContainsRune("#%;", rune(name[0])) || l.Header.From == 0 || strings.Trim(name, "#%; ") != "" && (len(strings.Fields(name)) < 3 || namesProved(l, o)) {
		return nil
	}
	return &Finding{Kind: "no table", Part: Told, Says: "this hardly looks like a table", Evidence: "its lines are not parted, and the first is a comment: " + diag.Quote(l.Names[0]),
		Question: "where does the table begin, and what parts its cells? --body, --delimiter and --comment tell"}
}

// otherEncoding tells a text that was taken for Windows-1252 and has few letters among what is beyond ASCII: it is in another encoding.
func (s *sample) otherEncoding() *Finding {
	if !strings.EqualFold(s.lie.Encoding, "windows-1252") {
		return nil
	}
	letters, others := 0, 0
	example := ""
	for _, row := range s.rows[:min(len(s.rows), 500)] {
		for _, c := range row {
			for _, r := range c {
				switch {
				case r < 0x80 || r == 0xa0:
				case unicode.IsLetter(r):
					letters++
				default:
					if others++; example == "" {
						example = c
					}
				}
			}
		}
	}
	if letters+others < 20 || !share(others, letters+others, 0.25) {
		return nil
	}
	return &Finding{Kind: "encoding", Part: Told, Says: "it is not UTF-8, was read as Windows-1252, and is hardly that", Evidence: diag.Quote(example), Question: "which encoding is it? --encoding euc-jp, shift_jis, gbk, koi8-r, windows-1251"}
}

// unprovedHeader asks whether the first row names the fields, where nothing proves it and nothing asked yet: taken for names it would be
// lost as a row.
func (s *sample) unprovedHeader(o format.ReadOptions, found []Finding) *Finding {
	l := s.lie
	if !isText(l) || o.Header.Kind != format.HeaderFirst || l.Header.From == 0 || l.Header.From != l.Header.To || len(s.rows) < 5 || namesProved(l, o) ||
		slices.ContainsFunc(found, func(f Finding) bool { return f.Question != "" }) {
		return nil
	}
	return &Finding{Kind: "header", Part: Decide, Says: "row " + strconv.Itoa(l.Header.From) + " was taken for the names of the fields, and nothing proves it",
		Evidence: diag.Names(l.Names), Question: "is it a row of data? Then --header none"}
}
