package cli

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestDictionary: profile says the same of each field as text, as JSON and as a table.
func TestDictionary(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("p.csv", []byte("kilos,apiary\n501358806.8872,Vesk\n3,Ulmo\nmany,Vesk\n7,\n,Vesk\n"), 0o644))
	status, out, told := at(t, "profile p.csv", "")
	require.Zero(t, status, told)
	assert.Contains(t, out, "mean 167119605.6291")
	assert.Contains(t, out, `texts among them "many" 1`)
	status, out, told = at(t, "profile p.csv --json", "")
	require.Zero(t, status, told)
	var fields []map[string]any
	d := json.NewDecoder(strings.NewReader(out))
	d.UseNumber()
	require.NoError(t, d.Decode(&fields))
	require.Len(t, fields, 2)
	assert.Equal(t, "kilos", fields[0]["field"])
	assert.Equal(t, json.Number("167119605.629067"), fields[0]["mean"])
	assert.Equal(t, []any{map[string]any{"value": "many", "count": json.Number("1"), "line": json.Number("4")}}, fields[0]["texts"])
	assert.NotContains(t, fields[1], "mean")
	assert.Equal(t, []any{map[string]any{"value": "Vesk", "count": json.Number("3")}, map[string]any{"value": "Ulmo", "count": json.Number("1")}}, fields[1]["commonest"])
	status, _, told = at(t, "profile p.csv -o dictionary.csv", "")
	require.Zero(t, status, told)
	text, err := os.ReadFile("dictionary.csv")
	require.NoError(t, err)
	assert.Equal(t, "field,type,rows,blank,distinct,min,max,mean,stdev,median,q1,q3,longest,commonest\n"+
		"kilos,numbers and texts,5,1,4,3,501358806.8872,167119605.629067,289459639.230163,7,5,250679406.9436,501358806.8872,\n"+
		"apiary,text,5,1,2,Ulmo,Vesk,,,,,,Vesk,Vesk (3); Ulmo (1)\n", string(text))
	status, _, told = at(t, "profile p.csv -o p.csv", "")
	assert.Equal(t, 2, status)
	assert.Contains(t, told, "would lose what it holds")
	status, _, told = at(t, "profile p.csv -o d.nofmt", "")
	assert.Equal(t, 2, status, told)
}

// TestCheckForEditors: all that is wrong with a plan is told as JSON, of words and of fields, with the fields of the lines that are right.
func TestCheckForEditors(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("t.csv", []byte("a,b\n1,2\n"), 0o644))
	check := func(plan string) (status int, out struct {
		Errors []fault
		Steps  []checkedLine
	}) {
		require.NoError(t, os.WriteFile("p.plan", []byte(plan), 0o644))
		status, text, _ := at(t, "check p.plan --json", "")
		require.NoError(t, json.Unmarshal([]byte(text), &out), text)
		return status, out
	}
	status, out := check("read t.csv\nset 'x = a * 2'\nfields 'x,b'\n")
	assert.Zero(t, status)
	assert.Empty(t, out.Errors)
	assert.Equal(t, []checkedLine{{1, "read t.csv", []string{"a", "b"}}, {2, "set", []string{"a", "b", "x"}}, {3, "fields", []string{"x", "b"}}}, out.Steps)
	status, out = check("read t.csv\nwhere 'gone > 1'\nsort nope\nwrite out.nofmt\n")
	assert.Equal(t, 1, status)
	require.Len(t, out.Errors, 3)
	assert.Equal(t, []string{"gone", "nope"}, []string{out.Errors[0].Word, out.Errors[1].Word})
	assert.Equal(t, []int{2, 3, 4}, []int{out.Errors[0].Line, out.Errors[1].Line, out.Errors[2].Line})
	assert.Equal(t, "p.plan", out.Errors[0].Plan)
	assert.NotContains(t, out.Errors[0].Message, "p.plan")
	status, out = check("read t.csv\nset 'x = a +'\nsort a --ordr text\nunpivt a\n")
	assert.Equal(t, 2, status)
	require.Len(t, out.Errors, 3)
	assert.Equal(t, []string{"a +", "--ordr", "unpivt"}, []string{out.Errors[0].Word, out.Errors[1].Word, out.Errors[2].Word})
	assert.Equal(t, []string{"did you mean unpivot?"}, out.Errors[2].Tries)
}
