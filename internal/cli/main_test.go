package cli

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pgregory.net/rapid"
	"revuelta/internal/run"

	"revuelta/internal/plan"
	"revuelta/internal/step/catalog"
)

// at runs a command line, quoted as a plan's lines are, in the working folder.
func at(t *testing.T, line, stdin string) (status int, out, told string) {
	statements, err := plan.Parse("line", line)
	require.NoError(t, err, line)
	args := []string{}
	if len(statements) > 0 {
		args = append(args, statements[0].Name.Text)
		for _, w := range statements[0].Words {
			args = append(args, w.Text)
		}
	}
	var o, e bytes.Buffer
	status = Main(args, Streams{In: strings.NewReader(stdin), Out: &o, Err: &e})
	return status, o.String(), e.String()
}

// folder is a folder of a few files, which the test works in.
func folder(t *testing.T) {
	t.Chdir(t.TempDir())
	for name, text := range map[string]string{
		"harvest.csv": "apiary,colony,May kilos,June kilos\nVesk,026,1.10,2\n,007,,3\nTamro,T-1,4,5\n",
		"sites.csv":   "apiary;region\nVesk;north\nTamro;south\n",
		"month.plan":  "read harvest.csv\nfill apiary\nunpivot '{month} kilos' --value kilos --skip-blank\nwrite long.csv --crlf\n",
		"bad.plan":    "read harvest.csv\nfil apiary\n",
		"words.plan":  "read harvest.csv\nfill apiarie\nsort kilos --nosuch\nwhere 'kilos >'\nfields 'apiary,jars'\nfil x\nset 'y = z'\nwrite q.csv\nread harvest.csv\nwhere 'q > 1'\n",
	} {
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	}
}

func held(t *testing.T, name string) string {
	b, err := os.ReadFile(name)
	require.NoError(t, err)
	return string(b)
}

// TestWrongCommands: what is wrong is told in our words with what to try, the status is right, and nothing is written.
func TestWrongCommands(t *testing.T) {
	folder(t)
	before, err := os.ReadDir(".")
	require.NoError(t, err)
	for _, c := range []struct {
		line   string
		status int
		told   string // pieces parted by |
	}{
		{"unpivt x", 2, `there is no command "unpivt"|did you mean revuelta unpivot?`},
		{"xyzzy", 2, `there is no command "xyzzy"|try: revuelta --help`},
		{"select apiary harvest.csv", 2, `there is no command "select"|try: revuelta fields apiary harvest.csv`},
		{"filter 'kilos > 1' harvest.csv", 2, "try: revuelta where 'kilos > 1' harvest.csv"},
		{"where harvest.csv 'kilos > 1'", 2, "files come last: revuelta where 'kilos > 1' harvest.csv"},
		{"fields harvest.csv apiary", 3, "apiary: there is no such file|files come last: revuelta fields apiary harvest.csv"},
		{"where harvest.csv 'kilos > > 1'", 2, ".csv is not a number"},
		{"convert https://example.org/a.csv", 3, "nothing is read from the network|fetch it into a file first"},
		{"group --by apiary --calc 'avg(colony)' harvest.csv", 2, "there is no calculation avg|try: mean(colony)"},
		{"pivot --across 'weekday(colony) as w' --cell 'count()' harvest.csv", 2, "set 'w = weekday(colony)' first"},
		{"harvest.csv", 2, "try: revuelta look harvest.csv"},
		{"month.plan", 2, "try: revuelta run month.plan"},
		{"--verbose", 2, "there is no option --verbose here"},
		{"help unpivt", 2, "did you mean revuelta unpivot?"},
		{"sort", 2, "sort lacks its operand"},
		{"sort apiary --ordr text harvest.csv", 2, "sort has no option --ordr|try: --order"},
		{"sort apiary --order", 2, "--order lacks its value"},
		{"sort apiary --order up harvest.csv", 2, `"up"|number|text|natural`},
		{"sort apiary --limit ten harvest.csv", 2, `--limit "ten": it is a number from 1 up`},
		{"sort apiary --workers 0 harvest.csv", 2, "--workers \"0\": it is a number from 1 to 256"},
		{"sort apiary --memory lots harvest.csv", 2, "--memory \"lots\": it is a size"},
		{"sort apiary --delimiter '' harvest.csv", 2, "--delimiter"},
		{"sort apiary --encoding klingon harvest.csv", 2, "there is no such encoding"},
		{"sort apiary --header first harvest.csv", 2, "--header \"first\""},
		{"sort apiary --quote \"'\" harvest.csv", 2, "--quote"},
		{"sort apiary -o a.csv -o b.csv harvest.csv", 2, "given twice"},
		{"convert --write-as exel harvest.csv", 2, `--write-as "exel": there is no such format|xlsx`},
		{"convert --read-as cvs harvest.csv", 2, "--read-as csv"},
		{"convert --most-aside 3 harvest.csv", 2, "--most-aside goes with --set-aside"},
		{"convert --set-aside a.csv --most-aside x harvest.csv", 2, "--most-aside"},
		{"convert nowhere.csv", 3, "nowhere.csv: there is no such file"},
		{"convert harvst.csv", 3, "did you mean harvest.csv?"},
		{"convert .", 3, ".: this is a directory, not a file"},
		{"convert harvest.csv -o none/out.csv", 3, `none/out.csv: there is no folder "none"`},
		{"convert harvest.csv -o harvest.csv", 2, "harvest.csv is read here|--overwrite"},
		{"convert harvest.csv -o out.csv --account out.csv", 2, "out.csv is written twice"},
		{"convert harvest.csv -o out.csv --account harvest.csv", 2, "harvest.csv is read here"},
		{"convert harvest.csv -o out.csv --set-aside out.csv", 2, "out.csv is written twice"},
		{"convert harvest.csv -o out.csv --left-out a.csv --set-aside a.csv", 2, "a.csv is written twice"},
		{"convert harvest.csv --left-out harvest.csv", 2, "harvest.csv is read here"},
		{"sort apiary harvest.csv --plan harvest.csv", 2, "harvest.csv line 1: this is no plan"},
		{"sort apiary harvest.csv --plan sites.csv", 2, "sites.csv line 1: this is no plan"},
		{"sort apiary harvest.csv -o new.plan --plan new.plan", 2, "new.plan is written twice"},
		{"sort apiary harvest.csv --plan bad", 0, ""},
		{"version 1", 2, "version takes no operand"},
		{"recode apiary 'Vesk=V' harvest.csv --others -oV", 2, `--others "-oV"`}, // a value, no output
		{"look harvest.csv sites.csv", 2, "look takes one file, and 2 are named"},
		{"look harvest.csv --plan harvest.csv", 2, "harvest.csv is read here"},
		{"look harvest.csv --rows none", 2, "--rows \"none\""},
		{"profile harvest.csv --html harvest.csv", 2, "harvest.csv is read here"},
		{"profile harvest.csv --fields kilo", 1, `there is no field "kilo"|did you mean`},
		{"diff harvest.csv", 2, "diff compares two tables, and 1 is named"},
		{"diff harvest.csv sites.csv --key colony", 1, `there is no field "colony"`},
		{"run", 2, "run lacks its plan"},
		{"run none.plan", 3, "none.plan: there is no such file"},
		{"run bad.plan", 2, `bad.plan line 2: there is no step "fil"|did you mean fill?`},
		{"run harvest.csv", 2, "harvest.csv line 1: this is no plan|run PLAN harvest.csv"},
		{"run month.plan --since harvest.csv", 1, "harvest.csv: this is no account of a run"},
		{"run --step 'sort kilo' harvest.csv", 1, `there is no field "kilo"`},
		{"check bad.plan", 2, "bad.plan line 2"},
		{"check words.plan", 2, "words.plan line 2 (fill): harvest.csv: there is no field \"apiarie\""},
		{"check words.plan", 2, "words.plan line 3: sort has no option --nosuch"},
		{"check words.plan", 2, "words.plan line 5 (fields): there is no field \"jars\""},
		{"check words.plan", 2, "words.plan line 6: there is no step \"fil\""},
		{"check words.plan", 2, "words.plan line 10 (where): harvest.csv: there is no field \"q\""},
		{"trace bad.plan", 2, "bad.plan line 2"},
		{"trace month.plan --follow 'apiary ='", 2, "= is no operator here"},
		{"trace month.plan --rows -1", 2, "--rows"},
		{"functions left", 2, "functions takes no operand"},
		{"formats csv", 2, "formats takes no operand"},
		{"manual page", 2, "manual takes no operand"},
		{"completion", 2, "completion is written for bash, zsh or fish"},
		{"completion csh", 2, "completion is written for bash, zsh or fish"},
	} {
		status, _, told := at(t, c.line, "")
		assert.Equal(t, c.status, status, "%s: %s", c.line, told)
		for _, piece := range strings.Split(c.told, "|") {
			assert.Contains(t, told, piece, c.line)
		}
		if c.status > 0 {
			assert.True(t, strings.HasPrefix(told, "revuelta: "), "%s: %s", c.line, told)
		}
		_ = os.Remove("bad")
	}
	after, err := os.ReadDir(".")
	require.NoError(t, err)
	assert.Equal(t, len(before), len(after), "a file more than before")
	assert.Equal(t, "apiary;region\nVesk;north\nTamro;south\n", held(t, "sites.csv"))
}

// TestCommands: what commands write, and what they tell beside it.
func TestCommands(t *testing.T) {
	folder(t)
	for _, c := range []struct {
		line, stdin string
		status      int
		out, told   string // told: pieces parted by |
	}{
		{"convert", "a,b\n026, x \n", 0, "a,b\n026, x \n", "standard input   1 row  2 fields"},
		{"convert -", "a;b\n1;2\n", 0, "a,b\n1,2\n", ""},
		{"convert --quiet", "a\n1\n", 0, "a\n1\n", ""},
		{"convert --limit 1 --quiet harvest.csv", "", 0, "apiary,colony,May kilos,June kilos\nVesk,026,1.10,2\n", ""},
		{"convert --write-blank NA --bom --crlf --quiet", "a,b\n1,\n", 0, "\uFEFFa,b\r\n1,NA\r\n", ""},
		{"convert harvest.csv sites.csv --source from --quiet", "", 0,
			"apiary,colony,May kilos,June kilos,region,from\nVesk,026,1.10,2,,harvest.csv\n,007,,3,,harvest.csv\nTamro,T-1,4,5,,harvest.csv\nVesk,,,,north,sites.csv\nTamro,,,,south,sites.csv\n", ""},
		{"fields colony harvest.csv --quiet", "", 0, "colony\n026\n007\nT-1\n", ""},
		{"fields --quiet -- colony harvest.csv", "", 0, "colony\n026\n007\nT-1\n", ""},
		{"where 'colony == \"007\"' --quiet", held(t, "harvest.csv"), 0, "apiary,colony,May kilos,June kilos\n,007,,3\n", ""},
		{"run month.plan -o -", "", 0, "apiary,colony,month,kilos\nVesk,026,May,1.10\nVesk,026,June,2\nVesk,007,June,3\nTamro,T-1,May,4\nTamro,T-1,June,5\n", "harvest.csv|fill|unpivot|1 blank cell left out"},
		{"run month.plan - -o - --quiet", "apiary,July kilos\nUlmo,7\n", 0, "apiary,month,kilos\nUlmo,July,7\n", ""},
		{"run --step 'fields region' --step 'sort region' sites.csv --quiet", "", 0, "region\nnorth\nsouth\n", ""},
		{"run --step 'read sites.csv' --step 'fields region' --quiet", "", 0, "region\nnorth\nsouth\n", ""},
		{"check month.plan", "", 0, "line 1  read harvest.csv  4 fields  apiary, colony, May kilos, June kilos\nline 2  fill              4 fields  apiary, colony, May kilos, June kilos\n" +
			"line 3  unpivot           4 fields  apiary, colony, month, kilos\nline 4  write long.csv    4 fields  apiary, colony, month, kilos\n", ""},
		{"check --step 'pivot --across apiary --cell \"count()\"' --step 'sort apiary' harvest.csv", "", 0,
			"        read harvest.csv  4 fields  apiary, colony, May kilos, June kilos\nline 1  pivot             known only at the run\nline 2  sort              known only at the run\n", ""},
		{"trace --step 'fields colony' --step 'explode colony --at -' --rows 4 harvest.csv", "", 0, "read harvest.csv: 3 rows\napiary  colony  May kilos  June kilos\n───────────────────────────────────────\n" +
			"Vesk    026          1.10           2\n        007                         3\nTamro   T-1             4           5\n\nline 1, fields: 3 rows\ncolony\n────────\n026\n007\nT-1\n\nline 2, explode: 4 rows, 1 more\ncolony\n────────\n026\n007\nT*\n1*\n", ""},
		{"trace --step 'fields apiary' --step 'sort apiary' --step 'scrub apiary --case upper' --rows 3 harvest.csv sites.csv", "", 0, "read harvest.csv sites.csv: 5 rows\n" +
			"apiary  colony  May kilos  June kilos  region\n───────────────────────────────────────────────\nVesk    026          1.10           2\n        007                         3\nTamro   T-1             4           5\n\n" +
			"line 1, fields: 5 rows\napiary\n────────\nVesk\n\nTamro\n\nline 2, sort: 5 rows\napiary\n────────\nTamro\nTamro\nVesk\n\nline 3, scrub: 5 rows\napiary\n────────\nTAMRO*\nTAMRO*\nVESK*\n", ""},
		{"trace month.plan --follow 'colony == \"T-1\"'", "", 0, "line 1, read harvest.csv: 3 rows\napiary  colony  May kilos  June kilos\n───────────────────────────────────────\nTamro   T-1             4           5\n\n" +
			"line 2, fill: 3 rows\napiary  colony  May kilos  June kilos\n───────────────────────────────────────\nTamro   T-1             4           5\n\n" +
			"line 3, unpivot: 5 rows, 2 more\napiary  colony  +month  +kilos\n────────────────────────────────\nTamro   T-1     May          4\nTamro   T-1     June         5\n", ""},
		{"diff harvest.csv harvest.csv", "", 0, "the tables agree: 3 rows, 4 fields\n", ""},
		{"diff harvest.csv - --key colony", "colony,apiary,June kilos,May kilos\nT-1,Tamro,5.0,4\n026,Vesk,2,1.1\n007,x,3,\n", 1,
			"different: 1 cell\n  007: apiary \"\" and \"x\"\nnumbers written differently: 2 cells\n  T-1: June kilos \"5\" and \"5.0\"\n  026: May kilos \"1.10\" and \"1.1\"\n", ""},
		{"--version", "", 0, "revuelta " + Version + "\n", ""},
		{"", "", 0, overview(), ""},
		{"--help", "", 0, overview(), ""},
		{"help", "", 0, overview(), ""},
		{"help sort", "", 0, help(command{spec: catalog.Find("sort"), groups: groupsBeside(catalog.Find("sort"))}), ""},
		{"sort --help", "", 0, help(command{spec: catalog.Find("sort"), groups: groupsBeside(catalog.Find("sort"))}), ""},
		{"sort -h", "", 0, help(command{spec: catalog.Find("sort"), groups: groupsBeside(catalog.Find("sort"))}), ""},
	} {
		status, out, told := at(t, c.line, c.stdin)
		assert.Equal(t, c.status, status, "%s: %s", c.line, told)
		assert.Equal(t, c.out, out, c.line)
		for _, piece := range strings.Split(c.told, "|") {
			assert.Contains(t, told, piece, c.line)
		}
		if strings.Contains(c.line, "--quiet") {
			assert.Empty(t, told, c.line)
		}
	}
}

// TestWritingOptionsOfARun: those of the command line hold for the plan's last write, -o stands in its place.
func TestWritingOptionsOfARun(t *testing.T) {
	folder(t)
	const lines = "apiary,colony,month,kilos\nVesk,026,May,1.10\nVesk,026,June,2\nVesk,007,June,3\nTamro,T-1,May,4\nTamro,T-1,June,5\n"
	crlf := strings.ReplaceAll(lines, "\n", "\r\n")
	for _, c := range []struct{ options, file, want string }{
		{"", "long.csv", crlf},
		{"--bom", "long.csv", "\uFEFF" + crlf},
		{"--write-as tsv", "long.csv", strings.ReplaceAll(crlf, ",", "\t")},
		{"-o other.csv", "other.csv", lines},
		{"-o other.tsv", "other.tsv", strings.ReplaceAll(lines, ",", "\t")},
	} {
		_ = os.Remove("long.csv")
		status, out, told := at(t, "run month.plan --quiet "+c.options, "")
		require.Equal(t, 0, status, told)
		assert.Empty(t, out, "a plan that writes prints no table")
		assert.Equal(t, c.want, held(t, c.file), c.options)
		if c.file != "long.csv" {
			assert.NoFileExists(t, "long.csv", c.options)
		}
	}
}

// TestStepsAreKept: steps done one by one with --plan make a plan that does the same in one go.
func TestStepsAreKept(t *testing.T) {
	folder(t)
	require.NoError(t, os.WriteFile("messy.csv", []byte("Yield 2024;;\n;;\napiary;May kilos;June kilos\nVesk;1,5;NA\n;2;3\n* weighed wet;;\n"), 0o644))
	require.NoError(t, os.Mkdir("kept", 0o755))
	for _, line := range []string{
		"fill apiary messy.csv --header auto --foot auto --blank NA --plan kept/messy.plan -o 1.csv --quiet",
		"unpivot '{month} kilos' --value kilos --skip-blank 1.csv --plan kept/messy.plan -o 2.csv --quiet",
		"cast kilos number --decimal , 2.csv --plan kept/messy.plan -o 3.csv --quiet",
		"join sites.csv --on apiary 3.csv --plan kept/messy.plan -o 4.csv --quiet",
		"where 'kilos > 1 and apiary != \"it'\"'\"'s\"' 4.csv --plan kept/messy.plan -o 5.csv --quiet",
	} {
		status, _, told := at(t, line, "")
		require.Equal(t, 0, status, "%s: %s", line, told)
		require.Empty(t, told)
	}
	assert.Equal(t, "read ../messy.csv --delimiter ';' --header 3 --foot auto --blank NA\nfill apiary\nunpivot '{month} kilos' --value kilos --skip-blank\n"+
		"cast kilos number --decimal ,\njoin ../sites.csv --on apiary\nwhere \"kilos > 1 and apiary != \\\"it's\\\"\"\nwrite ../5.csv\n", strings.ReplaceAll(held(t, "kept/messy.plan"), "--delimiter ;", "--delimiter ';'"))
	want := held(t, "5.csv")
	assert.Equal(t, "apiary,month,kilos,region\nVesk,May,1.5,north\nVesk,May,2,north\nVesk,June,3,north\n", want)
	require.NoError(t, os.Remove("5.csv"))
	status, _, told := at(t, "run kept/messy.plan", "")
	require.Equal(t, 0, status, told)
	assert.Equal(t, want, held(t, "5.csv"))
	// A step that fails is not kept, nor one of a run that can't be.
	plan := held(t, "kept/messy.plan")
	for _, line := range []string{"sort nobody 5.csv --plan kept/messy.plan", "sort apiary none.csv --plan kept/messy.plan", "set 'x = apiary * 2' 5.csv --plan kept/messy.plan"} {
		status, _, _ := at(t, line, "")
		assert.NotZero(t, status, line)
		assert.Equal(t, plan, held(t, "kept/messy.plan"), line)
	}
}

// TestAccounts: the account as JSON says what the text says, also where the run failed.
func TestAccounts(t *testing.T) {
	folder(t)
	type entry struct {
		Name, Step            string
		Rows, Fields, Line    int64
		RowsIn                int64 `json:"rows_in"`
		RowsOut               int64 `json:"rows_out"`
		Made, Merged, LeftOut int64
		SetAside              int64 `json:"set_aside"`
		Notes                 []string
	}
	var books struct {
		Status                 string
		Failed                 run.Failure
		Inputs, Outputs, Steps []entry
	}
	read := func(line string, want int) {
		books.Failed, books.Inputs, books.Outputs, books.Steps = run.Failure{}, nil, nil, nil
		status, _, told := at(t, line+" --account books.json --quiet", "")
		require.Equal(t, want, status, told)
		require.NoError(t, json.Unmarshal([]byte(held(t, "books.json")), &books))
	}
	read("run month.plan", 0)
	assert.Equal(t, "done", books.Status)
	require.Len(t, books.Inputs, 1)
	require.Len(t, books.Outputs, 1)
	require.Len(t, books.Steps, 2)
	assert.Equal(t, []int64{3, 4}, []int64{books.Inputs[0].Rows, books.Inputs[0].Fields})
	assert.Equal(t, "long.csv", books.Outputs[0].Name)
	assert.Equal(t, []int64{5, 4}, []int64{books.Outputs[0].Rows, books.Outputs[0].Fields})
	assert.Equal(t, []int64{2, 3, 3, 3, 3, 5}, []int64{books.Steps[0].Line, books.Steps[0].RowsIn, books.Steps[0].RowsOut, books.Steps[1].Line, books.Steps[1].RowsIn, books.Steps[1].RowsOut})
	read("set 'x = colony * 1' harvest.csv --set-aside aside.csv -o out.csv", 0)
	assert.EqualValues(t, 1, books.Steps[0].SetAside)
	assert.Len(t, books.Outputs, 2)
	read("set 'x = colony * 1' harvest.csv -o never.csv", 1)
	assert.Equal(t, "failed", books.Status)
	assert.Equal(t, run.Failure{Message: `harvest.csv line 4, field "colony": "T-1" is not a number`, File: "harvest.csv", Line: 4, Field: "colony", Cell: "T-1",
		Step: "set", Tries: books.Failed.Tries}, books.Failed)
	assert.Contains(t, books.Failed.Tries, "--set-aside FILE")
	assert.NoFileExists(t, "never.csv")
	status, _, told := at(t, "convert harvest.csv -o out.csv --account -", "")
	require.Zero(t, status)
	assert.Contains(t, told, `"status": "done"`)
}

// TestWhatShellsGet: shells and the reader of man pages take what is made for them, and every command and option is in it.
func TestWhatShellsGet(t *testing.T) {
	for _, c := range []struct{ line, checker string }{{"completion bash", "bash -n"}, {"completion zsh", "zsh -n"}, {"completion fish", "fish -n"}, {"manual", "man -l"}} {
		status, out, told := at(t, c.line, "")
		require.Zero(t, status, told)
		for _, d := range described() {
			name := d.spec.Name
			if c.line == "manual" {
				name = ".SH " + strings.ToUpper(name) + "\n"
			}
			assert.Contains(t, out, name, c.line)
			for _, o := range d.spec.Options {
				if c.line == "manual" {
					assert.Contains(t, out, ".B "+roff("--"+o.Name), "%s: %s", c.line, d.spec.Name)
				} else {
					assert.Contains(t, out, o.Name, "%s: %s", c.line, d.spec.Name)
				}
			}
		}
		words := strings.Fields(c.checker)
		if _, err := exec.LookPath(words[0]); err != nil {
			continue // there is no such shell here
		}
		path := filepath.Join(t.TempDir(), "made")
		require.NoError(t, os.WriteFile(path, []byte(out), 0o644))
		cmd := exec.Command(words[0], append(words[1:], path)...)
		said, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s: %s", c.line, said)
	}
	if _, err := exec.LookPath("bash"); err == nil {
		_, made, _ := at(t, "completion bash", "")
		ask := func(words ...string) []string {
			script := made + "\nCOMP_WORDS=(" + strings.Join(words, " ") + "); COMP_CWORD=" + string(rune('0'+len(words)-1)) + "; _revuelta; printf '%s\\n' \"${COMPREPLY[@]}\"\n"
			out, err := exec.Command("bash", "-c", script).Output()
			require.NoError(t, err)
			return strings.Fields(string(out))
		}
		assert.Equal(t, []string{"unpivot"}, ask("revuelta", "unp"))
		assert.ElementsMatch(t, []string{"--totals", "--totals-name"}, ask("revuelta", "pivot", "--tot"))
		assert.Contains(t, ask("revuelta", "sort", "--"), "--memory")
		assert.False(t, slices.Contains(ask("revuelta", "sort", "--"), "--totals"))
	}
}

// TestOptionsStandAnywhere: options may come before, between and behind operands and files, with = or without; what comes out is the same.
func TestOptionsStandAnywhere(t *testing.T) {
	folder(t)
	rapid.Check(t, func(rt *rapid.T) {
		options := rapid.Permutation([]string{"--skip-blank", "--label month", "--value kilos", "--quiet", "--delimiter ,", "--limit 2", "--write-blank NA"}).Draw(rt, "options")
		words := []string{"'May kilos,June kilos'", "harvest.csv"} // these keep their order
		for _, o := range options {
			if rapid.Bool().Draw(rt, "with =") {
				o = strings.Replace(o, " ", "=", 1)
			}
			words = slices.Insert(words, rapid.IntRange(0, len(words)).Draw(rt, "place"), o)
		}
		line := "unpivot " + strings.Join(words, " ")
		status, out, told := at(t, line, "")
		require.Zero(rt, status, "%s: %s", line, told)
		require.Equal(rt, "apiary,colony,month,kilos\nVesk,026,May kilos,1.10\nVesk,026,June kilos,2\nNA,007,June kilos,3\n", out, line)
		require.Empty(rt, told)
	})
}
