package server

import (
	"errors"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"

	"revuelta/internal/diag"
)

// fault is the error of something the server would not do; query is what the user wrote of it, if he did.
func (a *Address) fault(err error, query string) error {
	var told *diag.Error
	if errors.As(err, &told) {
		return err
	}
	var s *pgconn.PgError
	if !errors.As(err, &s) {
		e := diag.Systemf("the connection was lost: %s", reason(err)).At(a.Name(), 0)
		e.Cause = err
		return e
	}
	e := diag.Systemf("the server: %s", plain(s.Message)).At(a.Name(), 0)
	if s.Detail != "" && len(s.Detail) < 200 {
		e.Text += " (" + strings.TrimSuffix(plain(s.Detail), ".") + ")"
	}
	switch class := s.Code[:min(2, len(s.Code))]; {
	case s.Code == "42501":
		e.Text = "no permission: " + plain(s.Message)
		e.Trying("another user, or ask for the right")
	case s.Code == "42P01":
		e.Status = diag.Data
	case s.Code == "42703":
		e.Status = diag.Data
	case s.Code == "25006":
		e.Status, e.Text = diag.Usage, "the query writes, and what is read is read only"
		e.Trying("a query that begins with select")
	case class == "42" && query != "":
		e.Status = diag.Usage
	case s.Code == "55P03":
		e.Text = "another session holds the table, and went on holding it"
		e.Trying("again when that one is done")
	case s.Code == "57014":
		e.Text = "the server ended the work: " + plain(s.Message)
	case s.Code == "57P01", s.Code == "57P02", s.Code == "57P03":
		e.Text = "the server was stopped"
	case s.Code == "53100":
		e.Text = "the disk of the server is full"
	case s.Code == "2BP01":
		e.Text = "something depends on the table, so it can't be made anew with other fields: " + plain(s.Detail)
		e.Trying("the same fields as the table has", "another table")
	case s.Code == "0A000" && strings.Contains(s.Message, "foreign key"):
		e.Text = "another table refers to its rows: " + plain(s.Detail)
		e.Trying("--add", "another table")
	case class == "22", class == "23", class == "21":
		e.Status = diag.Data
	}
	if s.Position > 0 && query != "" {
		if at := near(query, int(s.Position)); at != "" {
			e.Text += ", " + at
		}
	}
	e.Cause = err
	return e
}

// near tells of a place in a query: its line, where there are several, and what stands there.
func near(query string, position int) string {
	runes := []rune(query)
	if position < 1 || position > len(runes)+1 {
		return ""
	}
	before := string(runes[:position-1])
	rest := strings.Fields(string(runes[position-1:]))
	if len(rest) == 0 {
		return "at the end of the query"
	}
	text := "at " + diag.Quote(strings.Join(rest[:min(3, len(rest))], " "))
	if line := strings.Count(before, "\n"); line > 0 {
		text += " in line " + diag.Count(int64(line+1)) + " of the query"
	}
	return text
}
