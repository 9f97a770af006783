package reshape

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
	"revuelta/internal/sheet"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

var StencilSpec = &step.Spec{
	Name: "stencil",
	Brief: []string{
		"Takes the repeated blocks of a form apart: each block becomes a row.",
		"It works on the sheet as it lies, blank rows and all, right after reading, and takes no header.",
	},
	Forms: []string{"stencil SHAPE"},
	Options: []step.Option{
		{Name: "side", Value: "NAMES", Help: "label columns left of the blocks"},
		{Name: "top", Value: "NAMES", Help: "label rows above the blocks; a label holds until the next one"},
		{Name: "skip-blank", Help: "leave out blank blocks"},
	},
	Make:   makeStencil,
	Memory: "one sheet",
	Examples: []step.Example{{
		Command: "revuelta stencil 'mites queen / note .' --side colony --top date form.csv",
		Input:   "hive book,2024-05-02,,2024-05-16,\n026,4,yes,0,no\n,calm,,,\n007,,,9,yes\n,,,robbed,\n",
		Output:  "colony,date,mites,queen,note\n026,2024-05-02,4,yes,calm\n026,2024-05-16,0,no,\n007,2024-05-02,,,\n007,2024-05-16,9,yes,robbed\n",
	}},
}

// Stencil takes the blocks of a form apart.
type Stencil struct {
	Shape     [][]string // names, by rows; "": not wanted
	Side, Top []string
	SkipBlank bool
}

// Capabilities implements step.Step.
func (t *Stencil) Capabilities() step.Capabilities {
	return step.Capabilities{Run: t.Run, OnSheet: true}
}

const unwanted = "."

func makeStencil(a *step.Args) (step.Step, error) {
	t := &Stencil{SkipBlank: a.Has("skip-blank")}
	var err error
	if a.Has("side") {
		if t.Side, err = step.NameList(a.Get("side", "")); err != nil {
			return nil, err
		}
	}
	if a.Has("top") {
		if t.Top, err = step.NameList(a.Get("top", "")); err != nil {
			return nil, err
		}
	}
	source := a.Operands[0]
	seen := map[string]bool{}
	for _, n := range slices.Concat(t.Side, t.Top) {
		if seen[n] {
			return nil, diag.Usagef("the name %s is given twice", diag.Quote(n))
		}
		seen[n] = true
	}
	some := false
	for _, row := range selection.Cut(source, '/') {
		var names []string
		for _, word := range selection.Cut(strings.Join(strings.Fields(row), " "), ' ') {
			if word = strings.TrimSpace(word); word == "" {
				continue
			}
			name, quoted, err := selection.Unquote(word)
			if err != nil {
				return nil, err
			}
			if name == unwanted && !quoted {
				names = append(names, "")
				continue
			}
			if seen[name] {
				return nil, diag.Usagef("the shape %s: the name %s stands twice", diag.Quote(source), diag.Quote(name)).Trying("a name for each cell, . for one that is not wanted")
			}
			seen[name], some = true, true
			names = append(names, name)
		}
		t.Shape = append(t.Shape, names)
	}
	for i, row := range t.Shape {
		if len(row) == 0 {
			return nil, diag.Usagef("the shape %s: row %d is empty", diag.Quote(source), i+1).Trying("stencil 'mites queen . / note . .'")
		}
		if len(row) != len(t.Shape[0]) {
			return nil, diag.Usagef("the shape %s: row %d has %s, row 1 %d", diag.Quote(source), i+1, diag.Plural(int64(len(row)), "cell"), len(t.Shape[0])).Trying("fill it up with . for cells that are not wanted")
		}
	}
	if !some {
		return nil, diag.Usagef("the shape %s names no cell", diag.Quote(source)).Trying("stencil 'mites queen . / note . .'")
	}
	return t, nil
}

// form is a table as it lies.
type form struct {
	rows  [][]string
	lines []int
	file  int
	width int
	aside string            // the cell of the field that names the source
	ends  map[[2]int][2]int // of a merged area, by its first row and column: its last, all from 0
}

// Run implements Step. It takes the files one after the other.
func (t *Stencil) Run(ctx context.Context, in step.In, out step.Out, s *step.Context) error {
	var schema *table.Schema
	sourced := false // the last field names the source
	var now *form
	blocks := int64(0)
	finish := func() error {
		if now == nil {
			return nil
		}
		sh := now
		now = nil
		return t.take(ctx, sh, schema, sourced, out, s, &blocks)
	}
	err := in(ctx, step.Through{
		OnStart: func(in *table.Schema) error {
			names := slices.Concat(t.Side, t.Top)
			for _, row := range t.Shape {
				for _, n := range row {
					if n != "" {
						names = append(names, n)
					}
				}
			}
			last := in.Len() - 1
			if sourced = in.Name(last) != fmt.Sprintf("field %d", last+1); sourced {
				names = append(names, in.Name(last))
			}
			var err error
			if schema, err = step.Unique(names, "another name"); err != nil {
				return err
			}
			return out.Start(schema)
		},
		OnEmit: func(b *table.Batch) error {
			if now != nil && now.file != b.Origin.File {
				if err := finish(); err != nil {
					return err
				}
			}
			width := len(b.Cols)
			if sourced {
				width--
			}
			if now == nil {
				now = &form{file: b.Origin.File}
				if sourced && b.Rows > 0 {
					now.aside = strings.Clone(b.Cols[width].At(0))
				}
			}
			if s.Tables.Width != nil { // others of several files may be wider
				width = min(width, s.Tables.Width(b.Origin.File))
			}
			now.width = max(now.width, width)
			for r := range b.Rows {
				row := make([]string, width)
				for i := range row {
					row[i] = strings.Clone(b.Cols[i].At(r))
				}
				now.rows, now.lines = append(now.rows, row), append(now.lines, b.Origin.LineOf(r))
			}
			return nil
		},
	})
	if err == nil {
		err = finish()
	}
	s.Summary.Text = diag.Plural(blocks, "block")
	if t.SkipBlank && s.Counters.LeftOut > 0 {
		s.Summary.Text += fmt.Sprintf("; %s left out", diag.Plural(s.Counters.LeftOut, "blank one"))
	}
	if n := s.Counters.Count[0]; n > 0 {
		s.Summary.Text += fmt.Sprintf("; %s held something", diag.Plural(n, "unwanted cell"))
	}
	return err
}

// take takes a sheet apart.
func (t *Stencil) take(ctx context.Context, sh *form, schema *table.Schema, sourced bool, out step.Out, s *step.Context, blocks *int64) error {
	source := ""
	if s.Tables.FileName != nil {
		source = s.Tables.FileName(sh.file)
	}
	if s.Tables.Merged != nil {
		sh.merge(s.Tables.Merged(sh.file))
	}
	h, w := len(t.Shape), len(t.Shape[0])
	for _, row := range sh.rows {
		for _, cell := range row {
			if cell != "" {
				s.Counters.FilledIn++
			}
		}
	}
	down, err := t.tile(sh, source, len(t.Top), len(sh.rows), h, true, s)
	if err != nil {
		return err
	}
	across, err := t.tile(sh, source, len(t.Side), sh.width, w, false, s)
	if err != nil {
		return err
	}
	side, err := t.labels(sh, source, len(t.Side), len(t.Top), down, h, true)
	if err != nil {
		return err
	}
	top, err := t.labels(sh, source, len(t.Top), len(t.Side), across, w, false)
	if err != nil {
		return err
	}
	known := int64(0) // cells that hold something, by what became of them
	for r := range sh.rows {
		for c := range sh.width {
			if sh.cell(r, c) == "" {
				continue
			}
			switch inTop, inSide := r < len(t.Top), c < len(t.Side); {
			case inTop && inSide:
				s.Counters.Count[0]++
				known++
			case inTop || inSide:
				known++
			case t.Shape[(r-len(t.Top))%h][(c-len(t.Side))%w] == "":
				s.Counters.Count[0]++
				known++
			}
		}
	}
	s.Counters.FilledOut += known
	s.Counters.Merged += int64(len(sh.rows))
	s.Counters.Made += int64(down * across)
	*blocks += int64(down * across)
	const most = 1024
	for from := 0; from < down*across; from += most {
		if err := t.emit(sh, from, min(from+most, down*across), across, side, top, schema, sourced, out, s); err != nil {
			return err
		}
		if err := context.Cause(ctx); err != nil {
			return err
		}
	}
	return nil
}

// merge takes note of merged areas.
func (sh *form) merge(areas []sheet.Area) {
	sh.ends = map[[2]int][2]int{}
	for _, a := range areas {
		from, ok := slices.BinarySearch(sh.lines, a.Top)
		if !ok {
			continue
		}
		to, ok := slices.BinarySearch(sh.lines, a.Bottom)
		if !ok {
			to--
		}
		sh.ends[[2]int{from, a.Left - 1}] = [2]int{to, a.Right - 1}
	}
}

func (sh *form) cell(r, c int) string {
	if r < len(sh.rows) && c < len(sh.rows[r]) {
		return sh.rows[r][c]
	}
	return ""
}

// tile counts the blocks in one direction, size cells each, from begin to end.
// What is missing at the end must be unwanted, what is left over blank.
func (t *Stencil) tile(sh *form, source string, begin, end, size int, down bool, s *step.Context) (int, error) {
	n, left := (end-begin)/size, (end-begin)%size
	what := "column"
	if down {
		what = "row"
	}
	if end <= begin {
		return 0, diag.Dataf("the sheet has %s, and the labels take %d: there is no block", diag.Plural(int64(end), what), begin).At(source, 1)
	}
	if left == 0 {
		return n, nil
	}
	missing := true // only unwanted cells
	for i := left; i < size; i++ {
		for k := range len(t.Shape) + len(t.Shape[0]) {
			switch {
			case down && k < len(t.Shape[0]):
				missing = missing && t.Shape[i][k] == ""
			case !down && k < len(t.Shape):
				missing = missing && t.Shape[k][i] == ""
			}
		}
	}
	if missing {
		return n + 1, nil
	}
	r, c := sh.first(end-left, end, down)
	if r < 0 {
		s.Summary.Notes = append(s.Summary.Notes, fmt.Sprintf("%s at the end, which make no block, are blank", diag.Plural(int64(left), what)))
		return n, nil
	}
	high := map[bool]string{true: "high", false: "wide"}[down]
	are := map[bool]string{true: "is", false: "are"}[left == 1]
	return 0, diag.Dataf("the blocks are %s %s, and %s %s left over at the end, where %s stands", diag.Plural(int64(size), what), high, diag.Plural(int64(left), what), are, diag.Quote(sh.cell(r, c))).
		At(source, sh.lines[r]).InField(fmt.Sprintf("field %d", c+1)).
		Trying("a shape that fits, with . for cells that are not wanted", "--top, --side for labels", "--foot N if notes stand below", "--body N if a title stands above")
}

// first finds the first cell with something in it among some rows or columns; -1 where there is none.
func (sh *form) first(from, to int, rows bool) (int, int) {
	for r := range sh.rows {
		for c := range sh.width {
			at := c
			if rows {
				at = r
			}
			if from <= at && at < to && sh.cell(r, c) != "" {
				return r, c
			}
		}
	}
	return -1, -1
}

// labels finds the labels beside (or above) each block: what stands along it,
// else the one before, which holds for its merged area only, where it has one. lines is how many label columns (or rows) there are, skip how many cells come before the first block.
func (t *Stencil) labels(sh *form, source string, lines, skip, blocks, size int, down bool) ([][]string, error) {
	out := make([][]string, blocks)
	last := make([]string, lines)
	until := make([]int, lines) // where the label ends; -1: at the next
	for b := range out {
		for k := range lines {
			own, at := "", 0
			if skip+b*size > until[k] && until[k] >= 0 {
				last[k] = ""
			}
			for i := skip + b*size; i < skip+(b+1)*size; i++ {
				r, c := i, k
				if !down {
					r, c = k, i
				}
				label := sh.cell(r, c)
				if label == "" || label == own {
					continue
				}
				if own != "" {
					where := fmt.Sprintf("columns %d and %d", at+1, c+1)
					if down {
						where = fmt.Sprintf("lines %d and %d", sh.lines[at], sh.lines[r])
					}
					return nil, diag.Dataf("two labels for one block: %s and %s, %s", diag.Quote(own), diag.Quote(label), where).At(source, sh.lines[r]).
						Trying(fmt.Sprintf("a shape of another size: this one has %s", diag.Plural(int64(size), map[bool]string{true: "row", false: "column"}[down])))
				}
				own, at = label, i
				last[k], until[k] = label, -1
				if end, ok := sh.ends[[2]int{r, c}]; ok {
					until[k] = end[map[bool]int{true: 0, false: 1}[down]]
				}
			}
		}
		out[b] = slices.Clone(last)
	}
	return out, nil
}

// emit emits some blocks.
func (t *Stencil) emit(sh *form, from, to, across int, side, top [][]string, schema *table.Schema, sourced bool, out step.Out, s *step.Context) error {
	h, w := len(t.Shape), len(t.Shape[0])
	b := table.Get()
	b.Shape(schema.Len())
	n := 0
	column := func() []string {
		n++
		return b.Cols[n-1].Make(to - from)
	}
	for k := range t.Side {
		for i, cells := from, column(); i < to; i++ {
			cells[i-from] = side[i/across][k]
		}
	}
	for k := range t.Top {
		for i, cells := from, column(); i < to; i++ {
			cells[i-from] = top[i%across][k]
		}
	}
	blank := make([]bool, to-from)
	for i := range blank {
		blank[i] = true
	}
	for r, row := range t.Shape {
		for c, name := range row {
			if name == "" {
				continue
			}
			cells := column()
			for i := range cells {
				cells[i] = sh.cell(len(t.Top)+(from+i)/across*h+r, len(t.Side)+(from+i)%across*w+c)
				if cells[i] != "" {
					blank[i] = false
					s.Counters.FilledOut++
				}
			}
		}
	}
	if sourced {
		for i, cells := 0, column(); i < to-from; i++ {
			cells[i] = sh.aside
		}
	}
	b.Rows = to - from
	b.Origin = table.Origin{File: sh.file, Line: 1, Each: 1}
	for i := from; i < to; i++ {
		b.Origin.Lines = append(b.Origin.Lines, int32(sh.lines[min(len(t.Top)+i/across*h, len(sh.lines)-1)]-1))
	}
	if !t.SkipBlank {
		return out.Emit(b)
	}
	var kept, left []int32
	for i, is := range blank {
		if is {
			left = append(left, int32(i))
		} else {
			kept = append(kept, int32(i))
		}
	}
	s.Leave(schema, b, left, step.Cause{Field: step.NoField, Reason: "a blank block"})
	if len(kept) == 0 {
		return nil
	}
	sub := table.Get()
	sub.Gather(b, kept)
	return out.Emit(sub)
}
