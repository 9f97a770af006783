package cli

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"html/template"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/run"
	"revuelta/internal/step"
)

// report is a run as its page shows it.
type report struct {
	Title, Verdict string
	Failed         *run.Failure
	Large          bool // the rows of steps are not shown
	Facts          []reportFact
	Inputs         []reportFile
	Streams        []reportFile // inputs behind the last step
	Stages         []reportStage
	Outputs        []reportFile
	Asides         []reportAside
	Outcomes       []reportOutcome
	Plan           []reportLine
	JSON           template.JS
}

type reportFact struct{ Name, Value string }

// reportFile is a file that was read or written.
type reportFile struct {
	Name, Role, Rows, Fields, Size, Changed, Sum string
	Notes                                        []string
	Stream                                       string // its part of the picture
}

// reportStage is a step, with its part of the picture.
type reportStage struct {
	ID, Name, Line, Text, Says     string
	RowsIn, RowsOut, Fields, Cells string
	Stream                         string
	Streams                        []reportFile // inputs that come in before it
	Before, After                  *reportTable // first rows
	Gone                           string       // fields
	Failed                         bool
	Anew                           bool // it goes on with other rows than came out of the step before
	Branches                       []reportBranch
	Reasons, Unfit                 []run.Reason
	Notes, Across                  []string
	AcrossMore                     string
	ReasonsMore, UnfitMore         string
}

// reportBranch is rows that leave the stream, or that join it.
type reportBranch struct{ Kind, Says, Width string }

// reportLine is a line of the plan.
type reportLine struct {
	Number int
	Text   string
	ID     string // of the step it holds
}

// The picture: how wide the stream is at most, where its middle lies, and how high a step is, in the units of its drawing.
const (
	streamWide   = 150
	streamMiddle = 85
	streamHigh   = 60
)

// streamOf draws the stream from so many rows to so many.
func streamOf(from, to, most int64) string {
	half := func(n int64) float64 {
		if n == 0 {
			return 0
		}
		return max(1.2, streamWide/2*float64(n)/float64(max(1, most)))
	}
	a, b := half(from), half(to)
	return fmt.Sprintf("M%.1f 0H%.1fC%.1f %d %.1f %d %.1f %dH%.1fC%.1f %d %.1f %d %.1f 0Z", streamMiddle-a, streamMiddle+a,
		streamMiddle+a, streamHigh/2, streamMiddle+b, streamHigh/2, streamMiddle+b, streamHigh,
		streamMiddle-b, streamMiddle-b, streamHigh/2, streamMiddle-a, streamHigh/2, streamMiddle-a)
}

// reportOf makes a page's content of the account of a run.
func (a *app) reportOf(ctx context.Context, p *run.Program, env run.Env, account *run.Account, traced []*run.Traced) *report {
	r := &report{Title: "What became of the rows", Failed: account.Failed, JSON: template.JS(scriptSafe(account.JSON()))}
	lines := planLines(p.Plan)
	if lines != nil { // else the steps stand on the command line
		r.Title = p.Plan
		r.Facts = append(r.Facts, reportFact{"Plan", p.Plan})
	} else {
		r.Facts = append(r.Facts, reportFact{"Command", program + " " + commandLine(a.argv)})
	}
	r.Facts = append(r.Facts, reportFact{"Done", time.Now().Format("2006-01-02 15:04:05 -07:00")}, reportFact{"Took", fmt.Sprintf("%.2f s", account.Seconds)}, reportFact{"Program", program + " " + Version})
	most := int64(1)
	for _, t := range account.Inputs {
		most = max(most, t.Rows)
	}
	for _, s := range account.Steps {
		most = max(most, s.RowsIn, s.RowsOut)
	}
	read, sums := int64(0), map[string]string{}
	for _, t := range account.Inputs {
		f := fileOf(t, account.Failed == nil, most)
		path := format.FileOf(t.Name)
		if _, ok := sums[path]; !ok { // of a workbook once
			sums[path] = sumOf(path)
		}
		f.Sum = sums[path]
		r.Inputs = append(r.Inputs, f)
	}
	for _, t := range account.Read() {
		if !strings.HasPrefix(t.Name, "@") { // a table of the run itself
			read += t.Rows
		}
	}
	for _, t := range account.Outputs {
		f := fileOf(t, true, most)
		switch t.Name {
		case env.Aside:
			f.Role = "rows set aside"
		case env.LeftOut:
			f.Role = "rows left out"
		}
		r.Outputs = append(r.Outputs, f)
	}
	flows := make([][]run.TableAccount, len(account.Steps)+1)
	if account.Failed == nil {
		flows = inflows(p, account)
		r.Streams = inflow(flows[len(account.Steps)], most)
	}
	before := int64(0)
	for i, s := range account.Steps {
		st := reportStage{ID: fmt.Sprintf("step-%d", i+1), Name: s.Step, Notes: s.Notes, Across: s.Across}
		if s.Line > 0 {
			st.Line = fmt.Sprintf("line %d", s.Line)
			if s.Line <= len(lines) {
				st.Text = strings.TrimSpace(lines[s.Line-1])
			}
		}
		if account.Failed == nil {
			st.RowsIn, st.RowsOut, st.Fields = diag.Plural(s.RowsIn, "row"), diag.Plural(s.RowsOut, "row"), diag.Plural(int64(s.Fields), "field")
			st.Streams = inflow(flows[i], most)
			st.Anew = i > 0 && s.RowsIn != before && len(st.Streams) == 0
			before = s.RowsOut
			st.Stream = streamOf(s.RowsIn, s.RowsOut, most)
			for _, b := range []struct {
				kind, says string
				n          int64
			}{{"made", "made", s.Made}, {"merged", "merged into others", s.Merged}, {"left", "left out", s.LeftOut}, {"aside", "set aside", s.SetAside}} {
				if b.n > 0 {
					st.Branches = append(st.Branches, reportBranch{b.kind, diag.Plural(b.n, "row") + " " + b.says, fmt.Sprintf("%.1f", max(1.5, 24*float64(b.n)/float64(most)))})
				}
			}
			st.Says = s.Summary
			if s.Cells != nil {
				st.Cells = cellsSaid(*s.Cells)
			}
		}
		st.Failed = account.Failed != nil && failedIn(account, i)
		st.Reasons, st.ReasonsMore = some(s.Reasons)
		st.Unfit, st.UnfitMore = some(s.Unfit)
		if len(st.Across) > mostReasons {
			st.Across, st.AcrossMore = st.Across[:mostReasons], fmt.Sprintf("and %s more", diag.Count(int64(len(s.Across)-mostReasons)))
		}
		r.Stages = append(r.Stages, st)
	}
	for i, l := range lines {
		line := reportLine{Number: i + 1, Text: l}
		for k, s := range account.Steps {
			if s.Line == i+1 {
				line.ID = fmt.Sprintf("step-%d", k+1)
			}
		}
		r.Plan = append(r.Plan, line)
	}
	r.Verdict = verdict(account, read)
	r.firstRows(traced)
	r.Large = traced == nil && account.Failed == nil
	if account.Failed == nil {
		r.Asides, r.Outcomes = asides(account, env), a.outcomes(ctx, account, env)
	}
	return r
}

// inflows gives the inputs before the step whose rows they are, the last before the outputs; other tables of steps stand at the beginning.
func inflows(p *run.Program, account *run.Account) [][]run.TableAccount {
	out := make([][]run.TableAccount, len(account.Steps)+1)
	for _, t := range account.Inputs {
		if t.Role != step.ToRead {
			out[0] = append(out[0], t)
		}
	}
	left, at := account.Read(), 0
	for _, it := range p.Items {
		switch it := it.(type) {
		case *run.Apply:
			at = min(at+1, len(account.Steps))
		case *run.Read:
			for _, path := range it.Paths {
				// A path may be several tables: sheets of a workbook, or files by a pattern.
				for n := 0; len(left) > 0 && (n == 0 || several(path, left[0].Name)); n++ {
					out[at] = append(out[at], left[0])
					left = left[1:]
				}
			}
		}
	}
	out[0] = append(out[0], left...)
	return out
}

// several tells that a table may be a further one of a path.
func several(path, name string) bool {
	file := format.FileOf(name)
	if strings.ContainsAny(path, "*?[") {
		ok, err := filepath.Match(format.FileOf(path), file)
		return err == nil && ok
	}
	return file != name && file == format.FileOf(path)
}

// inflow draws inputs of one table, which join one another; what is more than a dozen is drawn as one.
func inflow(inputs []run.TableAccount, most int64) []reportFile {
	const several = 12
	all, so := int64(0), int64(0)
	for _, t := range inputs {
		if t.Role == step.ToRead {
			all += t.Rows
		}
	}
	var out []reportFile
	for i, t := range inputs {
		f := reportFile{Name: t.Name, Rows: diag.Plural(t.Rows, "row"), Fields: diag.Plural(int64(t.Fields), "field"), Stream: streamOf(t.Rows, t.Rows, most)}
		if t.Role != step.ToRead {
			f.Role = "for " + string(t.Role)
		} else {
			from := so
			if t.Rows == all { // the only one
				from = all
			}
			if so += t.Rows; i >= several-1 && i < len(inputs)-1 {
				f.Name, f.Rows, f.Fields = diag.Plural(int64(len(inputs)-i), "other input"), "", ""
				f.Stream = streamOf(from, all, most)
				return append(out, f)
			}
			f.Stream = streamOf(from, so, most)
		}
		out = append(out, f)
	}
	return out
}

// failedIn tells the step in which a run failed.
func failedIn(account *run.Account, i int) bool {
	s, same := account.Steps[i], 0
	for _, other := range account.Steps {
		if other.Step == s.Step {
			same++
		}
	}
	return s.Step == account.Failed.Step && same == 1
}

// mostReasons is how many reasons, or values across, a step shows.
const mostReasons = 20

// some are the first of reasons, and how many more there are.
func some(all []run.Reason) ([]run.Reason, string) {
	if len(all) <= mostReasons {
		return all, ""
	}
	rest := int64(0)
	for _, r := range all[mostReasons:] {
		rest += r.Count
	}
	return all[:mostReasons], fmt.Sprintf("%s more, of %s", diag.Plural(int64(len(all)-mostReasons), "reason"), diag.Plural(rest, "row"))
}

// verdict says in a sentence whether every row is accounted for. A run whose counts do not balance fails, so one that is done has balanced.
func verdict(account *run.Account, read int64) string {
	if account.Failed != nil {
		return "The run failed. No file was written or changed."
	}
	says := fmt.Sprintf("Every one of the %s that were read is accounted for", diag.Plural(read, "row"))
	switch read {
	case 0:
		says = "No row was read"
	case 1:
		says = "The one row that was read is accounted for"
	}
	var made, merged, left, aside int64
	for _, s := range account.Steps {
		made, merged, left, aside = made+s.Made, merged+s.Merged, left+s.LeftOut, aside+s.SetAside
	}
	var what []string
	for _, w := range []struct {
		n    int64
		says string
	}{{made, "made"}, {merged, "merged into others"}, {left, "left out"}, {aside, "set aside"}} {
		if w.n > 0 {
			what = append(what, diag.Count(w.n)+" "+w.says)
		}
	}
	if len(what) == 0 {
		return says + "."
	}
	return says + ": on the way " + joinedBy(what, ", ", " and ") + "."
}

// joinedBy joins texts, the last two in another way.
func joinedBy(all []string, by, last string) string {
	if len(all) < 2 {
		return strings.Join(all, "")
	}
	return strings.Join(all[:len(all)-1], by) + last + all[len(all)-1]
}

// cellsSaid says what became of the cells that a step balances.
func cellsSaid(c step.Cells) string {
	if c.LeftOut > 0 {
		return fmt.Sprintf("Cells: %s in, %s out, %s left out.", diag.Count(c.In), diag.Count(c.Out), diag.Count(c.LeftOut))
	}
	return fmt.Sprintf("Cells: %s in, %s out.", diag.Count(c.In), diag.Count(c.Out))
}

// fileOf tells of a file: what is on the disk now, if it is one there.
func fileOf(t run.TableAccount, counted bool, most int64) reportFile {
	f := reportFile{Name: t.Name, Notes: t.Notes}
	if t.Role != step.ToRead && t.Role != "" {
		f.Role = "for " + string(t.Role)
	}
	if counted {
		f.Rows, f.Fields, f.Stream = diag.Plural(t.Rows, "row"), diag.Plural(int64(t.Fields), "field"), streamOf(t.Rows, t.Rows, most)
	}
	info := regular(t.Name)
	if info == nil {
		return f
	}
	f.Size, f.Changed = diag.Count(info.Size())+" bytes", info.ModTime().Format("2006-01-02 15:04:05")
	return f
}

// regular is what is known of the file of a table, nil where it is none on the disk that can be read again.
func regular(name string) os.FileInfo {
	info, err := os.Stat(format.FileOf(name))
	if err != nil || !info.Mode().IsRegular() {
		return nil
	}
	return info
}

// sumOf is the SHA-256 of what a file holds, "" where it is none that can be read again.
func sumOf(path string) string {
	if regular(path) == nil {
		return ""
	}
	in, err := os.Open(path)
	if err != nil {
		return ""
	}
	defer in.Close()
	sum := sha256.New()
	if _, err := io.CopyBuffer(sum, struct{ io.Reader }{in}, make([]byte, 1<<18)); err != nil {
		return ""
	}
	return hex.EncodeToString(sum.Sum(nil))
}

// planLines are the lines of a plan, nil where it can't be read any more.
func planLines(path string) []string {
	if path == "" {
		return nil
	}
	text, err := os.ReadFile(path)
	if err != nil {
		return nil
	}
	return strings.Split(strings.TrimSuffix(string(text), "\n"), "\n")
}

// commandLine is a command line as a shell takes it.
func commandLine(args []string) string {
	var out []string
	for _, w := range args {
		out = append(out, diag.Shell(w))
	}
	return strings.Join(out, " ")
}

// scriptSafe writes JSON so that nothing in it ends the element it stands in.
func scriptSafe(json []byte) string {
	return strings.NewReplacer("<", `\u003c`, ">", `\u003e`, "&", `\u0026`, "\u2028", `\u2028`, "\u2029", `\u2029`).Replace(string(json))
}

// writeReport writes the page.
func writeReport(path string, r *report) error {
	return writeWhole(path, func(to io.Writer) error { return page("report").Execute(to, r) })
}
