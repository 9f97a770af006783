package test

import (
	"encoding/json"
	"fmt"
	"html"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var reportedAccount = regexp.MustCompile(`(?s)<script type="application/json" id="account">(.*?)</script>`)

// reportOf is the page of a run, and the account in it.
func reportOf(t *testing.T, command string) (status int, page string, account map[string]any, told string) {
	t.Helper()
	status, _, told = program(t, command+" --report page.html")
	text, err := os.ReadFile("page.html")
	require.NoError(t, err, told)
	require.NoError(t, os.Remove("page.html"))
	found := reportedAccount.FindSubmatch(text)
	require.NotNil(t, found)
	require.NoError(t, json.Unmarshal(found[1], &account))
	return status, string(text), account, told
}

// TestReport: the page says what became of the rows, in words, and holds the account.
func TestReport(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("yield.csv", []byte("hive,April,May\nA,1.5,2\nB,x,\nC,,3\n"), 0o644))
	require.NoError(t, os.WriteFile("tidy.plan", []byte("read yield.csv\nunpivot '{month:April|May}' --value kilos --skip-blank\ncast kilos number\nwrite tidy.csv\n"), 0o644))
	status, page, account, told := reportOf(t, "run tidy.plan --set-aside aside.csv --account account.json")
	require.Zero(t, status, told)
	plain := html.UnescapeString(page)
	for _, says := range []string{"Every one of the 3 rows that were read is accounted for: on the way 1 made and 1 set aside.", "yield.csv", "SHA-256", "4 rows went in, 3 rows came out.", "kilos: is not a number",
		"1 row set aside", "cast kilos number", "written: rows set aside", "tidy.plan"} {
		assert.Contains(t, plain, says)
	}
	assert.NotContains(t, page, "http", "it needs no network")
	kept, err := os.ReadFile("account.json")
	require.NoError(t, err)
	var want map[string]any
	require.NoError(t, json.Unmarshal(kept, &want))
	assert.Equal(t, want, account)
}

// TestReportShowsRows: under each step stand its first rows, with every changed cell marked, and fields new and gone; also where several rows
// came of a line.
func TestReportShowsRows(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("yield.csv", []byte("hive;April;May\nA;1,5;2,5\nB;x;3,5\n"), 0o644))
	status, page, _, told := reportOf(t, "run --step \"unpivot '{month:April|May}' --value kilos\" --step 'cast kilos number --decimal ,' yield.csv --set-aside aside.csv -o out.csv")
	require.Zero(t, status, told)
	assert.Contains(t, page, "<h1>What became of the rows</h1>", "--step is no plan")
	assert.Contains(t, page, "Fields that went: April, May")
	assert.Contains(t, page, `<th scope="col" class="new">kilos <small>new</small></th>`)
	assert.Contains(t, page, "Rows set aside: 1 row in aside.csv, the first of each reason")
	assert.Contains(t, page, "What the fields of out.csv hold")
	assert.Contains(t, page, `histogram from 1.5 to 3.5`)
	assert.Equal(t, []string{"<mark>1.5</mark>", "<mark>2.5</mark>", "<mark>3.5</mark>"}, regexp.MustCompile(`<mark>.*?</mark>`).FindAllString(page, -1))
}

// TestReportChangesNothing: a run with a report writes what it writes without one, also onto its own input.
func TestReportChangesNothing(t *testing.T) {
	t.Chdir(t.TempDir())
	status, _, told := program(t, "demo honey")
	require.Zero(t, status, told)
	t.Chdir("honey")
	plans, err := filepath.Glob("*.plan")
	require.NoError(t, err)
	same := 0
	for _, plan := range plans {
		command := "run " + plan + " --set-aside aside.csv --overwrite -o "
		plainStatus, _, plainTold := program(t, command+"plain.csv --account plain.json")
		status, _, told := program(t, command+"told.csv --account told.json --report page.html")
		assert.Equal(t, plainStatus, status, "%s: %s%s", plan, plainTold, told)
		if status == 0 {
			same++
			assert.Equal(t, textOf(t, "plain.csv"), textOf(t, "told.csv"), plan)
		}
	}
	assert.Greater(t, same, 5)
	require.NoError(t, os.WriteFile("own.csv", []byte("a\n1.50\n2\n"), 0o644))
	status, _, told = program(t, "set 'a = a * 2' own.csv -o own.csv --overwrite --report page.html")
	require.Zero(t, status, told)
	assert.Equal(t, "a\n3\n4\n", textOf(t, "own.csv"))
	assert.Contains(t, textOf(t, "page.html"), "<mark>3</mark>")
}

// TestReportOfAFailedRun: it says where and why, and the status is the run's.
func TestReportOfAFailedRun(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("yield.csv", []byte("hive,kilos\nA,1\nB,</script><b>two</b>\n"), 0o644))
	status, page, account, told := reportOf(t, "cast kilos number yield.csv -o out.csv")
	assert.Equal(t, 1, status)
	assert.Contains(t, told, "is not a number")
	assert.Contains(t, page, "The run failed. No file was written or changed.")
	assert.Contains(t, page, "&lt;/script&gt;&lt;b&gt;two&lt;/b&gt;")
	assert.NotContains(t, page, "<b>two")
	assert.Equal(t, 1, strings.Count(page, "</script>"), "no cell ends it")
	assert.Contains(t, fmt.Sprint(account["failed"]), "</script><b>two</b>")
	assert.NoFileExists(t, "out.csv")
}

// TestReportOfManySteps: forty steps make a page of few bytes, also where a step makes a hundred fields.
func TestReportOfManySteps(t *testing.T) {
	t.Chdir(t.TempDir())
	rows := "hive,month,kilos\n"
	for i := range 100 {
		rows += fmt.Sprintf("A,m%d,%d\n", i, i)
	}
	require.NoError(t, os.WriteFile("long.csv", []byte(rows), 0o644))
	plan := "read long.csv\n" + strings.Repeat("where 'kilos >= 0'\n", 39) + "pivot --down hive --across month --cell kilos\nwrite wide.csv\n"
	require.NoError(t, os.WriteFile("long.plan", []byte(plan), 0o644))
	status, page, account, told := reportOf(t, "run long.plan")
	require.Zero(t, status, told)
	assert.Len(t, account["steps"], 40)
	assert.Less(t, len(page), 2<<20)
	assert.Equal(t, 40, strings.Count(page, "<article"))
	assert.Contains(t, page, "and 80 more")
	assert.NotContains(t, page, "NaN")
}

// TestReportRefused: a page is never written where something else is, or can't be.
func TestReportRefused(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("in.csv", []byte("a\n1\n"), 0o644))
	require.NoError(t, os.WriteFile("in.plan", []byte("read in.csv\n"), 0o644))
	for command, says := range map[string]string{
		"run in.plan --report in.plan":               "in.plan",
		"run in.plan --account in.plan":              "in.plan",
		"run in.plan --set-aside in.plan":            "in.plan",
		"convert in.csv --report in.csv":             "in.csv",
		"convert in.csv -o out.csv --report out.csv": "out.csv is written twice",
		"convert in.csv --report -":                  "the page goes to a file",
		"convert in.csv --report none/page.html":     "none",
	} {
		status, _, told := program(t, command)
		assert.NotZero(t, status, command)
		assert.Contains(t, told, says, command)
	}
	kept, err := os.ReadFile("in.csv")
	require.NoError(t, err)
	assert.Equal(t, "a\n1\n", string(kept))
	assert.Equal(t, "read in.csv\n", textOf(t, "in.plan"))
	status, _, _ := program(t, "convert in.csv -o other.csv --report none/page.html")
	assert.Equal(t, 3, status)
	assert.NoFileExists(t, "other.csv", "it is told before the run")
}

func textOf(t *testing.T, path string) string {
	t.Helper()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	return string(text)
}
