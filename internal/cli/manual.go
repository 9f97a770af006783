package cli

import (
	"context"
	"fmt"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/step"
)

// described are all steps and commands, for whatever is made of their descriptions.
func described() []command { return append(stepCommands(), commands()...) }

// allOptions are a command's own options and those beside them.
func (c command) allOptions() []step.Option {
	out := append([]step.Option{}, c.spec.Options...)
	for _, g := range c.groups {
		out = append(out, g.options...)
	}
	return out
}

// writeManual writes the man page.
func writeManual(_ context.Context, a *app, c *call) error {
	if len(c.args.Operands) > 0 {
		return diag.Usagef("manual takes no operand").Trying(program + " manual > " + program + ".1")
	}
	var b strings.Builder
	b.WriteString(".TH " + strings.ToUpper(program) + " 1\n.SH NAME\n" + program + " \\- turns messy wide exports into tidy tables\n")
	b.WriteString(".SH SYNOPSIS\n.B " + program + "\nSTEP OPERAND... [OPTIONS] [FILE...]\n")
	for _, c := range described() {
		b.WriteString(".SH " + strings.ToUpper(c.spec.Name) + "\n")
		for _, f := range c.spec.Forms {
			b.WriteString(".B " + roff(program+" "+f) + "\n.br\n")
		}
		for _, l := range c.spec.Brief {
			b.WriteString(roff(l) + "\n")
		}
		for _, o := range c.spec.Options {
			b.WriteString(roffOption(o))
		}
		for _, e := range c.spec.Examples {
			b.WriteString(".PP\n.nf\n")
			for _, l := range strings.Split(strings.TrimSuffix(example(e), "\n"), "\n") {
				b.WriteString(roff(l) + "\n")
			}
			b.WriteString(".fi\n")
		}
	}
	for _, g := range stepGroups() {
		b.WriteString(".SH " + strings.ToUpper(g.title) + "\n")
		for _, o := range g.options {
			b.WriteString(roffOption(o))
		}
	}
	b.WriteString(".SH EXIT STATUS\n0 done, 1 the data would not do (diff: the tables differ), 2 the command or plan is wrong, 3 a file or the system would not, 130 interrupted, 143 terminated.\n")
	return a.print(b.String())
}

func roffOption(o step.Option) string {
	name := "--" + o.Name
	if l := letters[o.Name]; l != "" {
		name = "-" + l + ", " + name
	}
	if o.Value != "" {
		name += " " + o.Value
	}
	return ".TP\n.B " + roff(name) + "\n" + roff(o.Help) + "\n"
}

// roff makes a line safe for the page.
func roff(s string) string {
	s = strings.NewReplacer(`\`, `\e`, "-", `\-`).Replace(s)
	if strings.HasPrefix(s, ".") || strings.HasPrefix(s, "'") {
		s = `\&` + s
	}
	return s
}

// writeCompletion writes what a shell needs to complete the words of the program.
func writeCompletion(_ context.Context, a *app, c *call) error {
	shells := map[string]func() string{"bash": completeBash, "zsh": completeZsh, "fish": completeFish}
	if len(c.args.Operands) != 1 || shells[c.args.Operands[0]] == nil {
		return diag.Usagef("completion is written for bash, zsh or fish").Trying(program + " completion bash")
	}
	return printTo(a.Out, shells[c.args.Operands[0]]())
}

func completeBash() string {
	var b strings.Builder
	b.WriteString("_" + program + "() {\n  local cur=${COMP_WORDS[COMP_CWORD]} words=\n  if [ \"$COMP_CWORD\" -eq 1 ]; then\n    words='" + strings.Join(commandNames(), " ") + "'\n  else\n    case $cur in -*)\n      case ${COMP_WORDS[1]} in\n")
	for _, c := range described() {
		var names []string
		for _, o := range c.allOptions() {
			names = append(names, "--"+o.Name)
		}
		fmt.Fprintf(&b, "        %s) words='%s --help';;\n", c.spec.Name, strings.Join(names, " "))
	}
	b.WriteString("      esac;;\n    esac\n  fi\n  COMPREPLY=($(compgen -W \"$words\" -- \"$cur\"))\n}\ncomplete -o default -F _" + program + " " + program + "\n")
	return b.String()
}

func completeZsh() string {
	return "autoload -U +X bashcompinit && bashcompinit\n" + completeBash()
}

func completeFish() string {
	var b strings.Builder
	for _, c := range described() {
		fmt.Fprintf(&b, "complete -c %s -n __fish_use_subcommand -a %s -d %s\n", program, c.spec.Name, fishQuote(c.spec.Brief[0]))
		for _, o := range c.allOptions() {
			flag := ""
			if o.Value != "" {
				flag = " -r"
			}
			fmt.Fprintf(&b, "complete -c %s -n '__fish_seen_subcommand_from %s' -l %s%s -d %s\n", program, c.spec.Name, o.Name, flag, fishQuote(o.Help))
		}
	}
	return b.String()
}

func fishQuote(s string) string {
	return "'" + strings.NewReplacer(`\`, `\\`, "'", `\'`).Replace(s) + "'"
}
