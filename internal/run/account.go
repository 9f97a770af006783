package run

import (
	"encoding/json"
	"fmt"
	"strings"
	"unicode/utf8"

	"revuelta/internal/diag"
	"revuelta/internal/format"
)

// Account is what became of the rows of a run.
type Account struct {
	Status  string         `json:"status"`
	Seconds float64        `json:"seconds"`
	Inputs  []TableAccount `json:"inputs"`
	Steps   []StepAccount  `json:"steps"`
	Outputs []TableAccount `json:"outputs"`
	Failed  string         `json:"failed,omitempty"`
}

// TableAccount is a file that was read or written.
type TableAccount struct {
	Name   string   `json:"name"`
	Rows   int64    `json:"rows"`
	Fields int      `json:"fields"`
	Names  []string `json:"names,omitempty"`
	Notes  []string `json:"notes,omitempty"`

	How format.Found `json:"-"` // what was found out of a file that was read
}

// StepAccount is what became of the rows in a step.
type StepAccount struct {
	Step     string   `json:"step"`
	Line     int      `json:"line,omitempty"`
	RowsIn   int64    `json:"rows_in"`
	RowsOut  int64    `json:"rows_out"`
	Fields   int      `json:"fields"`
	Made     int64    `json:"made"`
	Merged   int64    `json:"merged"`
	LeftOut  int64    `json:"left_out"`
	SetAside int64    `json:"set_aside"`
	Notes    []string `json:"notes"`
	Across   []string `json:"across,omitempty"` // values that became fields
	Summary  string   `json:"-"`
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
	if err := enc.Encode(a); err != nil {
		panic("run: " + err.Error()) // all of it is plain data
	}
	return []byte(b.String())
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
		return line{name, diag.Plural(rows, "row"), diag.Plural(int64(fields), "field"), said, notes}
	}
	var lines []line
	for _, t := range a.Inputs {
		lines = append(lines, row(t.Name, t.Rows, t.Fields, "", t.Notes))
	}
	for _, s := range a.Steps {
		said := s.Summary
		if s.SetAside > 0 {
			said = strings.TrimPrefix(said+"; "+diag.Plural(s.SetAside, "row")+" set aside", "; ")
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

func count(s string) int          { return utf8.RuneCountInString(s) }
func pad(s string, n int) string  { return s + strings.Repeat(" ", max(0, n-count(s))) }
func left(s string, n int) string { return strings.Repeat(" ", max(0, n-count(s))) + s }
