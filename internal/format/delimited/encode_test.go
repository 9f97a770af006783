package delimited

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/table"
	"revuelta/internal/view"
)

func TestEncodeQuotesOnlyWhereNeeded(t *testing.T) {
	e := NewEncoder(Style{Delimiter: ','})
	got := e.Row(nil, []string{"026", " x ", "", "a,b", `"`, "l\nm", "c\rd", "a;b", "'", `\.`})
	assert.Equal(t, "026, x ,,\"a,b\",\"\"\"\",\"l\nm\",\"c\rd\",a;b,',\\.\n", string(got))
	assert.Equal(t, "\"\"\n", string(e.Row(nil, []string{""})))
	tsv := NewEncoder(Style{Delimiter: '\t', CRLF: true, Blank: "NA"})
	assert.Equal(t, "a,b\t\"c\td\"\tNA\r\n", string(tsv.Row(nil, []string{"a,b", "c\td", ""})))
}

// TestEncodeLooksWhereCellsLie: cells are written as they were read only where they lie so, whatever their columns say
// of it: in the first row, the last or one between, in another text, or in no text at all.
func TestEncodeLooksWhereCellsLie(t *testing.T) {
	text := []byte("1,x,5\n2,y,7\n3,z,9\n")
	other := bytes.Replace(text, []byte("y,7"), []byte("y;7"), 1)
	for _, fields := range [][]int{{0, 1, 2}, {1, 2, 3}, {0, 2, 1}, {2, 1, 0}, {0, 1, 3}, {-1, 0, 1}} {
		for odd := range 5 { // the row whose cells lie elsewhere
			for _, runs := range []bool{false, true} {
				for _, in := range [][]byte{text, other, bytes.Clone(text), nil} {
					b := table.Get()
					b.Shape(3)
					b.Rows = 3
					for i := range b.Cols {
						cells := b.Cols[i].Make(3)
						for r := range cells {
							at := r*6 + i*2
							cells[r] = view.Text(text).Cell(at, at+1)
							if r == odd && i > 0 {
								cells[r] = strings.Clone(cells[r])
							}
						}
						b.Cols[i].Absent = table.AbsentAll
						b.Cols[i].Place(in, fields[i])
						if runs {
							src := b.Cols[i]
							b.Cols[i].ShareRuns(&src, cells, []int32{1, 2, 3})
						}
					}
					if odd == 4 { // they lie so, but not those of one row
						b.Cols[1].Cells[0], b.Cols[1].Cells[1] = b.Cols[1].Cells[1], b.Cols[1].Cells[0]
					}
					var want []byte
					for r := range b.Rows {
						want = NewEncoder(Style{Delimiter: ','}).Row(want, b.Row(r, nil))
					}
					assert.Equal(t, string(want), string(NewEncoder(Style{Delimiter: ','}).Append(nil, b)), "%v, odd %d, runs %t", fields, odd, runs)
				}
			}
		}
	}
}

// TestEncodeKinds writes the same rows held in all kinds of columns.
func TestEncodeKinds(t *testing.T) {
	plain := unpivoted()
	var want [][]string
	for r := range plain.Rows {
		want = append(want, plain.Row(r, nil))
	}
	want[7][4], want[8][0] = `x"y`, "a,b"
	asRows := func(b *table.Batch, style Style) string { return string(NewEncoder(style).Append(nil, b)) }
	for _, style := range []Style{{Delimiter: ','}, {Delimiter: ';', CRLF: true}, {Delimiter: '\t', Blank: "-"}, {Delimiter: '%'}} {
		b := table.Get()
		b.Shape(5)
		b.Rows = len(want)
		for c := range 5 {
			switch c {
			case 0, 2:
				cells, ends := b.Cols[c].MakeRuns(len(want))
				for r := range want {
					cells[r], ends[r] = want[r][c], int32(r+1)
				}
			case 1:
				var values []string
				codes := make([]int32, len(want))
				for r := range want {
					values = append(values, want[r][c])
					codes[r] = int32(r)
				}
				b.Cols[c].ShareCodes(values, codes, 0)
			default:
				cells := b.Cols[c].Make(len(want))
				for r := range want {
					cells[r] = want[r][c]
				}
			}
		}
		var expected []byte
		for _, row := range want {
			expected = NewEncoder(style).Row(expected, row)
		}
		assert.Equal(t, string(expected), asRows(b, style))
	}
}

// TestEncodeWideTables: what is written by tiles is what is written row by row.
func TestEncodeWideTables(t *testing.T) {
	b := table.Get()
	b.Shape(wideTable + 50)
	b.Rows = 37
	for i := range b.Cols {
		cells := b.Cols[i].Make(b.Rows)
		for r := range cells {
			cells[r] = []string{"", "026", "a,b", "x"}[(i*7+r*3)%4]
		}
	}
	e := NewEncoder(Style{Delimiter: ','})
	var want []byte
	for r := range b.Rows {
		want = e.Row(want, b.Row(r, nil))
	}
	assert.Equal(t, string(want), string(e.Append(nil, b)))
}

// FuzzEncodeUnpivot compares the fast writing of an unpivot with writing row by row.
func FuzzEncodeUnpivot(f *testing.F) {
	f.Add("026,North,1.10,,-3\n007,,2,x,12345678901234567890\n", uint8(2), uint8(1), uint8(1), false)
	f.Add("a,bb,c\n,,\n", uint8(1), uint8(2), uint8(1), true)
	f.Add("a,bb,c,a cell that is longer than sixteen bytes,,x,y\n,,\n", uint8(1), uint8(2), uint8(3), true)
	f.Add("a,bb,c,12\n,,,\n", uint8(0), uint8(1), uint8(2), false)
	f.Add("026,North,1.10,,-3\n007,,2,x,12345678901234567890\n", uint8(2), uint8(101), uint8(1), false)
	f.Add("026,North,1.10,,-3\r\n007,,2,x,1\r\n,,,,\r\n", uint8(0), uint8(101), uint8(1), false)
	f.Add("026,North,1.10,\"\",-3\n007,,2,x,12345678901234567890123456789012345\n", uint8(42), uint8(100), uint8(2), true)
	f.Fuzz(func(t *testing.T, text string, kept, labelled, measured uint8, crlf bool) {
		fields := strings.Count(strings.SplitN(text, "\n", 2)[0], ",") + 1
		k := int(kept) % fields
		src := table.Get()
		p := NewParser(Dialect{Delimiter: ','}, fields)
		if labelled >= 100 { // where no cell is quoted
			p.ByPlace = append(make([]bool, k), slices.Repeat([]bool{true}, fields-k)...)
		}
		measures, labels := int(measured)%3+1, int(labelled)%3+1
		each := (fields - k) / measures
		if p.Parse(Whole(slices.Grow([]byte(text), int(kept)), 1), src) != nil || src.Rows == 0 || each == 0 {
			return
		}
		b := table.Get()
		b.Shape(k + labels + measures)
		b.Rows = src.Rows * each
		var ends, codes []int32
		for r := range src.Rows {
			ends = append(ends, int32((r+1)*each))
		}
		for i := range b.Rows {
			codes = append(codes, int32(i%each))
		}
		for i := range k {
			b.Cols[i].ShareRuns(&src.Cols[i], src.Cols[i].Cells, ends)
		}
		for l := range labels {
			var values []string
			for g := range each {
				values = append(values, strings.Repeat("l", (g*5+l)%40))
			}
			b.Cols[k+l].ShareCodes(values, codes, 0)
		}
		for m := range measures {
			absent := table.AbsentAll
			parts, turns := make([][]string, each), slices.Repeat([]int32{-1}, each)
			grid, _ := src.Cols[k].Grid()
			for g := range each {
				i := k + g*measures + m
				if other, _ := src.Cols[i].Grid(); other == nil {
					grid = nil
				}
				if (g+m)%4 != 3 || labelled%2 == 0 { // else there is none for that combination
					parts[g], _ = src.Cols[i].Flat(src.Rows, nil)
					turns[g] = int32(i)
					absent &= src.Cols[i].Absent
				}
			}
			if grid != nil {
				b.Cols[k+labels+m].TakeTurns(grid, turns, 0, src.Rows, absent)
			} else if slices.ContainsFunc(parts, func(p []string) bool { return p != nil }) {
				b.Cols[k+labels+m].Interleave(parts, absent)
			} else {
				b.Cols[k+labels+m].SetConstant("", b.Rows)
			}
		}
		sameAsRows(t, Style{Delimiter: ',', CRLF: crlf}, b)
	})
}

// sameAsRows compares what is written of a batch with its rows written one by one, and looks that nothing before or
// behind the room it was given was touched.
func sameAsRows(t require.TestingT, style Style, b *table.Batch) {
	var want []byte
	for r := range b.Rows {
		want = NewEncoder(style).Row(want, b.Row(r, nil))
	}
	require.Equal(t, string(want), string(NewEncoder(style).Append(nil, b)))
	for _, room := range []int{0, len(want), len(want) + 40, len(want) + 400} {
		const guard = 64
		all := bytes.Repeat([]byte{0xCA}, guard+room+guard)
		got := NewEncoder(style).Append(all[guard:guard:guard+room], b)
		require.Equal(t, string(want), string(got))
		require.Equal(t, bytes.Repeat([]byte{0xCA}, guard), all[:guard], "before the room")
		require.Equal(t, bytes.Repeat([]byte{0xCA}, guard), all[guard+room:], "behind the room")
	}
}

// FuzzEncodeRepeated compares the fast writing of what an explode and a set make
// with writing row by row.
func FuzzEncodeRepeated(f *testing.F) {
	f.Add("026,clover;lime,a note that is longer than thirty-two bytes\n007,ivy,\n", uint8(1), uint8(3), false)
	f.Add("a;bb;c,x\n,y\n", uint8(0), uint8(1), true)
	f.Add(",\n,y\n", uint8(0), uint8(1), false)
	f.Fuzz(func(t *testing.T, text string, field, most uint8, crlf bool) {
		fields := strings.Count(strings.SplitN(text, "\n", 2)[0], ",") + 1
		at := int(field) % fields
		src := table.Get()
		if NewParser(Dialect{Delimiter: ','}, fields).Parse(Whole(slices.Grow([]byte(text), int(most)), 1), src) != nil || src.Rows == 0 {
			return
		}
		style := Style{Delimiter: ',', CRLF: crlf}
		check := func(b *table.Batch) {
			t.Helper()
			sameAsRows(t, style, b)
		}
		b := table.Get()
		b.Shape(fields)
		var pieces []string
		var ends []int32
		for _, cell := range src.Cols[at].Cells[:src.Rows] {
			for i, piece := range strings.Split(cell, ";") {
				if i == 0 || i < int(most) {
					pieces = append(pieces, piece)
				}
			}
			ends = append(ends, int32(len(pieces)))
		}
		for i := range fields {
			if i == at {
				b.Cols[i].Share(pieces, src.Cols[i].Absent)
				continue
			}
			b.Cols[i].ShareRuns(&src.Cols[i], src.Cols[i].Cells, ends)
		}
		b.Rows = len(pieces)
		check(b)

		more := 1 + int(most)%3
		b.Shape(fields + more)
		for i := range fields {
			b.Cols[i].Borrow(&src.Cols[i])
		}
		for k := range more {
			made := b.Cols[fields+k].Make(src.Rows)
			for r := range made {
				made[r] = strings.Repeat("7", ((r+k)*int(most))%40)
			}
			b.Cols[fields+k].Absent = table.AbsentAll
		}
		b.Rows = src.Rows
		check(b)

		// What a split makes: parts of a cell between what was read.
		b.Shape(fields + 1)
		for i := range fields {
			b.Cols[i+min(1, max(0, i-at))].Borrow(&src.Cols[i])
		}
		for k := range 2 {
			half := b.Cols[at+k].Make(src.Rows)
			for r, cell := range src.Cols[at].Cells[:src.Rows] {
				half[r] = []string{cell[:len(cell)/2], cell[len(cell)/2:]}[k]
			}
			b.Cols[at+k].Absent = src.Cols[at].Absent
		}
		b.Rows = src.Rows
		check(b)
	})
}
