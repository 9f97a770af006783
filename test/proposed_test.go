package test

import (
	"bytes"
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/cli"
	"revuelta/internal/plan"
)

// program runs a command line, quoted as in a shell, in the working folder.
func program(t require.TestingT, line string) (status int, out, told string) {
	statements, err := plan.Parse("line", line)
	require.NoError(t, err, line)
	var args []string
	for _, w := range append([]plan.Word{statements[0].Name}, statements[0].Words...) {
		args = append(args, w.Text)
	}
	var o, e bytes.Buffer
	status = cli.Main(args, cli.Streams{In: strings.NewReader(""), Out: &o, Err: &e})
	return status, o.String(), e.String()
}

// fieldsOfAllKinds are names and cells as they come, tidy and untidy.
var fieldsOfAllKinds = []struct {
	names string // parted by |
	cells []string
}{
	{"apiary", []string{"Vesk", "Tamro", "Ulmo", " Vesk", "vesk", "North  Meadow", ""}}, {"hive", []string{"026", "007", "T-1", "H 3", ""}}, {"net, kg", []string{"1,5", "12,25", "1.234,50", "NA", ""}},
	{"kilos", []string{"1.10", "2", "3.5 kg", "4 kg", "-"}}, {"it's", []string{"a;b", "b", "c; a;b", ""}}, {"date", []string{"13.05.2024", "2.6.2024", "2024-05-02", "", "01.07.2024"}}, {"at", []string{"13/05/2024 14:30", "02/06/2024 09:00"}},
	{"Jan kilos|Jan jars|Feb kilos|Feb jars", []string{"1", "2", "", "3.5"}}, {"2022|2023|2024", []string{"5", "7", ""}}, {"Q1|Q2|Q3|Q4", []string{"1", "2"}}, {"Day 1|Day 2|Day 3", []string{"x", "y", ""}},
	{"q1|q2|q3|q4|q5", []string{"1", "2", "3", ""}}, {"tag", []string{"Vesk-03/2022", "Tamro-12/2023", "Ulmo-07/2022"}}, {"data", []string{`{"a":1,"b":"x"}`, `{"a":2}`, ""}}, {"offers", []string{`[{"item":"jar"}]`, `[]`, `[{"item":"lid"},{"item":"jar"}]`}},
	{"question", []string{"hives", "queen"}}, {"answer", []string{"3", "seen", "12", "not seen"}}, {"Total", []string{"3", "7", "12"}}, {"", []string{""}}, {"note", []string{"calm, sunny", "two\nlines", `a "word"`, "x"}}, {"{odd} *name*", []string{"1", "2"}},
}

// TestWhatLookProposesRuns: whatever a file is like, each command that look proposes runs as it stands, and so does the plan it writes.
func TestWhatLookProposesRuns(t *testing.T) {
	t.Chdir(t.TempDir())
	commands, plans := 0, 0
	rapid.Check(t, func(rt *rapid.T) {
		of := func(values ...string) string { return rapid.SampledFrom(values).Draw(rt, "of") }
		var names []string
		var cells [][]string
		for _, k := range rapid.SliceOfNDistinct(rapid.IntRange(0, len(fieldsOfAllKinds)-1), 2, 5, rapid.ID).Draw(rt, "kinds") {
			for _, n := range strings.Split(fieldsOfAllKinds[k].names, "|") {
				names, cells = append(names, n), append(cells, fieldsOfAllKinds[k].cells)
			}
		}
		mark := of(",", ";", "\t")
		quoted := func(s string) string {
			if strings.ContainsAny(s, "\"\n"+mark) {
				return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
			}
			return s
		}
		var b strings.Builder
		line := func(row []string) {
			for i, c := range row {
				if i > 0 {
					b.WriteString(mark)
				}
				b.WriteString(quoted(c))
			}
			b.WriteString("\n")
		}
		if of("title", "none", "none") == "title" {
			b.WriteString("Yield of the valley" + strings.Repeat(mark, len(names)-1) + "\n\n")
		}
		line(names)
		for range rapid.SampledFrom([]int{0, 1, 3, 12, 40}).Draw(rt, "rows") {
			var row []string
			for i := range names {
				row = append(row, of(cells[i]...))
			}
			line(row)
		}
		if of("foot", "none", "none") == "foot" {
			b.WriteString("* weighed after settling" + strings.Repeat(mark, len(names)-1) + "\n")
		}
		file := of("in.csv", "a file.csv", "it's.csv")
		require.NoError(rt, os.WriteFile(file, []byte(b.String()), 0o644))
		word := `"` + file + `"`
		status, out, told := program(rt, "look --json "+word)
		require.Zero(rt, status, "%s: %s", told, b.String())
		var f found
		require.NoError(rt, json.Unmarshal([]byte(out), &f))
		for _, finding := range f.Findings {
			if finding.Command == "" {
				require.Empty(rt, finding.Step)
				continue
			}
			command, ok := strings.CutPrefix(finding.Command, "revuelta ")
			require.True(rt, ok, "%+v", finding)
			status, _, told := program(rt, command)
			require.Zero(rt, status, "%s\n%s: %s\n%s", finding.Says, finding.Command, told, b.String())
			commands++
		}
		status, _, told = program(rt, "look --rows 3 --plan tidy.plan "+word)
		require.Zero(rt, status, told)
		status, _, told = program(rt, "run tidy.plan -o tidied.csv --quiet")
		text, err := os.ReadFile("tidy.plan")
		require.NoError(rt, err)
		require.Zero(rt, status, "%s\n%s\n%s", text, told, b.String())
		plans++
	})
	t.Logf("%d commands and %d plans ran", commands, plans)
	if !testing.Short() { // then few are drawn
		require.Greater(t, commands, 50)
	}
}
