package cli

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"revuelta/internal/format"
	"revuelta/internal/plan"
	"revuelta/internal/step"
)

// kept is a plan that a step is added to.
type kept struct {
	path, text string
	statements []plan.Statement
}

// readKept reads a plan that may not be there yet.
func readKept(path string) (*kept, error) {
	old, err := os.ReadFile(path)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, format.FileError(path, err)
	}
	k := &kept{path: path, text: strings.TrimRight(string(old), "\n")}
	k.statements, err = plan.Parse(path, k.text)
	return k, err
}

// keep adds the step of a command, before the last write. A plan that is not
// there begins with the reading, as it was found out to lie.
func (k *kept) keep(c *call, spec *step.Spec, files []string) error {
	folder := filepath.Dir(k.path)
	line := statement(spec.Name, c.args, spec.Options, folder, spec.File)
	if strings.TrimSpace(k.text) == "" {
		k.text = reading(c, files, folder)
	}
	lines := strings.Split(k.text, "\n")
	at := len(lines)
	if n := len(k.statements); n > 0 && k.statements[n-1].Name.Text == "write" {
		at = k.statements[n-1].Line() - 1
	}
	added := []string{line}
	if out := c.extra.Get("output", ""); out != "" && out != "-" {
		write := &step.Args{Operands: []string{out}, Values: c.extra.Values}
		added = append(added, statement("write", write, plan.WriteOptions, folder, true))
		lines = lines[:at] // in the place of the last write
	}
	lines = slices.Insert(lines, at, added...)
	return writeLines(k.path, lines)
}

// writeLines writes a file, whole or not at all.
func writeLines(path string, lines []string) error {
	out, err := format.Create(path)
	if err != nil {
		return err
	}
	defer out.Abort()
	if _, err := out.Write([]byte(strings.Join(lines, "\n") + "\n")); err != nil {
		return err
	}
	if err := out.Finish(); err != nil {
		return err
	}
	return out.Commit()
}

// reading is the line that reads the files as they were read.
func reading(c *call, files []string, folder string) string {
	if len(files) == 0 {
		files = []string{"-"}
	}
	args := &step.Args{Operands: files, Values: map[string][]string{}}
	for k, v := range c.extra.Values {
		args.Values[k] = v
	}
	set := func(name, value string) {
		if value != "" && args.Values[name] == nil {
			args.Values[name] = []string{value}
		}
	}
	if how := c.found; how != nil {
		if how.Delimiter != 0 && how.Delimiter != ',' {
			set("delimiter", map[bool]string{true: "tab", false: string(how.Delimiter)}[how.Delimiter == '\t'])
		}
		set("sheet", how.Sheet)
		if how.Encoding != "" && !strings.EqualFold(how.Encoding, "utf-8") {
			set("encoding", how.Encoding)
		}
		if c.extra.Get("header", "") == "auto" && how.Header.Kind == format.HeaderRows {
			args.Values["header"] = []string{how.Header.Option()}
		}
	}
	delete(args.Values, "limit") // of this run alone
	return statement("read", args, plan.ReadOptions, folder, true)
}

// statement writes a step as a line of a plan in a folder.
func statement(name string, args *step.Args, options []step.Option, folder string, file bool) string {
	s := plan.Statement{Name: plan.Word{Text: name}}
	for i, o := range args.Operands {
		if file && (i == 0 || name == "read") {
			o = seenFrom(folder, o)
		}
		s.Words = append(s.Words, plan.Word{Text: o, Quoted: true})
	}
	for _, o := range options {
		for _, v := range args.Values[o.Name] {
			s.Words = append(s.Words, plan.Word{Text: "--" + o.Name})
			if o.Value == "" && v == "" {
				continue
			}
			if o.Value == "" {
				s.Words = append(s.Words, plan.Word{Text: v})
				continue
			}
			if o.File {
				v = seenFrom(folder, v)
			}
			s.Words = append(s.Words, plan.Word{Text: v, Quoted: true})
		}
	}
	return s.String()
}

// seenFrom is a path of the working folder as seen from the folder of a plan.
func seenFrom(folder, path string) string {
	if folder == "." || path == "-" || strings.HasPrefix(path, "@") || format.OnServer(path) || filepath.IsAbs(path) {
		return path
	}
	from, err1 := filepath.Abs(folder)
	to, err2 := filepath.Abs(path)
	if err1 != nil || err2 != nil {
		return path
	}
	if rel, err := filepath.Rel(from, to); err == nil {
		return rel
	}
	return to
}
