package joining

import (
	"context"
	"fmt"
	"slices"

	"revuelta/internal/diag"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var AppendSpec = &step.Spec{
	Name: "append",
	File: true,
	Brief: []string{
		"Puts the rows of another table beneath, matched by field name.",
		"A field that only one of the tables has is blank in the rows of the other.",
	},
	Forms:   []string{"append FILE"},
	Options: []step.Option{{Name: "source", Value: "NAME", Help: "a field that says where each row came from"}},
	Make: func(a *step.Args) (step.Step, error) {
		name := a.Get("source", "")
		if a.Has("source") && name == "" {
			return nil, diag.Usagef("--source: the field has no name").Trying("--source file")
		}
		return &Append{Path: a.Within(a.Operands[0]), Source: name}, nil
	},
	Examples: []step.Example{{
		Command: "revuelta append june.csv may.csv",
		Input:   "colony,kilos\n026,1.10\n",
		Others:  map[string]string{"june.csv": "keeper,colony\nOnkara,007\n"},
		Output:  "colony,kilos,keeper\n026,1.10,\n007,,Onkara\n",
	}},
}

// Append puts the rows of another table beneath.
type Append struct {
	Path   string
	Source string // name of a field, "": none
}

// Capabilities implements step.Step.
func (t *Append) Capabilities() step.Capabilities {
	return step.Capabilities{Run: t.Run, LooksAt: t.LooksAt()}
}

// Run runs it on one goroutine.
func (t *Append) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	other, err := s.OpenTable(t.Path, step.ToAppend)
	if err != nil {
		return err
	}
	defer other.Close()
	var schema *table.Schema
	var mine int // fields of the table itself
	dst := table.Get()
	put := func(b *table.Batch, from []int, source func(row int) string) error {
		dst.Shape(schema.Len())
		for i, at := range from {
			if at < 0 {
				dst.Cols[i].SetConstant("", b.Rows)
			} else {
				dst.Cols[i].Borrow(&b.Cols[at])
			}
		}
		if t.Source != "" {
			if of := &dst.Cols[len(from)]; b.Origin.Files == nil {
				of.SetConstant(source(0), b.Rows)
			} else {
				cells := of.Make(b.Rows)
				for r := range cells {
					cells[r] = source(r)
				}
			}
		}
		dst.Rows, dst.Origin = b.Rows, b.Origin
		return out.Emit(dst)
	}
	var here, there []int
	err = in(ctx, step.Through{
		OnStart: func(in *table.Schema) error {
			mine = in.Len()
			names := slices.Clone(in.Names())
			var lacks []string
			for _, n := range other.Schema.Names() {
				if _, ok := in.Index(n); !ok {
					names = append(names, n)
				}
			}
			for i, n := range names {
				at, ok := other.Schema.Index(n)
				if !ok {
					at = -1
					lacks = append(lacks, n)
				}
				there = append(there, at)
				if i >= mine {
					i = -1
				}
				here = append(here, i)
			}
			if len(lacks) == mine {
				return diag.Dataf("the tables have no field in common: %s here, %s in %s", diag.Names(in.Names()), diag.Names(other.Schema.Names()), other.Name).Trying("rename the fields first")
			}
			if len(lacks) > 0 {
				s.Summary.Notes = append(s.Summary.Notes, fmt.Sprintf("not in %s, so blank: %s", other.Name, diag.Names(lacks)))
			}
			if len(names) > mine {
				s.Summary.Notes = append(s.Summary.Notes, fmt.Sprintf("only in %s: %s", other.Name, diag.Names(names[mine:])))
			}
			if t.Source != "" {
				names = append(names, t.Source)
			}
			var err error
			if schema, err = step.Unique(names, "--source another name"); err != nil {
				return err
			}
			return out.Start(schema)
		},
		OnEmit: func(b *table.Batch) error {
			return put(b, here, func(row int) string {
				if s.Tables.FileName == nil {
					return ""
				}
				return s.Tables.FileName(b.Origin.FileOf(row))
			})
		},
	})
	if err != nil {
		return err
	}
	numbers := map[string]int{} // of the files
	number := func(file int) int {
		name := other.File(file)
		if _, ok := numbers[name]; !ok {
			numbers[name] = s.Tables.AddFile(name)
		}
		return numbers[name]
	}
	err = other.Run(ctx, step.Through{
		OnStart: func(*table.Schema) error { return nil },
		OnEmit: func(b *table.Batch) error {
			if s.Tables.AddFile != nil {
				b.Origin.File = number(b.Origin.File)
				files := slices.Clone(b.Origin.Files)
				for i, f := range files {
					files[i] = int32(number(int(f)))
				}
				b.Origin.Files = files
			}
			s.Counters.Made += int64(b.Rows)
			return put(b, there, func(int) string { return other.Name })
		},
	})
	s.Summary.Text = fmt.Sprintf("%s of %s beneath", diag.Plural(s.Counters.Made, "row"), other.Name)
	return err
}

// LooksAt names the other table.
func (t *Append) LooksAt() string { return t.Path }
