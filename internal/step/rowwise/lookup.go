package rowwise

import (
	"context"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// Lookup is a table whose first two fields say what becomes what.
type Lookup struct{ File string }

// path names the table, "" where there is none.
func (l *Lookup) path() string {
	if l == nil {
		return ""
	}
	return l.File
}

// LookupPair is one row of it.
type LookupPair struct {
	From, To string
	File     string // where it stands, and on which line
	Line     int
}

// load reads the pairs; a name that stands twice on the left with two outcomes is an error.
func (l *Lookup) load(s *step.Context) ([]LookupPair, error) {
	other, err := s.OpenTable(l.File, step.AsMap)
	if err != nil {
		return nil, err
	}
	defer other.Close()
	if other.Schema.Len() < 2 {
		return nil, diag.Dataf("a map needs two fields, old and new; this has only %s", diag.Names(other.Schema.Names())).At(l.File, 0)
	}
	var pairs []LookupPair
	seen := map[string]string{}
	err = other.Run(context.Background(), step.Through{OnStart: func(*table.Schema) error { return nil }, OnEmit: func(b *table.Batch) error {
		for r := range b.Rows {
			p := LookupPair{strings.Clone(b.Cols[0].At(r)), strings.Clone(b.Cols[1].At(r)), other.File(b.Origin.FileOf(r)), b.Origin.LineOf(r)}
			if to, ok := seen[p.From]; ok {
				if to != p.To {
					return diag.Dataf("%s stands for %s here and for %s above", diag.Quote(p.From), diag.Quote(p.To), diag.Quote(to)).At(p.File, p.Line)
				}
				continue
			}
			seen[p.From] = p.To
			pairs = append(pairs, p)
		}
		return nil
	}})
	return pairs, err
}
