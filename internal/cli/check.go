package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/plan"
	"revuelta/internal/run"
	"revuelta/internal/step/catalog"
)

// checkPlan checks a plan without running it.
func checkPlan(ctx context.Context, a *app, c *call) error {
	p, err := a.program(c)
	if words := (diag.List)(nil); errors.As(err, &words) {
		err = append(words, a.fieldsToo(ctx, c, words)...)
		slices.SortStableFunc(err.(diag.List), func(a, b *diag.Error) int { return a.PlanLine - b.PlanLine })
	}
	if err != nil && c.args.Has("json") {
		return a.checkJSON(nil, err)
	}
	if err != nil {
		return err
	}
	if c.args.Has("stages") {
		return a.showStages(p, c)
	}
	lines, err := run.Check(ctx, p, run.Env{Stdin: a.In})
	if c.args.Has("json") {
		return a.checkJSON(lines, err)
	}
	var place, name, fields int
	what := func(l run.Checked) (string, string, string) {
		where, n := "", "known only at the run"
		if l.Line > 0 {
			where = fmt.Sprintf("line %d", l.Line)
		}
		if !l.Open {
			n = diag.Plural(int64(len(l.Names)), "field")
		}
		return where, diag.Cut(diag.Visible(l.Name)), n
	}
	for _, l := range lines {
		x, y, z := what(l)
		place, name = max(place, len([]rune(x))), max(name, len([]rune(y)))
		if !l.Open {
			fields = max(fields, len(z))
		}
	}
	width := 0
	if isTerminal(a.Out) {
		width, _ = terminalSize(a.Out)
	}
	for _, l := range lines {
		x, y, z := what(l)
		if place > 0 {
			x = fmt.Sprintf("%-*s  ", place, x)
		}
		head := fmt.Sprintf("%s%-*s  ", x, name, y)
		if l.Open {
			a.sayf("%s\n", head+z)
			continue
		}
		head += fmt.Sprintf("%*s  ", fields, z)
		indent := len([]rune(head))
		a.sayf("%s\n", head+strings.Join(diag.Fold(strings.Join(quotedNames(l.Names), ", "), width-indent), "\n"+strings.Repeat(" ", indent)))
	}
	return err
}

// fieldsToo gives what is wrong with fields in the lines of a plan that can be read, up to one that can't and whose fields are not known,
// and behind the next read.
func (a *app) fieldsToo(ctx context.Context, c *call, words diag.List) (out diag.List) {
	name, statements, files, _ := a.statements(c)
	bad := map[int]bool{}
	for _, e := range words {
		bad[e.PlanLine] = true
	}
	var good []plan.Statement
	last, lost := 0, false // lost: the fields are not known
	for _, s := range statements {
		for line := last + 1; line < s.Line(); line++ {
			lost = lost || bad[line] // a line that could not be taken apart
		}
		last = s.Line()
		switch keeps := run.KeepsFields(s.Name.Text); {
		case bad[s.Line()]:
			lost = lost || !keeps || s.Name.Text == "read"
			continue
		case s.Name.Text == "read":
			lost = false
		}
		if !lost || s.Name.Text == "write" { // which a next read wants before it
			good = append(good, s)
		}
	}
	p, err := plan.Build(name, good)
	if err != nil || len(good) == 0 || a.direct(c, p, files) != nil {
		return nil
	}
	_, err = run.Check(ctx, p, run.Env{Stdin: a.In})
	errors.As(err, &out)
	for _, e := range out {
		e.Status = diag.Usage // the plan is wrong in itself, whatever the data
	}
	return out
}

// quotedNames quotes the names that hold a comma.
func quotedNames(names []string) []string {
	var out []string
	for _, n := range names {
		if strings.ContainsAny(n, ",\"\n") || diag.Visible(n) != n {
			n = diag.Quote(n)
		}
		out = append(out, n)
	}
	return out
}

// showStages writes how the steps of a plan are run: those of one section go through the workers together.
func (a *app) showStages(p *run.Program, c *call) error {
	stages, err := run.Stages(p, run.Env{Stdin: a.In})
	if err != nil {
		return err
	}
	name := len("step")
	for _, s := range stages {
		name = max(name, len(s.Name))
	}
	a.sayf("section  line  %-*s  run       holds\n", name, "step")
	for _, s := range stages {
		line, holds := "", "nothing"
		if s.Line > 0 {
			line = strconv.Itoa(s.Line)
		}
		if spec := catalog.Find(s.Name); s.Held && spec != nil && spec.Memory != "" {
			holds = spec.Memory
		}
		if s.LooksAt != "" {
			holds += "; looks at " + s.LooksAt
		}
		a.sayf("%7d  %4s  %-*s  %-8s  %s\n", s.Section, line, name, s.Name, s.Kind, holds)
	}
	return nil
}
