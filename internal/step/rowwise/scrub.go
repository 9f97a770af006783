package rowwise

import (
	"fmt"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var ScrubSpec = &step.Spec{
	Name: "scrub",
	Brief: []string{
		"Cleans texts of stray spaces and invisible characters.",
		"Several spaces become one, letters and their accents are composed, a cell of spaces becomes blank.",
	},
	Forms:   []string{"scrub SELECTION"},
	Options: []step.Option{{Name: "case", Value: "lower|upper|title", Help: "and write all in that case"}},
	Make: func(a *step.Args) (step.Step, error) {
		sel, err := selection.Parse(a.Operands[0])
		if err != nil {
			return nil, err
		}
		s := &Scrub{Selection: sel}
		if a.Has("case") {
			s.Case, err = a.OneOf("case", "lower", "upper", "title")
		}
		return s, err
	},
	Examples: []step.Example{{
		Command: "revuelta scrub apiary --case title hives.csv",
		Input:   "apiary,colony\n  north   meadow ,026\nUlmo,007\n",
		Output:  "apiary,colony\nNorth Meadow,026\nUlmo,007\n",
	}},
}

// Scrub cleans texts.
type Scrub struct {
	Selection *selection.Selection
	Case      string
}

// Capabilities implements step.Step.
func (c *Scrub) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: c.Bind}
}

// Bind binds it to the fields of its input.
func (c *Scrub) Bind(in *table.Schema) (*step.Bound, error) {
	fields, err := c.Selection.Resolve(in)
	if err != nil {
		return nil, err
	}
	return &step.Bound{
		Schema:         in,
		RetainsNothing: true,
		New: func(s *step.Context) step.MapFunc {
			w := &rewriting{in: in, fields: fields, s: s, cell: func(_ int, cell string) (string, string, []string) {
				return c.clean(cell), "", nil
			}}
			return w.run
		},
		Summary: func(t *step.Counters) string { return fmt.Sprintf("%s changed", diag.Plural(t.Count[0], "cell")) },
	}, nil
}

func (c *Scrub) clean(s string) string {
	if !isClean(s) {
		s = norm.NFC.String(strings.Map(func(r rune) rune {
			switch {
			case unicode.IsSpace(r):
				return ' '
			case unicode.IsControl(r), unicode.Is(unicode.Cf, r):
				return -1
			}
			return r
		}, s))
		s = strings.Join(strings.Fields(s), " ")
	}
	switch c.Case {
	case "lower":
		return strings.ToLower(s)
	case "upper":
		return strings.ToUpper(s)
	case "title":
		return formula.Title(s)
	}
	return s
}

// isClean tells plain texts, of which most tables are made.
func isClean(s string) bool {
	space := true
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c == ' ':
			if space {
				return false
			}
			space = true
			continue
		case c < ' ' || c >= 0x7f:
			return false
		}
		space = false
	}
	return !space || s == ""
}
