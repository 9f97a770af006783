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
	assert.Equal(t, []any{map[string]any{"value": "many", "count": json.Number("1")}}, fields[0]["texts"])
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
