package run

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// stageKind is how a stage is run.
type stageKind uint8

const (
	rowStage     stageKind = iota // inside the workers of its section, many batches at once
	inOrderStage                  // on the workers too, batch after batch
	reduceStage                   // dealt out to the workers of its section, which it ends
	wholeStage                    // on one goroutine, behind its section
)

func (k stageKind) String() string {
	return [...]string{"rows", "in order", "reduced", "whole"}[k]
}

// segment is one table from where it is read to where it ends, compiled to stages.
type segment struct {
	read   *Read
	stages []*stage
	write  *Write // where it ends; nil: it was written on its way
}

// facts are what is known of a table before it is compiled.
type facts struct {
	limit  int64 // rows, 0: all
	size   int64 // bytes, 0: not known
	memory int64
	file   string // the one it is read from, "" where there are several
}

// takesAll lists steps whose outcome depends on all rows: after a limit on those read it is seldom the one that was meant.
var takesAll = []string{"sort", "group", "pivot"}

// compile makes stages of the items behind a read. prepare readies a step that looks at another table; open begins an
// output on the way. The last write is left to the end of the table.
func compile(plan string, items []any, known facts, prepare func(*stage, step.Step) (step.Step, error), open func(*Write) (step.Step, error), mark func(*Mark) step.Step) (*segment, error) {
	g := &segment{read: items[0].(*Read)}
	add := func(st *stage, made step.Step) *stage {
		st.capabilities = made.Capabilities()
		g.place(st, known)
		return st
	}
	if known.limit > 0 {
		add(&stage{name: "limit", inner: true}, limit(known.limit))
	}
	told := false
	for i, it := range items[1:] {
		switch it := it.(type) {
		case *Apply:
			st := &stage{name: it.Name, plan: plan, line: it.Line}
			if i == 0 {
				st.at = known.file
			}
			if known.limit > 0 && slices.Contains(takesAll, it.Name) && !told {
				told = true
				st.notes = append(st.notes, fmt.Sprintf("--limit let %s in, and %s saw no others; first %d behind it takes the first that come out", diag.Plural(known.limit, "row"), it.Name, known.limit))
			}
			made := it.Step
			if made.Capabilities().Prepare != nil {
				var err error
				if made, err = prepare(st, made); err != nil {
					return nil, st.annotate(err)
				}
			}
			add(st, made)
		case *Mark:
			add(&stage{name: "mark", plan: plan, line: it.Line, inner: true}, mark(it))
		case *Write:
			if i == len(items)-2 {
				g.write = it
				continue
			}
			made, err := open(it)
			if err != nil {
				return nil, err
			}
			add(&stage{name: "write", plan: plan, line: it.Line, inner: true}, made)
		default:
			panic(fmt.Sprintf("run: %T is no item of a table", it))
		}
	}
	return g, nil
}

// place finds how a stage is run, and in which section.
func (g *segment) place(st *stage, known facts) {
	section, ordered, steps := 0, false, 0 // of what stands before it
	for _, before := range g.stages {
		if before.section == section {
			ordered = ordered || before.kind == inOrderStage
		}
		if before.kind == reduceStage || before.kind == wholeStage {
			section, ordered = before.section+1, false
		}
		if !before.inner {
			steps++
		}
	}
	st.section = section
	c := &st.capabilities
	switch {
	case c.InOrder != nil && !ordered && !exceeds(c, known, steps > 0):
		st.kind = inOrderStage
	case c.Rows != nil:
		st.kind = rowStage
	case c.Reduce != nil:
		st.kind = reduceStage
	case c.Run != nil:
		st.kind = wholeStage
	default:
		panic("run: " + st.name + " can be run in no way")
	}
	g.stages = append(g.stages, st)
}

// exceeds tells whether a step may need more memory than there is. What steps before it make of the rows is of unknown size.
func exceeds(c *step.Capabilities, known facts, others bool) bool {
	if c.MayExceed == nil || known.memory == 0 {
		return false
	}
	if others {
		known.size = 0
	}
	return c.MayExceed(known.size, known.memory)
}

// sizeOf is how many bytes the inputs have, 0 where that is not known or they are packed.
func sizeOf(inputs []*format.Input, paths []string) (size int64) {
	for _, in := range inputs {
		if in.Size == 0 {
			return 0
		}
		size += in.Size
	}
	for _, p := range paths {
		if strings.HasSuffix(p, ".gz") || strings.HasSuffix(p, ".zst") {
			return 0
		}
	}
	return size
}

// Stage is how a step of a program is run, for those who work on the program.
type Stage struct {
	Line    int
	Name    string
	Section int    // counted from 1 over all tables
	Kind    string // rows, in order, reduced or whole; of a step that reads another table first, as where that has room in memory
	LooksAt string // another table
	Held    bool   // it may hold rows
}

// Stages tells how the steps of a program are run; of the files it reads headers only. Steps that look at other tables do not read them.
func Stages(p *Program, env Env) ([]Stage, error) {
	r := &runner{p: p, env: env, account: &Account{}, marks: map[string]*held{}}
	if err := r.expand(); err != nil {
		return nil, err
	}
	if _, err := p.OnSheets(); err != nil {
		return nil, err
	}
	segments, err := r.segments()
	if err != nil {
		return nil, err
	}
	var out []Stage
	section := 0
	for _, items := range segments {
		known := facts{memory: env.Memory}
		if rd := items[0].(*Read); !strings.HasPrefix(rd.Paths[0], "@") {
			o := rd.Options
			o.Stdin, known.limit = env.Stdin, o.Limit
			src, err := format.Open(rd.Paths, o)
			if err != nil {
				return nil, r.errAt(err, rd.Line)
			}
			known.size = sizeOf(src.Inputs(), rd.Paths)
			src.Close()
		}
		g, err := compile(p.Plan, items, known, func(_ *stage, made step.Step) (step.Step, error) { return unread{made}, nil },
			func(*Write) (step.Step, error) { return teeStep{}, nil }, func(m *Mark) step.Step { return marking{r, m.Name} })
		if err != nil {
			return nil, err
		}
		for _, st := range g.stages {
			out = append(out, Stage{Line: st.line, Name: st.name, Section: section + st.section + 1, Kind: st.kind.String(), LooksAt: st.capabilities.LooksAt,
				Held: !st.inner && (st.kind != rowStage || st.capabilities.Prepare != nil)})
			if st == g.stages[len(g.stages)-1] {
				section += st.section + 1
			}
		}
	}
	return out, nil
}

// unread is a step that reads another table first, as it is run where that has room in memory.
type unread struct{ step.Step }

func (u unread) Capabilities() step.Capabilities {
	c := u.Step.Capabilities()
	c.Rows = func(in *table.Schema) (*step.Bound, error) { return nil, errors.New("the other table was not read") }
	return c
}
