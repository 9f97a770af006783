// Package joining has the steps that take in another table: join and append. The other table of a join is read whole before the first row
// comes, and is dealt to files together with the rows where memory has no room for it.
package joining

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/table"
	"revuelta/internal/view"
)

var JoinSpec = &step.Spec{
	Name: "join",
	File: true,
	Brief: []string{
		"Brings fields from another table, by keys that are equal byte for byte, or by ranges.",
		"No row is doubled or lost unseen: a key with several partners stops it, unless --partners is given.",
	},
	Forms: []string{"join FILE --on a,b=c", "join FILE --when FORMULA"},
	Options: []step.Option{
		{Name: "on", Value: "KEYS", Help: "fields that must be equal: a,b=c is a here and there, and b here with c there"},
		{Name: "when", Value: "FORMULA", Help: "what must hold of a row and its partner, as 'date >= from and date < to'"},
		{Name: "bring", Value: "SELECTION", Help: "which fields of the other table (default: all but its keys)"},
		{Name: "alone", Value: "keep|drop|error", Help: "what becomes of rows without a partner (default: keep)"},
		{Name: "partners", Value: "error|each|first", Help: "what becomes of rows with several (default: error); each makes a row for each"},
	},
	Make:   makeJoin,
	Memory: "the other table; beyond --memory, where there are keys, the rows of both go to temporary files",
	Examples: []step.Example{{
		Command: "revuelta join apiaries.csv --on site=code visits.csv",
		Input:   "visit,site,kilos\n1,026,1.10\n2,T-1,4\n",
		Others:  map[string]string{"apiaries.csv": "code,region\n026,north\n26,south\n"},
		Output:  "visit,site,kilos,region\n1,026,1.10,north\n2,T-1,4,\n",
	}, {
		Command: "revuelta join seasons.csv --when 'date >= from and date < to' --bring season visits.csv",
		Input:   "hive,date\n026,2024-05-02\n007,2024-07-01\n",
		Others:  map[string]string{"seasons.csv": "season,from,to\nspring,2024-03-01,2024-06-01\nsummer,2024-06-01,2024-09-01\n"},
		Output:  "hive,date,season\n026,2024-05-02,spring\n007,2024-07-01,summer\n",
	}},
}

// Join brings fields from another table.
type Join struct {
	Path     string
	On       [][2]string // a name here, and there
	When     *formula.Formula
	Bring    *selection.Selection
	Alone    string // keep, drop, error
	Partners string // error, each, first
}

func makeJoin(a *step.Args) (step.Step, error) {
	j := &Join{Path: a.Within(a.Operands[0])}
	var err error
	if j.Alone, err = a.OneOf("alone", "keep", "drop", "error"); err != nil {
		return nil, err
	}
	if j.Partners, err = a.OneOf("partners", "error", "each", "first"); err != nil {
		return nil, err
	}
	if j.Bring, err = step.OptionalSelection(a, "bring"); err != nil {
		return nil, err
	}
	if a.Has("when") {
		if j.When, err = step.Condition(a, "when"); err != nil {
			return nil, err
		}
	}
	if !a.Has("on") {
		if j.When == nil {
			return nil, diag.Usagef("join lacks --on, the keys, or --when").Trying("join apiaries.csv --on site=code")
		}
		return j, nil
	}
	for _, piece := range selection.Cut(a.Get("on", ""), ',') {
		sides := selection.Cut(piece, '=')
		if len(sides) > 2 {
			return nil, diag.Usagef("--on %s: a key is written a or a=b", diag.Quote(strings.TrimSpace(piece)))
		}
		var pair [2]string
		for i := range pair {
			name, _, err := selection.Unquote(sides[min(i, len(sides)-1)])
			if err != nil {
				return nil, err
			}
			if name == "" {
				return nil, diag.Usagef("--on %s: a key has no name", diag.Quote(a.Get("on", ""))).Trying("--on site=code,year")
			}
			pair[i] = name
		}
		j.On = append(j.On, pair)
	}
	return j, nil
}

// joined is a Join with its table loaded.
type joined struct {
	*Join
	name         string
	schema       *table.Schema
	columns      [][]string // of the other table
	absent       []table.Absent
	rows         int
	lines        []int32      // of its rows, as far as known
	keys         []int        // its key fields
	ids          keying.Names // of its keys
	first        []int32      // the first row of each key
	next         []int32      // the next row with the same key, -1
	only         []int32      // the row of each key that has one, -1
	joinedFields []int
	cells        joinedCells
	size         int64 // bytes of its cells, about
}

// Capabilities implements step.Step.
func (j *Join) Capabilities() step.Capabilities {
	return step.Capabilities{Run: j.Run, Prepare: j.Prepare, LooksAt: j.LooksAt()}
}

// Prepare it loads the other table.
func (j *Join) Prepare(s *step.Context) (step.Step, error) {
	other, err := s.OpenTable(j.Path, step.ToJoin)
	if err != nil {
		return nil, err
	}
	defer other.Close()
	t := &joined{Join: j, name: other.Name, schema: other.Schema, columns: make([][]string, other.Schema.Len())}
	for _, pair := range j.On {
		i, ok := other.Schema.Index(pair[1])
		if !ok {
			return nil, selection.Missing(pair[1], other.Schema).At(other.Name, 0)
		}
		t.keys = append(t.keys, i)
	}
	if j.Bring != nil {
		if t.joinedFields, err = j.Bring.Resolve(other.Schema); err != nil {
			return nil, err
		}
	} else {
		t.joinedFields = step.Except(other.Schema.Len(), t.keys)
	}
	var apart *joinedSpilled
	err = other.Run(context.Background(), step.Through{
		OnStart: func(*table.Schema) error { return nil },
		OnEmit: func(b *table.Batch) error {
			if apart != nil {
				return apart.spill(b)
			}
			t.add(b)
			if s.Resources.Memory > 0 && t.size > s.Resources.Memory/2 && len(t.On) > 0 {
				apart = newJoinedApart(t, s)
				return apart.spillHeld()
			}
			return nil
		},
	})
	switch {
	case apart != nil && err != nil:
		apart.there.Close()
		return nil, err
	case err != nil:
		return nil, err
	case apart != nil:
		return apart, nil
	}
	t.index()
	return t, nil
}

// add takes rows of the other table.
func (t *joined) add(b *table.Batch) {
	for i := range b.Cols {
		for r := range b.Rows {
			cell := strings.Clone(b.Cols[i].At(r))
			t.columns[i] = append(t.columns[i], cell)
			t.size += int64(len(cell)) + 24
		}
	}
	t.rows += b.Rows
	if t.Partners == "error" {
		for r := range b.Rows {
			t.lines = append(t.lines, int32(b.Origin.LineOf(r)))
		}
	}
}

// linesOf names the lines of some rows, "" where they are not known.
func (t *joined) linesOf(rows []int32) string {
	const most = 3
	var list []string
	for _, r := range rows {
		if int(r) >= len(t.lines) || t.lines[r] == 0 {
			return ""
		}
		list = append(list, diag.Count(int64(t.lines[r])))
	}
	if len(list) > most {
		return fmt.Sprintf(", %ss %s and %d more", diag.LineOf(t.name), strings.Join(list[:most], ", "), len(list)-most)
	}
	return ", " + diag.LineOf(t.name) + "s " + strings.Join(list[:len(list)-1], ", ") + " and " + list[len(list)-1]
}

// index numbers the keys. Rows with a blank among their keys have no partner.
func (t *joined) index() {
	for _, cells := range t.columns {
		t.absent = append(t.absent, table.AbsentFrom(cells))
	}
	t.next = make([]int32, t.rows)
	var last []int32
	var key []byte
	cells := make([]string, len(t.keys))
	for r := range t.rows {
		t.next[r] = -1
		blank := false
		for k, i := range t.keys {
			cells[k] = t.columns[i][r]
			blank = blank || cells[k] == ""
		}
		if blank {
			continue
		}
		key = joinKey(key[:0], cells)
		name := string(key)
		h := keying.HashOf(name)
		id := t.ids.Find(name, h)
		if id < 0 {
			t.ids.Add(name, h)
			t.first, last = append(t.first, int32(r)), append(last, int32(r))
			continue
		}
		t.next[last[id]], last[id] = int32(r), int32(r)
	}
	t.only = slices.Clone(t.first)
	for id, r := range t.only {
		if t.next[r] >= 0 {
			t.only[id] = -1
		}
	}
	t.cells.layOut(t.columns, t.joinedFields, t.rows)
	if t.When == nil {
		for _, i := range step.Except(len(t.columns), t.keys) {
			t.columns[i] = nil
		}
	}
}

// joinKey makes one text of key cells; of one it is the cell.
func joinKey(dst []byte, cells []string) []byte {
	if len(cells) == 1 {
		return append(dst, cells[0]...)
	}
	for _, c := range cells {
		dst = keying.AppendKey(dst, c)
	}
	return dst
}

// looseKey is a key without spaces, case and leading zeros.
func looseKey(cells []string) string {
	var out, plain []byte
	for _, c := range cells {
		plain = plain[:0]
		for i := range len(c) {
			b := c[i]
			switch {
			case b >= utf8.RuneSelf:
				plain = append(plain[:0], strings.ToLower(strings.Join(strings.Fields(c), ""))...)
			case 'A' <= b && b <= 'Z':
				plain = append(plain, b|0x20)
			case b != ' ' && (b < '\t' || b > '\r'):
				plain = append(plain, b)
			}
			if b >= utf8.RuneSelf {
				break
			}
		}
		if t := bytes.TrimLeft(plain, "0"); len(t) > 0 {
			plain = t
		}
		out = keying.AppendKey(out, view.String(plain))
	}
	return string(out)
}

// Run implements Step where nobody prepared it: in tests and where a step runs by itself.
func (j *Join) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	made, err := j.Prepare(&step.Context{Tables: step.Tables{}, Resources: step.Resources{Memory: s.Resources.Memory, Temp: s.Resources.Temp}})
	if err != nil {
		return err
	}
	if apart, ok := made.(*joinedSpilled); ok {
		return apart.Run(ctx, in, out, s)
	}
	m := made.(*joined)
	var fn step.MapFunc
	err = in(ctx, step.Through{
		OnStart: func(schema *table.Schema) error {
			b, err := m.Bind(schema)
			if err == nil {
				fn = b.New(s)
				err = out.Start(b.Schema)
			}
			return err
		},
		OnEmit: func(b *table.Batch) error { return fn(b, out.Emit) },
	})
	if err == nil {
		err = m.settle(&s.Counters)
	}
	return err
}

// Counters of the counters.
const (
	joinMatched = iota // rows with a partner
	joinAlone
	joinSeveral // rows with several
	joinTurned  // rows whose key has partners, which --when turned down
)

// mostAlone is how many different keys without a partner are remembered.
const mostAlone = 10_000

// Capabilities implements step.Step.
func (t *joined) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: t.Bind}
}

// Bind binds it to the fields of its input.
func (t *joined) Bind(in *table.Schema) (*step.Bound, error) {
	var here []int
	for _, pair := range t.On {
		i, ok := in.Index(pair[0])
		if !ok {
			return nil, selection.Missing(pair[0], in)
		}
		here = append(here, i)
	}
	names := slices.Clone(in.Names())
	for _, i := range t.joinedFields {
		names = append(names, t.schema.Name(i))
	}
	names, _, repeated := table.Names(names)
	var notes []string
	if len(repeated) > 0 {
		notes = append(notes, "names that were taken: "+diag.Names(repeated))
	}
	var when *formula.Program
	var both []int // the fields of a row and its partner: here, else there + in.Len()
	if t.When != nil {
		var pair []string
		for i, n := range in.Names() {
			if j, ok := t.schema.Index(n); ok && slices.Contains(t.When.Fields(), n) && !t.sameKey(n, i, here, j) {
				return nil, diag.Dataf("--when: both tables have a field %s", diag.Quote(n)).Trying("rename it here first: rename '" + n + "=other'")
			}
			pair, both = append(pair, n), append(both, i)
		}
		for j, n := range t.schema.Names() {
			if _, ok := in.Index(n); !ok {
				pair, both = append(pair, n), append(both, in.Len()+j)
			}
		}
		var err error
		if when, err = t.When.Bind(table.NewSchema(pair), -1); err != nil {
			return nil, err
		}
	}
	var found *ranges
	if when != nil {
		found = t.rangesOf(in)
	}
	schema := table.NewSchema(names)
	return &step.Bound{
		Schema:         schema,
		RetainsNothing: true,
		Notes:          notes,
		New: func(s *step.Context) step.MapFunc {
			s.Counters.Values = map[string]int64{}
			w := &joiner{t: t, in: in, s: s, here: here, both: both, dst: table.Get(), sub: table.Get(), pair: &table.Batch{},
				cells: make([][]string, len(here)), spare: make([][]string, len(here)), key: make([]string, len(here))}
			if when != nil {
				w.when, w.ranges = when.Eval(), found
			}
			return w.run
		},
		Summary: t.tell,
		Settle:  t.settle,
	}, nil
}

// sameKey tells that a name both tables have is the same key in both.
func (t *joined) sameKey(_ string, i int, here []int, j int) bool {
	k := slices.Index(here, i)
	return k >= 0 && t.keys[k] == j
}

func (t *joined) tell(c *step.Counters) string { return t.say(c, t.near(c)) }

func (t *joined) say(c *step.Counters, near string) string {
	said := fmt.Sprintf("%s of %s with a partner", diag.Count(c.Count[joinMatched]), diag.Plural(c.In, "row"))
	if n := c.Count[joinSeveral]; n > 0 {
		said += fmt.Sprintf("; %s with several, %s", diag.Count(n), map[string]string{"each": "a row for each", "first": "the first taken"}[t.Partners])
	}
	if n := c.Count[joinAlone]; n > 0 {
		said += fmt.Sprintf("; %s without", diag.Count(n))
		if k := c.Count[joinTurned]; k > 0 {
			said += fmt.Sprintf(" (%sturned down by --when)", map[bool]string{false: diag.Count(k) + " "}[k == n])
		}
		if t.Alone == "drop" {
			said += ", left out"
		}
		if len(c.First) > 0 {
			var list []string
			for _, q := range c.First {
				list = append(list, diag.Quote(q.Text))
			}
			said += ", as " + strings.Join(list, ", ")
		}
		if near != "" {
			said += "; " + near
		}
	}
	return said
}

// near says how many keys would match if they were compared less strictly.
func (t *joined) near(c *step.Counters) string {
	n, example := t.nearly(c)
	return sayNear(n, example, len(c.Values))
}

// nearly counts those keys, and gives the first of them by its text.
func (t *joined) nearly(c *step.Counters) (n int64, example string) {
	if len(c.Values) == 0 {
		return 0, ""
	}
	alone := map[string][]string{} // keys that are the same if compared less strictly
	for k := range c.Values {
		loose := k[strings.IndexByte(k, 0)+1:]
		alone[loose] = append(alone[loose], k)
	}
	cells := make([]string, len(t.keys))
	for _, r := range t.first {
		for k, i := range t.keys {
			cells[k] = t.columns[i][r]
		}
		loose := looseKey(cells)
		for _, k := range alone[loose] {
			n++
			if example == "" || k < example {
				example = k
			}
		}
		delete(alone, loose)
	}
	return n, example
}

func sayNear(n int64, example string, of int) string {
	if n == 0 {
		return ""
	}
	many := map[bool]string{true: "", false: "at least "}[of < mostAlone]
	return fmt.Sprintf("%s%s would match without spaces, case or leading zeros, as %s", many, diag.Plural(n, "key"), diag.Quote(example[:strings.IndexByte(example, 0)]))
}

// settle stops where no key matched at all.
func (t *joined) settle(c *step.Counters) error {
	return t.unmatched(c, func() string { return t.near(c) })
}

// ErrNoMatch is the cause of the error of a join in which no key has a match.
var ErrNoMatch = errors.New("no key matches")

func (t *joined) unmatched(c *step.Counters, nearly func() string) error {
	if c.In == 0 || c.Count[joinMatched]+c.Count[joinTurned] > 0 || len(t.On) == 0 {
		return nil
	}
	e := diag.Dataf("no key of %s matches one of %s", diag.Plural(c.In, "row"), t.name)
	e.Cause = ErrNoMatch
	if near := nearly(); near != "" {
		e.Text += "; " + near
		return e.Trying("scrub the keys of both tables first", "recode or cast them to the same form")
	}
	e.Text += "; none would without spaces, case or leading zeros either"
	return e.Trying("--on other fields: " + diag.Names(t.schema.Names()))
}

// LooksAt names the other table.
func (j *Join) LooksAt() string { return j.Path }
