package format

import (
	"strings"

	stdhtml "html"

	"revuelta/internal/table"
)

var markdownFormat = Format{
	Name: "md", Suffixes: []string{".md"}, Keeps: "every cell as it stands, for a text page", Loses: "line breaks become <br>",
	encode: func(_ string, o WriteOptions) (Encoding, error) { return markdown{o.Blank}, nil },
}

var htmlFormat = Format{
	Name: "html", Suffixes: []string{".html", ".htm"}, Keeps: "every cell as it stands, for a web page", Loses: "line breaks become <br>",
	encode: func(_ string, o WriteOptions) (Encoding, error) { return html{o.Blank}, nil },
}

// markdown writes a table for a text page.
type markdown struct{ blank string }

func (m markdown) Begin(dst []byte, s *table.Schema) []byte {
	dst = m.row(dst, s.Names())
	for range s.Names() {
		dst = append(dst, "| --- "...)
	}
	return append(dst, "|\n"...)
}

func (m markdown) row(dst []byte, cells []string) []byte {
	for _, c := range cells {
		dst = append(append(append(dst, "| "...), markdownCell.Replace(or(c, m.blank))...), ' ')
	}
	return append(dst, "|\n"...)
}

var markdownCell = strings.NewReplacer("|", `\|`, "\r\n", "<br>", "\n", "<br>", "\r", "<br>")

func (m markdown) End(dst []byte) []byte        { return dst }
func (m markdown) Worker(*table.Schema) Encoder { return &rowEncoder{row: m.row} }

// html writes a table for a web page.
type html struct{ blank string }

func (h html) Begin(dst []byte, s *table.Schema) []byte {
	dst = append(dst, "<table>\n<thead>\n<tr>"...)
	for _, n := range s.Names() {
		dst = append(append(append(dst, "<th>"...), htmlCell(n)...), "</th>"...)
	}
	return append(dst, "</tr>\n</thead>\n<tbody>\n"...)
}

func (h html) row(dst []byte, cells []string) []byte {
	dst = append(dst, "<tr>"...)
	for _, c := range cells {
		dst = append(append(append(dst, "<td>"...), htmlCell(or(c, h.blank))...), "</td>"...)
	}
	return append(dst, "</tr>\n"...)
}

var htmlBreaks = strings.NewReplacer("\r\n", "<br>", "\n", "<br>", "\r", "<br>")

func htmlCell(s string) string {
	return htmlBreaks.Replace(stdhtml.EscapeString(s))
}

func (h html) End(dst []byte) []byte        { return append(dst, "</tbody>\n</table>\n"...) }
func (h html) Worker(*table.Schema) Encoder { return &rowEncoder{row: h.row} }

func or(s, blank string) string {
	if s == "" {
		return blank
	}
	return s
}

// rowEncoder writes row by row.
type rowEncoder struct {
	row            func(dst []byte, cells []string) []byte
	cells, scratch [][]string
	line           []string
}

func (e *rowEncoder) Append(dst []byte, b *table.Batch) []byte {
	e.cells, e.scratch = flatAll(b, e.cells, e.scratch)
	for r := range b.Rows {
		e.line = e.line[:0]
		for i := range b.Cols {
			e.line = append(e.line, e.cells[i][r])
		}
		dst = e.row(dst, e.line)
	}
	return dst
}
