package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"golang.org/x/term"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/formula"
	"revuelta/internal/plan"
	"revuelta/internal/run"
	"revuelta/internal/step"
	"revuelta/internal/step/catalog"
)

var outputOption = step.Option{Name: "output", Value: "FILE", Help: "where the table goes, whole or not at all (else standard output)"}

var stepOption = step.Option{Name: "step", Value: "'STEP'", Repeat: true, Help: "a step, as a line of a plan has it; may hold several lines"}

var runOptions = []step.Option{
	{Name: "set-aside", Value: "FILE", Help: "rows that do not fit go there, and the run goes on"},
	{Name: "most-aside", Value: "N|5%", Help: "stop all the same when more rows than that do not fit"},
	{Name: "left-out", Value: "FILE", Help: "rows that a step left out go there, with the reason"},
	{Name: "account", Value: "FILE", Help: "write the account there, as JSON (- is standard error)"},
	{Name: "report", Value: "FILE", Help: "write a page there that shows what became of the rows"},
	{Name: "plan", Value: "FILE", Help: "when it is done, add the step to that plan, with what was found out while reading"},
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

// without are groups less some options.
func without(groups []group, names ...string) []group {
	for i := range groups {
		groups[i].options = slices.DeleteFunc(slices.Clone(groups[i].options), func(o step.Option) bool { return slices.Contains(names, o.Name) })
	}
	return groups
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
			Name:     "look",
			Brief:    []string{"Shows how a file lies, its first rows, and findings: what is untidy, and the command that mends it.", "Of large files it looks at the beginning, the middle and the end."},
			Forms:    []string{"look [FILE]"},
			Operands: func(*step.Args) int { return 0 },
			Options: []step.Option{
				{Name: "json", Help: "write what was found as JSON"},
				{Name: "plan", Value: "FILE", File: true, Help: "write the findings as a plan to start from"},
				{Name: "rows", Value: "N", Help: "how many rows are shown (default: 12)"},
				{Name: "all", Help: "all findings, not the first dozen alone"}},
			Examples: []step.Example{{
				Command: "revuelta look harvest.csv",
				Input:   "apiary,colony,May kilos,May jars,June kilos,June jars\nVesk,026,1.10,2,4,8\n,027,2.5,5,,\n,031,3,6,1,2\nTamro,007,2,4,1.5,3\n,011,7,14,0.5,1\n",
				Output:  "harvest.csv\n  file    csv, 136 bytes, UTF-8, cells parted by \",\", line ends LF\n  header  row 1\n  data    from row 2 on\n  fields  6\n  rows    5\n  codes   colony: leading zeros are kept\n\nrow          #1      #2      #3         #4        #5          #6\n─────────────────────────────────────────────────────────────────────────\n  1  header  apiary  colony  May kilos  May jars  June kilos  June jars\n  2          Vesk    026     1.10       2         4           8\n  3                  027     2.5        5\n  4                  031     3          6         1           2\n  5          Tamro   007     2          4         1.5         3\n  6                  011     7          14        0.5         1\n\nNothing is lost by these: each was run on the rows looked at.\n  1. 4 headers follow {month} {@:kilos|jars}: May kilos, May jars, June kilos, June jars\n     revuelta unpivot '{month} {@:kilos|jars}' harvest.csv\n  2. apiary is blank under each label: 3 of 5 cells blank, below \"Vesk\" in line 2\n     revuelta fill apiary harvest.csv\n",
			}},
		},
		action: lookAt,
		groups: stepGroups()[:1],
	}, {
		spec: &step.Spec{
			Name:     "profile",
			Brief:    []string{"Tells what each field holds: its type by content, blanks, extremes, quartiles, commonest values.", "Exact up to a limit; beyond it sketches tell about how much, and it is said so."},
			Forms:    []string{"profile FILE"},
			Operands: func(*step.Args) int { return 0 },
			Options: []step.Option{
				{Name: "fields", Value: "SELECTION", Help: "these fields only"},
				{Name: "html", Value: "FILE", File: true, Help: "draw it as one page, with charts, to search and sort"},
				{Name: "json", Help: "write it as JSON, an object for each field; -o FILE writes it as a table, a row for each"}},
			Examples: []step.Example{{
				Command: "revuelta profile visits.csv",
				Input:   "apiary,kilos\nVesk,1.10\nVesk,4\nTamro,\nVesk,2.5\n",
				Output:  "visits.csv: 4 rows, 2 fields\n\napiary\n  text, 4 filled, 0 blank; 2 distinct\n  from \"Tamro\" to \"Vesk\", the longest has 5 characters\n  commonest \"Vesk\" 3, \"Tamro\" 1\n\nkilos\n  number, 3 filled, 1 blank; 3 distinct\n  min 1.10  max 4  mean 2.53333  stdev 1.45029\n  quartiles 1.8  2.5  3.25\n  ▕█        █         █▏\n",
			}, {
				Command: "revuelta profile -o - visits.csv",
				Input:   "day,kilos\n13.05.2024,1.10\n02.06.2024,4\n",
				Output:  "field,type,rows,blank,distinct,min,max,mean,stdev,median,q1,q3,longest,commonest\nday,date as %d.%m.%Y,2,0,2,13.05.2024,02.06.2024,,,,,,13.05.2024,\nkilos,number,2,0,2,1.10,4,2.55,2.05060966544099,2.55,1.825,3.275,1.10,\n",
			}},
		},
		action: profileFile,
		groups: stepGroups()[:2],
	}, {
		spec: &step.Spec{
			Name:     "convert",
			Brief:    []string{"Reads a table and writes it, no step between.", "The output's format is told by --write-as or the suffix of -o."},
			Forms:    []string{"convert"},
			Operands: func(*step.Args) int { return 0 },
			Examples: []step.Example{{
				Command: "revuelta convert --blank NA --write-as tsv harvest.csv",
				Input:   "colony;kilos\n026;1,10\n007;NA\n",
				Output:  "colony\tkilos\n026\t1,10\n007\t\n",
			}, {
				Command: "revuelta convert --write-as ndjson --typed harvest.csv",
				Input:   "colony,kilos\n026,1.10\n007,2\n",
				Output:  "{\"colony\":\"026\",\"kilos\":1.10}\n{\"colony\":\"007\",\"kilos\":2}\n",
			}},
		},
		action: func(ctx context.Context, a *app, c *call) error { return a.single(ctx, c, nil, c.args.Operands) },
		groups: without(stepGroups(), "plan"),
	}, {
		spec: &step.Spec{
			Name:     "run",
			Brief:    []string{"Runs a plan: a text file with one step a line.", "Or, without a plan, the steps given by --step. Files take the place of the plan's first read."},
			Forms:    []string{"run PLAN", "run --step '...'..."},
			Operands: func(a *step.Args) int { return map[bool]int{true: 0, false: 1}[a.Has("step")] },
			Options: []step.Option{stepOption, givenOption,
				{Name: "since", Value: "ACCOUNT", Help: "compare with an earlier run's account: fields new or gone, values new across, counts out of the usual"}},
			Examples: []step.Example{{
				Command: "revuelta run --step 'fill apiary' --step 'unpivot \"{month} kilos\" --value kilos --skip-blank' harvest.csv",
				Input:   "apiary,colony,April kilos,May kilos\nVesk,026,1.10,4\n,007,,0.5\n",
				Output:  "apiary,colony,month,kilos\nVesk,026,April,1.10\nVesk,026,May,4\nVesk,007,May,0.5\n",
			}},
		},
		action: runPlan,
		groups: without(stepGroups(), "plan"),
	}, {
		spec: &step.Spec{
			Name:     "check",
			Brief:    []string{"Looks whether a plan can run, reading headers only, and names the fields after each step.", "All that is wrong is told at once; fields that depend on the data are said to be so."},
			Forms:    []string{"check PLAN", "check --step '...'..."},
			Operands: func(a *step.Args) int { return map[bool]int{true: 0, false: 1}[a.Has("step")] },
			Options:  []step.Option{stepOption, givenOption, {Name: "json", Help: "write the errors and the fields after each step as JSON, for editors"}, {Name: "stages", Help: "show instead how each step is run and what it holds, for those who work on the program"}},
			Examples: []step.Example{{
				Command: "revuelta check --step 'fill apiary' --step 'unpivot \"{month} kilos\" --value kilos' harvest.csv",
				Input:   "apiary,colony,April kilos,May kilos\nVesk,026,1.10,4\n",
				Output:  "        read harvest.csv  4 fields  apiary, colony, April kilos, May kilos\nline 1  fill              4 fields  apiary, colony, April kilos, May kilos\nline 2  unpivot           4 fields  apiary, colony, month, kilos\n",
			}, {
				Command: "revuelta check --step 'fil apiary' --json harvest.csv 2>/dev/null | grep message",
				Input:   "apiary,kilos\nVesk,1\n",
				Output:  "      \"message\": \"there is no step \\\"fil\\\"\",\n",
			}},
		},
		action: checkPlan,
		groups: stepGroups()[:1],
	}, {
		spec: &step.Spec{
			Name:     "trace",
			Brief:    []string{"Shows the first rows of a plan after each step, with what is new marked. Writes nothing.", "+ marks new fields, * cells that changed; the rows left out are counted."},
			Forms:    []string{"trace PLAN", "trace --step '...'..."},
			Operands: func(a *step.Args) int { return map[bool]int{true: 0, false: 1}[a.Has("step")] },
			Options: []step.Option{stepOption, givenOption,
				{Name: "follow", Value: "FORMULA", Help: "show the rows for which it holds, through every step that has its fields"},
				{Name: "rows", Value: "N", Help: "how many rows are shown after each step (default: 5)"}, watchOption},
			Examples: []step.Example{{
				Command: "revuelta trace --step 'fill apiary' --step 'set \"jars = kilos * 2\"' harvest.csv",
				Input:   "apiary,colony,kilos\nVesk,026,1.10\n,007,4\n",
				Output:  "read harvest.csv: 2 rows\napiary  colony  kilos\n───────────────────────\nVesk    026      1.10\n        007         4\n\nline 1, fill: 2 rows\napiary  colony  kilos\n───────────────────────\nVesk    026      1.10\nVesk*   007         4\n\nline 2, set: 2 rows\napiary  colony  kilos  +jars\n──────────────────────────────\nVesk    026      1.10    2.2\nVesk    007         4      8\n",
			}},
		},
		action: tracePlan,
		groups: stepGroups()[:1],
	}, {
		spec: &step.Spec{
			Name:     "diff",
			Brief:    []string{"Compares two tables, in whatever order their rows and fields stand.", "Status 0 where they agree, 1 where they differ; numbers written differently are told apart."},
			Forms:    []string{"diff A B"},
			Operands: func(*step.Args) int { return 2 },
			Options: []step.Option{
				{Name: "key", Value: "SELECTION", Help: "fields that say which rows belong together; without it only equal rows do"},
				{Name: "rows", Value: "N", Help: "how many differences are shown (default: 10)"}},
			Examples: []step.Example{{
				Command: "revuelta diff --key colony may.csv june.csv",
				Input:   "kilos,colony\n1.1,026\n5,007\n",
				Others:  map[string]string{"may.csv": "colony,kilos\n026,1.10\n007,4\nT-1,2\n"},
				Output:  "only in may.csv: 1 row\n  T-1: kilos \"2\"\ndifferent: 1 cell\n  007: kilos \"4\" and \"5\"\nnumbers written differently: 1 cell\n  026: kilos \"1.10\" and \"1.1\"\n",
			}},
		},
		action: diffTables,
		groups: stepGroups()[:1],
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
			Name:     "formats",
			Brief:    []string{"Lists the formats of files: their suffixes, what each keeps and what it loses.", "--read-as and --write-as take their names."},
			Forms:    []string{"formats"},
			Operands: func(*step.Args) int { return 0 },
			Examples: []step.Example{{Command: "revuelta formats | grep '^tsv'",
				Output: "tsv      .tsv .tab, read and written\n"}},
		},
		action: listFormats,
	}, {
		spec: &step.Spec{
			Name:     "version",
			Brief:    []string{"Tells which version this is.", "So do revuelta --version and -V."},
			Forms:    []string{"version"},
			Operands: func(*step.Args) int { return 0 },
			Examples: []step.Example{{Command: "revuelta version | cut -c 1-9", Output: "revuelta \n"}},
		},
		action: func(_ context.Context, a *app, c *call) error {
			if len(c.args.Operands) > 0 {
				return diag.Usagef("version takes no operand").Trying(program + " version")
			}
			return a.print(program + " " + Version + "\n")
		},
	}, {
		spec: &step.Spec{
			Name:     "completion",
			Brief:    []string{"Writes what a shell needs to complete the words of the program: bash, zsh or fish.", "For bash: eval \"$(revuelta completion bash)\" in its start file."},
			Forms:    []string{"completion SHELL"},
			Examples: []step.Example{{Command: "revuelta completion fish | grep -c -- '-a unpivot '", Output: "1\n"}},
		},
		action: writeCompletion,
	}, {
		spec: &step.Spec{
			Name:     "editor",
			Brief:    []string{"Writes a syntax description of plans for an editor: vim, or grammar, the form that most others read.", "Those of this version are in docs/editors."},
			Forms:    []string{"editor vim|grammar"},
			Examples: []step.Example{{Command: "revuelta editor grammar | grep scopeName", Output: "  \"scopeName\": \"source.revuelta\",\n"}},
		},
		action: writeSyntax,
	}, {
		spec: &step.Spec{
			Name:     "manual",
			Brief:    []string{"Writes the man page, made of the same descriptions as the help.", "revuelta manual > revuelta.1 and man ./revuelta.1 shows it."},
			Forms:    []string{"manual"},
			Operands: func(*step.Args) int { return 0 },
			Examples: []step.Example{{Command: "revuelta manual | head -n 1", Output: ".TH REVUELTA 1\n"}},
		},
		action: writeManual,
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

// listFormats lists the formats of files, folded to a page.
func listFormats(_ context.Context, a *app, c *call) error {
	if len(c.args.Operands) > 0 {
		return diag.Usagef("formats takes no operand").Trying(program + " formats")
	}
	for i, f := range format.Formats() {
		if i > 0 {
			a.sayf("\n")
		}
		does := "read and written"
		if !f.Reads() {
			does = "written"
		}
		a.sayf("%-8s %s, %s\n", f.Name, f.Written(), does)
		for _, said := range [][2]string{{"keeps", f.Keeps}, {"loses", f.Loses}} {
			for k, line := range diag.Fold(said[1], 80-16) {
				a.sayf("%8s %-6s %s\n", "", map[bool]string{true: said[0]}[k == 0], line)
			}
		}
	}
	a.sayf("\nAll but sqlite and postgres also inside .gz and .zst, and read from a .zip: its one table, or export.zip#june.csv.\n")
	return nil
}

// listFunctions lists the functions of formulas.
func listFunctions(_ context.Context, a *app, c *call) error {
	if len(c.args.Operands) > 0 {
		return diag.Usagef("functions takes no operand").Trying(program + " functions")
	}
	for _, f := range formula.Functions() {
		name := fmt.Sprintf("%s(%s)", f.Name, f.Args)
		a.sayf("%-24s %-50s %s is %s\n", name, f.Does, f.Example, f.Gives)
	}
	return nil
}

// runStep runs a step as a command of its own.
func runStep(ctx context.Context, a *app, c *call) error {
	spec := catalog.Find(c.args.Step)
	words := c.args.Operands
	n := min(spec.Wants(c.args), len(words))
	c.args.Operands = words[:n]
	made, err := spec.Build(c.args)
	if err != nil {
		return a.meantAs(err, spec, c.args, words)
	}
	apply := &run.Apply{Name: spec.Name, Step: made}
	if !c.extra.Has("plan") {
		err := a.single(ctx, c, apply, words[n:])
		return a.meantAs(a.likelier(ctx, err, spec, c, words[n:]), spec, c.args, words)
	}
	old, err := readKept(c.extra.Get("plan", ""))
	if err != nil {
		return err
	}
	if err := a.single(ctx, c, apply, words[n:]); err != nil {
		return err
	}
	return old.keep(c, spec, words[n:])
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
	if files, err = a.files(c, files); err != nil {
		return nil, err
	}
	return &run.Read{Paths: files, Options: o}, nil
}

// files are the files that are named, else standard input.
func (a *app) files(c *call, named []string) ([]string, error) {
	if len(named) > 0 {
		return named, nil
	}
	if isTerminal(a.In) {
		return nil, diag.Usagef("no file is named, and standard input is the terminal").
			Trying(fmt.Sprintf("%s %s … FILE", program, c.args.Step), "- reads what is typed")
	}
	return []string{"-"}, nil
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
	p, err := a.program(c)
	if err != nil {
		return err
	}
	return a.execute(ctx, c, p)
}

// program is what a command line with a plan, or with steps, asks for.
func (a *app) program(c *call) (*run.Program, error) {
	name, statements, files, err := a.statements(c)
	var errs diag.List
	if err != nil && !errors.As(err, &errs) || statements == nil {
		return nil, err
	}
	p, err := plan.Build(name, statements)
	var more diag.List
	if errors.As(err, &more) {
		errs = append(errs, more...)
	}
	if len(errs) > 0 {
		return nil, errs
	}
	return p, a.direct(c, p, files)
}

// statements are the lines of the plan, or the steps, of a command line, with its places filled, and the files behind it. The error may
// be a diag.List; with it come the lines that can be read, or none where no more can be told.
func (a *app) statements(c *call) (name string, statements []plan.Statement, files []string, err error) {
	text := ""
	switch files = c.args.Operands; {
	case c.args.Has("step"):
		name, text = "--step", strings.Join(c.args.All("step"), "\n")
	case len(files) == 0:
		return "", nil, nil, diag.Usagef("%s lacks its plan", c.args.Step).Trying(c.args.Step+" PLAN [FILE...]", c.args.Step+" --step '...' [FILE...]")
	default:
		name, files = files[0], files[1:]
		data, err := os.ReadFile(name)
		if err != nil {
			return "", nil, nil, format.FileError(name, err)
		}
		text = string(data)
	}
	statements, err = plan.Parse(name, text)
	var errs, more diag.List
	if err != nil && !errors.As(err, &errs) {
		return "", nil, nil, err
	}
	given, err := givenValues(c.args.All("given"))
	if err != nil {
		return "", nil, nil, err
	}
	if statements, err = plan.Fill(name, statements, given); errors.As(err, &more) {
		return "", nil, nil, append(errs, more...)
	}
	if len(errs) > 0 {
		return name, statements, files, errs
	}
	return name, statements, files, nil
}

// givenValues reads NAME=VALUE.
func givenValues(words []string) (map[string]string, error) {
	out := map[string]string{}
	for _, w := range words {
		name, value, ok := strings.Cut(w, "=")
		if _, twice := out[name]; !ok || name == "" || twice {
			return nil, diag.Usagef("--given %s: it is NAME=VALUE, each name once", diag.Quote(w)).Trying("--given month=2024-06")
		}
		out[name] = value
	}
	return out, nil
}

// givenOption fills the places of a plan.
var givenOption = step.Option{Name: "given", Value: "NAME=VALUE", Repeat: true, Help: "what stands for ${NAME} in the plan, which a line given NAME [DEFAULT] declares"}

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
		old.Options = old.Options.Over(w.Options)
	}
	return nil
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
