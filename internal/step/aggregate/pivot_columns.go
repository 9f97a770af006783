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
				s.Summary.Notes = append(s.Summary.Notes, "folded under others: "+diag.Names(names))
			} else {
				for k, id := range folded {
					rows := s.Counters.Left[r.unwanted(all.across.Values[id]).In(r.f.in)]
					names[k] += " (" + diag.Plural(rows, "row") + ")"
				}
				s.Summary.Notes = append(s.Summary.Notes, "left out: "+diag.Names(names))
			}
		}
		return out
	}
	r.sort(all.across, order)
	var out []column
	for _, id := range order {
		out = append(out, column{id: id, values: r.shown(all.across.Values[id])})
	}
	return out
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
	if compare == nil {
		return
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
		for _, i := range fields {
			switch {
			case x[i] == y[i]:
				continue
			case x[i] == "":
				return 1
			case y[i] == "":
				return -1
			}
			if c := compare(x[i], y[i]); c != 0 {
				return c
			}
		}
		return 0
	})
}

// placeOf is where --name has a field across.
func (r *pivoting) placeOf(i int) int {
	if at := slices.Index(r.p.Name.Names(), r.f.across[i].Name); at >= 0 {
		return at
	}
	return len(r.p.Name.Names())
}
