package keying

import (
	"cmp"
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

// KeySpec is what --down, --across and --by take: a selection, with periods
// of dates, as in apiary, year(date) as y, month(date).
type KeySpec struct {
	source string
	Items  []keyItem
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

// inBraces is a function of the field in braces, as month_of_year({order date}) as m.
var inBraces = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^\s*([a-z_]+)\s*\((\{[^}]*\})\)\s*(?:as\s+(\S.*?))?\s*$`)
})

func ParseKeys(source string) (*KeySpec, error) {
	k := &KeySpec{source: source}
	var plain []string
	flush := func() error {
		if len(plain) == 0 {
			return nil
		}
		sel, err := selection.Parse(strings.Join(plain, ","))
		plain = nil
		k.Items = append(k.Items, keyItem{sel: sel})
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
					Trying("set '" + cmp.Or(m[3], m[1]) + " = " + m[1] + "(" + m[2] + ")' first, and name that field here")
			}
			if f := inBraces().FindStringSubmatch(piece); f != nil { // a formula, with fields in braces, and no pattern
				as := cmp.Or(f[3], f[1])
				return nil, diag.Usagef("%s: a formula can't be taken here, but for the periods %s", diag.Quote(piece), strings.Join(calendar.Periods, ", ")).
					Trying("set '" + as + " = " + f[1] + "(" + f[2] + ")' first, and name that field here")
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
		k.Items = append(k.Items, keyItem{period: m[1], date: f, as: as})
	}
	return k, flush()
}

// Key is one field of a key, bound to a table.
type Key struct {
	Name   string
	Column int              // of a plain field
	date   *formula.Formula // of a period
}

// Bind finds the fields.
func (k *KeySpec) Bind(in *table.Schema) ([]Key, error) {
	var out []Key
	for _, it := range k.Items {
		if it.sel != nil {
			fields, err := it.sel.Resolve(in)
			if err != nil {
				return nil, err
			}
			for _, i := range fields {
				out = append(out, Key{Name: in.Name(i), Column: i})
			}
			continue
		}
		if _, err := it.date.Bind(in, -1); err != nil {
			return nil, err
		}
		out = append(out, Key{Name: it.as, Column: -1, date: it.date})
	}
	return out, nil
}

// Uses lists the fields that keys look at.
func Uses(in *table.Schema, keys []Key) []int {
	var out []int
	for _, k := range keys {
		if k.Column >= 0 {
			out = append(out, k.Column)
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

// Interner gives keys numbers, in the order in which they are first seen.
type Interner struct {
	keys   []Key
	evals  []*formula.Eval
	cells  [][]string
	spare  [][]string
	Names  Names
	Values [][]string // of each key, its cells
	First  []int64    // where it was first seen
	Size   int        // bytes of all texts

	// Found, if any, is given the numbers of the keys of some rows, from one on, while others are looked for; one below 0 is not known yet.
	Found func(from int, ids []int32)

	buf   []byte
	row   []string
	all   []int32
	codes []int32
}

func NewInterner(in *table.Schema, keys []Key) *Interner {
	t := &Interner{keys: keys, evals: make([]*formula.Eval, len(keys)),
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

func (t *Interner) Load(b *table.Batch) {
	for i, k := range t.keys {
		if k.Column >= 0 {
			t.cells[i], t.spare[i] = b.Cols[k.Column].Flat(b.Rows, t.spare[i])
		} else {
			t.evals[i].Load(b)
		}
	}
}

// Name is the key of a row as one text, good until the next is asked for; its cells are in t.row.
func (t *Interner) Name(row int) (name string, fail *formula.Failure) {
	if t.plain() {
		name = t.cells[0][row]
		t.row[0] = name
	} else {
		t.buf = t.buf[:0]
		for i, k := range t.keys {
			if k.Column >= 0 {
				t.row[i] = t.cells[i][row]
			} else if t.row[i], fail = t.evals[i].Text(row); fail != nil {
				return "", fail
			}
			t.buf = AppendKey(t.buf, t.row[i])
		}
		name = view.String(t.buf)
	}
	return name, nil
}

// Id is the number of the key of a row; fresh tells that it was not seen before.
func (t *Interner) Id(row int, pos int64) (id int32, fresh bool, fail *formula.Failure) {
	name, fail := t.Name(row)
	if fail != nil {
		return 0, false, fail
	}
	h := HashOf(name)
	if id := t.Names.Find(name, h); id >= 0 {
		return id, false, nil
	}
	return t.Add(name, h, pos), true, nil
}

// plain tells that the key is one field as it stands.
func (t *Interner) plain() bool { return len(t.keys) == 1 && t.keys[0].Column >= 0 }

// Ids gives the numbers of the keys of the first n rows. fresh is asked about each new key; the
// rows before the one it, or reading a date, fails on are given.
func (t *Interner) Ids(b *table.Batch, n int, at int64, fresh func(id int32, row int) error) (ids []int32, fail *formula.Failure, err error) {
	if cap(t.all) < n {
		t.all = make([]int32, n)
	}
	ids = t.all[:n]
	one := func(r int) (int32, error) {
		id, isNew, f := t.Id(r, at+int64(r))
		if f != nil {
			fail = f
			return 0, errStop
		}
		if isNew {
			return id, fresh(id, r)
		}
		return id, nil
	}
	if t.plain() && b.Cols[t.keys[0].Column].Kind == table.Encoded {
		col := &b.Cols[t.keys[0].Column]
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
		t.Names.FindAll(t.cells[0][:n], ids, t.Found)
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

// Add notes a new key, whose cells are in row.
func (t *Interner) Add(name string, h uint64, pos int64) int32 {
	name = strings.Clone(name)
	t.Size += 2 * len(name)
	id := t.Names.Add(name, h)
	values := make([]string, len(t.row))
	for i, s := range t.row {
		values[i] = strings.Clone(s)
	}
	if t.plain() {
		values[0] = name
	}
	t.Values, t.First = append(t.Values, values), append(t.First, pos)
	return id
}

// Merge takes the keys of another and gives the number each has here.
func (t *Interner) Merge(o *Interner) (ids []int32, known int) {
	ids = make([]int32, len(o.Values))
	for id, name := range o.Names.Names {
		h := o.Names.Hashes[id]
		var fresh bool
		if ids[id], fresh = t.Adopt(o, int32(id), name, h); !fresh {
			known++
		}
	}
	return ids, known
}

// Adopt takes a key of another over.
func (t *Interner) Adopt(o *Interner, id int32, name string, h uint64) (here int32, fresh bool) {
	if here = t.Names.Find(name, h); here >= 0 {
		t.First[here] = min(t.First[here], o.First[id])
		return here, false
	}
	t.Values, t.First = append(t.Values, o.Values[id]), append(t.First, o.First[id])
	t.Size += 2 * len(name)
	return t.Names.Add(name, h), true
}

// InOrder lists the keys as first seen.
func (t *Interner) InOrder() []int32 {
	out := make([]int32, len(t.Values))
	for i := range out {
		out[i] = int32(i)
	}
	slices.SortFunc(out, func(a, b int32) int {
		if t.First[a] < t.First[b] {
			return -1
		}
		return 1
	})
	return out
}

// Forget takes the key last added back.
func (t *Interner) Undo(id int32) {
	t.Names.Drop()
	t.Values, t.First = t.Values[:id], t.First[:id]
}
