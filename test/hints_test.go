package test

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// what stands behind an option in a hint, for people
var aside = regexp.MustCompile(` (takes|if|\(or|keeps|lists|or what) .*$`)

// TestHintsRun: what messages say to try, whole commands and options, runs as it stands on the file that gave the message, with the
// options that were given. Each line has how many of them can be run so.
func TestHintsRun(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, c := range []struct {
		text, command string
		runs          int
	}{
		// reading
		{"a,b\n6\" board,2\n", "convert in.csv", 1},
		{"a,b\n\"6\\\" board\",2\n", "convert in.csv", 1},
		{"a,b\n\"open,2\n3,4\n", "convert in.csv", 1},
		{"a,b\r1,2\r3,4\r", "convert in.csv", 1},
		{"Harvest of May,,\nlot,kilos,jars\n1,2,3\n", "convert in.csv", 2},
		{"Harvest of May,,\n1,2,3\n2,3,4\n", "convert in.csv", 3},
		{"a,b\n1,2\n1,2,3\n", "convert in.csv", 1},
		{"[{\"a\": 1}]", "convert in.csv", 1},
		// numbers and dates
		{"lot,kilos\n1,\"1,5\"\n2,\"2,25\"\n", "group --calc 'sum(kilos)' in.csv", 1},
		{"lot,kilos\n1,12 kg\n2,3 kg\n", "where 'kilos > 3' in.csv", 1},
		{"lot,kilos\n1,5-\n2,3\n", "cast kilos number in.csv", 1},
		{"lot,kilos\n1,(5)\n2,3\n", "cast kilos number in.csv", 1},
		{"lot,kilos\n1,1.5k\n2,3\n", "cast kilos number in.csv", 1},
		{"lot,day\n1,13.05.2024\n2,02.06.2024\n", "cast day date in.csv", 1},
		{"lot,day\n1,5/13/2024\n2,6/2/2024\n", "cast day date in.csv", 1},
		// fields
		{"apiary,kilos\nVesk,1\n", "where 'apiarie == \"x\"' in.csv", 0},
		{"apiary,branch,kilos\nVesk,Vesk,1\n", "fields apiary kilos in.csv", 1},
		{"apiary,branch,kilos\nVesk,Ulmo,1\n", "group apiary --calc 'sum(kilos)' in.csv", 1},
		{"apiary,colony,month,kilos\nVesk,a,May,1\nVesk,b,May,2\n", "pivot --down apiary --across month --cell kilos in.csv", 1},
		{"site,kilos\nVesk,1\n", "join sites.csv --on site in.csv", 1},
		{"hive,kilos\nVesk,1\n", "join sites.csv --on hive in.csv", 1},
		{"name,kilos\nVesk,1\n", "join twice.csv --on name in.csv", 2},
		{"a,b\n1,x;y\n2,z\n", "explode b --at , in.csv", 0},
	} {
		require.NoError(t, os.WriteFile("in.csv", []byte(c.text), 0o644))
		require.NoError(t, os.WriteFile("sites.csv", []byte("name,region\nVesk,north\nUlmo,south\n"), 0o644))
		require.NoError(t, os.WriteFile("twice.csv", []byte("name,region\nVesk,north\nVesk,south\n"), 0o644))
		_, _, told := program(t, c.command)
		ran := 0
		for _, line := range strings.Split(told, "\n") {
			_, hint, ok := strings.Cut(line, "try: ")
			if !ok {
				_, hint, ok = strings.Cut(line, "  or: ")
			}
			for _, h := range strings.Split(hint, "     or: ") {
				h = aside.ReplaceAllString(strings.TrimSpace(h), "")
				h = strings.ReplaceAll(h, "--set-aside FILE", "--set-aside aside.csv")
				var command string
				switch {
				case !ok:
					continue
				case strings.HasPrefix(h, "revuelta "):
					command = strings.TrimPrefix(h, "revuelta ")
				case strings.HasPrefix(h, "--"):
					command = c.command + " " + h
				default:
					continue
				}
				ran++
				_ = os.Remove("aside.csv")
				status, _, why := program(t, command)
				assert.Zero(t, status, "%s: %s: %s", c.command, command, why)
			}
		}
		assert.Equal(t, c.runs, ran, "%s: %s", c.command, told)
	}
}
