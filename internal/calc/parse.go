// Package calc folds many cells into one: counts, exact sums, means, extremes,
// quantiles, lists. Partial results merge, and carry where each row stood, so
// that the outcome is the same however the rows were dealt out.
package calc

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/table"
)

// Names are the functions of calculations.
var Names = []string{"count", "distinct", "sum", "mean", "median", "min", "max", "first", "last", "stdev", "var", "mode", "p1…p99", "join", "share"}

// Calculation is a parsed calculation.
type Calculation struct {
	Source  string
	Func    string           // "" for exactly one value; pN is "p"
	Formula *formula.Formula // nil for count()
	Sep     string           // of join
	Percent int              // of pN
	As      string
	Single  bool // the formula is a field's name
	All     bool // one for each field that nothing else looks at, see [Expand]
}

var (
	asName   = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^(?s)(.*\S)\s+as\s+(\S.*)$`) })
	function = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^(?s)\s*([a-z]+|p[0-9]+)\s*\((.*)\)\s*$`) })
)

// Parse reads a calculation: sum(kilos) as kg.
func Parse(source string) (*Calculation, error) {
	c := &Calculation{Source: strings.TrimSpace(source)}
	body := c.Source
	if m := asName().FindStringSubmatch(body); m != nil && balanced(m[1]) {
		name, _, err := selection.Unquote(m[2])
		if err != nil {
			return nil, err
		}
		body, c.As = m[1], name
	}
	if body == "" {
		return nil, diag.Usagef("the calculation is empty").Trying("sum(kilos)")
	}
	if m := function().FindStringSubmatch(body); m != nil && balanced(m[2]) {
		if err := c.function(m[1], m[2]); err != nil || c.Func != "" {
			return c, err
		}
	}
	f, err := formula.Parse(body)
	if err != nil {
		return nil, err
	}
	if f.Kind() == formula.Truth {
		return nil, diag.Usagef("the calculation %s is a comparison", diag.Quote(source)).Trying("count the rows for which it holds: where first")
	}
	_, c.Single = f.Single()
	c.Formula = f
	return c, nil
}

// function reads a call; it leaves Func empty where the name is that of a formula's function.
func (c *Calculation) function(name, inside string) error {
	switch {
	case slices.Contains(Names, name):
		c.Func = name
	case name[0] == 'p' && len(name) > 1 && strings.Trim(name[1:], "0123456789") == "":
		n, err := strconv.Atoi(name[1:])
		if err != nil || n < 1 || n > 99 {
			return diag.Usagef("%s: the quantiles are p1 to p99", name)
		}
		c.Func, c.Percent = "p", n
	case slices.ContainsFunc(formula.Functions(), func(f formula.Function) bool { return f.Name == name }):
		return nil
	default:
		e := diag.Usagef("there is no calculation %s; there are %s", name, strings.Join(Names, ", "))
		if here := map[string]string{"avg": "mean", "average": "mean", "total": "sum", "stddev": "stdev", "variance": "var", "quantile": "p90", "percentile": "p90", "unique": "distinct", "nunique": "distinct", "concat": "join"}[strings.ToLower(name)]; here != "" {
			e.Trying(here + "(" + inside + ")")
		} else if near := diag.Nearest(name, Names); near != "" {
			e.Trying(fmt.Sprintf("did you mean %s(…)?", near))
		}
		return e
	}
	args := selection.CutCode(inside, ',')
	if c.Func == "join" {
		if len(args) != 2 {
			return diag.Usagef("%s: join takes what to join and what to put between", c.Source).Trying(`join(plant, "; ")`)
		}
		sep := strings.TrimSpace(args[1])
		if len(sep) < 2 || sep[0] != '"' && sep[0] != '\'' || sep[len(sep)-1] != sep[0] {
			return diag.Usagef("%s: what stands between is a text in quotes", c.Source).Trying(`join(plant, "; ")`)
		}
		c.Sep = strings.NewReplacer(`\n`, "\n", `\t`, "\t").Replace(sep[1 : len(sep)-1])
		args = args[:1]
	}
	if c.Func == "count" && strings.TrimSpace(inside) == "" {
		return nil
	}
	if len(args) != 1 || strings.TrimSpace(args[0]) == "" {
		return diag.Usagef("%s: %s takes one field or formula", c.Source, name).Trying(name + "(kilos)")
	}
	if strings.TrimSpace(args[0]) == "*" {
		if c.As != "" {
			return diag.Usagef("%s is several calculations, and can't have one name", c.Source).Trying(strings.TrimSpace(strings.TrimSuffix(c.Source, "as "+c.As)))
		}
		c.All = true
		return nil
	}
	f, err := formula.Parse(args[0])
	if err != nil {
		return err
	}
	if f.Kind() == formula.Truth {
		return diag.Usagef("%s: a comparison can't be calculated with", c.Source).Trying(`sum(kilos > 0 ? 1 : 0)`)
	}
	_, c.Single = f.Single()
	c.Formula = f
	return nil
}

// balanced tells whether no bracket or quote is left open or closed too many in a text.
func balanced(s string) bool {
	depth, quote := 0, byte(0)
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case quote != 0:
			if c == '\\' {
				i++
			} else if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '(' || c == '{':
			depth++
		case c == ')' || c == '}':
			if depth--; depth < 0 {
				return false
			}
		}
	}
	return depth == 0 && quote == 0
}

// Measure is what the calculation calculates: the name of its field where it has no other.
func (c *Calculation) Measure() string {
	switch {
	case c.As != "":
		return c.As
	case c.Formula == nil:
		return "count"
	}
	if name, ok := c.Formula.Single(); ok {
		return name
	}
	return strings.TrimSpace(c.Formula.String())
}

// Measures names several calculations: where two calculate the same thing, by function too.
func Measures(list []*Calculation) []string {
	alike := map[string]int{} // of those that nobody named
	for _, c := range list {
		if c.As == "" {
			alike[c.Measure()]++
		}
	}
	out := make([]string, len(list))
	for i, c := range list {
		if out[i] = c.Measure(); c.As != "" || c.Func == "" || c.Formula == nil || alike[out[i]] < 2 {
			continue
		}
		f := c.Func
		if f == "p" {
			f = fmt.Sprintf("p%d", c.Percent)
		}
		out[i] = f + " " + out[i]
	}
	return out
}

// Expand puts a calculation for each field in the place of one of all, as mean(*): for those that no key, which used lists, and no other
// calculation looks at.
func Expand(list []*Calculation, schema *table.Schema, used []int) ([]*Calculation, error) {
	if !slices.ContainsFunc(list, func(c *Calculation) bool { return c.All }) {
		return list, nil
	}
	taken := map[int]bool{}
	for _, i := range used {
		taken[i] = true
	}
	for _, c := range list {
		for _, n := range c.Fields() {
			if i, ok := schema.Index(n); ok {
				taken[i] = true
			}
		}
	}
	var out []*Calculation
	for _, c := range list {
		if !c.All {
			out = append(out, c)
			continue
		}
		for i, n := range schema.Names() {
			if taken[i] {
				continue
			}
			one := *c
			var err error
			if one.Formula, err = formula.Parse("{" + n + "}"); err != nil || strings.ContainsAny(n, "{}") {
				return nil, diag.Dataf("%s: the name %s has a brace in it", c.Source, diag.Quote(n)).Trying("rename it first")
			}
			one.All, one.Single, one.Source = false, true, strings.Replace(c.Source, "*", n, 1)
			out = append(out, &one)
		}
	}
	if len(out) == 0 {
		return nil, diag.Dataf("%s: no field is left that nothing else looks at", list[0].Source)
	}
	return out, nil
}

// Fields lists the fields it looks at.
func (c *Calculation) Fields() []string {
	if c.Formula == nil {
		return nil
	}
	return c.Formula.Fields()
}
