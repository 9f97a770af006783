package rowwise

import (
	"fmt"
	"strings"
	"time"

	"github.com/itchyny/timefmt-go"

	"revuelta/internal/calendar"
	"revuelta/internal/diag"
	"revuelta/internal/numeral"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var CastSpec = &step.Spec{
	Name: "cast",
	Brief: []string{
		"Reads cells as numbers, dates or times and writes them in plain form.",
		"Plain are 1234.50, 2024-05-02, 14:30:00 and 2024-05-02T14:30:00.",
	},
	Forms:    []string{"cast SELECTION number|date|time|datetime|text"},
	Operands: func(*step.Args) int { return 2 },
	Options: []step.Option{
		{Name: "from", Value: "FORM", Repeat: true, Help: "how dates and times are written, as '%d/%m/%Y'; a cell that two forms read differently is an error"},
		{Name: "write", Value: "FORM", Help: "how dates and times are to be written, as '%b %Y'"},
		{Name: "language", Value: "CODE", Help: "in which months and weekdays are named, as fr or de (default: en)"},
		{Name: "decimal", Value: "CHAR", Help: "what stands before the decimals (default: a point)"},
		{Name: "thousands", Value: "CHAR", Help: "what stands between thousands"},
		{Name: "strip", Value: "CHARS", Help: "characters that are taken off: units, currency"},
		{Name: "negative", Value: "FORM", Repeat: true, Help: "how a negative number is written, n standing for the number: '(n)', 'n-', 'n CR'"},
		{Name: "scale", Value: "LIST", Help: "what a suffix multiplies by, as 'k=1000,M=1000000,%=0.01'"},
		{Name: "unfit", Value: "WHAT", Help: "what becomes of cells that do not fit: error (default), blank or keep"},
	},
	Make: makeCast,
	Examples: []step.Example{{
		Command: "revuelta cast net number --decimal , --thousands . --strip kg lots.csv",
		Input:   "lot;net\n007;1.234,50 kg\n026;-3,2\n",
		Output:  "lot,net\n007,1234.50\n026,-3.2\n",
	}, {
		Command: "revuelta cast made date --from '%d/%m/%Y' lots.csv",
		Input:   "lot,made\n007,3/4/2024\n",
		Output:  "lot,made\n007,2024-04-03\n",
	}},
}

// Cast reads cells and writes them in plain form.
type Cast struct {
	Selection *selection.Selection
	To        string
	From      []string
	Write     string
	Names     *calendar.Names // of months and weekdays in another language; nil: English
	Number    numeral.Form
	Unfit     string
}

func makeCast(a *step.Args) (step.Step, error) {
	sel, err := selection.Parse(a.Operands[0])
	if err != nil {
		return nil, err
	}
	c := &Cast{Selection: sel, To: a.Operands[1], From: a.All("from"), Write: a.Get("write", ""),
		Number: numeral.Form{Decimal: a.Get("decimal", "."), Thousands: a.Get("thousands", ""), Strip: a.Get("strip", ""), Negative: a.All("negative")}}
	kinds := []string{"number", "date", "time", "datetime", "text"}
	numeric := c.To == "number"
	switch {
	case !contains(kinds, c.To):
		e := diag.Usagef("cast … %s: it is one of %s", diag.Quote(c.To), strings.Join(kinds, ", "))
		if near := diag.Nearest(c.To, kinds); near != "" {
			e.Trying("did you mean " + near + "?")
		}
		return nil, e
	case !numeric && (a.Has("decimal") || a.Has("thousands") || a.Has("strip") || a.Has("negative") || a.Has("scale")):
		return nil, diag.Usagef("--decimal, --thousands, --strip, --negative and --scale go with number only")
	case (numeric || c.To == "text") && (a.Has("from") || a.Has("write")):
		return nil, diag.Usagef("--from and --write go with date, time and datetime only")
	case len([]rune(c.Number.Decimal)) != 1 || len([]rune(c.Number.Thousands)) > 1:
		return nil, diag.Usagef("--decimal and --thousands are one character each")
	case c.Number.Decimal == c.Number.Thousands:
		return nil, diag.Usagef("--decimal and --thousands are the same character, %s", diag.Quote(c.Number.Decimal))
	case strings.ContainsAny(c.Number.Strip, "+-()\u2212"):
		return nil, diag.Usagef("--strip %s would take the sign off a number; --negative says how negative numbers are written", diag.Quote(c.Number.Strip)).Trying("--negative '(n)'", "--negative 'n-'")
	}
	if c.Unfit, err = a.OneOf("unfit", "error", "blank", "keep"); err != nil {
		return nil, err
	}
	for _, form := range c.Number.Negative {
		if err := numeral.ParseNegative(form); err != nil {
			return nil, err
		}
	}
	if a.Has("language") {
		if c.To == "number" || c.To == "text" || len(c.From) == 0 && c.Write == "" {
			return nil, diag.Usagef("--language names the months and weekdays of --from and --write").Trying("cast day date --from '%d %B %Y' --language fr")
		}
		if c.Names, err = calendar.NamesIn(a.Get("language", "")); err != nil {
			return nil, err
		}
	}
	if a.Has("scale") {
		if c.Number.Scales, err = numeral.ParseScales(a.Get("scale", "")); err != nil {
			return nil, err
		}
	}
	for _, f := range append(append([]string{}, c.From...), c.Write) {
		if f != "" && !strings.Contains(f, "%") {
			return nil, diag.Usagef("the form %s has no place in it", diag.Quote(f)).Trying("'%d/%m/%Y'")
		}
	}
	return c, nil
}

func contains(list []string, s string) bool {
	for _, l := range list {
		if l == s {
			return true
		}
	}
	return false
}

// Capabilities implements step.Step.
func (c *Cast) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: c.Bind}
}

// Bind binds it to the fields of its input.
func (c *Cast) Bind(in *table.Schema) (*step.Bound, error) {
	fields, err := c.Selection.Resolve(in)
	if err != nil {
		return nil, err
	}
	read := c.moment
	switch c.To {
	case "number":
		read = c.number
		if quick := c.Number.Quick(); quick != nil {
			read = func(s string) (string, string, []string) {
				if plain, ok := quick(s); ok {
					return plain, "", nil
				}
				return c.number(s)
			}
		}
	case "text":
		read = func(s string) (string, string, []string) { return s, "", nil }
	}
	return &step.Bound{
		Schema:         in,
		RetainsNothing: true,
		New: func(s *step.Context) step.MapFunc {
			w := &rewriting{in: in, fields: fields, s: s, cell: func(_ int, cell string) (string, string, []string) {
				if cell == "" {
					return "", "", nil
				}
				return read(cell)
			}}
			if c.Unfit != "error" {
				w.unfit = func(cell string) string {
					if c.Unfit == "keep" {
						return cell
					}
					return ""
				}
			}
			return w.run
		},
		Summary: c.tell,
	}, nil
}

// tell says what became of the cells.
func (c *Cast) tell(t *step.Counters) string {
	said := fmt.Sprintf("%s rewritten", diag.Plural(t.Count[0], "cell"))
	n := int64(0)
	for _, count := range t.Unfit {
		n += count
	}
	if n == 0 {
		return said
	}
	var first []string
	for _, q := range t.First {
		first = append(first, diag.Quote(q.Text))
	}
	what := map[string]string{"blank": "left blank", "keep": "kept as it is"}[c.Unfit]
	if n > 1 && c.Unfit == "keep" {
		what = "kept as they are"
	}
	return said + fmt.Sprintf("; %s that did not fit %s: %s", diag.Plural(n, "cell"), what, strings.Join(first, ", "))
}

// number reads a number as people write them and writes it plainly, with the decimals it has.
func (c *Cast) number(cell string) (out, reason string, tries []string) {
	if plain, ok := c.Number.Read(cell); ok {
		return plain, "", nil
	}
	if c.Unfit != "error" {
		return "", "is not a number", nil
	}
	return "", "is not a number", numeral.Commands(cell, c.Number)
}

var plainForms = map[string][]string{
	"date":     {"%Y-%m-%d"},
	"time":     {"%H:%M:%S", "%H:%M"},
	"datetime": {"%Y-%m-%dT%H:%M:%S", "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M"},
}

// moment reads a date or time by the forms and writes it plainly or as wanted.
func (c *Cast) moment(cell string) (out, reason string, tries []string) {
	write := c.Write
	if write == "" {
		write = plainForms[c.To][0]
	}
	if len(c.From) == 0 && c.To != "time" {
		m, ok := calendar.Parse(cell)
		if !ok || c.To == "datetime" && !m.Timed {
			return "", "is not a " + c.To + " of ISO 8601", []string{"cast FIELD " + c.To + " --from '%d/%m/%Y'"}
		}
		t := time.Date(m.Year, time.Month(m.Month), m.Day, m.Hour, m.Minute, m.Second, 0, time.UTC)
		return c.written(t, write), "", nil
	}
	forms := c.From
	if len(forms) == 0 {
		forms = plainForms["time"]
	}
	found, by, missing := time.Time{}, "", false
	for _, f := range forms {
		text := cell
		if c.Names != nil {
			text = c.Names.Translate(cell, f)
		}
		t, ok, noDay := parseForm(text, f)
		missing = missing || noDay
		if !ok {
			continue
		}
		if by != "" && !t.Equal(found) {
			return "", fmt.Sprintf("is read as %s by %s and as %s by %s", timefmt.Format(found, "%Y-%m-%d"), diag.Quote(by), timefmt.Format(t, "%Y-%m-%d"), diag.Quote(f)),
				[]string{"give one --from, or cast the rows apart"}
		}
		found, by = t, f
	}
	switch {
	case by != "":
		return c.written(found, write), "", nil
	case missing:
		return "", "is a day that does not exist", nil
	}
	return "", fmt.Sprintf("does not fit %s", diag.Quote(strings.Join(forms, " or "))), []string{"a further --from"}
}

// written is a date in a form, with the names of the language.
func (c *Cast) written(t time.Time, form string) string {
	if c.Names != nil {
		form = c.Names.Fill(form, int(t.Month()), (int(t.Weekday())+6)%7+1)
	}
	return timefmt.Format(t, form)
}

// parseForm reads a text by a form. The library takes the 30th of February
// for a day in March, so what it read is written again and compared, but for case and leading zeros.
func parseForm(cell, form string) (t time.Time, ok, noDay bool) {
	form = strings.ReplaceAll(form, "%-", "%") // one digit or two are read anyway
	t, err := timefmt.Parse(cell, form)
	if err != nil {
		return t, false, false
	}
	if loosely(timefmt.Format(t, form)) != loosely(cell) {
		return t, false, true
	}
	return t.UTC(), true, false
}

// loosely is a text in lower case, its numbers without leading zeros, one space for several.
func loosely(s string) string {
	var b strings.Builder
	s = strings.ToLower(strings.Join(strings.Fields(s), " "))
	for i := 0; i < len(s); i++ {
		first := i == 0 || s[i-1] < '0' || s[i-1] > '9'
		if first {
			for s[i] == '0' && i+1 < len(s) && '0' <= s[i+1] && s[i+1] <= '9' {
				i++
			}
		}
		b.WriteByte(s[i])
	}
	return b.String()
}
