package delimited

import (
	"bytes"
	"fmt"
	"slices"
	"unicode/utf8"

	"revuelta/internal/view"
)

const hasNUL = "a NUL byte: this is no text, or UTF-16 without its mark"

// scan finds the end of every cell and row. With a fault, the rows end before it.
func (p *Parser) scan(c Chunk) *Fault {
	data := c.Data
	p.seps, p.rows, p.quoted = p.seps[:0], p.rows[:0], p.quoted[:0]
	p.crs, p.cut = 0, 0
	p.inner = false
	var fault *Fault
	seen := view.SeenHigh | view.SeenReturn | view.SeenNUL // they may be there
	if p.d.NoQuotes || c.quotes == 0 {
		seen = p.scanPlain(data, c.feeds)
	} else if some, ok := p.scanBlocks(c); ok {
		seen = some
	} else {
		fault = p.scanQuoted(c)
	}
	if seen&view.SeenReturn != 0 {
		p.crs = bytes.Count(data, carriage)
	}
	if fault == nil && c.Huge {
		fault = p.faultAt(c, len(data), HugeRow, fmt.Sprintf("the row is longer than %d MiB", MostRow>>20))
	}
	if fault == nil && len(data) > 0 && data[len(data)-1] != '\n' {
		p.seps = append(p.seps, uint32(len(data)))
		p.rows = append(p.rows, int32(len(p.seps)))
	}
	if seen&view.SeenHigh != 0 && !utf8.Valid(data) {
		at := 0
		for at < len(data) {
			r, n := utf8.DecodeRune(data[at:])
			if r == utf8.RuneError && n == 1 {
				break
			}
			at += n
		}
		if f := p.cutAt(c, at, NotUTF8, fmt.Sprintf("byte %#x is not UTF-8", data[at])); f != nil {
			fault = f
		}
	}
	if seen&view.SeenNUL != 0 {
		if at := bytes.IndexByte(data, 0); at >= 0 {
			if f := p.cutAt(c, at, NUL, hasNUL); f != nil {
				fault = f
			}
		}
	}
	return fault
}

// cutAt makes the rows end before the one that holds the byte at, with a
// fault, unless they end before it anyway.
func (p *Parser) cutAt(c Chunk, at int, kind FaultKind, text string) *Fault {
	for i, r := range p.rows {
		if int(p.seps[r-1]) >= at {
			p.rows = p.rows[:i]
			f := p.faultAt(c, at, kind, text)
			p.drop()
			return f
		}
	}
	return nil // a fault was met before it
}

// drop forgets the cells after the last whole row.
func (p *Parser) drop() {
	n := int32(0)
	if len(p.rows) > 0 {
		n = p.rows[len(p.rows)-1]
	}
	p.seps = p.seps[:n]
	for len(p.quoted) > 0 && p.quoted[len(p.quoted)-1].cell >= n {
		p.quoted = p.quoted[:len(p.quoted)-1]
	}
}

// faultAt is a fault at a byte of the row after the last whole one.
func (p *Parser) faultAt(c Chunk, at int, kind FaultKind, text string) *Fault {
	data := c.Data
	first, start := int32(0), 0
	if len(p.rows) > 0 {
		first = p.rows[len(p.rows)-1]
		start = int(p.seps[first-1]) + 1
	}
	field, cell := 0, start
	for k := int(first); k < len(p.seps) && int(p.seps[k]) < at; k++ {
		field, cell = field+1, int(p.seps[k])+1
	}
	end := cell
	for end < len(data) && end-cell < 200 && data[end] != '\n' && (data[end] != p.d.Delimiter || end <= at) {
		end++
	}
	return &Fault{Line: c.Line + bytes.Count(data[:start], newline), Field: field, Cell: string(data[cell:end]), Kind: kind, Text: text}
}

// scanPlain finds the separators of text without quotes. It gives the kinds of bytes it saw.
func (p *Parser) scanPlain(data []byte, feeds int) (seen view.Seen) {
	p.seps = slices.Grow(p.seps[:0], min(feeds*p.fields, len(data))+1024)
	for i := 0; i < len(data); {
		p.seps = slices.Grow(p.seps, 1024)
		n, k, some := view.Separators(data[i:], uint32(i), p.d.Delimiter, p.seps[len(p.seps):cap(p.seps)])
		p.seps = p.seps[:len(p.seps)+k]
		i, seen = i+n, seen|some
		for j := 0; j < 8 && i < len(data) && (k == 0 || len(data)-i < 8); j++ {
			switch c := data[i]; {
			case c == p.d.Delimiter || c == '\n':
				p.seps = append(p.seps, uint32(i))
			case c == '\r':
				seen |= view.SeenReturn
			case c == 0:
				seen |= view.SeenNUL
			case c >= utf8.RuneSelf:
				seen |= view.SeenHigh
			}
			i++
		}
	}
	p.findRows(data, feeds)
	return seen
}

// findRows finds the rows by the separators, so many of which are line feeds.
func (p *Parser) findRows(data []byte, feeds int) {
	// Where every fields-th separator is a line feed and there are no others, the rows are known.
	f := p.fields
	for k := f - 1; k < len(p.seps) && data[p.seps[k]] == '\n'; k += f {
		p.rows = append(p.rows, int32(k+1))
	}
	if len(p.rows) == feeds {
		return
	}
	p.rows = p.rows[:0]
	for k, at := range p.seps {
		if data[at] == '\n' {
			p.rows = append(p.rows, int32(k+1))
		}
	}
}

// scanBlocks finds the separators of text with quotes without going from quote to quote. It gives the kinds of bytes it saw, and
// false where there is a fault: scanQuoted, which does the same, tells it.
func (p *Parser) scanBlocks(c Chunk) (seen view.Seen, ok bool) {
	if c.Huge || !view.QuotedQuick() {
		return 0, false
	}
	const block = view.QuotedBlock
	data := c.Data
	p.seps = slices.Grow(p.seps[:0], min(c.feeds*p.fields, len(data))+2*block)
	p.quotes = slices.Grow(p.quotes[:0], c.quotes+2*block)
	feeds, inside := 0, false
	for at := 0; at < len(data); {
		p.seps, p.quotes = slices.Grow(p.seps, block), slices.Grow(p.quotes, block)
		text := data[at:]
		if len(text) < block {
			text = p.fillUp(text)
		}
		q := view.SeparatorsQuoted(text, uint32(at), p.d.Delimiter, inside, p.seps[len(p.seps):cap(p.seps)], p.quotes[len(p.quotes):cap(p.quotes)])
		before := uint32(len(p.seps))
		p.seps, p.quotes = p.seps[:len(p.seps)+q.Stored], p.quotes[:len(p.quotes)+q.Quotes]
		if before > 0 {
			for i := range p.quotes[len(p.quotes)-q.Quotes:] {
				p.quotes[len(p.quotes)-q.Quotes+i].Separators += before
			}
		}
		at, feeds, inside, seen = at+q.Read, feeds+q.Feeds, q.Inside, seen|q.Seen
	}
	if inside || !p.pair(data) {
		p.seps, p.quoted = p.seps[:0], p.quoted[:0]
		return 0, false
	}
	p.inner = feeds < c.feeds
	p.findRows(data, feeds)
	return seen, true
}

// fillUp makes a block of less, with letters behind it that are no delimiters.
func (p *Parser) fillUp(text []byte) []byte {
	filler := byte('x')
	if p.d.Delimiter == filler {
		filler = 'y'
	}
	for i := copy(p.tail[:], text); i < len(p.tail); i++ {
		p.tail[i] = filler
	}
	return p.tail[:]
}

// pair makes quoted cells of the quotes, an even number; false where they do not stand as they must.
func (p *Parser) pair(data []byte) bool {
	quotes := p.quotes
	for i := 0; i < len(quotes); {
		open, end := quotes[i], i+1
		if at := open.At; at > 0 && data[at-1] != p.d.Delimiter && data[at-1] != '\n' {
			return false
		}
		for end+1 < len(quotes) && quotes[end+1].At == quotes[end].At+1 {
			end += 2
		}
		if behind := data[quotes[end].At+1:]; len(behind) > 0 && behind[0] != p.d.Delimiter && behind[0] != '\n' {
			if behind[0] != '\r' || len(behind) > 1 && behind[1] != '\n' {
				return false
			}
		}
		p.quoted = append(p.quoted, quotedCell{int32(open.Separators), end > i+1})
		i = end + 1
	}
	return true
}

// scanQuoted finds the separators of text with quotes: as scanPlain up to each
// quote, from which it leaps to the one that closes it.
func (p *Parser) scanQuoted(c Chunk) (fault *Fault) {
	data := c.Data
	feeds := c.feeds
	p.seps = slices.Grow(p.seps[:0], min(feeds*p.fields, len(data))+1024)
	i, at := 0, 0
	kind, text := BareQuote, ""
	for i < len(data) {
		if cap(p.seps)-len(p.seps) < 64 {
			p.seps = slices.Grow(p.seps, 1024)
		}
		n, k := view.SeparatorsToQuote(data[i:], uint32(i), p.d.Delimiter, p.seps[len(p.seps):cap(p.seps)])
		p.seps = p.seps[:len(p.seps)+k]
		for i += n; len(data)-i < 8 && i < len(data) && data[i] != '"'; i++ { // less than a word is left
			if data[i] == p.d.Delimiter || data[i] == '\n' {
				p.seps = append(p.seps, uint32(i))
			}
		}
		if i >= len(data) || data[i] != '"' {
			continue
		}
		at = i
		if at != p.cellStart() {
			text = "a quote inside a cell that does not begin with one"
			break
		}
		end, escaped := closingQuote(data, at)
		if end < 0 {
			kind, text = UnclosedQuote, "the quote that opens here is never closed"
			if c.Huge {
				kind, text = HugeRow, fmt.Sprintf("the cell whose quote opens here is longer than %d MiB, the most that a row may have, or the quote is never closed", MostRow>>20)
			}
			if nul := bytes.IndexByte(data[at:], 0); nul >= 0 { // no text, so no quote either
				kind, text, at = NUL, hasNUL, at+nul
			}
			break
		}
		i = end
		if i < len(data) && data[i] == '\r' && (i+1 == len(data) || data[i+1] == '\n') {
			i++
		}
		if i < len(data) && data[i] != p.d.Delimiter && data[i] != '\n' {
			text = "text follows the quote that closes the cell"
			break
		}
		if inner := bytes.Count(data[at:end], newline); inner > 0 {
			p.inner = true
			feeds -= inner
		}
		p.quoted = append(p.quoted, quotedCell{int32(len(p.seps)), escaped})
	}
	if text == "" {
		p.findRows(data, feeds)
		return nil
	}
	p.findRows(data, -1)
	fault = p.faultAt(c, at, kind, text)
	if kind != BareQuote {
		fault.Line += bytes.Count(data[p.rowStart():at], newline) // where it opened
	}
	p.drop()
	return fault
}

// closingQuote finds the place behind the quote that closes the one at a
// place, -1 where there is none, and whether doubled quotes stand between.
func closingQuote(data []byte, at int) (end int, escaped bool) {
	for end = at + 1; ; {
		x := bytes.IndexByte(data[end:], '"')
		if x < 0 {
			return -1, escaped
		}
		end += x + 1
		if end == len(data) || data[end] != '"' {
			return end, escaped
		}
		escaped = true
		end++
	}
}

// cellStart is where the cell after the last separator begins.
func (p *Parser) cellStart() int {
	if len(p.seps) == 0 {
		return 0
	}
	return int(p.seps[len(p.seps)-1]) + 1
}

func (p *Parser) rowStart() int {
	if len(p.rows) == 0 {
		return 0
	}
	return int(p.seps[p.rows[len(p.rows)-1]-1]) + 1
}
