package server

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/jackc/pgx/v5/pgconn"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/table"
)

// Want is what is read.
type Want struct {
	Query string           // instead of a table
	By    *selection.Order // the order of the rows; nil: that of the primary key
	Limit int64            // rows, 0: all
}

// Rows are rows that come from a server.
type Rows struct {
	Name  string   // as messages name the table
	Names []string // of the fields, as the server has them
	Notes []string

	Unordered bool // neither a key nor anybody says how they lie

	link    *link
	copied  string // what is copied
	from    string // where the cells come from, with names c1, c2, … for the columns
	columns []column
	key     []int  // the columns of the primary key
	ordered string // how the rows lie, as a clause
	pipe    *io.PipeReader
	done    chan struct{}
	sent    int64
	empty   bool // an empty text may stand in it
	once    sync.Once
}

// Open begins to read a table or the rows of a query. Read gives its rows as CSV without a header: blank for NULL, and "" for an empty text.
func Open(a *Address, w Want) (*Rows, error) {
	l, err := connect(a, readingTransaction)
	if err != nil {
		return nil, err
	}
	r := &Rows{Name: a.Name(), link: l, done: make(chan struct{})}
	if err := r.prepare(w); err != nil {
		l.end()
		return nil, err
	}
	r.begin()
	return r, nil
}

// alias is the name of a column in the query.
func alias(i int) string { return "q.c" + strconv.Itoa(i+1) }

func (r *Rows) prepare(w Want) error {
	l := r.link
	var key []string
	base := ""
	if w.Query != "" {
		if l.at.Table != "" {
			return diag.Usagef("--query takes the place of a table, and %s is named", diag.Quote(l.at.Table)).At(l.at.place(), 0).Trying("the address without #" + l.at.Table)
		}
		query := strings.TrimRight(strings.TrimSpace(w.Query), "; \t\n")
		r.Name = l.at.place() + " --query"
		var err error
		if r.columns, err = l.describe(query, true); err != nil {
			return err
		}
		if len(r.columns) == 0 {
			return diag.Usagef("the query gives no rows: it is no select").At(l.at.place(), 0).Trying("--query 'select … from …'")
		}
		base = "(" + query + "\n)"
	} else {
		t, err := l.find(l.at.Table)
		if err == nil && t == nil {
			err = l.missing()
		}
		if err != nil {
			return err
		}
		base = t.sql()
		if r.columns, err = l.describe("select * from "+base, false); err != nil {
			return err
		}
		if len(r.columns) == 0 {
			return diag.Dataf("the table has no fields").At(r.Name, 0)
		}
		keys, err := l.ask("select a.attname from pg_catalog.pg_index i cross join lateral unnest(i.indkey) with ordinality k(n, at) join pg_catalog.pg_attribute a on a.attrelid = i.indrelid and a.attnum = k.n where i.indisprimary and i.indrelid = " + t.id + " order by k.at")
		if err != nil {
			return err
		}
		for _, k := range keys {
			at := slices.IndexFunc(r.columns, func(c column) bool { return c.name == k[0] })
			key, r.key = append(key, alias(at)), append(r.key, at)
		}
	}
	var aliases, cells []string
	for i, c := range r.columns {
		r.Names = append(r.Names, c.name)
		aliases = append(aliases, "c"+strconv.Itoa(i+1))
		cell := c.cell(alias(i))
		if len(r.columns) == 1 {
			cell = "concat(" + cell + ")" // a row that holds nothing at all is read as no row
		}
		cells = append(cells, cell)
	}
	r.from = base + " as q(" + strings.Join(aliases, ", ") + ")"
	order, err := r.order(w, key)
	if err != nil {
		return err
	}
	r.ordered = order
	r.copied = "select " + strings.Join(cells, ", ") + " from " + r.from + order
	if w.Query != "" {
		if err := r.stands(); err != nil {
			return err
		}
	}
	if w.Limit > 0 {
		r.copied += " limit " + strconv.FormatInt(w.Limit, 10)
	}
	return nil
}

// stands looks whether the query can stand in another, as those can that only read.
func (r *Rows) stands() error {
	_, err := r.link.Prepare(r.link.ctx, "", r.copied, nil)
	var s *pgconn.PgError
	if !errors.As(err, &s) {
		return err
	}
	e := diag.Usagef("the rows of the query can't be read: %s", plain(s.Message)).At(r.link.at.place(), 0)
	if s.Code == "42601" || s.Code == "0A000" { // where a select stands there is none
		e.Text = "the query does more than read, and what is read is read only"
	}
	return e.Trying("--query 'select … from …'")
}

// order is how the rows lie.
func (r *Rows) order(w Want, key []string) (string, error) {
	switch {
	case w.By != nil:
		by, err := r.by(w.By)
		if err != nil {
			return "", err
		}
		return " order by " + strings.Join(append(by, key...), ", "), nil
	case len(key) > 0:
		return " order by " + strings.Join(key, ", "), nil
	case w.Query != "" && ordered(w.Query):
		return "", nil
	}
	r.Unordered = true
	r.Notes = append(r.Notes, "the rows lie in no order: first and last are as the server gave them; --by FIELD orders them")
	return "", nil
}

// ordered tells whether a query orders its own rows: those in brackets, of a part or a window, are other ones.
func ordered(query string) bool {
	depth, quote := 0, rune(0)
	var outside strings.Builder
	for _, r := range strings.ToLower(query) {
		switch {
		case quote != 0:
			if r == quote {
				quote = 0
			}
		case r == '\'' || r == '"':
			quote = r
		case r == '(':
			depth++
		case r == ')':
			depth--
		case depth == 0:
			outside.WriteRune(r)
		}
	}
	return strings.Contains(strings.Join(strings.Fields(outside.String()), " "), "order by")
}

// number is what a number looks like to the program.
const number = `'^[+-]?([0-9]+([.][0-9]*)?|[.][0-9]+)([eE][+-]?[0-9]{1,3})?$'`

// by orders as sort does: blanks last, fields of numbers by number and others by their bytes.
func (r *Rows) by(order *selection.Order) ([]string, error) {
	keys, err := order.Keys(table.NewSchema(r.Names))
	if err != nil {
		var told *diag.Error
		if errors.As(err, &told) {
			return nil, told.At(r.Name, 0)
		}
		return nil, err
	}
	var out []string
	for _, k := range keys {
		c, name := r.columns[k.Column], alias(k.Column)
		desc := ""
		if k.Desc {
			desc = " desc"
		}
		if slices.Contains(numbers, c.oid) || c.oid == typeDate || c.oid == typeTimestamp || c.oid == typeMoment {
			out = append(out, name+desc+" nulls last")
			continue
		}
		cell := "coalesce((" + c.cell(name) + ")::text, '')"
		all, err := r.link.ask("select coalesce(bool_and(" + cell + " ~ " + number + "), false) from " + r.from + " where " + cell + " <> ''")
		if err != nil {
			return nil, err
		}
		value := cell + ` collate "C"`
		if all[0][0] == "t" {
			value = "nullif(" + cell + ", '')::numeric"
		}
		out = append(out, cell+" = ''", value+desc)
	}
	return out, nil
}

// begin lets the server send.
func (r *Rows) begin() {
	var to *io.PipeWriter
	r.pipe, to = io.Pipe()
	go func() {
		defer close(r.done)
		pieces := bufio.NewWriterSize(watching{to, r}, 256<<10)
		sent, err := r.link.CopyTo(r.link.ctx, pieces, "copy ("+r.copied+") to stdout (format csv)")
		if err == nil {
			err = pieces.Flush()
		}
		if err != nil {
			if r.link.ctx.Err() == nil {
				err = r.link.at.fault(err, "")
			}
			to.CloseWithError(err)
			return
		}
		r.sent = sent.RowsAffected()
		r.both()
		to.Close()
	}()
}

// watching looks for empty texts in what comes by.
type watching struct {
	to   io.Writer
	rows *Rows
}

func (w watching) Write(p []byte) (int, error) {
	if !w.rows.empty {
		w.rows.empty = bytes.Contains(p, []byte(`""`))
	}
	return w.to.Write(p)
}

func (r *Rows) Read(p []byte) (int, error) { return r.pipe.Read(p) }

// Sent is how many rows the server sent by its own count, when all are read.
func (r *Rows) Sent() int64 {
	<-r.done
	return r.sent
}

// keyPatience is how long it is looked for the key of a row that a message names.
const keyPatience = "3s"

// Key names the primary key of a row, from 1, for a message: "" where there is none, where it can't be had at once, or where the row that
// now lies there has another cell in the field.
func (r *Rows) Key(row int, field, cell string) string {
	at := slices.Index(r.Names, field)
	if len(r.key) == 0 || at < 0 || row < 1 {
		return ""
	}
	l, err := connect(r.link.at, readingTransaction+"; set local statement_timeout = '"+keyPatience+"'")
	if err != nil {
		return ""
	}
	defer l.end()
	ask := []string{r.columns[at].cell(alias(at))}
	for _, k := range r.key {
		ask = append(ask, r.columns[k].cell(alias(k)))
	}
	found, err := l.ask("select " + strings.Join(ask, ", ") + " from " + r.from + r.ordered + " offset " + strconv.Itoa(row-1) + " limit 1")
	if err != nil || len(found) != 1 || found[0][0] != cell {
		return ""
	}
	var parts []string
	for i, k := range r.key {
		parts = append(parts, r.Names[k]+" "+found[0][i+1])
	}
	return strings.Join(parts, ", ")
}

// both notes the fields that have NULL and empty texts both.
func (r *Rows) both() {
	if !r.empty {
		return
	}
	var ask []string
	var of []int
	for i, c := range r.columns {
		if c.text {
			ask = append(ask, "coalesce(bool_or("+alias(i)+" is null) and bool_or("+alias(i)+" = ''), false)")
			of = append(of, i)
		}
	}
	if len(ask) == 0 {
		return
	}
	answer, err := r.link.ask("select " + strings.Join(ask, ", ") + " from " + r.from)
	if err != nil || len(answer) != 1 {
		return // a note is missing, and no row
	}
	var names []string
	for k, i := range of {
		if answer[0][k] == "t" {
			names = append(names, r.Names[i])
		}
	}
	if len(names) > 0 {
		r.Notes = append(r.Notes, "NULL and empty texts both stand in "+diag.Names(names)+"; both are blank here")
	}
}

// Close ends the reading; what the server still does for it ends. The notes are whole when all was read and this was called.
func (r *Rows) Close() error {
	r.once.Do(func() {
		r.link.stop()
		r.pipe.Close()
		<-r.done
		r.link.end()
	})
	return nil
}
