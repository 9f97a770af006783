package server

import (
	"errors"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/jackc/pgx/v5/pgconn"

	"revuelta/internal/diag"
)

// Way is what becomes of a table that is there already.
type Way uint8

// The ways.
const (
	New     Way = iota // it must not be there
	Add                // rows beneath those that are there
	Replace            // its rows are replaced; it is made anew where its fields are others
)

// Kind is what a field that is made holds.
type Kind uint8

// The kinds of fields that are made.
const (
	Text Kind = iota
	Number
	Date
	Timestamp
	Boolean
)

// sql are the names of the kinds there.
var sql = [...]string{"text", "numeric", "date", "timestamp", "boolean"}

// The limits of a table there.
const (
	MostFields = 1600
	MostName   = 63 // bytes
)

// Refuse tells why a table can't be written so, as far as that is known before there are rows, and whether it is there.
func Refuse(a *Address, way Way) (there bool, err error) {
	l, err := connect(a, readingTransaction)
	if err != nil {
		return false, err
	}
	defer l.end()
	t, err := l.target(way)
	return t != nil, err
}

// target finds the table that is written, nil where it is to be made.
func (l *link) target(way Way) (*found, error) {
	name := l.at.Name()
	if l.at.Table == "" {
		return nil, diag.Usagef("no table is named to be written").At(name, 0).Trying(diag.Shell(l.at.With("tidy")))
	}
	t, err := l.find(l.at.Table)
	if err != nil {
		return nil, err
	}
	if t == nil {
		schema, made := writtenNames(l.at.Table)
		if way == Add {
			return nil, l.missing()
		}
		if len(made) > MostName {
			return nil, diag.Usagef("a name of %d bytes is more than the %d a table's name may have", len(made), MostName).At(name, 0).Trying("a shorter one")
		}
		where := literal(schema)
		if schema == "" {
			where = "pg_catalog.current_schema()"
		}
		may, err := l.ask("select pg_catalog.has_schema_privilege(n.oid, 'create') from pg_catalog.pg_namespace n where n.nspname = " + where)
		switch {
		case err != nil:
			return nil, err
		case len(may) == 0 && schema != "":
			return nil, diag.Dataf("there is no schema %s", diag.Quote(schema)).At(l.at.place(), 0).Trying("make it there first, or #" + made)
		case len(may) == 0 || may[0][0] != "t":
			return nil, diag.Systemf("no permission to make a table").At(name, 0).Trying("another schema (#SCHEMA.TABLE), or ask for the right")
		}
		return nil, nil
	}
	switch {
	case way == New:
		return nil, diag.Usagef("there is a table %s already", diag.Quote(l.at.Table)).At(l.at.place(), 0).Trying("--add puts the rows beneath its own", "--overwrite replaces its rows")
	case !slices.Contains([]byte("rpf"), t.kind):
		return nil, diag.Usagef("%s is a view, and no table to write to", diag.Quote(l.at.Table)).At(l.at.place(), 0).Trying("another name behind #")
	}
	may, err := l.ask("select pg_catalog.has_table_privilege(" + t.id + ", 'insert') and (" + strconv.FormatBool(way == Add) + " or pg_catalog.has_table_privilege(" + t.id + ", 'truncate'))")
	if err != nil {
		return nil, err
	}
	if may[0][0] != "t" {
		return nil, diag.Systemf("no permission to write to the table").At(name, 0).Trying("another user, or ask for the right")
	}
	return t, nil
}

// Transaction is what a run writes to a server: all its tables, or none. The zero value has written nothing.
type Transaction struct {
	link    *link
	written []string
	settle  func() // ends the copying that goes on, and waits for it
	drop    func() // the same, of rows that are to be lost
}

// Free tells that no rows are copied at the moment.
func (t *Transaction) Free() bool { return t.settle == nil }

// Occupy says that rows are copied until settle is called, as it is before anything else is done, or drop, where all is taken back.
func (t *Transaction) Occupy(settle, drop func()) { t.settle, t.drop = settle, drop }

// TakeBack undoes the last Table and what was copied to it.
func (t *Transaction) TakeBack() error {
	t.settle = nil
	t.written = t.written[:len(t.written)-1]
	return t.link.do("rollback to savepoint before_table")
}

// Begin connects to the server of a table, to write it.
func (t *Transaction) Begin(a *Address) error {
	if t.link == nil {
		l, err := connect(a, writingTransaction)
		t.link = l
		return err
	}
	if !t.link.at.Same(a) {
		return diag.Usagef("a run writes to one server and database, so that its tables are written all or none; this one writes to %s too", t.link.at.place()).At(a.Name(), 0).
			Trying("a run for each server")
	}
	t.link.at = a
	return nil
}

// Commit makes what was written stay.
func (t *Transaction) Commit() error {
	if t.link == nil {
		return nil
	}
	defer t.Abort()
	return t.link.do("commit")
}

// Abort takes back what was written and not committed.
func (t *Transaction) Abort() {
	if t.link != nil {
		if t.settle != nil {
			t.link.stop()
			t.drop()
			t.settle = nil
		}
		t.link.end()
		t.link = nil
	}
}

// Field is a field that is written.
type Field struct {
	Name  string
	Kind  Kind
	Empty bool // blank is an empty text, and not NULL
}

// Written is a table to which rows are copied.
type Written struct {
	link  *link
	at    *Address
	copy  string
	Kept  bool // the table was there, and has types of its own
	types map[string]string
}

// Table makes the table ready for its rows: begun with Begin, it is made, emptied or left as it is.
func (t *Transaction) Table(way Way, fields []Field) (*Written, error) {
	if settle := t.settle; settle != nil {
		t.settle = nil
		settle()
	}
	l := t.link
	if err := l.do("savepoint before_table"); err != nil {
		return nil, err
	}
	old, err := l.target(way)
	if err != nil {
		return nil, err
	}
	w := &Written{link: l, at: l.at, types: map[string]string{}}
	var name string
	if old != nil {
		name = old.sql()
		if slices.Contains(t.written, name) {
			return nil, diag.Usagef("the table is written twice").At(l.at.Name(), 0)
		}
		there, err := l.ask("select attname, pg_catalog.format_type(atttypid, atttypmod), attgenerated <> '' or attidentity = 'a' from pg_catalog.pg_attribute where attrelid = " + old.id + " and attnum > 0 and not attisdropped order by attnum")
		if err != nil {
			return nil, err
		}
		var names []string
		for _, r := range there {
			names = append(names, r[0])
			w.types[r[0]] = r[1]
		}
		w.Kept = way == Add || sameFields(names, fields)
		switch {
		case way == Add:
			for _, f := range fields {
				if !slices.Contains(names, f.Name) {
					e := diag.Dataf("the table has no field %s; it has %s", diag.Quote(f.Name), diag.Names(names)).At(l.at.Name(), 0)
					if near := diag.Nearest(f.Name, names); near != "" {
						e.Trying("rename " + diag.Shell(f.Name+"="+near))
					}
					return nil, e.Trying("fields " + diag.Shell("!"+f.Name))
				}
			}
		case w.Kept:
			if err := l.do("truncate " + name); err != nil {
				return nil, err
			}
		default:
			kind := "table "
			if old.kind == 'f' {
				kind = "foreign table "
			}
			if err := l.do("drop " + kind + name); err != nil {
				return nil, err
			}
		}
	}
	if !w.Kept {
		if old == nil {
			schema, made := writtenNames(l.at.Table)
			if name = quoted(made); schema != "" {
				name = quoted(schema) + "." + name
			}
		}
		var columns []string
		for _, f := range fields {
			columns = append(columns, quoted(f.Name)+" "+sql[f.Kind])
		}
		if err := l.do("create table " + name + " (" + strings.Join(columns, ", ") + ")"); err != nil {
			return nil, err
		}
		if made, err := l.find(l.at.Table); err == nil && made != nil {
			name = made.sql()
		}
	}
	t.written = append(t.written, name)
	var all, null, empty []string
	for _, f := range fields {
		all = append(all, quoted(f.Name))
		if f.Empty {
			empty = append(empty, quoted(f.Name))
		} else {
			null = append(null, quoted(f.Name))
		}
	}
	w.copy = "copy " + name + " (" + strings.Join(all, ", ") + ") from stdin (format csv, header true"
	if len(null) > 0 {
		w.copy += ", force_null (" + strings.Join(null, ", ") + ")"
	}
	if len(empty) > 0 {
		w.copy += ", force_not_null (" + strings.Join(empty, ", ") + ")"
	}
	w.copy += ")"
	return w, nil
}

func sameFields(names []string, fields []Field) bool {
	if len(names) != len(fields) {
		return false
	}
	for _, f := range fields {
		if !slices.Contains(names, f.Name) {
			return false
		}
	}
	return true
}

// Unfit is a cell that the server refused.
type Unfit struct {
	Line  int    // of the text that was sent, from 1
	Field string // "": the server did not say
	Type  string // of the field, where it is known
	Err   *diag.Error
}

func (u *Unfit) Error() string { return u.Err.Error() }
func (u *Unfit) Unwrap() error { return u.Err }

// where is where in what it was sent the server found a fault. Only the numbers and names in it do not depend on its language.
var where = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^COPY .*?, \p{L}+ (\d+)(?:, \p{L}+ (.*?))?(?:: |$)`)
})

// Copy sends rows as CSV, and gives how many the server took. Before them goes a line that it passes over: it tells how lines end, and
// until that is known the server counts otherwise.
func (w *Written) Copy(rows io.Reader) (int64, error) {
	rows = io.MultiReader(strings.NewReader("-\n"), rows)
	tag, err := w.link.CopyFrom(w.link.ctx, rows, w.copy)
	if err == nil {
		return tag.RowsAffected(), nil
	}
	return 0, w.unfit(err)
}

// unfit finds the place of a fault in what was sent.
func (w *Written) unfit(err error) error {
	fault := w.at.fault(err, "")
	var s *pgconn.PgError
	var told *diag.Error
	if !errors.As(err, &s) || !errors.As(fault, &told) || told.Status != diag.Data {
		return fault
	}
	m := where().FindStringSubmatch(strings.SplitN(s.Where, "\n", 2)[0])
	if m == nil {
		return fault
	}
	line, _ := strconv.Atoi(m[1])
	return &Unfit{Line: line - 1, Field: m[2], Type: w.types[m[2]], Err: told}
}
