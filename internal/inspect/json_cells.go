package inspect

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
)

func looksJSON(cells []string) bool {
	n, is := 0, 0
	for _, c := range cells {
		if c == "" {
			continue
		}
		n++
		if (c[0] == '{' || c[0] == '[') && json.Valid([]byte(c)) {
			is++
		}
	}
	return share(is, n, 0.7) && is > 0
}

// memberName is a member that a path names by a point.
var memberName = lazy(`^[A-Za-z_][A-Za-z0-9_]*$`)

// jsonCells finds JSON in cells.
func (s *sample) jsonCells() []Finding {
	if f := s.objectsAcross(); f != nil {
		return []Finding{*f}
	}
	var out []Finding
	for _, f := range s.fields {
		if f.filled == 0 || !looksJSON(f.cells) {
			continue
		}
		arrays, objects, alike := 0, 0, 0 // alike: arrays of objects alone
		var members []string
		all := s.whole // members are known, and can be picked
		note := func(v any) bool {
			m, ok := v.(map[string]any)
			for k := range m {
				all = all && memberName().MatchString(k)
				if !slices.Contains(members, k) && memberName().MatchString(k) {
					members = append(members, k)
				}
			}
			return ok
		}
		for _, c := range f.cells {
			var v any
			if json.Unmarshal([]byte(c), &v) != nil {
				continue
			}
			if list, ok := v.([]any); ok {
				arrays++
				alike++
				if slices.ContainsFunc(list, func(e any) bool { return !note(e) }) {
					alike--
				}
			} else if note(v) {
				objects++
			}
		}
		slices.Sort(members)
		x := Finding{Kind: "JSON", Says: diag.Quote(f.name) + " holds JSON", Evidence: f.example(func(string) bool { return true })}
		fits := objects
		switch {
		case arrays > 0 && len(members) > 0 && alike == arrays:
			fits = arrays
			var picks []string
			for _, m := range members {
				picks = append(picks, fmt.Sprintf("%s=$.%s", s.fresh(f, m), m))
			}
			x.Step = "explode " + Shell(selection.Written(f.name)) + " --json --pick " + Shell(strings.Join(picks, ", "))
			if !all {
				x.Part, x.Question = Decide, "are these all the members that are wanted? Others would go"
			}
		case arrays > 0:
			fits = arrays
			x.Step = "explode " + Shell(selection.Written(f.name)) + " --json"
		case len(members) > 0:
			for _, m := range members {
				name := s.fresh(f, m)
				if name == f.name {
					name = f.name + " " + m
				}
				x.Step += "set " + Shell(fmt.Sprintf("%s = pick(%s, \"$.%s\")", inFormula(name), inFormula(f.name), m)) + "\n"
			}
			if x.Step = strings.TrimSuffix(x.Step, "\n"); all { // else the cell stays: it may hold what is not picked
				x.Step += "\nfields " + Shell("!"+selection.Written(f.name))
			}
		default:
			continue
		}
		x.Fields = []string{f.name}
		if fits < f.filled { // its step would stop at the others
			x.Part, x.Step, x.Evidence = Told, "", of(fits, f.filled)+" are alike, as "+x.Evidence
		}
		out = append(out, x)
	}
	return out
}

// objectsAcross finds one row whose fields all hold objects with the same members: an object of objects, whose names are values.
func (s *sample) objectsAcross() *Finding {
	if len(s.rows) != 1 || len(s.fields) < 5 || !s.whole {
		return nil
	}
	var members []string
	for _, f := range s.fields {
		var m map[string]any
		if json.Unmarshal([]byte(f.cells[0]), &m) != nil || len(m) == 0 {
			return nil
		}
		for k := range m {
			if !memberName().MatchString(k) {
				return nil
			}
			if !slices.Contains(members, k) {
				members = append(members, k)
			}
		}
		if len(members) > 3*len(m) {
			return nil
		}
	}
	slices.Sort(members)
	var picks []string
	for _, m := range members {
		name := m
		if m == "label" || m == "value" {
			name = "member " + m
		}
		picks = append(picks, name+"=$."+m)
	}
	return &Finding{Kind: "JSON", whole: true, Says: fmt.Sprintf("the names of %s are values: each holds an object with the same members", diag.Plural(int64(len(s.fields)), "field")), Evidence: s.fields[0].name + ": " + s.fields[0].example(func(string) bool { return true }),
		Step: "unpivot '*'\nexplode value --json --pick " + Shell(strings.Join(picks, ", ")), claim: rowsOf(len(s.fields))}
}

// rowsOf claims that so many rows come out.
func rowsOf(n int) claim {
	return func(_, after Table) error {
		if len(after.Rows) != n {
			return fmt.Errorf("%d rows came out", len(after.Rows))
		}
		return nil
	}
}

// jsonAmongTexts finds lists in JSON among texts, which are lists of one or parted by a separator.
func (s *sample) jsonAmongTexts() []Finding {
	var out []Finding
	for _, f := range s.fields {
		if f.filled < 4 || f.numbers > 0 || looksJSON(f.cells) {
			continue
		}
		lists := 0
		separators := map[string]int{}
		for _, c := range f.cells {
			var list []string
			switch {
			case c == "":
			case c[0] == '[' && json.Unmarshal([]byte(c), &list) == nil:
				lists++
			default:
				for _, sep := range []string{";", "|", ",", "\n"} {
					if strings.Contains(c, sep) {
						separators[sep]++
					}
				}
			}
		}
		if lists < 2 || !share(lists, f.filled, 0.1) {
			continue
		}
		x := Finding{Kind: "JSON", Fields: []string{f.name}, Says: fmt.Sprintf("%s holds lists in JSON among texts", diag.Quote(f.name)), Evidence: of(lists, f.filled) + ", as " + f.example(func(c string) bool { return c[0] == '[' })}
		switch sep := slices.Collect(maps.Keys(separators)); {
		case len(sep) == 0: // any does
			sep = []string{";"}
			fallthrough
		case len(sep) == 1:
			x.Part, x.Question = Decide, "are the texts among them "+map[bool]string{true: "lists of one?", false: "lists parted by " + diag.Quote(strings.ReplaceAll(sep[0], "\n", `\n`)) + "?"}[len(separators) == 0]
			x.Step = "explode " + Shell(selection.Written(f.name)) + " --json --at " + Shell(strings.ReplaceAll(sep[0], "\n", `\n`))
			x.claim = piecesOf(f.name, func(c string) (list []string) {
				if c == "" || c[0] != '[' || json.Unmarshal([]byte(c), &list) != nil {
					list = strings.Split(c, sep[0])
				}
				return list
			})
		default:
			x.Part, x.Question = Told, "how are the texts among them parted? explode --json --at takes both"
		}
		out = append(out, x)
	}
	return out
}

// fresh is a name for a member that no other field has.
func (s *sample) fresh(f *field, name string) string {
	for slices.Contains(s.lie.Names, name) && name != f.name {
		name = f.name + " " + name
	}
	return name
}
