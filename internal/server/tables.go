package server

import (
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/diag"
)

// found is a table of the server.
type found struct {
	id           string // pg_class.oid
	schema, name string
	kind         byte // r table, p partitioned, v view, m materialized view, f foreign table
}

// quoted is a name as SQL has it.
func quoted(s string) string { return `"` + strings.ReplaceAll(s, `"`, `""`) + `"` }

// literal is a text as SQL has it, with standard_conforming_strings.
func literal(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

func (t found) sql() string { return quoted(t.schema) + "." + quoted(t.name) }

// writtenNames parts schema.table as it is written, double quotes taken off; schema is "" where none is named.
func writtenNames(s string) (schema, name string) {
	unquote := func(s string) string {
		if len(s) > 1 && s[0] == '"' && s[len(s)-1] == '"' {
			return strings.ReplaceAll(s[1:len(s)-1], `""`, `"`)
		}
		return s
	}
	in := false
	for i := range len(s) {
		switch {
		case s[i] == '"':
			in = !in
		case s[i] == '.' && !in && i > 0 && i < len(s)-1:
			return unquote(s[:i]), unquote(s[i+1:])
		}
	}
	return "", unquote(s)
}

// kinds of relations that hold rows.
const kinds = "c.relkind in ('r', 'p', 'v', 'm', 'f')"

// find finds a table, nil where there is none. Names are compared exactly: case counts.
func (l *link) find(written string) (*found, error) {
	const from = "select c.oid, n.nspname, c.relname, c.relkind from pg_catalog.pg_class c join pg_catalog.pg_namespace n on n.oid = c.relnamespace where " + kinds
	rows, err := l.ask(from+" and c.relname = $1 and pg_catalog.pg_table_is_visible(c.oid)", written)
	schema, name := writtenNames(written)
	if err == nil && len(rows) == 0 && schema != "" {
		rows, err = l.ask(from+" and n.nspname = $1 and c.relname = $2", schema, name)
	} else if err == nil && len(rows) == 0 && name != written {
		rows, err = l.ask(from+" and c.relname = $1 and pg_catalog.pg_table_is_visible(c.oid)", name)
	}
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	r := rows[0]
	return &found{id: r[0], schema: r[1], name: r[2], kind: r[3][0]}, nil
}

// tables lists the tables there, those of the schemas that need not be named first and without their schema.
func (l *link) tables() (out []string, err error) {
	rows, err := l.ask("select case when pg_catalog.pg_table_is_visible(c.oid) then '' else n.nspname end, c.relname from pg_catalog.pg_class c join pg_catalog.pg_namespace n on n.oid = c.relnamespace where " + kinds +
		" and n.nspname not like 'pg\\_%' and n.nspname <> 'information_schema' and not c.relispartition order by 1, 2")
	for _, r := range rows {
		name := r[1]
		if strings.ContainsAny(name, `."`) {
			name = quoted(name)
		}
		if r[0] != "" {
			name = r[0] + "." + name
		}
		out = append(out, name)
	}
	return out, err
}

// missing is the error of a table that is not there.
func (l *link) missing() error {
	all, err := l.tables()
	if err != nil {
		return err
	}
	if len(all) == 0 {
		return diag.Dataf("the database has no table").At(l.at.place(), 0)
	}
	if l.at.Table == "" {
		return diag.Dataf("no table is named; there are %s", diag.Names(all)).At(l.at.place(), 0).Trying(diag.Shell(l.at.With(all[0])))
	}
	e := diag.Dataf("there is no table %s; there are %s", diag.Quote(l.at.Table), diag.Names(all)).At(l.at.place(), 0)
	if near := diag.Nearest(l.at.Table, all); near != "" {
		e.Trying(diag.Shell(l.at.With(near)))
	}
	return e
}

// column is a column of a table or of a query.
type column struct {
	name string
	oid  uint32
	list bool // an array, or a row of several values
	text bool
}

// describe names the columns that a query gives; user tells that it is somebody's own.
func (l *link) describe(query string, user bool) ([]column, error) {
	d, err := l.Prepare(l.ctx, "", query, nil)
	if err != nil {
		said := ""
		if user {
			said = query
		}
		return nil, l.at.fault(err, said)
	}
	var out []column
	var ids []string
	for _, f := range d.Fields {
		out = append(out, column{name: f.Name, oid: f.DataTypeOID})
		ids = append(ids, strconv.FormatUint(uint64(f.DataTypeOID), 10))
	}
	if len(out) == 0 {
		return nil, nil
	}
	types, err := l.ask("select oid, typcategory, typtype from pg_catalog.pg_type where oid in (" + strings.Join(ids, ", ") + ")")
	if err != nil {
		return nil, err
	}
	for i := range out {
		at := slices.IndexFunc(types, func(r []string) bool { return r[0] == ids[i] })
		if at >= 0 {
			out[i].list, out[i].text = types[at][1] == "A" || types[at][2] == "c" || out[i].oid == typeRow, types[at][1] == "S"
		}
	}
	return out, nil
}

// The types whose values are written otherwise than the server does.
const (
	typeBool      = 16
	typeBytes     = 17
	typeTimestamp = 1114
	typeMoment    = 1184
	typeNumeric   = 1700
	typeDate      = 1082
	typeRow       = 2249
)

// numbers are the types that order as numbers do.
var numbers = []uint32{20, 21, 23, 26, 700, 701, 790, typeNumeric}

// cell is the expression of a column's cell, of the column as it is named in the query.
func (c column) cell(name string) string {
	iso := func(v string) string { // a date before our era has a blank more
		return "case when " + v + " < '0001-01-01' then " + v + "::text else replace(" + v + "::text, ' ', 'T') end"
	}
	switch {
	case c.oid == typeBool:
		return "case when " + name + " then 'TRUE' when not " + name + " then 'FALSE' end"
	case c.oid == typeBytes:
		return "pg_catalog.encode(" + name + ", 'hex')"
	case c.oid == typeTimestamp:
		return iso(name)
	case c.oid == typeMoment:
		return iso("(" + name + " at time zone 'UTC')")
	case c.list:
		return "pg_catalog.to_json(" + name + ")::text"
	}
	return name
}

// Table is a table as it is listed beside others.
type Table struct {
	Name   string
	Rows   int64
	More   bool // there are more rows: the count is about
	Fields []string
	Fault  string
}

// mostCounted is how many rows a table may have by the server's own estimate for them to be counted one by one.
const mostCounted = 5_000_000

// Tables lists the tables of a database with their rows and fields.
func Tables(a *Address) ([]Table, error) {
	l, err := connect(a, readingTransaction)
	if err != nil {
		return nil, err
	}
	defer l.end()
	names, err := l.tables()
	if err != nil {
		return nil, err
	}
	var out []Table
	for _, n := range names {
		t := Table{Name: n}
		if err := l.do("savepoint one"); err != nil {
			return nil, err
		}
		if err := l.size(&t); err != nil {
			t.Fault = err.Error()
			if e, ok := err.(*diag.Error); ok {
				t.Fault = e.Text
			}
			if err := l.do("rollback to savepoint one"); err != nil {
				return nil, err
			}
		}
		out = append(out, t)
	}
	return out, nil
}

// size tells how great a table is.
func (l *link) size(t *Table) error {
	f, err := l.find(t.Name)
	if err != nil || f == nil {
		return err
	}
	columns, err := l.describe("select * from "+f.sql(), false)
	if err != nil {
		return err
	}
	for _, c := range columns {
		t.Fields = append(t.Fields, c.name)
	}
	about, err := l.ask("select reltuples::bigint from pg_catalog.pg_class where oid = " + f.id)
	if err != nil {
		return err
	}
	if len(about) == 1 {
		if n, _ := strconv.ParseInt(about[0][0], 10, 64); n > mostCounted {
			t.Rows, t.More = n, true
			return nil
		}
	}
	count, err := l.ask("select count(*) from " + f.sql())
	if err == nil {
		t.Rows, _ = strconv.ParseInt(count[0][0], 10, 64)
	}
	return err
}
