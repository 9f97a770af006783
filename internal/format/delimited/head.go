package delimited

import (
	"bytes"
	"strings"
)

// Record is a row as it lies, read the plain way.
type Record struct {
	Cells      []string // none: an empty line
	Start, End int      // bytes, the line end included
	Line       int      // from 1
}

// Head reads up to most rows from the beginning of a text, the plain way: a
// byte after the other. It stops before a row that is not whole, unless the
// text is all there is. The error is a *[Fault]; the rows before it are given.
func Head(data []byte, d Dialect, most int, all bool) ([]Record, error) {
	var out []Record
	line := 1
	for at := 0; at < len(data) && len(out) < most; {
		r := Record{Start: at, Line: line}
		end, fault := record(data, at, d, &r)
		if fault != nil {
			if fault.Kind == UnclosedQuote && !all {
				return out, nil
			}
			return out, fault
		}
		if end == len(data) && !all && data[end-1] != '\n' {
			return out, nil
		}
		r.End = end
		line += bytes.Count(data[at:end], newline)
		at = end
		out = append(out, r)
	}
	return out, nil
}

// record reads the row at a place and gives the place after it.
func record(data []byte, at int, d Dialect, r *Record) (int, *Fault) {
	lineEnd := func(i int) int { // length of the line end at i, 0 where there is none
		switch {
		case i >= len(data):
			return 0
		case data[i] == '\n':
			return 1
		case data[i] == '\r' && i+1 < len(data) && data[i+1] == '\n':
			return 2
		case data[i] == '\r' && i+1 == len(data):
			return 1
		}
		return 0
	}
	if n := lineEnd(at); n > 0 {
		return at + n, nil
	}
	for {
		var cell strings.Builder
		i := at
		if !d.NoQuotes && i < len(data) && data[i] == '"' {
			for i++; ; i++ {
				if i >= len(data) {
					return 0, &Fault{Line: r.Line + bytes.Count(data[r.Start:at], newline), Field: len(r.Cells), Kind: UnclosedQuote,
						Cell: string(data[at:min(len(data), at+200)]), Text: "the quote that opens here is never closed"}
				}
				if data[i] == '"' {
					if i+1 < len(data) && data[i+1] == '"' {
						i++
					} else {
						i++
						break
					}
				}
				cell.WriteByte(data[i])
			}
			if i < len(data) && data[i] != d.Delimiter && lineEnd(i) == 0 {
				return 0, &Fault{Line: r.Line, Field: len(r.Cells), Kind: BareQuote, Cell: string(data[at:i]), Text: "text follows the quote that closes the cell"}
			}
		} else {
			for i < len(data) && data[i] != d.Delimiter && lineEnd(i) == 0 {
				if data[i] == '"' && !d.NoQuotes {
					return 0, &Fault{Line: r.Line, Field: len(r.Cells), Kind: BareQuote, Cell: string(data[at : i+1]), Text: "a quote inside a cell that does not begin with one"}
				}
				cell.WriteByte(data[i])
				i++
			}
		}
		r.Cells = append(r.Cells, cell.String())
		if i < len(data) && data[i] == d.Delimiter {
			at = i + 1
			continue
		}
		return i + lineEnd(i), nil
	}
}

// candidates are the delimiters that are found out, the likelier first.
var candidates = []byte{',', ';', '\t', '|'}

// Detect finds the delimiter of a text from its beginning: the one that parts
// most rows into the same number of cells, more than one.
func Detect(data []byte) byte {
	best, score := candidates[0], 0.0
	for _, c := range candidates {
		counts := map[int]int{}
		rows, n, quoted, empty := 0, 0, false, true
		for i := 0; i < len(data) && rows < 200; i++ {
			switch b := data[i]; {
			case b == '"':
				quoted, empty = !quoted, false
			case b == '\n' && !quoted:
				if !empty {
					counts[n]++
					rows++
				}
				n, empty = 0, true
			case b == c && !quoted:
				n++
				empty = false
			case b != '\r':
				empty = false
			}
		}
		if rows < 200 && !empty {
			counts[n]++
			rows++
		}
		mode, most := 0, 0
		for n, rows := range counts {
			if n > 0 && (rows > most || rows == most && n > mode) {
				mode, most = n, rows
			}
		}
		if rows == 0 || mode == 0 {
			continue
		}
		// Among equals, more cells a row.
		if s := float64(most)/float64(rows) + float64(min(mode, 1000))/1e6; s > score {
			best, score = c, s
		}
	}
	return best
}
