package step_test

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/diag"
	"revuelta/internal/step"
	"revuelta/internal/step/catalog"
	"revuelta/internal/step/steptest"
	"revuelta/internal/table"
)

// TestEveryStepCanBeRun: each step tells one way at least in which it can be run, and no more than go together.
func TestEveryStepCanBeRun(t *testing.T) {
	for _, line := range []string{"where 'a > 1'", "fill a", "fill a --up", "fill a --right", "fill a --within b", "distinct", "distinct --by a", "first 1", "first 1 --within a", "sort a", "number n", "number n --by a", "beside a --as b", "assert --rows 3",
		"pivot --across a --cell b", "group --by a --calc 'count()'", "group --by a --calc 'count()' --each-row", "join x.csv --on a", "append x.csv", "unpivot a", "explode a --at ;", "bundle a --with ;", "transpose", "stencil 'a b'",
		"split a '{b}-{c}'", "combine '{a}{b}' --as c", "set 'c = a'", "cast a number", "scrub a", "recode a x=y", "recode a --map x.csv", "rename a=b", "rename --map x.csv", "fields a"} {
		s, err := steptest.Made(line)
		require.NoError(t, err, line)
		c := s.Capabilities()
		ways := 0
		for _, there := range []bool{c.Rows != nil, c.InOrder != nil, c.Run != nil || c.Reduce != nil} {
			if there {
				ways++
			}
		}
		assert.Positive(t, ways, line)
		assert.False(t, c.Rows != nil && c.InOrder != nil, "%s: row work needs no order", line)
		if c.Reduce != nil || c.InOrder != nil {
			assert.NotNil(t, c.Run, "%s can be run on one goroutine too", line)
		}
		if c.Prepare != nil {
			assert.True(t, c.LooksAt != "" || c.Rows != nil, "%s prepares for a table it names", line)
		}
		if c.MayExceed != nil {
			assert.True(t, c.MayExceed(1<<40, 1<<20), line)
			assert.False(t, c.MayExceed(1<<10, 1<<30), line)
		}
	}
}

// TestDescriptions: every step says what it does, what it takes and gives an example; each option has a text, and a wrong one a near name.
func TestDescriptions(t *testing.T) {
	for _, s := range catalog.List() {
		assert.NotEmpty(t, s.Brief, s.Name)
		assert.NotEmpty(t, s.Forms, s.Name)
		assert.NotEmpty(t, s.Examples, s.Name)
		assert.Same(t, s, catalog.Find(s.Name))
		for _, o := range s.Options {
			assert.NotEmpty(t, o.Help, "%s --%s", s.Name, o.Name)
			assert.Same(t, s.Option(o.Name), s.Option(o.Name))
			if len(o.Name) > 3 {
				err := s.Check(&step.Args{Step: s.Name, Values: map[string][]string{o.Name + "x": {""}}, Operands: make([]string, s.Wants(&step.Args{}))})
				var e *diag.Error
				require.ErrorAs(t, err, &e)
				assert.Contains(t, e.Try[0], "--", "%s --%sx", s.Name, o.Name)
			}
			if !o.Repeat {
				a := &step.Args{Step: s.Name, Values: map[string][]string{o.Name: {"1", "2"}}}
				a.Operands = make([]string, s.Wants(a))
				assert.ErrorContains(t, s.Check(a), "given twice", "%s --%s", s.Name, o.Name)
			}
		}
	}
	assert.Nil(t, catalog.Find("nope"))
}

// TestArguments: what is given, defaults, one of some words, and options that exclude each other.
func TestArguments(t *testing.T) {
	a := &step.Args{Folder: "plans", Values: map[string][]string{"order": {"txt"}, "by": {"a", "b"}, "map": {"x.csv"}, "quiet": {""}}}
	assert.Equal(t, "b", a.Get("by", "z"))
	assert.Equal(t, "z", a.Get("none", "z"))
	assert.Equal(t, []string{"a", "b"}, a.All("by"))
	assert.True(t, a.Has("quiet"))
	_, err := a.OneOf("order", "text", "number")
	var e *diag.Error
	require.ErrorAs(t, err, &e)
	assert.Equal(t, []string{"--order text"}, e.Try)
	word, err := a.OneOf("none", "first", "second")
	require.NoError(t, err)
	assert.Equal(t, "first", word)
	assert.ErrorContains(t, a.Excludes("order", "none", "by"), "--order and --by do not go together")
	assert.NoError(t, a.Excludes("order", "none"))
	assert.NoError(t, a.Excludes("none", "by"))
	for in, want := range map[string]string{"x.csv": "plans/x.csv", "@m": "@m", "-": "-", "/abs.csv": "/abs.csv"} {
		assert.Equal(t, want, a.Within(in))
	}
	assert.Equal(t, "plans/x.csv", a.Path("map"))
}

// TestRowsThatLeave: a row that does not fit stops the run with its place and what to try, or goes where such rows go, and is counted; rows left out are handed on.
func TestRowsThatLeave(t *testing.T) {
	schema := table.NewSchema([]string{"net kg", "note"})
	b := &table.Batch{}
	b.Shape(2)
	b.Rows, b.Origin = 2, table.Origin{File: 1, Line: 7, Each: 1}
	copy(b.Cols[0].Make(2), []string{"1", "x1"})
	copy(b.Cols[1].Make(2), []string{"a", "b"})
	s := &step.Context{Step: "cast", Tables: step.Tables{FileName: func(i int) string { return []string{"a.csv", "b.csv"}[i] }}}
	err := s.Unfit(schema, b, 1, 0, "is not a number", "cast FIELD number")
	var e *diag.Error
	require.ErrorAs(t, err, &e)
	assert.Equal(t, "b.csv", e.File)
	assert.Equal(t, 8, e.Line)
	assert.Equal(t, "net kg", e.Field)
	assert.Equal(t, []string{"cast 'net kg' number", "--set-aside FILE"}, e.Try)
	assert.Zero(t, s.Counters.SetAside)
	var aside []*step.Row
	s.Exits.Aside = func(r *step.Row) error { aside = append(aside, r); return nil }
	require.NoError(t, s.Unfit(schema, b, 1, 0, "is not a number"))
	require.NoError(t, s.Unfit(schema, b, 0, -1, "is odd"))
	assert.EqualValues(t, 2, s.Counters.SetAside)
	assert.Equal(t, &step.Row{Source: "b.csv", Line: 8, Step: "cast", Field: "net kg", Cell: "x1", Reason: "is not a number", Names: schema.Names(), Cells: []string{"x1", "b"}}, aside[0])
	assert.Empty(t, aside[1].Field)
	assert.Equal(t, map[string]int64{"net kg: is not a number": 1, "is odd": 1}, s.Counters.Aside)
	for _, row := range []int{1, 0, 1} {
		s.Misfit(schema, b, row, 0, "is not a number")
	}
	assert.Equal(t, map[string]int64{"net kg: is not a number": 3}, s.Counters.Unfit)
	assert.Equal(t, []step.Quoted{{File: 1, Line: 7, Text: "1"}, {File: 1, Line: 8, Text: "x1"}}, s.Counters.First, "in the order of the rows")
	s.Leave(schema, b, []int32{0, 1}, step.Cause{Field: 0, Reason: "is not wanted"})
	assert.EqualValues(t, 2, s.Counters.LeftOut)
	var left []int32
	s.Exits.LeftOut = func(_ *table.Schema, _ *table.Batch, rows []int32, c step.Cause) {
		assert.Equal(t, step.Cause{Field: step.NoField, Reason: "odd"}, c)
		left = append(left, rows...)
	}
	s.Leave(schema, b, []int32{1}, step.Cause{Field: step.NoField, Reason: "odd"})
	s.Leave(schema, b, nil, step.Cause{})
	assert.Equal(t, map[string]int64{"net kg: is not wanted": 2, "odd": 1}, s.Counters.Left)
	assert.Equal(t, []int32{1}, left)
	all := s.Counters
	all.Values = map[string]int64{"x": 1}
	sum := step.Counters{Values: map[string]int64{"x": 2, "y": 1}}
	sum.Add(&all)
	sum.Add(&all)
	assert.EqualValues(t, 6, sum.LeftOut)
	assert.EqualValues(t, 4, sum.Values["x"])
}

// TestWaysThatFail: what feeds a step, binds it or takes what it makes may fail; the error comes back as it is.
func TestWaysThatFail(t *testing.T) {
	fault := errors.New("no more")
	schema := table.NewSchema([]string{"a"})
	start := func(ctx context.Context, out step.Out) error { return out.Start(schema) }
	out := step.Through{OnStart: func(*table.Schema) error { return nil }, OnEmit: func(*table.Batch) error { return nil }}
	for name, err := range map[string]error{
		"feed":   step.InTurn(t.Context(), func(*table.Schema) (*step.Ordered, error) { return &step.Ordered{}, nil }, func(context.Context, step.Out) error { return fault }, out, &step.Context{}),
		"bind":   step.InTurn(t.Context(), func(*table.Schema) (*step.Ordered, error) { return nil, fault }, start, out, &step.Context{}),
		"start":  step.InTurn(t.Context(), func(*table.Schema) (*step.Ordered, error) { return &step.Ordered{}, nil }, start, step.Through{OnStart: func(*table.Schema) error { return fault }}, &step.Context{}),
		"reduce": step.Reduced(t.Context(), func(*table.Schema) (step.Reduction, error) { return nil, fault }, start, out, &step.Context{}),
	} {
		assert.ErrorIs(t, err, fault, name)
	}
	_, err := (&step.Context{}).OpenTable("not/there.csv", step.ToJoin)
	assert.ErrorContains(t, err, "no folder")
	_, err = step.Unique([]string{"a", "a"}, "--as")
	assert.ErrorContains(t, err, "two fields would be named")
	_, err = step.Unique([]string{""}, "--as")
	assert.ErrorContains(t, err, "no name")
	assert.Equal(t, []int{0, 2}, step.Except(4, []int{1, 3}))
	assert.Equal(t, []int32{0, 2}, step.Others(3, []int32{1}, nil))
	assert.Equal(t, "a b", step.Trim("\t a b \n"))
}
