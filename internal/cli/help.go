package cli

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/step"
	"revuelta/internal/step/catalog"
)

// overview is the help of the whole program.
func overview() string {
	var b strings.Builder
	b.WriteString(`revuelta turns messy wide exports into tidy tables, and proves that nothing was
lost on the way.

  revuelta STEP OPERAND... [OPTIONS] [FILE...]

No file, or -, is standard input. On a terminal the table is drawn, else it is CSV,
or what --write-as or the suffix of -o FILE says. What became of every row
is told on standard error.

Steps
`)
	line := func(s *step.Spec) { fmt.Fprintf(&b, "  %-10s  %s\n", s.Name, s.Brief[0]) }
	for _, s := range catalog.List() {
		line(s)
	}
	b.WriteString("\nOther commands\n")
	for _, c := range commands() {
		line(c.spec)
	}
	b.WriteString(`
On a terminal headers, changes, commands and faults stand out in colour, unless
NO_COLOR is set; --color always or --color never says so for any command.

Begin with revuelta look FILE. revuelta STEP --help tells all about a step; revuelta demo shows the program at work.
`)
	return b.String()
}

// helpOn is the help of one command.
func (a *app) helpOn(name string) error {
	for _, c := range append(stepCommands(), commands()...) {
		if c.spec.Name == name {
			return a.print(help(c))
		}
	}
	return unknownCommand(name, nil)
}

func stepCommands() []command {
	var out []command
	for _, s := range catalog.List() {
		out = append(out, command{spec: s, action: runStep, groups: groupsBeside(s)})
	}
	return out
}

// help is the help of a command.
func help(c command) string {
	var b strings.Builder
	s := c.spec
	b.WriteString(strings.Join(s.Brief, "\n") + "\n\n")
	files := " [OPTIONS] [FILE...]"
	if c.groups == nil {
		files = ""
	}
	for _, f := range s.Forms {
		fmt.Fprintf(&b, "  %s %s%s\n", program, f, files)
	}
	if len(s.Options) > 0 {
		options(&b, "Options", s.Options)
	}
	if s.Memory != "" {
		b.WriteString("\n" + strings.Join(diag.Fold("Holds "+s.Memory+".", 80), "\n") + "\n")
	}
	for _, e := range s.Examples {
		b.WriteString("\nExample\n" + indent(example(e)))
	}
	for _, g := range c.groups {
		options(&b, g.title, g.options)
	}
	return b.String()
}

// example is a command between its input and its output.
func example(e step.Example) string {
	if e.Input == "" {
		return fmt.Sprintf("$ %s\n%s", e.Command, indent(e.Output))
	}
	words := strings.Fields(e.Command)
	holds := fmt.Sprintf("%s holds\n%s", words[len(words)-1], indent(e.Input))
	for _, name := range slices.Sorted(maps.Keys(e.Others)) {
		holds += fmt.Sprintf("%s holds\n%s", name, indent(e.Others[name]))
	}
	return fmt.Sprintf("%s$ %s\n%s", holds, e.Command, indent(e.Output))
}

func indent(s string) string {
	var b strings.Builder
	for _, l := range strings.SplitAfter(s, "\n") {
		if l != "" {
			b.WriteString("  " + l)
		}
	}
	return b.String()
}

// options lists options with what they mean, folded at 80 characters.
func options(b *strings.Builder, title string, list []step.Option) {
	fmt.Fprintf(b, "\n%s\n", title)
	const column = 28
	for _, o := range list {
		name := "--" + o.Name
		if l := letters[o.Name]; l != "" {
			name = "-" + l + ", " + name
		}
		if o.Value != "" {
			name += " " + o.Value
		}
		text := o.Help
		if o.Repeat {
			text += " (may be repeated)"
		}
		lead := fmt.Sprintf("  %-*s", column-2, name)
		if len([]rune(lead)) > column {
			b.WriteString(lead + "\n")
			lead = strings.Repeat(" ", column)
		}
		for _, l := range diag.Fold(text, 80-column) {
			b.WriteString(lead + l + "\n")
			lead = strings.Repeat(" ", column)
		}
	}
}

// Reference is the help of all commands as one page.
func Reference() string {
	var b strings.Builder
	b.WriteString("# All commands\n\nThis page is made of the same descriptions as `--help`.\n\n```text\n" + overview() + "```\n")
	for _, c := range append(stepCommands(), commands()...) {
		c.groups = nil
		b.WriteString("\n## " + c.spec.Name + "\n\n```text\n" + help(c) + "```\n")
	}
	b.WriteString("\n## Options of all steps, convert and run\n\n```text")
	for _, g := range stepGroups() {
		options(&b, g.title, g.options)
	}
	b.WriteString("```\n")
	return b.String()
}

// Examples are the examples of all commands.
func Examples() map[string][]step.Example {
	out := map[string][]step.Example{}
	for _, c := range append(stepCommands(), commands()...) {
		out[c.spec.Name] = c.spec.Examples
	}
	return out
}
