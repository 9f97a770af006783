package format

import (
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"unicode/utf8"

	"modernc.org/sqlite" // also registers the driver

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
)

var sqliteFormat = Format{
	Name: "sqlite", Suffixes: []string{".db", ".sqlite", ".sqlite3"},
	Keeps:  "the order of fields and rows; integers and reals where every cell survives, else text; blank is null; the other tables (FILE#TABLE)",
	Loses:  "indexes and triggers of a table that is replaced; bytes that are no text come in hexadecimal",
	begins: []string{"SQLite format 3\x00"},
	tables: true,
	open:   one(openSQLite), sample: sampleOfDatabase,
	encode: func(path string, o WriteOptions) (Encoding, error) {
		if err := refuseTable(path, o); err != nil {
			return nil, err
		}
		w := newWhole(path, o, nil, writeSQLite)
		w.refuse = notInDatabase
		return w, nil
	},
}

// identifier is a name as SQL has it.
func identifier(s string) string { return `"` + strings.ReplaceAll(s, `"`, `""`) + `"` }

func connect(file string, options string) (*sql.DB, error) {
	u := url.URL{Scheme: "file", Opaque: (&url.URL{Path: file}).EscapedPath(), RawQuery: options}
	db, err := sql.Open("sqlite", u.String())
	if err == nil {
		db.SetMaxOpenConns(1)
	}
	return db, err
}

// databaseError is the error of a database.
func databaseError(file string, err error) error {
	var told *diag.Error
	if errors.As(err, &told) {
		return err
	}
	var e *sqlite.Error
	if errors.As(err, &e) {
		switch e.Code() & 0xff {
		case 26: // not a database
			return diag.Dataf("this is no SQLite database").At(file, 0)
		case 11: // corrupt
			return diag.Dataf("the database is damaged").At(file, 0)
		case 5, 6: // busy, locked
			return diag.Systemf("the database is in use by another program").At(file, 0).Trying("close it there first")
		case 13: // full
			return diag.Systemf("the disk is full").At(file, 0)
		}
	}
	return diag.Systemf("%v", err).At(file, 0)
}

// openSQLite opens a table of a SQLite database.
func openSQLite(path string, o ReadOptions) (*oneFile, *Input, error) {
	file, name := tableOf(path)
	if err := o.noSheet(path, "a database"); err != nil {
		return nil, nil, err
	}
	if path == "-" {
		return nil, nil, diag.Usagef("a database is read from a file, not from standard input")
	}
	info, err := os.Stat(file)
	if err != nil {
		return nil, nil, FileError(file, err)
	}
	if info.IsDir() {
		return nil, nil, diag.Systemf("this is a directory, not a file").At(file, 0)
	}
	db, err := connect(file, "mode=ro")
	if err != nil {
		return nil, nil, databaseError(file, err)
	}
	f, notes, err := selectTable(db, file, name)
	if err != nil {
		db.Close()
		return nil, nil, databaseError(file, err)
	}
	clean, more := headerNames(f.names, nil)
	input := &Input{Name: f.file, Fields: len(clean), Notes: append(notes, more...)}
	return &oneFile{body: f.begin(), names: clean}, input, nil
}

// sampleOfDatabase looks at a table; where there are several and none is named, it lists them.
func sampleOfDatabase(as, path string, o ReadOptions) (*Sample, error) {
	file, name := tableOf(path)
	info, err := os.Stat(file)
	if name != "" || err != nil || !info.Mode().IsRegular() {
		return sampleOfTable(as, path, o)
	}
	db, err := connect(file, "mode=ro")
	if err != nil {
		return nil, databaseError(file, err)
	}
	defer db.Close()
	tables, err := tablesOf(db)
	if err != nil {
		return nil, databaseError(file, err)
	}
	if len(tables) < 2 {
		return sampleOfTable(as, path, o)
	}
	l := &Sample{Name: file, As: as, Size: info.Size(), Whole: true, Rows: [][]string{}}
	if l.Parts, err = severalTables(db, tables); err != nil {
		return nil, databaseError(file, err)
	}
	return l, nil
}

// selectTable begins to read a table, the only one where none is named.
func selectTable(db *sql.DB, file, name string) (*pulled, []string, error) {
	tables, err := tablesOf(db)
	if err != nil {
		return nil, nil, err
	}
	var notes []string
	switch {
	case len(tables) == 0:
		return nil, nil, diag.Dataf("the database has no table").At(file, 0)
	case name == "" && len(tables) > 1:
		return nil, nil, diag.Dataf("the database has several tables: %s", diag.Names(tables)).At(file, 0).Trying(quoteWord(file + "#" + tables[0]))
	case name == "":
		name = tables[0]
	}
	found := ""
	for _, t := range tables {
		if strings.EqualFold(t, name) && (found == "" || t == name) {
			found = t
		}
	}
	if found == "" {
		e := diag.Dataf("there is no table %s; there are %s", diag.Quote(name), diag.Names(tables)).At(file, 0)
		if near := diag.Nearest(name, tables); near != "" {
			e.Trying(quoteWord(file + "#" + near))
		}
		return nil, nil, e
	}
	probe, err := db.Query("select * from " + identifier(found) + " limit 0")
	if err != nil {
		return nil, nil, err
	}
	names, err := probe.Columns()
	probe.Close()
	if err != nil {
		return nil, nil, err
	}
	// A plus before a name leaves the value as it is stored, whatever its column was declared as.
	var list []string
	for _, n := range names {
		list = append(list, "+"+identifier(n))
	}
	rows, err := db.Query("select " + strings.Join(list, ", ") + " from " + identifier(found))
	if err != nil {
		return nil, nil, err
	}
	f := &pulled{file: file + "#" + found, names: names, done: func() error { rows.Close(); return db.Close() }}
	values, into := make([]any, len(names)), make([]any, len(names))
	for i := range values {
		into[i] = &values[i]
	}
	f.read = func(cells []string) error {
		if !rows.Next() {
			if err := rows.Err(); err != nil {
				return databaseError(file, err)
			}
			return io.EOF
		}
		if err := rows.Scan(into...); err != nil {
			return databaseError(file, err)
		}
		for i, v := range values {
			cells[i] = stored(v)
		}
		return nil
	}
	return f, notes, nil
}

func tablesOf(db *sql.DB) ([]string, error) {
	rows, err := db.Query("select name from sqlite_master where type in ('table', 'view') and name not like 'sqlite\\_%' escape '\\' order by rowid")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var n string
		if err := rows.Scan(&n); err != nil {
			return nil, err
		}
		out = append(out, n)
	}
	return out, rows.Err()
}

// stored is a value of a database as a cell: numbers in shortest form, bytes that are no text in hexadecimal.
func stored(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case int64:
		return strconv.FormatInt(v, 10)
	case float64:
		return string(decimal.AppendFloat(nil, v))
	case string:
		return v
	case []byte:
		if utf8.Valid(v) {
			return string(v)
		}
		return hex.EncodeToString(v)
	}
	return fmt.Sprint(v)
}

// refuseTable finds out whether a table may be written into a database.
func refuseTable(path string, o WriteOptions) error {
	file, name := tableOf(path)
	if path == "" {
		return diag.Usagef("a database is written to a file, not to standard output").Trying("-o harvest.db#tidy")
	}
	info, err := os.Stat(file)
	if err != nil || info.Size() == 0 {
		return nil
	}
	if wal, err := os.Stat(file + "-wal"); err == nil && wal.Size() > 0 {
		return diag.Systemf("the database is in use by another program, or was left in the middle").At(file, 0).Trying("close it there first")
	}
	db, err := connect(file, "mode=ro")
	if err != nil {
		return databaseError(file, err)
	}
	defer db.Close()
	tables, err := tablesOf(db)
	if err != nil {
		return databaseError(file, err)
	}
	for _, t := range tables {
		if strings.EqualFold(t, tableName(file, name)) && !o.Overwrite {
			return diag.Usagef("%s has a table %s already", file, diag.Quote(t)).Trying("--overwrite replaces it and leaves the others", "another name behind #")
		}
	}
	return nil
}

// tableName is the name of a table that is written: the file's where there is no other.
func tableName(file, name string) string {
	if name == "" {
		base := filepath.Base(file)
		name = strings.TrimSuffix(base, filepath.Ext(base))
	}
	return name
}

// notInDatabase tells why a table of SQLite can't have such fields.
func notInDatabase(names []string) *diag.Error {
	const most = 2000 // SQLITE_MAX_COLUMN as it is built
	if len(names) > most {
		return diag.Dataf("%s are more than the %s columns of a table in SQLite", diag.Plural(int64(len(names)), "field"), diag.Count(most)).Trying("another format: --write-as parquet")
	}
	lower := func(r rune) rune { // as SQLite does: letters of ASCII alone
		if 'A' <= r && r <= 'Z' {
			r += 'a' - 'A'
		}
		return r
	}
	first := map[string]string{}
	for _, n := range names {
		key := strings.Map(lower, n)
		if other, ok := first[key]; ok {
			return diag.Dataf("%s and %s are one name in SQLite, where case does not count", diag.Quote(other), diag.Quote(n)).Trying("rename one of them")
		}
		first[key] = n
	}
	return nil
}

// writeSQLite writes the table into a copy of the database, which takes its place then.
func writeSQLite(w *whole, next func() ([]string, error), out *Output, _ io.Writer) error {
	file, name := tableOf(w.name)
	if out.temp == "" {
		return diag.Systemf("this is no regular file, and can't hold a database").At(file, 0)
	}
	if info, err := os.Stat(file); err == nil && info.Size() > 0 {
		old, err := connect(file, "mode=ro")
		if err != nil {
			return databaseError(file, err)
		}
		_, err = old.Exec("vacuum into ?", out.temp)
		old.Close()
		if err != nil {
			return databaseError(file, err)
		}
	}
	db, err := connect(out.temp, "_pragma=journal_mode(memory)&_pragma=synchronous(off)")
	if err != nil {
		return databaseError(file, err)
	}
	defer db.Close()
	if err := w.insert(db, tableName(file, name), next); err != nil {
		return databaseError(file, err)
	}
	return nil
}

// insert writes the rows in one transaction.
func (w *whole) insert(db *sql.DB, name string, next func() ([]string, error)) error {
	tx, err := db.Begin()
	if err != nil {
		return err
	}
	defer tx.Rollback()
	var kind string
	if tx.QueryRow("select type from sqlite_master where name = ? collate nocase", name).Scan(&kind) == nil {
		if _, err := tx.Exec("drop " + kind + " " + identifier(name)); err != nil {
			return err
		}
	}
	var fields, places []string
	kinds := make([]holds, w.schema.Len())
	for i, n := range w.schema.Names() {
		typ := "text"
		if h := w.could[i]; h&holdsSome != 0 && h&holdsNumbers != 0 && w.blank == "" {
			if typ, kinds[i] = "real", holdsNumbers; h&holdsIntegers != 0 {
				typ, kinds[i] = "integer", holdsIntegers
			}
		}
		fields, places = append(fields, identifier(n)+" "+typ), append(places, "?")
	}
	if _, err := tx.Exec("create table " + identifier(name) + " (" + strings.Join(fields, ", ") + ")"); err != nil {
		return err
	}
	insert, err := tx.Prepare("insert into " + identifier(name) + " values (" + strings.Join(places, ", ") + ")")
	if err != nil {
		return err
	}
	defer insert.Close()
	values := make([]any, len(fields))
	for {
		cells, err := next()
		if err == io.EOF {
			return tx.Commit()
		}
		if err != nil {
			return err
		}
		for i, c := range cells {
			switch {
			case c == "":
				values[i] = nil
			case kinds[i] == holdsIntegers:
				values[i], _ = strconv.ParseInt(c, 10, 64)
			case kinds[i] == holdsNumbers:
				values[i], _ = strconv.ParseFloat(c, 64)
			default:
				values[i] = c
			}
		}
		if _, err := insert.Exec(values...); err != nil {
			return err
		}
	}
}
