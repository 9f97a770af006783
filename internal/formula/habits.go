package formula

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync"
	"unicode/utf8"

	"revuelta/internal/diag"
)

// What people write by habit of spreadsheets and of SQL, and the words that a formula has for it. What is proposed is a whole
// formula wherever one can be made of what stands there.

// habit proposes what may have been meant where the parser could not go on, "" where nothing is known.
func (c *compiler) habit(offset int) string {
	at := c.token(offset)
	t := c.tokens[at]
	word := strings.ToLower(t.text)
	bare := t.kind == fieldToken && c.source[t.at] != '{' || t.kind == functionToken
	switch {
	case bare && (word == "and" || word == "or" || word == "not"):
		return c.source[:t.at] + word + c.source[t.at+len(t.text):]
	case at > 0 && t.kind == operator && t.text == "," && c.tokens[at-1].kind == numberToken && at+1 < len(c.tokens) && c.tokens[at+1].kind == numberToken:
		return c.source[:t.at] + "." + strings.TrimLeft(c.source[t.at+1:], " ")
	case at == 0 || !bare || c.tokens[at-1].kind != fieldToken:
		return ""
	}
	before := c.tokens[at-1]
	name := c.written(before)
	begin := c.source[:before.at]
	rest := func(n int) string { // what follows so many tokens more
		if at+n+1 < len(c.tokens) {
			return " " + c.source[c.tokens[at+n+1].at:]
		}
		return ""
	}
	next := func(n int) token {
		if at+n < len(c.tokens) {
			return c.tokens[at+n]
		}
		return token{}
	}
	matching := func(regex string) string {
		return begin + fmt.Sprintf("fits(%s, %s)", name, diag.Quote("{_:/"+regex+"/}")) + rest(1)
	}
	switch {
	case word == "is" && strings.EqualFold(next(1).text, "null"):
		return begin + "blank(" + name + ")" + rest(1)
	case word == "is" && strings.EqualFold(next(1).text, "not") && strings.EqualFold(next(2).text, "null"):
		return begin + "not blank(" + name + ")" + rest(2)
	case word == "contains" && next(1).kind == textToken:
		return matching(".*" + regexp.QuoteMeta(next(1).text) + ".*")
	case word == "like" && next(1).kind == textToken:
		return matching(strings.NewReplacer("%", ".*", "_", ".").Replace(regexp.QuoteMeta(next(1).text)))
	case before.at+len(before.text) <= len(c.source) && c.source[before.at] != '{':
		last := at // a name of several words
		for last+1 < len(c.tokens) && c.tokens[last+1].kind == fieldToken && c.source[c.tokens[last+1].at] != '{' {
			last++
		}
		first := at - 1
		for first > 0 && c.tokens[first-1].kind == fieldToken && c.source[c.tokens[first-1].at] != '{' {
			first--
		}
		end := c.tokens[last].at + len(c.tokens[last].text)
		return c.source[:c.tokens[first].at] + "{" + c.source[c.tokens[first].at:end] + "}" + c.source[end:]
	}
	return ""
}

// proven is a formula that was proposed for another, if it can be read, or what is proposed for it in turn; else "".
func proven(meant, source string) string {
	if meant == "" || len(meant) > 2*len(source)+200 {
		return ""
	}
	_, err := parse(meant)
	var e *Error
	switch {
	case err == nil:
		return meant
	case errors.As(err, &e) && e.Try != "":
		if _, err := parse(e.Try); err == nil {
			return e.Try
		}
	}
	return ""
}

// written is a field as it stands in the formula.
func (c *compiler) written(t token) string {
	if c.source[t.at] == '{' {
		return "{" + t.text + "}"
	}
	return t.text
}

// named are functions of other programs by the name they have here, and asked is what does the same as others do.
var (
	named = map[string]string{"concat": "text", "concatenate": "text", "max": "greatest", "min": "least", "len": "length", "isnull": "blank", "isblank": "blank", "isna": "blank", "ucase": "upper", "lcase": "lower", "proper": "title", "datediff": "days_between", "ceiling": "ceil", "iif": "if", "ifelse": "if"}
	folds = map[string]string{"sum": "sum", "avg": "mean", "average": "mean", "mean": "mean", "count": "count", "median": "median", "stdev": "stdev", "first": "first", "last": "last"}
	asked = map[string]string{
		"substr": `left(a, n), right(a, n), part(a, ";", n)`, "substring": `left(a, n), right(a, n), part(a, ";", n)`, "mid": `left(a, n), right(a, n), part(a, ";", n)`,
		"today": `the date itself, as "2024-05-02": a plan gives the same whenever it runs`, "now": `the date itself, as "2024-05-02": a plan gives the same whenever it runs`,
		"coalesce": "a ?? b", "ifnull": "a ?? b", "nvl": "a ?? b", "cast": "number(a), or the step cast", "regexmatch": `fits(a, "{_:/[A-Z]+/}")`,
	}
)

// foreign proposes what a function of other programs is here, called with so many arguments; "" where nothing is known of it.
func (c *compiler) foreign(t token, args int) string {
	word := strings.ToLower(t.text)
	column := args == 1 && (word == "max" || word == "min") // of one field, those are of its whole column
	if here := named[word]; here != "" && !column {
		return c.source[:t.at] + here + c.source[t.at+len(t.text):]
	}
	fold := folds[word]
	if column {
		fold = word
	}
	if fold != "" {
		inside := "FIELD"
		if args == 0 {
			inside = ""
		}
		rest := c.source[t.at+len(t.text):]
		if end := strings.IndexByte(rest, ')'); end > 0 && !strings.ContainsAny(rest[1:end], "('\"") {
			inside = rest[1:end]
		}
		return "group --each-row --calc '" + fold + "(" + inside + ") as " + fold + "' first: a formula sees one row"
	}
	return asked[word]
}

// unquoted proposes a formula in which a name that is no field stands as a text beside == or !=.
func unquoted(source, name string) string {
	if !utf8.ValidString(name) { // which no expression can hold
		return ""
	}
	word := regexp.MustCompile(`(==|!=)(\s*)` + regexp.QuoteMeta(name) + `($|[^\pL\pN_(])`)
	if !word.MatchString(source) {
		return ""
	}
	return word.ReplaceAllString(source, `${1}${2}"`+strings.ReplaceAll(name, "$", "$$")+`"${3}`)
}

// joined proposes text(…) for a formula that puts texts together with +, "" where it is none.
func joined(source string, e *Error) string {
	if e.Text != textNoNumber {
		return ""
	}
	tokens, err := lex(source)
	if err != nil {
		return ""
	}
	depth, from := 0, 0
	var parts []string
	for _, t := range tokens {
		switch t.text {
		case "(", "[":
			depth++
		case ")", "]":
			depth--
		case "+":
			if depth == 0 && strings.HasPrefix(source[t.at:], "+") {
				parts, from = append(parts, strings.TrimSpace(source[from:t.at])), t.at+1
			}
		}
	}
	whole := "text(" + strings.Join(append(parts, strings.TrimSpace(source[from:])), ", ") + ")"
	if _, err := parse(whole); err != nil || len(parts) == 0 {
		return ""
	}
	return whole
}

// otherDate is a date in another form than ISO 8601, behind an order comparison.
var otherDate = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`[<>]=?\s*["'](\d{1,2})([./-])(\d{1,2})([./-])(\d{4})["']`)
})

// Notes tell what a formula does that is seldom meant: dates in other forms than 2024-05-30 are compared as texts, whose order is not theirs.
func (f *Formula) Notes() []string {
	m := otherDate().FindStringSubmatch(f.source)
	if m == nil {
		return nil
	}
	return []string{fmt.Sprintf("%s is compared as a text, and texts in that form do not stand in the order of the days: dates are written as \"2024-05-30\", and cast … date makes them so", m[0][strings.IndexAny(m[0], `"'`):])}
}
