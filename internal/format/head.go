package format

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format/delimited"
	"revuelta/internal/sheet"
	"revuelta/internal/table"
)

// head is what was made of the first rows of a file.
type head struct {
	names []string
	body  int // index of the first row of data
	notes []string
	found Header
}

// readHead finds the header among the first rows, counted as they lie in the file, empty ones too.
func readHead(rows []delimited.Record, o ReadOptions, merged mergedAreas) (*head, *diag.Error) {
	h := &head{found: o.Header}
	join := func(from, to int) []string { return joinHeader(rows[from:to+1], o.HeaderJoin, merged.in(from, to)) }
	from, to := 0, 0 // first and last header row, from 0
	switch o.Header.Kind {
	case HeaderNone:
		to = -1
		from = 0
		for from < len(rows) && len(rows[from].Cells) == 0 {
			from++
		}
	case HeaderRows:
		from, to = o.Header.From-1, o.Header.To-1
		if to >= len(rows) {
			return nil, diag.Dataf("--header %d: only %s to be seen at the beginning of the file", o.Header.To, diag.Plural(int64(len(rows)), "row"))
		}
	default:
		for from < len(rows) && len(rows[from].Cells) == 0 {
			from++
		}
		if from == len(rows) {
			return nil, diag.Dataf("the file has no header: it is empty")
		}
		likely, last := likelyHeader(rows, from, merged)
		if o.Header.Kind == HeaderAuto {
			if likely < 0 {
				likely, last = from, from
			}
			from, to = likely, last
			h.found = Header{HeaderRows, from + 1, to + 1}
			h.notes = append(h.notes, fmt.Sprintf("header taken from %s: %s", h.found, diag.Names(cleanNames(join(from, to)))))
			break
		}
		if likely > from && looksLikeTitle(rows, from, likely) {
			there := Header{HeaderRows, likely + 1, last + 1}
			asIt := fmt.Sprintf("--header %d if it is one all the same", from+1)
			marked := func(r delimited.Record) bool {
				return len(r.Cells) > 0 && strings.HasPrefix(strings.TrimSpace(r.Cells[0]), "#")
			}
			if o.Layout.Comment == "" && marked(rows[from]) && (anyNumber(rows[likely].Cells) || prose(rows[likely].Cells)) && !slices.ContainsFunc(rows[likely+1:], marked) {
				return nil, diag.Dataf("row %d looks like a comment, not a header: it begins with #", from+1).Trying("--comment '#' leaves out the lines that begin with #", asIt)
			}
			if prose(rows[likely].Cells) {
				return nil, diag.Dataf("row %d looks like a title, not a header: %s of its %s; beneath it stands text, and nothing that looks like a header",
					from+1, filledOf(rows[from]), diag.Plural(int64(width(rows[from:])), "cell")).Trying("--header N and --body N tell where the table begins", asIt)
			}
			if anyNumber(rows[likely].Cells) {
				return nil, diag.Dataf("row %d looks like a title, not a header: %s of its %s; beneath it stands data, and nothing that looks like a header",
					from+1, filledOf(rows[from]), diag.Plural(int64(width(rows[from:])), "cell")).
					Trying("--header none", fmt.Sprintf("--header none --body %d if what stands above is no data", likely+1), asIt)
			}
			return nil, diag.Dataf("row %d looks like a title, not a header: %s of its %s; the header seems to be %s: %s",
				from+1, filledOf(rows[from]), diag.Plural(int64(width(rows[from:])), "cell"), there, diag.Names(cleanNames(join(likely, last)))).
				Trying("--header "+there.Option(), asIt)
		}
		to = from
	}
	h.body = to + 1
	if o.Header.Kind == HeaderNone {
		h.body = 0
		n := width(rows[min(emptyFirst(rows), len(rows)):])
		if o.Body > 0 && o.Body <= len(rows) {
			n = width(rows[o.Body-1:])
		}
		for i := range n {
			h.names = append(h.names, fmt.Sprintf("field %d", i+1))
		}
	} else {
		h.names, h.notes = headerNames(join(from, to), h.notes)
	}
	if len(h.names) == 0 {
		return nil, diag.Dataf("the file has no header: row %d is empty", to+1)
	}
	if o.Body > 0 {
		if o.Body <= to+1 {
			return nil, diag.Usagef("--body %d: the header reaches to row %d", o.Body, to+1)
		}
		if o.Body-1 > len(rows) {
			return nil, diag.Dataf("--body %d: only %s to be seen at the beginning of the file", o.Body, diag.Plural(int64(len(rows)), "row"))
		}
		between := int64(0)
		for _, r := range rows[h.body : o.Body-1] {
			if len(r.Cells) > 0 {
				between++
			}
		}
		if between > 0 {
			h.notes = append(h.notes, fmt.Sprintf("%s between the header and the data left out", diag.Plural(between, "row")))
		}
		h.body = o.Body - 1
	}
	return h, nil
}

// prose tells cells of a running text, which commas part.
func prose(cells []string) bool {
	return slices.ContainsFunc(cells, func(c string) bool { return len(strings.Fields(c)) > 5 })
}

func filledOf(r delimited.Record) string {
	n := filled(r.Cells)
	if n == 1 {
		return "something in 1"
	}
	return fmt.Sprintf("something in %d", n)
}

func empty(cells []string) bool {
	return !slices.ContainsFunc(cells, func(c string) bool { return c != "" })
}

func filled(cells []string) int {
	n := 0
	for _, c := range cells {
		if strings.TrimSpace(c) != "" {
			n++
		}
	}
	return n
}

const headRows = 30 // rows looked at for a header

// width is the most cells that a row at the beginning has.
func width(rows []delimited.Record) int {
	w := 0
	for _, r := range rows[:min(len(rows), headRows)] {
		w = max(w, len(r.Cells))
	}
	return w
}

// lineAlone tells whether the first row is a line without a delimiter, and a header of two fields with their data stands beneath.
func lineAlone(rows []delimited.Record, likely int) bool {
	return len(rows[0].Cells) == 1 && 0 < likely && likely < len(rows)-1 && !anyNumber(rows[likely].Cells) &&
		slices.ContainsFunc(rows[likely+1:], func(r delimited.Record) bool { return len(r.Cells) > 1 })
}

// looksLikeTitle reports whether most names are empty in a row and a later one is fuller; likely is the likely header.
func looksLikeTitle(rows []delimited.Record, i, likely int) bool {
	n := filled(rows[i].Cells)
	rows = rows[i:min(len(rows), i+headRows)]
	if 2*n >= width(rows) && !lineAlone(rows, likely-i) {
		return false
	}
	for _, r := range rows[1:] {
		if filled(r.Cells) > n {
			return true
		}
	}
	return false
}

// String names the rows.
func (h Header) String() string {
	if h.From == h.To {
		return fmt.Sprintf("row %d", h.From)
	}
	return fmt.Sprintf("rows %d and %d", h.From, h.To)
}

// Option is what --header takes.
func (h Header) Option() string {
	if h.From == h.To {
		return fmt.Sprint(h.From)
	}
	return fmt.Sprintf("%d-%d", h.From, h.To)
}

// likelyHeader is the first row filled as widely as those beneath with
// distinct texts, or two rows of which the lower is so filled and the joined
// names are distinct; the first field may have no name where its cells are labels. -1 where there is none. It looks from a row on.
func likelyHeader(rows []delimited.Record, first int, merged mergedAreas) (from, to int) {
	rows = rows[:min(len(rows), first+headRows)]
	for i := first; i < len(rows); i++ {
		r := rows[i]
		n := filled(r.Cells)
		if n == 0 || n == 1 && width(rows[first:]) > 1 {
			continue
		}
		widest := 0
		for _, below := range rows[i+1:] {
			widest = max(widest, filled(below.Cells))
		}
		switch {
		case n >= widest && distinct(r.Cells) == n:
			return i, i
		case i > first && filled(rows[i-1].Cells) > 1 && slices.ContainsFunc(rows[i+1:], func(r delimited.Record) bool { return filled(r.Cells) > 0 }):
			names := joinHeader(rows[i-1:i+1], " / ", merged.in(i-1, i))
			if anyNumber(r.Cells) || fullerBeneath(rows[i+1:], widest) { // that is data, or a title of several cells
				continue
			}
			wide := filled(names)
			if corner(names) {
				wide++
			}
			if distinct(names) == filled(names) && (n >= widest || wide >= widest && (spread(names, rows[i-1].Cells) || repeats(rows[i-1].Cells))) {
				return i - 1, i
			}
		case n > 1 && n+1 == widest && corner(r.Cells) && distinct(r.Cells) == n && !anyNumber(r.Cells) && dataBeneath(rows[i+1:]):
			return i, i
		}
	}
	return -1, -1
}

// fullerBeneath tells whether one of the next rows names every column, and data follows it.
func fullerBeneath(rows []delimited.Record, widest int) bool {
	for i, r := range rows[:max(0, min(len(rows)-1, 4))] {
		if n := filled(r.Cells); n >= widest && distinct(r.Cells) == n && !anyNumber(r.Cells) && anyNumber(rows[i+1].Cells) {
			return true
		}
	}
	return false
}

// corner tells whether the first cell alone is blank, as where rows have labels and their field has no name.
func corner(cells []string) bool {
	return strings.TrimSpace(cells[0]) == "" && filled(cells) == len(cells)-1
}

// repeats tells whether a text stands twice.
func repeats(cells []string) bool { return distinct(cells) < filled(cells) }

// dataBeneath tells whether the next row that is not blank is data: with a label first, and numbers.
func dataBeneath(rows []delimited.Record) bool {
	for _, r := range rows {
		if filled(r.Cells) > 0 {
			return strings.TrimSpace(r.Cells[0]) != "" && anyNumber(r.Cells)
		}
	}
	return false
}

// anyNumber tells whether a cell is a number, but for years, which head columns.
func anyNumber(cells []string) bool {
	for _, c := range cells {
		c = strings.TrimSpace(c)
		if n, err := strconv.ParseFloat(c, 64); err == nil && (len(c) != 4 || n < 1900 || n > 2100) {
			return true
		}
	}
	return false
}

// spread tells whether a label of an upper row stands for further columns in the names.
func spread(names, upper []string) bool {
	for c, n := range names {
		if strings.Contains(n, " / ") && (c >= len(upper) || strings.TrimSpace(upper[c]) == "") {
			return true
		}
	}
	return false
}

// distinct counts the different texts.
func distinct(cells []string) int {
	seen := map[string]bool{}
	for _, c := range cells {
		if c = strings.TrimSpace(c); c != "" {
			seen[c] = true
		}
	}
	return len(seen)
}

// mergedAreas gives the merged areas of a sheet, counted from the first row and
// column of what is read; nil: there is none.
type mergedAreas func() []sheet.Area

// in lists the areas that begin in rows from 0, counted from the first of them.
func (m mergedAreas) in(from, to int) []sheet.Area {
	if m == nil || from >= to {
		return nil
	}
	var out []sheet.Area
	for _, a := range m() {
		if from < a.Top && a.Top <= to+1 && a.Right > a.Left {
			a.Top, a.Bottom = a.Top-from, a.Bottom-from
			out = append(out, a)
		}
	}
	return out
}

// joinHeader makes one row of names of several. A label of an upper row spreads
// over its merged area; where no cells are merged, over the blank cells to its right where the row beneath names something in
// the label's own column too.
func joinHeader(rows []delimited.Record, join string, merged []sheet.Area) []string {
	if len(rows) == 1 {
		return rows[0].Cells
	}
	w := 0
	for _, r := range rows {
		w = max(w, len(r.Cells))
	}
	over := map[[2]int]string{} // what a cell is covered by
	for _, a := range merged {
		if row := rows[a.Top-1].Cells; a.Left <= len(row) {
			for c := a.Left; c < min(a.Right, w); c++ {
				over[[2]int{a.Top - 1, c}] = strings.TrimSpace(row[a.Left-1])
			}
		}
	}
	cell := func(r, c int) string {
		if c < len(rows[r].Cells) {
			return strings.TrimSpace(rows[r].Cells[c])
		}
		return ""
	}
	parts := make([][]string, w)
	for r := range rows {
		label, spreads := "", false
		for c := range w {
			own := cell(r, c)
			if own != "" {
				label, spreads = own, merged == nil && r+1 < len(rows) && cell(r+1, c) != ""
			} else if covered, ok := over[[2]int{r, c}]; ok {
				own = covered
			} else if spreads {
				own = label
			}
			if own != "" {
				parts[c] = append(parts[c], own)
			}
		}
	}
	names := make([]string, w)
	for c := range names {
		names[c] = strings.Join(parts[c], join)
	}
	return names
}

// cleanName trims a name and puts it on one line.
func cleanName(s string) string {
	if strings.ContainsAny(s, "\r\n") {
		s = strings.NewReplacer("\r\n", " ", "\n", " ", "\r", " ").Replace(s)
	}
	return strings.Clone(strings.TrimSpace(s))
}

func cleanNames(cells []string) []string {
	var out []string
	for _, c := range cells {
		if c = cleanName(c); c != "" {
			out = append(out, c)
		}
	}
	return out
}

// headerNames makes the names of the fields: trimmed, on one line, none empty, none twice; each change is noted.
func headerNames(cells, notes []string) (names, allNotes []string) {
	clean := make([]string, len(cells))
	var trimmed []string
	for i, c := range cells {
		clean[i] = cleanName(c)
		if clean[i] != c && clean[i] != "" {
			trimmed = append(trimmed, clean[i])
		}
	}
	names, empty, repeated := table.Names(clean)
	say := func(list []string, one, many string) {
		switch len(list) {
		case 0:
		case 1:
			notes = append(notes, fmt.Sprintf(one, diag.Names(list)))
		default:
			notes = append(notes, fmt.Sprintf(many, len(list), diag.Names(list)))
		}
	}
	say(trimmed, "a header name trimmed: %s", "%d header names trimmed: %s")
	say(empty, "an empty header name became %s", "%d empty header names became %s")
	say(repeated, "a repeated header name became %s", "%d repeated header names became %s")
	first := map[string]string{}
	for _, n := range names {
		key := alike(n)
		if b, ok := first[key]; ok {
			notes = append(notes, fmt.Sprintf("two header names differ only by case or spaces: %s and %s", diag.Quote(b), diag.Quote(n)))
			continue
		}
		first[key] = n
	}
	return names, notes
}

func alike(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), "")) }
