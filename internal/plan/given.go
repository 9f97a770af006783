package plan

import (
	"slices"
	"strings"

	"revuelta/internal/diag"
)

// Fill fills the places of a plan: given NAME [DEFAULT] declares one, and ${NAME} in any word below stands for what was given, else
// for the default; $${ stands for ${. The statements that declare places are gone then. The error is a diag.List.
func Fill(name string, statements []Statement, given map[string]string) ([]Statement, error) {
	var out []Statement
	var errs diag.List
	values := map[string]string{}
	var known []string // places, also those that nobody gave
	fail := func(s Statement, e *diag.Error) {
		e.Plan, e.PlanLine = name, s.Line()
		errs = append(errs, e)
	}
	for _, s := range statements {
		if s.Name.Text != "given" {
			filled := Statement{Words: slices.Clone(s.Words)}
			words := append([]*Word{&filled.Name}, pointers(filled.Words)...)
			filled.Name = s.Name
			for _, w := range words {
				text, e := fillWord(w.Text, values, known)
				if e != nil {
					e.Plan, e.PlanLine = name, w.Line
					errs = append(errs, e)
				}
				w.Text = text
			}
			out = append(out, filled)
			continue
		}
		n := len(s.Words)
		if n < 1 || n > 2 || !isPlace(s.Words[0].Text) {
			fail(s, diag.Usagef("given names a place of the plan, and what stands there by default").Trying("given month 2024-05", "given month"))
			continue
		}
		place := s.Words[0].Text
		if slices.Contains(known, place) {
			fail(s, diag.Usagef("the place %s is there already", place).Trying("another name"))
			continue
		}
		known = append(known, place)
		value, ok := given[place]
		if !ok && n == 2 {
			value, ok = s.Words[1].Text, true
		}
		if !ok {
			fail(s, diag.Usagef("nothing is given for %s", place).Trying("--given "+place+"=VALUE", "a default: given "+place+" VALUE"))
			continue
		}
		values[place] = value
	}
	var spare []string
	for place := range given {
		if !slices.Contains(known, place) {
			spare = append(spare, place)
		}
	}
	slices.Sort(spare)
	for _, place := range spare {
		e := diag.Usagef("--given %s: the plan has no such place", place)
		if near := diag.Nearest(place, known); near != "" {
			e.Trying("did you mean " + near + "?")
		} else if len(known) > 0 {
			e.Trying("its places are " + diag.Names(known))
		} else {
			e.Trying("given " + place + "   on a line of the plan")
		}
		errs = append(errs, e)
	}
	if len(errs) > 0 {
		return out, errs
	}
	return out, nil
}

func pointers(words []Word) []*Word {
	var out []*Word
	for i := range words {
		out = append(out, &words[i])
	}
	return out
}

// fillWord fills the places in a word.
func fillWord(s string, values map[string]string, known []string) (string, *diag.Error) {
	if !strings.Contains(s, "${") {
		return s, nil
	}
	var b strings.Builder
	var wrong *diag.Error
	for i := 0; i < len(s); {
		switch {
		case strings.HasPrefix(s[i:], "$${"):
			b.WriteString("${")
			i += 3
		case strings.HasPrefix(s[i:], "${"):
			end := strings.IndexByte(s[i:], '}')
			place := ""
			if end > 0 {
				place = s[i+2 : i+end]
			}
			if !isPlace(place) {
				return s, diag.Usagef("%s is no place: it is written ${NAME}", diag.Quote(s[i:])).Trying("$${ for ${ itself")
			}
			if v, ok := values[place]; ok {
				b.WriteString(v)
			} else if !slices.Contains(known, place) && wrong == nil { // what nobody gave is told where it is declared
				wrong = diag.Usagef("the plan has no place %s", place)
				if near := diag.Nearest(place, known); near != "" {
					wrong.Trying("did you mean ${" + near + "}?")
				} else {
					wrong.Trying("given "+place+"   on a line above", "$${ for ${ itself")
				}
			}
			i += end + 1
		default:
			b.WriteByte(s[i])
			i++
		}
	}
	return b.String(), wrong
}

// isPlace tells the name of a place: letters, digits, _ and -, a letter first.
func isPlace(s string) bool {
	for i, c := range s {
		letter := c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '_' || c > 0x7f
		if !letter && (i == 0 || !(c >= '0' && c <= '9' || c == '-')) {
			return false
		}
	}
	return s != ""
}
