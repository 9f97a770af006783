package run_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/run"
	"revuelta/internal/step/catalog"
)

// links are steps that may follow each other, as long as the fields they name are there.
var links = []string{
	"where 'id != \"H7\"'", "where '{May kilos} > 20'", "sort 'note, id desc'", "sort id", "fill apiary", "fill apiary,note --up",
	"join other.csv --on id --partners each --alone keep", "join other.csv --on id --partners first --alone drop --bring 'size'",
	"join other.csv --on 'id' --partners each --alone drop --bring 'keeper'", "fields 'keeper,size,*'", "fields 'size,keeper,id,forage,note'",
	"explode forage --at ';'", "explode forage --at ';' --position place", "explode note --at ' '", "bundle forage --with ';'",
	"first 20", "first 2 --within apiary", "first 1 --within 'apiary,note'", "distinct", "distinct --by id", "distinct --by 'id,apiary,note'", "distinct --by forage", "distinct --by 'size,keeper'", "group --by 'size,keeper' --calc 'count()'",
	"unpivot '{month} kilos' --value kilos", "unpivot '{month} kilos' --value kilos --skip-blank", "pivot --down id --across apiary --cell 'count()'",
	"group --by 'id,note' --calc 'count()' --calc 'first(forage) as forage'", "group --by apiary --calc 'sum({May kilos}) as kilos' --each-row",
	"fields 'id,forage,note,*'", "fields 'note,id,forage,apiary'", "fields 'forage,id'", "rename 'note=remark'", "rename 'remark=note'",
	"set 'double = {May kilos} * 2'", "set 'note = upper(note)'", "scrub note", "combine '{id}/{note}' --as both --keep", "split id 'H{n}' --keep",
	"beside id --as next", "number n", "number n --within id", "append other.csv", "fields id", "fields 'id,note'", "fields keeper,size",
	"recode apiary 'Vesk=V,Tamro=a \"T\"'", "split note --at ' ' --into a,b --more last --fewer blank", "cast 'May kilos' number", "cast 'May kilos' text",
	"unpivot 'May kilos,June kilos' --label month --value v", "set 'size = 5'", "set 'note = \"\"'", "combine id,note --with ';' --as key",
	"join other.csv --on id=id --partners each --alone keep --when 'size > 300'", "mark m\nread @m", "fill note --up", "number n\nbeside n --as m",
	"fill apiary --within note", "fill 'apiary,note' --right", "fill apiary,note --with 0", "assert --filled id", "assert --unique 'id,note' --that 'note != \"x\"'",
	"rename '{x:note|apiary}' --into '{x}{x}'", "rename --snake", "scrub apiary,note --case upper", "recode note 'note 3=' --others blank", "pivot --across apiary --cell 'first(note)'", "bundle note --with , --within id,apiary",
	"bundle id --with ' + '", "transpose", "scrub forage --case lower", "where 'forage != \"\"'", "write tee.csv",
}

// TestEveryStepIsTried: a new step is asked for in the lists from which chains are drawn.
func TestEveryStepIsTried(t *testing.T) {
	tries := func(lines []string, name string) bool {
		return slices.ContainsFunc(lines, func(line string) bool {
			return line == name || strings.HasPrefix(line, name+" ") || strings.Contains(line, "\n"+name+" ")
		})
	}
	single := map[string]bool{"pivot": true, "bundle": true, "transpose": true, "stencil": true} // what they make is not of single rows
	for _, name := range catalog.Names() {                                                       // a stencil comes right after reading and follows no step
		require.True(t, tries(links, name) || name == "stencil", "%s is not among the steps that follow each other", name)
		require.True(t, tries(keeping, name) || single[name], "%s is not among the steps that keep a row's line", name)
	}
}

// table is one that is written by a hand of its own: lineEnd stands behind its rows.
func table(rt *rapid.T, rows int, lineEnd string) string {
	var b strings.Builder
	b.WriteString("id,apiary,note,forage,May kilos,June kilos" + lineEnd)
	odd := rapid.SampledFrom([]int{0, 0, 3, 400}).Draw(rt, "odd") // every so manieth row has something unusual
	ids := rapid.SampledFrom([]int{3, 40, 5000}).Draw(rt, "ids")
	for i := range rows {
		note, forage := fmt.Sprintf("note %d", i%17), []string{"clover", "lime;ivy", "ivy; heather ;lime", "willow"}[i%4]
		if odd > 0 && i%odd == 1 {
			note = []string{"\"two\nlines\"", "\"a \"\"word\"\"\"", "", "é;ü", "\" x, y\""}[i/odd%5]
			forage = []string{"", ";", "\"lime,;ivy\"", "lime;;ivy"}[i/odd%4]
		}
		fmt.Fprintf(&b, "H%d,%s,%s,%s,%d.%02d,%s%s", i*7%ids, []string{"Vesk", "Tamro", ""}[i/3%3], note, forage, i%97, i%100, []string{"", "5", "0.125"}[i%3], lineEnd)
	}
	return b.String()
}

// TestStepsThroughFiles: steps that hand their rows to each other give what they give one by one, with a file between
// them, which knows nothing of how the rows lie in memory.
func TestStepsThroughFiles(t *testing.T) {
	dir := t.TempDir()
	var other strings.Builder
	other.WriteString("id,size,keeper\n")
	for i := range 900 {
		fmt.Fprintf(&other, "H%d,%s,%s\n", i%60, []string{fmt.Sprint(i), "1", "\"1,2\"", fmt.Sprint(i)}[i/7%4], []string{"Ines Duarte", "\"2,x\"", "x", "A rather longer name; of two"}[i/7%4])
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "other.csv"), []byte(other.String()), 0o644))
	failed := 0
	rapid.Check(t, func(rt *rapid.T) {
		require.NoError(rt, os.WriteFile(filepath.Join(dir, "0.csv"), []byte(table(rt, rapid.SampledFrom([]int{1, 30, 700, 4000}).Draw(rt, "rows"), rapid.SampledFrom([]string{"\n", "\r\n"}).Draw(rt, "line end"))), 0o644))
		written := rapid.SampledFrom([]string{"", " --crlf", " --write-blank NA", " --write-as tsv", " --write-as ndjson", " --write-as html"}).Draw(rt, "written")
		steps := rapid.SliceOfNDistinct(rapid.SampledFrom(links), 2, 5, rapid.ID).Draw(rt, "steps")
		if !throughFiles(rt, t, dir, steps, written) {
			failed++
		}
	})
	t.Logf("%d chains ended with an error", failed)
}

// throughFiles runs steps on 0.csv in one go, and one by one with a file between, and compares what is written at the end; false where they end with an error.
func throughFiles(rt *rapid.T, t *testing.T, dir string, steps []string, written string) bool {
	do := func(from, steps, to string) error {
		p := program(t, dir, "read "+from+" --delimiter , --header 1\n"+steps+"\nwrite "+to)
		_, err := run.Run(t.Context(), p, run.Env{Workers: 2})
		return err
	}
	all := do("0.csv", strings.Join(steps, "\n"), "all.csv"+written)
	for i, s := range steps {
		to := fmt.Sprintf("%d.csv", i+1)
		if i == len(steps)-1 {
			to += written
		}
		if err := do(fmt.Sprintf("%d.csv", i), s, to); err != nil {
			require.Error(rt, all, "alone %s says: %s", s, err)
			return false
		}
		if i < len(steps)-1 && renamed(rt, filepath.Join(dir, to)) {
			return true // a name made of a cell with line breaks is another one when it has been read
		}
	}
	require.NoError(rt, all, "%q", steps)
	want, err := os.ReadFile(filepath.Join(dir, fmt.Sprintf("%d.csv", len(steps))))
	require.NoError(rt, err)
	got, err := os.ReadFile(filepath.Join(dir, "all.csv"))
	require.NoError(rt, err)
	require.True(rt, string(want) == string(got), "%q: %s", steps, firstDifference(string(want), string(got)))
	return true
}

// renamed tells whether names in a header are not what they are when they are read.
func renamed(rt *rapid.T, path string) bool {
	text, err := os.ReadFile(path)
	require.NoError(rt, err)
	names, err := csv.NewReader(bytes.NewReader(text)).Read()
	require.NoError(rt, err)
	return slices.ContainsFunc(names, func(n string) bool { return strings.Join(strings.Fields(n), " ") != n })
}

func firstDifference(want, got string) string {
	i := 0
	for i < min(len(want), len(got)) && want[i] == got[i] {
		i++
	}
	i = max(i-60, 0)
	return fmt.Sprintf("want %q, got %q", want[i:min(i+120, len(want))], got[i:min(i+120, len(got))])
}
