package run

import (
	"context"
	"errors"

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
// that is wrong; what comes behind a wrong step is not looked at before the next read.
func Check(ctx context.Context, p *Program, env Env) ([]Checked, error) {
	var out []Checked
	var errs diag.List
	r := &runner{p: p, env: env, account: &Account{}, marks: map[string]*held{}}
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
		checked, err := r.check(ctx, items)
		out = append(out, checked...)
		if err != nil {
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

func (r *runner) check(ctx context.Context, items []any) ([]Checked, error) {
	rd := items[0].(*Read)
	o := rd.Options
	o.Stdin = r.env.Stdin
	src, ok, err := r.marked(rd.Paths)
	if !ok {
		src, err = format.Open(rd.Paths, o)
	}
	if err != nil {
		return nil, r.errAt(err, rd.Line)
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
	out := []Checked{{Line: rd.Line, Name: name, Names: names(), Open: open}}
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
				return out, r.errAt(err, it.Line)
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
				if schema, open, err = r.fieldsAfter(ctx, it, schema); err != nil {
					return out, st.annotate(err)
				}
			}
			out = append(out, Checked{Line: it.Line, Name: it.Name, Names: names(), Open: open})
		}
	}
	return out, nil
}

// fieldsAfter finds the fields a step makes of others.
func (r *runner) fieldsAfter(ctx context.Context, a *Apply, in *table.Schema) (*table.Schema, bool, error) {
	made := a.Step
	if p, ok := made.(step.Prepared); ok {
		var err error
		if made, err = p.Prepare(&step.Context{Tables: step.Tables{Open: r.headerOnly}}); err != nil {
			return nil, false, err
		}
	}
	o, ok := made.(step.OpenFields)
	known := !ok || !o.OpenFields()
	if m, ok := made.(step.Mapper); ok && known {
		b, err := m.Bind(in)
		if err != nil {
			return nil, false, err
		}
		return b.Schema, false, nil
	}
	if !known {
		if red, ok := made.(step.Reducer); ok {
			_, err := red.Reduce(in)
			return nil, true, err
		}
		return nil, true, nil
	}
	if o, ok := made.(step.InOrder); ok {
		_, err := o.BindInOrder(in)
		return in, false, err
	}
	var out *table.Schema
	none := func(_ context.Context, to step.Out) error { return to.Start(in) }
	err := made.(step.Step).Run(ctx, none, step.Through{
		OnStart: func(s *table.Schema) error { out = s; return errKnown },
		OnEmit:  func(*table.Batch) error { return nil },
	}, &step.Context{Step: a.Name, Tables: step.Tables{Open: r.headerOnly}})
	if err != nil && out == nil {
		return nil, false, err
	}
	return out, false, nil
}

// headerOnly opens another table without its rows.
func (r *runner) headerOnly(path string) (*step.Other, error) {
	o, err := r.other(path)
	if err != nil {
		return nil, err
	}
	o.Run = func(_ context.Context, out step.Out) error { return out.Start(o.Schema) }
	return o, nil
}
