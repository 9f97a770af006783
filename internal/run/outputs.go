package run

import (
	"slices"

	"revuelta/internal/diag"
	"revuelta/internal/format"
)

// Refuse finds outputs that can't be, as a run does before anything else. Nothing may be written then.
func Refuse(p *Program, env Env) error { return (&runner{p: p, env: env}).refuse() }

// refuse finds outputs that can't be: onto an input, or the same file twice.
func (r *runner) refuse() error {
	var writes []*Write
	for _, it := range r.p.Items {
		if w, ok := it.(*Write); ok && w.Path != "" {
			for _, o := range writes {
				if o.Path == w.Path || format.SameFile(o.Path, w.Path) {
					return r.at(diag.Usagef("%s is written twice", w.Path), w.Line)
				}
				if a, b := format.FileOf(o.Path), format.FileOf(w.Path); a == b || format.SameFile(a, b) {
					return r.at(diag.Usagef("%s is written twice: a run writes one table into a database", a), w.Line).Trying("a run for each table")
				}
			}
			writes = append(writes, w)
		}
	}
	stdin := 0
	for _, it := range r.p.Items {
		switch it := it.(type) {
		case *Read:
			if slices.Contains(it.Paths, "-") {
				stdin++
			}
		case *Apply:
			if it.Step.Capabilities().LooksAt == "-" {
				stdin++
			}
		}
	}
	if stdin > 1 {
		return diag.Usagef("standard input (-) is read twice").Trying("name a file for one of them")
	}
	var others []string // of the command line, beside the tables
	for _, o := range []string{r.env.Aside, r.env.LeftOut, r.env.AccountFile, r.env.ReportFile, r.env.Keep} {
		twice := func(path string) bool { return path == o || format.SameFile(path, o) }
		if o == "" {
			continue
		}
		if slices.ContainsFunc(others, twice) || slices.ContainsFunc(writes, func(w *Write) bool { return twice(w.Path) }) {
			return diag.Usagef("%s is written twice", o)
		}
		if o != r.env.Keep && r.p.Plan != "" && format.SameFile(r.p.Plan, o) { // which --plan adds to
			return format.WouldLose(o)
		}
		others = append(others, o)
	}
	for _, it := range r.p.Items {
		var paths []string
		switch it := it.(type) {
		case *Read:
			paths = it.Paths
		case *Apply:
			if path := it.Step.Capabilities().LooksAt; path != "" {
				paths = []string{path}
			}
		}
		for _, path := range paths {
			for _, w := range writes {
				if !w.Overwrite && format.SameFile(path, w.Path) {
					return r.at(format.WouldLose(w.Path).Trying("-o another file", "--overwrite"), w.Line)
				}
			}
			for _, o := range others {
				if format.SameFile(path, o) {
					return format.WouldLose(o)
				}
			}
		}
	}
	return nil
}

func (r *runner) at(e *diag.Error, line int) *diag.Error {
	if r.p.Plan != "" && line > 0 {
		e.Plan, e.PlanLine = r.p.Plan, line
	}
	return e
}

// finish closes all outputs, then puts them in their places.
func (r *runner) finish() error {
	for _, t := range r.outputs {
		if t.whole != nil {
			if err := t.finish(); err != nil {
				return err
			}
		} else if t.enc != nil {
			if end := t.enc.End(nil); len(end) > 0 {
				if err := t.write(end); err != nil {
					return err
				}
			}
		}
		if t.file != nil {
			if err := t.file.Finish(); err != nil {
				return err
			}
		}
	}
	if r.aside != nil {
		if err := r.aside.enough(r.account); err != nil {
			return err
		}
	}
	for _, a := range []*asideFile{r.aside, r.leftOut} {
		if a != nil {
			if err := a.out.Finish(); err != nil {
				return err
			}
		}
	}
	format.Committing(true)
	defer format.Committing(false)
	for _, t := range r.outputs {
		if t.file != nil && t.file.OnServer() { // what was committed there stays if a file can't take its place, and no file has yet
			if err := t.file.Commit(); err != nil {
				return err
			}
		}
	}
	for _, t := range r.outputs {
		if t.file != nil && !t.file.OnServer() {
			if err := t.file.Commit(); err != nil {
				return err
			}
		}
		r.account.Outputs = append(r.account.Outputs, t.acc)
	}
	for _, a := range []*asideFile{r.aside, r.leftOut} {
		if a != nil {
			r.account.Outputs = append(r.account.Outputs, TableAccount{Name: a.out.Name, Rows: a.rows, Fields: len(asideFields)})
			if err := a.out.Commit(); err != nil {
				return err
			}
		}
	}
	return nil
}
