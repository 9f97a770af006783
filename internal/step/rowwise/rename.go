package rowwise

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"revuelta/internal/diag"
	"revuelta/internal/pattern"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var RenameSpec = &step.Spec{
	Name: "rename",
	Brief: []string{
		"Gives fields other names: by hand, by a pattern, from a file, or all at once.",
		"The old name is any item that picks one field: a name, #2, /expression/.",
	},
	Forms: []string{"rename 'old=new,...'", "rename PATTERN --into PATTERN", "rename --lower", "rename --snake", "rename --map FILE"},
	Operands: func(a *step.Args) int {
		if a.Has("lower") || a.Has("snake") || a.Has("map") {
			return 0
		}
		return 1
	},
	Options: []step.Option{
		{Name: "into", Value: "PATTERN", Help: "what the names that fit the operand become"},
		{Name: "lower", Help: "all names in lower case"},
		{Name: "snake", Help: "all names in lower case, with _ between the words"},
		{Name: "map", Value: "FILE", File: true, Help: "a table whose first two fields are the old and the new names"},
	},
	Make: makeRename,
	Examples: []step.Example{{
		Command: "revuelta rename '{month} kilos' --into 'kg {month}' harvest.csv",
		Input:   "colony,April kilos,May kilos\n026,1.10,4\n",
		Output:  "colony,kg April,kg May\n026,1.10,4\n",
	}, {
		Command: "revuelta rename 'colony=hive,#-1=kg' harvest.csv",
		Input:   "colony,kilos\n026,1.10\n",
		Output:  "hive,kg\n026,1.10\n",
	}},
}

// Rename gives fields other names.
type Rename struct {
	Pairs      []renaming
	From, Into *pattern.Pattern
	All        func(string) string
	Map        *Lookup
	loaded     []LookupPair // of the Map
}

type renaming struct {
	item selection.Item
	to   string
}

func makeRename(a *step.Args) (step.Step, error) {
	if err := a.Excludes("lower", "snake", "map", "into"); err != nil {
		return nil, err
	}
	if err := a.Excludes("snake", "map", "into"); err != nil {
		return nil, err
	}
	if err := a.Excludes("map", "into"); err != nil {
		return nil, err
	}
	switch {
	case a.Has("lower"):
		return &Rename{All: strings.ToLower}, nil
	case a.Has("snake"):
		return &Rename{All: snake}, nil
	case a.Has("map"):
		return &Rename{Map: &Lookup{File: a.Path("map")}}, nil
	case a.Has("into"):
		return makeRenameByPattern(a)
	}
	r := &Rename{}
	for _, piece := range selection.Cut(a.Operands[0], ',') {
		sides := selection.Cut(piece, '=')
		if len(sides) > 2 { // the new name may hold =
			sides = []string{sides[0], piece[len(sides[0])+1:]}
		}
		if len(sides) != 2 {
			e := diag.Usagef("%s: a renaming is written old=new", diag.Quote(piece))
			if pattern.HasPlace(piece) {
				return nil, e.Trying("rename PATTERN --into PATTERN")
			}
			return nil, e.Trying("rename 'old=new,other=another'")
		}
		item, err := selection.ParseItem(sides[0])
		if err != nil {
			return nil, err
		}
		to, _, err := selection.Unquote(sides[1])
		if err != nil {
			return nil, err
		}
		if to == "" {
			return nil, diag.Usagef("%s: the new name is empty", diag.Quote(piece)).Trying("fields '!" + strings.TrimSpace(sides[0]) + "' drops a field")
		}
		r.Pairs = append(r.Pairs, renaming{item, to})
	}
	return r, nil
}

func makeRenameByPattern(a *step.Args) (step.Step, error) {
	r := &Rename{}
	var err error
	if r.From, err = pattern.Parse(a.Operands[0]); err != nil {
		return nil, diag.Usagef("the pattern %s can't be read: %v", a.Operands[0], err)
	}
	if r.Into, err = pattern.Parse(a.Get("into", "")); err != nil {
		return nil, diag.Usagef("the pattern --into %s can't be read: %v", a.Get("into", ""), err)
	}
	if len(r.From.Names()) == 0 {
		return nil, diag.Usagef("the pattern %s has no place, so nothing could be written into --into", a.Operands[0]).Trying("rename 'old=new'")
	}
	if r.Into.Has(pattern.Dropped) {
		return nil, diag.Usagef("--into %s: %v", r.Into, pattern.ErrDropped)
	}
	for _, n := range r.Into.Names() {
		if !r.From.Has(n) {
			return nil, diag.Usagef("--into has the place {%s}, which %s has not", n, r.From).
				Trying("its places are " + strings.Join(r.From.Places(), ", "))
		}
	}
	return r, nil
}

// snake is a name in lower case, its words parted by _.
func snake(s string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(s) {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) {
			b.WriteRune(r)
		} else if b.Len() > 0 && !strings.HasSuffix(b.String(), "_") {
			b.WriteByte('_')
		}
	}
	return strings.TrimSuffix(b.String(), "_")
}

// Capabilities implements step.Step.
func (r *Rename) Capabilities() step.Capabilities {
	return step.Capabilities{Rows: r.Bind, Prepare: r.Prepare, LooksAt: r.LooksAt(), OpenFields: r.OpenFields()}
}

// LooksAt names the other table.
func (r *Rename) LooksAt() string { return r.Map.path() }

// OpenFields tells that the names stand in a table which is known only at the run.
func (r *Rename) OpenFields() bool { return strings.HasPrefix(r.Map.path(), "@") }

// Prepare it loads the names.
func (r *Rename) Prepare(s *step.Context) (step.Step, error) {
	if r.Map == nil {
		return r, nil
	}
	pairs, err := r.Map.load(s)
	if err != nil {
		return nil, err
	}
	return &Rename{Map: r.Map, loaded: pairs}, nil
}

// Bind binds it to the fields of its input.
func (r *Rename) Bind(in *table.Schema) (*step.Bound, error) {
	names := slices.Clone(in.Names())
	var notes []string
	var err error
	switch {
	case r.All != nil:
		for i, n := range names {
			if names[i] = r.All(n); names[i] == "" {
				return nil, diag.Dataf("nothing would be left of the name %s", diag.Quote(n)).Trying("rename it by hand first")
			}
		}
	case r.Map != nil:
		notes, err = r.byMap(in, names)
	case r.From != nil:
		err = r.byPattern(in, names)
	default:
		done := map[int]bool{}
		for _, p := range r.Pairs {
			i, e := p.item.One(in)
			if missing := (*diag.Error)(nil); errors.As(e, &missing) && slices.Contains(in.Names(), p.to) {
				missing.Try = []string{"rename " + diag.Shell(p.to+"="+p.item.Text) + ": the old name comes first"}
			}
			if e != nil {
				return nil, e
			}
			if done[i] {
				return nil, diag.Usagef("%s is renamed twice", diag.Quote(in.Name(i)))
			}
			done[i] = true
			names[i] = p.to
		}
	}
	if err != nil {
		return nil, err
	}
	schema, err := step.Unique(names, "give one of them another name")
	if err != nil {
		return nil, err
	}
	changed := int64(0)
	for i, n := range names {
		if n != in.Name(i) {
			changed++
		}
	}
	return &step.Bound{
		Schema:         schema,
		Notes:          notes,
		RetainsNothing: true,
		New:            func(*step.Context) step.MapFunc { return through },
		Summary:        func(*step.Counters) string { return fmt.Sprintf("%s renamed", diag.Plural(changed, "field")) },
	}, nil
}

// through passes batches on as they are.
func through(src *table.Batch, emit func(*table.Batch) error) error { return emit(src) }

func (r *Rename) byPattern(in *table.Schema, names []string) error {
	m, parts := r.From.Matcher(), make([]string, len(r.From.Names()))
	out := make([]string, len(r.Into.Names()))
	hits := 0
	for i := range names {
		if !m.Match(in.Name(i), parts) {
			continue
		}
		hits++
		for k, n := range r.Into.Names() {
			out[k] = parts[slices.Index(r.From.Names(), n)]
		}
		names[i] = string(r.Into.Append(nil, out))
	}
	if hits == 0 {
		return selection.NoFit(r.From.String(), in)
	}
	return nil
}

func (r *Rename) byMap(in *table.Schema, names []string) (notes []string, err error) {
	var strangers []string
	hits := 0
	for _, p := range r.loaded {
		i, ok := in.Index(p.From)
		switch {
		case !ok:
			strangers = append(strangers, p.From)
		case p.To == "":
			return nil, diag.Dataf("the new name of %s is empty", diag.Quote(p.From)).At(p.File, p.Line)
		default:
			names[i] = p.To
			hits++
		}
	}
	if hits == 0 {
		return nil, diag.Dataf("none of the names in %s is a field; the fields are: %s", r.Map.File, diag.Names(in.Names()))
	}
	if len(strangers) > 0 {
		notes = append(notes, fmt.Sprintf("named in %s but not here: %s", r.Map.File, diag.Names(strangers)))
	}
	return notes, nil
}
