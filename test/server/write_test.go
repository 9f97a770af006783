package server

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// typesOf are the fields of a table with their types.
func (d *database) typesOf(table string) string {
	var out []string
	for _, r := range d.do("select attname || ' ' || format_type(atttypid, atttypmod) from pg_attribute where attrelid = '" + quoted(table) + "'::regclass and attnum > 0 and not attisdropped order by attnum") {
		out = append(out, r[0])
	}
	return strings.Join(out, ", ")
}

// TestTypes: a field is numeric, date, timestamp or boolean where every cell survives, and text else, also where only the last row tells.
func TestTypes(t *testing.T) {
	d := fresh(t)
	many := strings.Repeat("1.10,2024-05-02,2024-05-02T14:30:00,TRUE,\n", 60_000)
	for last, want := range map[string]string{
		"2,2024-05-03,2024-05-02T14:30:01.5,FALSE,": "a numeric, b date, c timestamp without time zone, d boolean, e text",
		",,,,": "a numeric, b date, c timestamp without time zone, d boolean, e text",
		"007,2024-05-03,2024-05-02T14:30:01.5,FALSE,": "a text, b date, c timestamp without time zone, d boolean, e text",
		"2,2024-5-3,2024-05-02T14:30,t,x":             "a text" + ", b text, c text, d text, e text",
		"2,,,,5.0":                                    "a numeric, b date, c timestamp without time zone, d boolean, e numeric",
	} {
		if strings.HasPrefix(last, "2,2024-5-3") {
			want = strings.Replace(want, "a text", "a numeric", 1)
		}
		for _, rows := range []string{"", many} {
			in := "a,b,c,d,e\n" + rows + last + "\n"
			if rows == "" && last == ",,,," {
				want = "a text, b text, c text, d text, e text"
			} else if rows == "" && strings.HasPrefix(last, "2,,,,") {
				want = "a numeric, b text, c text, d text, e numeric"
			}
			if rows != "" && last == ",,,," {
				want = "a numeric, b date, c timestamp without time zone, d boolean, e text"
			} else if rows != "" && strings.HasPrefix(last, "2,,,,") {
				want = "a numeric, b date, c timestamp without time zone, d boolean, e numeric"
			}
			d.file("in.csv", in)
			d.good("convert", "in.csv", "--quiet", "-o", "postgres:#kinds")
			assert.Equal(t, want, d.typesOf("kinds"), "%d rows and %s", strings.Count(rows, "\n"), last)
			out := d.good("convert", "postgres:#kinds", "--quiet")
			assert.True(t, in == out, "%s: the rows are others", last)
			d.do("drop table kinds")
		}
	}
	d.file("in.csv", "a,b\n1,\n2,3\n")
	d.good("convert", "in.csv", "--quiet", "-o", "postgres:#kinds", "--as-text")
	assert.Equal(t, "a text, b text", d.typesOf("kinds"))
	assert.Equal(t, [][]string{{"1", "<null>"}, {"2", "3"}}, d.do("select * from kinds"))
	d.good("convert", "in.csv", "--quiet", "-o", "postgres:#empties", "--write-blank", "")
	assert.Equal(t, "a numeric, b text", d.typesOf("empties"), "an empty text is no number")
	assert.Equal(t, [][]string{{"1", ""}, {"2", "3"}}, d.do("select * from empties"))
	d.good("convert", "in.csv", "--quiet", "-o", "postgres:#marked", "--write-blank", "NA")
	assert.Equal(t, [][]string{{"1", "NA"}, {"2", "3"}}, d.do("select * from marked"))
}

// TestWays writes to a table that is there.
func TestWays(t *testing.T) {
	d := fresh(t)
	d.do(`create table lots (lot text primary key, kilos numeric(8,2), at timestamp default '2024-01-01', seen boolean); insert into lots values ('a', 1);
		create view heavy as select lot from lots where kilos > 5; create table parts (lot text references lots)`)
	d.file("in.csv", "kilos,lot\n12.5,b\n,c\n")
	d.good("convert", "in.csv", "-o", "postgres:#lots", "--add")
	assert.Equal(t, [][]string{{"a", "1.00", "2024-01-01 00:00:00"}, {"b", "12.50", "2024-01-01 00:00:00"}, {"c", "<null>", "2024-01-01 00:00:00"}}, d.do("select lot, kilos, at from lots order by lot"))
	refused := func(status int, says string, args ...string) {
		t.Helper()
		before := d.stored("lots")
		_, told, got := d.run(args...)
		assert.Equal(t, status, got, told)
		assert.Contains(t, told, says)
		assert.Equal(t, before, d.stored("lots"))
	}
	refused(2, `there is a table "lots" already`, "convert", "in.csv", "-o", "postgres:#lots")
	refused(3, "something depends on the table", "convert", "in.csv", "-o", "postgres:#lots", "--overwrite")
	d.file("kilo.csv", "kilo,lot\n1,x\n")
	refused(1, `the table has no field "kilo"; it has lot, kilos, at, seen`, "convert", "kilo.csv", "-o", "postgres:#lots", "--add")
	refused(1, `the table has no field "kilo"`, "convert", "kilo.csv", "-o", "postgres:#lots", "--add")
	d.file("bad.csv", "lot,note,kilos\n\"x\ny\",one,1\nz,two,12 kg\nq,three,4\n")
	refused(1, `#lots row 2, field "kilos": "12 kg" is no numeric(8,2), as the table has it`, "fields", "!note", "bad.csv", "-o", "postgres:#lots", "--add")
	d.file("twice.csv", "lot,kilos\na,5\n")
	refused(1, "duplicate key value", "convert", "twice.csv", "-o", "postgres:#lots", "--add")
	refused(2, "is a view", "convert", "in.csv", "-o", "postgres:#heavy", "--overwrite")
	refused(2, "one of them", "convert", "in.csv", "-o", "postgres:#lots", "--overwrite", "--add")
	d.file("whole.csv", "seen,at,kilos,lot\nTRUE,2024-05-02T10:00:00,3,n\n")
	refused(3, "another table refers to its rows", "convert", "whole.csv", "-o", "postgres:#lots", "--overwrite")
	d.do("drop table parts; grant select on lots to public")
	d.good("convert", "whole.csv", "-o", "postgres:#lots", "--overwrite")
	assert.Equal(t, [][]string{{"n", "3.00", "2024-05-02 10:00:00", "t"}}, d.do("select * from lots"), "replaced, the table itself stays")
	assert.Equal(t, "lot text, kilos numeric(8,2), at timestamp without time zone, seen boolean", d.typesOf("lots"))
	d.do("drop view heavy")
	d.good("convert", "in.csv", "-o", "postgres:#lots", "--overwrite")
	assert.Equal(t, "kilos numeric, lot text", d.typesOf("lots"), "other fields: made anew")
	// A table onto itself.
	d.good("where", `lot == "b"`, "postgres:#lots", "-o", "postgres:#lots", "--overwrite")
	assert.Equal(t, [][]string{{"12.5", "b"}}, d.do("select * from lots"))
	d.good("set", "lot = text(lot, 2)", "postgres:#lots", "-o", "postgres:#lots", "--add")
	assert.Equal(t, [][]string{{"12.5", "b"}, {"12.5", "b2"}}, d.do("select * from lots order by lot"))
	// Names as they are: with case, dots, quotes and schemas.
	d.do(`create schema old`)
	for name, found := range map[string]string{`Lots`: `"Lots"`, `a.b`: "", `old.lots`: `old.lots`, `old."x.y"`: `old."x.y"`, `select`: `"select"`, `har"vest`: `"har""vest"`} {
		if found == "" {
			continue
		}
		d.good("convert", "in.csv", "-o", "postgres:#"+name)
		assert.Equal(t, [][]string{{"2"}}, d.do("select count(*) from "+found))
		assert.Equal(t, "kilos,lot\n12.5,b\n,c\n", d.good("convert", "postgres:#"+name, "--quiet"))
	}
}

// TestAllOrNone: the tables of a run and its files come to be together, or nothing does.
func TestAllOrNone(t *testing.T) {
	d := fresh(t)
	d.do("create table kept (lot text, kilos numeric); insert into kept values ('old', 1)")
	d.file("in.csv", "lot,kilos\na,1\nb,2\nc,x\n")
	plan := d.file("two.plan", "read in.csv\nwrite postgres:#kept --overwrite\nwrite first.csv\nwrite postgres:#second\nset 'y = kilos * 2'\nwrite postgres:#third\n")
	_, told, status := d.run("run", plan)
	assert.Equal(t, 1, status, told)
	assert.Contains(t, told, `"x" is not a number`)
	none := func() {
		assert.Equal(t, "lot,kilos\nold,1\n", d.stored("kept"))
		assert.False(t, d.exists("second") || d.exists("third"))
		assert.NoFileExists(t, filepath.Join(d.dir, "first.csv"))
	}
	none()
	d.file("in.csv", "lot,kilos\na,1\nb,2\nc,x\n")
	plan = d.file("late.plan", "read in.csv\nwrite first.csv\nwrite postgres:#second\nwrite postgres:#kept --overwrite\n")
	_, told, status = d.run("run", plan) // the last one is refused by the server
	assert.Equal(t, 1, status, told)
	assert.Contains(t, told, `#kept row 3, field "kilos": "x" is no numeric, as the table has it`)
	none()
	d.file("in.csv", "lot,kilos\na,1\nb,2\nc,3\n")
	d.good("run", plan)
	assert.Equal(t, "lot,kilos\na,1\nb,2\nc,3\n", d.stored("kept"))
	assert.Equal(t, d.stored("kept"), d.stored("second"))
	assert.FileExists(t, filepath.Join(d.dir, "first.csv"))
	// The same table by two names, and a second server.
	_, told, status = d.run("run", d.file("same.plan", "read in.csv\nwrite postgres:#kept --add\nwrite postgres:#public.kept --add\n"))
	assert.Equal(t, 2, status)
	assert.Contains(t, told, "written twice")
	_, told, status = d.run("run", d.file("far.plan", "read in.csv\nwrite postgres:#kept --add\nwrite postgres://127.0.0.1:"+there.port+"/postgres#other\n"))
	assert.Equal(t, 2, status)
	assert.Contains(t, told, "a run writes to one server and database")
	assert.Equal(t, "lot,kilos\na,1\nb,2\nc,3\n", d.stored("kept"))
}

// TestKilled: a run that is killed while it writes leaves all as it was, and the server does nothing more for it.
func TestKilled(t *testing.T) {
	d := fresh(t)
	d.do("create table kept (n numeric); insert into kept values (0)")
	for _, how := range []os.Signal{syscall.SIGKILL, syscall.SIGTERM, os.Interrupt} {
		for _, way := range [][]string{{"-o", "postgres:#fresh"}, {"-o", "postgres:#kept", "--add"}} {
			cmd := d.command(append([]string{"convert", "--read-as", "csv", "--quiet", "-"}, way...)...)
			in, err := cmd.StdinPipe()
			require.NoError(t, err)
			require.NoError(t, cmd.Start())
			go func() {
				rows := []byte("n\n" + strings.Repeat("12345\n", 1<<19))
				in.Write(rows)
				for err == nil {
					_, err = in.Write(rows[2:])
					time.Sleep(time.Millisecond)
				}
			}()
			soon(t, 20*time.Second, "copying", func() bool {
				return len(d.do("select 1 from pg_stat_progress_copy where tuples_processed > 1000 and datname = '"+d.name+"'")) > 0
			})
			require.NoError(t, cmd.Process.Signal(how))
			err = cmd.Wait()
			soon(t, 10*time.Second, "the server is still at it", func() bool { return d.busy() == 0 })
			if how != syscall.SIGKILL {
				assert.Equal(t, map[os.Signal]int{syscall.SIGTERM: 143, os.Interrupt: 130}[how], cmd.ProcessState.ExitCode(), err)
			}
			assert.False(t, d.exists("fresh"))
			assert.Equal(t, [][]string{{"0"}}, d.do("select * from kept"))
		}
	}
}

// TestCancelled: what the server does for a reader ends within a second of the reader's end.
func TestCancelled(t *testing.T) {
	d := fresh(t)
	for _, how := range []os.Signal{syscall.SIGTERM, os.Interrupt} {
		cmd := d.command("convert", "postgres:", "--query", "select pg_sleep(60)", "-o", "out.csv")
		require.NoError(t, cmd.Start())
		soon(t, 10*time.Second, "asked", func() bool { return d.busy() == 1 })
		require.NoError(t, cmd.Process.Signal(how))
		_ = cmd.Wait()
		soon(t, 5*time.Second, "the server sleeps on", func() bool { return d.busy() == 0 })
		assert.Equal(t, map[os.Signal]int{syscall.SIGTERM: 143, os.Interrupt: 130}[how], cmd.ProcessState.ExitCode())
		assert.NoFileExists(t, filepath.Join(d.dir, "out.csv"))
	}
	// One that is killed can't say so: the server looks whether it is still there.
	cmd := d.command("convert", "postgres:", "--query", "select pg_sleep(60)")
	require.NoError(t, cmd.Start())
	soon(t, 10*time.Second, "asked", func() bool { return d.busy() == 1 })
	require.NoError(t, cmd.Process.Kill())
	_ = cmd.Wait()
	soon(t, 10*time.Second, "the server sleeps on", func() bool { return d.busy() == 0 })
	// A reader that has enough.
	d.do("create table long as select generate_series(1, 2000000) n")
	assert.Equal(t, "n\n1\n2\n", d.good("first", "2", "postgres:#long", "--quiet"))
	soon(t, 10*time.Second, "the server sends on", func() bool { return d.busy() == 0 })
}

// TestLost: a server that goes away in the middle.
func TestLost(t *testing.T) {
	d := fresh(t)
	end := func() {
		d.do("select pg_terminate_backend(pid) from pg_stat_activity where application_name = 'revuelta' and datname = '" + d.name + "'")
	}
	cmd := d.command("convert", "postgres:", "--query", "select pg_sleep(60)", "-o", "out.csv")
	var told strings.Builder
	cmd.Stderr = &told
	require.NoError(t, cmd.Start())
	soon(t, 10*time.Second, "asked", func() bool { return d.busy() == 1 })
	end()
	_ = cmd.Wait()
	assert.Equal(t, 3, cmd.ProcessState.ExitCode())
	assert.Contains(t, told.String(), "the server was stopped")
	assert.NoFileExists(t, filepath.Join(d.dir, "out.csv"))

	cmd = d.command("convert", "--read-as", "csv", "-", "-o", "postgres:#fresh")
	told.Reset()
	cmd.Stderr = &told
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	_, err = in.Write([]byte("n\n" + strings.Repeat("12345\n", 1<<19)))
	require.NoError(t, err)
	soon(t, 20*time.Second, "copying", func() bool { return d.busy() == 1 })
	end()
	for range 100 { // the next rows find nobody
		if _, err = in.Write([]byte(strings.Repeat("12345\n", 1<<15))); err != nil {
			break
		}
		time.Sleep(5 * time.Millisecond)
	}
	in.Close()
	_ = cmd.Wait()
	assert.Equal(t, 3, cmd.ProcessState.ExitCode(), told.String())
	assert.Regexp(t, "the server was stopped|the connection was lost", told.String())
	assert.False(t, d.exists("fresh"))
}

// TestLocked: a table that another session holds is waited for a while and no longer.
func TestLocked(t *testing.T) {
	d := fresh(t)
	d.do("create table lots (lot text); insert into lots values ('a')")
	c := d.connect()
	defer c.Close(t.Context())
	_, err := c.Exec(t.Context(), "begin; lock table lots in access exclusive mode").ReadAll()
	require.NoError(t, err)
	d.env = append(d.env, "PGOPTIONS=-c lock_timeout=300ms")
	d.file("in.csv", "lot\nb\n")
	for _, args := range [][]string{{"convert", "postgres:#lots"}, {"convert", "in.csv", "-o", "postgres:#lots", "--add"}, {"convert", "in.csv", "-o", "postgres:#lots", "--overwrite"}} {
		_, told, status := d.run(args...)
		assert.Equal(t, 3, status, args)
		assert.Contains(t, told, "another session holds the table", args)
	}
}
