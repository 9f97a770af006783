package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/inspect"
	"revuelta/internal/run"
	"revuelta/internal/selection"
)

// profileFile tells what the fields of a file hold.
func profileFile(ctx context.Context, a *app, c *call) error {
	if len(c.args.Operands) == 0 {
		return diag.Usagef("profile takes a file").Trying(program + " profile harvest.csv")
	}
	p := &inspect.Profile{}
	if c.args.Has("fields") {
		var err error
		if p.Fields, err = selection.Parse(c.args.Get("fields", "")); err != nil {
			return err
		}
	}
	read, err := a.read(c, c.args.Operands)
	if err != nil {
		return err
	}
	if to := c.extra.Get("output", ""); to != "" && slices.ContainsFunc(c.args.Operands, func(in string) bool { return format.SameFile(in, format.FileOf(to)) }) {
		return format.WouldLose(to)
	}
	if to := c.args.Get("html", ""); to != "" && slices.ContainsFunc(c.args.Operands, func(in string) bool { return format.SameFile(in, to) }) {
		return format.WouldLose(to)
	}
	// What comes out of it has no rows, and is written nowhere.
	program := &run.Program{Items: []any{read, &run.Apply{Name: "profile", Step: p}, &run.Write{Options: format.WriteOptions{}}}}
	env := run.Env{Stdin: a.In, Screen: func() run.Screen { return nowhere{} }}
	stop := a.progress(&env)
	paceCollector()
	account, err := run.Run(ctx, program, env)
	stop()
	if err != nil {
		return err
	}
	switch {
	case c.args.Has("json"):
		return a.profileJSON(p.Out)
	case c.extra.Has("output") || c.extra.Has("write-as"):
		return a.dictionary(ctx, c, p.Out)
	}
	if c.args.Has("html") {
		name, rows := "", int64(0)
		var notes []string
		for i, in := range account.Inputs {
			if i > 0 {
				name += ", "
			}
			name, rows, notes = name+in.Name, rows+in.Rows, append(notes, in.Notes...)
		}
		return writePage(c.args.Get("html", ""), name, rows, notes, p.Out)
	}
	width := 0
	if isTerminal(a.Out) {
		width, _ = terminalSize(a.Out)
	}
	var b strings.Builder
	for _, in := range account.Inputs {
		fmt.Fprintf(&b, "%s: %s, %s\n", diag.Visible(in.Name), diag.Plural(in.Rows, "row"), diag.Plural(int64(in.Fields), "field"))
		for _, n := range in.Notes {
			fmt.Fprintf(&b, "  note: %s\n", strings.Join(diag.Fold(diag.Visible(n), width-8), "\n        "))
		}
	}
	for _, f := range p.Out {
		fmt.Fprintf(&b, "\n%s\n", diag.Visible(f.Name))
		for _, line := range f.Lines() {
			fmt.Fprintf(&b, "  %s\n", strings.Join(diag.Fold(diag.Visible(line), width-2), "\n    "))
		}
	}
	for _, f := range p.Out {
		if f.DistinctIsAbout || f.QuartilesAreAbout {
			b.WriteString("\nabout: beyond 10,000 different cells, small numbers apart, a sketch counts them, 1.6 % off in most cases; beyond 20,000 such numbers quartiles are within 0.4 %\n")
			break
		}
	}
	return a.print(b.String())
}
