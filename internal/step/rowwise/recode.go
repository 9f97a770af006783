package rowwise

import (
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var RecodeSpec = &step.Spec{
	Name: "recode",
	Brief: []string{
		"Replaces codes by what they stand for, whole cells compared byte for byte.",
		"The account names the values that are no codes.",
	},
	Forms:    []string{"recode FIELD 'old=new,...'", "recode FIELD --map FILE"},
	Operands: func(a *step.Args) int { return map[bool]int{true: 1, false: 2}[a.Has("map")] },
	Options: []step.Option{
		{Name: "map", Value: "FILE", File: true, Help: "a table whose first two fields are the old and the new values"},
		{Name: "others", Value: "error|keep|blank", Help: "what becomes of other values (default: keep)"},
	},
	Make: makeRecode,
	Examples: []step.Example{{
		Command: "revuelta recode q1 '1=never,2=now and then,3=often' survey.csv",
		Input:   "member,q1\nR-1,2\nR-2,01\nR-3,\n",
		Output:  "member,q1\nR-1,now and then\nR-2,01\nR-3,\n",
	}},
}

// Recode replaces codes.
type Recode struct {
	Field  selection.Item
	Codes  map[string]string
	Map    *Lookup
	Others string
}

func makeRecode(a *step.Args) (step.Step, error) {
	item, err := selection.ParseItem(a.Operands[0])
	if err != nil {
		return nil, err
	}
	others := "keep"
	if a.Has("others") {
		if others, err = a.OneOf("others", "keep", "error", "blank"); err != nil {
			return nil, err
		}
	}
	r := &Recode{Field: item, Others: others}
	if a.Has("map") {
		r.Map = &Lookup{File: a.Path("map")}
		return r, nil
	}
	r.Codes = map[string]string{}
	for _, piece := range selection.Cut(a.Operands[1], ',') {
		sides := selection.Cut(piece, '=')
		if len(sides) > 2 { // the new value may hold =
			sides = []string{sides[0], piece[len(sides[0])+1:]}
		}
		if len(sides) != 2 {
			return nil, diag.Usagef("%s: a code is written old=new", diag.Quote(piece)).Trying("recode q1 '1=never,2=often'", `quote a value with a comma: 1="no, never"`)
		}
		old, _, err := selection.Unquote(sides[0])
		if err != nil {
			return nil, err
		}
		value, _, err := selection.Unquote(sides[1])
		if err != nil {
			return nil, err
		}
		if _, ok := r.Codes[old]; ok {
			return nil, diag.Usagef("the code %s is given twice", diag.Quote(old))
		}
		r.Codes[old] = value
	}
	return r, nil
}

// mostOthers is how many different values that are no codes are remembered.
const mostOthers = 1000

// Capabilities implements step.Step.
func (c *Recode) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: c.Bind, Prepare: c.Prepare, LooksAt: c.LooksAt()}
}

// LooksAt names the other table.
func (c *Recode) LooksAt() string { return c.Map.path() }

// Prepare it loads the codes.
func (c *Recode) Prepare(s *step.Context) (step.Step, error) {
	if c.Map == nil {
		return c, nil
	}
	pairs, err := c.Map.load(s)
	if err != nil {
		return nil, err
	}
	codes := make(map[string]string, len(pairs))
	for _, p := range pairs {
		codes[p.From] = p.To
	}
	return &Recode{Field: c.Field, Codes: codes, Others: c.Others}, nil
}

// Bind binds it to the fields of its input.
func (c *Recode) Bind(in *table.Schema) (*step.Bound, error) {
	field, err := c.Field.One(in)
	if err != nil {
		return nil, err
	}
	return &step.Bound{
		Schema:         in,
		RetainsNothing: true,
		New: func(s *step.Context) step.MapFunc {
			s.Counters.Values = map[string]int64{}
			w := &rewriting{in: in, fields: []int{field}, s: s, cell: func(_ int, cell string) (string, string, []string) {
				if to, ok := c.Codes[cell]; ok {
					return to, "", nil
				}
				if cell == "" {
					return "", "", nil
				}
				if c.Others == "error" {
					return "", "is none of the codes", []string{"--others keep", "--others blank"}
				}
				if _, ok := s.Counters.Values[cell]; !ok && len(s.Counters.Values) < mostOthers {
					s.Counters.Values[strings.Clone(cell)] = 1 // which they are, is told, not how often
				}
				if c.Others == "blank" {
					return "", "", nil
				}
				return cell, "", nil
			}}
			return w.run
		},
		Summary: func(t *step.Counters) string {
			said := fmt.Sprintf("%s recoded", diag.Plural(t.Count[0], "cell"))
			if len(t.Values) == 0 {
				return said
			}
			others := make([]string, 0, len(t.Values))
			for v := range t.Values {
				others = append(others, v)
			}
			slices.Sort(others)
			did := "kept"
			if c.Others == "blank" {
				did = "made blank"
			}
			return said + fmt.Sprintf("; no codes, so %s: %s", did, diag.Names(others))
		},
	}, nil
}
