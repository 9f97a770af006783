package run_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/run"
)

// keeping are steps that make rows of single rows, so that each has a line; n is there for those to come.
var keeping = []string{
	"where 'kilos > 2'", "where 'id != \"R3\"'", "sort 'kilos desc, id'", "sort note", "fill note", "fill note --up", "number n", "number m --within note --by 'id desc'", "set 'twice = kilos * 2'",
	"explode forage --at ';'", "explode forage --at ';' --position place", "unpivot 'kilos,jars' --label what --value v", "unpivot 'kilos,jars' --label what --value v --skip-blank", "scrub note", "cast kilos number",
	"join keepers.csv --on note --partners each", "join keepers.csv --on note --partners first --alone drop", "beside id --as next", "beside id --as before --back 1 --by id", "distinct --by id", "distinct", "first 3", "first 1 --within apiary",
	"mark a\nread @a", "mark b\nwrite tee.csv", "fields 'id,*'", "rename 'note=remark'", "combine '{id}/{note}' --as both --keep", "split id 'R{digits}' --keep", "recode note 'calm=quiet'", "append more.csv",
	"group --by note --calc 'count() as size' --each-row", "assert --filled id",
}

// TestEveryRowKnowsItsLine: whatever steps a row went through, and of whichever file it came, what is set aside names the
// file and the physical line where it begins.
func TestEveryRowKnowsItsLine(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.WriteFile(path("keepers.csv"), []byte("note,keeper\ncalm,Ines\ncalm,Tom\nwet,Ada\n"), 0o644))
	told := 0
	rapid.Check(t, func(rt *rapid.T) {
		files := map[string][]string{} // their lines
		next := 0
		made := func(name, mark string, fields []string, rows int) {
			text := strings.Join(fields, mark) + "\n"
			for range rows {
				next++
				cells := map[string]string{"id": fmt.Sprint("R", next), "note": []string{"calm", "wet", "", "\"two\nlines\"", "\"a " + mark + " b\""}[next%5], "kilos": fmt.Sprint(next % 7), "jars": []string{"", "3"}[next%2],
					"forage": []string{"lime" + ";" + "ivy", "oak", ""}[next%3]}
				for i, f := range fields {
					if i > 0 {
						text += mark
					}
					if strings.Contains(cells[f], mark) && cells[f][0] != '"' {
						cells[f] = `"` + cells[f] + `"`
					}
					text += cells[f]
				}
				text += rapid.SampledFrom([]string{"\n", "\n", "\r\n", "\n\n"}).Draw(rt, "end")
			}
			require.NoError(rt, os.WriteFile(path(name), []byte(text), 0o644))
			files[path(name)] = strings.Split(text, "\n")
		}
		rows := rapid.SampledFrom([]int{2, 40, 1500}).Draw(rt, "rows")
		made("in.csv", ",", []string{"id", "note", "kilos", "jars", "forage"}, rows)
		made("two.csv", ";", []string{"note", "forage", "jars", "kilos", "id"}, rows/2)
		made("more.csv", ",", []string{"id", "note", "kilos"}, 5)
		steps := rapid.SliceOfNDistinct(rapid.SampledFrom(keeping), 0, 4, rapid.ID).Draw(rt, "steps")
		read := rapid.SampledFrom([]string{"read in.csv", "read in.csv two.csv", "read two.csv"}).Draw(rt, "read")
		memory := rapid.SampledFrom([]int64{0, 0, 200 << 10}).Draw(rt, "memory")
		env := run.Env{Workers: rapid.IntRange(1, 3).Draw(rt, "workers"), Aside: path("aside.csv"), Memory: memory}
		p := program(t, dir, read+"\n"+strings.Join(steps, "\n")+"\nset 'bad = id * 2'\nwrite out.csv")
		if _, err := run.Run(t.Context(), p, env); err != nil {
			require.NotContains(rt, err.Error(), "do not balance")
			return // it does not go with the fields there are
		}
		for _, r := range records(rt, path("aside.csv"))[1:] {
			source, line, step := r[0], r[1], r[2]
			if step != "set" || r[3] != "id" {
				continue
			}
			var row map[string]string
			require.NoError(rt, json.Unmarshal([]byte(r[6]), &row))
			n, err := strconv.Atoi(line)
			require.NoError(rt, err)
			lines := files[source]
			require.Less(rt, n-1, len(lines), "%q: %v", steps, r)
			at := lines[n-1]
			found := strings.HasPrefix(at, row["id"]+",") || strings.HasSuffix(strings.TrimSuffix(at, "\r"), ";"+row["id"])
			if !found && strings.Contains(source, "two.csv") { // the row goes on in the next line
				found = strings.HasSuffix(strings.TrimSuffix(lines[n], "\r"), ";"+row["id"])
			}
			require.True(rt, found, "%q, %s: %s is said to stand in line %d of %s, where %q stands", steps, read, row["id"], n, source, at)
			told++
		}
	})
	t.Logf("%d lines told", told)
	if !testing.Short() {
		require.Greater(t, told, 1000)
	}
}
