package step

import (
	"errors"
	"regexp"
	"slices"
	"strings"
	"sync"

	"revuelta/internal/calendar"
	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/table"
	"revuelta/internal/view"
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

var periodItem = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^(?s)\s*([a-z]+)\s*\((.*)\)\s*(?:as\s+(\S.*?))?\s*$`)
})

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
		m := periodItem().FindStringSubmatch(piece)
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
	names  names
	values [][]string // of each key, its cells
	first  []int64    // where it was first seen
	size   int        // bytes of all texts

	buf   []byte
	row   []string
	all   []int32
	codes []int32
}

func newInterner(in *table.Schema, keys []key) *interner {
	t := &interner{keys: keys, evals: make([]*formula.Eval, len(keys)),
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
}

// name is the key of a row as one text, good until the next is asked for; its cells are in t.row.
func (t *interner) name(row int) (name string, fail *formula.Failure) {
	if t.plain() {
		name = t.cells[0][row]
		t.row[0] = name
	} else {
		t.buf = t.buf[:0]
		for i, k := range t.keys {
			if k.column >= 0 {
				t.row[i] = t.cells[i][row]
			} else if t.row[i], fail = t.evals[i].Text(row); fail != nil {
				return "", fail
			}
			t.buf = appendKey(t.buf, t.row[i])
		}
		name = view.String(t.buf)
	}
	return name, nil
}

// id is the number of the key of a row; fresh tells that it was not seen before.
func (t *interner) id(row int, pos int64) (id int32, fresh bool, fail *formula.Failure) {
	name, fail := t.name(row)
	if fail != nil {
		return 0, false, fail
	}
	h := hashOf(name)
	if id := t.names.find(name, h); id >= 0 {
		return id, false, nil
	}
	return t.add(name, h, pos), true, nil
}

// plain tells that the key is one field as it stands.
func (t *interner) plain() bool { return len(t.keys) == 1 && t.keys[0].column >= 0 }

// ids gives the numbers of the keys of the first n rows. fresh is asked about each new key; the
// rows before the one it, or reading a date, fails on are given.
func (t *interner) ids(b *table.Batch, n int, at int64, fresh func(id int32, row int) error) (ids []int32, fail *formula.Failure, err error) {
	if cap(t.all) < n {
		t.all = make([]int32, n)
	}
	ids = t.all[:n]
	one := func(r int) (int32, error) {
		id, isNew, f := t.id(r, at+int64(r))
		if f != nil {
			fail = f
			return 0, errStop
		}
		if isNew {
			return id, fresh(id, r)
		}
		return id, nil
	}
	if t.plain() && b.Cols[t.keys[0].column].Kind == table.Coded {
		col := &b.Cols[t.keys[0].column]
		t.codes = t.codes[:0]
		for range col.Cells {
			t.codes = append(t.codes, -1)
		}
		for r, code := range col.Codes[:n] {
			id := t.codes[code]
			if id < 0 {
				if id, err = one(r); err != nil {
					return ids[:r], fail, unlessStop(err)
				}
				t.codes[code] = id
			}
			ids[r] = id
		}
		return ids, nil, nil
	}
	from := 0
	if t.plain() {
		t.names.findAll(t.cells[0][:n], ids)
	}
	for r := from; r < n; r++ {
		if t.plain() && ids[r] >= 0 {
			continue
		}
		if ids[r], err = one(r); err != nil {
			return ids[:r], fail, unlessStop(err)
		}
	}
	return ids, nil, nil
}

var errStop = errors.New("a key can't be read")

func unlessStop(err error) error {
	if err == errStop {
		return nil
	}
	return err
}

// add notes a new key, whose cells are in row.
func (t *interner) add(name string, h uint64, pos int64) int32 {
	name = strings.Clone(name)
	t.size += 2 * len(name)
	id := t.names.add(name, h)
	values := make([]string, len(t.row))
	for i, s := range t.row {
		values[i] = strings.Clone(s)
	}
	if t.plain() {
		values[0] = name
	}
	t.values, t.first = append(t.values, values), append(t.first, pos)
	return id
}

// merge takes the keys of another and gives the number each has here.
func (t *interner) merge(o *interner) (ids []int32, known int) {
	ids = make([]int32, len(o.values))
	for id, name := range o.names.names {
		h := o.names.hashes[id]
		var fresh bool
		if ids[id], fresh = t.take(o, int32(id), name, h); !fresh {
			known++
		}
	}
	return ids, known
}

// take takes a key of another over.
func (t *interner) take(o *interner, id int32, name string, h uint64) (here int32, fresh bool) {
	if here = t.names.find(name, h); here >= 0 {
		t.first[here] = min(t.first[here], o.first[id])
		return here, false
	}
	t.values, t.first = append(t.values, o.values[id]), append(t.first, o.first[id])
	t.size += 2 * len(name)
	return t.names.add(name, h), true
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
