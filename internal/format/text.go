package format

import (
	"revuelta/internal/format/delimited"
	"revuelta/internal/table"
)

// text is delimited text as an Encoding.
type text struct{ style delimited.Style }

func newDelimited(as string, o WriteOptions) Encoding {
	t := text{delimited.Style{Delimiter: ',', CRLF: o.CRLF, Mark: o.Mark, Blank: o.Blank}}
	if as == "tsv" {
		t.style.Delimiter = '\t'
	}
	return t
}

func (t text) Begin(dst []byte, s *table.Schema) []byte {
	return delimited.NewEncoder(t.style).Header(dst, s)
}
func (t text) Worker(*table.Schema) Encoder { return delimited.NewEncoder(t.style) }
func (t text) End(dst []byte) []byte        { return dst }
