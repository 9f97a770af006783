package selection

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/diag"
	"revuelta/internal/table"
)

func TestResolve(t *testing.T) {
	months := "colony,Jan,Feb,Mar,keeper"
	for _, c := range []struct{ fields, selection, want string }{
		{months, "Feb", "Feb"},
		{months, "Jan..Mar", "Jan|Feb|Mar"},
		{months, "Mar..Jan", "Mar|Feb|Jan"},
		{months, "keeper,Jan", "keeper|Jan"},
		{months, "?a*", "Jan|Mar"},
		{months, "/^[JM]/", "Jan|Mar"},
		{months, "/^(Jan|Feb,?)$/", "Jan|Feb"},
		{months, "/a{1,2}r/", "Mar"},
		{months, "#2,#-1", "Jan|keeper"},
		{months, "#2..#-2", "Jan|Feb|Mar"},
		{months, "!colony,!#-1", "Jan|Feb|Mar"},
		{months, "!#1..#2", "Feb|Mar|keeper"},
		{months, "keeper,*", "keeper|colony|Jan|Feb|Mar"},
		{months, "#-1,colony,*,!Feb", "keeper|colony|Jan|Mar"},
		{months, "Feb,Jan..Mar", "Feb|Jan|Mar"},
		{months, " Jan , Feb ", "Jan|Feb"},
		{"May kilos,kilos May,June kilos", "{month} kilos", "May kilos|June kilos"},
		{"a*,ab,ac", "a*", "a*"}, // an exact name wins over every other reading
		{"!a,b", "!a", "!a"},
		{"a..c,b,c", "a..c", "a..c"},
		{"net, kg,b", `"net, kg"`, "net, kg"},
		{"net, kg,b", `!"net, kg"`, "b"},
		{`say "hum",b`, `"say ""hum"""`, `say "hum"`},
		{"x,net, kg,b,c", `"net, kg"..b`, "net, kg|b"},
		{"#2,b", "#2", "#2"},
		{"Q1 [kg],Q2 [kg]", "Q? [kg]", "Q1 [kg]|Q2 [kg]"},
		{"a,b", "", ""},

		{months, "Mrz", `error: there is no field "Mrz"; the fields are: colony, Jan, Feb, Mar, keeper`},
		{months, "Jan..Mrz", `error: there is no field "Mrz"`},
		{months, "Day *", "error: Day * fits none of the 5 fields"},
		{months, "#6", "error: there is no field #6: the table has 5 fields"},
		{months, "#0", "error: there is no field #0"},
		{months, "Jan,Jan", `error: "Jan" is in the selection already`},
		{months, "!Jan,keeper", `error: "keeper" is in the selection already`},
		{months, "Jan,!Feb", "error: !Feb takes nothing away"},
		{months, "Jan..Mar,Feb*", "error: Feb* picks nothing"},
		{months, "colony,Jan..keeper,*", "error: * picks nothing"},
		{months, "{m} kilos", "error: the pattern {m} kilos fits none of the 5 fields"},
		{months, "{Jan}", "error: the pattern {Jan} fits every field"},
		{months, "{Mrz}", "error: the pattern {Mrz} fits every field"},
		{months, "Jan,,Feb", "error: the selection has an empty item"},
		{months, "/[/", "error: the regular expression /[/ can't be read"},
		{months, `"Jan`, "error: the quotes in \"Jan are not in order"},
	} {
		names := strings.Split(c.fields, ",")
		if i := slices.Index(names, "net"); i >= 0 {
			names = slices.Replace(names, i, i+2, "net, kg")
		}
		schema := table.NewSchema(names)
		got := ""
		s, err := Parse(c.selection)
		if err == nil {
			var fields []int
			fields, err = s.Resolve(schema)
			var picked []string
			for _, f := range fields {
				picked = append(picked, schema.Name(f))
			}
			got = strings.Join(picked, "|")
		}
		if err != nil {
			got = "error: " + err.Error()
		}
		if strings.HasPrefix(c.want, "error: ") {
			assert.Contains(t, got, c.want, c.selection)
		} else {
			assert.Equal(t, c.want, got, c.selection)
		}
	}
}

func TestAdviceNamesTheNearest(t *testing.T) {
	schema := table.NewSchema([]string{"colony", "Jan", "Mar", "port", "lane"})
	s, err := Parse("Mrz")
	require.NoError(t, err)
	_, err = s.Resolve(schema)
	assert.ErrorContains(t, err, "Mrz")
	s, err = Parse("!port,lane")
	require.NoError(t, err)
	_, err = s.Resolve(schema)
	assert.ErrorContains(t, err, "already")
	assert.Contains(t, tries(err), "did you mean !lane?")
}

func TestHasPattern(t *testing.T) {
	for text, want := range map[string]bool{
		"{month} kilos": true, "a,{b}, c": true, `/Q{1,2}/`: false, `"a {b}"`: false, "{{x}}": false, "a/{b}/c": true, `/x/,{b}`: true,
	} {
		assert.Equal(t, want, HasPattern(text), text)
	}
}

func tries(err error) []string {
	var e *diag.Error
	if errors.As(err, &e) {
		return e.Try
	}
	return nil
}

// TestDotsInNames: dots inside quotes are part of the name, those between two ends make a range.
func TestDotsInNames(t *testing.T) {
	schema := table.NewSchema([]string{"a", "..", "b..c", "d", `q".."q`})
	for source, want := range map[string][]int{
		`".."`: {1}, `"b..c"`: {2}, `a.."b..c"`: {0, 1, 2}, `".."..d`: {1, 2, 3}, `"b..c" .. "d"`: {2, 3}, `!".."`: {0, 2, 3, 4},
	} {
		s, err := Parse(source)
		require.NoError(t, err, source)
		got, err := s.Resolve(schema)
		require.NoError(t, err, source)
		assert.Equal(t, want, got, source)
	}
}

// TestHabitsOfOthers: ranges and orders as other programs write them are told in our words, and what is proposed picks those fields.
func TestHabitsOfOthers(t *testing.T) {
	schema := table.NewSchema([]string{"town", "Jan", "Feb", "Mar", "net kg", "2-3"})
	for wrote, want := range map[string]string{
		"Jan-Mar": "Jan..Mar", "Jan:Mar": "Jan..Mar", "Jan – net kg": "Jan..net kg", "2..4": "#2..#4", "2-4": "#2..#4", "4:2": "#4..#2", "2": "#2", "7": "", "0": "", "2..9": "", "Jan DESC": "Jan desc", "net kg Ascending": "net kg", "-Jan": "Jan desc",
		"Jan-Dec": "", "no desc": "", "-no": "",
	} {
		s, err := Parse(wrote)
		require.NoError(t, err)
		_, err = s.Resolve(schema)
		var e *diag.Error
		require.ErrorAs(t, err, &e, wrote)
		if want == "" {
			assert.NotContains(t, strings.Join(e.Try, ""), "..", wrote)
			continue
		}
		assert.Equal(t, []string{want}, e.Try, wrote)
		s, err = Parse(strings.TrimSuffix(want, " desc"))
		require.NoError(t, err)
		_, err = s.Resolve(schema)
		assert.NoError(t, err, want)
	}
	s, err := Parse("2-3")
	require.NoError(t, err)
	got, err := s.Resolve(schema)
	require.NoError(t, err)
	assert.Equal(t, []int{5}, got, "an exact name wins")
}
