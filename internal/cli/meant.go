package cli

import (
	"errors"
	"os"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/step"
)

// meantAs has an error of a command line that other programs would take say what it is here: a whole command, with the options
// that were given. It says so only where the command can be built and its file is there.
func (a *app) meantAs(err error, spec *step.Spec, args *step.Args, words []string) error {
	var e *diag.Error
	if err == nil || !errors.As(err, &e) || len(words) == 0 {
		return err
	}
	first := slices.IndexFunc(words, isFile)
	if first < 0 {
		return err
	}
	if first == 0 {
		if slices.ContainsFunc(words[1:], isFile) {
			return err
		}
		if len(words) > 1 {
			if c, ok := a.whole(spec, args, words, append(slices.Clone(words[1:]), words[0]), nil); ok {
				e.Try = []string{"files come last: " + c}
			}
		}
		return err
	}
	names, files := words[:first], words[first:]
	var operand string
	options := []string{}
	switch {
	case spec.Name == "group" && !args.Has("by"):
		options = append(options, "--by", strings.Join(names, ","))
		if !args.Has("calc") {
			options = append(options, "--calc", "count()")
		}
	case len(names) < 2 || slices.ContainsFunc(files, func(f string) bool { return !isFile(f) }):
		return err
	case spec.Name == "rename" && len(names) == 2 && !args.Has("into"):
		operand = names[0] + "=" + names[1]
	case spec.Name == "sort":
		for _, n := range names {
			if low := strings.ToLower(n); operand != "" && (low == "desc" || low == "asc") {
				operand += " " + low
				continue
			}
			operand += map[bool]string{true: ",", false: ""}[operand != ""] + n
		}
		operand = strings.ReplaceAll(operand, " asc", "")
	case slices.ContainsFunc(names, func(n string) bool { return strings.ContainsAny(n, "{}") }):
		operand = strings.Join(names, " ")
	case slices.Contains([]string{"fields", "scrub", "fill", "explode", "unpivot", "bundle"}, spec.Name):
		operand = strings.Join(names, ",")
	case slices.Contains([]string{"where", "set"}, spec.Name):
		operand = strings.Join(names, " ")
	default:
		return err
	}
	meant := slices.Clone(files)
	if operand != "" {
		meant = append([]string{operand}, meant...)
	}
	if c, ok := a.whole(spec, args, words, meant, options); ok {
		e.Try = []string{c}
	}
	return err
}

// names tells whether those of some words that look like names are fields of a file.
func (a *app) names(file string, words []string) bool {
	src, err := format.Open([]string{file}, format.ReadOptions{})
	if err != nil {
		return true // it is read with options that are not looked at here
	}
	defer src.Close()
	there := src.Schema().Names()
	return !slices.ContainsFunc(words, func(w string) bool {
		plain := !strings.ContainsAny(w, "{}*?/!#\"=,()<>. ") && !isFile(w)
		return plain && !slices.Contains(there, w) && !slices.Contains([]string{"desc", "asc"}, strings.ToLower(w))
	})
}

func isFile(path string) bool {
	info, err := os.Stat(path)
	return err == nil && !info.IsDir()
}

// whole is the command line with other words, and more options, in their place; false where the step can't be made of them.
func (a *app) whole(spec *step.Spec, args *step.Args, words, meant, options []string) (string, bool) {
	try := *args
	try.Values = map[string][]string{}
	for name, values := range args.Values {
		try.Values[name] = values
	}
	for i := 0; i+1 < len(options); i += 2 {
		try.Values[strings.TrimPrefix(options[i], "--")] = []string{options[i+1]}
	}
	n := spec.Wants(&try)
	if n >= len(meant) {
		return "", false
	}
	if try.Operands = meant[:n]; slices.ContainsFunc(meant[n:], func(f string) bool { return !isFile(f) }) {
		return "", false
	}
	if _, err := spec.Build(&try); err != nil {
		return "", false
	}
	known := words
	if spec.Name == "rename" { // the second is new
		known = words[:1]
	}
	if len(meant) > n && !a.names(meant[n], known) {
		return "", false
	}
	out := program + " " + spec.Name
	for _, w := range append(slices.Clone(meant[:n]), options...) {
		out += " " + diag.Shell(w)
	}
	rest := slices.Clone(words)
	for _, w := range a.argv[1:] { // what is left of the line are its options
		if at := slices.Index(rest, w); at >= 0 {
			rest = slices.Delete(rest, at, at+1)
			continue
		}
		out += " " + diag.Shell(w)
	}
	for _, w := range meant[n:] {
		out += " " + diag.Shell(w)
	}
	return out, true
}
