package plan

import (
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/step/catalog"
)

// Word is a word of a plan and where it stands.
type Word struct {
	Text   string
	Quoted bool // at least in part: it is never an option
	Line   int
}

// Statement is one step of a plan: a name and its words.
type Statement struct {
	Name  Word
	Words []Word
}

// Line is where the statement begins.
func (s *Statement) Line() int { return s.Name.Line }

// Parse parts the text of a plan into statements. name is what errors call
// it; the error is a diag.List with all that is wrong.
func Parse(name, text string) ([]Statement, error) {
	var out []Statement
	var errs diag.List
	text = strings.TrimPrefix(text, "\uFEFF")
	unread := false // the step that a line may go on with
	for i, line := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		indented := strings.HasPrefix(line, " ") || strings.HasPrefix(line, "\t")
		words, err := split(line, i+1)
		if err != nil {
			err.Plan, err.PlanLine = name, i+1
			errs = append(errs, err)
			unread = unread || !indented
			continue
		}
		if n := len(words); n > 0 && words[n-1].Text == `\` && !words[n-1].Quoted {
			errs = append(errs, &diag.Error{Status: diag.Usage, Plan: name, PlanLine: i + 1,
				Text: `the line ends with \: a step goes on over the indented lines beneath it`, Try: []string{`leave out the \`}})
			words = words[:n-1]
		}
		switch {
		case len(words) == 0 || indented && unread:
		case !indented:
			out = append(out, Statement{Name: words[0], Words: words[1:]})
			unread = false
		case len(out) == 0:
			errs = append(errs, &diag.Error{Status: diag.Usage, Plan: name, PlanLine: i + 1,
				Text: "the line is indented, so it goes on with a step above: there is none", Try: []string{"begin it at the left edge"}})
			unread = true
		default:
			last := &out[len(out)-1]
			last.Words = append(last.Words, words...)
		}
	}
	if err := noPlan(name, out); err != nil {
		return nil, diag.List{err}
	}
	if len(errs) > 0 {
		return out, errs
	}
	return out, nil
}

// noPlan is the error of a text that is something else: several lines, none of which begins with a step.
func noPlan(name string, statements []Statement) *diag.Error {
	const few, many = 3, 50 // lines to be sure, and lines that are enough for it
	known := append(slices.Clone(Statements), catalog.Names()...)
	for _, s := range statements[:min(many, len(statements))] {
		if slices.Contains(known, s.Name.Text) || diag.Nearest(s.Name.Text, known) != "" {
			return nil
		}
	}
	if len(statements) < few {
		return nil
	}
	e := diag.Usagef("this is no plan: none of its lines begins with a step").Trying("a table comes behind the plan: run PLAN "+name, "look "+name+" --plan NEW.plan writes one to start from")
	e.Plan, e.PlanLine = name, 1
	return e
}

// split parts a line into words.
func split(s string, line int) ([]Word, *diag.Error) {
	var out []Word
	for i := 0; i < len(s); {
		switch s[i] {
		case ' ', '\t', '\r':
			i++
			continue
		case '#':
			if len(out) == 0 || i+1 == len(s) || s[i+1] == ' ' || s[i+1] == '\t' { // #2 is a field
				return out, nil
			}
		}
		var b strings.Builder
		w := Word{Line: line}
		for i < len(s) && s[i] != ' ' && s[i] != '\t' {
			switch s[i] {
			case '\'':
				end := strings.IndexByte(s[i+1:], '\'')
				if end < 0 {
					return nil, unclosed(s[i:])
				}
				b.WriteString(s[i+1 : i+1+end])
				w.Quoted = true
				i += end + 2
			case '"':
				w.Quoted = true
				from := i
				for i++; ; i++ {
					if i >= len(s) {
						return nil, unclosed(s[from:])
					}
					if s[i] == '"' {
						i++
						break
					}
					if s[i] == '\\' && i+1 < len(s) && (s[i+1] == '"' || s[i+1] == '\\') {
						i++
					}
					b.WriteByte(s[i])
				}
			default:
				b.WriteByte(s[i])
				i++
			}
		}
		w.Text = b.String()
		out = append(out, w)
	}
	return out, nil
}

func unclosed(rest string) *diag.Error {
	return diag.Usagef("the quote that opens at %s is never closed on its line", diag.Quote(rest)).
		Trying("close it; a step goes on over indented lines, a quoted word does not")
}

// String writes a statement as a plan has it.
func (s Statement) String() string {
	words := []string{s.Name.String()}
	for _, w := range s.Words {
		words = append(words, w.String())
	}
	return strings.Join(words, " ")
}

// String writes a word, quoted where it needs it.
func (w Word) String() string {
	if w.Text != "" && w.Text != `\` && !strings.ContainsAny(w.Text, " \t'\"#") && (!w.Quoted || !strings.HasPrefix(w.Text, "-")) {
		return w.Text
	}
	if !strings.Contains(w.Text, "'") {
		return "'" + w.Text + "'"
	}
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(w.Text) + `"`
}
