package run

import (
	"context"
	"io"
	"strings"

	"revuelta/internal/formula"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// Traced is the table as it stood after an item of a program.
type Traced struct {
	Line    int
	Name    string
	Names   []string
	Rows    [][]string // the first, or those that were followed
	places  []place    // of the source
	Total   int64
	Lacks   bool     // the fields of what is followed
	New     []bool   // fields that were not there before
	Changed [][]bool // cells that were otherwise before
}

// place is where a row began: a file and a line, 0 where it is not known.
type place struct{ file, line int }

// Trace runs a program without writing anything but rows set aside, and gives the first rows after
// each step, or those for which a formula holds.
func Trace(ctx context.Context, p *Program, env Env, rows int, follow *formula.Formula) ([]*Traced, error) {
	if _, err := p.OnSheets(); err != nil {
		return nil, err
	}
	var taps []*tap
	traced := &Program{Plan: p.Plan}
	look := func(line int, name string) {
		t := &tap{Traced: Traced{Line: line, Name: name}, most: beyond * rows, follow: follow}
		taps = append(taps, t)
		traced.Items = append(traced.Items, &Apply{Name: "look", Step: t, Line: line})
	}
	for _, it := range p.Items {
		switch it := it.(type) {
		case *Write:
			continue // nothing is written
		case *Read:
			traced.Items = append(traced.Items, it)
			look(it.Line, "read "+strings.Join(it.Paths, " "))
		case *Apply:
			traced.Items = append(traced.Items, it)
			look(it.Line, it.Name)
		default:
			traced.Items = append(traced.Items, it)
		}
	}
	env.Screen, env.Stdout, env.LeftOut = nil, io.Discard, ""
	_, err := Run(ctx, traced, env)
	var out []*Traced
	var before *Traced
	for _, t := range taps {
		if t.Names == nil {
			break // it did not come so far
		}
		if before != nil && !strings.HasPrefix(t.Name, "read ") {
			t.compare(before)
		}
		out = append(out, &t.Traced)
		before = &t.Traced
	}
	for _, t := range out {
		t.Rows, t.Changed = t.Rows[:min(rows, len(t.Rows))], t.Changed[:min(rows, len(t.Changed))]
	}
	return out, err
}

// beyond is how many times the rows shown are held: what a row was before may have stood further down.
const beyond = 4

// compare marks what is new. A row belongs to the one that stood on its line before; of several that did, to the one it has most in common
// with, not before that of the row above. Several may come of one.
func (t *Traced) compare(before *Traced) {
	at := map[string]int{}
	for i, n := range before.Names {
		at[n] = i
	}
	for _, n := range t.Names {
		_, ok := at[n]
		t.New = append(t.New, !ok)
	}
	was := map[place][]int{} // what may still be met
	for i, p := range before.places {
		if p.line > 0 {
			was[p] = append(was[p], i)
		}
	}
	differs := func(row []string, k int) (changed []bool, same int) {
		changed = make([]bool, len(row))
		for c, cell := range row {
			if f, ok := at[t.Names[c]]; ok {
				if changed[c] = before.Rows[k][f] != cell; !changed[c] {
					same++
				}
			}
		}
		return changed, same
	}
	for i, row := range t.Rows {
		changed, most, of := make([]bool, len(row)), -1, 0
		for n, k := range was[t.places[i]] {
			if c, same := differs(row, k); same > most {
				changed, most, of = c, same, n
			}
		}
		if most >= 0 {
			was[t.places[i]] = was[t.places[i]][of:]
		}
		t.Changed = append(t.Changed, changed)
	}
}

// tap is a step that looks at the table that flows through it.
type tap struct {
	Traced
	most   int
	follow *formula.Formula
}

// Capabilities implements step.Step.
func (t *tap) Capabilities() step.Capabilities { return step.Capabilities{Run: t.run} }

func (t *tap) run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var eval *formula.Eval
	return in(ctx, step.Through{
		OnStart: func(schema *table.Schema) error {
			t.Names = schema.Names()
			if t.follow != nil {
				p, err := t.follow.Bind(schema, -1)
				if t.Lacks = err != nil; !t.Lacks {
					eval = p.Eval()
				}
			}
			return out.Start(schema)
		},
		OnEmit: func(b *table.Batch) error {
			t.Total += int64(b.Rows)
			if eval != nil {
				eval.Load(b)
			}
			for r := 0; r < b.Rows && len(t.Rows) < t.most; r++ {
				if t.Lacks {
					break
				}
				if eval != nil {
					if ok, fail := eval.True(r); fail != nil || !ok {
						continue
					}
				}
				row := b.Row(r, nil)
				for i := range row {
					row[i] = strings.Clone(row[i])
				}
				t.Rows, t.places = append(t.Rows, row), append(t.places, place{b.Origin.FileOf(r), b.Origin.LineOf(r)})
			}
			return out.Emit(b)
		},
	})
}
