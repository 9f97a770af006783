package server

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestCellsOfEachType reads a value of each type.
func TestCellsOfEachType(t *testing.T) {
	d := fresh(t)
	for _, c := range []struct{ sql, cell string }{
		{"'026'::text", "026"}, {"' x '::text", " x "}, {"1.10::numeric", "1.10"}, {"-0.50::numeric(6,2)", "-0.50"}, {"1e3::float8", "1000"}, {"0.1::float8", "0.1"},
		{"0.1::real", "0.1"}, {"'NaN'::numeric", "NaN"}, {"9223372036854775807", "9223372036854775807"}, {"true", "TRUE"}, {"false", "FALSE"}, {"null::boolean", ""},
		{"date '2024-05-02'", "2024-05-02"}, {"date '0044-03-15 BC'", "0044-03-15 BC"}, {"date 'infinity'", "infinity"},
		{"timestamp '2024-05-02 14:30'", "2024-05-02T14:30:00"}, {"timestamp '2024-05-02 14:30:00.5'", "2024-05-02T14:30:00.5"}, {"timestamp '0044-03-15 10:00 BC'", "0044-03-15 10:00:00 BC"},
		{"timestamptz '2024-05-02 14:30+02'", "2024-05-02T12:30:00"}, {"time '14:30'", "14:30:00"}, {"interval '1 day 2 hours'", "P1DT2H"},
		{`'\x00ff'::bytea`, "00ff"}, {"array[1,2]", "[1,2]"}, {"array['a','b c']", `["a","b c"]`}, {"row(1,'x')", `{"f1":1,"f2":"x"}`},
		{`'{"a": 1}'::json`, `{"a": 1}`}, {`'{"b":1, "a":2}'::jsonb`, `{"a": 2, "b": 1}`}, {"'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11'::uuid", "a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11"},
		{"'x'::char(3)", "x  "}, {"null::text", ""}, {"''::text", ""}, {"E'a\\nb'", "a\nb"}, {"'\\.'::text", `\.`}, {"'\"'::text", `"`}, {"int4range(1,3)", "[1,3)"},
	} {
		for _, more := range []string{"", ", 7 as other"} { // a field alone goes another way than one among several
			out := d.good("convert", "postgres:", "--query", "select "+c.sql+" as v"+more, "--write-as", "ndjson", "--quiet")
			var row map[string]string
			require.NoError(t, json.Unmarshal([]byte(out), &row), out)
			assert.Equal(t, c.cell, row["v"], c.sql+more)
		}
	}
}

// TestOrder looks how the rows lie: by the primary key, by --by as sort has it, else as they come, which is said.
func TestOrder(t *testing.T) {
	d := fresh(t)
	d.do(`create table weighed (hive text, day date, kilos numeric, note text, primary key (day, hive));
		insert into weighed values ('b','2024-05-02',2,'10'),('a','2024-05-02',10,'9'),('c','2024-05-01',null,''),('d','2024-05-03',1.5,null);
		create table loose as select hive, kilos, note from weighed; create table mixed (x text, n int primary key); insert into mixed values ('10',1),('9',2),('b',3),('',4),('B',5),(null,0)`)
	column := func(args ...string) string {
		out := d.good(append([]string{"convert", "--quiet"}, args...)...)
		var cells []string
		for _, line := range strings.Split(strings.TrimSuffix(out, "\n"), "\n")[1:] {
			cell, _, _ := strings.Cut(line, ",")
			cells = append(cells, cell)
		}
		return strings.Join(cells, " ")
	}
	assert.Equal(t, "c a b d", column("postgres:#weighed"), "by the primary key")
	assert.Equal(t, "a b d c", column("postgres:#weighed", "--by", "kilos desc"), "blanks last, numbers by number")
	assert.Equal(t, "d b a c", column("postgres:#weighed", "--by", "kilos"))
	assert.Equal(t, "a b c d", column("postgres:#weighed", "--by", "note,hive")[:7], "texts that are all numbers by number, blanks last, NULL and empty alike")
	assert.Equal(t, "10 9 B b  ", column("postgres:#mixed", "--by", "x"), "texts by their bytes; ties by the primary key")
	assert.Equal(t, column("postgres:#mixed", "--by", "x desc"), "b B 9 10  ")
	for _, by := range []string{"kilos", "kilos desc", "hive desc", "note", "note desc, hive", "day desc, kilos"} {
		assert.Equal(t, d.good("sort", by, "postgres:#weighed", "--quiet"), d.good("convert", "postgres:#weighed", "--by", by, "--quiet"), "--by %s is sort %s", by, by)
	}
	_, told, _ := d.run("convert", "postgres:#loose")
	assert.Contains(t, told, "note: the rows lie in no order: first and last are as the server gave them")
	_, told, _ = d.run("convert", "postgres:#weighed")
	assert.NotContains(t, told, "no order")
	_, told, _ = d.run("convert", "postgres:", "--query", "select * from loose order by hive")
	assert.NotContains(t, told, "no order")
	assert.Contains(t, told, "note: NULL and empty texts both stand in note; both are blank here")
	_, told, _ = d.run("convert", "postgres:#loose", "--limit", "1")
	assert.Contains(t, told, "1 row ")
}

// TestWhereverAFileCan puts a table of a server where a file can stand.
func TestWhereverAFileCan(t *testing.T) {
	d := fresh(t)
	d.store("harvest", "colony,April,May\n026,1.10,4\n007,,2.5\n")
	d.store("stages", "colony,stage\n026,brood\n007,honey\n")
	d.store("words", "old,new\nbrood,with brood\nhoney,of honey\n")
	d.file("more.csv", "colony,April,May\n031,3,6\n")
	plan := d.file("season.plan", `given table harvest
read postgres:#${table} --by colony
append more.csv
unpivot 'April..May' --label month --value kilos --skip-blank
join postgres:#stages --on colony
recode stage --map postgres:#words
mark all
write postgres:#tidy --as-text
read @all
pivot --down colony --across month --cell 'sum(kilos)'
write postgres:#wide
write wide.csv
`)
	assert.Contains(t, d.good("check", plan), "read postgres:#harvest")
	out, told, status := d.run("run", plan, "--account", d.dir+"/account.json")
	require.Zero(t, status, told)
	assert.Empty(t, out)
	assert.Equal(t, "colony,month,kilos,stage\n007,May,2.5,of honey\n026,April,1.10,with brood\n026,May,4,with brood\n031,April,3,\n031,May,6,\n", d.stored("tidy"))
	assert.Equal(t, "colony,May,April\n007,2.5,\n026,4,1.10\n031,6,3\n", d.stored("wide"))
	assert.Equal(t, [][]string{{"colony", "text"}, {"May", "numeric"}, {"April", "numeric"}}, d.do("select attname, format_type(atttypid, atttypmod) from pg_attribute where attrelid = 'wide'::regclass and attnum > 0 order by attnum"))
	wide, err := os.ReadFile(filepath.Join(d.dir, "wide.csv"))
	require.NoError(t, err)
	assert.Equal(t, d.stored("wide"), string(wide))
	var account struct {
		Status          string
		Inputs, Outputs []struct {
			Name, Role string
			Rows       int
		}
	}
	text, err := os.ReadFile(filepath.Join(d.dir, "account.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &account))
	assert.Equal(t, "done", account.Status)
	at := "postgres 127.0.0.1/" + d.name
	var names []string
	for _, in := range append(account.Inputs, account.Outputs...) {
		names = append(names, in.Name)
	}
	for _, want := range []string{at + "#harvest", at + "#stages", at + "#words", at + "#tidy", at + "#wide"} {
		assert.Contains(t, names, want)
	}
	assert.NotContains(t, string(text), "postgres@")

	for want, args := range map[string][]string{
		"the tables agree: 3 rows, 3 fields": {"diff", "postgres:#wide", "wide.csv"},
		"colony,\"of honey\"":                nil,
		"of honey,brood":                     nil,
		"tables  \"harvest\": 2 rows":        {"look", "postgres:"},
		"codes   colony":                     {"look", "postgres:#harvest"},
		"number, 4 filled":                   {"profile", "postgres:#tidy", "--fields", "kilos", "--limit", "4"},
		"unpivot: 5 rows":                    {"trace", plan},
		"source":                             {"convert", "postgres:#harvest", "--source", "source"},
	} {
		if args != nil {
			assert.Contains(t, d.good(args...), want, args)
		}
	}
	d.do("create table \"2024-05\" (x text); insert into \"2024-05\" values ('a')")
	assert.Equal(t, "x,year,month\na,2024,05\n", d.good("convert", "--quiet", "postgres:#2024-05", "--source-part", "{year}-{month}"))
	d.good("profile", "postgres:#tidy", "-o", "postgres:#dictionary")
	assert.Equal(t, [][]string{{"4"}}, d.do("select count(*) from dictionary"))
	assert.Equal(t, "colony,April,May\n026,1.10,4\n007,,2.5\n026,1.10,4\n007,,2.5\n", d.good("append", "postgres:#harvest", "postgres:#harvest", "--quiet"))
	assert.Contains(t, d.good("convert", "--quiet", "postgres:#harvest", "more.csv", "--source", "from"), "026,1.10,4,"+at+"#harvest\n")
	// The same once more: what was written is there, and nothing is changed.
	_, told, status = d.run("run", plan)
	assert.Equal(t, 2, status)
	assert.Contains(t, told, `line 8: postgres 127.0.0.1/`+d.name+`: there is a table "tidy" already`)
	assert.Contains(t, told, "--add puts the rows beneath its own")
}

// TestThereAndBack is a law: any table that is written to a server comes back as it was, in its order.
func TestThereAndBack(t *testing.T) {
	d := fresh(t)
	d.do("create table probe (x int)")
	cell := rapid.OneOf(
		rapid.SampledFrom([]string{"", "", `\.`, `\N`, "NULL", `""`, `"`, "a\nb", "a\r\nb", "\r", ",", " ", "\t", "'", "\\", "026", "1.10", "-0", "-0.0", "0.0", "+5", "1e3", ".5", "5.", "12345678901234567890.123456789",
			"TRUE", "FALSE", "true", "t", "2024-05-02", "2024-02-30", "0000-01-01", "2024-05-02T14:30:00", "2024-05-02T14:30:00.5", "2024-05-02T14:30:00.50", "2024-05-02 14:30:00", "2024-05-02T24:00:00", "2024-05-02T14:30", "infinity", "NaN", "é", "日本", "\u00a0", "\ufeff"}),
		rapid.StringMatching(`-?[0-9]{1,4}(\.[0-9]{1,3})?`), rapid.StringMatching(`20[0-9]{2}-0[1-9]-[0-3][0-9]`), rapid.StringMatching(`[a-zA-Z ",\n]{0,6}`))
	rapid.Check(t, func(r *rapid.T) {
		fields := rapid.IntRange(1, 4).Draw(r, "fields")
		var kinds []*rapid.Generator[string]
		for range fields { // a field is of one kind, or a mix
			kinds = append(kinds, rapid.SampledFrom([]*rapid.Generator[string]{cell, rapid.StringMatching(`-?(0|[1-9][0-9]{0,5})(\.[0-9]{1,3})?`), rapid.StringMatching(`20[0-9]{2}-0[1-9]-[0-2][1-8]`),
				rapid.StringMatching(`20[0-9]{2}-0[1-9]-[0-2][1-8]T[01][0-9]:[0-5][0-9]:[0-5][0-9](\.[0-9]{0,5}[1-9])?`), rapid.SampledFrom([]string{"TRUE", "FALSE", ""}), rapid.Just("")}).Draw(r, "kind"))
		}
		var b strings.Builder
		for i := range fields {
			if i > 0 {
				b.WriteByte(',')
			}
			b.WriteString(quoted("f" + string(rune('a'+i))))
		}
		for range rapid.IntRange(0, 12).Draw(r, "rows") {
			b.WriteByte('\n')
			for i := range fields {
				if i > 0 {
					b.WriteByte(',')
				}
				b.WriteString(quoted(kinds[i].Draw(r, "cell")))
			}
		}
		b.WriteByte('\n')
		d.file("in.csv", b.String())
		wants := d.good("convert", "in.csv", "--quiet")
		way := rapid.SampledFrom([][]string{{}, {"--as-text"}, {"--write-blank", ""}}).Draw(r, "way")
		d.good(append([]string{"convert", "in.csv", "--quiet", "--overwrite", "-o", "postgres:#back"}, way...)...)
		require.Equal(r, wants, d.good("convert", "--quiet", "postgres:#back"))
		d.do("drop table back")
	})
}

// TestRowsAreCounted: a message names the row, whatever line ends stand in the cells.
func TestRowsAreCounted(t *testing.T) {
	d := fresh(t)
	d.do(`create table notes (n int primary key, note text, kilos text); insert into notes select i, case when i % 3 = 0 then E'two\nlines "quoted"' else 'one' end, i::text from generate_series(1, 30000) i; update notes set kilos = 'about 4' where n = 25001`)
	_, told, status := d.run("set", "x = kilos * 2", "postgres:#notes", "-o", "out.csv")
	assert.Equal(t, 1, status)
	assert.Contains(t, told, "#notes row 25001 (n 25001), field \"kilos\": \"about 4\" is not a number")
	_, told, status = d.run("set", "x = kilos * 2", "postgres:#notes", "-o", "out.csv", "--set-aside", "aside.csv", "--quiet")
	assert.Zero(t, status, told)
	aside, err := os.ReadFile(filepath.Join(d.dir, "aside.csv"))
	require.NoError(t, err)
	assert.Contains(t, string(aside), "\npostgres 127.0.0.1/"+d.name+"#notes,25001,set,kilos,about 4,")
}

// TestAdvice: what look proposes of a table of a server bears the order it was read in, and nothing that needs an order is proposed without.
func TestAdvice(t *testing.T) {
	d := fresh(t)
	d.store("harvest", "row,apiary,colony,April kilos,April jars,May kilos,May jars\n1,Vesk,026,1.10,2,4,8\n2,,027,2.5,5,,\n3,,031,3,6,1,2\n3,,031,3,6,1,2\n4,Tamro,007,2,4,1.5,3\n5,,011,7,14,0.5,1\n6,,012,7,14,0.5,1\n")
	out := d.good("look", "postgres:#harvest", "--by", "row")
	for _, command := range []string{"revuelta fill apiary --by row 'postgres:#harvest'", "revuelta unpivot '{month} {@:kilos|jars}' --by row 'postgres:#harvest'", `below "Vesk" in row 1`} {
		assert.Contains(t, out, command)
	}
	for _, line := range strings.Split(out, "\n") {
		if command, ok := strings.CutPrefix(line, "     revuelta "); ok {
			d.good(shellWords(t, command)...)
		}
	}
	d.good("look", "postgres:#harvest", "--by", "row", "--plan", "start.plan")
	plan, err := os.ReadFile(filepath.Join(d.dir, "start.plan"))
	require.NoError(t, err)
	assert.Contains(t, string(plan), "\nread 'postgres:#harvest' --by row\n")
	d.good("run", "start.plan")
	out = d.good("look", "postgres:#harvest")
	assert.NotContains(t, out, "revuelta fill")
	assert.Contains(t, out, "the rows lie in no order, so the label above a row may be another's")
	assert.NotContains(t, d.good("look", "postgres:", "--query", "select * from harvest order by row::int"), "no order")
	assert.Contains(t, d.good("look", "postgres:", "--query", "select * from harvest order by row::int"), "revuelta fill apiary --query 'select * from harvest order by row::int' postgres:")
}
