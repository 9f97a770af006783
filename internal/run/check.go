package run

import (
	"context"
	"errors"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// Checked is what a check found out about an item of a program.
type Checked struct {
	Line  int
	Name  string   // of the step, or read FILE
	Names []string // of the fields after it
	Open  bool     // they are known only at the run
}

// Check goes through a program without a row: it reads headers, and binds
// every step to the fields it will have. The error is a diag.List with all
// that is wrong; what comes behind a wrong step whose fields are not known is not looked at before the next read.
func Check(ctx context.Context, p *Program, env Env) ([]Checked, error) {
	var out []Checked
	var errs diag.List
	r := &runner{p: p, env: env, account: &Account{}, marks: map[string]*held{}}
	if err := r.expand(); err != nil {
		return nil, err
	}
	if err := r.refuse(); err != nil {
		return nil, err
	}
	if _, err := p.OnSheets(); err != nil {
		return nil, err
	}
	segments, err := r.segments()
	if err != nil {
		return nil, err
	}
	for _, items := range segments {
		checked, wrong := r.check(ctx, items)
		out = append(out, checked...)
		for _, err := range wrong {
			var e *diag.Error
			if !errors.As(err, &e) {
				return out, err
			}
			errs = append(errs, e)
		}
	}
	if len(errs) > 0 {
		return out, errs
	}
	return out, nil
}

// errKnown ends a step that has said which fields it makes.
var errKnown = errors.New("its fields are known")

// keepsFields lists steps whose fields are those of their input: what comes behind a wrong one can be looked at.
var keepsFields = []string{"where", "first", "sort", "distinct", "fill", "cast", "scrub", "recode", "assert"}

// KeepsFields tells whether a step leaves the fields as they are.
func KeepsFields(name string) bool { return slices.Contains(keepsFields, name) }

// check goes through a read and what follows it. It gives the lines that are right, and all that is wrong as far as the fields are known.
func (r *runner) check(ctx context.Context, items []any) (out []Checked, wrong []error) {
	rd := items[0].(*Read)
	o := rd.Options
	o.Stdin = r.env.Stdin
	src, ok, err := r.marked(rd.Paths)
	if !ok {
		src, err = format.Open(rd.Paths, o)
	}
	if err != nil {
		return nil, []error{r.errAt(err, rd.Line)}
	}
	defer src.Close()
	schema := src.Schema()
	first := ""
	name := "read"
	for _, p := range rd.Paths {
		name += " " + p
		first = p
	}
	if len(rd.Paths) > 1 {
		first = ""
	}
	open := ok && schema.Len() == 0
	names := func() []string {
		if open {
			return nil
		}
		return schema.Names()
	}
	out = []Checked{{Line: rd.Line, Name: name, Names: names(), Open: open}}
	for i, it := range items[1:] {
		switch it := it.(type) {
		case *Mark:
			h := &held{schema: schema}
			if open {
				h.schema = table.NewSchema(nil)
			}
			r.marks[it.Name] = h
			out = append(out, Checked{Line: it.Line, Name: "mark " + it.Name, Names: names(), Open: open})
		case *Write:
			if _, err := format.NewEncoding(it.Path, it.Options); err != nil {
				wrong = append(wrong, r.errAt(err, it.Line))
				continue
			}
			if it.Path != "" {
				out = append(out, Checked{Line: it.Line, Name: "write " + it.Path, Names: names(), Open: open})
			}
		case *Apply:
			st := &stage{name: it.Name, plan: r.p.Plan, line: it.Line}
			if i == 0 {
				st.at = first
			}
			if !open {
				after, unknown, err := r.fieldsAfter(ctx, it, schema)
				if err != nil {
					wrong = append(wrong, st.annotate(err))
					if !KeepsFields(it.Name) {
						return out, wrong
					}
					continue
				}
				schema, open = after, unknown
			}
			out = append(out, Checked{Line: it.Line, Name: it.Name, Names: names(), Open: open})
		}
	}
	return out, wrong
}

// fieldsAfter finds the fields a step makes of others; open tells that they are known only at the run.
func (r *runner) fieldsAfter(ctx context.Context, a *Apply, in *table.Schema) (out *table.Schema, open bool, err error) {
	headers := step.Tables{Open: r.headerOnly}
	c := a.Step.Capabilities()
	if c.Prepare != nil {
		made, err := c.Prepare(&step.Context{Tables: headers})
		if err != nil {
			return nil, false, err
		}
		c = made.Capabilities()
	}
	switch {
	case c.OpenFields && c.Reduce != nil:
		_, err := c.Reduce(in)
		return nil, true, err
	case c.OpenFields:
		return nil, true, nil
	case c.Rows != nil:
		b, err := c.Rows(in)
		if err != nil {
			return nil, false, err
		}
		return b.Schema, false, nil
	case c.InOrder != nil:
		_, err := c.InOrder(in)
		return in, false, err
	}
	none := func(_ context.Context, to step.Out) error { return to.Start(in) }
	err = c.Run(ctx, none, step.Through{
		OnStart: func(s *table.Schema) error { out = s; return errKnown },
		OnEmit:  func(*table.Batch) error { return nil },
	}, &step.Context{Step: a.Name, Tables: headers})
	if out != nil {
		err = nil
	}
	return out, false, err
}

// headerOnly opens another table without its rows; a map has them, for what it says decides on names.
func (r *runner) headerOnly(path string, role step.Role) (*step.Other, error) {
	o, err := r.other(path)
	if err != nil || role == step.AsMap && path != "-" && !strings.HasPrefix(path, "@") {
		return o, err
	}
	o.Run = func(_ context.Context, out step.Out) error { return out.Start(o.Schema) }
	return o, nil
}
