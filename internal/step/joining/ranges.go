package joining

import (
	"slices"
	"sort"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/table"
)

// ranges finds the rows of the other table that order comparisons of two fields hold for, without trying each: those of a prefix of the
// rows in the order of one field, and of a suffix in that of another. Its plain twin is the formula, row by row.
type ranges struct {
	from, to *sided // R >= L or R > L; R <= L or R < L; one of them may be nil
	exact    bool   // the formula says nothing else
	groups   [][]int32
}

// sided is a comparison of a field of the other table with one of this.
type sided struct {
	here    int // the field of this table
	equal   bool
	texts   bool // no cell of the other field is a number; else all are
	cells   []string
	numbers []decimal.D
	sorted  [][]int32 // of each group, the rows that are not blank by their cells
	rank    []int32   // of each row in its group, -1 for a blank
	highest [][]int32 // of each place in a group's order, the row up to it whose field of from is highest, -1 where all are blank
}

// mostTriedOne is up to how many rows with a key are tried one by one.
const mostTriedOne = 16

// rangesOf readies such a search; nil where the formula does not begin with a comparison that helps.
func (t *joined) rangesOf(in *table.Schema) *ranges {
	bounds, whole := t.When.Bounds()
	r := &ranges{exact: whole}
	turned := map[string]string{"<": ">", "<=": ">=", ">": "<", ">=": "<="}
	for _, b := range bounds {
		i, left := in.Index(b.Left)
		j, right := in.Index(b.Right)
		op, there := b.Op, b.Right // as: field of this table, operator, field of the other
		switch {
		case left == right: // both of one table
			r.exact = false
			continue
		case right:
			i, op, there = j, turned[b.Op], b.Left
		}
		side := &r.to // L >= R
		if op[0] == '<' {
			side = &r.from
		}
		at, ok := t.schema.Index(there)
		if *side != nil || !ok {
			r.exact = false
			continue
		}
		s := &sided{here: i, equal: strings.HasSuffix(op, "="), cells: t.columns[at]}
		if !s.oneKind() {
			r.exact = false
			continue
		}
		*side = s
	}
	if r.from == nil && r.to == nil {
		return nil
	}
	if len(t.keys) == 0 {
		all := make([]int32, t.rows)
		for i := range all {
			all[i] = int32(i)
		}
		r.groups = [][]int32{all}
	} else {
		r.groups = make([][]int32, len(t.first))
		few := true
		for id, row := range t.first {
			for ; row >= 0; row = t.next[row] {
				r.groups[id] = append(r.groups[id], row)
			}
			few = few && len(r.groups[id]) <= mostTriedOne
		}
		if few {
			return nil
		}
	}
	for _, s := range []*sided{r.from, r.to} {
		if s != nil {
			s.sort(r.groups)
		}
	}
	if r.from != nil && r.to != nil {
		r.to.highest = make([][]int32, len(r.groups))
		for g, rows := range r.to.sorted {
			most := int32(-1)
			for _, row := range rows {
				if rank := r.from.rank[row]; rank >= 0 && (most < 0 || rank > r.from.rank[most]) {
					most = row
				}
				r.to.highest[g] = append(r.to.highest[g], most)
			}
		}
	}
	return r
}

// oneKind reads the cells, and tells whether those that are not blank are all numbers, or none is.
func (s *sided) oneKind() bool {
	numbers, texts := 0, 0
	s.numbers = make([]decimal.D, len(s.cells))
	for i, c := range s.cells {
		if c == "" {
			continue
		}
		d, ok := decimal.Parse(c)
		if ok {
			s.numbers[i] = d
			numbers++
		} else {
			texts++
		}
	}
	s.texts = numbers == 0
	return numbers == 0 || texts == 0
}

func (s *sided) sort(groups [][]int32) {
	s.rank = make([]int32, len(s.cells))
	for i := range s.rank {
		s.rank[i] = -1
	}
	for _, rows := range groups {
		order := slices.DeleteFunc(slices.Clone(rows), func(r int32) bool { return s.cells[r] == "" })
		slices.SortStableFunc(order, func(a, b int32) int {
			if s.texts {
				return strings.Compare(s.cells[a], s.cells[b])
			}
			return s.numbers[a].Cmp(s.numbers[b])
		})
		for k, r := range order {
			s.rank[r] = int32(k)
		}
		s.sorted = append(s.sorted, order)
	}
}

// key is a cell of this table as it is compared.
type key struct {
	text   string
	number decimal.D
}

// read readies a cell of this table; false where it is a text over numbers, whose order is another.
func (s *sided) read(cell string) (k key, ok bool) {
	if k.text = cell; s.texts {
		return k, true
	}
	k.number, ok = decimal.Parse(cell)
	return k, ok
}

// compare compares a row of the other table with a cell of this.
func (s *sided) compare(row int32, k *key) int {
	if s.texts {
		return strings.Compare(s.cells[row], k.text)
	}
	return s.numbers[row].Cmp(k.number)
}

// above tells whether a row stands above a cell, or level where equals count.
func (s *sided) above(row int32, k *key) bool {
	c := s.compare(row, k)
	return c > 0 || c == 0 && s.equal
}

// find appends the rows of a group that the comparisons hold for, in the order of the table; false where they must be tried one by one.
func (r *ranges) find(dst []int32, group int, src *table.Batch, row int) ([]int32, bool) {
	if len(r.groups[group]) <= mostTriedOne {
		return dst, false
	}
	var least, most key
	for _, side := range []struct {
		s *sided
		k *key
	}{{r.from, &least}, {r.to, &most}} {
		if side.s == nil {
			continue
		}
		cell := src.Cols[side.s.here].At(row)
		if cell == "" {
			return dst, true
		}
		var ok bool
		if *side.k, ok = side.s.read(cell); !ok {
			return dst, false
		}
	}
	if r.to == nil {
		order := r.from.sorted[group]
		dst = append(dst, order[sort.Search(len(order), func(k int) bool { return r.from.above(order[k], &least) }):]...)
		slices.Sort(dst)
		return dst, true
	}
	order := r.to.sorted[group]
	high := sort.Search(len(order), func(k int) bool {
		c := r.to.compare(order[k], &most)
		return c > 0 || c == 0 && !r.to.equal
	})
	if r.from == nil {
		dst = append(dst, order[:high]...)
		slices.Sort(dst)
		return dst, true
	}
	highest := r.to.highest[group]
	for k := high - 1; k >= 0 && highest[k] >= 0 && r.from.above(highest[k], &least); k-- {
		if at := order[k]; r.from.rank[at] >= 0 && r.from.above(at, &least) {
			dst = append(dst, at)
		}
	}
	if len(dst) > 1 {
		slices.Sort(dst)
	}
	return dst, true
}
