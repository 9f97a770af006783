package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/run"
)

// tracePlan shows the rows after each step of a plan.
func tracePlan(ctx context.Context, a *app, c *call) error {
	rows, err := rowsOption(c, 5)
	if err != nil {
		return err
	}
	var follow *formula.Formula
	if c.args.Has("follow") {
		if follow, err = formula.Parse(c.args.Get("follow", "")); err != nil {
			return err
		}
		if follow.Kind() != formula.Truth {
			return diag.Usagef("--follow %s: the formula gives a value, not whether something holds", diag.Quote(follow.String())).Trying(`colony == "026"`)
		}
	}
	if c.args.Has("watch") {
		return a.watch(ctx, c, func() (*run.Program, error) { return a.traceOnce(ctx, c, rows, follow) })
	}
	_, err = a.traceOnce(ctx, c, rows, follow)
	return err
}

// changedFirst has a table that is wider than the terminal begin with what is new or changed in it.
func changedFirst(t *run.Traced, width int) *run.Traced {
	wide := 0
	for k, n := range t.Names {
		want := widthOf(diag.Visible(n))
		for _, r := range t.Rows {
			want = max(want, widthOf(diag.Visible(r[k])))
		}
		wide += min(want, widest) + gap
	}
	if wide <= width {
		return t
	}
	out, order := *t, changesFirst(t)
	out.Names, out.Rows, out.New, out.Changed = pick(t.Names, order), nil, pick(t.New, order), nil
	for _, r := range t.Rows {
		out.Rows = append(out.Rows, pick(r, order))
	}
	for _, r := range t.Changed {
		out.Changed = append(out.Changed, pick(r, order))
	}
	return &out
}

// changesFirst is the order of a table's fields with those that are new, or have changed cells, before the others.
func changesFirst(t *run.Traced) []int {
	var first, rest []int
	for k := range t.Names {
		if t.New != nil && t.New[k] || slices.ContainsFunc(t.Changed, func(row []bool) bool { return row[k] }) {
			first = append(first, k)
		} else {
			rest = append(rest, k)
		}
	}
	return append(first, rest...)
}

// pick takes some of a list, nil of none.
func pick[T any](all []T, order []int) []T {
	if all == nil {
		return nil
	}
	out := make([]T, len(order))
	for i, k := range order {
		out[i] = all[k]
	}
	return out
}

// traceOnce shows them as the plan and its inputs are now, and gives the program as far as there is one.
func (a *app) traceOnce(ctx context.Context, c *call, rows int, follow *formula.Formula) (*run.Program, error) {
	p, err := a.program(c)
	if err != nil {
		return nil, err
	}
	memory, err := memoryLimit("")
	if err != nil {
		return p, err
	}
	traced, failed := run.Trace(ctx, p, run.Env{Stdin: a.In, Memory: memory}, rows, follow)
	width, _ := terminalSize(a.Out)
	before := int64(-1)
	for i, t := range traced {
		if i > 0 {
			a.sayf("\n")
		}
		head := t.Name
		if t.Line > 0 {
			head = fmt.Sprintf("line %d, %s", t.Line, head)
		}
		if failed == nil { // else they are those that came so far
			head += ": " + diag.Plural(t.Total, "row")
		}
		if more := t.Total - before; failed == nil && before >= 0 && more != 0 && !strings.HasPrefix(t.Name, "read ") {
			if more < 0 {
				head += fmt.Sprintf(", %s fewer", diag.Count(-more))
			} else {
				head += fmt.Sprintf(", %s more", diag.Count(more))
			}
		}
		before = t.Total
		a.sayf("%s\n", head)
		switch {
		case t.Lacks:
			a.sayf("%s\n", "the fields to follow by are not here: "+strings.Join(quotedNames(t.Names), ", "))
			continue
		case len(t.Rows) == 0 && follow != nil:
			a.sayf("%s\n", "no row to follow")
			continue
		}
		t = changedFirst(t, width)
		names := append([]string{}, t.Names...)
		for k := range names {
			if t.New != nil && t.New[k] {
				names[k] = "+" + names[k]
			}
		}
		var cells [][]string
		for r, row := range t.Rows {
			out := append([]string{}, row...)
			for k := range out {
				if t.Changed != nil && t.Changed[r][k] {
					out[k] += "*"
				}
			}
			cells = append(cells, out)
		}
		p := a.paint(a.Out)
		_ = printTo(a.Out, drawPainted(names, cells, int64(len(cells)), width, func(row, col int, cell string) string {
			switch {
			case row < 0 && t.New != nil && t.New[col]:
				return p.added(cell)
			case row < 0:
				return p.header(cell)
			case t.Changed != nil && t.Changed[row][col]:
				return p.changed(cell)
			}
			return cell
		}))
	}
	return p, failed
}
