package step_test

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/step/steptest"
)

func pivotModel(d draw, in *steptest.Table) (string, steptest.Table, string) {
	down, across := d.some(0, "k", "b"), []string{"c"}
	if d.maybe() && !slices.Contains(down, "k") {
		across = []string{"c", "k"}
	}
	var calcs, names []string
	line := "pivot --down '" + strings.Join(down, ",") + "' --across " + strings.Join(across, ",")
	measures := d.some(1, "count()", "sum(a)", "first(b)", "count(a)", `join(a, "+")`)
	for i, c := range measures[:min(2, len(measures))] {
		calcs, names = append(calcs, c), append(names, fmt.Sprint("r", i))
		line += fmt.Sprintf(" --cell '%s as r%d'", c, i)
	}
	empty, by := d.of("", "-"), d.of("seen", "text")
	line += flag(empty != "", "--empty "+empty)
	totals := d.of("", "field", "row", "both")
	if len(down) == 0 && totals != "field" {
		totals = ""
	}
	line += flag(totals != "", "--totals "+totals)
	others := ""
	expected := []string{"p", "q"}
	if len(across) == 1 {
		others = d.of("", "drop", "fold")
		line += flag(others != "", "--expect p,q --others "+others)
	}
	line += flag(others == "" && by == "text", "--order text")
	// Which rows come out, and under which header.
	label := func(row []string) string {
		var parts []string
		for i, cell := range pick(*in, row, across) {
			if cell == "" {
				cell = "no " + across[i]
			}
			parts = append(parts, cell)
		}
		return strings.Join(parts, " / ")
	}
	headers, last := []string{}, map[string][]string{}
	if others != "" {
		headers = slices.Clone(expected)
	}
	under := map[string][][]string{}
	var out [][]string
	for _, row := range in.Rows {
		h := label(row)
		if others != "" && !slices.Contains(expected, row[3]) {
			if others == "drop" {
				continue
			}
			h = "others"
		}
		if !slices.Contains(headers, h) {
			headers, last[h] = append(headers, h), pick(*in, row, across)
		}
		under[h], out = append(under[h], row), append(out, row)
	}
	if others == "" && by == "text" { // else as seen, blank ones too
		slices.SortStableFunc(headers, func(x, y string) int {
			if a, b := slices.Contains(last[x], ""), slices.Contains(last[y], ""); a != b { // those with a blank one behind all others
				return map[bool]int{true: 1, false: -1}[a]
			}
			for i := range across {
				a, b := last[x][i], last[y][i]
				if a != b && (a == "" || b == "") {
					return len(b) - len(a)
				}
				if a != b {
					return strings.Compare(a, b)
				}
			}
			return 0
		})
	}
	want := steptest.Table{Names: slices.Clone(down)}
	if others == "drop" && len(in.Rows) > 0 && len(out) == 0 {
		return line, want, "none of the expected values occurs"
	}
	columns := slices.Clone(headers)
	if totals == "field" || totals == "both" {
		columns = append(columns, "Total")
	}
	for _, h := range columns {
		for _, n := range names {
			if len(names) > 1 {
				want.Names = append(want.Names, h+" / "+n)
			} else {
				want.Names = append(want.Names, h)
			}
		}
	}
	cells := func(rows [][]string, total bool) (made []string, fails string) {
		for i, h := range columns {
			for _, c := range calcs {
				among := rows
				if i < len(headers) {
					among = nil
					for _, row := range rows {
						if slices.ContainsFunc(under[h], func(r []string) bool { return &r[0] == &row[0] }) {
							among = append(among, row)
						}
					}
				}
				cell, bad := calculated(*in, among, c)
				if bad != "" {
					return nil, bad
				}
				if len(among) == 0 && !total && h != "Total" {
					cell = empty
				}
				made = append(made, cell)
			}
		}
		return made, ""
	}
	keys, groups := grouped(*in, in.Rows, down)
	for _, key := range keys {
		rows := slices.DeleteFunc(groups[keyOf(key)], func(r []string) bool {
			return !slices.ContainsFunc(out, func(o []string) bool { return &o[0] == &r[0] })
		})
		made, fails := cells(rows, false)
		if fails != "" {
			return line, want, fails
		}
		want.Rows = append(want.Rows, slices.Concat(key, made))
	}
	if len(want.Rows) > 0 && (totals == "row" || totals == "both") {
		made, fails := cells(out, true)
		if fails != "" {
			return line, want, fails
		}
		first := make([]string, len(down))
		first[0] = "Total"
		want.Rows = append(want.Rows, slices.Concat(first, made))
	}
	return line, want, ""
}

// other draws a second table and writes it to other.csv.
func (d draw) other(names []string) steptest.Table {
	t := steptest.Table{Names: names}
	text := strings.Join(names, ",") + "\n"
	for range rapid.IntRange(0, 5).Draw(d.rt, "others") {
		row := make([]string, len(names))
		for i, n := range names {
			row[i] = d.of("1", "0", "x")
			if n == "k" {
				row[i] = d.of("026", "Vesk", "x", "")
			}
		}
		if strings.Join(row, "") == "" {
			continue // an empty line is no row
		}
		t.Rows = append(t.Rows, row)
		text += strings.Join(row, ",") + "\n"
	}
	require.NoError(d.rt, os.WriteFile("other.csv", []byte(text), 0o644))
	return t
}

func joinModel(d draw, in *steptest.Table) (string, steptest.Table, string) {
	other := d.other([]string{"k", "c", "z"})
	alone, partners, when := d.of("keep", "drop", "error", "keep", "drop"), d.of("error", "each", "first", "each"), d.maybe()
	bring := d.some(1, "c", "z")
	line := fmt.Sprintf("join other.csv --on k --alone %s --partners %s --bring %s", alone, partners, strings.Join(bring, ",")) + flag(when, `--when 'z != b'`)
	want := steptest.Table{Names: slices.Clone(in.Names)}
	for _, n := range bring {
		if n == "c" {
			n = "c (2)"
		}
		want.Names = append(want.Names, n)
	}
	matches := 0
	fails := ""
	for _, row := range in.Rows {
		var found [][]string
		for _, o := range other.Rows {
			if row[0] != "" && row[0] == o[0] {
				matches++
				if !when || o[2] != row[2] {
					found = append(found, pick(other, o, bring))
				}
			}
		}
		switch {
		case fails != "":
		case len(found) == 0 && alone == "error":
			fails = "has no partner in other.csv"
		case len(found) > 1 && partners == "error":
			fails = fmt.Sprintf("has %d partners in other.csv", len(found))
		}
		if len(found) == 0 && alone == "keep" {
			found = [][]string{make([]string, len(bring))}
		}
		for i, f := range found {
			if i == 0 || partners == "each" {
				want.Rows = append(want.Rows, slices.Concat(row, f))
			}
		}
	}
	if len(in.Rows) > 0 && matches == 0 && fails == "" {
		fails = "no key of"
	}
	return line, want, fails
}
