package reshape

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

var BundleSpec = &step.Spec{
	Name: "bundle",
	Brief: []string{
		"Makes one row, with a multi-valued cell, of those that agree in all other fields.",
		"Rows come out in the order in which each was first met.",
	},
	Forms: []string{"bundle SELECTION --with SEP", "bundle SELECTION --json"},
	Options: []step.Option{
		{Name: "with", Value: "SEP", Help: `what parts the values; \n and \t are understood`},
		{Name: "within", Value: "SELECTION", Help: "only these fields make the row; another that differs within it is an error"},
		{Name: "distinct", Help: "each value once"},
		{Name: "json", Help: "make JSON arrays of texts"},
	},
	Make:   makeBundle,
	Memory: "all rows that come out",
	Examples: []step.Example{{
		Command: "revuelta bundle forage --with '; ' visits.csv",
		Input:   "hive,forage,kilos\n026,clover,1.10\n007,lime,2\n026,lime,1.10\n",
		Output:  "hive,forage,kilos\n026,clover; lime,1.10\n007,lime,2\n",
	}},
}

// Bundle makes multi-valued cells.
type Bundle struct {
	Selection *selection.Selection
	With      string
	Within    *selection.Selection // nil: all other fields
	Distinct  bool
	JSON      bool
}

func makeBundle(a *step.Args) (step.Step, error) {
	b := &Bundle{Distinct: a.Has("distinct"), JSON: a.Has("json")}
	if err := a.Excludes("json", "with"); err != nil {
		return nil, err
	}
	var err error
	if b.Selection, err = selection.Parse(a.Operands[0]); err != nil {
		return nil, err
	}
	switch {
	case a.Has("with"):
		if b.With, err = step.Separator(a, "with"); err != nil {
			return nil, err
		}
	case !b.JSON:
		return nil, diag.Usagef("bundle lacks --with, the separator, or --json").Trying("bundle forage --with '; '")
	}
	if a.Has("within") {
		b.Within, err = selection.Parse(a.Get("within", ""))
	}
	return b, err
}

// bundled is a row that comes out.
type bundled struct {
	cells  []string   // of all fields, as first met
	values [][]string // of each bundled field
	seen   []map[string]bool
	line   int
	file   int
}

// Capabilities implements step.Step.
func (b *Bundle) Capabilities() step.Capabilities {
	return step.Capabilities{Run: b.Run}
}

// Run runs it on one goroutine.
func (b *Bundle) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var schema *table.Schema
	var fields, others []int
	var key func(*table.Batch, int) string
	rows := map[string]*bundled{}
	var order []*bundled
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) (err error) {
			schema = in
			if fields, err = b.Selection.Resolve(in); err != nil {
				return err
			}
			within := step.Except(in.Len(), fields)
			if b.Within != nil {
				if within, err = b.Within.Resolve(in); err != nil {
					return err
				}
				bundled := step.Places(in.Len(), fields)
				for _, i := range within {
					if bundled[i] >= 0 {
						return diag.Usagef("%s is to be bundled, and --within looks at it", diag.Quote(in.Name(i)))
					}
				}
				others = step.Except(in.Len(), slices.Concat(fields, within))
			}
			key = keying.RowKey(within)
			return nil
		},
		OnEmit: func(batch *table.Batch) error {
			for r := range batch.Rows {
				k := key(batch, r)
				row := rows[k]
				if row == nil {
					row = &bundled{values: make([][]string, len(fields)), line: batch.Origin.LineOf(r), file: batch.Origin.FileOf(r)}
					for i := range batch.Cols {
						row.cells = append(row.cells, strings.Clone(batch.Cols[i].At(r)))
					}
					if b.Distinct {
						row.seen = make([]map[string]bool, len(fields))
					}
					rows[k] = row
					order = append(order, row)
				} else {
					s.Counters.Merged++
				}
				for _, i := range others {
					if cell := batch.Cols[i].At(r); cell != row.cells[i] {
						return b.differs(s, schema, batch, r, i, row)
					}
				}
				b.take(row, batch, r, fields, s)
			}
			return nil
		},
	})
	if err != nil {
		return err
	}
	if err := out.Start(schema); err != nil {
		return err
	}
	if err := b.emit(ctx, order, schema, fields, out, s); err != nil {
		return err
	}
	s.Summary.Text = fmt.Sprintf("%s bundled into %s", diag.Plural(s.Counters.Merged+int64(len(order)), "row"), diag.Count(int64(len(order))))
	return nil
}

// take adds the values of a row. A lone field passes over blanks, as explode
// drops empty pieces; of several the values stay side by side.
func (b *Bundle) take(row *bundled, batch *table.Batch, r int, fields []int, s *step.Context) {
	for k, i := range fields {
		cell := batch.Cols[i].At(r)
		if cell != "" {
			s.Counters.FilledIn++
		}
		if cell == "" && (len(fields) == 1 || b.Distinct) {
			continue
		}
		if b.Distinct {
			if row.seen[k][cell] {
				s.Counters.Count[repeated]++
				s.Counters.FilledOut++
				continue
			}
			if row.seen[k] == nil {
				row.seen[k] = map[string]bool{}
			}
			cell = strings.Clone(cell)
			row.seen[k][cell] = true
		} else {
			cell = strings.Clone(cell)
		}
		row.values[k] = append(row.values[k], cell)
	}
}

// Counters of the counters.
const (
	repeated  = iota
	ambiguous // values that hold the separator
)

func (b *Bundle) differs(s *step.Context, schema *table.Schema, batch *table.Batch, r, field int, row *bundled) error {
	source := ""
	if s.Tables.FileName != nil {
		source = s.Tables.FileName(batch.Origin.FileOf(r))
	}
	return diag.Dataf("%s, and %s in the row it would be bundled with (%s %d)", diag.Quote(batch.Cols[field].At(r)), diag.Quote(row.cells[field]), diag.LineOf(source), row.line).
		At(source, batch.Origin.LineOf(r)).InField(schema.Name(field)).
		Trying("name it in --within too, which keeps such rows apart", "bundle it as well, beside the others")
}

func (b *Bundle) emit(ctx context.Context, order []*bundled, schema *table.Schema, fields []int, out step.Out, s *step.Context) error {
	const most = 1024
	places := step.Places(schema.Len(), fields)
	for from := 0; from < len(order); from += most {
		rows := order[from:min(from+most, len(order))]
		batch := table.Get()
		batch.Shape(schema.Len())
		for i := range schema.Len() {
			cells := batch.Cols[i].Make(len(rows))
			k := places[i]
			for r, row := range rows {
				cells[r] = row.cells[i]
				if k >= 0 {
					cells[r] = b.cell(row.values[k], s)
				}
			}
		}
		batch.Rows = len(rows)
		batch.Origin = table.Origin{}
		if err := out.Emit(batch); err != nil {
			return err
		}
		table.Put(batch)
		if err := context.Cause(ctx); err != nil {
			return err
		}
	}
	if n := s.Counters.Count[ambiguous]; n > 0 {
		s.Summary.Notes = append(s.Summary.Notes, fmt.Sprintf("%s the separator %s: explode could not tell them apart again; --json could", holds(n), diag.Quote(b.With)))
	}
	return nil
}

func holds(n int64) string {
	if n == 1 {
		return "1 value holds"
	}
	return diag.Count(n) + " values hold"
}

// cell writes the values as one cell.
func (b *Bundle) cell(values []string, s *step.Context) string {
	some := false
	for _, v := range values {
		if v != "" {
			s.Counters.FilledOut++
			some = true
		}
		if b.With != "" && strings.Contains(v, b.With) {
			s.Counters.Count[ambiguous]++
		}
	}
	if len(values) == 0 || !some && len(values) == 1 {
		return ""
	}
	if !b.JSON {
		return strings.Join(values, b.With)
	}
	var text strings.Builder
	e := json.NewEncoder(&text)
	e.SetEscapeHTML(false)
	for i, v := range values {
		text.WriteString(map[bool]string{true: "[", false: ","}[i == 0])
		if v == "" {
			text.WriteString("null")
			continue
		}
		if err := e.Encode(v); err != nil {
			panic("step: a text is always JSON: " + err.Error())
		}
	}
	return strings.ReplaceAll(text.String(), "\n", "") + "]"
}
