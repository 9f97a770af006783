// Package compare tells where two tables differ, in whatever order their rows
// and fields stand. Both are held in memory.
package compare

import (
	"slices"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/selection"
	"revuelta/internal/table"
)

// Outcome is where two tables differ.
type Outcome struct {
	Rows, Fields   int64    // of the first table, those in common
	FieldsA        []string // only in the first
	FieldsB        []string
	OnlyA, OnlyB   []Row
	Cells, Spelled []Cell // different; the same number, written differently (with a key)
	SpelledRows    []Pair // the same without a key
}

// Row is a row that only one table has.
type Row struct {
	Line  int
	Key   []string // the cells of the key, with one
	KeyAt []int    // where they stand
	Names []string
	Cells []string
}

// Cell is a cell that differs between rows of one key.
type Cell struct {
	Key   []string
	Field string
	A, B  string
}

// Pair is two rows that are the same but for how numbers are written.
type Pair struct{ A, B Row }

// Agree tells whether nothing differs.
func (o *Outcome) Agree() bool {
	return len(o.FieldsA)+len(o.FieldsB)+len(o.OnlyA)+len(o.OnlyB)+len(o.Cells)+len(o.Spelled)+len(o.SpelledRows) == 0
}

// side is one table, its fields put as they stand in the first.
type side struct {
	name  string
	names []string // of the fields in common
	at    []int
	key   []int // among names
}

// Tables compares two tables; key says which rows belong together, nil: only equal ones do.
func Tables(nameA string, a format.Source, nameB string, b format.Source, key *selection.Selection) (*Outcome, error) {
	o := &Outcome{}
	var common []string
	for _, n := range a.Schema().Names() {
		if _, ok := b.Schema().Index(n); ok {
			common = append(common, n)
		} else {
			o.FieldsA = append(o.FieldsA, n)
		}
	}
	for _, n := range b.Schema().Names() {
		if _, ok := a.Schema().Index(n); !ok {
			o.FieldsB = append(o.FieldsB, n)
		}
	}
	if len(common) == 0 {
		return nil, diag.Dataf("the tables have no field in common: %s, and %s", diag.Names(o.FieldsA), diag.Names(o.FieldsB))
	}
	o.Fields = int64(len(common))
	sides := [2]side{{name: nameA, names: common}, {name: nameB, names: common}}
	for i, src := range []format.Source{a, b} {
		for _, n := range common {
			at, _ := src.Schema().Index(n)
			sides[i].at = append(sides[i].at, at)
		}
		if key != nil {
			fields, err := key.Resolve(table.NewSchema(common))
			if err != nil {
				return nil, err
			}
			sides[i].key = fields
		}
	}
	if key != nil {
		return o, o.byKey(a, &sides[0], b, &sides[1])
	}
	return o, o.byRow(a, &sides[0], b, &sides[1])
}

// each goes through the rows of a side.
func (s *side) each(src format.Source, do func(line int, cells []string) error) error {
	return format.Each(src, func(b *table.Batch) error {
		for r := range b.Rows {
			cells := make([]string, len(s.at))
			for i, at := range s.at {
				cells[i] = strings.Clone(b.Cols[at].At(r))
			}
			if err := do(b.Origin.LineOf(r), cells); err != nil {
				return err
			}
		}
		return nil
	})
}

// join makes one text of cells, different for different ones; canon makes numbers alike that are equal.
func join(cells []string, canon bool) string {
	var out []byte
	for _, c := range cells {
		if canon {
			if d, ok := decimal.Parse(c); ok {
				c = "\x00" + string(d.AppendKey(nil))
			}
		}
		n := len(c)
		out = append(out, byte(n), byte(n>>8), byte(n>>16), byte(n>>24))
		out = append(out, c...)
	}
	return string(out)
}

func pick(cells []string, at []int) []string {
	out := make([]string, len(at))
	for i, k := range at {
		out[i] = cells[k]
	}
	return out
}

// byRow pairs rows that are equal, as often as each stands.
func (o *Outcome) byRow(a format.Source, sa *side, b format.Source, sb *side) error {
	open := map[string][]Row{}
	var order []string
	err := sa.each(a, func(line int, cells []string) error {
		o.Rows++
		k := join(cells, false)
		if _, ok := open[k]; !ok {
			order = append(order, k)
		}
		open[k] = append(open[k], Row{Line: line, Names: sa.names, Cells: cells})
		return nil
	})
	if err != nil {
		return err
	}
	var more []Row
	err = sb.each(b, func(line int, cells []string) error {
		k := join(cells, false)
		if rows := open[k]; len(rows) > 0 {
			open[k] = rows[1:]
			return nil
		}
		more = append(more, Row{Line: line, Names: sb.names, Cells: cells})
		return nil
	})
	if err != nil {
		return err
	}
	loose := map[string][]Row{}
	for _, row := range more {
		k := join(row.Cells, true)
		loose[k] = append(loose[k], row)
	}
	var paired []Row
	for _, k := range order {
		for _, row := range open[k] {
			canon := join(row.Cells, true)
			if rows := loose[canon]; len(rows) > 0 {
				o.SpelledRows = append(o.SpelledRows, Pair{row, rows[0]})
				paired = append(paired, rows[0])
				loose[canon] = rows[1:]
				continue
			}
			o.OnlyA = append(o.OnlyA, row)
		}
	}
	for _, row := range more {
		if !slices.ContainsFunc(paired, func(p Row) bool { return p.Line == row.Line && &p.Cells[0] == &row.Cells[0] }) {
			o.OnlyB = append(o.OnlyB, row)
		}
	}
	slices.SortStableFunc(o.OnlyA, func(x, y Row) int { return x.Line - y.Line })
	return nil
}

// byKey pairs rows of the same key, which must stand once in each table.
func (o *Outcome) byKey(a format.Source, sa *side, b format.Source, sb *side) error {
	rows := map[string]*Row{}
	var order []*Row
	err := sa.each(a, func(line int, cells []string) error {
		o.Rows++
		key := pick(cells, sa.key)
		k := join(key, false)
		if was, ok := rows[k]; ok {
			return doubled(sa, key, was.Line, line)
		}
		row := &Row{Line: line, Key: key, KeyAt: sa.key, Names: sa.names, Cells: cells}
		rows[k] = row
		order = append(order, row)
		return nil
	})
	if err != nil {
		return err
	}
	met := map[string]int{}
	err = sb.each(b, func(line int, cells []string) error {
		key := pick(cells, sb.key)
		k := join(key, false)
		if was, ok := met[k]; ok {
			return doubled(sb, key, was, line)
		}
		met[k] = line
		row := rows[k]
		if row == nil {
			o.OnlyB = append(o.OnlyB, Row{Line: line, Key: key, KeyAt: sa.key, Names: sb.names, Cells: cells})
			return nil
		}
		for i, c := range cells {
			if c == row.Cells[i] {
				continue
			}
			cell := Cell{key, sa.names[i], row.Cells[i], c}
			x, ok := decimal.Parse(cell.A)
			y, too := decimal.Parse(cell.B)
			if ok && too && x.Cmp(y) == 0 {
				o.Spelled = append(o.Spelled, cell)
			} else {
				o.Cells = append(o.Cells, cell)
			}
		}
		return nil
	})
	for _, row := range order {
		if _, ok := met[join(row.Key, false)]; !ok {
			o.OnlyA = append(o.OnlyA, *row)
		}
	}
	return err
}

func doubled(s *side, key []string, first, second int) error {
	var names []string
	for _, k := range s.key {
		names = append(names, s.names[k])
	}
	return diag.Dataf("a second row with the key %s; the first is %s %d", diag.Quote(strings.Join(key, ", ")), diag.LineOf(s.name), first).At(s.name, second).
		InField(strings.Join(names, ", ")).Trying("--key with more fields", "distinct --by "+strings.Join(names, ","))
}
