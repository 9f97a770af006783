package server

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAddress lists addresses, with what they name, how messages call them, and what commands say of another table there.
func TestAddress(t *testing.T) {
	for name, value := range map[string]string{"PGHOST": "/run/farm", "PGPORT": "5433", "PGUSER": "bee", "PGDATABASE": "farm", "PGPASSWORD": "", "PGPASSFILE": "/nowhere", "PGSERVICE": "", "PGSERVICEFILE": ""} {
		t.Setenv(name, value)
	}
	for path, want := range map[string][4]string{
		"postgres:#harvest":                                {"harvest", "postgres farm#harvest", `the socket in /run/farm, port 5433, database "farm"`, "postgres:#x"},
		"postgres:":                                        {"", "postgres farm", `the socket in /run/farm, port 5433, database "farm"`, "postgres:#x"},
		"postgres:hives#old.harvest":                       {"old.harvest", "postgres hives#old.harvest", `the socket in /run/farm, port 5433, database "hives"`, "postgres:hives#x"},
		"postgres://bee@hive.example:99/farm#a b":          {"a b", "postgres hive.example/farm#a b", `host hive.example, port 99, database "farm"`, "postgres://bee@hive.example:99/farm#x"},
		"postgresql://hive.example/other#t":                {"t", "postgres hive.example/other#t", `host hive.example, port 5433, database "other"`, "postgresql://hive.example/other#x"},
		"postgres:?host=hive.example&dbname=d&user=u#t":    {"t", "postgres hive.example/d#t", `host hive.example, port 5433, database "d"`, "postgres:?host=hive.example&dbname=d&user=u#x"},
		`postgres://h/d#"odd.name"`:                        {`"odd.name"`, `postgres h/d#"odd.name"`, `host h, port 5433, database "d"`, "postgres://h/d#x"},
		"postgres://hive.example/farm?sslmode=disable#t":   {"t", "postgres hive.example/farm#t", `host hive.example, port 5433, database "farm"`, "postgres://hive.example/farm?sslmode=disable#x"},
		"postgres://bee@hive.example/farm?user=wasp#t":     {"t", "postgres hive.example/farm#t", `host hive.example, port 5433, database "farm"`, "postgres://bee@hive.example/farm?user=wasp#x"},
		"postgres://hive.example/farm?connect_timeout=3#t": {"t", "postgres hive.example/farm#t", `host hive.example, port 5433, database "farm"`, "postgres://hive.example/farm?connect_timeout=3#x"},
	} {
		assert.True(t, IsAddress(path))
		a, err := Parse(path)
		require.NoError(t, err, path)
		assert.Equal(t, want, [4]string{a.Table, a.Name(), a.reach(), a.With("x")}, path)
	}
	for _, path := range []string{"postgres", "harvest.csv", "./postgres:x", "https://h/d#t", "my-postgres://h"} {
		assert.False(t, IsAddress(path), path)
	}
	for _, path := range []string{"postgres://u:pw@h/d#t", "postgres://u:@h/d#t", "postgres://:pw@h/d", "postgres://h/d?password=pw", "postgres://h/d?x=1&sslpassword=pw#t", "postgres:?PASSWORD=pw&%zz#t", "postgres://u:p#w@h/d#t"} {
		_, err := Parse(path)
		assert.ErrorContains(t, err, "a password does not belong", path)
		assert.NotContains(t, err.Error(), "pw", path)
	}
}

func TestWrittenNames(t *testing.T) {
	for s, want := range map[string][2]string{
		"harvest": {"", "harvest"}, "old.harvest": {"old", "harvest"}, `"old.harvest"`: {"", "old.harvest"}, `old."x.y"`: {"old", "x.y"}, `"o.d".x`: {"o.d", "x"}, `"a""b"`: {"", `a"b`}, ".x": {"", ".x"}, "x.": {"", "x."}, "": {"", ""},
	} {
		schema, name := writtenNames(s)
		assert.Equal(t, want, [2]string{schema, name}, s)
	}
}

func TestNear(t *testing.T) {
	query := "select é,\n kilo\nfrom harvest"
	assert.Equal(t, `at "kilo from harvest" in line 2 of the query`, near(query, 12))
	assert.Equal(t, `at "select é, kilo"`, near(query, 1))
	assert.Equal(t, "at the end of the query", near(query, len([]rune(query))+1))
	assert.Empty(t, near(query, 1000))
}

func TestOrdered(t *testing.T) {
	for query, want := range map[string]bool{"select * from t order by a": true, "select * from t\nORDER\n BY a": true, "select row_number() over (order by a) from t": false,
		"select * from (select * from t order by a) q": false, "select 'order by' from t": false, `select "order by" from t`: false, "select * from t": false} {
		assert.Equal(t, want, ordered(query), query)
	}
}

func TestWhere(t *testing.T) {
	for said, want := range map[string][2]string{
		`COPY harvest, line 3, column kilos: "12 kg"`: {"3", "kilos"}, `COPY harvest, line 12`: {"12", ""}, `COPY a, line 7, b, line 4, column c: "x"`: {"7", "b, line 4, column c"},
		`COPY harvest, Zeile 3, Spalte kilos: »x«`: {"3", "kilos"}, `COPY harvest, line 3: "a,b"`: {"3", ""},
	} {
		m := where().FindStringSubmatch(said)
		if assert.NotNil(t, m, said) && want[0] != "7" { // a table may be called so; then the row is told without its field
			assert.Equal(t, want, [2]string{m[1], m[2]}, said)
		}
	}
	assert.Nil(t, where().FindStringSubmatch("SQL function x"))
}
