package step

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
)

// Spec describes a step: one description serves the command line, the plans, the help and the docs.
type Spec struct {
	Name     string
	Brief    []string // what it does, in two lines
	Forms    []string // operands and the options that tell the forms apart
	Options  []Option
	Operands func(a *Args) int // how many operands there are
	Make     func(a *Args) (Step, error)
	Examples []Example
	File     bool   // its operand names a file
	Memory   string // what it holds, "" where it is flat
}

// Option is an option of a step.
type Option struct {
	Name   string
	Value  string // what stands for its value in the help; "": it has none
	Word   string // that may follow one without a value, and is its value then
	Help   string
	Repeat bool
	File   bool // its value names a file
}

// Example is a command with its input and output, all of which a test runs.
type Example struct {
	Command string
	Input   string            // of the file the command names
	Others  map[string]string // other files, by name
	Output  string
}

// Args are the operands and options given to a step.
type Args struct {
	Step     string
	Folder   string // that paths are relative to, "" the working folder
	Operands []string
	Values   map[string][]string // by option name; a flag has one empty value
}

// Has reports whether an option was given.
func (a *Args) Has(name string) bool { return len(a.Values[name]) > 0 }

// Get is the value of an option, or otherwise where it was not given.
func (a *Args) Get(name, otherwise string) string {
	if v := a.Values[name]; len(v) > 0 {
		return v[len(v)-1]
	}
	return otherwise
}

// All lists the values of an option that may be repeated.
func (a *Args) All(name string) []string { return a.Values[name] }

// OneOf is the value of an option that must be one of some words, the first where it was not given.
func (a *Args) OneOf(name string, words ...string) (string, error) {
	v := a.Get(name, words[0])
	if slices.Contains(words, v) {
		return v, nil
	}
	e := diag.Usagef("--%s %s: it is one of %s", name, diag.Quote(v), strings.Join(words, ", "))
	if near := diag.Nearest(v, words); near != "" {
		e.Trying("--" + name + " " + near)
	}
	return "", e
}

// Excludes reports an error where two options are given that do not go together.
func (a *Args) Excludes(name string, others ...string) error {
	if !a.Has(name) {
		return nil
	}
	for _, o := range others {
		if a.Has(o) {
			return diag.Usagef("--%s and --%s do not go together", name, o)
		}
	}
	return nil
}

// Build checks the arguments against the description and makes the step.
func (s *Spec) Build(a *Args) (Step, error) {
	a.Step = s.Name
	if err := s.Check(a); err != nil {
		return nil, err
	}
	return s.Make(a)
}

// Option finds an option by name.
func (s *Spec) Option(name string) *Option {
	for i := range s.Options {
		if s.Options[i].Name == name {
			return &s.Options[i]
		}
	}
	return nil
}

// Wants is how many operands the step takes, given its options.
func (s *Spec) Wants(a *Args) int {
	if s.Operands == nil {
		return 1
	}
	return s.Operands(a)
}

// Check checks options and operands against the description.
func (s *Spec) Check(a *Args) error {
	for name, values := range a.Values {
		o := s.Option(name)
		if o == nil {
			return s.Unknown(name)
		}
		if len(values) > 1 && !o.Repeat {
			return diag.Usagef("--%s is given twice", name)
		}
	}
	want := s.Wants(a)
	switch got := len(a.Operands); {
	case got < want:
		return diag.Usagef("%s lacks its operand: %s", s.Name, strings.Join(s.Forms, "  or  ")).
			Trying(fmt.Sprintf("revuelta %s --help", s.Name))
	case got > want:
		e := diag.Usagef("%s: %s is one operand too many: %s", s.Name, diag.Quote(a.Operands[want]), strings.Join(s.Forms, "  or  "))
		if slices.Contains(a.Operands, "|") {
			return e.Trying("one step a line, without |: each takes the table of the line above")
		}
		return e.Trying(s.Name + " " + diag.Shell(strings.Join(a.Operands, " ")) + ": an operand with spaces stands in quotes")
	}
	return nil
}

// Unknown is the error of an option the step does not have.
func (s *Spec) Unknown(name string) error {
	var names []string
	for _, o := range s.Options {
		names = append(names, o.Name)
	}
	e := diag.Usagef("%s has no option --%s", s.Name, name)
	if near := diag.Nearest(name, names); near != "" {
		return e.Trying("--" + near)
	}
	return e.Trying(fmt.Sprintf("revuelta %s --help", s.Name))
}

// Path is the value of an option that names a file, relative to the plan it stands in.
func (a *Args) Path(name string) string { return a.Within(a.Get(name, "")) }

// Within is a path of a plan, relative to the plan's folder; @NAME stays.
func (a *Args) Within(path string) string { return Within(a.Folder, path) }

// Within is a path as seen from a folder, that of a plan; @NAME, standard input and tables of a server stay.
func Within(folder, path string) string {
	if folder == "" || folder == "." || path == "-" || strings.HasPrefix(path, "@") || format.OnServer(path) || filepath.IsAbs(path) {
		return path
	}
	return filepath.Join(folder, path)
}
