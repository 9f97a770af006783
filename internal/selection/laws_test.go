package selection

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/table"
)

// quoted is a name as a selection has it.
func quoted(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// TestSelectionsAgainstSets: items of every kind pick what a plain search picks, in their order, each field once; what is taken away is gone.
func TestSelectionsAgainstSets(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		names := rapid.SliceOfNDistinct(rapid.OneOf(rapid.SampledFrom([]string{"Jan", "Feb", "Mar", "net, kg", "a..b", `say "x"`, "Day 1", "Day 2", "!x", "#2", "*", "Q1", "Q?", "{x}", "ñ", " x"}), rapid.StringMatching(`[a-c]{1,2}`)), 1, 8, rapid.ID).Draw(rt, "names")
		schema := table.NewSchema(names)
		picked := make([]bool, len(names))
		var want []int
		add := func(fields ...int) {
			for _, f := range fields {
				if !picked[f] {
					picked[f], want = true, append(want, f)
				}
			}
		}
		var items []string
		one := func() int { return rapid.IntRange(0, len(names)-1).Draw(rt, "field") }
		for range rapid.IntRange(1, 4).Draw(rt, "items") {
			switch rapid.SampledFrom([]string{"name", "position", "last", "range", "positions", "glob", "regexp", "rest"}).Draw(rt, "kind") {
			case "name":
				f := one()
				if picked[f] { // a name that is in already is an error
					continue
				}
				add(f)
				items = append(items, quoted(names[f]))
			case "position":
				f := one()
				if slices.Contains(names, fmt.Sprintf("#%d", f+1)) || picked[f] {
					continue // an exact name wins
				}
				add(f)
				items = append(items, fmt.Sprintf("#%d", f+1))
			case "last":
				f := one()
				if picked[f] {
					continue
				}
				add(f)
				items = append(items, fmt.Sprintf("#%d", f-len(names)))
			case "range":
				a, b := one(), one()
				var fields []int
				for f := min(a, b); f <= max(a, b); f++ {
					fields = append(fields, f)
				}
				if a > b {
					slices.Reverse(fields)
				}
				if !slices.ContainsFunc(fields, func(f int) bool { return !picked[f] }) {
					continue
				}
				add(fields...)
				items = append(items, quoted(names[a])+".."+quoted(names[b]))
			case "positions":
				a, b := one(), one()
				if a > b {
					a, b = b, a
				}
				var fields []int
				for f := a; f <= b; f++ {
					fields = append(fields, f)
				}
				if slices.Contains(names, "#2") || !slices.ContainsFunc(fields, func(f int) bool { return !picked[f] }) {
					continue // an exact name wins
				}
				add(fields...)
				items = append(items, fmt.Sprintf("#%d..#%d", a+1, b+1))
			case "glob":
				glob := rapid.SampledFrom([]string{"Day *", "?*a*", "Q?", "*b"}).Draw(rt, "glob")
				if slices.Contains(names, glob) {
					continue
				}
				var fields []int
				for f, n := range names {
					if ok, _ := path.Match(glob, n); ok && !picked[f] {
						fields = append(fields, f)
					}
				}
				if len(fields) == 0 {
					continue
				}
				add(fields...)
				items = append(items, glob)
			case "regexp":
				e := rapid.SampledFrom([]string{"^[A-C]", "a", "[0-9]$", "^.$"}).Draw(rt, "regexp")
				var fields []int
				for f, n := range names {
					if regexp.MustCompile(e).MatchString(n) && !picked[f] {
						fields = append(fields, f)
					}
				}
				if len(fields) == 0 {
					continue
				}
				add(fields...)
				items = append(items, "/"+e+"/")
			case "rest":
				if slices.Contains(names, "*") {
					continue
				}
				var fields []int
				for f := range names {
					if !picked[f] {
						fields = append(fields, f)
					}
				}
				if len(fields) == 0 {
					continue
				}
				add(fields...)
				items = append(items, "*")
			}
		}
		if len(items) == 0 {
			return
		}
		if f := one(); picked[f] && len(want) > 1 && rapid.Bool().Draw(rt, "take one away") {
			items = append(items, "!"+quoted(names[f]))
			want = slices.DeleteFunc(want, func(w int) bool { return w == f })
		}
		source := strings.Join(items, rapid.SampledFrom([]string{",", ", ", " , "}).Draw(rt, "between"))
		s, err := Parse(source)
		require.NoError(rt, err, source)
		got, err := s.Resolve(schema)
		require.NoError(rt, err, "%s of %q", source, names)
		require.Equal(rt, want, got, "%s of %q", source, names)
	})
}

// TestListsComeBack: names of any kind, quoted and parted by commas, come back as they were.
func TestListsComeBack(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		names := rapid.SliceOfN(rapid.StringMatching(`[a-zé,"'{}/.#!*= -]{1,6}`).Filter(func(s string) bool { return strings.TrimSpace(s) != "" }), 1, 5).Draw(rt, "names")
		var pieces []string
		for _, n := range names {
			pieces = append(pieces, quoted(n))
		}
		got, err := List(strings.Join(pieces, ", "))
		require.NoError(rt, err, "%q", pieces)
		require.Equal(rt, names, got)
		for _, p := range pieces {
			text, was, err := Unquote(" " + p + " ")
			require.NoError(rt, err)
			require.True(rt, was)
			require.Contains(rt, names, text)
		}
	})
}
