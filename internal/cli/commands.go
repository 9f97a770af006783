package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/term"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/formula"
	"revuelta/internal/plan"
	"revuelta/internal/run"
	"revuelta/internal/step"
)

var outputOption = step.Option{Name: "output", Value: "FILE", Help: "where the table goes, whole or not at all (else standard output)"}

var runOptions = []step.Option{
	{Name: "set-aside", Value: "FILE", Help: "rows that do not fit go there, and the run goes on"},
	{Name: "most-aside", Value: "N|5%", Help: "stop all the same when more rows than that do not fit"},
	{Name: "left-out", Value: "FILE", Help: "rows that where, distinct, join or --skip-blank left out go there"},
	{Name: "account", Value: "FILE", Help: "write the account there, as JSON (- is standard error)"},
	{Name: "quiet", Help: "leave out the account on standard error"},
	{Name: "memory", Value: "SIZE", Help: "what steps that hold rows may take before they use temporary files, as 512MiB or 2GiB (default: half of what the machine allows)"},
	{Name: "temp", Value: "DIR", Help: "folder for temporary files (default: the system's)"},
	{Name: "workers", Value: "N", Help: "how many processors to use (default: all)"},
}

func stepGroups() []group {
	return []group{
		{"Reading", plan.ReadOptions},
		{"Writing", append([]step.Option{outputOption}, plan.WriteOptions...)},
		{"Running", runOptions},
	}
}

// groupsBeside are the options beside those of a step; one that the step has by that name is the step's.
func groupsBeside(s *step.Spec) []group {
	groups := stepGroups()
	for i := range groups {
		groups[i].options = slices.DeleteFunc(slices.Clone(groups[i].options), func(o step.Option) bool { return s.Option(o.Name) != nil })
	}
	return groups
}

// commands are the commands that are no steps.
func commands() []command {
	return []command{{
		spec: &step.Spec{
			Name:     "convert",
			Brief:    []string{"Reads a table and writes it, no step between.", "The output's format is told by --write-as or the suffix of -o."},
			Forms:    []string{"convert"},
			Operands: func(*step.Args) int { return 0 },
			Examples: []step.Example{{
				Command: "revuelta convert --blank NA --write-as tsv harvest.csv",
				Input:   "colony;kilos\n026;1,10\n007;NA\n",
				Output:  "colony\tkilos\n026\t1,10\n007\t\n",
			}},
		},
		action: func(ctx context.Context, a *app, c *call) error { return a.single(ctx, c, nil, c.args.Operands) },
		groups: stepGroups(),
	}, {
		spec: &step.Spec{
			Name:     "run",
			Brief:    []string{"Runs a plan: a text file with one step a line.", "Or, without a plan, the steps given by --step. Files take the place of the plan's first read."},
			Forms:    []string{"run PLAN", "run --step '...'..."},
			Operands: func(a *step.Args) int { return map[bool]int{true: 0, false: 1}[a.Has("step")] },
			Options:  []step.Option{{Name: "step", Value: "'STEP'", Repeat: true, Help: "a step, as a line of a plan has it; may hold several lines"}},
			Examples: []step.Example{{
				Command: "revuelta run --step 'fill apiary' --step 'unpivot \"{month} kilos\" --value kilos --skip-blank' harvest.csv",
				Input:   "apiary,colony,April kilos,May kilos\nVesk,026,1.10,4\n,007,,0.5\n",
				Output:  "apiary,colony,month,kilos\nVesk,026,April,1.10\nVesk,026,May,4\nVesk,007,May,0.5\n",
			}},
		},
		action: runPlan,
		groups: stepGroups(),
	}, {
		spec: &step.Spec{
			Name:     "functions",
			Brief:    []string{"Lists the functions of formulas, each with an example.", "where, set and the calculations of pivot and group take them."},
			Forms:    []string{"functions"},
			Operands: func(*step.Args) int { return 0 },
			Examples: []step.Example{{Command: "revuelta functions | grep '^left'",
				Output: "left(x, n)               the first n characters                             left(\"QC07\", 2) is QC\n"}},
		},
		action: listFunctions,
	}, {
		spec: &step.Spec{
			Name:     "demo",
			Brief:    []string{"Writes the demo data of a honey growers' cooperative and runs the example on it.", "Each command is printed before its result; the folder is revuelta-demo unless named."},
			Forms:    []string{"demo [DIR]"},
			Examples: []step.Example{{Command: "revuelta demo honey | head -n 3", Output: "The demo data is in honey.\n\n$ cd honey\n"}},
		},
		action: runDemo,
	}}
}

// listFunctions lists the functions of formulas.
func listFunctions(_ context.Context, a *app, c *call) error {
	if len(c.args.Operands) > 0 {
		return diag.Usagef("functions takes no operand").Trying(program + " functions")
	}
	for _, f := range formula.Functions() {
		name := fmt.Sprintf("%s(%s)", f.Name, f.Args)
		fmt.Fprintf(a.Out, "%-24s %-50s %s is %s\n", name, f.Does, f.Example, f.Gives)
	}
	return nil
}

// runStep runs a step as a command of its own.
func runStep(ctx context.Context, a *app, c *call) error {
	spec := step.Find(c.args.Step)
	words := c.args.Operands
	n := min(spec.Wants(c.args), len(words))
	c.args.Operands = words[:n]
	made, err := spec.Build(c.args)
	if err != nil {
		return err
	}
	return a.single(ctx, c, &run.Apply{Name: spec.Name, Step: made}, words[n:])
}

// single runs one step, or none, on files.
func (a *app) single(ctx context.Context, c *call, apply *run.Apply, files []string) error {
	read, err := a.read(c, files)
	if err != nil {
		return err
	}
	p := &run.Program{Items: []any{read}}
	if apply != nil {
		p.Items = append(p.Items, apply)
	}
	p.Items = append(p.Items, write(c))
	return a.execute(ctx, c, p)
}

// read is what the files and reading options say.
func (a *app) read(c *call, files []string) (*run.Read, error) {
	o, err := plan.DecodeRead(c.extra)
	if err != nil {
		return nil, err
	}
	if len(files) == 0 {
		if isTerminal(a.In) {
			return nil, diag.Usagef("no file is named, and standard input is the terminal").
				Trying(fmt.Sprintf("%s %s … FILE", program, c.args.Step), "- reads what is typed")
		}
		files = []string{"-"}
	}
	return &run.Read{Paths: files, Options: o}, nil
}

func write(c *call) *run.Write {
	path := c.extra.Get("output", "")
	if path == "-" {
		path = ""
	}
	return &run.Write{Path: path, Options: plan.DecodeWrite(c.extra), Overwrite: c.extra.Has("overwrite")}
}

// runPlan runs a plan file, or steps given on the command line.
func runPlan(ctx context.Context, a *app, c *call) error {
	name, text, files := "", "", c.args.Operands
	switch {
	case c.args.Has("step"):
		name, text = "--step", strings.Join(c.args.All("step"), "\n")
	case len(files) == 0:
		return diag.Usagef("run lacks its plan").Trying("run PLAN [FILE...]", "run --step '...' [FILE...]")
	default:
		name, files = files[0], files[1:]
		data, err := os.ReadFile(name)
		if err != nil {
			return format.FileError(name, err)
		}
		text = string(data)
	}
	statements, err := plan.Parse(name, text)
	var errs diag.List
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	p, err := plan.Build(name, statements)
	var more diag.List
	if errors.As(err, &more) {
		errs = append(errs, more...)
	}
	if len(errs) > 0 {
		return errs
	}
	if err := a.direct(c, p, files); err != nil {
		return err
	}
	return a.execute(ctx, c, p)
}

// direct puts the files and options of the command line in the place of the plan's own.
func (a *app) direct(c *call, p *run.Program, files []string) error {
	given := len(files) > 0
	for _, o := range plan.ReadOptions {
		given = given || c.extra.Has(o.Name)
	}
	var first *run.Read
	if len(p.Items) > 0 {
		first, _ = p.Items[0].(*run.Read)
	}
	switch {
	case first == nil:
		read, err := a.read(c, files)
		if err != nil {
			return err
		}
		p.Items = append([]any{read}, p.Items...)
	case given:
		o, err := plan.DecodeRead(c.extra)
		if err != nil {
			return err
		}
		if len(files) > 0 {
			first.Paths = files
		}
		first.Options = first.Options.Over(o)
	}
	last, writes := -1, 0
	for i, it := range p.Items {
		if _, ok := it.(*run.Write); ok {
			last = i
			writes++
		}
	}
	w := write(c)
	switch {
	case writes == 0:
		p.Items = append(p.Items, w)
	case c.extra.Has("output"):
		p.Items[last] = w
	default:
		old := p.Items[last].(*run.Write)
		old.Overwrite = old.Overwrite || w.Overwrite
	}
	return nil
}

// execute runs a program and gives its account.
func (a *app) execute(ctx context.Context, c *call, p *run.Program) error {
	env := run.Env{Stdin: a.In, Stdout: a.Out, Aside: c.extra.Get("set-aside", ""), Most: c.extra.Get("most-aside", ""), LeftOut: c.extra.Get("left-out", "")}
	if env.Most != "" && env.Aside == "" {
		return diag.Usagef("--most-aside goes with --set-aside").Trying("--set-aside FILE")
	}
	if c.extra.Has("workers") {
		n, err := strconv.Atoi(c.extra.Get("workers", ""))
		if err != nil || n < 1 || n > 256 {
			return diag.Usagef("--workers %s: it is a number from 1 to 256", diag.Quote(c.extra.Get("workers", "")))
		}
		env.Workers = n
	}
	env.Temp = c.extra.Get("temp", "")
	var err error
	if env.Memory, err = memoryLimit(c.extra.Get("memory", "")); err != nil {
		return err
	}
	if a.draw || isTerminal(a.Out) {
		env.Screen = func() run.Screen { return newScreen(a.Out) }
	}
	stop := a.progress(&env)
	account, err := run.Run(ctx, p, env)
	stop()
	if path := c.extra.Get("account", ""); path != "" {
		if path == "-" {
			fmt.Fprint(a.Err, string(account.JSON()))
		} else if e := writeAccount(path, account); e != nil && err == nil {
			err = e
		}
	}
	if err == nil && !c.extra.Has("quiet") {
		width := 0
		if isTerminal(a.Err) {
			width, _ = terminalSize(a.Err)
		}
		if env.Screen != nil && len(account.Outputs) > 0 && account.Outputs[0].Name == run.OnScreen {
			fmt.Fprintln(a.Err)
		}
		fmt.Fprint(a.Err, account.Text(width))
	}
	return err
}

func writeAccount(path string, account *run.Account) error {
	out, err := format.Create(path)
	if err != nil {
		return err
	}
	defer out.Abort()
	if _, err := out.Write(account.JSON()); err != nil {
		return err
	}
	if err := out.Finish(); err != nil {
		return err
	}
	return out.Commit()
}

// isTerminal reports whether a stream is a terminal.
func isTerminal(s any) bool {
	f, ok := s.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// terminalSize is the size of the terminal that a stream is, or a usual one.
func terminalSize(w io.Writer) (width, height int) {
	if f, ok := w.(*os.File); ok {
		if w, h, err := term.GetSize(int(f.Fd())); err == nil && w > 0 {
			return w, h
		}
	}
	return 80, 24
}
