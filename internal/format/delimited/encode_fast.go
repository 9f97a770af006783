package delimited

import (
	"slices"

	"revuelta/internal/table"
	"revuelta/internal/view"
)

// The ways below write what the loop of Append writes, which is their oracle in the tests. Most of the bytes are short
// texts, and stored sixteen bytes at a time they take a third of the time of as many calls of memmove.

// unpivoted tells the shape that interleaved writes, which an unpivot makes: perhaps a run for each row of a source
// table, labels by one list of codes, then interleaved cells that need no quotes. It gives how many rows a source row makes, 0 for any other shape.
func (e *Encoder) unpivoted(rows int) int {
	parts := e.parts
	if parts[0].kind == table.Runs {
		parts = parts[1:]
	}
	labels := 0
	for labels < len(parts) && parts[labels].kind == table.Encoded {
		if c := parts[labels].codes; &c[0] != &parts[0].codes[0] {
			return 0
		}
		labels++
	}
	if labels == 0 || labels == len(parts) {
		return 0
	}
	first := &parts[labels]
	each := first.each()
	for i := range parts[labels:] {
		if p := &parts[labels+i]; p.kind != table.Interleaved || !p.clean || p.each() != each || p.grid != first.grid || p.from != first.from {
			return 0
		}
	}
	if each == 0 || rows%each != 0 {
		return 0
	}
	if r := &e.parts[0]; r.kind == table.Runs && !evenly(r.cols[0].Ends, rows/each, int32(each)) {
		return 0
	}
	return each
}

// evenly reports whether there are so many runs, all of the same length.
func evenly(ends []int32, runs int, each int32) bool {
	if len(ends) != runs {
		return false
	}
	for i, end := range ends {
		if end != int32(i+1)*each {
			return false
		}
	}
	return true
}

// interleaved writes rows of which each source row makes as many.
func (e *Encoder) interleaved(dst []byte, each, rows int) []byte {
	parts := e.parts
	var runs *part
	if parts[0].kind == table.Runs {
		runs, parts = &parts[0], parts[1:]
	}
	first := &parts[0]
	e.labels = slices.Grow(e.labels[:0], len(first.offs)-1)[:len(first.offs)-1]
	e.measures, e.fields = e.measures[:0], e.fields[:0]
	for i := range parts {
		p := &parts[i]
		if p.kind == table.Interleaved {
			e.measures, e.fields = append(e.measures, p.turns), append(e.fields, p.fields)
			continue
		}
		for code := range e.labels {
			if i == 0 {
				e.labels[code] = e.labels[code][:0]
			}
			e.labels[code] = append(e.labels[code], p.text[p.offs[code]:p.offs[code+1]]...)
		}
	}
	for code := range e.labels {
		e.labels[code] = slices.Grow(e.labels[code], view.Slack)
	}
	last := &parts[len(parts)-1]
	if last.grid != nil {
		e.places.Load(e.labels, last.grid, e.fields)
	} else {
		e.columns.Load(e.labels, e.measures, rows/each)
	}
	tail := slices.Grow([]byte(e.end), view.Slack)
	for row := range rows / each {
		if runs != nil {
			runs.before = e.end
			e.advance(runs)
			runs.text = slices.Grow(runs.text, view.Slack)
			tail = runs.text
		}
		codes := first.codes[row*each : (row+1)*each]
		if last.grid != nil {
			dst = e.places.Append(dst, tail, len(e.end), codes, last.from+row, e.style.Delimiter)
		} else {
			dst = e.columns.Append(dst, tail, len(e.end), codes, row, e.style.Delimiter)
		}
	}
	return dst
}

// exploded tells the shape that repeated writes: one plain column whose cells
// need no quotes, and runs with the same ends beside it. It gives the part that is plain, -1 for any other shape.
func (e *Encoder) exploded() int {
	plain := -1
	var ends []int32
	for i := range e.parts {
		p := &e.parts[i]
		switch {
		case p.kind == table.Plain && p.clean && p.last == nil && plain < 0:
			plain = i
		case p.kind == table.Runs && (ends == nil || sameEnds(ends, p.cols[0].Ends)):
			ends = p.cols[0].Ends
		default:
			return -1
		}
	}
	if ends == nil {
		return -1
	}
	return plain
}

// repeated writes rows of which all but one cell is the same all through a run.
func (e *Encoder) repeated(dst []byte, plain, rows int) []byte {
	p := &e.parts[plain]
	var head, tail same
	var runs []int32
	if plain > 0 {
		head.of(&e.parts[plain-1])
		runs = head.p.cols[0].Ends
	}
	if plain < len(e.parts)-1 {
		tail.of(&e.parts[plain+1])
		runs = tail.p.cols[0].Ends
	}
	text := head.source // where the cells may lie too
	if text == nil {
		text = tail.source
	}
	marks := [3]view.Mark{view.MarkOf(head.after), view.MarkOf(p.after), view.MarkOf(tail.after)}
	row := int32(0)
	one := head.source != nil && tail.source != nil && head.source.Same(tail.source)
	front, back := head.span(), tail.span()
	for run := 0; run < len(runs); run++ {
		if one {
			n, done := view.RepeatRuns(dst[len(dst):], &front, &back, run, runs, p.cells, &marks)
			dst = dst[:len(dst)+n]
			if run += done; run == len(runs) {
				break
			}
			if run > 0 {
				row = runs[run-1]
			}
		}
		end := runs[run]
		h, t := head.text(e, run), tail.text(e, run)
		for row < end {
			n, done := view.Repeat(dst[len(dst):], h, t, p.cells[row:end], &marks, text)
			dst = dst[:len(dst)+n]
			if row += int32(done); row < end {
				dst = slices.Grow(dst, view.RepeatRoom(len(h)+len(t)+len(p.cells[row])))
			}
		}
	}
	return dst
}

// same is the part of a row that stays the same all through a run.
type same struct {
	p           *part
	source      view.Text // nil: it is not taken as it was read
	first, last []string
	after       string
}

func (s *same) of(p *part) {
	s.p, s.after = p, p.after
	if p.upTo[0] == len(p.cols) {
		s.source = p.cols[0].Text()
	}
	s.first, s.last = p.cols[0].Cells, p.cols[len(p.cols)-1].Cells
}

func (s *same) span() view.Span { return view.Span{Text: s.source, First: s.first, Last: s.last} }

// text is the part's text in a run, such as may be copied by blocks, without what stands behind it.
func (s *same) text(e *Encoder, run int) []byte {
	if s.p == nil {
		return nothing[:0]
	}
	if s.source != nil {
		if t := s.source.Through(s.first[run], s.last[run]); cap(t)-len(t) >= view.Slack {
			return t
		}
	}
	s.p.run = run - 1
	e.advance(s.p)
	s.p.text = slices.Grow(s.p.text, view.Slack)
	return s.p.text[:len(s.p.text)-len(s.after)]
}

// nothing is a text without bytes that may be read beyond its end.
var nothing [view.Slack]byte

// isClean tells the shape that cleanRows writes: plain columns, none of whose cells needs quotes.
func (e *Encoder) isClean() bool {
	for i := range e.parts {
		if p := &e.parts[i]; p.kind != table.Plain || !p.clean {
			return false
		}
	}
	return true
}

// cleanRows writes rows of which some columns are as they were read.
func (e *Encoder) cleanRows(dst []byte) []byte {
	e.spans = e.spans[:0]
	for i := range e.parts {
		p := &e.parts[i]
		e.spans = append(e.spans, view.Span{First: p.cells, Mark: view.MarkOf(p.after)})
		if p.last != nil {
			e.spans[i].Text, e.spans[i].Last = p.source, p.last
		}
	}
	return view.Rows(dst, e.spans)
}

// stretches writes rows that are all as they were read, those that follow each other in the text in one piece.
func (e *Encoder) stretches(dst []byte) []byte {
	p := &e.parts[0]
	text := p.source
	from, to := 0, 0
	for r, first := range p.cells {
		at := text.At(first)
		// A row without the carriage return that is to be written, or with one that is not, begins a stretch.
		if r == 0 || at != to+len(e.end) || text[to] != e.end[0] {
			if r > 0 {
				dst = append(append(dst, text[from:to]...), e.end...)
			}
			from = at
		}
		to = text.At(p.last[r]) + len(p.last[r])
	}
	return append(append(dst, text[from:to]...), e.end...)
}
