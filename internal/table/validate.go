package table

import (
	"fmt"

	"revuelta/internal/view"
)

// Validate looks whether a batch keeps what its columns promise: kinds and lengths, absent characters, places in a
// text, and an origin for its rows. It goes through every cell, so it is for tests and for builds with the tag strict.
func (b *Batch) Validate() error {
	for i := range b.Cols {
		if err := b.Cols[i].validate(b.Rows); err != nil {
			return fmt.Errorf("column %d: %w", i, err)
		}
	}
	return b.Origin.validate(b.Rows)
}

func (c *Column) validate(rows int) error {
	lists := [][]string{c.Cells}
	switch c.Kind {
	case Plain:
		if len(c.Cells) != rows {
			return fmt.Errorf("%d cells for %d rows", len(c.Cells), rows)
		}
	case Runs:
		if len(c.Cells) != len(c.Ends) {
			return fmt.Errorf("%d runs with %d ends", len(c.Cells), len(c.Ends))
		}
		last := int32(0)
		for i, end := range c.Ends {
			if end < last {
				return fmt.Errorf("run %d ends at %d, before the one above it", i, end)
			}
			last = end
		}
		if int(last) != rows {
			return fmt.Errorf("the runs end at %d of %d rows", last, rows)
		}
	case Encoded:
		if len(c.Codes) != rows {
			return fmt.Errorf("%d codes for %d rows", len(c.Codes), rows)
		}
		for r, code := range c.Codes {
			if code < 0 || int(code) >= len(c.Cells) {
				return fmt.Errorf("row %d has code %d of %d", r, code, len(c.Cells))
			}
		}
	case Placed:
		if c.grid.Rows() != rows || int(c.source.field) >= c.grid.Fields {
			return fmt.Errorf("field %d of %d rows of a grid of %d x %d", c.source.field, rows, c.grid.Rows(), c.grid.Fields)
		}
		cells, _ := c.Flat(rows, nil)
		lists = [][]string{cells}
	case Interleaved:
		if c.grid != nil {
			if c.from < 0 || c.from+c.rows > c.grid.Rows() || c.interleavedRows() != rows {
				return fmt.Errorf("%d rows of rows %d to %d of a grid of %d, %d turns", rows, c.from, c.from+c.rows, c.grid.Rows(), len(c.turns))
			}
			cells, _ := c.Flat(rows, nil)
			lists = [][]string{cells}
			break
		}
		lists = c.Parts
		if len(c.Parts) == 0 || rows%len(c.Parts) != 0 {
			return fmt.Errorf("%d rows of %d interleaved parts", rows, len(c.Parts))
		}
		if c.interleavedRows() != rows {
			return fmt.Errorf("no part of %d rows is there", rows)
		}
		for i, part := range c.Parts {
			if part != nil && len(part) != rows/len(c.Parts) {
				return fmt.Errorf("part %d has %d cells for %d rows", i, len(part), rows)
			}
		}
	default:
		return fmt.Errorf("of no kind: %d", c.Kind)
	}
	for _, cells := range lists {
		if lost := c.Absent &^ AbsentFrom(cells); lost != 0 {
			return fmt.Errorf("a cell holds a character that is said to be absent (%b)", lost)
		}
	}
	text := c.source.text
	if text == nil {
		return nil
	}
	if c.Kind == Placed {
		return nil // by what it is
	}
	if c.Kind != Plain && c.Kind != Runs {
		return fmt.Errorf("a column of kind %d is said to lie in a text", c.Kind)
	}
	return inText(text, c.Cells)
}

func inText(text view.Text, cells []string) error {
	for i, s := range cells {
		if text.At(s) < 0 {
			return fmt.Errorf("cell %d, %q, does not lie in the text it is said to lie in", i, s)
		}
	}
	return nil
}

func (o *Origin) validate(rows int) error {
	if o.Line == 0 {
		return nil
	}
	sources := rows / max(o.Each, 1)
	switch {
	case o.Ends != nil:
		sources = len(o.Ends)
		if n := len(o.Ends); n > 0 && int(o.Ends[n-1]) != rows || n == 0 && rows > 0 {
			return fmt.Errorf("the origin ends at %v of %d rows", o.Ends, rows)
		}
	case rows%max(o.Each, 1) != 0:
		return fmt.Errorf("%d rows made of source rows that make %d each", rows, o.Each)
	}
	if o.Lines != nil && len(o.Lines) < sources {
		return fmt.Errorf("the origin has %d lines for %d source rows", len(o.Lines), sources)
	}
	if o.Files != nil && len(o.Files) < sources {
		return fmt.Errorf("the origin has %d files for %d source rows", len(o.Files), sources)
	}
	return nil
}
