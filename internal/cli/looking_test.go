package cli

import (
	"bytes"
	"cmp"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/compare"
	"revuelta/internal/diag"
	"revuelta/internal/plan"
	"revuelta/internal/step/catalog"
	"revuelta/internal/table"
)

// demoFiles writes the demo's files into the working folder.
func demoFiles(t *testing.T) {
	t.Chdir(t.TempDir())
	status, out, told := at(t, "demo coop", "")
	require.Zero(t, status, told)
	assert.Contains(t, out, "coop")
	t.Chdir("coop")
}

// TestLookAndProfile: what is told of each kind of file, as text, as JSON, as a plan that runs, and as a page.
func TestLookAndProfile(t *testing.T) {
	demoFiles(t)
	for _, c := range []struct {
		line string
		want string // pieces parted by |
	}{
		{"look harvest.csv", "csv, 454 bytes|header  row 1|fields  11|rows    9|revuelta unpivot '{month} {@:kilos|jars}' harvest.csv|apiary is blank under each label"},
		{"look harvest.csv --rows 2", "rows 1-6 of 10"},
		{"trace season.plan --rows 2", "apiary  keeper   colony|Vesk*   Onkara*  002"},
		{"look yearbook.csv", "title|header|foot|revuelta"},
		{"look cooperative.xlsx", "\"Harvest\": 8 rows, 9 fields, header rows 4 and 5, 2 notes at the foot — shown below|\"2024-12\": 3 rows, 4 fields|12 sheets have the same fields|revuelta convert --sheet '2024-*' --source sheet cooperative.xlsx"},
		{"look cooperative.xlsx --sheet Harvest", "Harvest|header"},
		{"look hives.csv", "forage|explode"},
		{"profile harvest.csv", "colony|April kilos|blank"},
		{"profile harvest.csv --fields 'colony,April kilos'", "colony|April kilos"},
		{"formats", "csv|parquet|read and written|md|written"},
		{"functions", "blank(|days_between(|part("},
		{"check season.plan --stages", "section  line  step|fill     in order|unpivot  rows"},
		{"check log.plan --stages", "looks at @stages|pivot  reduced"},
		{"completion bash", "revuelta"},
		{"manual", "unpivot"},
	} {
		status, out, told := at(t, c.line, "")
		require.Zero(t, status, "%s: %s", c.line, told)
		for _, piece := range strings.Split(strings.ReplaceAll(c.want, "kilos|jars", "kilos\x00jars"), "|") {
			assert.Contains(t, out, strings.ReplaceAll(piece, "\x00", "|"), c.line)
		}
	}
	for _, file := range []string{"harvest.csv", "yearbook.csv", "hives.csv", "survey.csv", "stages.csv", "cooperative.xlsx"} {
		_, out, _ := at(t, "look "+file+" --json", "")
		var found struct {
			File, Format string
			Fields       []string
			Findings     []struct{ Part, Command, Says string }
		}
		require.NoError(t, json.Unmarshal([]byte(out), &found), file)
		assert.Equal(t, file, found.File)
		assert.NotEmpty(t, found.Fields)
		for _, f := range found.Findings {
			assert.True(t, strings.HasPrefix(f.Command, "revuelta ") || f.Part == "told" && f.Command == "", f.Command)
		}
		status, _, told := at(t, "look "+file+" --plan "+file+".plan", "")
		require.Zero(t, status, told)
		status, out, told = at(t, "run "+file+".plan --quiet", "")
		require.Zero(t, status, "%s: %s", file, told)
		assert.NotEmpty(t, out)
	}
	status, _, told := at(t, "profile harvest.csv --html page.html", "")
	require.Zero(t, status, told)
	page := held(t, "page.html")
	for _, piece := range []string{"<html", "colony", "April kilos", "</html>"} {
		assert.Contains(t, page, piece)
	}
	assert.NotContains(t, page, "http://", "it needs nothing else")
	for line, want := range map[string]string{
		"profile harvest.csv --html harvest.csv": "harvest.csv", "look nope.csv": "no such file", "profile": "takes a file", "look harvest.csv survey.csv": "look",
		"look - --plan x.plan": "needs a file", "formats x": "takes no operand", "functions x": "takes no operand", "check nope.plan --stages": "no such file", "check --stages": "lacks its plan",
		"look harvest.csv --rows none": "--rows", "profile harvest.csv --fields nope": "there is no field",
	} {
		status, _, told := at(t, line, "a,b\n1,2\n")
		assert.NotZero(t, status, line)
		assert.Contains(t, told, want, line)
	}
}

// TestWhatIsSaidIsSaidAgain: the commands that look proposes read the file as look was told to, and so does its plan.
func TestWhatIsSaidIsSaidAgain(t *testing.T) {
	for _, c := range []struct{ options, text, command string }{
		{"--line-end cr", "apiary,Jan kg,Feb kg,Mar kg\rVesk,1,2,3\rTamro,3,4,5\r", ""},
		{"--delimiter '^'", "apiary^Jan kg^Feb kg^Mar kg\nVesk^1^2^3\nTamro^3^4^5\n", ""},
		{"--delimiter tab", "apiary\tJan kg\tFeb kg\tMar kg\nVesk, a\t1\t2\t3\nTamro\t3\t4\t5\n", ""},
		{"--quote none", "apiary,Jan kg,Feb kg,Mar kg\n\"Vesk,1,2,3\nTamro,3,4,5\n", ""},
		{"--encoding windows-1251", "apiary,Jan kg,Feb kg,Mar kg\n\xc2\xe5\xf1\xea,1,2,3\nTamro,3,4,5\n", ""},
		{"--read-as csv", "apiary,Jan kg,Feb kg,Mar kg\nVesk,1,2,3\nTamro,3,4,5\n", ""},
		{"--header 3 --body 5 --foot 1", "x\n\napiary,Jan kg,Feb kg,Mar kg\n(all),1,2,3\nVesk,1,2,3\nTamro,3,4,5\nthe end\n", ""},
		{"--blank 'x,y'", "apiary,Jan kg,Feb kg,Mar kg\nVesk,1,x,NA\nTamro,3,y,5\nUlmo,3,4,5\n", "--blank x,y,NA"},
	} {
		t.Run(c.options, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "in.txt")
			require.NoError(t, os.WriteFile(path, []byte(c.text), 0o644))
			status, out, told := at(t, "look "+path+" "+c.options, "")
			require.Zero(t, status, told)
			command := regexp.MustCompile(`revuelta (unpivot .*)`).FindStringSubmatch(out)
			require.NotNil(t, command, out)
			assert.Contains(t, command[1], cmp.Or(c.command, c.options))
			status, proposed, told := at(t, command[1], "")
			require.Zero(t, status, told)
			status, _, told = at(t, "look "+path+" "+c.options+" --plan "+path+".plan", "")
			require.Zero(t, status, told)
			assert.NotContains(t, held(t, path+".plan"), "left out here")
			status, planned, told := at(t, "run "+path+".plan", "")
			require.Zero(t, status, told)
			assert.Equal(t, proposed, planned)
		})
	}
}

// TestLookOfStandardInput: without a file look reads standard input, as the steps do.
func TestLookOfStandardInput(t *testing.T) {
	status, out, told := at(t, "look", "hive;kg\n1;2\n")
	require.Zero(t, status, told)
	status, named, told := at(t, "look -", "hive;kg\n1;2\n")
	require.Zero(t, status, told)
	assert.Equal(t, named, out)
	assert.Contains(t, out, `cells parted by ";"`)
}

// TestLettersStandForOptions: -oFILE and -q are --output FILE and --quiet, and a value that looks like one stays a value.
func TestLettersStandForOptions(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, line := range []string{"fill a --with -ox -q", "fill a -q --with -ox -o -", "fill a --with=-ox --quiet -o-"} {
		status, out, told := at(t, line, "a,b\n,2\n")
		assert.Zero(t, status, line)
		assert.Empty(t, told, line)
		assert.Equal(t, "a,b\n-ox,2\n", out, line)
	}
	status, _, told := at(t, "convert -oout.csv", "a\n1\n")
	require.Zero(t, status, told)
	assert.Equal(t, "a\n1\n", held(t, "out.csv"))
	var versions []string
	for _, line := range []string{"version", "--version", "-V"} {
		status, out, told := at(t, line, "")
		require.Zero(t, status, told)
		versions = append(versions, out)
	}
	assert.Regexp(t, "^revuelta [0-9.]+\n$", versions[0])
	assert.Equal(t, []string{versions[0], versions[0]}, versions[1:])
}

// TestTheScreen draws what a terminal of a size has room for, and counts the rest.
func TestTheScreen(t *testing.T) {
	var out bytes.Buffer
	s := &screen{w: &out, width: 40, height: 24}
	require.NoError(t, s.Start(table.NewSchema([]string{"colony", "kilos"})))
	for range 3 {
		b := &table.Batch{}
		b.Shape(2)
		b.Rows = 10
		for i := range b.Cols {
			for r := range b.Cols[i].Make(10) {
				b.Cols[i].Cells[r] = []string{"026", "1.10"}[i]
			}
		}
		require.NoError(t, s.Emit(b))
	}
	require.NoError(t, s.Close())
	assert.Equal(t, 14, strings.Count(out.String(), "026"))
	assert.Contains(t, out.String(), "rows 1-14 of 30")
	assert.NotNil(t, newScreen(&out, palette{}))
	assert.Equal(t, "  12 MB read, 3 s", bar(12e6, 0, 3*time.Second))
	half := bar(6e6, 12e6, time.Second)
	assert.Equal(t, 15, strings.Count(half, "▪"))
	assert.Contains(t, half, " 50 %  6 of 12 MB")
	assert.Contains(t, bar(9, 3, time.Second), "100 %", "never more than all")
	for n, want := range map[int64]string{0: "0 bytes", 1: "1 byte", 454: "454 bytes", 1536: "1.5 KiB", 5 << 19: "2.5 MiB"} {
		assert.Equal(t, want, sizeText(n), n)
	}
	assert.Equal(t, `line 7: kilos "5"`, rowText(compare.Row{Line: 7, Names: []string{"colony", "kilos"}, Cells: []string{"", "5"}}, "a.csv"))
	assert.Equal(t, `026: kilos "5"`, rowText(compare.Row{Line: 7, Key: []string{"026"}, KeyAt: []int{0}, Names: []string{"colony", "kilos"}, Cells: []string{"026", "5"}}, "a.csv"))
}

// TestReferenceHasAll: the reference and the examples cover every step and command.
func TestReferenceHasAll(t *testing.T) {
	text, examples := Reference(), Examples()
	for _, name := range append(catalog.Names(), "look", "profile", "run", "trace", "check", "diff", "convert") {
		assert.Contains(t, text, name)
		assert.NotEmpty(t, examples[name], name)
	}
}

// TestOutputsInTheWay: a folder that is not there, a file that is read, a name that is a folder.
func TestOutputsInTheWay(t *testing.T) {
	folder(t)
	require.NoError(t, os.Mkdir("here", 0o755))
	for line, want := range map[string]string{
		"convert harvest.csv -o here": "directory", "convert harvest.csv -o no/out.csv": "no folder", "convert harvest.csv -o harvest.csv": "would lose",
		"where 'apiary != \"\"' harvest.csv -o out.csv --left-out out.csv": "written twice", "convert harvest.csv --account harvest.csv": "would lose", "look harvest.csv --plan harvest.csv": "harvest.csv",
	} {
		status, _, told := at(t, line, "")
		assert.NotZero(t, status, line)
		assert.Contains(t, told, want, line)
	}
	entries, err := filepath.Glob("*")
	require.NoError(t, err)
	assert.NotContains(t, entries, "out.csv")
	assert.Equal(t, "apiary,colony,May kilos,June kilos\nVesk,026,1.10,2\n,007,,3\nTamro,T-1,4,5\n", held(t, "harvest.csv"))
}

// TestNothingActsOnTheTerminal: whatever files, fields and cells are named and hold, what people read of them has no control
// characters in it and none that can't be seen.
func TestNothingActsOnTheTerminal(t *testing.T) {
	t.Chdir(t.TempDir())
	const hostile = "\x1b]0;x\x07\u202Egpj\u009b31m"
	file := "har" + hostile + "vest.csv"
	text := "id,na\x1b[2Jme,\u202Ekilos,May\u0085,June\u0085\n1,a" + hostile + ",12,1,2\n2,\"x\ny\x1b[31m\",1" + hostile + ",3,4\n2,b;c" + hostile + ",3,4,5\n3," + hostile + "\xc3\xa9,,,\n"
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	require.NoError(t, os.WriteFile("other.csv", []byte(strings.ReplaceAll(text, "12", "13")), 0o644))
	require.NoError(t, os.WriteFile("bad.plan", []byte("read '"+file+"'\nfil '"+hostile+"'\nwhere '{"+hostile+"} > 3'\ncast '"+hostile+"' nothing\n"), 0o644))
	require.NoError(t, os.WriteFile("good.plan", []byte("read '"+file+"'\nunpivot '#4..#5' --skip-blank\nmark m\nset 'k\x1b[1m = id * 2'\nwrite 'o\x1b[1m.csv'\n"), 0o644))
	for _, line := range []string{
		"look FILE", "look FILE --all", "profile FILE", "diff FILE other.csv", "diff FILE other.csv --key id", "check bad.plan", "check good.plan", "run good.plan", "run bad.plan", "trace good.plan",
		"trace good.plan --follow 'id == 2'", "set 'x = #3 * 2' FILE", "where '{\u202Ekilos} > 3' FILE", "fields 'na' FILE", "fields '" + hostile + "' FILE", "pivot --down id --across '#2' --cell '#3' FILE",
		"pivot --down id --across '#2' --cell 'first(id)' FILE -o p.csv", "distinct --by '#3' FILE -o d.csv --left-out l.csv", "cast '#3' number FILE --set-aside a.csv -o c.csv", "convert 'x" + hostile + "'", "'" + hostile + "'",
		"convert FILE --sheet '" + hostile + "'", "convert FILE --" + hostile, "join FILE --on id other.csv", "recode '#2' --map FILE --others error FILE", "unpivot '{" + hostile + "' FILE", "split '#2' 'a{x}b' FILE",
		"assert --that 'id < 2' FILE", "convert FILE --delimiter '" + hostile + "'", "help '" + hostile + "'",
	} {
		statements, err := plan.Parse("line", strings.ReplaceAll(line, "FILE", "'"+file+"'"))
		require.NoError(t, err)
		args := []string{statements[0].Name.Text}
		for _, w := range statements[0].Words {
			args = append(args, w.Text)
		}
		var out, told bytes.Buffer
		a := &app{Streams: Streams{In: strings.NewReader(""), Out: &out, Err: &told}, draw: true}
		if err := a.run(t.Context(), args); err != nil {
			told.WriteString(diag.Lines(diag.Render(program, err)))
		}
		for name, said := range map[string]string{"out": out.String(), "error": told.String()} {
			at := strings.IndexFunc(said, func(r rune) bool { return r != '\n' && unicode.IsControl(r) || unicode.In(r, unicode.Bidi_Control) })
			if at >= 0 {
				assert.Failf(t, "acts on the terminal", "%s of %s: %q", name, line, said[max(0, at-60):min(len(said), at+40)])
			}
		}
		assert.NotEmpty(t, out.String()+told.String(), line)
	}
}

// TestLookListsTables: a database whose table is not named is not read, but its tables are told, and what names one.
func TestLookListsTables(t *testing.T) {
	t.Chdir(t.TempDir())
	for table, text := range map[string]string{"hives": "colony,kilos\n026,1\n007,2\n", "two words": "lot\nL-1\n"} {
		status, _, told := at(t, "convert -o 'coop.db#"+table+"'", text)
		require.Zero(t, status, told)
	}
	status, out, told := at(t, "look coop.db", "")
	require.Zero(t, status, told)
	assert.Contains(t, out, "\"hives\": 2 rows, 2 fields")
	assert.Contains(t, out, "\"two words\": 1 row, 1 field")
	command := regexp.MustCompile(`revuelta (look 'coop.db#hives')`).FindStringSubmatch(out)
	require.NotNil(t, command, out)
	status, out, told = at(t, command[1]+" --json", "")
	require.Zero(t, status, told)
	assert.Contains(t, out, `"colony"`)
	status, _, told = at(t, "look coop.db --plan p.plan", "")
	assert.Equal(t, 1, status)
	assert.Contains(t, told, "try: revuelta look 'coop.db#hives' --plan p.plan")
	assert.NoFileExists(t, "p.plan")
}
