package server

import (
	"context"
	"errors"
	"net"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgconn/ctxwatch"

	"revuelta/internal/diag"
)

// link is a connection and its transaction. One goroutine uses it at a time; stop may be called by any.
type link struct {
	*pgconn.PgConn
	at   *Address
	ctx  context.Context
	stop context.CancelFunc // ends what the server does for it
}

// session is said before each transaction.
const session = "; set local timezone = 'UTC'; set local datestyle = 'ISO, MDY'; set local intervalstyle = iso_8601; set local extra_float_digits = 1" +
	"; set local bytea_output = hex; set local standard_conforming_strings = on; set local statement_timeout = 0" +
	"; set local idle_in_transaction_session_timeout = 0" +
	"; select set_config('lock_timeout', case current_setting('lock_timeout') when '0' then '10s' else current_setting('lock_timeout') end, true)"

const (
	readingTransaction = "begin isolation level repeatable read read only" + session
	writingTransaction = "begin isolation level read committed read write" + session
)

// connect connects and begins a transaction.
func connect(a *Address, transaction string) (*link, error) {
	l := &link{at: a}
	l.ctx, l.stop = context.WithCancel(context.Background())
	config := a.config.Copy()
	config.BuildContextWatcherHandler = func(c *pgconn.PgConn) ctxwatch.Handler {
		return &pgconn.CancelRequestContextWatcherHandler{Conn: c, DeadlineDelay: time.Second}
	}
	notices := config.OnNotice
	config.OnNotice = func(c *pgconn.PgConn, n *pgconn.Notice) {
		if notices != nil {
			notices(c, n)
		}
	}
	var err error
	l.PgConn, err = pgconn.ConnectConfig(l.ctx, config)
	if err != nil {
		l.stop()
		return nil, a.noConnection(err)
	}
	track(l, true)
	// So that a server notices by itself that its client was killed. Not every server can.
	_, _ = l.Exec(l.ctx, "set client_connection_check_interval = 2000").ReadAll()
	if _, err := l.Exec(l.ctx, transaction).ReadAll(); err != nil {
		l.end()
		return nil, a.fault(err, "")
	}
	return l, nil
}

// end closes the connection; what the server still does for it ends.
func (l *link) end() {
	track(l, false)
	l.stop()
	ctx, done := context.WithTimeout(context.Background(), time.Second)
	defer done()
	_ = l.Close(ctx) // a connection that is lost is closed too
	select {
	case <-l.CleanupDone():
	case <-ctx.Done():
	}
}

// ask gives the rows of a query.
func (l *link) ask(query string, params ...string) ([][]string, error) {
	values := make([][]byte, len(params))
	for i, p := range params {
		values[i] = []byte(p)
	}
	result := l.ExecParams(l.ctx, query, values, nil, nil, nil).Read()
	if result.Err != nil {
		return nil, l.at.fault(result.Err, "")
	}
	out := make([][]string, len(result.Rows))
	for r, row := range result.Rows {
		for _, v := range row {
			out[r] = append(out[r], string(v))
		}
	}
	return out, nil
}

// do runs a statement.
func (l *link) do(statement string) error {
	if _, err := l.Exec(l.ctx, statement).ReadAll(); err != nil {
		return l.at.fault(err, "")
	}
	return nil
}

// live are the connections of the program.
var live struct {
	sync.Mutex
	links map[*link]bool
}

func track(l *link, now bool) {
	live.Lock()
	defer live.Unlock()
	if live.links == nil {
		live.links = map[*link]bool{}
	}
	if now {
		live.links[l] = true
	} else {
		delete(live.links, l)
	}
}

// Abandon ends what servers do for the program, for one that ends.
func Abandon() {
	live.Lock()
	links := live.links
	live.links = nil
	live.Unlock()
	var all sync.WaitGroup
	for l := range links {
		all.Go(func() {
			ctx, done := context.WithTimeout(context.Background(), time.Second)
			defer done()
			_ = l.CancelRequest(ctx) // a server that is gone does nothing any more
		})
	}
	all.Wait()
}

// noConnection is the error of a server that can't be reached or lets nobody in.
func (a *Address) noConnection(err error) error {
	var told *pgconn.PgError
	if errors.As(err, &told) {
		e := diag.Systemf("the server does not let %s in: %s", diag.Quote(a.config.User), plain(told.Message)).At(a.place(), 0)
		switch told.Code {
		case "28P01":
			e = diag.Systemf("the password of user %s is wrong, or none was given", diag.Quote(a.config.User)).At(a.place(), 0).
				Trying("the password file (~/.pgpass) or PGPASSWORD")
		case "28000":
			e.Trying("another user: postgres://USER@HOST/DATABASE#TABLE, or PGUSER")
		case "3D000":
			e = diag.Systemf("there is no database %s on the server (%s)", diag.Quote(a.database()), a.reach())
		case "53300":
			e.Trying("again when fewer are connected")
		}
		e.Cause = err
		return e
	}
	why := reason(err)
	e := diag.Systemf("no server answers: %s (%s)", why, a.reach())
	e.Cause = err
	switch {
	case strings.Contains(why, "refused"), strings.Contains(why, "no such file"):
		return e.Trying("is it running there, on that port? PGHOST and PGPORT tell where, or postgres://HOST:PORT/DATABASE#TABLE")
	case strings.Contains(why, "no such host"), strings.Contains(why, "lookup"):
		return e.Trying("the host's name as it is written")
	case strings.Contains(why, "certificate"), strings.Contains(why, "x509"), strings.Contains(why, "tls"):
		return e.Trying("PGSSLROOTCERT with the certificate of who signed the server's, or PGSSLMODE")
	}
	return e
}

// reason is the innermost of what a connection failed by.
func reason(err error) string {
	var unknown *net.DNSError
	switch {
	case errors.Is(err, context.DeadlineExceeded):
		return "it took too long"
	case errors.As(err, &unknown) && unknown.IsNotFound:
		return "there is no such host"
	}
	for {
		inner := errors.Unwrap(err)
		if several, ok := err.(interface{ Unwrap() []error }); ok {
			if all := several.Unwrap(); len(all) > 0 {
				inner = all[len(all)-1]
			}
		}
		if inner == nil {
			return plain(err.Error())
		}
		err = inner
	}
}

// plain is a text of the server on one line.
func plain(s string) string { return strings.Join(strings.Fields(s), " ") }
