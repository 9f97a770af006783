package run

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/step"
)

// Account is what became of the rows of a run.
type Account struct {
	Status  string         `json:"status"`
	Seconds float64        `json:"seconds"`
	Inputs  []TableAccount `json:"inputs"`
	Steps   []StepAccount  `json:"steps"`
	Outputs []TableAccount `json:"outputs"`
	Failed  *Failure       `json:"failed,omitempty"`
}

// Failure is why a run failed, and where.
type Failure struct {
	Message string   `json:"message"`
	File    string   `json:"file,omitempty"`
	Line    int      `json:"line,omitempty"`
	Field   string   `json:"field,omitempty"`
	Cell    string   `json:"cell,omitempty"`
	Step    string   `json:"step,omitempty"`
	Tries   []string `json:"tries,omitempty"`
}

// failureOf tells of an error; of several, of the first, with the messages of all.
func failureOf(err error) *Failure {
	f := &Failure{Message: err.Error()}
	var e *diag.Error
	var all diag.List
	if errors.As(err, &all) && len(all) > 0 {
		e = all[0]
	} else if !errors.As(err, &e) {
		return f
	}
	f.File, f.Line, f.Field, f.Cell, f.Step, f.Tries = e.File, e.Line, e.Field, e.Cell, e.Step, e.Try
	return f
}

// Reason is why rows were set aside or left out, and how many.
type Reason struct {
	Text  string `json:"text"`
	Count int64  `json:"count"`
}

// reasonsOf lists reasons, the commonest first.
func reasonsOf(counts ...map[string]int64) []Reason {
	const most = 1000
	out := []Reason{}
	for _, c := range counts {
		for text, n := range c {
			out = append(out, Reason{text, n})
		}
	}
	slices.SortFunc(out, func(a, b Reason) int { return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Text, b.Text)) })
	if len(out) <= most {
		return out
	}
	rest := Reason{Text: diag.Count(int64(len(out)-most)) + " other reasons"}
	for _, r := range out[most:] {
		rest.Count += r.Count
	}
	return append(out[:most], rest)
}

// cellsOf tells of the cells that a step balances; nil: it balances none.
func cellsOf(t *step.Counters) *step.Cells {
	switch {
	case t.Cells != step.Cells{}:
		return &t.Cells
	case t.FilledIn != 0 || t.FilledOut != 0:
		return &step.Cells{In: t.FilledIn, Out: t.FilledOut}
	}
	return nil
}

// TableAccount is a file that was read or written.
type TableAccount struct {
	Name   string    `json:"name"`
	Role   step.Role `json:"role,omitempty"` // what a file was read for
	Rows   int64     `json:"rows"`
	Fields int       `json:"fields"`
	Names  []string  `json:"names,omitempty"`
	Notes  []string  `json:"notes,omitempty"`

	How format.Found `json:"-"` // what was found out of a file that was read
}

// StepAccount is what became of the rows in a step.
type StepAccount struct {
	Step     string      `json:"step"`
	Line     int         `json:"line,omitempty"`
	RowsIn   int64       `json:"rows_in"`
	RowsOut  int64       `json:"rows_out"`
	Fields   int         `json:"fields"`
	Made     int64       `json:"made"`
	Merged   int64       `json:"merged"`
	LeftOut  int64       `json:"left_out"`
	SetAside int64       `json:"set_aside"`
	Reasons  []Reason    `json:"reasons"` // of what was set aside or left out
	Cells    *step.Cells `json:"cells,omitempty"`
	Notes    []string    `json:"notes"`
	Across   []string    `json:"across,omitempty"` // values that became fields
	Summary  string      `json:"-"`
	Aside    []Reason    `json:"-"`                // of what was set aside
	Absent   []Reason    `json:"absent,omitempty"` // members of JSON objects, by the name of their field
	Unfit    []Reason    `json:"unfit,omitempty"`  // of cells that did not fit, whose rows went on
}

// JSON writes the account as an object.
func (a *Account) JSON() []byte {
	if a.Inputs == nil {
		a.Inputs = []TableAccount{}
	}
	if a.Steps == nil {
		a.Steps = []StepAccount{}
	}
	if a.Outputs == nil {
		a.Outputs = []TableAccount{}
	}
	var b strings.Builder
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	var what any = a
	if a.Failed != nil {
		what = a.failed()
	}
	if err := enc.Encode(what); err != nil {
		panic("run: " + err.Error()) // all of it is plain data
	}
	return []byte(b.String())
}

// Read is the inputs that are no other tables of steps.
func (a *Account) Read() []TableAccount {
	return slices.DeleteFunc(slices.Clone(a.Inputs), func(t TableAccount) bool { return t.Role != step.ToRead })
}

// failed is the account of a run that failed: without counts, since how many rows had been seen by then is chance.
func (a *Account) failed() any {
	type input struct {
		Name   string    `json:"name"`
		Role   step.Role `json:"role,omitempty"`
		Fields int       `json:"fields"`
	}
	type stage struct {
		Step string `json:"step"`
		Line int    `json:"line,omitempty"`
	}
	out := struct {
		Status  string         `json:"status"`
		Seconds float64        `json:"seconds"`
		Inputs  []input        `json:"inputs"`
		Steps   []stage        `json:"steps"`
		Outputs []TableAccount `json:"outputs"`
		Failed  *Failure       `json:"failed"`
	}{a.Status, a.Seconds, []input{}, []stage{}, []TableAccount{}, a.Failed}
	for _, t := range a.Inputs {
		out.Inputs = append(out.Inputs, input{t.Name, t.Role, t.Fields})
	}
	for _, s := range a.Steps {
		out.Steps = append(out.Steps, stage{s.Step, s.Line})
	}
	return out
}

// Text draws the account: a line for each input, step and output, its notes
// beneath; what is said goes on in further lines where it is wider than width, 0 being no bound.
func (a *Account) Text(width int) string {
	type line struct {
		name         string
		rows, fields string
		said         string
		notes        []string
	}
	row := func(name string, rows int64, fields int, said string, notes []string) line {
		notes = slices.Clone(notes)
		for i, n := range notes {
			notes[i] = diag.Visible(n)
		}
		return line{diag.Visible(name), diag.Plural(rows, "row"), diag.Plural(int64(fields), "field"), diag.Visible(said), notes}
	}
	var lines []line
	for _, t := range a.Inputs {
		said := ""
		if t.Role != step.ToRead {
			said = "for " + string(t.Role)
		}
		lines = append(lines, row(t.Name, t.Rows, t.Fields, said, t.Notes))
	}
	for _, s := range a.Steps {
		said := s.Summary
		if s.SetAside > 0 {
			said = strings.TrimPrefix(said+"; "+diag.Plural(s.SetAside, "row")+" set aside"+s.setAside(), "; ")
		}
		lines = append(lines, row("  "+s.Step, s.RowsOut, s.Fields, said, s.Notes))
	}
	for i, t := range a.Outputs {
		said := ""
		if i == len(a.Outputs)-1 {
			said = fmt.Sprintf("%.2f s", a.Seconds)
		}
		lines = append(lines, row(t.Name, t.Rows, t.Fields, said, t.Notes))
	}
	var name, rows, fields int
	for _, l := range lines {
		name, rows, fields = max(name, count(l.name)), max(rows, count(l.rows)), max(fields, count(l.fields))
	}
	var b strings.Builder
	for _, l := range lines {
		s := fmt.Sprintf("%s  %s  %s", pad(l.name, name), left(l.rows, rows), left(l.fields, fields))
		if l.said != "" {
			const roomy = 30
			indent, lead := count(s)+3, "   "
			if width > 0 && width-indent < roomy { // beneath, where there is room
				indent, lead = 4, "\n    "
			}
			s += lead + strings.Join(diag.Fold(l.said, width-indent), "\n"+strings.Repeat(" ", indent))
		}
		b.WriteString(s + "\n")
		for _, n := range l.notes {
			b.WriteString("    note: " + strings.Join(diag.Fold(n, width-10), "\n          ") + "\n")
		}
	}
	return b.String()
}

// setAside sums up why rows were set aside.
func (s *StepAccount) setAside() string {
	const most = 3
	var said []string
	for _, r := range s.Aside[:min(len(s.Aside), most)] {
		text := r.Text
		if len(s.Aside) > 1 {
			text += ": " + diag.Plural(r.Count, "row")
		}
		said = append(said, text)
	}
	if more := len(s.Aside) - most; more > 0 {
		said = append(said, diag.Plural(int64(more), "other reason"))
	}
	if len(said) == 0 {
		return ""
	}
	return " (" + strings.Join(said, "; ") + ")"
}

func count(s string) int          { return utf8.RuneCountInString(s) }
func pad(s string, n int) string  { return s + strings.Repeat(" ", max(0, n-count(s))) }
func left(s string, n int) string { return strings.Repeat(" ", max(0, n-count(s))) + s }
