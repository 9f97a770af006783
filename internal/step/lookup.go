package step

import (
	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/table"
)

// Lookup is a table whose first two fields say what becomes what.
type Lookup struct{ File string }

// LookupPair is one row of it.
type LookupPair struct {
	From, To string
	Line     int
}

// Load reads the pairs; a name that stands twice on the left with two outcomes is an error.
func (l *Lookup) Load() ([]LookupPair, error) {
	src, err := format.Open([]string{l.File}, format.ReadOptions{})
	if err != nil {
		return nil, err
	}
	defer src.Close()
	if src.Schema().Len() < 2 {
		return nil, diag.Dataf("a map needs two fields, old and new; this has only %s", diag.Names(src.Schema().Names())).At(l.File, 0)
	}
	var pairs []LookupPair
	seen := map[string]string{}
	err = format.Each(src, func(b *table.Batch) error {
		for r := range b.Rows {
			p := LookupPair{b.Cols[0].At(r), b.Cols[1].At(r), b.Origin.LineOf(r)}
			if to, ok := seen[p.From]; ok {
				if to != p.To {
					return diag.Dataf("%s stands for %s here and for %s above", diag.Quote(p.From), diag.Quote(p.To), diag.Quote(to)).At(l.File, p.Line)
				}
				continue
			}
			seen[p.From] = p.To
			pairs = append(pairs, p)
		}
		return nil
	})
	return pairs, err
}
