// Package inspect looks at a file: how it lies, what is untidy in it and the
// command that mends that, and what its fields hold. It looks at a bounded
// sample, and every finding has evidence from it.
package inspect

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/format/delimited"
)

// Finding is something untidy, with its evidence and, where that was proved on the sample, what mends it.
type Finding struct {
	Kind     string   `json:"kind"`
	Part     string   `json:"part"` // Safe, Decide or Told
	Says     string   `json:"says"`
	Evidence string   `json:"evidence,omitempty"`
	Question string   `json:"question,omitempty"` // what somebody must say first
	Fields   []string `json:"fields,omitempty"`
	Step     string   `json:"step,omitempty"`    // as a line of a plan, or several; "": the reading options do it, or nothing is proposed
	Command  string   `json:"command,omitempty"` // as typed

	folds   map[string][]string // the fields that a value field takes
	periods bool                // the headers are stretches of time
	reads   bool                // the reading options do it
	whole   bool                // its steps need all fields
	claim   claim               // what is proved of the step
	refuted error               // why its step is not proposed
}

// Report is what was found.
type Report struct {
	Sample   *format.Sample
	Reading  []string // reading options that the commands bear, as words
	Findings []Finding
	Rows     int      // looked at
	Codes    []string // fields whose digits have leading zeros, which are kept
}

// field is what is known of a field from the sample.
type field struct {
	name    string
	at      int
	cells   []string // of all rows
	filled  int
	counts  map[string]int // of its cells that are not blank; none where all are numbers
	order   []string       // these, as first met
	numbers int
	dates   int
	example func(want func(string) bool) string // an example cell and its line
}

// sample is the rows that are looked at.
type sample struct {
	lie    *format.Sample
	rows   [][]string
	lines  []int
	fields []*field
	whole  bool
	kinds  map[string]string // of what was asked of timeKind
}

// Look looks at a file. What it proposes is run on the sample first; without a prover nothing is proposed as safe.
func Look(path string, o format.ReadOptions, run Prover) (*Report, error) {
	in, err := openInput(path, &o)
	if err != nil {
		return nil, err
	}
	l, err := in.sample(o)
	if err == nil {
		r := &Report{Sample: l}
		r.told(o)
		if r.form(); len(r.Findings) > 0 {
			r.proveForm(run)
			r.commands(path)
			return r, nil
		}
	}
	l, o, first, err := readable(in, o, l, err)
	if err != nil {
		return nil, err
	}
	if len(first) == 0 || first[0].Part != Told {
		var units []Finding
		l, o, units = unitsRow(in, o, l)
		first = append(first, units...)
	}
	r := &Report{Sample: l, Findings: first}
	r.told(o)
	if l.Names == nil && len(l.Parts) > 0 {
		r.severalTables(path)
		return r, nil
	}
	s := newSample(l)
	r.Rows = len(s.rows)
	if len(first) > 0 && first[0].Part == Told { // no other command would run
		return r, nil
	}
	if f := s.hardlyTable(o); f != nil {
		told := append(slices.Clone(r.Findings), *f)
		r.reading(o) // other commands need its options all the same
		r.Findings = told
		r.commands(path)
		return r, nil
	}
	otherEncoding := s.otherEncoding()
	if otherEncoding != nil {
		r.Findings = append(r.Findings, *otherEncoding)
	}
	r.reading(o)
	if inDoubt(l, o) { // nobody knows what the fields are
		r.otherHeader(in, o)
		r.commands(path)
		return r, nil
	}
	if f := s.unprovedHeader(o, r.Findings); f != nil {
		r.Findings = append(r.Findings, *f)
	}
	r.alikeSheets(path, o)
	blank := s.markers(r, o.Blank)
	if len(blank) > 0 {
		s = s.without(blank)
	}
	for _, f := range s.fields {
		if slices.ContainsFunc(f.order, isCode) && !slices.ContainsFunc(f.order[:min(len(f.order), 50)], func(c string) bool { return writtenDate(c) || isDate(c) || isClock(c) }) {
			r.Codes = append(r.Codes, f.name)
		}
	}
	if otherEncoding != nil { // what stands in the cells is not what was written
		r.commands(path)
		return r, nil
	}
	for _, look := range []func(*sample) []Finding{
		(*sample).family, (*sample).blankRuns, (*sample).namesAndValues, (*sample).severalValues, (*sample).jsonCells, (*sample).jsonAmongTexts, (*sample).numbersWritten, (*sample).datesWritten, (*sample).spaces,
		(*sample).totals, (*sample).blankFields, (*sample).duplicates, (*sample).spellings, (*sample).compound, (*sample).garbled, (*sample).sentinels, (*sample).shortened, (*sample).mixed, (*sample).duplicateKeys,
	} {
		found := look(s)
		s.prove(run, found)
		r.Findings = append(r.Findings, found...)
	}
	r.Findings = slices.DeleteFunc(r.Findings, func(f Finding) bool { return f.refuted != nil && !tellsAlone(f.Kind) })
	r.Findings = families(r.Findings)
	rank := []string{Safe, Decide, Told}
	slices.SortStableFunc(r.Findings, func(a, b Finding) int { return max(0, slices.Index(rank, a.Part)) - max(0, slices.Index(rank, b.Part)) })
	r.commands(path)
	return r, nil
}

// otherHeader tells, of a header that is in doubt, which option reads all rows without it.
func (r *Report) otherHeader(in input, o format.ReadOptions) {
	for _, try := range []struct {
		says   string
		change func(*format.ReadOptions)
	}{
		{"--comment '#'", func(c *format.ReadOptions) { c.Layout.Comment = "#" }},
		{"--header none", func(c *format.ReadOptions) { c.Header = format.Header{Kind: format.HeaderNone} }},
	} {
		c := o
		try.change(&c)
		if c.Layout.Comment != o.Layout.Comment && !slices.ContainsFunc(r.Sample.First, func(x delimited.Record) bool { return hashed(x.Cells) }) {
			continue
		}
		if l, err := in.sample(c); err == nil && in.read(l, c) == nil {
			last := &r.Findings[len(r.Findings)-1]
			last.Question += " " + try.says + " reads all rows"
			return
		}
	}
}

// families makes one finding of many of a kind about single fields.
func families(findings []Finding) (out []Finding) {
	const few = 3
	type kin struct{ kind, part, question string }
	first, counts := map[kin]int{}, map[kin]int{}
	of := func(f *Finding) kin { return kin{f.Kind, f.Part, f.Question} }
	for i := range findings {
		if len(findings[i].Fields) == 1 {
			counts[of(&findings[i])]++
		}
	}
	for _, f := range findings {
		k := of(&f)
		if len(f.Fields) != 1 || counts[k] <= few {
			out = append(out, f)
			continue
		}
		if at, ok := first[k]; ok {
			out[at].Fields = append(out[at].Fields, f.Fields...)
			continue
		}
		first[k] = len(out)
		out = append(out, f)
	}
	for k, at := range first {
		f := &out[at]
		f.Says += fmt.Sprintf("; it is alike with %s (%s)", diag.Plural(int64(counts[k]-1), "other field"), diag.Names(f.Fields[1:]))
	}
	return out
}

// tellsAlone tells kinds of findings that are worth telling though what would mend them is not proved.
func tellsAlone(kind string) bool {
	return slices.Contains([]string{"numbers", "JSON", "total rows", "names and values"}, kind)
}

// ownBy tells steps whose --by is their own, so that the reading's can't stand beside it.
func ownBy(line string) bool {
	name, _, _ := strings.Cut(line, " ")
	return slices.Contains([]string{"group", "distinct", "number", "beside"}, name)
}

// commands makes commands of the steps of findings.
func (r *Report) commands(path string) {
	for i := range r.Findings {
		f := &r.Findings[i]
		switch steps := strings.Split(f.Step, "\n"); {
		case f.reads:
			f.Command = "revuelta convert" + r.options() + " " + Shell(path)
		case f.Step == "":
		case len(steps) > 1 || slices.Contains(r.Reading, "--by") && ownBy(f.Step):
			f.Command = "revuelta run"
			for _, s := range steps {
				f.Command += " --step " + Shell(s)
			}
			f.Command += r.options() + " " + Shell(path)
		default:
			f.Command = "revuelta " + f.Step + r.options() + " " + Shell(path)
		}
	}
}

func (r *Report) options() string {
	out := ""
	for _, w := range r.Reading {
		out += " " + w
	}
	return out
}

func newSample(l *format.Sample) *sample {
	s := &sample{lie: l, whole: l.Whole, kinds: map[string]string{}}
	s.rows, s.lines = l.Data()
	s.index()
	return s
}

// without is the sample with markers made blank.
func (s *sample) without(markers []string) *sample {
	gone := map[string]bool{}
	for _, m := range markers {
		gone[m] = true
	}
	t := &sample{lie: s.lie, lines: s.lines, whole: s.whole, kinds: s.kinds}
	for _, row := range s.rows {
		clean := make([]string, len(row))
		for i, c := range row {
			if !gone[c] {
				clean[i] = c
			}
		}
		t.rows = append(t.rows, clean)
	}
	t.index()
	return t
}

func (s *sample) index() {
	all := make([]string, len(s.lie.Names)*len(s.rows))
	places := make([]decimal.Place, len(s.rows))
	for i, n := range s.lie.Names {
		f := &field{name: n, at: i, cells: all[:len(s.rows):len(s.rows)]}
		all = all[len(s.rows):]
		for r, row := range s.rows {
			f.cells[r] = row[i]
		}
		decimal.Places(f.cells, places)
		for r, c := range f.cells {
			switch {
			case places[r] != decimal.NoPlace:
				f.filled++
				f.numbers++
			case c != "":
				f.filled++
				if isNumber(c) {
					f.numbers++
				}
			}
		}
		if f.numbers < f.filled {
			f.count()
		}
		f.example = func(want func(string) bool) string {
			for r, c := range f.cells {
				if c != "" && want(c) {
					if s.lines[r] > 0 {
						return fmt.Sprintf("%s in %s %d", diag.Quote(c), diag.LineOf(s.lie.Name), s.lines[r])
					}
					return diag.Quote(c)
				}
			}
			return ""
		}
		s.fields = append(s.fields, f)
	}
}

// count counts a field's cells.
func (f *field) count() {
	f.counts = map[string]int{}
	for _, c := range f.cells {
		if c == "" {
			continue
		}
		if f.counts[c]++; f.counts[c] == 1 {
			f.order = append(f.order, c)
		}
		if isDate(c) {
			f.dates++
		}
	}
}

// told says what somebody said of the file, which its commands must say too, and which part of a workbook is read.
func (r *Report) told(o format.ReadOptions) {
	for _, w := range []struct {
		said  bool
		words []string
	}{
		{o.As != "", []string{"--read-as", Shell(o.As)}},
		{o.Delimiter == '\t', []string{"--delimiter", "tab"}},
		{o.Delimiter != 0 && o.Delimiter != '\t', []string{"--delimiter", Shell(string(rune(o.Delimiter)))}},
		{o.Encoding != "", []string{"--encoding", Shell(o.Encoding)}},
		{o.NoQuotes, []string{"--quote", "none"}},
		{o.LineEndCR, []string{"--line-end", "cr"}},
		{o.Layout.Spaces, []string{"--delimiter", "spaces"}},
		{o.Layout.Widths != nil, []string{"--widths", o.Layout.WidthList()}},
		{o.Layout.Comment != "", []string{"--comment", Shell(o.Layout.Comment)}},
		{o.Layout.Backslash, []string{"--escape", "backslash"}},
		{o.First != "", []string{"--header-first", Shell(o.First)}},
		{o.Flatten, []string{"--flatten"}},
		{o.Query != "", []string{"--query", Shell(o.Query)}},
		{o.By != nil, []string{"--by", Shell(o.By.String())}},
		{o.HeaderJoin != "", []string{"--header-join", Shell(o.HeaderJoin)}},
		{o.Header.Kind == format.HeaderNone, []string{"--header", "none"}},
		{len(o.Blank) > 0, []string{"--blank", blankList(o.Blank)}},
	} {
		if w.said {
			r.Reading = append(r.Reading, w.words...)
		}
	}
	if o.Sheet != "" {
		r.Reading = append(r.Reading, "--sheet", Shell(o.Sheet))
	} else if l := r.Sample; len(l.Sheets) > 1 && l.Sheet != firstVisible(l) {
		r.Reading = append(r.Reading, "--sheet", Shell(l.Sheet))
	}
	if o.Area != "" {
		r.Reading = append(r.Reading, "--area", Shell(o.Area))
	}
}

// beneathTitle tells a header, looked for and found in one row, above which something stands.
func beneathTitle(l *format.Sample, o format.ReadOptions) bool {
	return o.Header.Kind == format.HeaderFirst && l.Header.From > 0 && l.Header.From == l.Header.To && l.Header.From <= len(l.First) && slices.ContainsFunc(l.First[:l.Header.From-1], func(r delimited.Record) bool { return len(r.Cells) > 0 })
}

// inDoubt tells a header that was looked for and found, and may be none.
func inDoubt(l *format.Sample, o format.ReadOptions) bool {
	return o.Header.Kind == format.HeaderFirst && (o.Layout.Comment == "" && commentedHeader(l) || namesReturn(l) || unprovedBeneath(l, o))
}

// unprovedBeneath tells a header beneath something else that nothing proves, or that is a text.
func unprovedBeneath(l *format.Sample, o format.ReadOptions) bool {
	return beneathTitle(l, o) && (!namesProved(l, o) || slices.ContainsFunc(l.Names, func(n string) bool { return len(strings.Fields(n)) > 5 }))
}

// blankList is words as --blank takes them.
func blankList(words []string) string {
	var out []string
	for _, w := range words {
		if strings.ContainsAny(w, `,"`) || w != strings.TrimSpace(w) {
			w = `"` + strings.ReplaceAll(w, `"`, `""`) + `"`
		}
		out = append(out, w)
	}
	return Shell(strings.Join(out, ","))
}

// reading finds what options the file must be read with.
func (r *Report) reading(o format.ReadOptions) {
	l := r.Sample
	first := 0
	for first < len(l.First) && len(l.First[first].Cells) == 0 {
		first++
	}
	if h := l.Header; h.From > 0 && (h.From > first+1 || h.To > h.From || o.First != "" && o.Header.Kind == format.HeaderRows) {
		r.Reading = append(r.Reading, "--header", h.Option())
		f := Finding{Kind: "header", Part: Safe, reads: true, Says: fmt.Sprintf("the header seems to be %s", h), Evidence: diag.Names(l.Names)}
		if h.To > h.From {
			f.Kind = "header rows"
		}
		if cells := l.First[first].Cells; h.From == first+2 && len(l.Names) == 2 && len(cells) == 1 && !strings.Contains(cells[0], " ") {
			f.Part, f.Question = Decide, fmt.Sprintf("is %s a title, or the name of the second field? Then: --header %d --header-first row", diag.Quote(cells[0]), first+1)
		}
		if unprovedBeneath(l, o) {
			f.Part, f.Question, f.reads = Told, "nothing proves that: is it a header at all, and what stands above it?", false
		}
		if o.Header.Kind != format.HeaderRows && namesReturn(l) {
			f.Part, f.Question, f.reads = Told, "its names stand in rows below it, too: is it a header at all?", false
		}
		if commentedHeader(l) && o.Layout.Comment == "" {
			f.Part, f.Question, f.reads = Told, "what stands above it, and is it a header at all?", false
		}
		if o.Header.Kind != format.HeaderRows { // else it was told
			r.Findings = append(r.Findings, f)
		}
	}
	if o.Body > 0 {
		r.Reading = append(r.Reading, "--body", strconv.Itoa(o.Body))
	}
	if len(l.Foot) > 0 && !inDoubt(l, o) {
		foot := "auto"
		if o.Foot > 0 {
			foot = strconv.Itoa(o.Foot)
		}
		r.Reading = append(r.Reading, "--foot", foot)
		r.Findings = append(r.Findings, Finding{Kind: "foot", Part: Safe, reads: true, Says: diag.Plural(int64(len(l.Foot)), "note") + " at the foot", Evidence: diag.Quote(strings.TrimSpace(strings.Join(l.Foot[0].Cells, " ")))})
	}
}

func firstVisible(l *format.Sample) string {
	for _, s := range l.Sheets {
		if !s.Hidden {
			return s.Name
		}
	}
	return l.Sheets[0].Name
}

// Shell is [diag.Shell].
func Shell(s string) string { return diag.Shell(s) }

// inFormula is a field as a formula has it.
func inFormula(name string) string {
	for i, c := range name {
		if !(c == '_' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || i > 0 && c >= '0' && c <= '9') {
			return "{" + name + "}"
		}
	}
	switch name {
	case "and", "or", "not", "in", "it":
		return "{" + name + "}"
	}
	return name
}

// share tells whether n of m is at least a part.
func share(n, m int, part float64) bool { return m > 0 && float64(n) >= part*float64(m) }

// of writes "n of m cells".
func of(n, m int) string {
	return diag.Count(int64(n)) + " of " + diag.Plural(int64(m), "cell")
}
