package inspect

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/table"
)

// The names of fields come back from selections, formulas and the shell as they went in, whatever they hold.
func TestNamesInCommands(t *testing.T) {
	odd := rapid.StringOfN(rapid.SampledFrom([]rune(`ab A1 _-.,;:*?!/\{}()[]"'#=+%$&|<>@~é日`)), 1, 12, -1)
	sh, err := exec.LookPath("sh")
	rapid.Check(t, func(t *rapid.T) {
		name := odd.Draw(t, "name")
		schema := table.NewSchema([]string{"before", name, "after"})
		if name == "before" || name == "after" {
			return
		}
		s, e := selection.Parse(selection.Written(name))
		require.NoError(t, e, name)
		at, e := s.Resolve(schema)
		require.NoError(t, e, name)
		require.Equal(t, []int{1}, at, "%q as %s", name, selection.Written(name))
		s, e = selection.Parse("!" + selection.Written(name))
		require.NoError(t, e, name)
		at, e = s.Resolve(schema)
		require.NoError(t, e, name)
		require.Equal(t, []int{0, 2}, at, "%q as %s", name, selection.Written(name))
		if !strings.ContainsAny(name, "{}") && name == strings.TrimSpace(name) { // a formula can name no other
			f, e := formula.Parse(inFormula(name))
			require.NoError(t, e, name)
			_, e = f.Bind(schema, -1)
			require.NoError(t, e, "%q as %s", name, inFormula(name))
		}
		if err == nil && rapid.IntRange(0, 9).Draw(t, "in a shell") == 0 {
			out, e := exec.Command(sh, "-c", "printf %s "+Shell(name)).Output()
			require.NoError(t, e)
			require.Equal(t, name, string(out))
		}
	})
}

// Words that mean something in a formula name a field there all the same.
func TestFieldsNamedAsWords(t *testing.T) {
	for _, name := range []string{"and", "or", "not", "in", "it", "true", "false", "null", "nil", "if", "else", "len", "text", "number", "date", "let", "matches", "contains", "blank"} {
		f, err := formula.Parse(inFormula(name) + ` == "x"`)
		require.NoError(t, err, name)
		require.Equal(t, []string{name}, f.Fields(), inFormula(name))
	}
}
