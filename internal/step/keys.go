package step

import (
	"regexp"
	"slices"
	"strings"

	"revuelta/internal/calendar"
	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/table"
)

// keySpec is what --down, --across and --by take: a selection, with periods
// of dates, as in apiary, year(date) as y, month(date).
type keySpec struct {
	source string
	items  []keyItem
}

type keyItem struct {
	sel    *selection.Selection // of items that follow each other
	period string               // else a period of the formula
	date   *formula.Formula
	as     string
}

var periodItem = regexp.MustCompile(`^(?s)\s*([a-z]+)\s*\((.*)\)\s*(?:as\s+(\S.*?))?\s*$`)

func parseKeys(source string) (*keySpec, error) {
	k := &keySpec{source: source}
	var plain []string
	flush := func() error {
		if len(plain) == 0 {
			return nil
		}
		sel, err := selection.Parse(strings.Join(plain, ","))
		plain = nil
		k.items = append(k.items, keyItem{sel: sel})
		return err
	}
	if strings.TrimSpace(source) == "" {
		return k, nil
	}
	for _, piece := range selection.Cut(source, ',') {
		m := periodItem.FindStringSubmatch(piece)
		if m == nil || !slices.Contains(calendar.Periods, m[1]) {
			if m != nil && slices.ContainsFunc(formula.Functions(), func(f formula.Function) bool { return f.Name == m[1] }) {
				return nil, diag.Usagef("%s: only the periods %s can be taken here", diag.Quote(piece), strings.Join(calendar.Periods, ", ")).
					Trying("set a field first: set 'name = " + strings.TrimSpace(piece) + "'")
			}
			plain = append(plain, piece)
			continue
		}
		if err := flush(); err != nil {
			return nil, err
		}
		f, err := formula.Parse(m[1] + "(" + m[2] + ")")
		if err != nil {
			return nil, err
		}
		as := m[1]
		if m[3] != "" {
			if as, _, err = selection.Unquote(m[3]); err != nil {
				return nil, err
			}
		}
		k.items = append(k.items, keyItem{period: m[1], date: f, as: as})
	}
	return k, flush()
}

// key is one field of a key, bound to a table.
type key struct {
	name   string
	column int              // of a plain field
	date   *formula.Formula // of a period
}

// bind finds the fields.
func (k *keySpec) bind(in *table.Schema) ([]key, error) {
	var out []key
	for _, it := range k.items {
		if it.sel != nil {
			fields, err := it.sel.Resolve(in)
			if err != nil {
				return nil, err
			}
			for _, i := range fields {
				out = append(out, key{name: in.Name(i), column: i})
			}
			continue
		}
		if _, err := it.date.Bind(in, -1); err != nil {
			return nil, err
		}
		out = append(out, key{name: it.as, column: -1, date: it.date})
	}
	return out, nil
}

// uses lists the fields that keys look at.
func uses(in *table.Schema, keys []key) []int {
	var out []int
	for _, k := range keys {
		if k.column >= 0 {
			out = append(out, k.column)
			continue
		}
		for _, n := range k.date.Fields() {
			if i, ok := in.Index(n); ok {
				out = append(out, i)
			}
		}
	}
	return out
}

// interner gives keys numbers, in the order in which they are first seen.
type interner struct {
	keys   []key
	evals  []*formula.Eval
	cells  [][]string
	spare  [][]string
	ids    map[string]int32
	values [][]string // of each key, its cells
	first  []int64    // where it was first seen

	last   string
	lastID int32
	buf    []byte
	row    []string
}

func newInterner(in *table.Schema, keys []key) *interner {
	t := &interner{keys: keys, ids: map[string]int32{}, lastID: -1, evals: make([]*formula.Eval, len(keys)),
		cells: make([][]string, len(keys)), spare: make([][]string, len(keys)), row: make([]string, len(keys))}
	for i, k := range keys {
		if k.date != nil {
			p, err := k.date.Bind(in, -1)
			if err != nil {
				panic("step: " + err.Error()) // it was bound before
			}
			t.evals[i] = p.Eval()
		}
	}
	return t
}

func (t *interner) load(b *table.Batch) {
	for i, k := range t.keys {
		if k.column >= 0 {
			t.cells[i], t.spare[i] = b.Cols[k.column].Flat(b.Rows, t.spare[i])
		} else {
			t.evals[i].Load(b)
		}
	}
	t.lastID = -1 // what last views may be gone
}

// id is the number of the key of a row; fresh tells that it was not seen before.
func (t *interner) id(row int, pos int64) (id int32, fresh bool, fail *formula.Failure) {
	if len(t.keys) == 1 && t.keys[0].column >= 0 {
		s := t.cells[0][row]
		if t.lastID >= 0 && s == t.last {
			return t.lastID, false, nil
		}
		id, ok := t.ids[s]
		if !ok {
			t.row[0] = s
			id, fresh = t.add(strings.Clone(s), pos), true
		}
		t.last, t.lastID = s, id
		return id, fresh, nil
	}
	t.buf = t.buf[:0]
	for i, k := range t.keys {
		if k.column >= 0 {
			t.row[i] = t.cells[i][row]
		} else if t.row[i], fail = t.evals[i].Text(row); fail != nil {
			return 0, false, fail
		}
		t.buf = appendKey(t.buf, t.row[i])
	}
	if id, ok := t.ids[string(t.buf)]; ok {
		return id, false, nil
	}
	return t.add(string(t.buf), pos), true, nil
}

// add notes a new key, whose cells are in row.
func (t *interner) add(name string, pos int64) int32 {
	id := int32(len(t.values))
	t.ids[name] = id
	values := make([]string, len(t.row))
	for i, s := range t.row {
		values[i] = strings.Clone(s)
	}
	if len(values) == 1 && t.keys[0].column >= 0 {
		values[0] = name
	}
	t.values, t.first = append(t.values, values), append(t.first, pos)
	return id
}

// merge takes the keys of another and gives the number each has here.
func (t *interner) merge(o *interner) (ids []int32, known int) {
	ids = make([]int32, len(o.values))
	for name, id := range o.ids {
		here, ok := t.ids[name]
		if !ok {
			here = int32(len(t.values))
			t.ids[name] = here
			t.values, t.first = append(t.values, o.values[id]), append(t.first, o.first[id])
		} else {
			t.first[here] = min(t.first[here], o.first[id])
			known++
		}
		ids[id] = here
	}
	return ids, known
}

// inOrder lists the keys as first seen.
func (t *interner) inOrder() []int32 {
	out := make([]int32, len(t.values))
	for i := range out {
		out[i] = int32(i)
	}
	slices.SortFunc(out, func(a, b int32) int {
		if t.first[a] < t.first[b] {
			return -1
		}
		return 1
	})
	return out
}
