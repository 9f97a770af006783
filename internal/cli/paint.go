package cli

import (
	"io"
	"os"
	"slices"
	"strings"

	"github.com/fatih/color"

	"revuelta/internal/diag"
)

// palette is how what stands out is written: on a terminal in colours, else as it is. Nothing is told by colour alone.
type palette struct{ on bool }

func (p palette) as(text string, attributes ...color.Attribute) string {
	if !p.on || strings.TrimSpace(text) == "" {
		return text
	}
	c := color.New(attributes...)
	c.EnableColor()
	// What pads a cell is not part of it.
	inner := strings.Trim(text, " ")
	before, after, _ := strings.Cut(text, inner)
	return before + c.Sprint(inner) + after
}

func (p palette) header(text string) string  { return p.as(text, color.Bold) }
func (p palette) added(text string) string   { return p.as(text, color.FgGreen) }
func (p palette) changed(text string) string { return p.as(text, color.Bold, color.Underline) }
func (p palette) command(text string) string { return p.as(text, color.FgMagenta) }
func (p palette) fault(text string) string   { return p.as(text, color.Bold, color.FgRed) }

// lines paints a text whose lines tell what they are: the header of a table by the rule beneath it, a command by its place or by what
// stands before it, a fault by the program's name.
func (p palette) lines(text string) string {
	if !p.on {
		return text
	}
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		switch {
		case i+1 < len(lines) && lines[i+1] != "" && strings.Trim(lines[i+1], "─") == "":
			lines[i] = p.header(l)
		case strings.HasPrefix(l, program+": "):
			lines[i] = p.fault(program+":") + l[len(program)+1:]
		case strings.HasPrefix(l, "  try: "), strings.HasPrefix(l, "   or: "):
			const between = "     or: " // where they stand in one line
			all := strings.Split(l[7:], between)
			for k, try := range all {
				all[k] = p.command(try)
			}
			lines[i] = l[:7] + strings.Join(all, between)
		case strings.HasPrefix(l, "    note: "):
			lines[i] = "    " + p.header("note:") + l[9:]
		case strings.HasPrefix(l, "     "+program+" "):
			lines[i] = p.command(l)
		}
	}
	return strings.Join(lines, "\n")
}

// colors are what --color takes.
var colors = []string{"auto", "always", "never"}

// colored takes --color out of the arguments, where it stands before --.
func colored(args []string) (rest []string, choice string, err error) {
	choice = "auto"
	for i := 0; i < len(args); i++ {
		value, joined := strings.CutPrefix(args[i], "--color=")
		switch {
		case args[i] == "--":
			return append(rest, args[i:]...), choice, nil
		case args[i] == "--color":
			if i++; i == len(args) {
				return nil, choice, diag.Usagef("--color lacks its value").Trying("--color " + strings.Join(colors, "|"))
			}
			value = args[i]
		case !joined:
			rest = append(rest, args[i])
			continue
		}
		if choice = value; !slices.Contains(colors, value) {
			return nil, "auto", diag.Usagef("--color %s: it is auto, always or never", diag.Quote(value))
		}
	}
	return rest, choice, nil
}

// paint is the palette of a stream.
func (a *app) paint(w io.Writer) palette {
	switch a.color {
	case "always":
		return palette{true}
	case "never":
		return palette{}
	}
	return palette{isTerminal(w) && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"}
}
