package step_test

import (
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/step"
	"revuelta/internal/step/steptest"
)

// A model says what a step gives, the plainest way there is: whole tables of
// texts, no column kinds, no batches, nothing shared with the steps. It draws a use
// of its step, in some of the table it is given or one of its own, and gives the line, the table that must come out, and where the step must fail pieces of its message, parted by |, one of which must be there.
type model func(d draw, in *steptest.Table) (line string, want steptest.Table, fails string)

// draw draws choices.
type draw struct{ rt *rapid.T }

func (d draw) of(values ...string) string { return rapid.SampledFrom(values).Draw(d.rt, "one of") }
func (d draw) maybe() bool                { return rapid.Bool().Draw(d.rt, "maybe") }
func (d draw) seldom() bool               { return rapid.IntRange(0, 9).Draw(d.rt, "seldom") == 0 }
func (d draw) upTo(n int) int             { return rapid.IntRange(1, n).Draw(d.rt, "up to") }

// some draws some of the values, in any order, at least so many.
func (d draw) some(least int, values ...string) []string {
	p := rapid.Permutation(values).Draw(d.rt, "order")
	return p[:rapid.IntRange(least, len(values)).Draw(d.rt, "some")]
}

func (d draw) table() steptest.Table {
	in := steptest.Table{Names: []string{"k", "a", "b", "c"}}
	a := []string{"1", "2.50", "", "-3", "1e2", "0.1", "0.1", "10"}
	if d.seldom() {
		a = append(a, "12 kg")
	}
	for range rapid.IntRange(0, 12).Draw(d.rt, "rows") {
		in.Rows = append(in.Rows, []string{d.of("026", "26", "", "Vesk"), d.of(a...), d.of("", "lime", "lime; ivy", "ivy;;lime", ";", " x ", "oak;ivy;lime"), d.of("p", "q", "", "h10", "h9")})
	}
	return in
}

func columnOf(t steptest.Table, name string) int { return slices.Index(t.Names, name) }

// pick gives the cells of a row in some fields.
func pick(t steptest.Table, row []string, names []string) []string {
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = row[columnOf(t, n)]
	}
	return out
}

func without(names []string, gone ...string) []string {
	return slices.DeleteFunc(slices.Clone(names), func(n string) bool { return slices.Contains(gone, n) })
}

func keyOf(cells []string) string { return fmt.Sprintf("%q", cells) }

// ratOf reads a number of the kind that the tables hold.
func ratOf(cell string) (*big.Rat, bool) { return new(big.Rat).SetString(cell) }

var models = map[string]model{
	"unpivot": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		folded, skip := d.some(1, in.Names...), d.maybe()
		kept := without(in.Names, folded...)
		want := steptest.Table{Names: append(kept, "header", "cell")}
		for _, row := range in.Rows {
			for _, f := range folded {
				if cell := row[columnOf(*in, f)]; cell != "" || !skip {
					want.Rows = append(want.Rows, append(pick(*in, row, kept), f, cell))
				}
			}
		}
		return "unpivot " + strings.Join(folded, ",") + " --label header --value cell" + flag(skip, "--skip-blank"), want, ""
	},
	"unpivot by a pattern": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		names := append(d.some(0, "June kg", "June jars", "July kg", "July jars", "May cells"), "May kg", "May jars")
		names = rapid.Permutation(append(names, "keeper")).Draw(d.rt, "headers")
		in.Names = names
		for i := range in.Rows {
			in.Rows[i] = nil
			for range names {
				in.Rows[i] = append(in.Rows[i], d.of("", "", "1", "x"))
			}
		}
		skip := d.maybe()
		var months, measures []string
		for _, n := range without(names, "keeper") {
			month, measure, _ := strings.Cut(n, " ")
			if !slices.Contains(months, month) {
				months = append(months, month)
			}
			if !slices.Contains(measures, measure) {
				measures = append(measures, measure)
			}
		}
		want := steptest.Table{Names: append([]string{"keeper", "m"}, measures...)}
		for _, row := range in.Rows {
			for _, m := range months {
				made, filled := []string{row[columnOf(*in, "keeper")], m}, false
				for _, measure := range measures {
					cell := ""
					if i := columnOf(*in, m+" "+measure); i >= 0 {
						cell = row[i]
					}
					made, filled = append(made, cell), filled || cell != ""
				}
				if filled || !skip {
					want.Rows = append(want.Rows, made)
				}
			}
		}
		return "unpivot '{m} {@}'" + flag(skip, "--skip-blank"), want, ""
	},
	"pivot": pivotModel,
	"group": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		by, each := d.some(0, "k", "c"), d.maybe()
		calcs := d.some(1, calculations...)
		line := "group" + flag(len(by) > 0, "--by '"+strings.Join(by, ",")+"'") + flag(each, "--each-row")
		want := steptest.Table{Names: slices.Clone(by)}
		if each {
			want.Names = slices.Clone(in.Names)
		}
		for i, c := range calcs {
			line += fmt.Sprintf(" --calc '%s as r%d'", c, i)
			want.Names = append(want.Names, fmt.Sprint("r", i))
		}
		keys, groups := grouped(*in, in.Rows, by)
		if len(by) == 0 {
			keys, groups = [][]string{nil}, map[string][][]string{keyOf(nil): in.Rows}
		}
		results, fails := map[string][]string{}, ""
		for _, key := range keys {
			for _, c := range calcs {
				cell, bad := calculated(*in, groups[keyOf(key)], c)
				if bad != "" {
					fails += "|" + bad
				}
				results[keyOf(key)] = append(results[keyOf(key)], cell)
			}
			if !each {
				want.Rows = append(want.Rows, slices.Concat(key, results[keyOf(key)]))
			}
		}
		if each {
			for _, row := range in.Rows {
				want.Rows = append(want.Rows, slices.Concat(row, results[keyOf(pick(*in, row, by))]))
			}
		}
		return line, want, fails
	},
	"fill": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		fields, how := d.some(1, "a", "b", "c"), d.of("", "--up", "--within k", "--up --within k", "--right", "--with -")
		want := steptest.Table{Names: in.Names}
		for _, row := range in.Rows {
			want.Rows = append(want.Rows, slices.Clone(row))
		}
		if strings.Contains(how, "--up") {
			slices.Reverse(want.Rows)
		}
		fails := ""
		if how == "--right" && len(fields) == 1 {
			fails = "one field only"
		}
		last := map[string]string{}
		for _, row := range want.Rows {
			left := "" // the selected cell before it
			for _, f := range in.Names {
				if !slices.Contains(fields, f) {
					continue
				}
				i := columnOf(*in, f)
				where := f
				if strings.Contains(how, "--within") {
					where += " " + row[0]
				}
				switch {
				case row[i] != "":
					last[where] = row[i]
				case how == "--right":
					row[i] = left
				case how == "--with -":
					row[i] = "-"
				default:
					row[i] = last[where]
				}
				left = row[i]
			}
		}
		if strings.Contains(how, "--up") {
			slices.Reverse(want.Rows)
		}
		return "fill " + strings.Join(fields, ",") + " " + how, want, fails
	},
	"where": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		formula := d.of(`a > 0.1`, `c == "p"`, `c != "p" and k != ""`, `blank(b) or a <= 1`, `not (a >= 2.5)`, `c`+` == ""`)
		want := steptest.Table{Names: in.Names}
		for _, row := range in.Rows {
			a, number := ratOf(row[1])
			reads := strings.Contains(formula, "a >") || strings.Contains(formula, "a <=") && row[2] != "" // or looks no further
			if reads && row[1] != "" && !number {
				return "where '" + formula + "'", want, `field "a": "12 kg" is not a number`
			}
			keep := false
			switch formula {
			case `a > 0.1`:
				keep = number && a.Cmp(big.NewRat(1, 10)) > 0
			case `c == "p"`:
				keep = row[3] == "p"
			case `c != "p" and k != ""`:
				keep = row[3] != "p" && row[0] != ""
			case `blank(b) or a <= 1`:
				keep = row[2] == "" || number && a.Cmp(big.NewRat(1, 1)) <= 0
			case `not (a >= 2.5)`:
				keep = !number || a.Cmp(big.NewRat(5, 2)) < 0
			default:
				keep = row[3] == ""
			}
			if keep {
				want.Rows = append(want.Rows, row)
			}
		}
		return "where '" + formula + "'", want, ""
	},
	"sort": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		var keys []order
		var words []string
		for _, f := range d.some(1, in.Names...) {
			o := orderOf(*in, f, d.maybe())
			keys, words = append(keys, o), append(words, f+flag(o.desc, "desc"))
		}
		want := steptest.Table{Names: in.Names, Rows: slices.Clone(in.Rows)}
		slices.SortStableFunc(want.Rows, func(x, y []string) int { return compared(keys, x, y) })
		return "sort '" + strings.Join(words, ",") + "'", want, ""
	},
	"first": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		n, within := d.upTo(3), d.some(1, "k", "c", "b")
		want, seen := steptest.Table{Names: in.Names}, map[string]int{}
		for _, row := range in.Rows {
			key := fmt.Sprintf("%q", pick(*in, row, within))
			if seen[key]++; seen[key] <= n {
				want.Rows = append(want.Rows, row)
			}
		}
		return fmt.Sprintf("first %d --within %s", n, strings.Join(within, ",")), want, ""
	},
	"distinct": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		by := d.some(1, in.Names...)
		keys, groups := grouped(*in, in.Rows, by)
		want := steptest.Table{Names: in.Names}
		for _, key := range keys {
			want.Rows = append(want.Rows, groups[keyOf(key)][0])
		}
		return "distinct --by " + strings.Join(by, ","), want, ""
	},
	"number": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		within, n := d.some(0, "k", "c"), d.upTo(3)
		how := d.of("", "--every", "--cycle", "--when")
		line := "number n" + flag(len(within) > 0, "--within "+strings.Join(within, ","))
		rows, by := seated(d, *in, &line, how != "--when")
		switch how {
		case "--every", "--cycle":
			line += fmt.Sprintf(" %s %d", how, n)
		case "--when":
			line += ` --when 'c == "p"'`
		}
		want := steptest.Table{Names: append(slices.Clone(in.Names), "n"), Rows: make([][]string, len(in.Rows))}
		count := map[string]int{}
		for _, r := range by {
			key := keyOf(pick(*in, rows[r], within))
			number := ""
			switch {
			case how == "--when":
				if rows[r][3] == "p" {
					count[key]++
				}
				if count[key] > 0 {
					number = strconv.Itoa(count[key])
				}
			default:
				number = strconv.Itoa(count[key] + 1)
				if how == "--every" {
					number = strconv.Itoa(count[key]/n + 1)
				} else if how == "--cycle" {
					number = strconv.Itoa(count[key]%n + 1)
				}
				count[key]++
			}
			want.Rows[r] = append(slices.Clone(rows[r]), number)
		}
		return line, want, ""
	},
	"beside": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		within, n, way := d.some(0, "k", "c"), d.upTo(3), d.of("--ahead", "--back")
		otherwise := d.of("", "-")
		line := fmt.Sprintf("beside a --as n %s %d", way, n) + flag(len(within) > 0, "--within "+strings.Join(within, ",")) + flag(otherwise != "", "--else "+otherwise)
		rows, by := seated(d, *in, &line, true)
		want := steptest.Table{Names: append(slices.Clone(in.Names), "n"), Rows: make([][]string, len(in.Rows))}
		for at, r := range by {
			cell, left := otherwise, n
			for i := at; left > 0; {
				if i++; way == "--back" {
					i -= 2
				}
				if i < 0 || i >= len(by) {
					break
				}
				if keyOf(pick(*in, rows[by[i]], within)) != keyOf(pick(*in, rows[r], within)) {
					continue
				}
				if left--; left == 0 {
					cell = rows[by[i]][1]
				}
			}
			want.Rows[r] = append(slices.Clone(rows[r]), cell)
		}
		return line, want, ""
	},
	"join": joinModel,
	"append": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		other := d.other(d.some(1, "k", "c", "z", "y"))
		want := steptest.Table{Names: append(slices.Clone(in.Names), without(other.Names, in.Names...)...)}
		for _, from := range []steptest.Table{*in, other} {
			for _, row := range from.Rows {
				made := make([]string, len(want.Names))
				for i, n := range from.Names {
					made[columnOf(want, n)] = row[i]
				}
				want.Rows = append(want.Rows, made)
			}
		}
		if len(want.Names) == len(in.Names)+len(other.Names) {
			return "append other.csv", want, "the tables have no field in common"
		}
		return "append other.csv", want, ""
	},
	"split": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		more, fewer, exact, keep := d.of("error", "last", "drop", "last", "drop"), d.of("error", "blank", "blank"), d.maybe(), d.maybe()
		into := []string{"x", "y", "z"}[:1+d.upTo(2)]
		line := "split b --at ';' --into " + strings.Join(into, ",") + " --more " + more + " --fewer " + fewer + flag(exact, "--exact") + flag(keep, "--keep")
		want := steptest.Table{Names: slices.Insert(without(in.Names, "b"), 2, into...)}
		if keep {
			want.Names = slices.Insert(slices.Clone(in.Names), 3, into...)
		}
		for _, row := range in.Rows {
			pieces := make([]string, len(into))
			if row[2] != "" {
				pieces = strings.Split(row[2], ";")
				if len(pieces) > len(into) {
					if more == "error" {
						return line, want, fmt.Sprintf("has %d pieces, and there are names for %d", len(pieces), len(into))
					} else if more == "last" {
						pieces = strings.SplitN(row[2], ";", len(into))
					}
					pieces = pieces[:len(into)]
				}
				if len(pieces) < len(into) && fewer == "error" {
					return line, want, fmt.Sprintf("and there are names for %d", len(into))
				}
				for len(pieces) < len(into) {
					pieces = append(pieces, "")
				}
			}
			if !exact {
				pieces = trimmed(pieces)
			}
			made := slices.Insert(slices.Delete(slices.Clone(row), 2, 3), 2, pieces...)
			if keep {
				made = slices.Insert(slices.Clone(row), 3, pieces...)
			}
			want.Rows = append(want.Rows, made)
		}
		return line, want, ""
	},
	"explode": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		exact, skip, position := d.maybe(), d.maybe(), d.maybe()
		line := "explode b --at ';'" + flag(exact, "--exact") + flag(skip, "--skip-blank") + flag(position, "--position n")
		want := steptest.Table{Names: slices.Clone(in.Names)}
		if position {
			want.Names = append(want.Names, "n")
		}
		for _, row := range in.Rows {
			pieces := strings.Split(row[2], ";")
			if !exact {
				pieces = trimmed(pieces)
			}
			if !exact || skip {
				pieces = without(pieces, "")
			}
			blank := row[2] == "" || len(pieces) == 0
			if blank {
				pieces = []string{""}
			}
			if blank && skip {
				continue
			}
			for i, p := range pieces {
				made := slices.Clone(row)
				made[2] = p
				if position && blank {
					made = append(made, "")
				} else if position {
					made = append(made, strconv.Itoa(i+1))
				}
				want.Rows = append(want.Rows, made)
			}
		}
		return line, want, ""
	},
	"explode side by side": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		for i := range in.Rows {
			in.Rows[i][3] = d.of("", "1", "1;2", "1; 2 ;3", ";2")
		}
		uneven := d.of("error", "blank", "repeat", "blank", "repeat")
		line := "explode b,c --at ';' --uneven " + uneven
		want := steptest.Table{Names: in.Names}
		for _, row := range in.Rows {
			var pieces [2][]string
			for i := range pieces {
				pieces[i] = trimmed(strings.Split(row[2+i], ";")) // a blank cell is one blank value
			}
			x, y := pieces[0], pieces[1]
			if len(x) != len(y) && uneven == "error" {
				return line, want, fmt.Sprintf("and \"b\" has %d", len(x))
			}
			for i := range max(len(x), len(y), 1) {
				at := func(p []string) string {
					switch {
					case i < len(p):
						return p[i]
					case uneven == "repeat" && len(p) > 0:
						return p[len(p)-1]
					}
					return ""
				}
				want.Rows = append(want.Rows, []string{row[0], row[1], at(x), at(y)})
			}
		}
		return line, want, ""
	},
	"bundle": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		fields, distinct := d.some(1, "b", "a"), d.maybe()
		within := without(in.Names, fields...)
		line := "bundle " + strings.Join(fields, ",") + " --with +" + flag(distinct, "--distinct")
		free := d.maybe()
		if free {
			within = []string{"k"}
			line += " --within k"
		}
		want := steptest.Table{Names: in.Names}
		keys, groups := grouped(*in, in.Rows, within)
		for _, key := range keys {
			rows := groups[keyOf(key)]
			made := slices.Clone(rows[0])
			for _, row := range rows {
				if others := without(in.Names, append(fields, "k")...); free && !slices.Equal(pick(*in, row, others), pick(*in, rows[0], others)) {
					return line, want, "in the row it would be bundled with"
				}
			}
			for _, f := range fields { // of several the values stay side by side, blank or not
				var values []string
				for _, row := range rows {
					cell := row[columnOf(*in, f)]
					if cell == "" && (distinct || len(fields) == 1) || distinct && slices.Contains(values, cell) {
						continue
					}
					values = append(values, cell)
				}
				made[columnOf(*in, f)] = strings.Join(values, "+")
			}
			want.Rows = append(want.Rows, made)
		}
		return line, want, ""
	},
	"recode": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		codes, others := map[string]string{"p": "plain", "h9": "", "": "none"}, d.of("keep", "blank", "error")
		want := steptest.Table{Names: in.Names}
		for _, row := range in.Rows {
			made := slices.Clone(row)
			if to, ok := codes[row[3]]; ok && row[3] != "" {
				made[3] = to
			} else if row[3] != "" && others == "blank" {
				made[3] = ""
			} else if row[3] != "" && others == "error" {
				return "recode c p=plain,h9= --others error", want, "is none of the codes"
			}
			want.Rows = append(want.Rows, made)
		}
		return "recode c p=plain,h9= --others " + others, want, ""
	},
	"combine": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		fields, keep := d.some(1, in.Names...), d.maybe()
		line := "combine " + strings.Join(fields, ",") + " --with ', ' --as all" + flag(keep, "--keep")
		at := columnOf(*in, fields[0])
		want := steptest.Table{}
		place := func(cells []string, whole string) []string {
			var out []string
			for i, c := range cells {
				if keep || !slices.Contains(fields, in.Names[i]) {
					out = append(out, c)
				}
				if i == at {
					out = append(out, whole)
				}
			}
			return out
		}
		want.Names = place(in.Names, "all")
		for _, row := range in.Rows {
			want.Rows = append(want.Rows, place(row, strings.Join(without(pick(*in, row, fields), ""), ", ")))
		}
		return line, want, ""
	},
	"transpose": func(d draw, in *steptest.Table) (string, steptest.Table, string) {
		want := steptest.Table{Names: []string{"k"}, Rows: [][]string{{"a"}, {"b"}, {"c"}}}
		seen := map[string]int{}
		for r, row := range in.Rows {
			name := row[0]
			if name == "" {
				name = fmt.Sprint("field ", r+2)
			}
			if seen[name]++; seen[name] > 1 {
				name = fmt.Sprintf("%s (%d)", name, seen[name])
			}
			want.Names = append(want.Names, name)
			for i := range want.Rows {
				want.Rows[i] = append(want.Rows[i], row[i+1])
			}
		}
		return "transpose", want, ""
	},
}

// TestModels: each step gives what its model says, whatever the table, the size of the batches and the kind of column.
func TestModels(t *testing.T) {
	t.Chdir(t.TempDir())
	for name, says := range models {
		t.Run(name, func(t *testing.T) {
			failed := 0
			rapid.Check(t, func(rt *rapid.T) {
				d := draw{rt}
				in := d.table()
				line, want, fails := says(d, &in)
				s, err := steptest.Made(line)
				require.NoError(rt, err, line)
				site := &step.Context{Step: "step", Resources: step.Resources{Memory: rapid.SampledFrom([]int64{0, 1 << 30, 2000}).Draw(rt, "memory")}}
				got, tally, err := steptest.RunAt(site, s, in, d.upTo(5), steptest.Kind(d.upTo(int(steptest.Kinds))-1))
				if fails != "" {
					failed++
					require.Error(rt, err, line)
					require.True(rt, slices.ContainsFunc(strings.Split(strings.Trim(fails, "|"), "|"), func(piece string) bool { return strings.Contains(err.Error(), piece) }), "%s: %s instead of %s", line, err, fails)
					return
				}
				require.NoError(rt, err, line)
				require.Equal(rt, slices.Concat(want.Names), slices.Concat(got.Names), line)
				require.Equal(rt, slices.Concat(want.Rows), slices.Concat(got.Rows), line)
				require.Equal(rt, tally.Out, tally.In+tally.Made-tally.Merged-tally.LeftOut, line)
				require.Equal(rt, tally.FilledIn, tally.FilledOut, line)
			})
			t.Logf("%d had to fail", failed)
		})
	}
}
