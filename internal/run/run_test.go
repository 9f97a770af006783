package run_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/plan"
	"revuelta/internal/run"
)

// program makes a program of the lines of a plan.
func program(t *testing.T, dir, text string) *run.Program {
	statements, err := plan.Parse(filepath.Join(dir, "p"), text)
	require.NoError(t, err)
	p, err := plan.Build(filepath.Join(dir, "p"), statements)
	require.NoError(t, err)
	return p
}

// large is a table of many chunks, with quotes, breaks, blanks and lists.
func large(rows int) string {
	var b strings.Builder
	b.WriteString("id,apiary,note,May kilos,June kilos\n")
	for i := range rows {
		note := fmt.Sprintf("note %d", i%17)
		switch i % 50 {
		case 3:
			note = "\"two\nlines, \"\"quoted\"\"\""
		case 7:
			note = ""
		}
		fmt.Fprintf(&b, "H%05d,%s,%s,%d.%02d,%s\n", i, []string{"Vesk", "Tamro", "Ulmo", ""}[i/3%4], note, i%97, i%100, []string{"", "5", "0.125"}[i%3])
	}
	return b.String()
}

var plans = []string{
	"unpivot '{month} kilos' --value kilos",
	"unpivot '{month} kilos' --value kilos --skip-blank\nfill apiary\nset 'double = kilos * 2'\nwhere 'double > 3'",
	"fill apiary --up\nfields 'note,*'\nunpivot '{month} kilos' --value kilos\nscrub note\nrename --snake",
	"unpivot '{month} kilos' --value kilos\npivot --down apiary --across month --cell 'sum(kilos)' --cell 'median(kilos) as m' --totals both",
	"group --by apiary --calc 'first(id)' --calc 'last(note) as n' --calc 'mode(note) as m' --calc 'join(note, \"+\") as j' --calc 'stdev({May kilos}) as s'",
	"group --by 'apiary,note' --calc 'count()' --each-row\nassert --rows 30000",
	"split id 'H{n:2}{rest}' --keep\ncombine '{note} of {apiary}' --as text\nexplode text --at ' ' --position p\nwhere 'p < 4'",
	"sort 'note desc, apiary'\nnumber n --within apiary\ndistinct --by n\nbundle id --with ;",
	"distinct --by 'note,apiary'\nbeside id --as next --within apiary\nappend in.csv --source from",
	"fill apiary\njoin in.csv --on id --bring note --alone error\nmark a\njoin @a --on id --bring apiary",
}

// TestMemoryDoesNotShow: the bytes are the same where rows go to temporary files, of which none is left.
func TestMemoryDoesNotShow(t *testing.T) {
	dir, temp := t.TempDir(), t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(large(20000)), 0o644))
	for _, steps := range []string{
		"mark a\nsort 'note, id desc'\nmark b\nread @a\nsort 'May kilos'\njoin @b --on id --bring note",
		"sort '\"May kilos\" desc' --order number",
		"sort 'apiary, note'",
		"explode note --at ' '\ndistinct --by 'note,May kilos'\nfill apiary",
		"distinct --by 'id'",
		"group --by id --calc 'count()' --calc 'min(note)' --calc 'join(apiary, \"+\") as j' --calc 'share({May kilos}) as s'",
		"mark a\njoin @a --on id --bring 'note,apiary' --alone error",
		"where 'id > \"H01\"'\nrename 'May kilos=kilos2'\nmark a\nread in.csv\njoin @a --on 'id,note' --alone drop --when 'kilos2 < 90' --bring 'kilos2'",
		"group --by 'May kilos' --calc 'median({June kilos}) as m' --calc 'mode(apiary) as o' --calc 'distinct(id) as d' --calc 'last(id) as l'",
		"group --by id --calc 'count() as n' --each-row",
		"unpivot '{month} kilos' --value kilos\npivot --down id --across month --cell 'sum(kilos)' --cell 'max(kilos) as m' --totals both",
		"unpivot '{month} kilos' --value kilos\npivot --down 'id,note' --across month --cell kilos",
		"unpivot '{month} kilos' --value kilos\npivot --down id --across 'month,apiary' --cell 'first(kilos)' --cell 'share(kilos) as s' --expect 'May / Vesk' --others fold --totals field",
		"distinct",
	} {
		var first []byte
		for _, memory := range []int64{0, 200 << 10, 1 << 20} {
			p := program(t, dir, "read in.csv\n"+steps+"\nwrite out.csv")
			_, err := run.Run(t.Context(), p, run.Env{Workers: 2, Memory: memory, Temp: temp})
			require.NoError(t, err, steps)
			got, err := os.ReadFile(filepath.Join(dir, "out.csv"))
			require.NoError(t, err)
			if first == nil {
				first = got
				require.Greater(t, len(got), 500)
			}
			require.True(t, bytes.Equal(first, got), "%d bytes: %s", memory, steps)
			left, err := os.ReadDir(temp)
			require.NoError(t, err)
			require.Empty(t, left)
		}
	}
	p := program(t, dir, "read in.csv\nmark a\nread @a\nwrite out.csv")
	_, err := run.Run(t.Context(), p, run.Env{Memory: 1, Temp: filepath.Join(temp, "none")})
	require.ErrorContains(t, err, "the folder for temporary files")
}

// TestWorkersDoNotShow: the bytes are the same for any number of workers.
func TestWorkersDoNotShow(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(large(30000)), 0o644))
	for _, steps := range plans {
		var first []byte
		for _, workers := range []int{1, 2, 5} {
			p := program(t, dir, "read in.csv\n"+steps+"\nwrite out.csv")
			account, err := run.Run(t.Context(), p, run.Env{Workers: workers})
			require.NoError(t, err, steps)
			got, err := os.ReadFile(filepath.Join(dir, "out.csv"))
			require.NoError(t, err)
			if first == nil {
				first = got
				require.Greater(t, len(got), 50)
			}
			require.True(t, bytes.Equal(first, got), "%d workers: %s", workers, steps)
			assert.EqualValues(t, 30000, account.Inputs[0].Rows)
		}
	}
}

// TestErrorsKeepTheirPlace: the earliest row's error is told, then the
// earlier step's, for any number of workers; with a file for them, all faults are put aside, in order.
func TestErrorsKeepTheirPlace(t *testing.T) {
	dir := t.TempDir()
	lines := strings.Split(large(30000), "\n")
	// Line numbers count from 1 and row 0 stands on line 2; keep clear of the rows with two lines.
	spoil := func(row int, old, new string) int {
		line := 0
		for i, l := range lines {
			if strings.HasPrefix(l, fmt.Sprintf("H%05d,", row)) {
				lines[i] = strings.Replace(l, old, new, 1)
				line = i + 1
			}
		}
		require.Positive(t, line)
		return line
	}
	first := spoil(20001, ".", "x")
	second := spoil(20002, ".", "y")
	third := spoil(29000, ".", "z")
	long := spoil(25001, "H25001,", "H25001,,,,,late,")
	path := filepath.Join(dir, "in.csv")
	require.NoError(t, os.WriteFile(path, []byte(strings.Join(lines, "\n")), 0o644))
	steps := "\nset 'a = {May kilos} * 1'\nwhere 'a >= 0'\n"
	for _, workers := range []int{1, 2, 5} {
		for _, end := range []string{"", "fill apiary\n", "group --by apiary --calc 'sum(a)'\n"} {
			_ = os.Remove(filepath.Join(dir, "out.csv"))
			p := program(t, dir, "read in.csv"+steps+end+"write out.csv")
			_, err := run.Run(t.Context(), p, run.Env{Workers: workers})
			require.Error(t, err)
			assert.Contains(t, err.Error(), fmt.Sprintf("in.csv line %d, field \"May kilos\"", first))
			assert.NoFileExists(t, filepath.Join(dir, "out.csv"))

			aside := filepath.Join(dir, "aside.csv")
			account, err := run.Run(t.Context(), p, run.Env{Workers: workers, Aside: aside})
			require.NoError(t, err)
			text, err := os.ReadFile(aside)
			require.NoError(t, err)
			rows := strings.Split(strings.TrimSpace(string(text)), "\n")
			require.Len(t, rows, 5)
			for i, line := range []int{first, second, long, third} {
				assert.Contains(t, rows[i+1], fmt.Sprintf("in.csv,%d,", line))
			}
			assert.EqualValues(t, 3, account.Steps[0].SetAside)
			for most, fails := range map[string]bool{"3": true, "4": false, "0.01%": true, "1%": false} {
				_, err = run.Run(t.Context(), p, run.Env{Workers: workers, Aside: aside, Most: most})
				assert.Equal(t, fails, err != nil, most)
			}
		}
	}
}

func TestCancelledLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(large(1000)), 0o644))
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := run.Run(ctx, program(t, dir, "read in.csv\nfill apiary\nwrite out.csv"), run.Env{Workers: 2})
	require.ErrorIs(t, err, context.Canceled)
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, entries, 1)
}

func TestLimitStopsEarly(t *testing.T) {
	dir := t.TempDir()
	text := large(30000) + "late,row,with,many,too,many,cells\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(text), 0o644))
	account, err := run.Run(t.Context(), program(t, dir, "read in.csv --limit 100\nunpivot /kilos/\nwrite out.csv"), run.Env{Workers: 2})
	require.NoError(t, err, "faults beyond the limit are not told")
	assert.EqualValues(t, 100, account.Inputs[0].Rows)
	assert.EqualValues(t, 200, account.Outputs[0].Rows)
}

func TestLeftOutRowsGoToTheirFile(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte("a,b\n1,\n,\n2,x\n"), 0o644))
	left := filepath.Join(dir, "left.csv")
	p := program(t, dir, "read in.csv\nwhere 'a != 2'\nunpivot a,b --skip-blank\nwrite out.csv")
	_, err := run.Run(t.Context(), p, run.Env{LeftOut: left})
	require.NoError(t, err)
	got, err := os.ReadFile(left)
	require.NoError(t, err)
	assert.Equal(t, "source,line,step,field,cell,reason,row\n"+
		filepath.Join(dir, "in.csv")+",3,unpivot,,,all folded cells are blank,\"{\"\"a\"\":\"\"\"\",\"\"b\"\":\"\"\"\"}\"\n"+
		filepath.Join(dir, "in.csv")+",4,where,,,a != 2 does not hold,\"{\"\"a\"\":\"\"2\"\",\"\"b\"\":\"\"x\"\"}\"\n", string(got))
}

func TestMarks(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(large(5000)), 0o644))
	text := "read in.csv\nmark all\ngroup --by apiary --calc 'sum({May kilos}) as may'\nassert --balance 'sum(may)' --against @all\nwrite sums.csv\nread @all\nfields id\nwrite ids.csv"
	p := program(t, dir, strings.Replace(text, "--balance 'sum(may)'", "--balance 'count()'", 1))
	_, err := run.Run(t.Context(), p, run.Env{Workers: 2})
	require.ErrorContains(t, err, "assert failed: count() is 4 here and 5000 in @all")
	assert.NoFileExists(t, filepath.Join(dir, "ids.csv"))

	text = "read in.csv\nmark all\nunpivot '{month} kilos' --among 'May kilos' --value 'May kilos'\nassert --balance 'sum({May kilos})' --against @all\nwrite sums.csv\nread @all\nfields id\nwrite ids.csv"
	account, err := run.Run(t.Context(), program(t, dir, text), run.Env{Workers: 2})
	require.NoError(t, err)
	assert.EqualValues(t, 5000, account.Inputs[1].Rows)
	ids, err := os.ReadFile(filepath.Join(dir, "ids.csv"))
	require.NoError(t, err)
	assert.Equal(t, 5001, bytes.Count(ids, []byte("\n")))
}
