// Package server reads tables of a database server and writes them: what an address names, the connection and its session, what tables
// there are and what they hold, and rows both ways by COPY. It knows nothing of cells beyond their text.
package server

import (
	"errors"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"revuelta/internal/diag"
)

// Address names a server, and perhaps a table there: postgres://[user@]host[:port]/database#[schema.]table, or postgres:[database][?options]#table,
// where the environment tells the rest.
type Address struct {
	Path  string // as it was given
	Table string // "": none is named

	config *pgconn.Config
}

// schemes are how an address begins.
var schemes = []string{"postgres:", "postgresql:"}

// IsAddress tells whether a path names a server.
func IsAddress(path string) bool {
	for _, s := range schemes {
		if strings.HasPrefix(path, s) {
			return true
		}
	}
	return false
}

// patience is how long a server may take to answer where nobody said otherwise.
const patience = 15 * time.Second

// Parse reads an address. What is left out comes from the environment, the service file and the password file.
func Parse(path string) (*Address, error) {
	name, table, _ := cutLast(path, '#')
	if name == "" {
		name, table = path, ""
	}
	if err := hasPassword(name); err != nil {
		return nil, err
	}
	_, rest, _ := strings.Cut(name, ":")
	if !strings.HasPrefix(rest, "//") {
		rest = "///" + rest
	}
	config, err := pgconn.ParseConfig("postgres:" + rest)
	if err != nil {
		return nil, unreadable(err)
	}
	if config.ConnectTimeout == 0 || config.ConnectTimeout == 2*time.Minute { // the library's own
		config.ConnectTimeout = patience
	}
	if config.RuntimeParams["application_name"] == "" {
		config.RuntimeParams["application_name"] = "revuelta"
	}
	config.RuntimeParams["client_encoding"] = "UTF8"
	return &Address{Path: path, Table: table, config: config}, nil
}

func cutLast(s string, sep byte) (before, after string, ok bool) {
	if i := strings.LastIndexByte(s, sep); i >= 0 {
		return s[:i], s[i+1:], true
	}
	return s, "", false
}

// hasPassword refuses a password in an address: plans, accounts and lists of processes are read by others.
func hasPassword(name string) error {
	e := diag.Usagef("a password does not belong in the name of a table: plans and command lines are read by others").
		Trying("the password file (~/.pgpass), a service (postgres:?service=NAME#TABLE) or PGPASSWORD")
	_, rest, _ := strings.Cut(name, ":")
	if authority, ok := strings.CutPrefix(rest, "//"); ok {
		end := strings.IndexByte(authority, '/')
		if end < 0 {
			end = len(authority)
		}
		if user, _, at := cutLast(authority[:end], '@'); at && strings.Contains(user, ":") {
			return e
		}
	}
	_, options, _ := strings.Cut(name, "?")
	for _, o := range strings.Split(options, "&") {
		key, _, _ := strings.Cut(o, "=")
		if plain, err := url.QueryUnescape(key); err != nil || strings.Contains(plain, "password") {
			return e
		}
	}
	return nil
}

// unreadable is the error of an address that can't be read; the library's text begins with the address itself, which is left out.
func unreadable(err error) error {
	why := err.Error()
	if i := strings.LastIndex(why, "`: "); i >= 0 {
		why = why[i+len("`: "):]
	}
	if inner := errors.Unwrap(err); inner != nil && strings.Contains(why, "failed to parse as URL") {
		why = "it is postgres://[user@]host[:port]/database#table"
	}
	return diag.Usagef("the name of the server can't be read: %s", why).
		Trying("postgres://HOST/DATABASE#TABLE", "postgres:#TABLE with the environment's PGHOST and PGDATABASE")
}

// place is the server and database as messages name them.
func (a *Address) place() string {
	database := a.database()
	if a.local() {
		return diag.Server + database
	}
	return diag.Server + a.config.Host + "/" + database
}

func (a *Address) database() string {
	if a.config.Database != "" {
		return a.config.Database
	}
	return a.config.User
}

// local tells a socket of this machine.
func (a *Address) local() bool { return strings.HasPrefix(a.config.Host, "/") }

// Name is how messages and accounts name the table, or the database where none is named: host, database and table, never more.
func (a *Address) Name() string {
	if a.Table == "" {
		return a.place()
	}
	return a.place() + "#" + a.Table
}

// Same tells whether two addresses lead to one database by one way.
func (a *Address) Same(b *Address) bool {
	return a.config.Host == b.config.Host && a.config.Port == b.config.Port && a.database() == b.database() && a.config.User == b.config.User
}

// reach names host, port and database, for a server that does not answer.
func (a *Address) reach() string {
	if a.local() {
		return "the socket in " + a.config.Host + ", port " + strconv.Itoa(int(a.config.Port)) + ", database " + diag.Quote(a.database())
	}
	return "host " + a.config.Host + ", port " + strconv.Itoa(int(a.config.Port)) + ", database " + diag.Quote(a.database())
}

// With is the address of a table of the same server, for a command.
func (a *Address) With(table string) string {
	name, _, _ := cutLast(a.Path, '#')
	return name + "#" + table
}
