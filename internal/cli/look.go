package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/inspect"
	"revuelta/internal/plan"
	"revuelta/internal/run"
	"revuelta/internal/table"
)

// lookAt shows how a file lies and what is untidy in it.
func lookAt(ctx context.Context, a *app, c *call) error {
	if len(c.args.Operands) > 1 {
		return diag.Usagef("look takes one file, and %d are named", len(c.args.Operands)).Trying(program+" look harvest.csv", "… | "+program+" look")
	}
	files, err := a.files(c, c.args.Operands)
	if err != nil {
		return err
	}
	path := files[0]
	if to := c.args.Get("plan", ""); to != "" && format.SameFile(path, to) {
		return format.WouldLose(to).Trying("--plan another file")
	}
	o, err := plan.DecodeRead(c.extra)
	if err != nil {
		return err
	}
	o.Stdin = a.In
	rows := 12
	if c.args.Has("rows") {
		if rows, err = strconv.Atoi(c.args.Get("rows", "")); err != nil || rows < 1 {
			return diag.Usagef("--rows %s: it is a number from 1 up", diag.Quote(c.args.Get("rows", "")))
		}
	}
	restCollector()
	r, err := inspect.Look(path, o, prover(ctx))
	if err != nil {
		return err
	}
	switch {
	case c.args.Has("json"):
		err = a.lookJSON(r)
	default:
		err = a.lookText(r, rows, c.args.Has("all"))
	}
	if err == nil && c.args.Has("plan") {
		err = a.lookPlan(ctx, r, path, c.args.Get("plan", ""))
	}
	return err
}

// facts are what is told of how a file lies.
func facts(r *inspect.Report) [][2]string {
	l := r.Sample
	what := []string{l.As}
	if l.Size > 0 {
		what = append(what, sizeText(l.Size))
	}
	if l.Encoding != "" {
		what = append(what, strings.ToUpper(l.Encoding))
	}
	if l.Delimiter != 0 {
		what = append(what, "cells parted by "+map[bool]string{true: "tab", false: diag.Quote(string(rune(l.Delimiter)))}[l.Delimiter == '\t'])
		what = append(what, "line ends "+l.LineEnds)
	}
	kind := "file"
	if format.OnServer(l.As + ":") {
		kind = "server"
	}
	out := [][2]string{{kind, strings.Join(what, ", ")}}
	say := func(name, text string) { out = append(out, [2]string{name, text}) }
	for i, p := range l.Parts {
		say(map[bool]string{true: map[bool]string{true: "sheets", false: "tables"}[len(l.Sheets) > 0]}[i == 0], partText(p, p.Name == l.Sheet))
	}
	if l.Names == nil {
		return out
	}
	title := 0
	for _, row := range l.First[:min(max(l.Header.From-1, 0), len(l.First))] {
		if len(row.Cells) > 0 {
			title++
		}
	}
	if title > 0 {
		say("titles", diag.Plural(int64(title), "row")+" above the header")
	}
	if l.Header.From > 0 {
		say("header", l.Header.String())
		say("data", fmt.Sprintf("from row %d on", l.Body+1))
	}
	blank := 0
	for i := l.Body; i < len(l.First); i++ {
		if !slices.ContainsFunc(l.First[i].Cells, func(c string) bool { return c != "" }) {
			blank++
		}
	}
	if blank > 0 {
		say("blank", diag.Plural(int64(blank), "row")+" with nothing in it"+map[bool]string{false: ", of those looked at"}[l.Whole])
	}
	if len(l.Foot) > 0 {
		say("foot", diag.Plural(int64(len(l.Foot)), "note"))
	}
	if len(l.Merged) > 0 {
		say("merged", diag.Plural(int64(len(l.Merged)), "area")+" of cells")
	}
	say("fields", diag.Count(int64(len(l.Names))))
	if l.Whole {
		say("rows", diag.Count(int64(r.Rows)))
	} else {
		where := "the beginning"
		if len(l.Later) > 0 {
			where = "the beginning, the middle and the end"
		}
		say("rows", fmt.Sprintf("looked at %s, from %s", diag.Count(int64(r.Rows)), where))
	}
	if len(r.Codes) > 0 {
		say("codes", diag.Names(r.Codes)+": leading zeros are kept")
	}
	for _, n := range l.Notes {
		say("note", n)
	}
	return out
}

// partText is a sheet or table in a line.
func partText(p format.Part, read bool) string {
	text := diag.Quote(p.Name)
	if p.Hidden {
		text += " (hidden)"
	}
	if p.Fault != "" {
		return text + ": " + p.Fault
	}
	more := map[bool]string{true: "more than "}[p.More]
	text += fmt.Sprintf(": %s%s, %s", more, diag.Plural(p.Rows, "row"), diag.Plural(int64(p.Fields), "field"))
	if len(p.Header) > 0 && p.Header[1] > 1 {
		text += ", header " + format.Header{Kind: format.HeaderRows, From: p.Header[0], To: p.Header[1]}.String()
	}
	if p.Notes > 0 {
		text += ", " + diag.Plural(int64(p.Notes), "note") + " at the foot"
	}
	if read {
		text += " — shown below"
	}
	return text
}

func sizeText(n int64) string {
	for _, u := range []struct {
		name string
		size int64
	}{{"GiB", 1 << 30}, {"MiB", 1 << 20}, {"KiB", 1 << 10}} {
		if n >= u.size {
			return fmt.Sprintf("%.1f %s", float64(n)/float64(u.size), u.name)
		}
	}
	return diag.Plural(n, "byte")
}

// firstFindings is how many findings the first screen has.
const firstFindings = 12

// lookText draws what was found.
func (a *app) lookText(r *inspect.Report, most int, all bool) error {
	width := 100
	if isTerminal(a.Out) {
		width, _ = terminalSize(a.Out)
	}
	var b strings.Builder
	b.WriteString(diag.Visible(r.Sample.Name) + "\n")
	for _, f := range facts(r) {
		lines := diag.Fold(diag.Visible(f[1]), width-10)
		fmt.Fprintf(&b, "  %-7s %s\n", f[0], strings.Join(lines, "\n"+strings.Repeat(" ", 10)))
	}
	if r.Sample.Names != nil {
		b.WriteString("\n" + drawSample(r.Sample, most, width))
	}
	b.WriteString("\n")
	if len(r.Findings) == 0 {
		b.WriteString("Nothing untidy was found in it.\n")
	}
	headings := map[string]string{
		inspect.Safe:   "Nothing is lost by these: each was run on the rows looked at.",
		inspect.Decide: "These are yours to decide: rows leave, values merge, or there are two readings.",
		inspect.Told:   "To be known; nothing is proposed.",
	}
	part := ""
	for i, f := range r.Findings {
		if i == firstFindings && !all {
			fmt.Fprintf(&b, "\n%s more: look --all\n", diag.Count(int64(len(r.Findings)-i)))
			break
		}
		if f.Part != part {
			part = f.Part
			b.WriteString(map[bool]string{true: "\n"}[i > 0] + strings.Join(diag.Fold(headings[part], width), "\n") + "\n")
		}
		text := f.Says
		if f.Evidence != "" {
			text += ": " + f.Evidence
		}
		if f.Question != "" {
			text += " — " + f.Question
		}
		fmt.Fprintf(&b, "%3d. %s\n", i+1, strings.Join(diag.Fold(diag.Visible(text), width-5), "\n     "))
		same := i+1 < len(r.Findings) && r.Findings[i+1].Command == f.Command && r.Findings[i+1].Part == part && (all || i+1 < firstFindings)
		if f.Command != "" && !same { // one command mends several: it stands behind them
			fmt.Fprintf(&b, "     %s\n", f.Command)
		}
	}
	return a.print(b.String())
}

// print writes a text that people read to standard output.
func (a *app) print(text string) error {
	return printTo(a.Out, a.paint(a.Out).lines(diag.Lines(text)))
}

// sayf is as print, where nothing is done about a reader that has gone.
func (a *app) sayf(format string, args ...any) { _ = a.print(fmt.Sprintf(format, args...)) }

// tellf writes such a text to standard error.
func (a *app) tellf(format string, args ...any) {
	_ = printTo(a.Err, a.paint(a.Err).lines(diag.Lines(fmt.Sprintf(format, args...))))
}

// printTo writes to a stream whose reader may have gone.
func printTo(w io.Writer, text string) error {
	_, err := io.WriteString(w, text)
	if errors.Is(err, syscall.EPIPE) {
		return run.ErrPipe
	}
	return err
}

// drawSample draws the first rows as they lie, with what each is.
func drawSample(l *format.Sample, most, width int) string {
	if l.Rows != nil {
		return drawTable(l.Names, l.Rows[:min(most, len(l.Rows))], int64(len(l.Rows)), width)
	}
	wide := len(l.Names)
	first := l.First[:min(len(l.First), max(most, l.Body+5))]
	for _, r := range first {
		wide = max(wide, len(r.Cells))
	}
	names := []string{"row", ""}
	for i := range wide {
		names = append(names, fmt.Sprintf("#%d", i+1))
	}
	foot := map[int]bool{}
	for _, r := range l.Foot {
		foot[r.Line] = true
	}
	var rows [][]string
	for i, r := range first {
		is := ""
		switch {
		case strings.Join(r.Cells, "") == "":
			is = "blank"
		case l.Header.From <= i+1 && i+1 <= l.Header.To:
			is = "header"
		case i+1 < l.Header.From:
			is = "title"
		case i < l.Body:
			is = "between"
		case foot[r.Line] && r.Line > 0:
			is = "foot"
		}
		row := append([]string{strconv.Itoa(i + 1), is}, r.Cells...)
		rows = append(rows, append(row, make([]string, len(names)-len(row))...))
	}
	total := len(rows)
	if l.Whole {
		total = len(l.First)
	}
	return drawTable(names, rows, int64(total), width)
}

// writeJSON writes a value for programs.
func (a *app) writeJSON(value any) error {
	var b strings.Builder
	e := json.NewEncoder(&b)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	if err := e.Encode(value); err != nil {
		return err
	}
	return printTo(a.Out, b.String())
}

// lookJSON writes what was found for programs.
func (a *app) lookJSON(r *inspect.Report) error {
	l := r.Sample
	out := map[string]any{"file": l.Name, "format": l.As, "fields": l.Names, "rows": r.Rows, "whole": l.Whole, "findings": r.Findings, "reading": r.Reading}
	if r.Findings == nil {
		out["findings"] = []inspect.Finding{}
	}
	if l.Delimiter != 0 {
		out["delimiter"], out["encoding"], out["line_ends"] = string(rune(l.Delimiter)), l.Encoding, l.LineEnds
	}
	if l.Header.From > 0 {
		out["header"] = []int{l.Header.From, l.Header.To}
	}
	if len(l.Sheets) > 0 {
		var names []string
		for _, s := range l.Sheets {
			names = append(names, s.Name)
		}
		out["sheets"], out["sheet"] = names, l.Sheet
	}
	if len(l.Parts) > 0 {
		out["parts"] = l.Parts
	}
	return a.writeJSON(out)
}

// lookPlan writes the findings as a plan: what is proved, and runs behind the steps before it, as steps, the rest as comments.
func (a *app) lookPlan(ctx context.Context, r *inspect.Report, path, to string) error {
	if path == "-" {
		return diag.Usagef("--plan needs a file to read, not standard input")
	}
	if r.Sample.Names == nil {
		return diag.Dataf("the database has several tables, and none is named").At(path, 0).Trying(r.Findings[0].Command + " --plan " + inspect.Shell(to))
	}
	folder := filepath.Dir(to)
	read := "read " + inspect.Shell(seenFrom(folder, path))
	for _, w := range r.Reading {
		read += " " + w
	}
	rank := []string{"repeated blocks", "total rows", "total fields", "blank fields", "blank runs", "spaces", "spellings", "duplicate rows", "duplicate keys", "numbers", "dates", "compound", "headers", "several values", "JSON", "names without a person", "names and values"}
	findings := slices.Clone(r.Findings)
	slices.SortStableFunc(findings, func(x, y inspect.Finding) int { return slices.Index(rank, x.Kind) - slices.Index(rank, y.Kind) })
	one := func(text string) string { return strings.ReplaceAll(text, "\n", " ") }
	lines := []string{"# " + one(filepath.Base(path)) + ", tidied: a plan to start from", read}
	for _, f := range findings {
		lines = append(lines, "# "+one(f.Says))
		if f.Step == "" {
			if f.Question != "" {
				lines = append(lines, "#   "+one(f.Question))
			}
			continue
		}
		why := f.Question
		if f.Part == inspect.Safe {
			why = ""
			if err := tries(ctx, append(slices.Clone(lines[1:]), f.Step), folder); err != nil {
				why = err.Error()
				if e := (*diag.Error)(nil); errors.As(err, &e) {
					why = e.Text
				}
			}
		}
		if f.Part != inspect.Safe || why != "" {
			lines = append(lines, "#   "+one(why), "# "+strings.ReplaceAll(f.Step, "\n", "\n# "))
			continue
		}
		lines = append(lines, f.Step)
	}
	return writeLines(to, lines)
}

// tries runs the lines of a plan on the first rows, and writes nothing.
func tries(ctx context.Context, lines []string, folder string) error {
	lines[0] += " --limit 5000"
	statements, err := plan.Parse("", strings.Join(lines, "\n"))
	if err != nil {
		return err
	}
	p, err := plan.Build(filepath.Join(folder, "look.plan"), statements)
	if err != nil {
		return err
	}
	p.Items = append(p.Items, &run.Write{})
	_, err = run.Run(ctx, p, run.Env{Screen: func() run.Screen { return nowhere{} }})
	return err
}

// nowhere takes a table and forgets it.
type nowhere struct{}

func (nowhere) Start(*table.Schema) error { return nil }
func (nowhere) Emit(*table.Batch) error   { return nil }
func (nowhere) Close() error              { return nil }
