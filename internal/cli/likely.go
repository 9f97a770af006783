package cli

import (
	"context"
	"errors"
	"maps"
	"os"
	"slices"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/plan"
	"revuelta/internal/run"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/joining"
	"revuelta/internal/table"
)

// mostTried bounds the file on which another command is tried after one that failed.
const mostTried = 64 << 20

// likelier has the error of a step on one file propose another command with the same options where that was tried and runs: a field
// that keeps apart two rows which give a value for one cell, or the key's name in the other table.
func (a *app) likelier(ctx context.Context, err error, spec *step.Spec, c *call, files []string) error {
	var e *diag.Error
	if err == nil || !errors.As(err, &e) || e.Status != diag.Data || len(files) != 1 {
		return err
	}
	if info, unread := os.Stat(files[0]); unread != nil || !info.Mode().IsRegular() || info.Size() > mostTried {
		return err
	}
	o, fault := plan.DecodeRead(c.extra)
	if fault != nil {
		return err
	}
	var option string
	var values []string // to be tried, the likeliest first
	switch spec.Name {
	case "pivot", "group":
		if e.OtherLine == 0 {
			return err
		}
		option = map[string]string{"pivot": "down", "group": "by"}[spec.Name]
		if !c.args.Has(option) {
			return err
		}
		for _, names := range differing(files[0], o, e, c.args) {
			value := c.args.Get(option, "")
			for _, n := range names {
				value += "," + selection.Written(n)
			}
			values = append(values, strings.TrimPrefix(value, ","))
		}
	case "join":
		option = "on"
		values = keysAlike(files[0], o, c, errors.Is(err, joining.ErrNoMatch))
	}
	for _, v := range values[:min(len(values), 5)] {
		try := *c.args
		try.Values = maps.Clone(c.args.Values)
		try.Values[option] = []string{v}
		made, err := spec.Build(&try)
		if err != nil {
			continue
		}
		p := &run.Program{Items: []any{&run.Read{Paths: files, Options: o}, &run.Apply{Name: spec.Name, Step: made}, &run.Write{}}}
		if _, err := run.Run(ctx, p, run.Env{Screen: func() run.Screen { return nowhere{} }}); err == nil {
			e.Try = append([]string{a.with(option, v)}, slices.DeleteFunc(e.Try, func(t string) bool { return strings.HasSuffix(t, "--down") || strings.HasPrefix(t, "--on ") })...)
			return e
		}
	}
	return err
}

// with is the command line with another value of an option.
func (a *app) with(option, value string) string {
	out := program
	skip := false
	for _, w := range a.argv {
		switch {
		case skip:
			w, skip = value, false
		case w == "--"+option:
			skip = true
		case strings.HasPrefix(w, "--"+option+"="):
			w = "--" + option + "=" + value
		}
		out += " " + diag.Shell(w)
	}
	return out
}

// differing gives the fields that the step does not use in which two rows of a file differ, each by itself, texts before numbers, and
// all texts together.
func differing(file string, o format.ReadOptions, e *diag.Error, args *step.Args) (out [][]string) {
	rows := map[int][]string{}
	names, err := rowsOf(file, o, func(line int, row func() []string) bool {
		if line == e.Line || line == e.OtherLine {
			rows[line] = row()
		}
		return len(rows) < 2
	})
	one, other := rows[e.Line], rows[e.OtherLine]
	if err != nil || one == nil || other == nil {
		return nil
	}
	used := strings.Join(slices.Concat(args.Values["across"], args.Values["cell"], args.Values["calc"], args.Values["by"], args.Values["down"]), "\n")
	var texts []string
	var numbers [][]string
	for i, n := range names {
		_, number := decimal.Parse(one[i])
		switch {
		case strings.Contains(used, n):
		case number && !strings.HasPrefix(one[i], "0"):
			if one[i] != other[i] {
				numbers = append(numbers, []string{n})
			}
		default:
			if texts = append(texts, n); one[i] != other[i] {
				out = append(out, []string{n})
			}
		}
	}
	if out = out[:min(len(out), 3)]; len(texts) > 1 {
		out = append(out, texts)
	}
	return append(out, numbers...)
}

// rowsOf reads a file's rows with their lines until it is enough.
func rowsOf(file string, o format.ReadOptions, each func(line int, row func() []string) bool) ([]string, error) {
	src, err := format.Open([]string{file}, o)
	if err != nil {
		return nil, err
	}
	defer src.Close()
	enough := errors.New("enough")
	err = format.Each(src, func(b *table.Batch) error {
		for r := range b.Rows {
			copied := func() []string {
				row := b.Row(r, nil)
				for i, c := range row {
					row[i] = strings.Clone(c)
				}
				return row
			}
			if !each(b.Origin.LineOf(r), copied) {
				return enough
			}
		}
		return nil
	})
	if err == enough {
		err = nil
	}
	return src.Schema().Names(), err
}

// keysAlike gives another value of --on for a join whose key one of the tables does not have, or has without a match: the field there whose
// cells are mostly those of the key in the table that has it. Where the key is not what is wrong there is none.
func keysAlike(file string, o format.ReadOptions, c *call, noMatch bool) []string {
	pairs := strings.Split(c.args.Get("on", ""), ",")
	if len(pairs) != 1 || len(c.args.Operands) != 1 {
		return nil
	}
	here, there, both := strings.Cut(pairs[0], "=")
	if !both {
		there = here
	}
	const most = 20_000
	cells := func(path string, o format.ReadOptions) ([]string, []map[string]bool) {
		var sets []map[string]bool
		n := 0
		names, err := rowsOf(path, o, func(_ int, row func() []string) bool {
			for i, cell := range row() {
				if i == len(sets) {
					sets = append(sets, map[string]bool{})
				}
				if cell != "" {
					sets[i][cell] = true
				}
			}
			n++
			return n < most
		})
		if err != nil || len(sets) != len(names) {
			return nil, nil
		}
		return names, sets
	}
	left, leftSets := cells(file, o)
	right, rightSets := cells(c.args.Operands[0], format.ReadOptions{})
	atLeft, atRight := slices.Index(left, here), slices.Index(right, there)
	if !noMatch && (atLeft >= 0) == (atRight >= 0) {
		return nil
	}
	type likely struct {
		on   string
		part float64
	}
	var found []likely
	add := func(on string, wants, has map[string]bool) {
		same := 0
		for k := range wants {
			if has[k] {
				same++
			}
		}
		if 2*same >= len(wants) && same > 0 {
			found = append(found, likely{on, float64(same) / float64(len(wants))})
		}
	}
	switch {
	case atLeft >= 0: // without a key that matches, too
		for i, n := range right {
			if i == atRight {
				continue
			}
			add(selection.Written(here)+"="+selection.Written(n), leftSets[atLeft], rightSets[i])
		}
	case atRight >= 0:
		for i, n := range left {
			add(selection.Written(n)+"="+selection.Written(there), leftSets[i], rightSets[atRight])
		}
	}
	slices.SortStableFunc(found, func(a, b likely) int { return int(1e6*b.part) - int(1e6*a.part) })
	if len(found) == 0 || len(found) > 1 && found[0].part == found[1].part {
		return nil // nothing tells which
	}
	return []string{found[0].on}
}
