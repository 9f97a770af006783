package format

import (
	"revuelta/internal/format/delimited"
	"revuelta/internal/table"
)

var csvFormat = Format{
	Name: "csv", Suffixes: []string{".csv", ".txt"}, Keeps: "every cell as it stands", Loses: "whether a cell was quoted; blank and empty text are one",
	open:   one(func(path string, o ReadOptions) (*oneFile, *Input, error) { return openDelimited(path, 0, o) }),
	sample: sampleOfText,
	encode: func(_ string, o WriteOptions) (Encoding, error) { return newDelimited(',', o), nil },
}

var tsvFormat = Format{
	Name: "tsv", Suffixes: []string{".tsv", ".tab"}, Keeps: "every cell as it stands", Loses: "as csv",
	open:   one(func(path string, o ReadOptions) (*oneFile, *Input, error) { return openDelimited(path, '\t', o) }),
	sample: sampleOfText,
	encode: func(_ string, o WriteOptions) (Encoding, error) { return newDelimited('\t', o), nil },
}

// text is delimited text as an Encoding.
type text struct{ style delimited.Style }

func newDelimited(delimiter byte, o WriteOptions) Encoding {
	return text{delimited.Style{Delimiter: delimiter, CRLF: o.CRLF, Mark: o.Mark, Blank: o.Blank}}
}

func (t text) Begin(dst []byte, s *table.Schema) []byte {
	return delimited.NewEncoder(t.style).Header(dst, s)
}
func (t text) Worker(*table.Schema) Encoder { return delimited.NewEncoder(t.style) }
func (t text) End(dst []byte) []byte        { return dst }
