package inspect

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/selection"
)

// severalValues finds cells that hold several values parted by a constant separator.
func (s *sample) severalValues() []Finding {
	var out []Finding
	for _, f := range s.fields {
		if f.filled < 3 || share(f.numbers+f.dates, f.filled, 0.3) || looksJSON(f.cells) {
			continue
		}
		for _, sep := range []string{";", "|", "\n", ",", " / ", " + "} {
			with := 0
			for _, c := range f.cells {
				if strings.Contains(c, sep) {
					with++
				}
			}
			if !share(with, f.filled, 0.2) || with < 2 {
				continue
			}
			pieces, most, least, long := map[string]int{}, 0, len(f.cells), false
			total := 0
			within, free := map[string]string{}, map[string]bool{} // the cell a piece was met in; pieces met in several
			for _, c := range f.cells {
				if c == "" {
					continue
				}
				parts := strings.Split(c, sep)
				most, least = max(most, len(parts)), min(least, len(parts))
				for _, p := range parts {
					p = strings.TrimSpace(p)
					long = long || len(p) > 40 || len(strings.Fields(p)) > 3
					pieces[p]++
					total++
					if before, ok := within[p]; ok && before != c {
						free[p] = true
					}
					within[p] = c
				}
			}
			named := !share(total-len(pieces), total, 0.25) || !share(len(free), len(pieces), 0.4)                                               // no pieces return, as words of a list do
			if !slices.ContainsFunc(f.order, func(c string) bool { return strings.Contains(c, sep) && !bracketed(c) }) || 2*pieces[""] >= with { // a tuple; or nothing before the first
				continue
			}
			if most == least && with > 4 && (most > 2 && isNumbers(pieces) || f.placesApart(sep)) { // a code of parts
				continue
			}
			if spaced(pieces) && sep == "," && (f.filled < 10 || f.fixedPlaces(sep)) { // a text in words, or the parts of one thing
				continue
			}
			if long || isNumbers(pieces) && sep == "," || named && !(plural(f.name) && with > 9 && least == 1 && words(pieces)) && (!plural(f.name) || strings.Contains(sep, " ") || !share(with, f.filled, 0.6) || spaced(pieces)) {
				continue
			}
			shown := strings.ReplaceAll(sep, "\n", `\n`)
			x := Finding{Kind: "several values", Says: fmt.Sprintf("%s holds up to %d values parted by %s", diag.Quote(f.name), most, diag.Quote(shown)),
				Evidence: fmt.Sprintf("%s, as %s", of(with, f.filled), f.example(func(c string) bool { return strings.Contains(c, sep) })),
				Fields:   []string{f.name}, Step: "explode " + Shell(selection.Written(f.name)) + " --at " + Shell(strings.Trim(shown, " ")), claim: piecesOf(f.name, func(c string) []string { return strings.Split(c, sep) })}
			beside := s.besideLists(f, sep)
			if len(beside) > 1 {
				if slices.ContainsFunc(out, func(x Finding) bool { return slices.Contains(x.Fields, f.name) }) { // told with another
					break
				}
				var names []string
				for _, g := range beside {
					names = append(names, g.name)
				}
				x.Fields, x.Says = names, fmt.Sprintf("%s hold up to %d values side by side, parted by %s", diag.Names(names), most, diag.Quote(shown))
				x.claim = piecesOfAll(names, func(c string) []string { return strings.Split(c, sep) })
				x.Step = "explode " + Shell(s.selection(names)) + " --at " + Shell(strings.Trim(shown, " "))
			}
			if named { // by its name alone
				x.Part, x.Question = Decide, "is each piece a value of its own?"
			}
			out = append(out, x)
			break
		}
	}
	return out
}

// fixedPlaces tells whether each piece that returns stands always at the same place of its cell, as the parts of an address do.
func (f *field) fixedPlaces(sep string) bool {
	at, moved, again := map[string]int{}, 0, 0
	for _, c := range f.order {
		for i, p := range strings.Split(c, sep) {
			p = strings.TrimSpace(p)
			if k, ok := at[p]; ok {
				again++
				if k != i {
					moved++
				}
			}
			at[p] = i
		}
	}
	return again > 0 && moved == 0
}

// bracketed tells a cell in brackets.
func bracketed(c string) bool {
	i := -1
	if c != "" {
		i = strings.IndexByte("([<{", c[0])
	}
	return i >= 0 && c[len(c)-1] == ")]>}"[i]
}

// placesApart tells whether what stands at a place of the cells tells it apart from the other places: each has words of its own, or
// numbers within other bounds.
func (f *field) placesApart(sep string) bool {
	var places []map[string]bool
	for _, c := range f.order {
		for i, p := range strings.Split(c, sep) {
			for len(places) <= i {
				places = append(places, map[string]bool{})
			}
			places[i][strings.TrimSpace(p)] = true
		}
	}
	shared, all := 0, 0
	for i, a := range places {
		for p := range a {
			all++
			for k, b := range places {
				if k != i && b[p] {
					shared++
					break
				}
			}
		}
	}
	return 2*shared < all
}

// besideLists gives the fields, in order, whose cells hold just as many words as a field does pieces, that field among them: they
// belong together, the first to the first.
func (s *sample) besideLists(f *field, sep string) (out []*field) {
	for _, g := range s.fields {
		as := g == f
		if !as && g.numbers < g.filled {
			several, same := 0, 0
			for r, c := range f.cells {
				n := strings.Count(c, sep)
				if n == 0 && strings.Count(g.cells[r], sep) == 0 {
					continue
				}
				several++
				if strings.Count(g.cells[r], sep) == n && !strings.Contains(strings.ReplaceAll(g.cells[r], sep+" ", sep), " ") {
					same++
				}
			}
			as = several > 4 && same == several && !looksJSON(g.cells)
		}
		if as {
			out = append(out, g)
		}
	}
	return out
}

// plural tells a name of several things, as aliases.
func plural(name string) bool {
	return len(name) > 3 && strings.HasSuffix(name, "s") && !strings.HasSuffix(name, "ss") && !strings.HasSuffix(name, "us")
}

// words tells pieces that are short words or codes of letters.
func words(pieces map[string]int) bool {
	for p := range pieces {
		if p == "" || len(p) > 12 || strings.ContainsFunc(p, func(r rune) bool { return !unicode.IsLetter(r) }) {
			return false
		}
	}
	return true
}

// spaced tells whether a piece has a space in it.
func spaced(pieces map[string]int) bool {
	for p := range pieces {
		if strings.Contains(p, " ") {
			return true
		}
	}
	return false
}

func isNumbers(pieces map[string]int) bool {
	for p := range pieces {
		if _, ok := decimal.Parse(p); !ok {
			return false
		}
	}
	return true
}
