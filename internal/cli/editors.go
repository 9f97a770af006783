package cli

import (
	"context"
	"encoding/json"
	"regexp"
	"slices"
	"strings"

	"revuelta/internal/calc"
	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/plan"
	"revuelta/internal/step/catalog"
)

// Syntax is what an editor must know to colour a plan, by the name of the editor's form and the path it has under docs/editors. It is
// made of the same descriptions as the help.
func Syntax() map[string]struct{ Path, Text string } {
	return map[string]struct{ Path, Text string }{
		"vim":     {"vim/syntax/revuelta.vim", vimSyntax()},
		"grammar": {"revuelta.tmLanguage.json", grammar()},
	}
}

// writeSyntax writes a syntax description.
func writeSyntax(_ context.Context, a *app, c *call) error {
	if len(c.args.Operands) == 1 {
		if s, ok := Syntax()[c.args.Operands[0]]; ok {
			return printTo(a.Out, s.Text)
		}
	}
	return diag.Usagef("editor writes a syntax description: vim or grammar").Trying(program + " editor vim")
}

// planWords are the steps and statements of a plan, its options, and the functions of formulas and calculations, each sorted.
func planWords() (steps, options, functions []string) {
	steps = append(catalog.Names(), plan.Statements...)
	for _, s := range catalog.List() {
		for _, o := range s.Options {
			options = append(options, o.Name)
		}
	}
	for _, o := range slices.Concat(plan.ReadOptions, plan.WriteOptions) {
		options = append(options, o.Name)
	}
	for _, f := range formula.Functions() {
		functions = append(functions, f.Name)
	}
	for _, name := range calc.Names {
		if !strings.Contains(name, "…") { // p1 to p99 have a rule
			functions = append(functions, name)
		}
	}
	tidy := func(words []string) []string {
		slices.Sort(words)
		return slices.Compact(words)
	}
	return tidy(steps), tidy(options), tidy(functions)
}

func vimSyntax() string {
	steps, options, functions := planWords()
	words := func(list []string) string { return strings.Join(list, `\|`) }
	lines := []string{
		`" Syntax of plans, made by: ` + program + ` editor vim`,
		`if exists("b:current_syntax")`, `  finish`, `endif`,
		`syn case match`,
		`syn match ` + program + `Step "^\(` + words(steps) + `\)\ze\(\s\|$\)"`,
		`syn match ` + program + `Unknown "\(^\|\s\)\zs--[a-z-]\+"`,
		`syn match ` + program + `Option "\(^\|\s\)\zs--\(` + words(options) + `\)\ze\(\s\|=\|$\)"`,
		`syn match ` + program + `Mark "\(^\|\s\)\zs@[^ \t'\"]\+"`,
		`syn match ` + program + `Function "\<\(` + words(functions) + `\|p[1-9][0-9]\?\)\ze(" contained`,
		`syn match ` + program + `Operator "\<\(and\|or\|not\|in\|as\|desc\)\>" contained`,
		`syn match ` + program + `Place "{[^{}]*}"`,
		`syn match ` + program + `Given "\${[^{}]*}"`,
		`syn region ` + program + `Text start="'" end="'" contains=` + program + `Function,` + program + `Operator,` + program + `Place,` + program + `Given,` + program + `Inner`,
		`syn region ` + program + `Text start=+"+ end=+"+ contains=` + program + `Place,` + program + `Given`,
		`syn region ` + program + `Inner start=+"+ end=+"+ contained oneline`,
		`syn match ` + program + `Comment "^#.*$\|\s\zs#\s.*$"`,
	}
	for name, group := range map[string]string{"Step": "Statement", "Option": "Identifier", "Unknown": "Error", "Mark": "Constant", "Function": "Function", "Operator": "Operator", "Place": "Special", "Given": "PreProc", "Text": "String", "Inner": "Constant", "Comment": "Comment"} {
		lines = append(lines, "hi def link "+program+name+" "+group)
	}
	slices.Sort(lines[len(lines)-11:])
	lines = append(lines, `let b:current_syntax = "`+program+`"`)
	return strings.Join(lines, "\n") + "\n"
}

// rule is a rule of a grammar.
type rule struct {
	Name     string `json:"name,omitempty"`
	Match    string `json:"match,omitempty"`
	Begin    string `json:"begin,omitempty"`
	End      string `json:"end,omitempty"`
	Patterns []rule `json:"patterns,omitempty"`
}

func grammar() string {
	steps, options, functions := planWords()
	words := func(list []string) string {
		var out []string
		for _, w := range list {
			out = append(out, regexp.QuoteMeta(w))
		}
		return strings.Join(out, "|")
	}
	scope := func(kind string) string { return kind + "." + program }
	place := rule{Name: scope("variable.parameter"), Match: `\{[^{}]*\}`}
	given := rule{Name: scope("variable.other"), Match: `\$\{[^{}]*\}`}
	g := struct {
		Comment   string   `json:"comment"`
		Name      string   `json:"name"`
		Scope     string   `json:"scopeName"`
		FileTypes []string `json:"fileTypes"`
		Patterns  []rule   `json:"patterns"`
	}{
		"made by: " + program + " editor grammar", program, "source." + program, []string{"plan"}, []rule{
			{Name: scope("comment.line.number-sign"), Match: `^#.*$|(?<=\s)#\s.*$`},
			{Name: scope("keyword.control"), Match: `^(?:` + words(steps) + `)(?=\s|$)`},
			{Name: scope("entity.name.tag"), Match: `(?<!\S)--(?:` + words(options) + `)(?=\s|=|$)`},
			{Name: scope("invalid.illegal"), Match: `(?<!\S)--[a-z-]+`},
			{Name: scope("constant.other"), Match: `(?<!\S)@\S+`},
			given,
			{Name: scope("string.quoted.single"), Begin: `'`, End: `'`, Patterns: []rule{
				{Name: scope("constant.other.text"), Match: `"[^"']*"`}, given, place,
				{Name: scope("support.function"), Match: `\b(?:` + words(functions) + `|p[1-9][0-9]?)(?=\()`},
				{Name: scope("keyword.operator"), Match: `\b(?:and|or|not|in|as|desc)\b`},
			}},
			{Name: scope("string.quoted.double"), Begin: `"`, End: `"`, Patterns: []rule{given, place}},
			place,
		},
	}
	var b strings.Builder
	e := json.NewEncoder(&b)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	_ = e.Encode(g) // strings alone
	return b.String()
}
