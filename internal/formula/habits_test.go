package formula_test

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/table"
)

// TestHabits: what people write by habit names what stands for it here; a whole formula that is proposed can be parsed and bound.
func TestHabits(t *testing.T) {
	schema := table.NewSchema([]string{"town", "branch", "kg", "April kilos", "day"})
	for _, c := range []struct{ wrote, means string }{
		{"April kilos * 2", "{April kilos} * 2"}, {"kg + April kilos", "kg + {April kilos}"}, {"branch == Vesk", `branch == "Vesk"`}, {"kg > 1 and branch != Vesk", `kg > 1 and branch != "Vesk"`},
		{`branch like "V%"`, `fits(branch, "{_:/V.*/}")`}, {`branch like "%(x)_"`, `fits(branch, "{_:/.*\(x\)./}")`}, {`{branch} contains "V" and kg > 1`, `fits({branch}, "{_:/.*V.*/}") and kg > 1`}, {"branch is null", "blank(branch)"}, {`branch like "V%" AND April kilos > 1,5`, `fits(branch, "{_:/V.*/}") and {April kilos} > 1.5`}, {"kg kg kg ( kg", ""},
		{"branch IS NOT NULL or kg > 1", "not blank(branch) or kg > 1"}, {"kg > 1 AND kg < 3", "kg > 1 and kg < 3"}, {"kg > 1 Or kg < 3", "kg > 1 or kg < 3"}, {"kg * 1,5", "kg * 1.5"}, {"concat(town, branch)", "text(town, branch)"}, {"max(kg, 3)", "greatest(kg, 3)"},
		{"len(town) + 1", "length(town) + 1"}, {"isnull(kg)", "blank(kg)"}, {"DateDiff(day, day)", "days_between(day, day)"},
		{`town + " " + branch`, `text(town, " ", branch)`}, {`upper(town) + "+"`, `text(upper(town), "+")`}, {`kg * "x"`, `say: text(a, " ", b) puts texts together`}, {"today()", "say: a plan gives the same whenever it runs"}, {"sum(kg)", "say: group --each-row --calc 'sum(kg) as sum' first"}, {"max(kg)", "say: group --each-row --calc 'max(kg) as max' first"}, {"sum(number(kg))", "say: 'sum(FIELD) as sum'"}, {"t.csv", ""}, {"avg(kg) > 3", "say: group --each-row --calc 'mean(kg) as mean' first"}, {"coalesce(kg, 0)", "say: a ?? b"},
		{"kg kg", "{kg kg}"}, {"5 5", ""}, {"uper(town)", "say: did you mean upper?"}, {"branch > Vesk", ""},
	} {
		f, err := formula.Parse(c.wrote)
		if err == nil {
			_, err = f.Bind(schema, -1)
		}
		require.Error(t, err, c.wrote)
		var e *diag.Error
		require.True(t, errors.As(err, &e))
		tries := strings.Join(e.Try, " | ")
		if said, ok := strings.CutPrefix(c.means, "say: "); ok {
			assert.Contains(t, tries, said, c.wrote)
			continue
		}
		assert.Equal(t, c.means, tries, c.wrote)
		if c.means == "" || c.wrote == "kg kg" {
			continue
		}
		f, err = formula.Parse(c.means)
		require.NoError(t, err, "what is proposed for %s", c.wrote)
		_, err = f.Bind(schema, -1)
		require.NoError(t, err, "what is proposed for %s", c.wrote)
	}
}
