// Package server tests the built program against a real server: PostgreSQL of the system, started here on a free port, in a folder of
// its own, as a user without rights. Where there is none the tests are skipped, unless REVUELTA_SERVER_TESTS is set.
package server

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"

	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/rogpeppe/go-internal/testscript"
	"github.com/stretchr/testify/require"

	"revuelta/internal/cli"
)

// there is the server of the tests.
var there struct {
	folder, bin string
	port        string
	as          *syscall.SysProcAttr // nil: who tests
}

func TestMain(m *testing.M) {
	testscript.Main(&served{m}, map[string]func(){
		"revuelta": func() {
			os.Exit(cli.Main(os.Args[1:], cli.Streams{In: os.Stdin, Out: os.Stdout, Err: os.Stderr}))
		},
	})
}

type served struct{ m *testing.M }

// Run starts the server, runs the tests and stops it.
func (s *served) Run() int {
	if err := start(); err != nil {
		if os.Getenv("REVUELTA_SERVER_TESTS") != "" {
			fmt.Fprintln(os.Stderr, "no server for the tests:", err)
			return 1
		}
		fmt.Println("skipped: no server for the tests:", err)
		return 0
	}
	defer stop()
	return s.m.Run()
}

// start makes a cluster and starts it.
func start() error {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if own, err := exec.LookPath("initdb"); err == nil {
		found = append(found, own)
	}
	if len(found) == 0 {
		return errors.New("PostgreSQL is not installed")
	}
	there.bin = filepath.Dir(found[len(found)-1])
	var err error
	if there.folder, err = os.MkdirTemp("", "revuelta-server-"); err != nil {
		return err
	}
	if os.Getuid() == 0 {
		u, err := user.Lookup("postgres")
		if err != nil {
			return err
		}
		uid, _ := strconv.Atoi(u.Uid)
		gid, _ := strconv.Atoi(u.Gid)
		there.as = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}
		if err := os.Chown(there.folder, uid, gid); err != nil {
			return err
		}
	}
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	_, there.port, _ = net.SplitHostPort(free.Addr().String())
	free.Close()
	if err := tool("initdb", "-D", data(), "--no-sync", "--locale=C", "-E", "UTF8", "-A", "trust", "-U", "postgres"); err != nil {
		return err
	}
	// One who has to give a password, before all others, who need none.
	rules := "host all keeper 127.0.0.1/32 scram-sha-256\nlocal all all trust\nhost all all 127.0.0.1/32 trust\n"
	if err := os.WriteFile(filepath.Join(data(), "pg_hba.conf"), []byte(rules), 0o644); err != nil {
		return err
	}
	if err := tool("pg_ctl", "-D", data(), "-w", "-l", filepath.Join(there.folder, "log"), "-o",
		"-p "+there.port+" -k "+there.folder+" -c listen_addresses=127.0.0.1 -c fsync=off -c max_connections=200", "start"); err != nil {
		return err
	}
	c, err := pgconn.Connect(context.Background(), fmt.Sprintf("host=127.0.0.1 port=%s user=postgres dbname=postgres sslmode=disable", there.port))
	if err != nil {
		return err
	}
	defer c.Close(context.Background())
	_, err = c.Exec(context.Background(), "create role keeper login password '"+secret+"'; create role reader login; create role cramped login; alter role cramped set temp_file_limit = '64kB'; alter role cramped set work_mem = '64kB'").ReadAll()
	return err
}

// secret is the password of keeper.
const secret = "wabe-7413"

func data() string { return filepath.Join(there.folder, "data") }

func tool(name string, args ...string) error {
	cmd := exec.Command(filepath.Join(there.bin, name), args...)
	cmd.SysProcAttr, cmd.Dir = there.as, there.folder
	out, err := os.CreateTemp("", "revuelta-tool-") // a pipe would be held open by the server
	if err != nil {
		return err
	}
	defer os.Remove(out.Name())
	defer out.Close()
	cmd.Stdout, cmd.Stderr = out, out
	if err := cmd.Run(); err != nil {
		told, _ := os.ReadFile(out.Name())
		return fmt.Errorf("%s: %w: %s", name, err, told)
	}
	return nil
}

func stop() {
	_ = tool("pg_ctl", "-D", data(), "-m", "immediate", "stop")
	os.RemoveAll(there.folder)
}

// database is one of the server, for one test.
type database struct {
	t    *testing.T
	name string
	env  []string
	dir  string
}

var databases atomic.Int64

// fresh makes an empty database and an empty folder.
func fresh(t *testing.T) *database {
	d := &database{t: t, name: fmt.Sprintf("farm%d", databases.Add(1)), dir: t.TempDir()}
	(&database{t: t, name: "postgres"}).do("create database " + d.name + " template template0")
	d.env = []string{"PGHOST=127.0.0.1", "PGPORT=" + there.port, "PGUSER=postgres", "PGDATABASE=" + d.name, "PGPASSFILE=/nowhere", "PGSSLMODE=prefer"}
	return d
}

// connect connects as who may do everything.
func (d *database) connect() *pgconn.PgConn {
	c, err := pgconn.Connect(context.Background(), fmt.Sprintf("host=127.0.0.1 port=%s user=postgres dbname=%s sslmode=disable", there.port, d.name))
	require.NoError(d.t, err)
	return c
}

// do runs statements and gives the rows of the last; NULL is <null>.
func (d *database) do(sql string) (rows [][]string) {
	c := d.connect()
	defer c.Close(context.Background())
	all, err := c.Exec(context.Background(), sql).ReadAll()
	require.NoError(d.t, err, sql)
	for _, row := range all[len(all)-1].Rows {
		cells := []string{}
		for _, v := range row {
			if v == nil {
				v = []byte("<null>")
			}
			cells = append(cells, string(v))
		}
		rows = append(rows, cells)
	}
	return rows
}

// file writes a file into the folder.
func (d *database) file(name, text string) string {
	path := filepath.Join(d.dir, name)
	require.NoError(d.t, os.WriteFile(path, []byte(text), 0o644))
	return path
}

// command prepares the program.
func (d *database) command(args ...string) *exec.Cmd {
	cmd := exec.Command("revuelta", args...)
	cmd.Dir, cmd.Env = d.dir, append(os.Environ(), d.env...)
	return cmd
}

// run runs the program.
func (d *database) run(args ...string) (out, told string, status int) {
	cmd := d.command(args...)
	var o, e bytes.Buffer
	cmd.Stdout, cmd.Stderr = &o, &e
	err := cmd.Run()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		status = exit.ExitCode()
	} else {
		require.NoError(d.t, err)
	}
	return o.String(), e.String(), status
}

// good runs the program, which has to do it, and gives what it wrote.
func (d *database) good(args ...string) string {
	d.t.Helper()
	out, told, status := d.run(args...)
	require.Zero(d.t, status, "%v: %s", args, told)
	return out
}

// store makes a table of texts of a CSV file as another reader has it, blank cells NULL.
func (d *database) store(table, text string) {
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\uFEFF")))
	if header, _, _ := strings.Cut(text, "\n"); strings.Contains(header, ";") && !strings.Contains(header, ",") {
		r.Comma = ';'
	}
	rows, err := r.ReadAll()
	require.NoError(d.t, err)
	var columns []string
	for _, n := range rows[0] {
		columns = append(columns, quoted(n)+" text")
	}
	var b strings.Builder
	fmt.Fprintf(&b, "drop table if exists %s; create table %[1]s (%s);", quoted(table), strings.Join(columns, ", "))
	for _, r := range rows[1:] {
		var cells []string
		for _, c := range r {
			if c == "" {
				cells = append(cells, "null")
			} else {
				cells = append(cells, "'"+strings.ReplaceAll(c, "'", "''")+"'")
			}
		}
		fmt.Fprintf(&b, "insert into %s values (%s);", quoted(table), strings.Join(cells, ", "))
	}
	d.do(b.String())
}

// stored is a table as CSV, as a plain writer has it.
func (d *database) stored(table string) string {
	var names []string
	for _, r := range d.do("select attname from pg_attribute where attrelid = '" + quoted(table) + "'::regclass and attnum > 0 order by attnum") {
		names = append(names, r[0])
	}
	var b strings.Builder
	for _, row := range append([][]string{names}, d.do("select * from "+quoted(table))...) {
		for i, c := range row {
			if i > 0 {
				b.WriteByte(',')
			}
			switch {
			case c == "<null>" && len(row) == 1:
				c = `""`
			case c == "<null>":
				c = ""
			case strings.ContainsAny(c, ",\"\r\n"):
				c = `"` + strings.ReplaceAll(c, `"`, `""`) + `"`
			}
			b.WriteString(c)
		}
		b.WriteByte('\n')
	}
	return b.String()
}

func (d *database) exists(table string) bool {
	return d.do("select to_regclass('" + quoted(table) + "') is not null")[0][0] == "t"
}

func quoted(s string) string { return `"` + strings.ReplaceAll(s, `"`, `""`) + `"` }

// busy counts what the server does for the program.
func (d *database) busy() int {
	return len(d.do("select pid from pg_stat_activity where application_name = 'revuelta' and datname = '" + d.name + "' and state <> 'idle'"))
}

// soon waits until something holds, at most a while.
func soon(t *testing.T, most time.Duration, what string, holds func() bool) {
	t.Helper()
	for end := time.Now().Add(most); ; time.Sleep(20 * time.Millisecond) {
		if holds() {
			return
		}
		if time.Now().After(end) {
			require.Fail(t, "it did not come to be", what)
		}
	}
}
