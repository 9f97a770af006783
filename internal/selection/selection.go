// Package selection names fields: exact names, runs, globs, regular
// expressions, patterns and positions, each matched anew on every table.
package selection

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/pattern"
	"revuelta/internal/table"
)

// Item is one item of a selection as it was written.
type Item struct {
	Text   string // without the ! and outer spaces
	Not    bool   // takes away
	Quoted bool   // "…": only an exact name
	Name   string // what a quoted item holds
	At     int    // byte offset in the selection

	glob *regexp.Regexp
	expr *regexp.Regexp
	pat  *pattern.Pattern
}

// Selection is a parsed selection. It is immutable and safe for concurrent use.
type Selection struct {
	source string
	items  []Item
}

// String is the selection as it was written.
func (s *Selection) String() string { return s.source }

// Items lists the items in order.
func (s *Selection) Items() []Item { return s.items }

// Cut parts a text at a separator byte outside "…", /…/ and {…}; an item opens
// with the quote or slash, after spaces and a !. The pieces are not trimmed.
func Cut(s string, sep byte) []string {
	var out []string
	start, open := 0, true
	for i := 0; i < len(s); i++ {
		c := s[i]
		switch {
		case c == sep:
			out = append(out, s[start:i])
			start, open = i+1, true
			continue
		case open && (c == ' ' || c == '!' || c == '='):
			continue
		case c == '"' && (open || s[i-1] == ' '):
			i = endQuote(s, i)
		case c == '/' && open:
			if end := endSlash(s, i, sep); end > 0 {
				i = end
			}
		case c == '{':
			if j := strings.IndexByte(s[i:], '}'); j > 0 {
				i += j
			}
		}
		open = c == '=' || c == '.' && i > 0 && s[i-1] == '.'
	}
	return append(out, s[start:])
}

// endQuote finds the quote that closes the one at i, or the end of s.
func endQuote(s string, i int) int {
	for j := i + 1; j < len(s); j++ {
		if s[j] == '"' {
			if j+1 < len(s) && s[j+1] == '"' {
				j++
				continue
			}
			return j
		}
	}
	return len(s) - 1
}

// endSlash finds the slash that closes a regular expression opened at i: one
// that the separator, = or the end follows.
func endSlash(s string, i int, sep byte) int {
	for j := i + 1; j < len(s); j++ {
		switch {
		case s[j] == '\\':
			j++
		case s[j] == '/':
			rest := strings.TrimLeft(s[j+1:], " ")
			if rest == "" || rest[0] == sep || rest[0] == ',' || rest[0] == '=' {
				return j
			}
		}
	}
	return 0
}

// Unquote gives what a piece of a list stands for: the inside of "…", else the
// piece without outer spaces.
func Unquote(s string) (text string, quoted bool, err error) {
	s = strings.TrimSpace(s)
	if !strings.HasPrefix(s, `"`) {
		return s, false, nil
	}
	if end := endQuote(s, 0); end != len(s)-1 || len(s) < 2 || s[end] != '"' {
		return "", false, diag.Usagef("the quotes in %s are not in order", s).Trying(`write a name with a comma or a quote as "net, ""dry"""`)
	}
	return strings.ReplaceAll(s[1:len(s)-1], `""`, `"`), true, nil
}

// List parts a comma-separated list of names, quotes taken off.
func List(s string) ([]string, error) {
	var out []string
	for _, piece := range Cut(s, ',') {
		name, _, err := Unquote(piece)
		if err != nil {
			return nil, err
		}
		out = append(out, name)
	}
	return out, nil
}

// HasPattern reports whether a text, read as a selection, has a place in it
// that is not inside "…" or /…/; such an operand is a pattern as a whole.
func HasPattern(s string) bool {
	for _, piece := range Cut(s, ',') {
		piece = strings.TrimLeft(piece, " !")
		if strings.HasPrefix(piece, `"`) || strings.HasPrefix(piece, "/") && endSlash(piece, 0, ',') > 0 {
			continue
		}
		if pattern.HasPlace(piece) {
			return true
		}
	}
	return false
}

// Parse reads a selection. An empty one picks nothing.
func Parse(source string) (*Selection, error) {
	s := &Selection{source: source}
	if strings.TrimSpace(source) == "" {
		return s, nil
	}
	at := 0
	for _, piece := range Cut(source, ',') {
		it, err := parseItem(piece)
		if err != nil {
			return nil, err
		}
		it.At = at + len(piece) - len(strings.TrimLeft(piece, " "))
		s.items = append(s.items, it)
		at += len(piece) + 1
	}
	return s, nil
}

func parseItem(piece string) (Item, error) {
	it := Item{Text: strings.TrimSpace(piece)}
	if it.Text == "" {
		return it, diag.Usagef("the selection has an empty item").Trying(`take out the comma too many, or quote a name that holds one: "net, kg"`)
	}
	if rest, ok := strings.CutPrefix(it.Text, "!"); ok && rest != "" {
		it.Not, it.Text = true, strings.TrimSpace(rest)
	}
	if strings.HasPrefix(it.Text, `"`) && !strings.HasPrefix(strings.TrimSpace(it.Text[endQuote(it.Text, 0)+1:]), "..") {
		name, _, err := Unquote(it.Text)
		if err != nil {
			return it, err
		}
		it.Quoted, it.Name = true, name
		return it, nil
	}
	if from, to, ok := rangeEnds(it.Text); ok && (from[0] == '"' || to[0] == '"') {
		return it, nil // what is quoted is a name
	}
	switch t := it.Text; {
	case len(t) > 2 && t[0] == '/' && t[len(t)-1] == '/':
		var err error
		if it.expr, err = regexp.Compile(t[1 : len(t)-1]); err != nil {
			return it, diag.Usagef("the regular expression %s can't be read: %s", t, strings.TrimPrefix(err.Error(), "error parsing regexp: "))
		}
	case pattern.HasPlace(t):
		var err error
		if it.pat, err = pattern.Parse(t); err != nil {
			return it, diag.Usagef("the pattern %s can't be read: %v", t, err)
		}
	case t != "*" && strings.ContainsAny(t, "*?"):
		it.glob = Glob(t)
	}
	return it, nil
}

// Glob makes a regular expression of a glob, which must fit the whole text.
func Glob(glob string) *regexp.Regexp {
	var b strings.Builder
	b.WriteString(`(?s)\A`)
	for _, r := range glob {
		switch r {
		case '*':
			b.WriteString(`.*`)
		case '?':
			b.WriteString(`.`)
		default:
			b.WriteString(regexp.QuoteMeta(string(r)))
		}
	}
	return regexp.MustCompile(b.String() + `\z`)
}

// Resolve gives the positions of the fields picked, in the order of the
// selection, each once.
func (s *Selection) Resolve(schema *table.Schema) ([]int, error) {
	var picked []int // -1 where one was taken away again
	in, at := make([]bool, schema.Len()), make([]int, schema.Len())
	pick := func(f int) {
		at[f], in[f] = len(picked), true
		picked = append(picked, f)
	}
	if len(s.items) > 0 && s.items[0].Not && !isName(schema, "!"+s.items[0].Text) {
		for i := range in {
			pick(i)
		}
	}
	for i := range s.items {
		it := s.items[i]
		if it.Not && isName(schema, "!"+it.Text) {
			it = Item{Text: "!" + it.Text, Quoted: true, Name: "!" + it.Text}
		}
		fields, named, err := it.fields(schema, in)
		if err != nil {
			return nil, err
		}
		if it.Not {
			taken := false
			for _, f := range fields {
				if in[f] {
					picked[at[f]], in[f], taken = -1, false, true
				}
			}
			if !taken {
				return nil, diag.Dataf("!%s takes nothing away: the fields before it do not have it", it.Text).
					Trying("put it after the items it takes from")
			}
			continue
		}
		fresh := 0
		for _, f := range fields {
			if in[f] {
				if named {
					e := diag.Dataf("%s is in the selection already", diag.Quote(schema.Name(f)))
					if s.items[0].Not {
						return nil, e.Trying(fmt.Sprintf("did you mean !%s?", it.Text))
					}
					return nil, e.Trying("name it once")
				}
				continue
			}
			pick(f)
			fresh++
		}
		if fresh == 0 {
			return nil, diag.Dataf("%s picks nothing: every field it fits is in the selection already", it.Text).Trying("take it out")
		}
	}
	return slices.DeleteFunc(picked, func(f int) bool { return f < 0 }), nil
}

// One resolves an item that must pick one field.
func (it *Item) One(schema *table.Schema) (int, error) {
	fields, _, err := it.fields(schema, nil)
	if err != nil {
		return 0, err
	}
	if len(fields) != 1 {
		names := make([]string, len(fields))
		for i, f := range fields {
			names[i] = schema.Name(f)
		}
		return 0, diag.Dataf("%s picks %d fields where one is wanted: %s", it.Text, len(fields), diag.Names(names)).Trying("name one of them")
	}
	return fields[0], nil
}

// ParseItem reads a text as one item.
func ParseItem(text string) (Item, error) { return parseItem(text) }

func isName(schema *table.Schema, name string) bool {
	_, ok := schema.Index(name)
	return ok
}

// fields gives what the item picks, where some fields are in already, none where in is nil; named tells that it names one field, by name or position.
func (it *Item) fields(schema *table.Schema, in []bool) (fields []int, named bool, err error) {
	if it.Quoted {
		if i, ok := schema.Index(it.Name); ok {
			return []int{i}, true, nil
		}
		return nil, false, Missing(it.Name, schema)
	}
	if i, ok := schema.Index(it.Text); ok {
		return []int{i}, true, nil
	}
	fits := func(ok func(name string) bool) []int {
		var out []int
		for i, n := range schema.Names() {
			if ok(n) {
				out = append(out, i)
			}
		}
		return out
	}
	switch {
	case it.Text == "*":
		for i := range schema.Len() {
			if it.Not == (in != nil && in[i]) {
				fields = append(fields, i)
			}
		}
		if len(fields) == 0 && !it.Not {
			return nil, false, diag.Dataf("* picks nothing: all fields are named already").Trying("take the * out")
		}
		return fields, false, nil
	case it.expr != nil:
		fields = fits(it.expr.MatchString)
	case it.glob != nil:
		fields = fits(it.glob.MatchString)
	case it.pat != nil && it.pat.Everything():
		name := strings.TrimSuffix(strings.TrimPrefix(it.Text, "{"), "}")
		e := diag.Usagef("the pattern %s fits every field", it.Text)
		if _, ok := schema.Index(name); !ok {
			return nil, false, e.Trying("* for all fields")
		}
		return nil, false, e.Trying("did you mean " + diag.Quote(name) + "?")
	case it.pat != nil:
		m, parts := it.pat.Matcher(), make([]string, len(it.pat.Names()))
		fields = fits(func(n string) bool { return m.Match(n, parts) })
	default:
		if from, to, ok := rangeEnds(it.Text); ok {
			fields, named, err := it.span(schema, from, to)
			var e *diag.Error
			if meant := habit(it.Text, schema); meant != "" && errors.As(err, &e) {
				e.Try = []string{meant}
			}
			return fields, named, err
		}
		i, ok, err := position(it.Text, schema)
		if err != nil {
			return nil, false, err
		}
		if ok {
			return []int{i}, true, nil
		}
		e := Missing(it.Text, schema)
		if meant := habit(it.Text, schema); meant != "" {
			e.Try = []string{meant}
		}
		return nil, false, e
	}
	if len(fields) == 0 {
		what := "fits"
		if it.pat != nil {
			return nil, false, NoFit(it.Text, schema)
		}
		return nil, false, diag.Dataf("%s %s none of the %s: %s", it.Text, what, diag.Plural(int64(schema.Len()), "field"), diag.Names(schema.Names()))
	}
	return fields, false, nil
}

var (
	spanned  = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^\s*(\S.*?)\s*[-:–]\s*(\S.*?)\s*$`) })
	numbered = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^\s*(\d+)\s*(?:(?:\.\.|[-:–])\s*(\d+)\s*)?$`) })
	ordered  = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?i)^(\S.*?)\s+(desc|asc|descending|ascending)$`) })
)

// habit is the item that somebody may have meant who writes ranges and orders otherwise, "" where it is none that picks something.
func habit(text string, schema *table.Schema) string {
	if m := numbered().FindStringSubmatch(text); m != nil {
		first, _ := strconv.Atoi(m[1])
		last, _ := strconv.Atoi(m[2])
		switch {
		case m[2] == "" && first >= 1 && first <= schema.Len():
			return "#" + m[1]
		case first >= 1 && last >= 1 && max(first, last) <= schema.Len():
			return "#" + m[1] + "..#" + m[2]
		}
		return ""
	}
	if m := spanned().FindStringSubmatch(text); m != nil && isName(schema, m[1]) && isName(schema, m[2]) {
		return m[1] + ".." + m[2]
	}
	if m := ordered().FindStringSubmatch(text); m != nil && isName(schema, m[1]) {
		if strings.HasPrefix(strings.ToLower(m[2]), "desc") {
			return m[1] + " desc"
		}
		return m[1]
	}
	if rest, minus := strings.CutPrefix(text, "-"); minus && isName(schema, rest) {
		return rest + " desc"
	}
	return ""
}

// rangeEnds parts A..B; an end may be quoted.
func rangeEnds(s string) (from, to string, ok bool) {
	start := 0
	if strings.HasPrefix(s, `"`) {
		start = endQuote(s, 0)
	}
	i := strings.Index(s[start:], "..")
	if i < 0 {
		return "", "", false
	}
	from, to = strings.TrimSpace(s[:start+i]), strings.TrimSpace(s[start+i+2:])
	return from, to, from != "" && to != ""
}

func (it *Item) span(schema *table.Schema, from, to string) ([]int, bool, error) {
	end := func(s string) (int, error) {
		name, quoted, err := Unquote(s)
		if err != nil {
			return 0, err
		}
		if i, ok := schema.Index(name); ok {
			return i, nil
		}
		if !quoted {
			if i, ok, err := position(s, schema); ok || err != nil {
				return i, err
			}
		}
		return 0, Missing(name, schema)
	}
	a, err := end(from)
	if err != nil {
		return nil, false, err
	}
	b, err := end(to)
	if err != nil {
		return nil, false, err
	}
	var fields []int
	for i := min(a, b); i <= max(a, b); i++ {
		fields = append(fields, i)
	}
	if a > b {
		slices.Reverse(fields)
	}
	return fields, false, nil
}

// position reads #2 or #-1.
func position(s string, schema *table.Schema) (int, bool, error) {
	digits, ok := strings.CutPrefix(s, "#")
	if !ok {
		return 0, false, nil
	}
	n, err := strconv.Atoi(digits)
	if err != nil {
		return 0, false, nil
	}
	i := n - 1
	if n < 0 {
		i = schema.Len() + n
	}
	if n == 0 || i < 0 || i >= schema.Len() {
		return 0, false, diag.Dataf("there is no field %s: the table has %s, #1 to #%d", s, diag.Plural(int64(schema.Len()), "field"), schema.Len())
	}
	return i, true, nil
}

// Written is a field's name as an item of a selection, quoted where it has to be.
func Written(name string) string {
	if strings.ContainsAny(name, ",*?/{}!#\"=") || strings.Contains(name, "..") || name != strings.TrimSpace(name) {
		return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
	}
	return name
}

// Missing is the error of a field that is not there: it lists those that are, and the nearest.
func Missing(name string, schema *table.Schema) *diag.Error {
	e := diag.Dataf("there is no field %s; the fields are: %s", diag.Quote(name), diag.Names(schema.Names()))
	if schema.Len() == 1 { // the file was read with a delimiter that does not stand in it
		for _, d := range []string{";", "\t", "|", ","} {
			if only := schema.Name(0); slices.Contains(strings.Split(only, d), name) {
				return e.Trying("--delimiter " + map[bool]string{true: "tab", false: diag.Shell(d)}[d == "\t"])
			}
		}
	}
	if near := diag.Nearest(name, schema.Names()); near != "" {
		e.Trying(fmt.Sprintf("did you mean %s?", diag.Quote(near)))
	}
	return e
}

// NoFit is the error of a pattern that fits no field.
func NoFit(pat string, schema *table.Schema) *diag.Error {
	return diag.Dataf("the pattern %s fits none of the %s: %s", pat, diag.Plural(int64(schema.Len()), "field"), diag.Names(schema.Names())).
		Trying("a pattern must cover the whole name, spaces and case too")
}

// CutCode parts code, as arguments or paths, at a byte outside quotes and brackets.
func CutCode(s string, at byte) []string {
	var out []string
	depth, quote, start := 0, byte(0), 0
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
		case c == '(' || c == '[' || c == '{':
			depth++
		case c == ')' || c == ']' || c == '}':
			depth--
		case c == at && depth == 0:
			out = append(out, s[start:i])
			start = i + 1
		}
	}
	return append(out, s[start:])
}
