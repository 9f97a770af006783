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
	var ends []int
	for at := 0; at < len(data) && len(out) < most; {
		r := Record{Start: at, Line: line}
		end, fault := record(data, at, d, &ends, &r)
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

// record reads the row at a place and gives the place after it; it has a slice for where its cells begin and end.
func record(data []byte, at int, d Dialect, places *[]int, r *Record) (int, *Fault) {
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
	var quoted map[int]string // cells that stood in quotes
	ends := (*places)[:0]
	for {
		i := at
		if !d.NoQuotes && i < len(data) && data[i] == '"' {
			var cell strings.Builder
			for i++; ; i++ {
				if i >= len(data) {
					return 0, &Fault{Line: r.Line + bytes.Count(data[r.Start:at], newline), Field: len(ends) / 2, Kind: UnclosedQuote,
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
				return 0, &Fault{Line: r.Line, Field: len(ends) / 2, Kind: BareQuote, Cell: string(data[at:i]), Text: "text follows the quote that closes the cell"}
			}
			if quoted == nil {
				quoted = map[int]string{}
			}
			quoted[len(ends)/2] = cell.String()
		} else {
			for ; i < len(data); i++ {
				if b := data[i]; b > ',' && b != d.Delimiter { // most are
					continue
				} else if b == d.Delimiter || (b == '\n' || b == '\r') && lineEnd(i) > 0 {
					break
				} else if b == '"' && !d.NoQuotes {
					return 0, &Fault{Line: r.Line, Field: len(ends) / 2, Kind: BareQuote, Cell: string(data[at : i+1]), Text: "a quote inside a cell that does not begin with one"}
				}
			}
		}
		ends = append(ends, at-r.Start, i-r.Start)
		if i < len(data) && data[i] == d.Delimiter {
			at = i + 1
			continue
		}
		*places = ends
		text := string(data[r.Start:i])
		r.Cells = make([]string, len(ends)/2)
		for c := range r.Cells {
			r.Cells[c] = text[ends[2*c]:ends[2*c+1]]
		}
		for c, cell := range quoted {
			r.Cells[c] = cell
		}
		return i + lineEnd(i), nil
	}
}

// candidates are the delimiters that are found out, the likelier first.
var candidates = []byte{',', ';', '\t', '|'}

// Detect finds the delimiter of a text from its beginning: the one that parts
// most rows into the same number of cells, more than one.
func Detect(data []byte) byte {
	var which [256]uint8 // of the candidates, from 1
	var counts [4]map[int]int
	for i, c := range candidates {
		which[c], counts[i] = uint8(i+1), map[int]int{}
	}
	var n [5]int // of each in a row; the first is of no candidate
	rows, quoted, blank := 0, false, true
	var beyond [5]int // quotes that open behind each, or close before it; the first is of all
	var first [4]int  // the first row that holds each, from 1
	title := false    // the first row has words, or stands apart: it may be no header
	end := func() {
		rows++
		for i := range candidates {
			counts[i][n[i+1]]++
			if first[i] == 0 && n[i+1] > 0 {
				first[i] = rows
			}
		}
	}
	for i := 0; i < len(data) && rows < 200; i++ {
		switch b := data[i]; {
		case b == '"':
			quoted, blank = !quoted, false
			beside := i + 1 // where it closes
			if quoted {
				beside = i - 1
			}
			if 0 <= beside && beside < len(data) && which[data[beside]] > 0 {
				beyond[which[data[beside]]]++
				beyond[0]++
			}
		case b == '\n' && !quoted:
			if !blank {
				end()
			} else if rows == 1 {
				title = true
			}
			n, blank = [5]int{}, true
		case b != '\r':
			blank = false
			title = title || b == ' ' && rows == 0
			if !quoted {
				n[which[b]]++
			}
		}
	}
	if rows < 200 && !blank {
		end()
	}
	best, score := candidates[0], 0.0
	for i, c := range candidates {
		mode, most := 0, 0
		for n, rows := range counts[i] {
			if n > 0 && (rows > most || rows == most && n > mode) {
				mode, most = n, rows
			}
		}
		if rows == 0 || mode == 0 {
			continue
		}
		// Rows of one field may hold it, here and there, beneath a name that does not.
		if from := rows - first[i] + 1; first[i] > 1 && c != ',' && (most < from && !title || 5*most < 3*from || from < 2) {
			continue
		}
		// Among equals, the one between quoted cells, then more cells a row.
		s := float64(most)/float64(rows) + float64(min(mode, 1000))/1e6
		if s += 0.3 * float64(beyond[i+1]) / float64(max(beyond[0], 1)); s > score {
			best, score = c, s
		}
	}
	return best
}
