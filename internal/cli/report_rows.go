package cli

import (
	"context"
	"os"
	"path/filepath"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/inspect"
	"revuelta/internal/run"
)

// The rows that a report shows: so many of each step, so many of their fields, and so much of a cell. They are had by a run of their own,
// which is worth it for inputs of so many bytes.
const (
	reportRows   = 5
	reportFields = 12
	reportCell   = 60
	reportInputs = 8 << 20
)

// reportTable is the first rows of a table.
type reportTable struct {
	Heads []reportHead
	Rows  [][]reportCellShown
	More  string // fields that are not shown
}

type reportHead struct {
	Name string
	New  bool
}

type reportCellShown struct {
	Text    string
	Changed bool
}

// traced gives the first rows after each step, before the run is done, which may write where it reads; nil where the inputs can't be read
// twice, or are large.
func (a *app) traced(ctx context.Context, p *run.Program, env run.Env) []*run.Traced {
	size := int64(0)
	for _, it := range p.Items {
		switch it := it.(type) {
		case *run.Read:
			for _, path := range it.Paths {
				if strings.HasPrefix(path, "@") {
					continue
				}
				info := regular(path)
				if info == nil {
					return nil
				}
				size += info.Size()
			}
		case *run.Apply:
			path := it.Step.Capabilities().LooksAt
			if path == "" || strings.HasPrefix(path, "@") {
				continue
			}
			info := regular(path)
			if info == nil {
				return nil
			}
			size += info.Size()
		}
	}
	if size > reportInputs {
		return nil
	}
	once := run.Env{Stdin: strings.NewReader(""), Memory: env.Memory, Temp: env.Temp}
	if env.Aside != "" {
		dir, err := os.MkdirTemp(env.Temp, "revuelta-")
		if err != nil {
			return nil
		}
		defer os.RemoveAll(dir)
		once.Aside, once.Most = filepath.Join(dir, "aside.csv"), env.Most
	}
	traced, _ := run.Trace(ctx, p, once, reportRows, nil) // what fails is told by the run itself
	return traced
}

// firstRows gives each step its first rows, and those of the table it was given.
func (r *report) firstRows(traced []*run.Traced) {
	var before *run.Traced
	k := 0
	for _, t := range traced {
		if !strings.HasPrefix(t.Name, "read ") && k < len(r.Stages) && r.Stages[k].Name == t.Name && before != nil {
			r.Stages[k].Before, r.Stages[k].After = tableOf(before, false), tableOf(t, true)
			r.Stages[k].Gone = strings.Join(gone(before.Names, t.Names), ", ")
			k++
		}
		before = t
	}
}

// shown is a cell as the page has it.
func shown(cell string) string {
	text := []rune(diag.Visible(cell))
	if len(text) > reportCell {
		text = append(text[:reportCell-1], '…')
	}
	return string(text)
}

// reportAside is the first of the rows that went to a file of their own, and why.
type reportAside struct {
	What, File, Rows string
	First            *reportTable
}

// asides are the rows set aside, and those left out, as far as they were kept.
func asides(account *run.Account, env run.Env) (out []reportAside) {
	for _, f := range []struct{ what, path string }{{"Rows set aside", env.Aside}, {"Rows left out", env.LeftOut}} {
		for _, t := range account.Outputs {
			if f.path == "" || t.Name != f.path || t.Rows == 0 {
				continue
			}
			a := reportAside{What: f.what, File: t.Name, Rows: diag.Plural(t.Rows, "row")}
			if l, err := format.SampleOf(f.path, format.ReadOptions{}); err == nil {
				rows, _ := l.Data()
				a.First = tableOf(&run.Traced{Names: l.Names, Rows: firstOfEach(l.Names, rows)}, false)
			}
			out = append(out, a)
		}
	}
	return out
}

// firstOfEach are the first rows with each step, field and reason, as far as there is room for them.
func firstOfEach(names []string, rows [][]string) (out [][]string) {
	seen := map[string]bool{}
	for _, row := range rows {
		key := ""
		for k, n := range names {
			if n == "step" || n == "field" || n == "reason" {
				key += row[k] + "\x00"
			}
		}
		if !seen[key] && len(out) < mostReasons {
			seen[key] = true
			out = append(out, row)
		}
	}
	return out
}

// reportOutcome is the fields of an output, as profile draws them.
type reportOutcome struct {
	Name   string
	Of     string // rows, where not all were looked at
	Fields []pageField
}

// outcomes profiles the outputs that lie on the disk, of large ones the first rows.
func (a *app) outcomes(ctx context.Context, account *run.Account, env run.Env) (out []reportOutcome) {
	for _, t := range account.Outputs {
		if t.Name == env.Aside || t.Name == env.LeftOut {
			continue
		}
		info := regular(t.Name)
		if info == nil {
			continue
		}
		o := reportOutcome{Name: t.Name}
		p := &inspect.Profile{}
		read := &run.Read{Paths: []string{t.Name}}
		if info.Size() > reportInputs && t.Rows > outcomeRows {
			read.Options.Limit = outcomeRows
			o.Of = "the first " + diag.Count(outcomeRows) + " rows of "
		}
		once := run.Env{Stdin: strings.NewReader(""), Memory: env.Memory, Temp: env.Temp, Screen: func() run.Screen { return nowhere{} }}
		if _, err := run.Run(ctx, &run.Program{Items: []any{read, &run.Apply{Name: "profile", Step: p}, &run.Write{}}}, once); err != nil {
			continue // it is written in a way that must be said to read it
		}
		for i, f := range p.Out[:min(len(p.Out), mostOutcome)] {
			o.Fields = append(o.Fields, onPage(i, f))
		}
		out = append(out, o)
	}
	return out
}

// How many fields of an output are drawn, and how many rows of a large one are looked at.
const (
	mostOutcome = 100
	outcomeRows = 20000
)

// gone are the fields that a step has not handed on.
func gone(before, after []string) (out []string) {
	there := map[string]bool{}
	for _, n := range after {
		there[n] = true
	}
	for _, n := range before {
		if !there[n] && len(out) < reportFields {
			out = append(out, n)
		}
	}
	return out
}

// tableOf shows a table, with marks at what is new and changed in it.
func tableOf(t *run.Traced, marks bool) *reportTable {
	order := make([]int, len(t.Names))
	for k := range order {
		order[k] = k
	}
	out := &reportTable{}
	if len(order) > reportFields {
		if marks { // what the step did is shown first
			order = changesFirst(t)
		}
		out.More = "and " + diag.Plural(int64(len(order)-reportFields), "other field")
		order = order[:reportFields]
	}
	for _, k := range order {
		out.Heads = append(out.Heads, reportHead{t.Names[k], marks && t.New != nil && t.New[k]})
	}
	for r, row := range t.Rows {
		var cells []reportCellShown
		for _, k := range order {
			cells = append(cells, reportCellShown{shown(row[k]), marks && t.Changed != nil && t.Changed[r][k]})
		}
		out.Rows = append(out.Rows, cells)
	}
	return out
}
