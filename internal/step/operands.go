package step

import (
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
)

// OptionalSelection is the selection an option gives, nil where it was not given.
func OptionalSelection(a *Args, name string) (*selection.Selection, error) {
	if !a.Has(name) {
		return nil, nil
	}
	return selection.Parse(a.Get(name, ""))
}

// Condition is the formula an option gives, which must be one that holds or not.
func Condition(a *Args, name string) (*formula.Formula, error) {
	f, err := formula.Parse(a.Get(name, ""))
	if err == nil && f.Kind() != formula.Truth {
		err = diag.Usagef("--%s %s: the formula gives a value, not whether something holds", name, diag.Quote(f.String())).Trying("compare it: kilos > 0")
	}
	return f, err
}

// Separator is the value of an option that gives one.
func Separator(a *Args, name string) (string, error) {
	return AsSeparator(name, a.Get(name, ""))
}

func AsSeparator(option, s string) (string, error) {
	if s == "" {
		return "", diag.Usagef("--%s: the separator is empty", option).Trying("--"+option+" ';'", "split FIELD PATTERN takes cells apart by width: {a:2}{b:3}")
	}
	return strings.NewReplacer(`\n`, "\n", `\t`, "\t", `\r`, "\r", `\\`, `\`).Replace(s), nil
}

// NameList reads names parted by commas, quoted where they hold one.
func NameList(s string) ([]string, error) {
	var out []string
	seen := map[string]bool{}
	for _, piece := range selection.Cut(s, ',') {
		name, _, err := selection.Unquote(piece)
		if err != nil {
			return nil, err
		}
		if name == "" {
			return nil, diag.Usagef("%s: a name is empty", diag.Quote(s)).Trying("a,b,c")
		}
		if seen[name] {
			return nil, diag.Usagef("the name %s is given twice", diag.Quote(name))
		}
		seen[name] = true
		out = append(out, name)
	}
	return out, nil
}

// CutAssignment parts NAME = FORMULA at the first = that is no part of a comparison.
func CutAssignment(s string) (name, source string, ok bool) {
	from := 0
	if strings.HasPrefix(strings.TrimSpace(s), `"`) { // a quoted name may hold =
		from = strings.Index(s, `"`) + 1
		if end := strings.IndexByte(s[from:], '"'); end >= 0 {
			from += end
		}
	}
	i := strings.IndexByte(s[from:], '=')
	if i < 0 {
		return "", "", false
	}
	i += from
	if strings.HasPrefix(s[i:], "==") || i > 0 && strings.ContainsRune("!<>", rune(s[i-1])) {
		return "", "", false
	}
	return strings.TrimSpace(s[:i]), strings.TrimSpace(s[i+1:]), true
}
