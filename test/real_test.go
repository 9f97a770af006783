package test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestRealFiles: of files that nobody here wrote (tools/realfiles/fetch), look says what is right to say of each, by labels that were made by
// reading what it said and the files; each command runs, and so does each plan. What is tolerated is of little use, and does no harm.
func TestRealFiles(t *testing.T) {
	folder := os.Getenv("REVUELTA_REAL_FILES")
	if folder == "" {
		t.Skip("REVUELTA_REAL_FILES names no folder with the files")
	}
	labels, err := os.ReadFile(filepath.Join("..", "tools", "realfiles", "labels.tsv"))
	require.NoError(t, err)
	list := func(s string) []string {
		return slices.DeleteFunc(strings.Split(s, ","), func(w string) bool { return w == "" })
	}
	folder, err = filepath.Abs(folder)
	require.NoError(t, err)
	t.Chdir(t.TempDir())
	files, right, tolerated, missed := 0, 0, 0, 0
	for _, line := range strings.Split(strings.TrimSuffix(string(labels), "\n"), "\n")[1:] {
		columns := strings.Split(line, "\t")
		file := filepath.Join(folder, columns[0])
		if _, err := os.Stat(file); err != nil {
			t.Logf("%s was not fetched", columns[0])
			continue
		}
		files++
		word := `"` + file + `"`
		status, out, told := program(t, "look --json "+word)
		require.Zero(t, status, "%s: %s", file, told)
		var f found
		require.NoError(t, json.Unmarshal([]byte(out), &f))
		wanted, allowed := list(columns[1]), list(columns[2])
		for _, x := range f.Findings {
			says := x.Part + " " + x.Kind
			switch {
			case slices.Contains(wanted, says):
				right++
			case slices.Contains(allowed, says):
				tolerated++
			default:
				t.Errorf("%s: %s: %s: %s", columns[0], says, x.Says, x.Command)
			}
			if x.Command != "" {
				status, _, told := program(t, strings.TrimPrefix(x.Command, "revuelta "))
				assert.Zero(t, status, "%s: %s", x.Command, told)
			}
		}
		for _, w := range wanted {
			if !slices.ContainsFunc(f.Findings, func(x struct{ Kind, Part, Says, Evidence, Question, Step, Command string }) bool {
				return x.Part+" "+x.Kind == w
			}) {
				missed++
				t.Errorf("%s: nothing says %s", columns[0], w)
			}
		}
		if len(f.Findings) > 0 && f.Findings[0].Kind == "reading" && f.Findings[0].Part == "told" {
			continue // nothing reads it as it is
		}
		require.NoError(t, os.RemoveAll("start.plan"))
		status, _, told = program(t, "look --plan start.plan "+word)
		require.Zero(t, status, told)
		status, _, told = program(t, "run start.plan -o out.csv --overwrite --quiet")
		assert.Zero(t, status, "%s: the plan: %s", columns[0], told)
	}
	t.Logf("%d files: %d findings are right, %d tolerated, %d missed", files, right, tolerated, missed)
}
