// Package cli is the program as its users meet it: commands, options, help,
// messages, what is drawn on a terminal. It is the only package that prints.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/urfave/cli/v3"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/run"
	"revuelta/internal/step"
	"revuelta/internal/step/catalog"
)

// Version is the program's version.
const Version = "0.1.0"

const program = "revuelta"

// Streams are what the program reads from and writes to.
type Streams struct {
	In  io.Reader
	Out io.Writer
	Err io.Writer
}

// grace is how long a run that was told to end may take to do so by itself. One that waits for a pipe, or for a file to be opened, would not.
const grace = 150 * time.Millisecond

// Main runs the program and gives its exit status.
func Main(args []string, s Streams) int {
	signal.Ignore(syscall.SIGPIPE)
	ctx, cancel := context.WithCancelCause(context.Background())
	defer cancel(nil)
	if !answered(args) {
		defer watchSignals(cancel, s.Err)()
	}
	a := &app{Streams: s}
	args, choice, err := colored(args)
	a.color = choice
	if err == nil {
		err = a.run(ctx, args)
	}
	var told *diag.Error
	if err != nil && errors.As(context.Cause(ctx), &told) {
		err = told // what else went wrong came of it, as a server's end of what it did
	}
	switch {
	case err == nil, errors.Is(err, run.ErrPipe): // the reader has what it wanted
		return int(diag.Done)
	case errors.Is(err, errDiffer):
		return int(diag.Data)
	}
	a.tellf("%s", a.folded(diag.Render(program, err)))
	return int(diag.StatusOf(err))
}

// answered tells arguments that ask for a text that is there at once: there is nothing to interrupt.
func answered(args []string) bool {
	return len(args) == 0 || len(args) == 1 && (args[0] == "--version" || args[0] == "--help" || args[0] == "help")
}

// watchSignals cancels what runs when the program is told to end, and ends it when that does not; it gives how to stop watching.
func watchSignals(cancel context.CancelCauseFunc, messages io.Writer) (stop func()) {
	signals := make(chan os.Signal, 1)
	signal.Notify(signals, os.Interrupt, syscall.SIGTERM)
	go func() {
		if sig, ok := <-signals; ok {
			signal.Stop(signals) // a second one ends the program at once
			e := &diag.Error{Status: diag.Interrupted, Text: "interrupted; no file was written or changed"}
			if sig == syscall.SIGTERM {
				e.Status, e.Text = diag.Terminated, "terminated; no file was written or changed"
			}
			cancel(e)
			time.Sleep(grace) // for what ends by itself
			if format.Abandon() {
				fmt.Fprint(messages, diag.Render(program, e))
				os.Exit(int(e.Status))
			}
		}
	}()
	return func() { signal.Stop(signals) }
}

// folded is a message folded to the width of the terminal, if it goes to one.
func (a *app) folded(message string) string {
	if !isTerminal(a.Err) {
		return message
	}
	width, _ := terminalSize(a.Err)
	var b strings.Builder
	for _, l := range strings.Split(strings.TrimSuffix(message, "\n"), "\n") {
		b.WriteString(strings.Join(diag.Fold(l, width-4), "\n    ") + "\n")
	}
	return b.String()
}

// run runs a command line.
func (a *app) run(ctx context.Context, args []string) error {
	if len(args) > 0 && !strings.HasPrefix(args[0], "-") && args[0] != "help" && !slices.Contains(commandNames(), args[0]) {
		return unknownCommand(args[0], args[1:])
	}
	a.argv = args
	only := ""
	if len(args) > 0 {
		only = args[0]
	}
	root := a.root(only)
	return root.Run(ctx, append([]string{program}, joined(apart(args, root), catalog.Find(only))...))
}

// apart parts -oFILE, where it is no option's value, into -o and FILE.
func apart(args []string, root *cli.Command) []string {
	var out []string
	for i, arg := range args {
		if arg == "--" {
			return append(out, args[i:]...)
		}
		if len(arg) > 2 && strings.HasPrefix(arg, "-o") && arg[2] != '=' && i > 0 && !takesValue(args[i-1], root) {
			out = append(out, "-o", arg[2:])
			continue
		}
		out = append(out, arg)
	}
	return out
}

// withWord is what an option and the word behind it are for the argument library, which knows no option that may have a value.
func withWord(option, word string) string { return option + "-" + word }

// joined has an option and the word that may follow it stand in one.
func joined(args []string, spec *step.Spec) []string {
	var out []string
	for i, arg := range args {
		if arg == "--" {
			return append(out, args[i:]...)
		}
		if n := len(out); n > 0 && spec != nil {
			if o := spec.Option(strings.TrimPrefix(out[n-1], "--")); o != nil && o.Word == arg && arg != "" && strings.HasPrefix(out[n-1], "--") {
				out[n-1] = "--" + withWord(o.Name, arg)
				continue
			}
		}
		out = append(out, arg)
	}
	return out
}

// takesValue reports whether a word is an option whose value is the next word.
func takesValue(word string, root *cli.Command) bool {
	name := strings.TrimLeft(word, "-")
	for _, c := range root.Commands {
		for _, f := range c.Flags {
			if _, ok := f.(*cli.StringSliceFlag); ok && name != word && slices.Contains(f.Names(), name) {
				return true
			}
		}
	}
	return false
}

// letters are the options that a letter stands for too.
var letters = map[string]string{"output": "o", "quiet": "q"}

func letter(o step.Option) []string {
	if l := letters[o.Name]; l != "" {
		return []string{l}
	}
	return nil
}

type app struct {
	Streams
	argv  []string // the command line, without the program's name
	draw  bool     // tables are drawn though standard output is no terminal
	color string   // auto, always or never
}

// command is a command of the program that is no step.
type command struct {
	spec   *step.Spec
	action func(ctx context.Context, a *app, c *call) error
	groups []group // of options beside its own
}

// group is options that stand together in the help.
type group struct {
	title   string
	options []step.Option
}

// call is a command line, taken apart.
type call struct {
	args  *step.Args // of the step or command: its own options, and all words as operands
	extra *step.Args // the options of reading, writing and running

	found *format.Found // how the only file lay, when it was read
}

// root is the command line; of the commands, it has the one that is asked for.
func (a *app) root(only string) *cli.Command {
	cli.HelpFlag = nil // the help is ours
	root := &cli.Command{
		Name:            program,
		HideHelp:        true,
		HideVersion:     true,
		HideHelpCommand: true,
		Writer:          a.Out,
		ErrWriter:       a.Err,
		ExitErrHandler:  func(context.Context, *cli.Command, error) {},
		OnUsageError:    func(_ context.Context, c *cli.Command, err error, _ bool) error { return usage(err, nil) },
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "help", Aliases: []string{"h"}, Local: true},
			&cli.BoolFlag{Name: "version", Aliases: []string{"V"}, Local: true},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			if c.Bool("version") {
				return a.print(program + " " + Version + "\n")
			}
			if name := c.Args().Get(1); name != "" {
				return a.helpOn(name)
			}
			return a.print(overview())
		},
	}
	for _, s := range catalog.List() {
		if s.Name == only {
			root.Commands = append(root.Commands, a.command(command{spec: s, action: runStep, groups: groupsBeside(s)}))
		}
	}
	for _, c := range commands() {
		if c.spec.Name == only {
			root.Commands = append(root.Commands, a.command(c))
		}
	}
	return root
}

// command makes a command of a description.
func (a *app) command(c command) *cli.Command {
	var own, extra []step.Option
	own = c.spec.Options
	for _, g := range c.groups {
		extra = append(extra, g.options...)
	}
	var flags []cli.Flag
	for _, o := range append(slices.Clone(own), extra...) {
		if o.Value == "" {
			flags = append(flags, &cli.BoolFlag{Name: o.Name, Aliases: letter(o), Local: true})
			if o.Word != "" {
				flags = append(flags, &cli.BoolFlag{Name: withWord(o.Name, o.Word), Local: true, Hidden: true})
			}
			continue
		}
		flags = append(flags, &cli.StringSliceFlag{Name: o.Name, Aliases: letter(o), Local: true})
	}
	flags = append(flags, &cli.BoolFlag{Name: "help", Aliases: []string{"h"}, Local: true})
	gather := func(cmd *cli.Command, options []step.Option) *step.Args {
		out := &step.Args{Step: c.spec.Name, Values: map[string][]string{}}
		for _, o := range options {
			switch {
			case o.Word != "" && cmd.Bool(withWord(o.Name, o.Word)):
				out.Values[o.Name] = []string{o.Word}
			case !cmd.IsSet(o.Name):
			case o.Value == "":
				if cmd.Bool(o.Name) {
					out.Values[o.Name] = []string{""}
				}
			default:
				out.Values[o.Name] = cmd.StringSlice(o.Name)
			}
		}
		return out
	}
	return &cli.Command{
		Name:                      c.spec.Name,
		HideHelp:                  true,
		HideHelpCommand:           true,
		DisableSliceFlagSeparator: true,
		Flags:                     flags,
		Writer:                    a.Out,
		ErrWriter:                 a.Err,
		OnUsageError: func(_ context.Context, _ *cli.Command, err error, _ bool) error {
			return usage(err, &c)
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Bool("help") {
				return a.print(help(c))
			}
			in := &call{args: gather(cmd, own), extra: gather(cmd, extra)}
			in.args.Operands = cmd.Args().Slice()
			for _, o := range extra {
				if len(in.extra.Values[o.Name]) > 1 && !o.Repeat {
					return diag.Usagef("--%s is given twice", o.Name)
				}
			}
			return c.action(ctx, a, in)
		},
	}
}

// usage makes our own message of what the argument library found wrong.
func usage(err error, c *command) error {
	text := err.Error()
	if name, ok := strings.CutPrefix(text, "flag provided but not defined: "); ok {
		name = strings.TrimLeft(name, "-")
		if c == nil {
			return diag.Usagef("there is no option --%s here", name).Trying(program + " --help")
		}
		all := &step.Spec{Name: c.spec.Name, Options: slices.Clone(c.spec.Options)}
		for _, g := range c.groups {
			all.Options = append(all.Options, g.options...)
		}
		return all.Unknown(name)
	}
	if name, ok := strings.CutPrefix(text, "flag needs an argument: "); ok {
		return diag.Usagef("--%s lacks its value", strings.TrimLeft(name, "-"))
	}
	e := diag.Usagef("%s", text)
	if c != nil {
		e.Trying(program + " " + c.spec.Name + " --help")
	}
	return e
}

func unknownCommand(name string, rest []string) error {
	e := diag.Usagef("there is no command %s", diag.Quote(name))
	if here := map[string]string{"select": "fields", "keep": "fields", "filter": "where", "order": "sort", "union": "append"}[name]; here != "" && len(rest) > 0 {
		command := program + " " + here
		for _, w := range rest {
			command += " " + diag.Shell(w)
		}
		return e.Trying(command)
	}
	if here := map[string]string{"select": "fields SELECTION", "filter": "where FORMULA", "drop": "fields '!SELECTION'", "keep": "fields SELECTION", "order": "sort SELECTION", "head": "look FILE", "replace": "recode FIELD 'old=new'", "union": "append FILE", "merge": "join FILE --on FIELD"}[name]; here != "" {
		return e.Trying(program + " " + here)
	}
	if near := diag.Nearest(name, commandNames()); near != "" {
		return e.Trying(fmt.Sprintf("did you mean %s %s?", program, near))
	}
	if info, err := os.Stat(name); err == nil && !info.IsDir() { // the file alone is named
		does := "look"
		if filepath.Ext(name) == ".plan" {
			does = "run"
		}
		return e.Trying(program + " " + does + " " + name)
	}
	return e.Trying(program + " --help")
}

func commandNames() []string {
	names := catalog.Names()
	for _, c := range commands() {
		names = append(names, c.spec.Name)
	}
	return names
}
