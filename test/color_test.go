package test

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var escape = regexp.MustCompile("\x1b\\[[0-9;]*m")

// TestColor: colours are about the text, never in place of it: without them it is the same, and they are there only where they are wanted.
func TestColor(t *testing.T) {
	t.Chdir(t.TempDir())
	status, _, told := program(t, "demo honey")
	require.Zero(t, status, told)
	t.Chdir("honey")
	for command, painted := range map[string]string{
		"look harvest.csv":           "\x1b[35mrevuelta unpivot",
		"look yearbook.csv":          "\x1b[1mrow",
		"trace season.plan":          "\x1b[32m+month",
		"trace season.plan --rows 2": "\x1b[1;4mVesk*",
		"cast kilo number tidy.csv":  "\x1b[1;31mrevuelta:",
		"unpivo x harvest.csv":       "\x1b[1;31mrevuelta:",
		"profile tidy.csv":           "",
		"check season.plan":          "",
	} {
		status, plainOut, plainTold := program(t, command)
		assert.NotContains(t, plainOut+plainTold, "\x1b", "%s: it goes to no terminal", command)
		for _, how := range []string{" --color always", " --color=always"} {
			paintedStatus, out, told := program(t, command+how)
			assert.Equal(t, status, paintedStatus, command)
			assert.Equal(t, plainOut, escape.ReplaceAllString(out, ""), command)
			assert.Equal(t, plainTold, escape.ReplaceAllString(told, ""), command)
			assert.Contains(t, out+told, painted, command)
		}
		_, out, told := program(t, command+" --color never")
		assert.Equal(t, plainOut+plainTold, out+told, command)
	}
	_, out, _ := program(t, "convert harvest.csv --color always")
	assert.NotContains(t, out, "\x1b", "a table that is written has none")
	for _, wrong := range []string{"look harvest.csv --color", "look harvest.csv --color blue", "--color= look harvest.csv"} {
		status, _, told := program(t, wrong)
		assert.Equal(t, 2, status, wrong)
		assert.Contains(t, told, "--color", wrong)
	}
}
