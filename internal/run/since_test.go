package run

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSince(t *testing.T) {
	account := func(rows, left int64, step string, names ...string) *Account {
		return &Account{Status: "done", Inputs: []TableAccount{{Name: "in.csv", Rows: rows, Names: names}},
			Steps:   []StepAccount{{Step: step, RowsIn: rows, LeftOut: left}},
			Outputs: []TableAccount{{Name: "out.csv", Rows: rows - left, Names: names}}}
	}
	for _, c := range []struct {
		now, before *Account
		want        string
	}{
		{account(100, 10, "where", "a"), account(90, 8, "where", "a"), ""},
		{account(100, 10, "where", "a", "May"), account(100, 10, "where", "a", "April"), "in.csv: fields new: May|in.csv: fields gone: April|out.csv: fields new: May|out.csv: fields gone: April"},
		{account(100, 0, "where"), account(40, 0, "where"), "in.csv: 100 rows, 40 before|out.csv: 100 rows, 40 before"},
		{account(100, 5, "where"), account(100, 0, "where"), "where: 5 of 100 rows left out, 0 of 100 before"},
		{account(100, 40, "where"), account(100, 10, "where"), "where: 40 of 100 rows left out, 10 of 100 before"},
		{account(100, 0, "where"), account(100, 0, "distinct"), "step 1 is where now: the steps are others"},
		{&Account{Inputs: []TableAccount{{Name: "a"}, {Name: "b"}}}, &Account{Inputs: []TableAccount{{Name: "a"}}}, "input b is new"},
		{&Account{Steps: []StepAccount{{Step: "pivot", Across: []string{"May", "June"}}}}, &Account{Steps: []StepAccount{{Step: "pivot", Across: []string{"April", "May"}}}},
			"pivot: values new across: June|pivot: values gone from across: April"},
		{&Account{}, &Account{Outputs: []TableAccount{{Name: "a"}}}, "output gone: a"},
	} {
		// What is compared was written and read again.
		path := filepath.Join(t.TempDir(), "account.json")
		c.before.Status = "done"
		require.NoError(t, os.WriteFile(path, c.before.JSON(), 0o644))
		before, err := ReadAccount(path)
		require.NoError(t, err)
		assert.Equal(t, c.want, strings.Join(c.now.Since(before), "|"))
	}
	_, err := ReadAccount(filepath.Join(t.TempDir(), "none"))
	require.ErrorContains(t, err, "there is no such file")
}
