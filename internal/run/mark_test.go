package run_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/plan"
	"revuelta/internal/run"
)

// TestRowsKnowTheirLineBehindAMark: a fault is told with the file and line it was read from, also where the table was
// marked before, held in memory or in a temporary file.
func TestRowsKnowTheirLineBehindAMark(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(large(3000)), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "more.csv"), []byte("id,apiary\nH1,Vesk\n\nH2,7\nH3,Ulmo\n"), 0o644))
	aside := func(before, steps string, memory int64) string {
		path := filepath.Join(dir, "aside.csv")
		p := program(t, dir, before+steps+"set 'n = apiary * 2'\nwrite out.csv")
		_, err := run.Run(t.Context(), p, run.Env{Workers: 2, Memory: memory, Temp: dir, Aside: path})
		require.NoError(t, err, before+steps)
		got, err := os.ReadFile(path)
		require.NoError(t, err)
		return strings.ReplaceAll(string(got), dir+string(filepath.Separator), "")
	}
	for _, steps := range []string{
		"",
		"where 'apiary != \"Tamro\"'\n",
		"unpivot /kilos/ --value kilos\n",
		"explode note --at ' '\n",
		"pivot --across apiary --cell 'count()'\nset 'apiary = text(\"x\", Vesk)'\n",
	} {
		want := aside("read in.csv more.csv\n", steps, 0)
		assert.Contains(t, want, "in.csv", steps)
		if !strings.HasPrefix(steps, "pivot") {
			assert.Contains(t, want, "\nin.csv,2,set,apiary,Vesk,", steps)
			assert.Contains(t, want, "\nmore.csv,5,set,apiary,Ulmo,", steps)
		}
		for _, memory := range []int64{0, 1} {
			assert.Equal(t, want, aside("read in.csv more.csv\n", steps+"mark x\nread @x\n", memory), "%s%d bytes", steps, memory)
			assert.Equal(t, want, aside("read in.csv more.csv\nmark x\nread @x\n", steps, memory), "%s%d bytes", steps, memory)
		}
		appended := aside("read more.csv\nmark x\nread in.csv\n", steps+"append @x\n", 1)
		assert.Contains(t, appended, "\nmore.csv,5,set,apiary,Ulmo,", steps)
	}
}

// TestMarkedTablesStandWhereverAFileCan: each step that takes a file takes a marked table.
func TestMarkedTablesStandWhereverAFileCan(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{"in.csv": "apiary,kilos\nVesk,1.10\nTamro,4\n", "codes.csv": "old,new\nVesk,V\nTamro,T\nkilos,kg\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	for _, c := range []struct{ steps, want string }{
		{"recode apiary --map %", "apiary,kilos\nV,1.10\nT,4\n"},
		{"rename --map %", "apiary,kg\nVesk,1.10\nTamro,4\n"},
		{"join % --on apiary=old", "apiary,kilos,new\nVesk,1.10,V\nTamro,4,T\n"},
		{"set 'old = \"\"'\nappend %\nfields '!new'", "apiary,kilos,old\nVesk,1.10,\nTamro,4,\n,,Vesk\n,,Tamro\n,,kilos\n"},
		{"write other.csv\nread %", "old,new\nVesk,V\nTamro,T\nkilos,kg\n"},
	} {
		for _, table := range []string{"codes.csv", "@codes"} {
			p := program(t, dir, "read codes.csv\nmark codes\nread in.csv\n"+strings.ReplaceAll(c.steps, "%", table)+"\nwrite out.csv")
			_, err := run.Run(t.Context(), p, run.Env{Workers: 2})
			require.NoError(t, err, c.steps)
			got, err := os.ReadFile(filepath.Join(dir, "out.csv"))
			require.NoError(t, err)
			assert.Equal(t, c.want, string(got), "%s %s", c.steps, table)
		}
	}
	// Names that come from a marked table are known at the run; those from a file are not.
	for table, open := range map[string]bool{"codes.csv": false, "@codes": true} {
		checked, err := run.Check(t.Context(), program(t, dir, "read codes.csv\nmark codes\nread in.csv\nrecode apiary --map "+table+"\nrename --map "+table), run.Env{})
		require.NoError(t, err)
		require.Len(t, checked, 5)
		assert.Equal(t, []string{"apiary", "kilos"}, checked[3].Names)
		assert.Equal(t, open, checked[4].Open, table)
		if !open {
			assert.Equal(t, []string{"apiary", "kg"}, checked[4].Names)
		}
	}
}

// TestPlansRefuse: what a plan must not ask of marks and files, said before anything is read.
func TestPlansRefuse(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte("apiary,kilos\nVesk,1\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "codes.csv"), []byte("old,new\nVesk,V\n"), 0o644))
	for _, c := range []struct{ text, want string }{
		{"read in.csv\nmark x\nset a=1\nmark x", "line 4: a table was marked x in line 2 already"},
		{"read in.csv\njoin @x --on apiary\nmark x", "line 2: nothing was marked @x above"},
		{"read in.csv\nrecode apiary --map @x", "line 2: nothing was marked @x above"},
		{"read in.csv\nassert --balance 'count()' --against @x", "line 2: nothing was marked @x above"},
		{"read @x", "line 1: nothing was marked @x above"},
		{"read in.csv\nmark x\nread in.csv @x", "line 3: read @x: a marked table is read by itself"},
		{"read in.csv\nmark x\nread @x --header none", "line 3: read @x: --header is for files"},
		{"read in.csv\njoin codes.csv --on apiary=old\nwrite codes.csv", "codes.csv is read here: writing onto it would lose"},
		{"read in.csv\nrecode apiary --map codes.csv\nwrite codes.csv", "codes.csv is read here: writing onto it would lose"},
		{"read in.csv\nwrite a.csv\nread codes.csv\nwrite a.csv", "a.csv is written twice"},
		{"read in.csv\nwrite a.csv\nappend codes.csv\nwrite in.csv", "in.csv is read here"},
	} {
		statements, err := plan.Parse(filepath.Join(dir, "p"), c.text)
		require.NoError(t, err, c.text)
		p, err := plan.Build(filepath.Join(dir, "p"), statements)
		if err == nil {
			_, err = run.Run(t.Context(), p, run.Env{})
		}
		assert.ErrorContains(t, err, c.want, c.text)
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		assert.Len(t, entries, 2, c.text)
	}
	// A field's name may begin as a mark's does, and what is written with --overwrite may have been looked at.
	p := program(t, dir, "read in.csv\nrename kilos=@kilos\nsort @kilos\njoin codes.csv --on apiary=old\nwrite codes.csv --overwrite")
	_, err := run.Run(t.Context(), p, run.Env{})
	require.NoError(t, err)
	got, err := os.ReadFile(filepath.Join(dir, "codes.csv"))
	require.NoError(t, err)
	assert.Equal(t, "apiary,@kilos,new\nVesk,1,V\n", string(got))
}
