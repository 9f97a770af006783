package run_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// TestWideStepsThroughFiles: as TestStepsThroughFiles, with tables of hundreds of fields, which are written by other ways.
func TestWideStepsThroughFiles(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.WriteFile(path("other.csv"), []byte("id,size,keeper\nH1,5,Ines\nH2,7,\"Tom, A.\"\nH2,8,\nH5,,Ada\n"), 0o644))
	steps := []string{
		"fields 'c7,*'", "fields '!c3'", "fields '*,!c9,c9'", "set 'c5 = c5 * 2'", "set 'sum = c4 + c5'", "number n", "number n --within c6", "join other.csv --on id --partners each", "join other.csv --on id --partners first --alone drop",
		"unpivot 'c2..c9'", "unpivot 'c{n:#}' --value v --skip-blank", "sort 'c4 desc'", "distinct", "distinct --by c6", "fill c8", "fill 'c4..c30' --right", "fill c8 --up", "scrub c9", "where 'c4 > 3'", "transpose", "recode c6 '1=x,2=\"y, z\"'",
		"beside c4 --as next", "explode c2 --at ' '", "combine c4,c5 --with - --as both", "split c6 '{a}' --keep", "group --by c6 --calc 'sum(c4)' --calc 'count()'", "pivot --down c6 --across id --cell 'count()'", "append other.csv", "mark m\nread @m", "rename 'c4=kilos'", "cast c5 number",
	}
	rapid.Check(t, func(rt *rapid.T) {
		fields := rapid.SampledFrom([]int{12, 63, 64, 65, 130, 400}).Draw(rt, "fields")
		odd := rapid.SampledFrom([]int{0, 0, 5, 97}).Draw(rt, "odd")
		end := rapid.SampledFrom([]string{"\n", "\r\n"}).Draw(rt, "end")
		var b strings.Builder
		b.WriteString("id")
		for i := 1; i < fields; i++ {
			fmt.Fprintf(&b, ",c%d", i)
		}
		b.WriteString(end)
		for r := range rapid.SampledFrom([]int{1, 7, 90, 700}).Draw(rt, "rows") {
			fmt.Fprintf(&b, "H%d", r%6)
			for i := 1; i < fields; i++ {
				switch k := r*fields + i; {
				case odd > 0 && k%odd == 1:
					b.WriteString([]string{",\"a \"\"b\"\"\"", ",", ",\"x, y\"", ",\"two\nlines\"", ",é"}[k/odd%5])
				default:
					fmt.Fprintf(&b, ",%d", k%(i+2))
				}
			}
			b.WriteString(end)
		}
		require.NoError(rt, os.WriteFile(path("0.csv"), []byte(b.String()), 0o644))
		chain := rapid.SliceOfNDistinct(rapid.SampledFrom(steps), 1, 4, rapid.ID).Draw(rt, "steps")
		written := rapid.SampledFrom([]string{"", " --crlf", " --write-blank NA", " --write-as tsv"}).Draw(rt, "written")
		throughFiles(rt, t, dir, chain, written)
	})
}
