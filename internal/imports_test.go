package internal

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// packages from the ground up: a package imports only those above it in this list.
var packages = []string{
	"revuelta/internal/diag",
	"revuelta/internal/view",
	"revuelta/internal/table",
	"revuelta/internal/rowstore",
	"revuelta/internal/pattern",
	"revuelta/internal/selection",
	"revuelta/internal/decimal",
	"revuelta/internal/numeral",
	"revuelta/internal/calendar",
	"revuelta/internal/formula",
	"revuelta/internal/calc",
	"revuelta/internal/format/delimited",
	"revuelta/internal/sheet",
	"revuelta/internal/server",
	"revuelta/internal/format",
	"revuelta/internal/compare",
	"revuelta/internal/step",
	"revuelta/internal/step/keying",
	"revuelta/internal/step/ordering",
	"revuelta/internal/step/rowwise",
	"revuelta/internal/step/reshape",
	"revuelta/internal/step/aggregate",
	"revuelta/internal/step/joining",
	"revuelta/internal/step/catalog",
	"revuelta/internal/run",
	"revuelta/internal/plan",
	"revuelta/internal/step/steptest",
	"revuelta/internal/inspect",
	"revuelta/demo",
	"revuelta/internal/cli",
	"revuelta/cmd/revuelta",
}

// interfaceOnly are packages that only internal/cli may use.
var interfaceOnly = []string{"github.com/urfave/cli", "github.com/mattn/go-runewidth", "golang.org/x/term", "flag", "log"}

func TestImportsGoOneWay(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}:{{join .Imports " "}}`, "revuelta/...").Output()
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	require.Greater(t, len(lines), 8)
	for _, line := range lines {
		path, imports, _ := strings.Cut(line, ":")
		if path == "revuelta/internal" || strings.HasPrefix(path, "revuelta/test") || strings.HasPrefix(path, "revuelta/cmd/") && path != "revuelta/cmd/revuelta" {
			continue
		}
		at := slices.Index(packages, path)
		require.GreaterOrEqual(t, at, 0, "%s is not among the packages", path)
		for _, i := range strings.Fields(imports) {
			if strings.HasPrefix(i, "revuelta/") {
				assert.Less(t, slices.Index(packages, i), at, "%s imports %s", path, i)
			}
			for _, only := range interfaceOnly {
				if path != "revuelta/internal/cli" {
					assert.False(t, i == only || strings.HasPrefix(i, only+"/"), "%s imports %s", path, i)
				}
			}
		}
	}
}

// TestCoreDoesNotPrint: only internal/cli writes to the standard streams or ends the program.
func TestCoreDoesNotPrint(t *testing.T) {
	out, _ := exec.Command("grep", "-rnE", `\bfmt\.Print|os\.(Stdout|Stderr|Stdin|Exit)\b|\bprintln\(`, "--include=*.go", "--exclude=*_test.go", "--exclude-dir=cli", ".").Output()
	assert.Empty(t, string(out))
}

// TestOneSafeCore: unsafe is imported by one package, and one parser alone tells that cells lie as they were parsed.
func TestOneSafeCore(t *testing.T) {
	out, _ := exec.Command("grep", "-rlE", `"unsafe"|go:linkname`, "--include=*.go", "--exclude-dir=view", "--exclude=imports_test.go", "..").Output()
	assert.Empty(t, string(out), "they import unsafe")
	out, _ = exec.Command("grep", "-rlE", `\.Parsed\(`, "--include=*.go", "--exclude=*_test.go", ".").Output()
	assert.Equal(t, "./format/delimited/parse.go\n", string(out), "who says that cells lie as they were parsed")
	out, _ = exec.Command("grep", "-rlE", `\.InGrid\(`, "--include=*.go", "--exclude=*_test.go", ".").Output()
	assert.Equal(t, "./format/delimited/parse.go\n", string(out), "who leaves cells as places in a grid")
	out, _ = exec.Command("grep", "-rlE", `\.TakeTurns\(`, "--include=*.go", "--exclude=*_test.go", ".").Output()
	assert.ElementsMatch(t, []string{"./step/reshape/unpivot_work.go", "./step/steptest/steptest.go"}, strings.Fields(string(out)), "who takes cells of a grid in turn")
	out, _ = exec.Command("grep", "-rlE", `\.Place\(`, "--include=*.go", "--exclude=*_test.go", ".").Output()
	assert.ElementsMatch(t, []string{"./step/joining/joined_cells.go", "./step/ordering/sort_rows.go", "./step/steptest/steptest.go"}, strings.Fields(string(out)), "who sets where cells lie by hand")
}

// TestOneKnowsServers: the protocol of database servers is known in one package.
func TestOneKnowsServers(t *testing.T) {
	out, _ := exec.Command("grep", "-rlE", `"github.com/jackc/pgx`, "--include=*.go", "--exclude=*_test.go", ".").Output()
	assert.ElementsMatch(t, []string{"./server/address.go", "./server/conn.go", "./server/faults.go", "./server/read.go", "./server/write.go"}, strings.Fields(string(out)))
	out, _ = exec.Command("grep", "-rnE", `"github.com/jackc/pgx/v5"$|"database/sql/driver"`, "--include=*.go", "--exclude=*_test.go", ".").Output()
	assert.Empty(t, string(out), "the library's connection alone is used")
}
