package run

import (
	"context"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/rowstore"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// Mark remembers the table at a point of a plan.
type Mark struct {
	Name string // without the @
	Line int
}

// held is a table that was marked.
type held struct {
	schema *table.Schema
	rows   rowstore.Rows
	files  []string // that the rows came from, as their origins number them
}

// marking is the step that holds the table and lets it flow on.
type marking struct {
	r    *runner
	name string
}

// Capabilities implements step.Step.
func (m marking) Capabilities() step.Capabilities { return step.Capabilities{Run: m.run} }

func (m marking) run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	h := &held{rows: rowstore.Rows{Limit: s.Resources.Memory, Temp: s.Resources.Temp}}
	err := in(ctx, step.Through{
		OnStart: func(schema *table.Schema) error {
			h.schema = schema
			return out.Start(schema)
		},
		OnEmit: func(b *table.Batch) error {
			most := b.Origin.File
			for _, f := range b.Origin.Files {
				most = max(most, int(f))
			}
			for s.Tables.FileName != nil && len(h.files) <= most {
				h.files = append(h.files, s.Tables.FileName(len(h.files)))
			}
			if err := h.rows.Add(b); err != nil {
				return err
			}
			return out.Emit(b)
		},
	})
	m.r.marks[m.name] = h
	return err
}

// marked opens a marked table, false where the path names none.
func (r *runner) marked(paths []string) (format.Source, bool, error) {
	if len(paths) != 1 || !strings.HasPrefix(paths[0], "@") {
		return nil, false, nil
	}
	h, ok := r.marks[paths[0][1:]]
	if !ok {
		return nil, true, diag.Usagef("nothing was marked %s above", paths[0]).Trying("mark " + paths[0][1:])
	}
	src, err := format.Stored(paths[0], h.schema, &h.rows, h.files)
	return src, true, err
}

// other opens another table for a step: a marked one, or a file.
func (r *runner) other(path string) (*step.Other, error) {
	src, ok, err := r.marked([]string{path})
	if err != nil {
		return nil, err
	}
	if ok {
		other := step.OfSource(path, src)
		other.Files = filesOf(src)
		return other, nil
	}
	if path == "-" {
		if src, err = format.Open([]string{path}, format.ReadOptions{Stdin: r.env.Stdin}); err != nil {
			return nil, err
		}
		return step.OfSource("standard input", src), nil
	}
	return step.OpenFile(path)
}
