// Package reshape has the steps that change the shape of a table without calculating: unpivot, explode, bundle,
// transpose and stencil. Each counts the cells that hold something where it reads and where it writes them.
package reshape

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"revuelta/internal/diag"
	"revuelta/internal/pattern"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var UnpivotSpec = &step.Spec{
	Name: "unpivot",
	Brief: []string{
		"Folds wide fields into rows: their headers become labels, their cells values.",
		"Other fields repeat. A pattern takes the headers apart into several labels and measures.",
	},
	Forms:    []string{"unpivot SELECTION", "unpivot PATTERN", "unpivot --row 'LABEL = A, B'..."},
	Operands: func(a *step.Args) int { return map[bool]int{true: 0, false: 1}[a.Has("row")] },
	Options: []step.Option{
		{Name: "label", Value: "NAME", Help: "field that receives the headers (default: label)"},
		{Name: "value", Value: "NAME", Help: "field that receives the cells (default: value); with --row one name for each measure: x,y"},
		{Name: "among", Value: "SELECTION", Help: "let the pattern look at these fields only"},
		{Name: "row", Value: "'LABEL = A, B'", Repeat: true, Help: "pair fields by hand: the fields A, B become one row labelled LABEL"},
		{Name: "skip-blank", Help: "leave out blank cells (with several measures: rows where all are blank)"},
	},
	Make: makeUnpivot,
	Examples: []step.Example{{
		Command: "revuelta unpivot '{month} {@:kilos|jars}' harvest.csv",
		Input:   "colony,April kilos,April jars,May kilos,May jars\n026,1.10,3,4,9\n007,,,0.5,1\n",
		Output:  "colony,month,kilos,jars\n026,April,1.10,3\n026,May,4,9\n007,April,,\n007,May,0.5,1\n",
	}, {
		Command: "revuelta unpivot 'Jan..Mar' --label month --value kilos --skip-blank harvest.csv",
		Input:   "colony,Jan,Feb,Mar,keeper\n026,1.10,,-3,Dovri\n",
		Output:  "colony,keeper,month,kilos\n026,Dovri,Jan,1.10\n026,Dovri,Mar,-3\n",
	}, {
		Command: "revuelta unpivot --row 'spring = Q1, Q2' --row 'autumn = Q3, Q4' --label half --value early,late counts.csv",
		Input:   "colony,Q1,Q2,Q3,Q4\n026,4,1,0,7\n",
		Output:  "colony,half,early,late\n026,spring,4,1\n026,autumn,0,7\n",
	}},
}

// Unpivot folds wide fields into rows.
type Unpivot struct {
	Operand   string
	sel       *selection.Selection // the operand as a selection, where it can be one
	pat       *pattern.Pattern     // the operand as a pattern, where it has a place
	selErr    error
	Among     *selection.Selection
	Label     string
	Values    []string
	Rows      []pair
	SkipBlank bool
}

// pair is a row set by hand.
type pair struct {
	label string
	items []*selection.Item // nil: there is no such field
}

func makeUnpivot(a *step.Args) (step.Step, error) {
	u := &Unpivot{Label: a.Get("label", "label"), Values: []string{a.Get("value", "value")}, SkipBlank: a.Has("skip-blank")}
	if a.Has("row") {
		return u, u.byHand(a)
	}
	u.Operand = a.Operands[0]
	if selection.HasPattern(u.Operand) {
		var err error
		if u.pat, err = pattern.Parse(u.Operand); err != nil {
			return nil, diag.Usagef("the pattern %s can't be read: %v", u.Operand, err)
		}
		if a.Has("label") {
			return nil, diag.Usagef("--label does not go with a pattern: its places are the label fields").Trying("name the place as you want the field")
		}
		if u.pat.Has(pattern.Measure) && a.Has("value") {
			return nil, diag.Usagef("--value does not go with {@}, which names the value fields").Trying("rename the fields afterwards: rename kilos=harvest")
		}
	}
	if u.sel, u.selErr = selection.Parse(u.Operand); u.pat == nil {
		if u.selErr != nil {
			return nil, u.selErr
		}
		if a.Has("among") {
			return nil, diag.Usagef("--among goes with a pattern only").Trying("name the fields in the selection")
		}
		if u.Label == u.Values[0] {
			return nil, diag.Usagef("--label and --value have the same name, %s", diag.Quote(u.Label))
		}
	}
	if a.Has("among") {
		var err error
		u.Among, err = selection.Parse(a.Get("among", ""))
		return u, err
	}
	return u, nil
}

func (u *Unpivot) byHand(a *step.Args) error {
	if err := a.Excludes("row", "among"); err != nil {
		return err
	}
	var err error
	if u.Values, err = selection.List(a.Get("value", "value")); err != nil {
		return err
	}
	for _, text := range a.All("row") {
		label, rest, ok := strings.Cut(text, "=")
		label = strings.TrimSpace(label)
		if !ok || label == "" {
			return diag.Usagef("--row %s: it is written LABEL = FIELD, FIELD", diag.Quote(text)).Trying("--row 'spring = Q1, Q2'")
		}
		p := pair{label: label}
		for _, piece := range selection.Cut(rest, ',') {
			if strings.TrimSpace(piece) == "" {
				p.items = append(p.items, nil)
				continue
			}
			it, err := selection.ParseItem(piece)
			if err != nil {
				return err
			}
			p.items = append(p.items, &it)
		}
		if len(p.items) != len(u.Values) {
			return diag.Usagef("--row %s names %s, --value %s", diag.Quote(text), diag.Plural(int64(len(p.items)), "field"), diag.Plural(int64(len(u.Values)), "name")).
				Trying("give --value a name for each field of a --row: --value early,late")
		}
		u.Rows = append(u.Rows, p)
	}
	return nil
}

// unpivoting is an unpivot bound to the fields of a table.
type unpivoting struct {
	kept   []int
	labels []string // names of the label fields
	values []string // names of the value fields
	groups []group
	notes  []string
	folded []int // fields that are not kept

	headers int // of all groups
	doubles int // fields that give the labels of another
}

// group is the fields that become one row: one for each value field, -1 where there is none.
type group struct {
	labels []string
	fields []int

	headers int // that there are for it
}

// Capabilities implements step.Step.
func (u *Unpivot) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: u.Bind}
}

// Bind binds it to the fields of its input.
func (u *Unpivot) Bind(in *table.Schema) (*step.Bound, error) {
	f, err := u.bind(in)
	if err != nil {
		return nil, err
	}
	var all []int
	for _, g := range f.groups {
		for _, i := range g.fields {
			if i >= 0 {
				all = append(all, i)
			}
		}
	}
	f.kept = step.Except(in.Len(), all)
	f.folded = step.Except(in.Len(), f.kept)
	names := append(append(step.NamesOf(in, f.kept), f.labels...), f.values...)
	schema, err := step.Unique(names, "name the label or value fields otherwise (--label, --value, the places of the pattern)")
	if err != nil {
		return nil, err
	}
	f.lookalike(in, all)
	if len(f.kept) == 0 {
		f.notes = append(f.notes, "all fields are folded: nothing is left to name a row")
	}
	// Rows are made at most so many at a time, whatever a batch holds.
	const most = 16 << 10
	each := len(f.groups)
	for g := range f.groups {
		for _, i := range f.groups[g].fields {
			if i >= 0 {
				f.groups[g].headers++
				f.headers++
			}
		}
	}
	per := max(1, most/each)
	codes, ends := make([]int32, per*each), make([]int32, per)
	for i := range codes {
		codes[i] = int32(i % each)
	}
	for i := range ends {
		ends[i] = int32((i + 1) * each)
	}
	var byPlace []bool
	if !u.SkipBlank {
		byPlace = f.byPlace(in.Len())
	}
	return &step.Bound{Schema: schema, Notes: f.notes, RetainsNothing: true, ByPlace: byPlace, Summary: f.tell(u.SkipBlank), New: func(s *step.Context) step.MapFunc {
		w := &unpivoter{f: f, s: s, in: in, per: per, codes: codes, ends: ends, skip: u.SkipBlank, dst: table.Get()}
		w.turns = make([][]int32, len(f.values))
		for _, g := range f.groups {
			for v, i := range g.fields {
				w.turns[v] = append(w.turns[v], int32(i))
			}
		}
		for _, i := range f.folded {
			w.folded = append(w.folded, int32(i))
		}
		w.labels = make([][]string, len(f.labels))
		for i := range f.labels {
			for _, g := range f.groups {
				w.labels[i] = append(w.labels[i], g.labels[i])
			}
		}
		return w.run
	}}, nil
}

// bind finds what is folded.
func (u *Unpivot) bind(in *table.Schema) (*unpivoting, error) {
	if u.Rows != nil {
		return u.foldByHand(in)
	}
	_, exact := in.Index(u.Operand)
	if u.pat != nil && !exact {
		return u.foldPattern(in)
	}
	if u.selErr != nil {
		return nil, u.selErr
	}
	fields, err := u.sel.Resolve(in)
	if err != nil {
		return nil, err
	}
	if len(fields) == 0 {
		return nil, diag.Usagef("the selection picks no fields to fold")
	}
	f := &unpivoting{labels: []string{u.Label}, values: u.Values}
	for _, i := range fields {
		f.groups = append(f.groups, group{labels: []string{in.Name(i)}, fields: []int{i}})
	}
	return f, nil
}

func (u *Unpivot) foldByHand(in *table.Schema) (*unpivoting, error) {
	f := &unpivoting{labels: []string{u.Label}, values: u.Values}
	taken := map[int]bool{}
	for _, p := range u.Rows {
		g := group{labels: []string{p.label}}
		for _, it := range p.items {
			if it == nil {
				g.fields = append(g.fields, -1)
				continue
			}
			i, err := it.One(in)
			if err != nil {
				return nil, err
			}
			if taken[i] {
				return nil, diag.Usagef("--row names the field %s twice", diag.Quote(in.Name(i)))
			}
			taken[i] = true
			g.fields = append(g.fields, i)
		}
		f.groups = append(f.groups, g)
	}
	f.missing()
	f.moreTwice()
	return f, nil
}

func (u *Unpivot) foldPattern(in *table.Schema) (*unpivoting, error) {
	if u.pat.Everything() && u.Among == nil {
		return nil, diag.Usagef("the pattern %s fits every field: say among which it shall look", u.pat).Trying("unpivot '" + u.pat.String() + "' --among 'FIRST..LAST'")
	}
	look := make([]int, in.Len())
	for i := range look {
		look[i] = i
	}
	if u.Among != nil {
		var err error
		if look, err = u.Among.Resolve(in); err != nil {
			return nil, err
		}
		slices.Sort(look)
	}
	f := &unpivoting{}
	names := u.pat.Names()
	measured := u.pat.Has(pattern.Measure)
	for _, n := range u.pat.Places() {
		if n != pattern.Measure {
			f.labels = append(f.labels, n)
		}
	}
	if !measured {
		f.values = u.Values
	}
	m, parts := u.pat.Matcher(), make([]string, len(names))
	byLabels, valueOf := map[string]int{}, map[string]int{}
	var hits []hit
	for _, i := range look {
		if !m.Match(in.Name(i), parts) {
			continue
		}
		h := hit{field: i, header: in.Name(i)}
		for k, n := range names {
			switch n {
			case pattern.Measure:
				h.measure = strings.Clone(parts[k])
			case pattern.Dropped:
			default:
				h.labels = append(h.labels, strings.Clone(parts[k]))
			}
		}
		hits = append(hits, h)
		key := strings.Join(h.labels, "\x00")
		if !measured {
			if g, ok := byLabels[key]; ok {
				f.twice(in.Name(f.groups[g].fields[0]), h.header)
			} else {
				byLabels[key] = len(f.groups)
			}
			f.groups = append(f.groups, group{labels: h.labels, fields: []int{i}})
			continue
		}
		v, known := valueOf[h.measure]
		if !known {
			v = len(f.values)
			valueOf[h.measure] = v
			f.values = append(f.values, h.measure)
		}
		g, ok := byLabels[key]
		if ok && len(f.groups[g].fields) > v && f.groups[g].fields[v] >= 0 {
			f.twice(in.Name(f.groups[g].fields[v]), h.header)
			ok = false // they become rows of their own
		}
		if !ok {
			g = len(f.groups)
			byLabels[key] = g
			f.groups = append(f.groups, group{labels: h.labels})
		}
		for len(f.groups[g].fields) <= v {
			f.groups[g].fields = append(f.groups[g].fields, -1)
		}
		f.groups[g].fields[v] = i
	}
	if len(hits) == 0 {
		if u.Among != nil {
			in = table.NewSchema(step.NamesOf(in, look))
		}
		return nil, selection.NoFit(u.Operand, in)
	}
	for _, w := range u.pat.Words(pattern.Measure) {
		if _, ok := valueOf[w]; !ok {
			return nil, noMeasure(u.pat, w, step.NamesOf(in, look))
		}
	}
	if measured && u.pat.Free(pattern.Measure) && u.Among == nil {
		if err := stranger(u.pat, hits, f.values); err != nil {
			return nil, err
		}
	}
	for g := range f.groups {
		for len(f.groups[g].fields) < len(f.values) {
			f.groups[g].fields = append(f.groups[g].fields, -1)
		}
	}
	f.missing()
	f.moreTwice()
	return f, nil
}

// noMeasure is the error of a word of {@:…} that no header has: it lists what stands there in the headers.
func noMeasure(pat *pattern.Pattern, word string, headers []string) error {
	e := diag.Dataf("no header has the measure %s", diag.Quote(word))
	words := pat.Words(pattern.Measure)
	place := "{@:" + strings.Join(words, "|") + "}"
	free, err := pattern.Parse(strings.Replace(pat.String(), place, "{@}", 1))
	if err != nil {
		return e
	}
	var there []string
	seen := map[string]bool{}
	m, parts, at := free.Matcher(), make([]string, len(free.Names())), slices.Index(free.Names(), pattern.Measure)
	for _, h := range headers {
		if at >= 0 && m.Match(h, parts) && !seen[parts[at]] {
			seen[parts[at]] = true
			there = append(there, strings.Clone(parts[at]))
		}
	}
	e.Text += "; the headers have " + diag.Names(there)
	if near := diag.Nearest(word, there); near != "" && !slices.Contains(words, near) {
		better := slices.Clone(words)
		better[slices.Index(better, word)] = near
		e.Trying("unpivot '" + strings.Replace(pat.String(), place, "{@:"+strings.Join(better, "|")+"}", 1) + "'")
	}
	return e
}

// mostDoubles is how many pairs of fields with the same labels are named.
const mostDoubles = 3

// twice notes two fields that give the same labels and measure; each makes rows of its own.
func (f *unpivoting) twice(first, second string) {
	if f.doubles++; f.doubles <= mostDoubles {
		f.notes = append(f.notes, fmt.Sprintf("%s and %s give the same labels: each makes a row", diag.Quote(first), diag.Quote(second)))
	}
}

// moreTwice counts such fields beyond those that are named.
func (f *unpivoting) moreTwice() {
	if more := f.doubles - mostDoubles; more > 0 {
		f.notes = append(f.notes, fmt.Sprintf("%s more give the labels of another", diag.Plural(int64(more), "field")))
	}
}

// hit is a header that fits the pattern.
type hit struct {
	field   int
	header  string
	labels  []string
	measure string
}

// stranger finds a header that shares neither its measure nor its labels with any other.
func stranger(pat *pattern.Pattern, hits []hit, measures []string) error {
	byMeasure, byLabels := map[string]int{}, map[string]int{}
	for _, h := range hits {
		byMeasure[h.measure]++
		byLabels[strings.Join(h.labels, "\x00")]++
	}
	for _, h := range hits {
		if byMeasure[h.measure] > 1 || byLabels[strings.Join(h.labels, "\x00")] > 1 && len(h.labels) > 0 {
			continue
		}
		var shared, fit []string
		for _, m := range measures {
			if m != h.measure {
				shared = append(shared, m)
			}
		}
		for _, o := range hits {
			if o.field != h.field {
				fit = append(fit, o.header)
			}
		}
		e := diag.Dataf("%s fits %s, but no other header shares its measure %s or its labels: it seems to be no part of the family", diag.Quote(h.header), pat, diag.Quote(h.measure))
		if len(shared) > 0 && !strings.ContainsAny(strings.Join(shared, ""), "{}|") {
			e.Trying(strings.Replace(pat.String(), "{@}", "{@:"+strings.Join(shared, "|")+"}", 1))
		} else {
			e.Trying("name the measures: {@:a|b}")
		}
		if len(fit) > 0 && len(fit) <= 4 {
			return e.Trying("--among '" + strings.Join(fit, ",") + "'")
		}
		return e.Trying("--among '!" + h.header + "'")
	}
	return nil
}

// missing notes the combinations that lack a field for one of the values.
func (f *unpivoting) missing() {
	var lacking []string
	for _, g := range f.groups {
		for v, i := range g.fields {
			if i < 0 {
				lacking = append(lacking, strings.Join(append(slices.Clone(g.labels), f.values[v]), " "))
			}
		}
	}
	if len(lacking) > 0 {
		f.notes = append(f.notes, fmt.Sprintf("no header for %s: blank there", diag.Names(lacking)))
	}
}

// lookalike notes a kept field whose name looks like the folded ones: it has their shape, or differs by case, spaces, a
// sign, a word or a number more.
func (f *unpivoting) lookalike(in *table.Schema, folded []int) {
	shapes, forms := map[string]bool{}, map[string]bool{}
	for _, i := range folded {
		if s := shape(in.Name(i)); s != in.Name(i) {
			shapes[s] = true
		}
		if form, numbers := formOf(in.Name(i)); numbers > 0 {
			forms[form] = true
		}
	}
	near := func(name string) bool {
		if s := shape(name); s != name && shapes[s] {
			return true
		}
		form, _ := formOf(name)
		if forms[form] {
			return true
		}
		words := strings.Fields(form)
		for k := 1; k < len(words); k++ { // without its first word, or its last
			if forms[strings.Join(words[:k], " ")] && k == len(words)-1 || k == 1 && len(words) > 2 && forms[strings.Join(words[1:], " ")] {
				return true
			}
		}
		return false
	}
	var alike []string
	for _, i := range f.kept {
		if near(in.Name(i)) {
			alike = append(alike, in.Name(i))
		}
	}
	if len(alike) > 0 {
		f.notes = append(f.notes, fmt.Sprintf("kept, though named like the folded fields: %s", diag.Names(alike)))
	}
}

var months = []string{"january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december"}

// shape is a name with its numbers and months masked, so that names of one family become equal.
func shape(name string) string {
	var b strings.Builder
	word := func(c byte) byte {
		switch {
		case '0' <= c && c <= '9':
			return '0'
		case 'a' <= c|0x20 && c|0x20 <= 'z' || c >= 0x80:
			return 'a'
		}
		return 0
	}
	for i := 0; i < len(name); {
		j := i + 1
		for k := word(name[i]); k != 0 && j < len(name) && word(name[j]) == k; j++ {
		}
		w := name[i:j]
		switch {
		case word(w[0]) == '0':
			w = "\x00"
		case len(w) >= 3 && slices.ContainsFunc(months, func(m string) bool {
			l := strings.ToLower(w)
			return m == l || m[:3] == l || l == "sept"
		}):
			w = "\x01"
		}
		b.WriteString(w)
		i = j
	}
	return b.String()
}

// formOf is a name's words in lower case and its numbers as #, with a blank between them and no signs, and how many numbers there are.
func formOf(name string) (form string, numbers int) {
	var words []string
	last := rune(0) // of what kind the character before was: a letter, a digit, or something between
	for _, r := range strings.ToLower(name) {
		kind := ' '
		switch {
		case unicode.IsDigit(r):
			kind = '#'
		case unicode.IsLetter(r):
			kind = 'a'
		}
		switch {
		case kind == '#' && last != '#':
			words, numbers = append(words, "#"), numbers+1
		case kind == 'a' && last == 'a':
			words[len(words)-1] += string(r)
		case kind == 'a':
			words = append(words, string(r))
		}
		last = kind
	}
	return strings.Join(words, " "), numbers
}
