package steptest

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/plan"
	"revuelta/internal/run"
	"revuelta/internal/step"
)

// Made makes a step of a line of a plan.
func Made(line string) (step.Step, error) {
	before := ""
	if strings.HasPrefix(line, "stencil") {
		before = "read -\n"
	}
	statements, err := plan.Parse("test", before+line)
	if err != nil {
		return nil, err
	}
	p, err := plan.Build("test", statements)
	if err != nil {
		return nil, err
	}
	return p.Items[len(p.Items)-1].(*run.Apply).Step, nil
}

// Parse makes a table of rows parted by /, cells by |; the first row names the fields.
func Parse(text string) Table {
	rows := strings.Split(text, "/")
	t := Table{Names: strings.Split(rows[0], "|")}
	for _, r := range rows[1:] {
		t.Rows = append(t.Rows, strings.Split(r, "|"))
	}
	return t
}

// Text is what [Parse] reads.
func Text(t Table) string {
	out := []string{strings.Join(t.Names, "|")}
	for _, r := range t.Rows {
		out = append(out, strings.Join(r, "|"))
	}
	return strings.Join(out, "/")
}

// Case is a line of a plan with a step, a table, and what comes out: a table, or what the error holds, behind "error: ".
type Case = [3]string

// Steps runs cases, beside some files that their steps may look at.
func Steps(t *testing.T, cases []Case) {
	t.Chdir(t.TempDir())
	for name, text := range map[string]string{
		"two.csv": "k,v,a\n1,x,p\n01,y,q\n2,z,r\n2,w,s\n,blank,t\n", "ranges.csv": "season,from,to\nspring,1,5\nsummer,5,9\nlate,7,x\n", "empty.csv": "k,v\n",
		"loose.csv": "k,v\n 007,x\nVESK,y\n",
	} {
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	}
	for _, c := range cases {
		line, in, want := c[0], c[1], c[2]
		got := ""
		s, err := Made(line)
		if err == nil {
			var out Table
			var counters step.Counters
			out, counters, err = Run(s, Parse(in), 2, Plain)
			got = Text(out)
			if err == nil {
				assert.Equal(t, counters.Out, counters.In+counters.Made-counters.Merged-counters.LeftOut, "the rows of %s", line)
				assert.Equal(t, counters.FilledIn, counters.FilledOut, "the cells of %s", line)
			}
		}
		if err != nil {
			got = "error: " + strings.TrimPrefix(strings.TrimPrefix(err.Error(), "test line 1: "), "test line 2: ")
		}
		if strings.HasPrefix(got, "error: ") {
			assert.Contains(t, got, want, line)
		} else {
			assert.Equal(t, want, got, line)
		}
	}
}

// odd are cells that must leave as they came.
var odd = []string{"026", "1.10", " x ", "2024-3-1", "a\nb", `"`, "", "ñ"}

// Promises checks uses of steps, by the step's name, on fields a, b, c; the cells of field c must pass through untouched.
func Promises(t *testing.T, uses map[string][]string) {
	in := Table{Names: []string{"a", "b", "c"}}
	for i := range 17 {
		row := []string{"", "", odd[i%len(odd)]}
		if i%3 == 0 {
			row[0] = fmt.Sprint("v", i/6)
		}
		if i%4 < 2 {
			row[1] = fmt.Sprint("w", i%2)
		}
		in.Rows = append(in.Rows, row)
	}
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("letters.csv", []byte("k,n,z\nv0,1,x\nv1,2,y\nv1,3,z\nw0,4,\n"), 0o644))
	require.NoError(t, os.WriteFile("more.csv", []byte("q,c,b\n1,026,x\n"), 0o644))
	for name, lines := range uses {
		for _, line := range lines {
			t.Run(line, func(t *testing.T) {
				s, err := Made(line)
				require.NoError(t, err)
				out := Check(t, s, in)
				c := slices.Index(out.Names, "c")
				var passed []string
				for _, r := range out.Rows {
					if name == "transpose" {
						if r[0] == "c" {
							passed = r[1:]
						}
						continue
					}
					passed = append(passed, r[c])
				}
				for _, cell := range odd {
					if !strings.Contains(line, "skip-blank") && !strings.Contains(line, "drop") && !strings.HasPrefix(line, "where") && name != "stencil" {
						assert.Contains(t, passed, cell)
					}
				}
				for _, cell := range passed {
					assert.Contains(t, odd, cell)
				}
			})
		}
	}
}
