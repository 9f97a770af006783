package cli

import (
	"errors"
	"regexp"
	"strings"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/run"
)

// fault is an error of a plan as an editor takes it.
type fault struct {
	Plan    string   `json:"plan,omitempty"`
	Line    int      `json:"line,omitempty"`
	Word    string   `json:"word,omitempty"` // what is at fault, as it stands in the line
	Message string   `json:"message"`
	Tries   []string `json:"tries,omitempty"`
}

// checkedLine is a line of a plan and the fields behind it; null where they are known only at the run.
type checkedLine struct {
	Line   int      `json:"line,omitempty"`
	Step   string   `json:"step"`
	Fields []string `json:"fields"`
}

var inQuotes = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`"((?:[^"\\]|\\.)*)"`) })

// wordOf is the word at fault: the field, or what the message quotes first, an option it names or one that it begins with.
func wordOf(e *diag.Error) string {
	if e.Field != "" {
		return e.Field
	}
	if m := inQuotes().FindStringSubmatch(e.Text); m != nil {
		return m[1]
	}
	for _, w := range strings.Fields(e.Text) {
		if strings.HasPrefix(w, "--") {
			return strings.TrimRight(w, ":,;")
		}
	}
	return e.Step
}

// checkJSON writes the errors of a plan and its fields for editors.
func (a *app) checkJSON(lines []run.Checked, failed error) error {
	out := struct {
		Errors []fault       `json:"errors"`
		Steps  []checkedLine `json:"steps"`
	}{[]fault{}, []checkedLine{}}
	var list diag.List
	if e := (*diag.Error)(nil); failed != nil && !errors.As(failed, &list) {
		if !errors.As(failed, &e) {
			e = &diag.Error{Text: failed.Error()}
		}
		list = diag.List{e}
	}
	for _, e := range list {
		bare := *e
		bare.Plan, bare.PlanLine = "", 0
		out.Errors = append(out.Errors, fault{e.Plan, e.PlanLine, wordOf(e), bare.Error(), e.Try})
	}
	for _, l := range lines {
		c := checkedLine{Line: l.Line, Step: l.Name}
		if !l.Open {
			c.Fields = l.Names
		}
		out.Steps = append(out.Steps, c)
	}
	if err := a.writeJSON(out); err != nil {
		return err
	}
	return failed
}
