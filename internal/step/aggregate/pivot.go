package aggregate

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/calc"
	"revuelta/internal/calendar"
	"revuelta/internal/diag"
	"revuelta/internal/pattern"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
)

var PivotSpec = &step.Spec{
	Name: "pivot",
	Brief: []string{
		"Spreads long rows into wide fields, with exact calculations.",
		"--down stays down the side, --across runs across the top, --cell fills the middle.",
	},
	Forms:    []string{"pivot --across SELECTION --cell CALCULATION..."},
	Operands: func(*step.Args) int { return 0 },
	Options: []step.Option{
		{Name: "down", Value: "SELECTION", Help: "what names the rows (default: all fields not used elsewhere; '' is one row); also year(date) as y, month(date), …"},
		{Name: "across", Value: "SELECTION", Help: "whose values become fields; also year(date), month(date), …"},
		{Name: "cell", Value: "CALCULATION", Repeat: true, Help: "what fills a cell: sum(kilos), count(), mean(price) as price; kilos alone means exactly one value"},
		{Name: "name", Value: "PATTERN", Help: "how the fields are named, as '{month} {@}'; the place that stands first varies slowest, but under --order seen"},
		{Name: "empty", Value: "VALUE", Help: "what stands where no row fell"},
		{Name: "expect", Value: "'a,b,c'", Help: "which fields come out and in which order, absent ones too; others are an error"},
		{Name: "others", Value: "error|drop|fold", Help: "what becomes of values that --expect does not name"},
		{Name: "order", Value: "seen|text|number|natural|calendar", Help: "of the fields across; seen: as their combinations were first met (default); calendar: months, weekdays, quarters and halves as the year and the week go; blank ones last in all but seen"},
		{Name: "language", Value: "CODE", Help: "in which months and weekdays are named, for --order calendar, as fr or de (default: en)"},
		{Name: "totals", Value: "row|field|both", Help: "a row beneath, a field at the right, by the same calculation from the rows"},
		{Name: "totals-name", Value: "NAME", Help: "what they are named (default: Total)"},
		{Name: "decimals", Value: "N", Help: "round what was calculated, half to even, and write so many decimals (106.70)"},
		{Name: "most-fields", Value: "N", Help: "refuse to make more fields across than that (default: 1000)"},
	},
	Make:   makePivot,
	Memory: "one entry for each cell of the outcome; median, pNN, distinct, mode and join hold their cells; beyond --memory rows go to temporary files",
	Examples: []step.Example{{
		Command: "revuelta pivot --down apiary --across month --cell 'sum(kilos)' --totals both tidy.csv",
		Input:   "apiary,month,kilos\nVesk,May,1.10\nVesk,May,0.20\nTamro,May,4\nTamro,June,2.5\n",
		Output:  "apiary,May,June,Total\nVesk,1.30,,1.30\nTamro,4,2.5,6.5\nTotal,5.30,2.5,7.80\n",
	}, {
		Command: "revuelta pivot --down apiary --across month --cell kilos --order calendar tidy.csv",
		Input:   "apiary,month,kilos\nVesk,Dec,3\nVesk,Jan.,1\nTamro,may,4\n",
		Output:  "apiary,Jan.,may,Dec\nVesk,1,,3\nTamro,,4,\n",
	}, {
		Command: "revuelta pivot --across question --cell answer forms.csv",
		Input:   "member,question,answer\nR-1,hives,12\nR-1,mites,007\nR-2,hives,3\n",
		Output:  "member,hives,mites\nR-1,12,007\nR-2,3,\n",
	}},
}

// Pivot spreads long rows into wide fields.
type Pivot struct {
	Down, Across *keying.KeySpec // Down nil: all fields not used elsewhere
	Cells        []*calc.Calculation
	Name         *pattern.Pattern
	Empty        string
	Expect       []string
	places       map[string]int // of those
	Others       string
	Order        string
	names        *calendar.Names // of months and weekdays
	TotalRow     bool
	TotalField   bool
	TotalsName   string
	Decimals     int
	MostFields   int
}

func makePivot(a *step.Args) (step.Step, error) {
	p := &Pivot{Empty: a.Get("empty", ""), TotalsName: a.Get("totals-name", "Total"), Others: "error", Order: "seen"}
	if !a.Has("across") || !a.Has("cell") {
		return nil, diag.Usagef("pivot lacks --across or --cell").Trying("pivot --across month --cell 'sum(kilos)'", "group --by … --calc … where nothing runs across")
	}
	var err error
	if a.Has("down") {
		if p.Down, err = keying.ParseKeys(a.Get("down", "")); err != nil {
			return nil, err
		}
	}
	if p.Across, err = keying.ParseKeys(a.Get("across", "")); err != nil {
		return nil, err
	}
	if len(p.Across.Items) == 0 {
		return nil, diag.Usagef("--across is empty").Trying("group --by … --calc …")
	}
	if p.Cells, err = parseCalculations(a.All("cell")); err != nil {
		return nil, err
	}
	if a.Has("name") {
		if p.Name, err = pattern.Parse(a.Get("name", "")); err != nil {
			return nil, diag.Usagef("the pattern --name %s can't be read: %v", a.Get("name", ""), err)
		}
		if p.Name.Has(pattern.Dropped) {
			return nil, diag.Usagef("--name %s: %v", p.Name, pattern.ErrDropped)
		}
	}
	if a.Has("expect") {
		if p.Expect, err = selection.List(a.Get("expect", "")); err != nil {
			return nil, err
		}
		p.places = make(map[string]int, len(p.Expect))
		for i, e := range p.Expect {
			if _, twice := p.places[e]; twice {
				return nil, diag.Usagef("--expect names %s twice", diag.Quote(e))
			}
			p.places[e] = i
		}
	}
	if a.Has("others") {
		if p.Expect == nil {
			return nil, diag.Usagef("--others goes with --expect")
		}
		if p.Others, err = a.OneOf("others", "error", "drop", "fold"); err != nil {
			return nil, err
		}
	}
	if a.Has("order") {
		if p.Order, err = a.OneOf("order", "seen", "text", "number", "natural", "calendar"); err != nil {
			return nil, err
		}
		if p.Expect != nil {
			return nil, diag.Usagef("--order and --expect do not go together: --expect gives the order")
		}
	}
	p.names = calendar.English()
	if a.Has("language") {
		if p.Order != "calendar" {
			return nil, diag.Usagef("--language goes with --order calendar: it says in which language the months are named")
		}
		if p.names, err = calendar.NamesIn(a.Get("language", "")); err != nil {
			return nil, err
		}
	}
	if a.Has("totals") {
		which, err := a.OneOf("totals", "row", "field", "both")
		if err != nil {
			return nil, err
		}
		p.TotalRow, p.TotalField = which != "field", which != "row"
		for _, c := range p.Cells {
			if c.Func == "" {
				return nil, diag.Usagef("--totals: %s has no function to calculate totals by", c.Source).Trying("sum(" + c.Source + ")")
			}
		}
	} else if a.Has("totals-name") {
		return nil, diag.Usagef("--totals-name goes with --totals")
	}
	if p.Decimals, err = decimalsOf(a); err != nil {
		return nil, err
	}
	p.MostFields, err = strconv.Atoi(a.Get("most-fields", "1000"))
	if err != nil || p.MostFields < 1 {
		return nil, diag.Usagef("--most-fields %s: it is a number from 1 up", diag.Quote(a.Get("most-fields", "")))
	}
	return p, nil
}

func parseCalculations(sources []string) ([]*calc.Calculation, error) {
	var out []*calc.Calculation
	for _, s := range sources {
		c, err := calc.Parse(s)
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}

// decimalsOf is --decimals, -1 where it was not given.
func decimalsOf(a *step.Args) (int, error) {
	if !a.Has("decimals") {
		return -1, nil
	}
	n, err := strconv.Atoi(a.Get("decimals", ""))
	if err != nil || n < 0 || n > 300 {
		return 0, diag.Usagef("--decimals %s: it is a number from 0 up", diag.Quote(a.Get("decimals", "")))
	}
	return n, nil
}

// Capabilities implements step.Step.
func (p *Pivot) Capabilities() step.Capabilities {
	return step.Capabilities{Reduce: p.Reduce, Run: p.Run, OpenFields: p.OpenFields()}
}

// OpenFields tells that its fields may be known only when all rows are in.
func (p *Pivot) OpenFields() bool { return p.Expect == nil || p.Others == "fold" }

// Run runs it on one goroutine.
func (p *Pivot) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	return step.Reduced(ctx, p.Reduce, in, out, s)
}

// expanded is the pivot with a calculation for each field in the place of one of all.
func (p *Pivot) expanded(in *table.Schema, across []int) (*Pivot, error) {
	if all := slices.IndexFunc(p.Cells, func(c *calc.Calculation) bool { return c.All }); all < 0 {
		return p, nil
	} else if p.Down == nil {
		return nil, diag.Usagef("%s takes the fields that nothing else looks at, and so does --down unless it is given", p.Cells[all].Source).Trying("--down hive")
	}
	down, err := p.Down.Bind(in)
	if err != nil {
		return nil, err
	}
	whole := *p
	whole.Cells, err = calc.Expand(p.Cells, in, append(keying.Uses(in, down), across...))
	return &whole, err
}

// pivoting is a pivot bound to the fields of a table.
type pivoting struct {
	p       *Pivot
	f       *aggregator
	guessed bool // --down was left to default
	names   []string
}

// Reduce binds it to the fields of its input.
func (p *Pivot) Reduce(in *table.Schema) (step.Reduction, error) {
	across, err := p.Across.Bind(in)
	if err != nil {
		return nil, err
	}
	used := keying.Uses(in, across)
	if p, err = p.expanded(in, used); err != nil {
		return nil, err
	}
	f := &aggregator{in: in, calcs: p.Cells, decimals: p.Decimals, across: across}
	for _, c := range p.Cells {
		if _, err := c.New(in, -1); err != nil {
			return nil, err
		}
		for _, n := range c.Fields() {
			if i, ok := in.Index(n); ok {
				used = append(used, i)
			}
		}
		if c.Func == "" && c.Single {
			i, _ := in.Index(c.Formula.Fields()[0])
			f.balance = append(f.balance, i)
		}
	}
	if p.Others == "drop" || len(f.balance) < len(p.Cells) {
		f.balance = nil
	}
	if p.Down == nil {
		for _, i := range step.Except(in.Len(), used) {
			f.down = append(f.down, keying.Key{Name: in.Name(i), Column: i})
		}
	} else if f.down, err = p.Down.Bind(in); err != nil {
		return nil, err
	}
	for _, d := range f.down {
		for _, a := range f.across {
			if d.Column >= 0 && d.Column == a.Column {
				return nil, diag.Usagef("%s is both down and across", diag.Quote(d.Name))
			}
		}
	}
	if p.TotalRow && len(f.down) == 0 {
		return nil, diag.Usagef("a total row needs a field down the side to be named in").Trying("--totals field", "--down FIELD")
	}
	f.ready()
	r := &pivoting{p: p, f: f, guessed: p.Down == nil, names: calc.Measures(p.Cells)}
	if p.Name != nil {
		if err := r.checkName(); err != nil {
			return nil, err
		}
	}
	if p.Expect != nil {
		if p.Others != "error" {
			f.outside = func(values []string) bool { return r.expected(values) < 0 }
		}
		switch p.Others {
		case "drop":
			f.drops = func(values []string) bool { return r.expected(values) < 0 }
			f.unwanted = r.unwanted
		case "error":
			f.watch = func(values []string) (string, []string) {
				if r.expected(values) >= 0 {
					return "", nil
				}
				return "is not expected; expected are " + diag.Names(p.Expect), []string{"add it to --expect", "--others fold", "--others drop"}
			}
		}
	} else {
		f.most = max(1, p.MostFields/len(p.Cells))
		f.tooMany = r.tooMany
	}
	return r, nil
}

// checkName finds places of --name that stand for nothing.
func (r *pivoting) checkName() error {
	var can []string
	for _, k := range r.f.across {
		can = append(can, k.Name)
	}
	can = append(can, pattern.Measure)
	for _, n := range r.p.Name.Names() {
		if !slices.Contains(can, n) {
			return diag.Usagef("--name has the place {%s}; what runs across is %s", n, diag.Names(can)).Trying("the places are the fields across and {@}")
		}
	}
	return nil
}

// tooMany is the error of more fields than allowed.
func (r *pivoting) tooMany(across *keying.Interner) error {
	most, name := 0, ""
	for i, k := range r.f.across {
		seen := map[string]bool{}
		for _, v := range across.Values {
			seen[v[i]] = true
		}
		if len(seen) > most {
			most, name = len(seen), k.Name
		}
	}
	return diag.Dataf("this would make more than %s fields; %s alone has more than %s values", diag.Count(int64(r.p.MostFields)), diag.Quote(name), diag.Count(int64(most-1))).
		Trying("keep it down: --down "+name, fmt.Sprintf("--most-fields %d", r.p.MostFields*10))
}

// value is an across value as a header has it.
func (r *pivoting) value(i int, v string) string {
	if v == "" {
		return "no " + r.f.across[i].Name
	}
	return v
}

// label is the across values of a column, joined as headers are.
func (r *pivoting) label(values []string) string {
	parts := make([]string, len(values))
	for i, v := range values {
		parts[i] = r.value(i, v)
	}
	return strings.Join(parts, " / ")
}

// header names the field of a column and a calculation.
func (r *pivoting) header(values []string, k int) string {
	if r.p.Name == nil {
		h := strings.Join(values, " / ")
		if len(r.p.Cells) > 1 {
			h += " / " + r.names[k]
		}
		return h
	}
	parts := make([]string, len(r.p.Name.Names()))
	for i, n := range r.p.Name.Names() {
		if n == pattern.Measure {
			parts[i] = r.names[k]
			continue
		}
		for j, a := range r.f.across {
			if a.Name == n {
				parts[i] = values[j]
			}
		}
	}
	return string(r.p.Name.Append(nil, parts))
}

// shown are the across values as headers have them.
func (r *pivoting) shown(values []string) []string {
	out := make([]string, len(values))
	for i, v := range values {
		out[i] = r.value(i, v)
	}
	return out
}

// expected is the place of a column in --expect, -1 where it is not there.
func (r *pivoting) expected(values []string) int {
	if i, ok := r.p.places[r.label(values)]; ok {
		return i
	}
	if len(values) == 1 {
		if i, ok := r.p.places[values[0]]; ok {
			return i
		}
		return -1
	}
	if r.p.Name != nil {
		for k := range r.p.Cells {
			if i, ok := r.p.places[r.header(r.shown(values), k)]; ok {
				return i
			}
		}
	}
	return -1
}

// noneExpected is the error of a table in which none of the expected values occurs, where the others are dropped: all would be.
func (r *pivoting) noneExpected(all *partial) error {
	if r.f.drops == nil || len(all.across.Values) == 0 || slices.ContainsFunc(all.across.Values, func(v []string) bool { return r.expected(v) >= 0 }) {
		return nil
	}
	var names []string
	for _, id := range all.across.InOrder() {
		names = append(names, r.label(all.across.Values[id]))
	}
	e := diag.Dataf("none of the expected values occurs, and --others drop would leave out every row; the values of %s are %s", strings.Join(namesOfKeys(r.f.across), ", "), diag.Names(names))
	if near := diag.Nearest(r.p.Expect[0], names); near != "" {
		e.Trying(fmt.Sprintf("did you mean %s?", diag.Quote(near)))
	}
	return e.Trying("--others fold")
}

// unwanted is why rows of across values that nobody expects are left out.
func (r *pivoting) unwanted(values []string) step.Cause {
	c := step.Cause{Field: step.NoField, Reason: diag.Quote(r.label(values)) + " is not expected"}
	if len(values) == 1 && r.f.across[0].Column >= 0 {
		c.Field = r.f.across[0].Column
	}
	return c
}

// NewPartial implements Reduction.
func (r *pivoting) NewPartial(s *step.Context) step.Partial { return r.f.newPartial(s) }

// column is a field across: where its cells come from and how it is headed.
type column struct {
	id     int32   // of the across key, -1: none of the rows
	folded []int32 // several keys, where others are folded
	values []string
	total  bool
}

// ByPlace implements Reduction.
func (r *pivoting) ByPlace() []bool { return r.f.byPlace() }

// Finish implements Reduction.
func (r *pivoting) Finish(ctx context.Context, parts []step.Partial, out step.Out, s *step.Context) error {
	all, err := mergePartials(parts, s)
	if err != nil {
		return err
	}
	if err := r.noneExpected(all); err != nil {
		return err
	}
	columns := r.columns(all, s)
	w := &layout{part: all, columns: columns, keys: len(r.f.down), empty: r.p.Empty}
	if r.p.TotalField {
		c := column{id: -1, total: true, values: []string{r.p.TotalsName}}
		for len(c.values) < len(r.f.across) && r.p.Name != nil {
			c.values = append(c.values, r.p.TotalsName)
		}
		w.columns = append(w.columns, c)
	}
	w.byMeasure = r.p.Name != nil && r.p.Name.Names()[0] == pattern.Measure
	schema, err := step.Unique(r.fields(w), "--name")
	if err != nil {
		return err
	}
	if err := out.Start(schema); err != nil {
		return err
	}
	if err := w.write(ctx, schema.Len(), totals{r.p.TotalField, r.p.TotalRow}, r.balanced(), s, out); err != nil {
		return err
	}
	if r.f.drops != nil {
		// A row that was left out was not merged, also where its key had one before; a key with no other row was made for it.
		s.Counters.Merged += int64(w.bare) - s.Counters.LeftOut
		s.Counters.Made += int64(w.bare)
	}
	s.Summary.Text = r.tell(all, len(columns)*len(r.p.Cells))
	if cells := int64(w.rows) * int64(len(columns)); r.p.Expect == nil && len(all.spilled) == 0 && cells > int64(all.slots) {
		s.Summary.Text += fmt.Sprintf("; %s of %s had no row", diag.Count(cells-int64(all.slots)), diag.Plural(cells, "cell"))
	}
	if len(all.across.Values) <= mostTold {
		for _, id := range all.across.InOrder() {
			s.Summary.Across = append(s.Summary.Across, r.label(all.across.Values[id]))
		}
	}
	if r.guessed && w.rows > 1 && s.Counters.Merged == 0 && len(all.spilled) == 0 {
		r.apart(all, s)
	}
	if r.p.TotalRow && w.rows > 0 {
		s.Counters.Made++
		return w.totalRow(r.p.TotalsName, out)
	}
	return nil
}

// fields names the fields that come out.
func (r *pivoting) fields(w *layout) []string {
	var names []string
	for _, k := range r.f.down {
		names = append(names, k.Name)
	}
	if w.byMeasure {
		for k := range r.p.Cells {
			for _, c := range w.columns {
				names = append(names, r.header(c.values, k))
			}
		}
		return names
	}
	for _, c := range w.columns {
		for k := range r.p.Cells {
			names = append(names, r.header(c.values, k))
		}
	}
	return names
}

// mostTold is how many values across are kept for the account.
const mostTold = 10_000

// balanced tells whether the cells that come out are those that went in.
func (r *pivoting) balanced() bool { return len(r.f.balance) > 0 }

func (r *pivoting) tell(all *partial, fields int) string {
	t := fmt.Sprintf("%s across: %s", diag.Plural(int64(fields), "field"), plural(len(all.across.Values), strings.Join(namesOfKeys(r.f.across), ", ")))
	if n := all.s.Counters.Merged; n > 0 {
		t += fmt.Sprintf("; %s merged into rows above", diag.Plural(n, "row"))
	}
	if n := all.s.Counters.LeftOut; n > 0 {
		t += fmt.Sprintf("; %s left out", diag.Plural(n, "row"))
	}
	return t
}

func namesOfKeys(keys []keying.Key) []string {
	var out []string
	for _, k := range keys {
		out = append(out, k.Name)
	}
	return out
}

func plural(n int, name string) string {
	if strings.Contains(name, ",") || strings.Contains(name, " ") {
		return fmt.Sprintf("%s of %s", diag.Plural(int64(n), "value"), name)
	}
	return diag.Plural(int64(n), name)
}
