package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/compare"
	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/plan"
	"revuelta/internal/selection"
)

// errDiffer is the status of two tables that differ; what differs was printed.
var errDiffer = errors.New("the tables differ")

// diffTables compares two tables.
func diffTables(_ context.Context, a *app, c *call) error {
	if n := len(c.args.Operands); n != 2 {
		return diag.Usagef("diff compares two tables, and %s named", map[bool]string{true: "1 is", false: fmt.Sprint(n, " are")}[n == 1]).Trying("diff A B")
	}
	o, err := plan.DecodeRead(c.extra)
	if err != nil {
		return err
	}
	o.Stdin = a.In
	most, err := rowsOption(c, 10)
	if err != nil {
		return err
	}
	var key *selection.Selection
	if c.args.Has("key") {
		if key, err = selection.Parse(c.args.Get("key", "")); err != nil {
			return err
		}
	}
	var sources []format.Source
	for _, path := range c.args.Operands {
		src, err := format.Open([]string{path}, o)
		if err != nil {
			return err
		}
		defer src.Close()
		sources = append(sources, src)
	}
	nameA, nameB := format.NameOf(c.args.Operands[0]), format.NameOf(c.args.Operands[1])
	d, err := compare.Tables(nameA, sources[0], nameB, sources[1], key)
	if err != nil {
		return err
	}
	if d.Agree() {
		a.sayf("the tables agree: %s, %s\n", diag.Plural(d.Rows, "row"), diag.Plural(d.Fields, "field"))
		return nil
	}
	for _, f := range []struct {
		names []string
		in    string
	}{{d.FieldsA, nameA}, {d.FieldsB, nameB}} {
		if len(f.names) > 0 {
			a.sayf("fields only in %s: %s\n", diag.Visible(f.in), strings.Join(quotedNames(f.names), ", "))
		}
	}
	part := func(title string, n int, noun string, line func(i int) string) {
		if n == 0 {
			return
		}
		a.sayf("%s: %s\n", diag.Visible(title), diag.Plural(int64(n), noun))
		for i := range min(n, most) {
			a.sayf("  %s\n", diag.Visible(line(i)))
		}
		if n > most {
			a.sayf("  … %s more\n", diag.Count(int64(n-most)))
		}
	}
	part("only in "+nameA, len(d.OnlyA), "row", func(i int) string { return rowText(d.OnlyA[i], nameA) })
	part("only in "+nameB, len(d.OnlyB), "row", func(i int) string { return rowText(d.OnlyB[i], nameB) })
	cell := func(c compare.Cell) string {
		return fmt.Sprintf("%s: %s %s and %s", strings.Join(c.Key, ", "), c.Field, diag.Quote(c.A), diag.Quote(c.B))
	}
	part("different", len(d.Cells), "cell", func(i int) string { return cell(d.Cells[i]) })
	part("numbers written differently", len(d.Spelled), "cell", func(i int) string { return cell(d.Spelled[i]) })
	part("numbers written differently", len(d.SpelledRows), "row", func(i int) string {
		p := d.SpelledRows[i]
		var cells []string
		for k, x := range p.A.Cells {
			if y := p.B.Cells[k]; x != y {
				cells = append(cells, fmt.Sprintf("%s %s and %s", p.A.Names[k], diag.Quote(x), diag.Quote(y)))
			}
		}
		return fmt.Sprintf("%ss %d and %d: %s", diag.LineOf(nameA), p.A.Line, p.B.Line, strings.Join(cells, ", "))
	})
	return errDiffer
}

func rowText(r compare.Row, table string) string {
	var cells []string
	for i, c := range r.Cells {
		if c != "" && !slices.Contains(r.KeyAt, i) {
			cells = append(cells, r.Names[i]+" "+diag.Quote(c))
		}
	}
	head := fmt.Sprintf("%s %d", diag.LineOf(table), r.Line)
	if r.Key != nil {
		head = strings.Join(r.Key, ", ")
	}
	return head + ": " + strings.Join(cells, ", ")
}

// rowsOption is how many rows are shown.
func rowsOption(c *call, otherwise int) (int, error) {
	if !c.args.Has("rows") {
		return otherwise, nil
	}
	n, err := strconv.Atoi(c.args.Get("rows", ""))
	if err != nil || n < 1 {
		return 0, diag.Usagef("--rows %s: it is a number from 1 up", diag.Quote(c.args.Get("rows", "")))
	}
	return n, nil
}
