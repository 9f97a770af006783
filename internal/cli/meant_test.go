package cli

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestHabitsOfOthers: what people type by habit of other programs is answered with the whole command that it is here, which runs as it
// stands, or with the words for it.
func TestHabitsOfOthers(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("t.csv", []byte("apiary,branch,colony,date,kilos,jars,April kilos,May kilos,note\nVesk,Vesk,026,2024-05-02,1.5,3,1,2,a;b\nTamro,Ulmo,007,2024-06-30,2,4,3,4,b\n"), 0o644))
	require.NoError(t, os.WriteFile("s.csv", []byte("apiary;kilos\nVesk;1\n"), 0o644))
	require.NoError(t, os.WriteFile("sites.csv", []byte("site,name,other\nVesk,Hill,Ulmo\nTamro,Vale,Vesk\n"), 0o644))
	require.NoError(t, os.WriteFile("twice.csv", []byte("site,name\nVesk,Vesk\nVesk,Tamro\nTamro,Ulmo\n"), 0o644))
	require.NoError(t, os.WriteFile("long.csv", []byte("apiary,colony,month,kilos,jars\nVesk,026,May,1,4\nVesk,007,May,2,5\nVesk,026,June,3,4\nVesk,007,June,3,9\n"), 0o644))
	for wrote, means := range map[string]string{
		"fields apiary branch kilos t.csv --quiet":                         "try: revuelta fields apiary,branch,kilos --quiet t.csv",
		"group apiary branch t.csv":                                        "try: revuelta group --by apiary,branch --calc 'count()' t.csv",
		"group apiary --calc 'sum(kilos)' t.csv":                           "try: revuelta group --by apiary --calc 'sum(kilos)' t.csv",
		"sort date desc kilos t.csv":                                       "try: revuelta sort 'date desc,kilos' t.csv",
		"rename colony hive t.csv":                                         "try: revuelta rename 'colony=hive' t.csv",
		"rename hive=colony t.csv":                                         "say: rename 'colony=hive'",
		"where t.csv 'kilos > 1' --quiet":                                  "say: revuelta where 'kilos > 1' --quiet t.csv",
		"unpivot {month} kilos --value x t.csv":                            "try: revuelta unpivot '{month} kilos' --value x t.csv",
		"select apiary t.csv":                                              "try: revuelta fields apiary t.csv",
		"filter 'kilos > 1' t.csv":                                         "try: revuelta where 'kilos > 1' t.csv",
		"fields nosuch other t.csv":                                        "",
		"explode note --at , t.csv":                                        `say: the separator "," stands in no cell; ";" stands in 1 cell: --at ';'`,
		"where 'date > \"30/05/2024\"' t.csv":                              "say: dates are written as \"2024-05-30\"",
		"pivot --across 'month_of_year({date}) as m' --cell kilos t.csv":   "say: set 'm = month_of_year({date})' first",
		"fill apiary --delimiter , s.csv":                                  "say: --delimiter ';'",
		"run --step 'revuelta fill apiary' t.csv":                          "say: without the program's name",
		"run --step 'fill apiary | sort kilos' t.csv":                      "say: one step a line, without |",
		"run --step 'unpivot {month} kilos' t.csv":                         "say: unpivot '{month} kilos': an operand with spaces stands in quotes",
		"set 'label = apiary + \" \" + branch' t.csv":                      "try: text(apiary, \" \", branch)",
		"unpivot 'April kilos-May kilos' t.csv":                            "try: April kilos..May kilos",
		"unpivot 7..8 t.csv":                                               "try: #7..#8",
		"pivot --down apiary --across branch --cell 'April kilos' t.csv":   "try: {April kilos}",
		"sort 'kilos DESC' t.csv":                                          "try: kilos desc",
		"convert https://example.org/x.csv":                                "say: fetch it into a file first",
		"pivot --down apiary --across month --cell kilos long.csv --quiet": "try: revuelta pivot --down apiary,colony --across month --cell kilos long.csv --quiet",
		"group --by apiary --calc kilos long.csv":                          "try: revuelta group --by apiary,colony,month --calc kilos long.csv",
		"join sites.csv --on apiary t.csv":                                 "try: revuelta join sites.csv --on 'apiary=site' t.csv",
		"join sites.csv --on apiary=nosuch --bring other t.csv":            "try: revuelta join sites.csv --on 'apiary=site' --bring other t.csv",
		"join twice.csv --on apiary=site t.csv":                            "", // the key is right, and another would mean something else
		"join sites.csv --on apiary=site --bring nosuch t.csv":             "",
		"join sites.csv --on=site t.csv":                                   "try: revuelta join sites.csv '--on=apiary=site' t.csv",
		"join sites.csv --on branch=name t.csv":                            "try: revuelta join sites.csv --on 'branch=other' t.csv",
		"pivot --across 'weekday(date) as wd' --cell 'sum(kilos)' t.csv":   "say: set 'wd = weekday(date)' first",
	} {
		_, _, told := at(t, wrote, "")
		said, only := strings.CutPrefix(means, "say: ")
		switch {
		case means == "":
			assert.NotContains(t, told, "try: revuelta", wrote)
		case only:
			assert.Contains(t, told, said, wrote)
		default:
			assert.Contains(t, told, "  "+means+"\n", wrote)
			if command, whole := strings.CutPrefix(means, "try: revuelta "); whole {
				status, _, told := at(t, command, "")
				assert.Zero(t, status, "%s: %s", command, told)
			}
		}
	}
}

// TestNotesOfTheAccount: what is seldom meant, or not seen in the outcome, is said in the account.
func TestNotesOfTheAccount(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("t.csv", []byte("apiary,month,kilos\nVesk,March,1\nVesk,Jan.,2\nUlmo,March,3\n"), 0o644))
	for command, says := range map[string]string{
		"sort kilos --limit 2 t.csv":                                                       "--limit let 2 rows in, and sort saw no others; first 2 behind it",
		"pivot --across month --cell kilos t.csv":                                          "1 of 4 cells had no row",
		"pivot --across month --cell kilos --down apiary t.csv":                            `the values of "month" stand out of their turn: March, Jan.; --order calendar`,
		"explode month --at ';' t.csv":                                                     `the separator ";" stands in no cell`,
		"where 'month > \"30/05/2024\"' t.csv":                                             `"30/05/2024" is compared as a text`,
		"group --by apiary --calc 'sum(kilos) as so far' --each-row --running kilos t.csv": "results so far in 2 groups",
	} {
		status, _, told := at(t, command, "")
		assert.Zero(t, status, told)
		assert.Contains(t, told, says, command)
	}
	for _, quiet := range []string{"where 'kilos > 1' --limit 2 t.csv", "pivot --across month --cell kilos --order calendar t.csv", "sort kilos t.csv", "explode month --at . t.csv"} {
		_, _, told := at(t, quiet, "")
		assert.NotContains(t, told, "note:", quiet)
	}
}

// TestOthersAreToldWithTheirSums: values that nobody expects are told with their rows and sums, whoever worked on them, by each value.
func TestOthersAreToldWithTheirSums(t *testing.T) {
	t.Chdir(t.TempDir())
	var rows strings.Builder
	rows.WriteString("hive,kind,kilos\n")
	for i := range 6000 {
		rows.WriteString([]string{"a,clover,0.10\n", "b,lime,0.25\n", "b,ivy,\n"}[i%3])
	}
	rows.WriteString("a,heather,few\n")
	require.NoError(t, os.WriteFile("t.csv", []byte(rows.String()), 0o644))
	for _, workers := range []string{"1", "3"} {
		for others, says := range map[string]string{
			"drop": "left out: lime (2,000 rows with kilos 500.00), ivy (2,000 rows with kilos 0), heather (1 row)",
			"fold": "folded under others: lime (2,000 rows), ivy (2,000 rows), heather (1 row)",
		} {
			calc := map[string]string{"drop": "sum(kilos)", "fold": "count()"}[others]
			status, _, told := at(t, "pivot --down hive --across kind --cell '"+calc+"' --expect clover --others "+others+" --workers "+workers+" t.csv", "")
			assert.Zero(t, status, told)
			assert.Contains(t, strings.ReplaceAll(told, "\"", ""), says)
		}
	}
	_, _, told := at(t, "pivot --down hive --across kind --cell 'sum(kilos)' --expect clover --others fold --set-aside a.csv t.csv", "")
	assert.Contains(t, told, "folded under others: lime, ivy")
}

// TestJoinQuotesKeysWithoutAPartner: the first of them, in the order of the rows, whoever works on them.
func TestJoinQuotesKeysWithoutAPartner(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("sites.csv", []byte("hive,region\nH1,north\n"), 0o644))
	var rows strings.Builder
	rows.WriteString("hive,kilos\n")
	for range 3000 {
		rows.WriteString("H1,2.50000000000000000000000000\n")
	}
	rows.WriteString("Z9,1\nA7,1\nZ9,1\n,1\nB8,1\nA6,1\n")
	require.NoError(t, os.WriteFile("t.csv", []byte(rows.String()), 0o644))
	for _, workers := range []string{"1", "3"} {
		_, _, told := at(t, "join sites.csv --on hive --workers "+workers+" t.csv", "")
		assert.Contains(t, told, `6 without, as "Z9", "A7", "B8"`)
		_, _, told = at(t, "run --step 'sort hive' --step 'join sites.csv --on hive' --workers "+workers+" t.csv", "")
		assert.Contains(t, told, `6 without, as "Z9", "A7", "B8"`, "in another order, too")
	}
}
