package aggregate

import (
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/step/ordering"
)

// apart notes which field keeps the rows apart, where no two came together.
func (r *pivoting) apart(all *partial, s *step.Context) {
	const most = 1 << 20
	if len(all.down.Values) > most {
		return
	}
	best, name := 0, ""
	for i, k := range r.f.down {
		seen := map[string]bool{}
		for _, v := range all.down.Values {
			seen[v[i]] = true
		}
		if len(seen) > best {
			best, name = len(seen), k.Name
		}
	}
	if name != "" {
		s.Summary.Notes = append(s.Summary.Notes, fmt.Sprintf("no two rows came together: %s keeps them apart, with %s; name the fields that should stay: --down", diag.Quote(name), diag.Plural(int64(best), "value")))
	}
}

// columns orders the fields across.
func (r *pivoting) columns(all *partial, s *step.Context) []column {
	order := all.across.InOrder()
	if r.p.Expect != nil {
		out := make([]column, len(r.p.Expect))
		for i, e := range r.p.Expect {
			out[i] = column{id: -1, values: []string{e}}
			if len(r.f.across) > 1 {
				out[i].values = nil
			}
		}
		var folded []int32
		for _, id := range order {
			v := all.across.Values[id]
			if i := r.expected(v); i >= 0 {
				out[i].id, out[i].values = id, r.shown(v)
			} else {
				folded = append(folded, id)
			}
		}
		for i := range out {
			if out[i].values == nil { // absent: the header is all there is of it
				out[i].values = r.unheard(r.p.Expect[i])
			}
		}
		if len(folded) > 0 {
			var names []string
			for _, id := range folded {
				names = append(names, r.label(all.across.Values[id]))
			}
			if r.p.Others == "fold" {
				others := make([]string, len(r.f.across))
				for i := range others {
					others[i] = "others"
				}
				if len(others) > 1 && r.p.Name == nil {
					others = others[:1]
				}
				out = append(out, column{id: -1, folded: folded, values: others})
				for k, id := range folded {
					names[k] += r.told(all, id)
				}
				s.Summary.Notes = append(s.Summary.Notes, "folded under others: "+diag.Names(names))
			} else {
				for k, id := range folded {
					told := r.told(all, id)
					if told == "" {
						told = " (" + diag.Plural(s.Counters.Left[r.unwanted(all.across.Values[id]).In(r.f.in)], "row") + ")"
					}
					names[k] += told
				}
				s.Summary.Notes = append(s.Summary.Notes, "left out: "+diag.Names(names))
			}
		}
		return out
	}
	r.sort(all.across, order)
	r.outOfTurn(all.across, order, s)
	var out []column
	for _, id := range order {
		out = append(out, column{id: id, values: r.shown(all.across.Values[id])})
	}
	return out
}

// told is what is known of the rows of an across key that nobody expects, in brackets; "" where nothing is.
func (r *pivoting) told(all *partial, id int32) string {
	if all.outside == nil {
		return ""
	}
	said := all.outside.tell(all.across.Values[id])
	if said == "" {
		return ""
	}
	return " (" + said + ")"
}

// unheard are the across values of an expected header that no row has.
func (r *pivoting) unheard(header string) []string {
	if parts := strings.Split(header, " / "); len(parts) == len(r.f.across) {
		return parts
	}
	if r.p.Name != nil {
		m, parts := r.p.Name.Matcher(), make([]string, len(r.p.Name.Names()))
		if m.Match(header, parts) {
			values := make([]string, len(r.f.across))
			for i, k := range r.f.across {
				if at := slices.Index(r.p.Name.Names(), k.Name); at >= 0 {
					values[i] = parts[at]
				}
			}
			return values
		}
	}
	return append([]string{header}, make([]string, len(r.f.across)-1)...)
}

// sort orders the combinations across: as they were first met, or by the values of one field after the other, blank
// ones last, where --name says which field varies slowest.
func (r *pivoting) sort(t *keying.Interner, order []int32) {
	compare := map[string]func(a, b string) int{"text": strings.Compare, "number": ordering.Numerically, "natural": ordering.Natural}[r.p.Order]
	if compare == nil && r.p.Order != "calendar" {
		return
	}
	compares := make([]func(a, b string) int, len(r.f.across))
	for i := range compares {
		if compares[i] = compare; compare == nil {
			compares[i] = r.inTurn(t, order, i)
		}
	}
	fields := make([]int, len(r.f.across))
	for i := range fields {
		fields[i] = i
	}
	if r.p.Name != nil {
		slices.SortStableFunc(fields, func(a, b int) int { return r.placeOf(a) - r.placeOf(b) })
	}
	slices.SortStableFunc(order, func(a, b int32) int {
		x, y := t.Values[a], t.Values[b]
		if lacks, too := slices.Contains(x, ""), slices.Contains(y, ""); lacks != too {
			return map[bool]int{true: 1, false: -1}[lacks]
		}
		for _, i := range fields {
			switch {
			case x[i] == y[i]:
				continue
			case x[i] == "":
				return 1
			case y[i] == "":
				return -1
			}
			if c := compares[i](x[i], y[i]); c != 0 {
				return c
			}
		}
		return 0
	})
}

// valuesOf lists what stands in a field across, as the combinations stand.
func valuesOf(t *keying.Interner, order []int32, field int) []string {
	out := make([]string, len(order))
	for k, id := range order {
		out[k] = t.Values[id][field]
	}
	return out
}

// inTurn compares the values of a field across as the year and the week go; what is no such name comes behind, as it was met.
func (r *pivoting) inTurn(t *keying.Interner, order []int32, field int) func(a, b string) int {
	place, _ := r.p.names.Turn(valuesOf(t, order, field))
	return func(a, b string) int {
		x, known := place(a)
		y, too := place(b)
		switch {
		case known && too:
			return x - y
		case known:
			return -1
		case too:
			return 1
		}
		return 0
	}
}

// outOfTurn notes months, weekdays and the like that do not come out as the year and the week go.
func (r *pivoting) outOfTurn(t *keying.Interner, order []int32, s *step.Context) {
	if r.p.Order == "calendar" || r.p.Expect != nil {
		return
	}
	for i, k := range r.f.across {
		values := valuesOf(t, order, i)
		place, all := r.p.names.Turn(values)
		if !all {
			continue
		}
		last, falls := 0, false
		var shown []string
		for _, v := range values {
			if v == "" || slices.Contains(shown, v) {
				continue
			}
			at, _ := place(v)
			falls = falls || at < last
			last, shown = at, append(shown, v)
		}
		if falls {
			s.Summary.Notes = append(s.Summary.Notes, fmt.Sprintf("the values of %s stand out of their turn: %s; --order calendar puts them as the year and the week go", diag.Quote(k.Name), diag.Names(shown)))
		}
	}
}

// placeOf is where --name has a field across.
func (r *pivoting) placeOf(i int) int {
	if at := slices.Index(r.p.Name.Names(), r.f.across[i].Name); at >= 0 {
		return at
	}
	return len(r.p.Name.Names())
}
