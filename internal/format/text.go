package format

import (
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
	"revuelta/internal/table"
)

var csvFormat = Format{
	Name: "csv", Suffixes: []string{".csv", ".txt"}, Keeps: "every cell as it stands", Loses: "whether a cell was quoted; blank and empty text are one",
	open:   one(func(path string, o ReadOptions) (*oneFile, *Input, error) { return openDelimited(path, 0, o) }),
	sample: sampleOfText,
	encode: func(_ string, o WriteOptions) (Encoding, error) { return newDelimited(',', o) },
}

var tsvFormat = Format{
	Name: "tsv", Suffixes: []string{".tsv", ".tab"}, Keeps: "every cell as it stands", Loses: "as csv",
	open:   one(func(path string, o ReadOptions) (*oneFile, *Input, error) { return openDelimited(path, '\t', o) }),
	sample: sampleOfText,
	encode: func(_ string, o WriteOptions) (Encoding, error) { return newDelimited('\t', o) },
}

// text is delimited text as an Encoding.
type text struct{ style delimited.Style }

func newDelimited(delimiter byte, o WriteOptions) (Encoding, error) {
	style := delimited.Style{Delimiter: delimiter, CRLF: o.CRLF, Mark: o.Mark, Blank: o.Blank}
	if o.Delimiter != "" {
		d, err := ParseDelimiter(o.Delimiter)
		if err != nil || d == '.' {
			return nil, diag.Usagef("--write-delimiter %s: one character parts the cells", diag.Quote(o.Delimiter)).Trying("--write-delimiter ';'", "--write-delimiter tab")
		}
		style.Delimiter = d
	}
	switch d := o.Decimal; {
	case d == "" || d == ".":
	case len(d) != 1 || d[0] <= ' ' || d[0] >= 0x7f || strings.ContainsAny(d, "0123456789+-eE\""):
		return nil, diag.Usagef("--write-decimal %s: it is one character, as a comma", diag.Quote(d)).Trying("--write-decimal ,")
	case d[0] == style.Delimiter:
		return nil, diag.Usagef("--write-decimal %s: that character parts the cells", diag.Quote(d)).Trying("--write-delimiter ';' --write-decimal " + diag.Shell(d))
	default:
		style.Decimal = d[0]
	}
	return text{style}, nil
}

func (t text) Begin(dst []byte, s *table.Schema) []byte {
	return delimited.NewEncoder(t.style).Header(dst, s)
}
func (t text) Worker(*table.Schema) Encoder { return delimited.NewEncoder(t.style) }
func (t text) End(dst []byte) []byte        { return dst }
