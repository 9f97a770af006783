package run

import (
	"encoding/json"
	"fmt"
	"os"

	"revuelta/internal/diag"
	"revuelta/internal/format"
)

// ReadAccount reads the account of an earlier run.
func ReadAccount(path string) (*Account, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, format.FileError(path, err)
	}
	a := &Account{}
	if err := json.Unmarshal(text, a); err != nil || a.Status == "" {
		return nil, diag.Dataf("this is no account of a run").At(path, 0).Trying("--account FILE writes one")
	}
	return a, nil
}

// Since tells what is different from an earlier run: fields new or gone, values new across, and
// counts out of the usual.
func (a *Account) Since(old *Account) []string {
	var out []string
	tables := func(kind string, now, before []TableAccount) {
		for i, t := range now {
			if i >= len(before) {
				out = append(out, fmt.Sprintf("%s %s is new", kind, t.Name))
				continue
			}
			was := before[i]
			if was.Names != nil {
				if fresh := lacking(t.Names, was.Names); len(fresh) > 0 {
					out = append(out, fmt.Sprintf("%s: fields new: %s", t.Name, diag.Names(fresh)))
				}
				if gone := lacking(was.Names, t.Names); len(gone) > 0 {
					out = append(out, fmt.Sprintf("%s: fields gone: %s", t.Name, diag.Names(gone)))
				}
			}
			if unusual(t.Rows, was.Rows) {
				out = append(out, fmt.Sprintf("%s: %s, %s before", t.Name, diag.Plural(t.Rows, "row"), diag.Count(was.Rows)))
			}
		}
		if n := len(before) - len(now); n > 0 {
			out = append(out, fmt.Sprintf("%s gone: %s", kind, before[len(now)].Name))
		}
	}
	tables("input", a.Inputs, old.Inputs)
	for i, s := range a.Steps {
		if i >= len(old.Steps) || old.Steps[i].Step != s.Step {
			out = append(out, fmt.Sprintf("step %d is %s now: the steps are others", i+1, s.Step))
			break
		}
		was := old.Steps[i]
		if was.Across != nil && s.Across != nil {
			if fresh := lacking(s.Across, was.Across); len(fresh) > 0 {
				out = append(out, fmt.Sprintf("%s: values new across: %s", s.Step, diag.Names(fresh)))
			}
			if gone := lacking(was.Across, s.Across); len(gone) > 0 {
				out = append(out, fmt.Sprintf("%s: values gone from across: %s", s.Step, diag.Names(gone)))
			}
		}
		for _, c := range []struct {
			what     string
			now, was int64
		}{{"made", s.Made, was.Made}, {"merged", s.Merged, was.Merged}, {"left out", s.LeftOut, was.LeftOut}, {"set aside", s.SetAside, was.SetAside}} {
			if outOfUsual(c.now, s.RowsIn, c.was, was.RowsIn) {
				out = append(out, fmt.Sprintf("%s: %s of %s %s, %s of %s before", s.Step, diag.Count(c.now), diag.Plural(s.RowsIn, "row"), c.what, diag.Count(c.was), diag.Count(was.RowsIn)))
			}
		}
	}
	tables("output", a.Outputs, old.Outputs)
	return out
}

// lacking lists the names that are not among others.
func lacking(names, others []string) []string {
	there := make(map[string]bool, len(others))
	for _, n := range others {
		there[n] = true
	}
	var out []string
	for _, n := range names {
		if !there[n] {
			out = append(out, n)
		}
	}
	return out
}

// unusual tells a count that is less than half or more than twice the one before.
func unusual(now, was int64) bool { return 2*now < was || now > 2*was }

// outOfUsual tells a share of rows that is another by more than a tenth of all rows and twice as
// large or half as large, or there at all where there was none.
func outOfUsual(now, of, was, wasOf int64) bool {
	if (now == 0) != (was == 0) {
		return true
	}
	if of == 0 || wasOf == 0 || now == 0 {
		return false
	}
	x, y := float64(now)/float64(of), float64(was)/float64(wasOf)
	return (x > 2*y || y > 2*x) && (x-y > 0.1 || y-x > 0.1)
}
