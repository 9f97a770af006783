// Package diag holds the errors of the program: what is wrong, where it is
// (plan, file, line, field, cell) and what to try. Errors are built where the
// knowledge is and rendered in one place, by [Render]. It prints nothing.
package diag

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// Status is the exit status an error leads to.
type Status int

// The exit statuses of the program.
const (
	Done        Status = 0
	Data        Status = 1 // the data would not do
	Usage       Status = 2 // the command or the plan is wrong in itself
	System      Status = 3 // a file or the system would not
	Interrupted Status = 130
	Terminated  Status = 143
)

// Error is one thing that is wrong. The zero value of a position means that
// it is not known or does not apply.
type Error struct {
	Status    Status
	Plan      string // plan file
	PlanLine  int
	Step      string
	File      string // data file
	Line      int    // physical line, from 1
	Key       string // of the row in Line, of a table that has one
	OtherLine int    // of the row that the one in Line clashes with
	Sheet     string
	Field     string
	Cell      string   // as it stood, where one is at fault; the text quotes it
	Text      string   // what is wrong, lower case, no full stop
	Try       []string // what to do about it
	Cause     error
}

// Dataf makes an error about the data.
func Dataf(format string, args ...any) *Error { return newf(Data, format, args) }

// Usagef makes an error about the command or the plan.
func Usagef(format string, args ...any) *Error { return newf(Usage, format, args) }

// Systemf makes an error about a file or the system; a cause among args is kept for errors.Is.
func Systemf(format string, args ...any) *Error { return newf(System, format, args) }

func newf(s Status, format string, args []any) *Error {
	e := &Error{Status: s, Text: fmt.Sprintf(format, args...)}
	for _, a := range args {
		if err, ok := a.(error); ok {
			e.Cause = err
		}
	}
	return e
}

// At sets the data file and line.
func (e *Error) At(file string, line int) *Error {
	e.File, e.Line = file, line
	return e
}

// InField sets the field.
func (e *Error) InField(name string) *Error {
	e.Field = name
	return e
}

// Trying adds pieces of advice.
func (e *Error) Trying(tries ...string) *Error {
	e.Try = append(e.Try, tries...)
	return e
}

// Unwrap gives the cause.
func (e *Error) Unwrap() error { return e.Cause }

// Error renders the first line, without advice.
func (e *Error) Error() string {
	var where []string
	if e.Plan != "" {
		p := Cut(Visible(e.Plan))
		if e.PlanLine > 0 {
			p = fmt.Sprintf("%s line %d", p, e.PlanLine)
		}
		if e.Step != "" {
			p += " (" + e.Step + ")"
		}
		where = append(where, p+":")
	}
	place := Cut(Visible(e.File))
	if e.Sheet != "" {
		place = strings.TrimSpace(place + " sheet " + Quote(e.Sheet))
	}
	if e.Line > 0 {
		place = strings.TrimSpace(fmt.Sprintf("%s %s %d", place, LineOf(e.File), e.Line))
		if e.Key != "" {
			place += " (" + Cut(Visible(e.Key)) + ")"
		}
	}
	if e.Field != "" {
		f := "field " + Quote(e.Field)
		if place != "" {
			f = place + ", " + f
		}
		place = f
	}
	if place != "" {
		where = append(where, place+":")
	}
	return strings.Join(append(where, Cut(Visible(e.Text))), " ")
}

// Server is how the name of a table of a server begins: it has rows, and no lines.
const Server = "postgres "

// LineOf is what a table is counted in.
func LineOf(file string) string {
	if strings.HasPrefix(file, Server) {
		return "row"
	}
	return "line"
}

// List is several errors, shown together: those of a plan.
type List []*Error

// Error renders all, a line each.
func (l List) Error() string {
	lines := make([]string, len(l))
	for i, e := range l {
		lines[i] = e.Error()
	}
	return strings.Join(lines, "\n")
}

// StatusOf is the exit status an error leads to.
func StatusOf(err error) Status {
	var e *Error
	var l List
	switch {
	case err == nil:
		return Done
	case errors.As(err, &l) && len(l) > 0:
		return l[0].Status
	case errors.As(err, &e):
		return e.Status
	}
	return System
}

// mostErrors is how many errors are rendered, the others being counted.
const mostErrors = 20

// Render writes an error as the user meets it: a line with the program's name
// and the place, then a line of advice if there is any.
func Render(program string, err error) string {
	var b strings.Builder
	var l List
	if !errors.As(err, &l) {
		var e *Error
		if !errors.As(err, &e) {
			e = &Error{Text: err.Error()}
		}
		l = List{e}
	}
	for _, e := range l[:min(len(l), mostErrors)] {
		fmt.Fprintf(&b, "%s: %s\n", program, e.Error())
		b.WriteString(advice(e.Try))
	}
	if more := len(l) - mostErrors; more > 0 {
		fmt.Fprintf(&b, "%s: and %s\n", program, Plural(int64(more), "more error"))
	}
	return b.String()
}

// advice writes what to try, on one line where it fits.
func advice(tries []string) string {
	const wide = 80
	var b strings.Builder
	// Cut, it would not do what it says.
	tries = slices.DeleteFunc(slices.Clone(tries), func(t string) bool { return Cut(t) != t })
	for i, t := range tries {
		tries[i] = Lines(t)
	}
	lead, between := "  try: ", "     or: "
	size := utf8.RuneCountInString(lead + strings.Join(tries, between))
	if size > wide {
		between = "\n   or: "
	}
	for _, t := range tries {
		if strings.HasPrefix(t, "did you mean") {
			b.WriteString("  " + t + "\n")
			continue
		}
		b.WriteString(lead + t)
		lead = between
	}
	if lead == between {
		b.WriteByte('\n')
	}
	return b.String()
}

const longest = 40

// Quote puts a user's text in quotes, control characters escaped, cut to 40
// characters.
func Quote(s string) string {
	n := 0
	for i := range s {
		if n++; n > longest {
			return `"` + Visible(s[:i]) + `…"`
		}
	}
	return `"` + Visible(s) + `"`
}

// Names lists field names for a message, at most 20 of them.
func Names(names []string) string {
	const most = 20
	shown := make([]string, 0, most)
	for _, n := range names[:min(len(names), most)] {
		if strings.ContainsAny(n, ",\"\n") || strings.TrimSpace(n) != n || n == "" || Visible(n) != n {
			n = Quote(n)
		}
		shown = append(shown, n)
	}
	s := strings.Join(shown, ", ")
	if more := len(names) - most; more > 0 {
		s += fmt.Sprintf(" and %s more", Count(int64(more)))
	}
	return s
}

// Count writes a number with commas between the thousands.
func Count(n int64) string {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Plural writes a count with its noun: 1 row, 2 rows.
func Plural(n int64, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return Count(n) + " " + Many(noun)
}

// Many is the plural of a noun.
func Many(noun string) string {
	switch {
	case noun == "":
		return noun
	case strings.HasSuffix(noun, "s"), strings.HasSuffix(noun, "x"), strings.HasSuffix(noun, "ch"), strings.HasSuffix(noun, "sh"):
		return noun + "es"
	case strings.HasSuffix(noun, "y") && len(noun) > 1 && !strings.ContainsRune("aeiou", rune(noun[len(noun)-2])):
		return noun[:len(noun)-1] + "ies"
	}
	return noun + "s"
}

// Fold parts a text into lines of at most so many characters, at spaces; fewer
// than ten is no bound.
func Fold(s string, most int) []string {
	if most < 10 {
		return []string{s}
	}
	var out []string
	line := ""
	for i, w := range strings.Split(s, " ") {
		switch {
		case i == 0:
			line = w
		case utf8.RuneCountInString(line)+1+utf8.RuneCountInString(w) > most:
			out = append(out, line)
			line = w
		default:
			line += " " + w
		}
	}
	return append(out, line)
}
