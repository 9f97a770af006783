package server

import (
	"flag"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/demo"
)

var update = flag.Bool("update", false, "write what the commands of the pages print into them")

var (
	block   = regexp.MustCompile("(?s)```console server\n(.*?)```")
	seconds = regexp.MustCompile(`\b[0-9]+\.[0-9]{2} s\b`)
)

// TestPages runs the commands of the pages that need a server, on the demo data, and compares what they print. A line that begins with >
// goes on with the command above.
func TestPages(t *testing.T) {
	n := 0
	for _, page := range []string{"../../docs/servers.md", "../../docs/cookbook.md"} {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		d := fresh(t)
		root := &database{t: t, name: "postgres"}
		root.do("drop database if exists farm")
		root.do("create database farm template template0")
		env := append(os.Environ(), "PGHOST="+there.folder, "PGPORT="+there.port, "PGUSER=postgres", "PGDATABASE=farm", "PGPASSFILE=/nowhere")
		require.NoError(t, demo.Write(d.dir))
		made := block.ReplaceAllStringFunc(string(text), func(b string) string {
			var out strings.Builder
			out.WriteString("```console server\n")
			for _, part := range strings.Split("\n"+strings.TrimSuffix(strings.TrimPrefix(b, "```console server\n"), "```"), "\n$ ")[1:] {
				lines := strings.Split(part, "\n")
				command := lines[0]
				out.WriteString("$ " + lines[0] + "\n")
				for _, l := range lines[1:] {
					if !strings.HasPrefix(l, "> ") {
						break
					}
					command += "\n" + l[2:]
					out.WriteString(l + "\n")
				}
				n++
				cmd := exec.Command("sh", "-c", command)
				cmd.Dir, cmd.Env = d.dir, env
				told, _ := cmd.CombinedOutput() // examples of what is refused fail
				out.WriteString(seconds.ReplaceAllString(string(told), "0.00 s"))
			}
			return out.String() + "```"
		})
		if *update {
			require.NoError(t, os.WriteFile(page, []byte(made), 0o644))
		}
		assert.Equal(t, made, seconds.ReplaceAllString(string(text), "0.00 s"), filepath.Base(page))
	}
	require.Greater(t, n, 10)
}
