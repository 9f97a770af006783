package test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/plan"
)

// keepable are steps as an analyst does them one by one.
var keepable = []string{
	"join sites.csv --on apiary", "join sites.csv --on apiary --bring since", "join sites.csv --on apiary --partners first --alone drop", "number n", "number n --within apiary --by 'kilos desc'",
	"set 'n = 3'", "set 'twice = kilos * 2'", "set 'note = upper(note)'", "beside kilos --as next", "beside hive --as before --back 1 --within apiary", "fill apiary", "fill note --up", "scrub note",
	"distinct --by apiary", "distinct", "sort 'kilos desc, hive'", "sort note --order natural", "where 'kilos > 3'", "fields 'kilos,*'", "fields '!note'", "rename 'kilos=kg'", "rename --snake",
	"explode forage --at ';'", "explode forage --at ';' --position place", "split hive 'H{n:#}' --keep", "combine '{apiary} {hive}' --as place --keep", "combine apiary,hive --with / --as place",
	"group --by apiary --calc 'sum(kilos)' --calc 'count()'", "group --by apiary --calc 'mean(kilos) as m' --each-row", "pivot --down hive --across apiary --cell 'sum(kilos)'",
	"unpivot 'kilos,jars' --label what --value v --skip-blank", "recode apiary 'Vesk=V,Tamro=\"T, 1\"'", "cast kilos number", "bundle forage --with '; '", "append sites.csv", "assert --filled hive", "transpose",
}

// TestKeptStepsInOneRun: steps done one by one, each by a program of its own with a file between, are kept in a plan, which a program then
// runs in one go to the same bytes.
func TestKeptStepsInOneRun(t *testing.T) {
	bin, dir := binary(t), t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.WriteFile(path("sites.csv"), []byte("apiary,region,since\nVesk,\"north, high\",1998\nTamro,south,\nUlmo,,2003\n"), 0o644))
	do := func(args ...string) error {
		var told bytes.Buffer
		cmd := exec.Command(bin, args...)
		cmd.Dir, cmd.Stderr = dir, &told
		if err := cmd.Run(); err != nil {
			return fmt.Errorf("%w: %s", err, told.String())
		}
		return nil
	}
	whole := 0
	rapid.Check(t, func(rt *rapid.T) {
		_ = os.Remove(path("kept.plan"))
		var b strings.Builder
		mark := rapid.SampledFrom([]string{",", ";"}).Draw(rt, "mark")
		b.WriteString(strings.ReplaceAll("hive,apiary,kilos,jars,note,forage\n", ",", mark))
		for i := range rapid.SampledFrom([]int{1, 12, 400}).Draw(rt, "rows") {
			row := []string{fmt.Sprintf("H%d", i*7%30), []string{"Vesk", "Tamro", "Ulmo"}[i/2%3], fmt.Sprintf("%d.%d0", i%9, i%7), []string{"", "3", "12"}[i%3], []string{"calm", " wet ", `"two` + "\n" + `lines"`}[i%3], []string{`"lime; ivy"`, "oak", ""}[i%3]}
			b.WriteString(strings.Join(row, mark) + "\n")
		}
		require.NoError(rt, os.WriteFile(path("0.csv"), []byte(b.String()), 0o644))
		steps := rapid.SliceOfNDistinct(rapid.SampledFrom(keepable), 2, 4, rapid.ID).Draw(rt, "steps")
		for i, step := range steps {
			statements, err := plan.Parse("step", step)
			require.NoError(rt, err)
			args := []string{statements[0].Name.Text}
			for _, w := range statements[0].Words {
				args = append(args, w.Text)
			}
			if i > 0 {
				args = append(args, "--delimiter", ",", "--header", "1")
			}
			if err := do(append(args, fmt.Sprintf("%d.csv", i), "-o", fmt.Sprintf("%d.csv", i+1), "--plan", "kept.plan", "--quiet")...); err != nil {
				require.NotContains(rt, err.Error(), "panic")
				return // it does not go with the fields there are
			}
		}
		require.NoError(rt, do("run", "kept.plan", "-o", "all.csv", "--quiet"), "%q", steps)
		want, err := os.ReadFile(path(fmt.Sprintf("%d.csv", len(steps))))
		require.NoError(rt, err)
		got, err := os.ReadFile(path("all.csv"))
		require.NoError(rt, err)
		require.Equal(rt, string(want), string(got), "%q", steps)
		whole++
	})
	t.Logf("%d plans were kept whole", whole)
	if !testing.Short() {
		require.Greater(t, whole, 5)
	}
}
