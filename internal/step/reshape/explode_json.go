package reshape

import (
	"encoding/json"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/step"
)

// Pick is a member of a JSON object that becomes a field.
type Pick struct {
	Name  string
	Paths []*formula.Path // the first that is there counts
}

func picksOf(s string) ([]Pick, error) {
	var out []Pick
	for _, piece := range selection.Cut(s, ',') {
		name, source, ok := step.CutAssignment(piece)
		if !ok {
			return nil, diag.Usagef("--pick %s: it is written NAME = PATH", diag.Quote(piece)).Trying("--pick 'name=$.name, share=$.pct'")
		}
		name, _, err := selection.Unquote(name)
		if err != nil {
			return nil, err
		}
		if name == "" {
			return nil, diag.Usagef("--pick %s: the field has no name", diag.Quote(piece))
		}
		p := Pick{Name: name}
		for _, one := range selection.CutCode(source, '|') {
			path, err := formula.ParsePath(strings.TrimSpace(one))
			if err != nil {
				return nil, diag.Usagef("--pick: %v", err).Trying("$.name", "$.size.width", "$.tags[0]", "$.brand|$.Brand")
			}
			p.Paths = append(p.Paths, path)
		}
		out = append(out, p)
	}
	return out, nil
}

func (w *exploder) blankPick() {
	w.lists[0] = append(w.lists[0], "")
	for j := range w.e.Picks {
		w.lists[len(w.fields)+j] = append(w.lists[len(w.fields)+j], "")
	}
}

// pick appends the members of each object.
func (w *exploder) pick(objects []json.RawMessage) string {
	for _, raw := range objects {
		var members map[string]json.RawMessage
		if err := json.Unmarshal(raw, &members); err != nil || members == nil {
			return "holds " + diag.Quote(string(raw)) + ", which is no object to pick from"
		}
		w.s.Counters.Count[objectsPicked]++
		for j, p := range w.e.Picks {
			list := &w.lists[len(w.fields)+j]
			value, found := "", false
			for _, path := range p.Paths {
				var err error
				if name, ok := path.Member(); ok {
					var member json.RawMessage
					if member, found = members[name]; found {
						value = formula.Plain(member)
					}
				} else if value, found, err = path.Find(string(raw)); err != nil {
					return err.Error()
				}
				if found {
					break
				}
			}
			if !found {
				w.s.Counters.Lacks(p.Name)
			}
			*list = append(*list, value)
		}
		w.lists[0] = append(w.lists[0], "") // it keeps count
	}
	return ""
}

// cut appends the pieces of a cell, without empty ones where drop says so.
// within is the JSON array or object in a text, as between code fences or in a sentence; the text itself where there is none.
func within(text string) string {
	const tries = 20 // beginnings that are none
	at := 0
	for range tries {
		i := strings.IndexAny(text[at:], "[{")
		if i < 0 {
			break
		}
		at += i
		d := json.NewDecoder(strings.NewReader(text[at:]))
		var value json.RawMessage
		if d.Decode(&value) == nil {
			return string(value)
		}
		at++
	}
	return text
}
