package plan

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/run"
	"revuelta/internal/step"
	"revuelta/internal/step/catalog"
)

// Build makes a program of statements. The error is a diag.List with all that is wrong.
func Build(name string, statements []Statement) (*run.Program, error) {
	p := &run.Program{Plan: name}
	var errs diag.List
	open, line := false, 0    // a table flows that was not written, from that line on
	marks := map[string]int{} // the line of each
	for _, s := range statements {
		item, err := build(s, filepath.Dir(name))
		if err != nil {
			errs = append(errs, place(err, name, s)...)
			continue
		}
		for _, path := range looksAt(item) {
			if mark, ok := strings.CutPrefix(path, "@"); ok && marks[mark] == 0 {
				errs = append(errs, place(diag.Usagef("nothing was marked @%s above", mark).Trying("mark "+mark+" on a line before"), name, s)...)
			}
		}
		if m, ok := item.(*run.Mark); ok {
			if marks[m.Name] > 0 {
				errs = append(errs, place(diag.Usagef("a table was marked %s in line %d already", m.Name, marks[m.Name]).Trying("mark another name"), name, s)...)
			}
			marks[m.Name] = s.Line()
		}
		switch item.(type) {
		case *run.Read:
			if open {
				errs = append(errs, place(diag.Usagef("a table is read while the one of line %d was not written", line).Trying("write it before: write FILE"), name, s)...)
			}
			open, line = true, s.Line()
		case *run.Write, *run.Mark:
			open = false
		default:
			open = true
		}
		p.Items = append(p.Items, item)
	}
	if a, err := p.OnSheets(); err != nil {
		for _, st := range statements {
			if st.Line() == a.Line {
				errs = append(errs, place(err, name, st)...)
			}
		}
	}
	if len(errs) > 0 {
		return nil, errs
	}
	return p, nil
}

// looksAt names the tables that an item reads: files and @NAMEs.
func looksAt(item any) []string {
	switch item := item.(type) {
	case *run.Read:
		return item.Paths
	case *run.Apply:
		return []string{item.Step.Capabilities().LooksAt}
	}
	return nil
}

// place puts the plan's place into errors.
func place(err error, name string, s Statement) diag.List {
	var list diag.List
	if errors.As(err, &list) {
		return list
	}
	var e *diag.Error
	if !errors.As(err, &e) {
		e = &diag.Error{Status: diag.Usage, Text: err.Error(), Cause: err}
	}
	if e.Plan == "" {
		e.Plan, e.PlanLine = name, s.Line()
	}
	return diag.List{e}
}

// build makes one item.
func build(s Statement, folder string) (any, error) {
	spec := catalog.Find(s.Name.Text)
	switch s.Name.Text {
	case "read":
		spec = readSpec
	case "write":
		spec = writeSpec
	case "mark":
		spec = markSpec
	}
	if spec == nil {
		return nil, unknownStep(s.Name.Text)
	}
	args, err := arguments(spec, s.Words)
	if err != nil {
		return nil, err
	}
	switch spec {
	case readSpec:
		if err := spec.Check(args); err != nil {
			return nil, err
		}
		o, err := DecodeRead(args)
		if err != nil {
			return nil, err
		}
		if len(args.Operands) == 0 {
			args.Operands = []string{"-"}
		}
		for _, path := range args.Operands {
			if !strings.HasPrefix(path, "@") {
				continue
			}
			if len(args.Operands) > 1 {
				return nil, diag.Usagef("read %s: a marked table is read by itself", path).Trying("append " + path + " on the next line")
			}
			for name := range args.Values {
				if name != "limit" {
					return nil, diag.Usagef("read %s: --%s is for files; a marked table is there as it is", path, name)
				}
			}
		}
		rd := &run.Read{Options: o, Line: s.Line()}
		for _, path := range args.Operands {
			rd.Paths = append(rd.Paths, step.Within(folder, path))
		}
		return rd, nil
	case writeSpec:
		if err := spec.Check(args); err != nil {
			return nil, err
		}
		w := &run.Write{Path: step.Within(folder, args.Operands[0]), Options: DecodeWrite(args), Overwrite: args.Has("overwrite"), Line: s.Line()}
		if args.Operands[0] == "-" {
			w.Path = ""
		}
		return w, nil
	}
	if spec == markSpec {
		if err := spec.Check(args); err != nil {
			return nil, err
		}
		return &run.Mark{Name: strings.TrimPrefix(args.Operands[0], "@"), Line: s.Line()}, nil
	}
	args.Folder = folder
	made, err := spec.Build(args)
	if err != nil {
		return nil, err
	}
	return &run.Apply{Name: spec.Name, Step: made, Line: s.Line()}, nil
}

// Statements are the lines of a plan that are no steps.
var Statements = []string{"read", "write", "mark", "given"}

func unknownStep(name string) *diag.Error {
	names := append(slices.Clone(Statements), catalog.Names()...)
	e := diag.Usagef("there is no step %s", diag.Quote(name))
	if name == "revuelta" {
		return e.Trying("a line of a plan begins with its step, without the program's name")
	}
	if near := diag.Nearest(name, names); near != "" {
		return e.Trying(fmt.Sprintf("did you mean %s?", near))
	}
	return e.Trying("the steps are " + strings.Join(names, ", "))
}

// arguments parts words into operands and options, as the description says.
func arguments(spec *step.Spec, words []Word) (*step.Args, error) {
	a := &step.Args{Step: spec.Name, Values: map[string][]string{}}
	for i := 0; i < len(words); i++ {
		w := words[i]
		name, ok := strings.CutPrefix(w.Text, "--")
		if !ok || w.Quoted && !strings.Contains(w.Text, "=") {
			a.Operands = append(a.Operands, w.Text)
			continue
		}
		if name == "" {
			for _, rest := range words[i+1:] {
				a.Operands = append(a.Operands, rest.Text)
			}
			break
		}
		name, value, given := strings.Cut(name, "=")
		o := spec.Option(name)
		switch {
		case o == nil:
			return nil, spec.Unknown(name)
		case o.Value == "" && given:
			return nil, diag.Usagef("--%s takes no value", name)
		case o.Value != "" && !given:
			if i++; i >= len(words) {
				return nil, diag.Usagef("--%s lacks its value: --%s %s", name, name, o.Value)
			}
			value = words[i].Text
		}
		if o.Word != "" && i+1 < len(words) && words[i+1].Text == o.Word && !words[i+1].Quoted {
			i++
			value = o.Word
		}
		a.Values[name] = append(a.Values[name], value)
	}
	return a, nil
}
