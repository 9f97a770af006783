package rowwise

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"revuelta/internal/calc"
	"revuelta/internal/diag"
	"revuelta/internal/formula"
	"revuelta/internal/selection"
	"revuelta/internal/step"
	"revuelta/internal/step/keying"
	"revuelta/internal/step/ordering"
	"revuelta/internal/table"
)

var AssertSpec = &step.Spec{
	Name: "assert",
	Brief: []string{
		"Stops the run if the table is not as it must be; else the table passes as it is.",
		"All that is asked must hold; no row is put aside here.",
	},
	Forms:    []string{"assert"},
	Operands: func(*step.Args) int { return 0 },
	Options: []step.Option{
		{Name: "unique", Value: "SELECTION", Repeat: true, Help: "no two rows agree in these fields"},
		{Name: "filled", Value: "SELECTION", Repeat: true, Help: "none of their cells is blank"},
		{Name: "that", Value: "FORMULA", Repeat: true, Help: "it holds for every row"},
		{Name: "rows", Value: "N", Help: "there are just so many"},
		{Name: "fields", Value: "SELECTION", Help: "these and no others"},
		{Name: "balance", Value: "CALCULATION", Help: "it gives the same here as for the table of --against"},
		{Name: "against", Value: "@NAME", Help: "a table marked above"},
	},
	Make:   makeAssert,
	Memory: "the keys of --unique",
	Examples: []step.Example{{
		Command: "revuelta assert --unique colony --filled apiary --that 'kilos >= 0' harvest.csv",
		Input:   "apiary,colony,kilos\nVesk,026,1.10\nVesk,007,0\n",
		Output:  "apiary,colony,kilos\nVesk,026,1.10\nVesk,007,0\n",
	}},
}

// Assert stops a run whose table is not as it must be.
type Assert struct {
	Unique, Filled []*selection.Selection
	That           []*formula.Formula
	Rows           int64 // -1: not asked
	Fields         *selection.Selection
	Balance        *calc.Calculation
	Against        string
}

func makeAssert(a *step.Args) (step.Step, error) {
	s := &Assert{Rows: -1}
	if len(a.Values) == 0 {
		return nil, diag.Usagef("assert asks for nothing").Trying("--unique SELECTION", "--that FORMULA")
	}
	var err error
	for _, list := range []struct {
		name string
		to   *[]*selection.Selection
	}{{"unique", &s.Unique}, {"filled", &s.Filled}} {
		for _, text := range a.All(list.name) {
			sel, err := selection.Parse(text)
			if err != nil {
				return nil, err
			}
			*list.to = append(*list.to, sel)
		}
	}
	for _, text := range a.All("that") {
		f, err := formula.Parse(text)
		if err != nil {
			return nil, err
		}
		if f.Kind() != formula.Truth {
			return nil, diag.Usagef("--that %s: the formula gives a value, not whether something holds", diag.Quote(text)).Trying("compare it: kilos > 0")
		}
		s.That = append(s.That, f)
	}
	if a.Has("rows") {
		if s.Rows, err = strconv.ParseInt(a.Get("rows", ""), 10, 64); err != nil || s.Rows < 0 {
			return nil, diag.Usagef("--rows %s: it is a number", diag.Quote(a.Get("rows", "")))
		}
	}
	if a.Has("balance") != a.Has("against") {
		return nil, diag.Usagef("--balance and --against go together").Trying("--balance 'sum(kilos)' --against @NAME")
	}
	if a.Has("balance") {
		if s.Balance, err = calc.Parse(a.Get("balance", "")); err != nil {
			return nil, err
		}
		if s.Against = a.Get("against", ""); !strings.HasPrefix(s.Against, "@") {
			return nil, diag.Usagef("--against %s: a marked table is named @NAME", diag.Quote(s.Against))
		}
		if s.Balance.Func == "" {
			return nil, diag.Usagef("--balance %s has no function to calculate by", s.Balance.Source).Trying("sum(" + s.Balance.Source + ")")
		}
	}
	if a.Has("fields") {
		s.Fields, err = selection.Parse(a.Get("fields", ""))
	}
	return s, err
}

// failed is the error of something that does not hold.
func failed(format string, args ...any) *diag.Error {
	return diag.Dataf("assert failed: "+format, args...)
}

// Capabilities implements step.Step.
func (a *Assert) Capabilities() step.Capabilities {
	return step.Capabilities{Run: a.Run, LooksAt: a.LooksAt()}
}

// Run runs it on one goroutine.
func (a *Assert) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var checks []func(b *table.Batch) error
	here := total{c: a.Balance}
	rows := int64(0)
	err := in(ctx, step.Through{
		OnStart: func(schema *table.Schema) error {
			err := here.start(schema)
			if err != nil {
				return err
			}
			if checks, err = a.bind(schema, s); err != nil {
				return err
			}
			return out.Start(schema)
		},
		OnEmit: func(b *table.Batch) error {
			rows += int64(b.Rows)
			for _, check := range checks {
				if err := check(b); err != nil {
					return err
				}
			}
			if err := here.add(b); err != nil {
				return err
			}
			return out.Emit(b)
		},
	})
	if err == nil && a.Rows >= 0 && rows != a.Rows {
		err = failed("there are %s, not %s", diag.Plural(rows, "row"), diag.Count(a.Rows))
	}
	if err == nil && a.Balance != nil {
		err = a.balance(ctx, here.String(), s)
	}
	s.Summary.Text = "all holds"
	return err
}

// balance compares with the marked table.
func (a *Assert) balance(ctx context.Context, here string, s *step.Context) error {
	if s.Tables.Open == nil {
		return diag.Usagef("--against %s: tables are marked in plans only", a.Against)
	}
	other, err := s.Tables.Open(a.Against, step.ToCheck)
	if err != nil {
		return err
	}
	defer other.Close()
	there := total{c: a.Balance}
	if err := other.Run(ctx, step.Through{OnStart: there.start, OnEmit: there.add}); err != nil {
		return err
	}
	if x, y := here, there.String(); ordering.Numerically(x, y) != 0 {
		return failed("%s is %s here and %s in %s", a.Balance.Source, or(x, "blank"), or(y, "blank"), a.Against)
	}
	return nil
}

func or(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}

// total is a calculation over all rows of a table; none without a calculation.
type total struct {
	c   *calc.Calculation
	acc calc.Acc
	in  *table.Schema
	at  int64
}

func (t *total) start(schema *table.Schema) (err error) {
	if t.c == nil {
		return nil
	}
	t.in = schema
	if t.acc, err = t.c.New(schema, -1); err == nil {
		t.acc.Grow(1)
	}
	return err
}

func (t *total) add(b *table.Batch) error {
	if t.c == nil {
		return nil
	}
	t.acc.Load(b)
	for r := range b.Rows {
		if fail := t.acc.Add(0, r, t.at); fail != nil {
			e := failed("%s", fail.Reason).At("", b.Origin.LineOf(r))
			if fail.Field >= 0 {
				e = failed("%s %s", diag.Quote(b.Cols[fail.Field].At(r)), fail.Reason).At("", b.Origin.LineOf(r)).InField(t.in.Name(fail.Field))
			}
			return e
		}
		t.at++
	}
	return nil
}

// String is the outcome.
func (t *total) String() string { return string(t.acc.Append(nil, 0)) }

func (a *Assert) bind(schema *table.Schema, s *step.Context) (checks []func(*table.Batch) error, err error) {
	if a.Fields != nil {
		picked, err := a.Fields.Resolve(schema)
		if err != nil {
			return nil, err
		}
		if others := step.Except(schema.Len(), picked); len(others) > 0 {
			return nil, failed("there are other fields than %s: %s", a.Fields, diag.Names(step.NamesOf(schema, others)))
		}
	}
	place := func(b *table.Batch, row int) (string, int) {
		file := ""
		if s.Tables.FileName != nil && b.Origin.LineOf(row) > 0 {
			file = s.Tables.FileName(b.Origin.FileOf(row))
		}
		return file, b.Origin.LineOf(row)
	}
	for _, sel := range a.Filled {
		fields, err := sel.Resolve(schema)
		if err != nil {
			return nil, err
		}
		checks = append(checks, func(b *table.Batch) error {
			for _, i := range fields {
				if b.Cols[i].Filled(b.Rows) == b.Rows {
					continue
				}
				for r := range b.Rows {
					if b.Cols[i].At(r) == "" {
						file, line := place(b, r)
						return failed("the cell is blank").At(file, line).InField(schema.Name(i))
					}
				}
			}
			return nil
		})
	}
	for _, f := range a.That {
		p, err := f.Bind(schema, -1)
		if err != nil {
			return nil, err
		}
		v := p.Eval()
		checks = append(checks, func(b *table.Batch) error {
			v.Load(b)
			for r := range b.Rows {
				ok, fail := v.True(r)
				file, line := place(b, r)
				switch {
				case fail != nil && fail.Field >= 0:
					return failed("%s %s", diag.Quote(b.Cols[fail.Field].At(r)), fail.Reason).At(file, line).InField(schema.Name(fail.Field))
				case fail != nil:
					return failed("%s", fail.Reason).At(file, line)
				case !ok:
					return failed("%s does not hold: %s", f, shown(schema, b, r, f.Fields())).At(file, line)
				}
			}
			return nil
		})
	}
	for _, sel := range a.Unique {
		fields, err := sel.Resolve(schema)
		if err != nil {
			return nil, err
		}
		key, seen := keying.RowKey(fields), map[string]int{}
		checks = append(checks, func(b *table.Batch) error {
			for r := range b.Rows {
				k := key(b, r)
				file, line := place(b, r)
				first, ok := seen[k]
				if !ok {
					seen[k] = line
					continue
				}
				e := failed("a second row with %s", shown(schema, b, r, step.NamesOf(schema, fields))).At(file, line)
				if first > 0 {
					e.Text += fmt.Sprintf("; the first is %s %d", diag.LineOf(file), first)
				}
				return e
			}
			return nil
		})
	}
	return checks, nil
}

// shown lists some cells of a row with their fields.
func shown(schema *table.Schema, b *table.Batch, row int, names []string) string {
	var out []string
	for _, n := range names {
		if i, ok := schema.Index(n); ok && !slices.Contains(out, n) {
			out = append(out, n+" "+diag.Quote(b.Cols[i].At(row)))
		}
	}
	return strings.Join(out, ", ")
}

// LooksAt names the other table.
func (a *Assert) LooksAt() string { return a.Against }
