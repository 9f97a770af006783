package plan

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/diag"
)

// TestFill: places of a plan are filled by what is given, else by their defaults; what can't be filled is told, all at once.
func TestFill(t *testing.T) {
	words := func(text string, given map[string]string) (string, error) {
		statements, err := Parse("p.plan", text)
		require.NoError(t, err)
		if statements, err = Fill("p.plan", statements, given); err != nil {
			return "", err
		}
		out := ""
		for _, s := range statements {
			out += s.Name.Text
			for _, w := range s.Words {
				out += "|" + w.Text
			}
			out += "/"
		}
		return out, nil
	}
	for _, c := range []struct {
		text  string
		given map[string]string
		want  string
	}{
		{"given month 2024-05\nread v-${month}.csv\nwhere 'm == \"${month}\"'", nil, "read|v-2024-05.csv/where|m == \"2024-05\"/"},
		{"given month 2024-05\nread v-${month}.csv", map[string]string{"month": "a b"}, "read|v-a b.csv/"},
		{"given month\nread ${month}${month}", map[string]string{"month": ""}, "read|/"},
		{"given a ''\ngiven b-2 x\nset 'y = \"$${a}${b-2}$\"'", nil, "set|y = \"${a}x$\"/"},
		{"set 'y = \"${a\"'", nil, "is no place: it is written ${NAME}"},
		{"read x\nset 'y = \"${a}\"'\ngiven a 1", nil, "p.plan line 2: the plan has no place a"},
		{"given month\nread ${month}", nil, "p.plan line 1: nothing is given for month"},
		{"given month 1\nread ${monht}", nil, "p.plan line 2: the plan has no place monht"},
		{"given month 1\nread x", map[string]string{"monht": "2"}, "--given monht: the plan has no such place"},
		{"given month 1\ngiven month 2", nil, "p.plan line 2: the place month is there already"},
		{"given\nread x", nil, "p.plan line 1: given names a place"}, {"given 2x 1", nil, "given names a place"}, {"given a b c", nil, "given names a place"},
	} {
		got, err := words(c.text, c.given)
		if err == nil {
			assert.Equal(t, c.want, got, c.text)
			continue
		}
		assert.Equal(t, diag.Usage, diag.StatusOf(err), c.text)
		assert.ErrorContains(t, err, c.want, c.text)
	}
	_, err := words("given month\ngiven year\nread ${monht}", map[string]string{"x": "1"})
	var all diag.List
	require.ErrorAs(t, err, &all)
	assert.Len(t, all, 4, "all that is wrong at once")
	assert.Contains(t, diag.Render("p", err), "did you mean ${month}?")
}
