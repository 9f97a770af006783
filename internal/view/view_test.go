package view

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestPlacesInText(t *testing.T) {
	memory := []byte("before|abc,de,,f\n|behind")
	text := Text(memory[7:17])
	cells := make([]string, 4)
	text.Cut(cells, 0, []uint32{3, 6, 7, 9}, 1)
	assert.Equal(t, []string{"abc", "de", "", "f"}, cells)
	for i, at := range []int{0, 4, 7, 8} {
		assert.Equal(t, at, text.At(cells[i]), "a blank cell has a place too")
	}
	assert.Equal(t, "de,,f", string(text.Through(cells[1], cells[3])))
	assert.Equal(t, "abc", string(text.Through(cells[0], cells[0])))
	for _, elsewhere := range []string{strings.Clone("abc"), "", String(memory[:6]), String(memory[18:]), String(memory[5:9]), String(memory[15:19])} {
		assert.Equal(t, -1, text.At(elsewhere), "%q", elsewhere)
		assert.Panics(t, func() { text.Through(elsewhere, cells[3]) })
		assert.Panics(t, func() { text.Through(cells[0], elsewhere) })
	}
	assert.Panics(t, func() { text.Through(cells[3], cells[0]) }, "backwards")
	assert.Panics(t, func() { text.Cell(4, 3) })
	assert.Panics(t, func() { text.Cell(4, 11) })
	assert.Panics(t, func() { text.Cut(cells, 0, []uint32{3, 6, 7, 11}, 1) }, "behind the text")
	assert.Panics(t, func() { text.Cut(cells, 4, []uint32{3, 6, 7, 9}, 1) }, "an end before its beginning")
	assert.True(t, text.Same(text[:10]))
	assert.False(t, text.Same(text[:9]))
	assert.False(t, text.Same(Text(bytes.Clone(text))))
}

// TestAdjacent: one row that lies otherwise is enough, wherever it stands.
func TestAdjacent(t *testing.T) {
	text := Text("1,a\n22,\n3;c\n,d\n")
	first := []string{text.Cell(0, 1), text.Cell(4, 6), text.Cell(12, 12)}
	second := []string{text.Cell(2, 3), text.Cell(7, 7), text.Cell(13, 14)}
	require.True(t, text.Adjacent(first, second, ','))
	assert.False(t, text.Adjacent(first, second[:2], ','))
	assert.False(t, text.Adjacent(first, second, ';'))
	assert.False(t, Text(nil).Adjacent(first, second, ','))
	assert.False(t, Text(bytes.Clone(text)).Adjacent(first, second, ','), "of another text")
	for r := range first {
		for name, odd := range map[string]string{"elsewhere": strings.Clone("a"), "nowhere": "", "behind another delimiter": text.Cell(10, 11), "of the row before": text.Cell(0, 1)} {
			assert.False(t, text.Adjacent(first, slices.Replace(slices.Clone(second), r, r+1, odd), ','), "row %d %s", r, name)
		}
	}
	assert.False(t, text.Adjacent([]string{text.Cell(8, 9)}, []string{text.Cell(10, 11)}, ','), "another delimiter stands between")
	assert.False(t, text.Adjacent([]string{text.Cell(13, 15)}, []string{text.Cell(0, 1)}, ','), "nothing stands behind")
}

func TestLoads(t *testing.T) {
	text := Text("abcdefghij")
	for at := range 12 {
		if at <= 6 {
			assert.Equal(t, binary.LittleEndian.Uint32(text[at:]), text.Load4(at))
		} else {
			assert.Panics(t, func() { text.Load4(at) })
		}
		if at <= 2 {
			assert.Equal(t, binary.LittleEndian.Uint64(text[at:]), text.Load8(at))
		} else {
			assert.Panics(t, func() { text.Load8(at) })
		}
	}
	assert.Panics(t, func() { text.Load4(-1) })
	assert.Panics(t, func() { Text("abc").Load4(0) })
	assert.Panics(t, func() { Text("abc").Load8(0) })
	to := make([]uint32, 6)
	Put4(to, 2, [4]uint32{1, 2, 3, 4})
	assert.Equal(t, []uint32{0, 0, 1, 2, 3, 4}, to)
	for _, at := range []int{-1, 3, 6} {
		assert.Panics(t, func() { Put4(to, at, [4]uint32{}) })
	}
	assert.Panics(t, func() { Put4(to[:3], 0, [4]uint32{}) })
}

const guard = 70

// room is n bytes of capacity with guards before and behind.
func room(n int) (all, dst []byte) {
	all = bytes.Repeat([]byte{0xCA}, guard+n+guard)
	return all, all[guard : guard : guard+n]
}

func untouched(rt require.TestingT, all []byte, n int) {
	require.Equal(rt, bytes.Repeat([]byte{0xCA}, guard), all[:guard], "before the room")
	require.Equal(rt, bytes.Repeat([]byte{0xCA}, guard), all[guard+n:], "behind the room")
}

// cells draws cells of which some lie in the text, and the text.
func cells(rt *rapid.T, rows int) (Text, []string) {
	var text Text
	lengths := rapid.SliceOfN(rapid.OneOf(rapid.IntRange(0, 9), rapid.IntRange(0, 40), rapid.IntRange(60, 130)), rows, rows).Draw(rt, "lengths")
	for i, n := range lengths {
		text = append(append(text, bytes.Repeat([]byte{'a' + byte(i%26)}, n)...), ',')
	}
	text = append(text, make([]byte, rapid.SampledFrom([]int{0, 5, 40}).Draw(rt, "behind"))...)
	out := make([]string, rows)
	at := 0
	for i, n := range lengths {
		out[i] = text.Cell(at, at+n)
		at += n + 1
	}
	return text, out
}

// TestCopiesAreExact: whatever the lengths, the room and where texts lie, the bytes are those of plain appends, and
// none before or behind the room is touched.
func TestCopiesAreExact(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		rows := rapid.IntRange(1, 2*tile+3).Draw(rt, "rows")
		text, list := cells(rt, rows)
		loose := make([]string, rows)
		for i := range loose {
			loose[i] = strings.Repeat("z", i%70)
		}
		n := rapid.SampledFrom([]int{0, 10, 300, 9000}).Draw(rt, "room")
		{ // rows
			spans := []Span{{Text: text, First: list, Last: list, Mark: MarkOf(",")}, {First: loose, Mark: MarkOf(";")}, {Text: text, First: list[:rows], Last: list, Mark: MarkOf("\r\n")}}
			var want []byte
			for r := range rows {
				want = fmt.Appendf(want, "%s,%s;%s\r\n", list[r], loose[r], list[r])
			}
			all, dst := room(n)
			got := Rows(dst, spans)
			require.Equal(rt, string(want), string(got))
			untouched(rt, all, n)
			spans[0].Text = bytes.Clone(text)
			require.Panics(rt, func() { Rows(nil, spans) }, "of another text")
			spans[0].Text, spans[0].Last = text, list[:rows-1]
			require.Panics(rt, func() { Rows(nil, spans) })
		}
		{ // interleaved
			measures, combinations := rapid.IntRange(1, 3).Draw(rt, "measures"), rapid.IntRange(1, 4).Draw(rt, "combinations")
			kept := strings.Repeat("k", rapid.IntRange(0, 50).Draw(rt, "kept"))
			end := rapid.SampledFrom([]string{"\n", "\r\n"}).Draw(rt, "end")
			columns := make([][][]string, measures)
			labels, codes := [][]byte{}, []int32{}
			for c := range combinations {
				codes = append(codes, int32(c))
				labels = append(labels, append(make([]byte, 0, 100), fmt.Sprintf("label %d,", c*99)...))
				for m := range measures {
					column := [][]string{list, loose, nil}[(c+m)%3]
					columns[m] = append(columns[m], column)
				}
			}
			var v Interleaved
			v.Load(labels, columns, rows)
			for _, r := range []int{0, rows / 2, rows - 1} {
				var want []byte
				for c := range combinations {
					want = append(append(want, kept...), labels[c]...)
					for m := range measures {
						if m > 0 {
							want = append(want, '|')
						}
						if columns[m][c] != nil {
							want = append(want, columns[m][c][r]...)
						}
					}
					want = append(want, end...)
				}
				all, dst := room(n)
				tail := slices.Grow([]byte(end+kept), Slack)
				require.Equal(rt, string(want), string(v.Append(dst, tail, len(end), codes, r, '|')))
				untouched(rt, all, n)
				require.Panics(rt, func() { v.Append(nil, tail, len(end), codes, rows, '|') }, "no such row")
				require.Panics(rt, func() { v.Append(nil, tail, len(end), append(codes, 0), r, '|') }, "a code too many")
				require.Panics(rt, func() { v.Append(nil, slices.Clip(tail), len(end), codes, r, '|') }, "no slack")
			}
			require.Panics(rt, func() { v.Load(labels, [][][]string{{list[:rows-1]}}, rows) }, "a row too few")
			require.Panics(rt, func() { v.Load([][]byte{slices.Clip(labels[0])}, columns, rows) }, "no slack")
		}
		{ // repeated
			marks := [3]Mark{MarkOf(","), MarkOf(","), MarkOf("\n")}
			head, tail := slices.Grow([]byte(strings.Repeat("h", rapid.IntRange(0, 100).Draw(rt, "head"))), Slack), slices.Grow([]byte(strings.Repeat("t", rapid.SampledFrom([]int{0, 1, 32, 33, 64, 65, 130}).Draw(rt, "tail"))), Slack)
			from := rapid.SampledFrom([]Text{text, nil, Text(bytes.Clone(text))}).Draw(rt, "said to lie in")
			all, dst := room(n)
			written, done := Repeat(dst, head, tail, list, &marks, from)
			require.LessOrEqual(rt, written, n)
			var want []byte
			for _, c := range list[:done] {
				want = fmt.Appendf(want, "%s,%s,%s\n", head, c, tail)
			}
			require.Equal(rt, string(want), string(dst[:written]))
			untouched(rt, all, n)
			if done < rows {
				_, more := Repeat(make([]byte, 0, RepeatRoom(len(head)+len(tail)+len(list[done]))), head, tail, list[done:], &marks, from)
				require.Positive(rt, more, "there was room for one")
			}
			require.Panics(rt, func() { Repeat(dst, slices.Clip(head), tail, list, &marks, from) })
			require.Panics(rt, func() { Repeat(dst, head, slices.Clip(tail), list, &marks, from) })

			ends := make([]int32, rows)
			for i := range ends {
				ends[i] = int32(i + 1)
			}
			span := Span{Text: text, First: list, Last: list}
			all, dst = room(n)
			written, runs := RepeatRuns(dst, &span, &span, 0, ends, loose, &marks)
			want = want[:0]
			for r := range runs {
				want = fmt.Appendf(want, "%s,%s,%s\n", list[r], loose[r], list[r])
			}
			require.Equal(rt, string(want), string(dst[:written]))
			untouched(rt, all, n)
			_, runs = RepeatRuns(dst, &Span{Text: bytes.Clone(text), First: list, Last: list}, &span, 0, ends, loose, &marks)
			require.Zero(rt, runs, "of another text")
			little := Text(make([]byte, 0, Slack-1))
			blanks := slices.Repeat([]string{little.Cell(0, 0)}, rows)
			_, runs = RepeatRuns(dst, &Span{Text: little, First: blanks, Last: blanks}, &Span{Text: little, First: blanks, Last: blanks}, 0, ends, loose, &marks)
			require.Zero(rt, runs, "a text without room for a block")
		}
	})
}

// TestTurns: whatever the lengths, the fields and the room, the bytes are those of plain appends of the cells of a grid, and none
// before or behind the room is touched; blanks are counted as by looking at every cell.
func TestTurns(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		fields, rows := rapid.IntRange(1, 20).Draw(rt, "fields"), rapid.IntRange(1, 5).Draw(rt, "rows")
		g := Grid{Fields: fields, Skip: uint32(rapid.IntRange(0, 1).Draw(rt, "skip"))}
		cells := make([][]string, rows)
		for r := range cells {
			for f := range fields {
				n := rapid.SampledFrom([]int{0, 0, 1, 5, 16, 31, 32, 33, 64, 65, 97}).Draw(rt, "length")
				cells[r] = append(cells[r], strings.Repeat(string(rune('a'+(r*fields+f)%26)), n))
				g.Text = append(append(g.Text, cells[r][f]...), ';')
				g.Ends = append(g.Ends, uint32(len(g.Text)-1))
			}
			g.Text = append(g.Text, "\n"[:g.Skip]...)
		}
		if rapid.Bool().Draw(rt, "slack") {
			g.Text = slices.Grow(g.Text, Slack)
		} else {
			g.Text = slices.Clip(g.Text)
		}
		measures := rapid.IntRange(1, min(3, fields)).Draw(rt, "measures")
		each := rapid.IntRange(1, fields/measures).Draw(rt, "each")
		first := rapid.IntRange(0, fields-measures*each).Draw(rt, "first")
		columns, labels, codes := make([][]int32, measures), [][]byte{}, []int32{}
		successive := rapid.Bool().Draw(rt, "successive")
		for c := range each {
			for m := range measures {
				f := int32(first + c*measures + m)
				if !successive {
					f = int32(rapid.IntRange(-1, fields-1).Draw(rt, "field"))
				}
				columns[m] = append(columns[m], f)
			}
			codes = append(codes, int32(each-1-c))
			labels = append(labels, append(make([]byte, 0, 200), strings.Repeat("L", rapid.SampledFrom([]int{0, 7, 32, 33, 90}).Draw(rt, "label"))...))
		}
		end := rapid.SampledFrom([]string{"\n", "\r\n"}).Draw(rt, "end")
		tail := slices.Grow([]byte(end+strings.Repeat("k", rapid.SampledFrom([]int{0, 3, 30, 31, 62, 63, 64, 100}).Draw(rt, "kept"))), Slack)
		n := rapid.SampledFrom([]int{0, 10, 300, 9000}).Draw(rt, "room")
		var v Turns
		v.Load(labels, &g, columns)
		for r := range rows {
			var want []byte
			for c := range each {
				want = append(append(want, tail[len(end):]...), labels[codes[c]]...)
				for m := range measures {
					if m > 0 {
						want = append(want, '|')
					}
					if f := columns[m][c]; f >= 0 {
						want = append(want, cells[r][f]...)
					}
				}
				want = append(want, end...)
			}
			all, dst := room(n)
			require.Equal(rt, string(want), string(v.Append(dst, tail, len(end), codes, r, '|')))
			untouched(rt, all, n)
			require.Panics(rt, func() { v.Append(nil, tail, len(end), append(slices.Clone(codes), 0), r, '|') }, "a code too many")
		}
		require.Panics(rt, func() { v.Append(nil, tail, len(end), codes, rows, '|') }, "no such row")
		require.Panics(rt, func() { v.Append(nil, slices.Clip(tail), len(end), codes, 0, '|') }, "no slack")
		require.Panics(rt, func() { v.Load([][]byte{slices.Clip(labels[0])}, &g, columns) }, "no slack")
		require.Panics(rt, func() { v.Load(labels, &g, [][]int32{{int32(fields)}}) }, "no such field")
		codes[0] = int32(each)
		require.Panics(rt, func() { v.Append(nil, tail, len(end), codes, 0, '|') }, "no such label")

		from := rapid.IntRange(0, rows).Draw(rt, "from")
		to := rapid.IntRange(from, rows).Draw(rt, "to")
		for _, fields := range columns {
			want := 0
			for r := from; r < to; r++ {
				for _, f := range fields {
					if f >= 0 && cells[r][f] != "" {
						want++
					}
				}
			}
			require.Equal(rt, want, g.Filled(fields, from, to))
		}
		row := rapid.IntRange(0, rows-1).Draw(rt, "row")
		cut := make([]string, rows-row)
		g.Cut(cut, fields-1, row)
		for i, s := range cut {
			require.Equal(rt, cells[row+i][fields-1], s)
			require.Equal(rt, s, g.Cell(row+i, fields-1))
		}
	})
}

// TestTurnsOfWrongPlaces: places that do not lie in the text, one behind the other, are never read.
func TestTurnsOfWrongPlaces(t *testing.T) {
	tail, label := slices.Grow([]byte("\n"), Slack), slices.Grow([]byte("l,"), Slack)
	for _, ends := range [][]uint32{{1, 0, 5}, {1, 9, 5}, {7, 3, 5}, {1, 1, 5}} {
		g := Grid{Text: make(Text, 6, 100), Ends: ends, Fields: 3}
		var v Turns
		v.Load([][]byte{label, label, label}, &g, [][]int32{{0, 1, 2}})
		assert.Panics(t, func() { v.Append(make([]byte, 0, 1000), tail, 1, []int32{0, 1, 2}, 0, ',') }, "%v", ends)
		v.Load([][]byte{label}, &g, [][]int32{{0}, {1}, {2}})
		assert.Panics(t, func() { v.Append(make([]byte, 0, 1000), tail, 1, []int32{0}, 0, ',') }, "%v", ends)
	}
}

// TestPieces: pieces are those of splitting each cell, as far as it goes; it goes up to a cell that is blank, long or lies elsewhere.
func TestPieces(t *testing.T) {
	if !quotedWide {
		t.Skip("this processor has no wide instructions")
	}
	rapid.Check(t, func(rt *rapid.T) {
		drawn := rapid.SliceOfN(rapid.StringMatching(`[ab;]{0,5}(lime;ivy;){0,12}`), 1, 8).Draw(rt, "cells")
		text := make(Text, 0, 2000)
		for _, c := range drawn {
			text = append(append(text, c...), ',')
		}
		var cells []string
		at, want := 0, 0
		var from, to []uint32
		var ends []int32
		for i, c := range drawn {
			cells = append(cells, text.Cell(at, at+len(c)))
			if c != "" && len(c) <= 64 && want == i {
				want++
				for _, piece := range strings.Split(c, ";") {
					from, to = append(from, uint32(at)), append(to, uint32(at+len(piece)))
					at += len(piece) + 1
				}
				ends = append(ends, int32(len(from)))
				continue
			}
			at += len(c) + 1
		}
		const canary = 0xDBDBDBDB
		room := len(text) + len(cells) + 8
		gotFrom, gotTo, gotEnds := slices.Repeat([]uint32{canary}, room+8), slices.Repeat([]uint32{canary}, room+8), make([]int32, len(cells))
		done := Pieces(text, cells, ';', gotFrom[:room:room], gotTo[:room:room], gotEnds)
		require.Equal(rt, want, done)
		require.Equal(rt, slices.Concat(ends), slices.Concat(gotEnds[:done]))
		require.Equal(rt, slices.Concat(from), slices.Concat(gotFrom[:len(from)]))
		require.Equal(rt, slices.Concat(to), slices.Concat(gotTo[:len(to)]))
		require.Equal(rt, slices.Repeat([]uint32{canary}, 8), gotFrom[room:])
		require.Equal(rt, slices.Repeat([]uint32{canary}, 8), gotTo[room:])
		require.Zero(rt, Pieces(text, cells, ';', gotFrom[:room-1], gotTo, gotEnds), "too little room")
		require.Zero(rt, Pieces(slices.Clip(text[:min(len(text), 60)]), cells, ';', gotFrom, gotTo, gotEnds), "no block can be read")
		if done > 0 {
			require.Zero(rt, Pieces(slices.Grow(bytes.Clone(text), 100), cells, ';', gotFrom, gotTo, gotEnds), "of another text")
			require.Zero(rt, Pieces(text, cells, ';', gotFrom, gotTo, gotEnds[:0:0]), "no room for the ends")
			require.Equal(rt, 1, Pieces(text, []string{cells[0], cells[0]}, ';', append(gotFrom, 0, 0), append(gotTo, 0, 0), []int32{0, 0}), "the same again")
		}
	})
}

// TestSeparators: places are found as by looking at every byte, at every length and however little room there is.
func TestSeparators(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		data := []byte(rapid.StringMatching(`[abcdefgh]{0,50}[a,\n"é\r\x00]{0,70}[abc,]{0,150}`).Draw(rt, "text"))
		to := make([]uint32, rapid.SampledFrom([]int{0, 7, 8, 9, 20, 63, 64, 65, 100, 400}).Draw(rt, "room"))
		find := func(upTo int) (want []uint32) {
			for i, c := range data[:upTo] {
				if c == ',' || c == '\n' {
					want = append(want, uint32(i+5))
				}
			}
			return want
		}
		read, stored, seen := Separators(data, 5, ',', to)
		require.Equal(rt, find(read), slices.Concat(to[:stored]))
		want := Seen(0)
		for _, c := range data[:read] {
			want |= seenIn(c)
		}
		require.Equal(rt, want, seen)
		require.True(rt, len(data)-read < 8 || len(to)-stored < 8, "it stopped early")
		read, stored = SeparatorsToQuote(data, 5, ',', to)
		require.Equal(rt, find(read), slices.Concat(to[:stored]))
		quote := bytes.IndexByte(data, '"')
		require.True(rt, quote < 0 || read <= quote, "it went past a quote")
		require.True(rt, read == quote || len(data)-read < 8 || len(to)-stored < 8, "it stopped early")
	})
}

func seenIn(c byte) Seen {
	switch {
	case c >= 0x80:
		return SeenHigh
	case c == '\r':
		return SeenReturn
	case c == 0:
		return SeenNUL
	}
	return 0
}

// FuzzSeparators: blocks of 64 bytes give what eight at a time do, at every beginning, length and room.
func FuzzSeparators(f *testing.F) {
	if !wide {
		f.Skip("this processor has no wide instructions")
	}
	f.Add([]byte("a,b\nc,\xff\r\n\x00"), uint8(3), uint8(0), byte(','))
	f.Add(bytes.Repeat([]byte(","), 70), uint8(0), uint8(66), byte(','))
	f.Add([]byte("\"a,\"\"\n\",b\n"), uint8(1), uint8(130), byte(','))
	f.Add(bytes.Repeat([]byte("\""), 99), uint8(0), uint8(66), byte(','))
	f.Fuzz(func(t *testing.T, text []byte, skip, room uint8, delimiter byte) {
		for n := range min(len(text), 40) { // places and lengths within the blocks
			same(t, text[n:], int(skip)+n, delimiter, 0)
		}
		text = bytes.Repeat(text, 1+256/(len(text)+1))
		for n := range min(64, len(text)) {
			sameQuoted(t, text[n:], int(skip), delimiter, n%2 == 0, 300, 300)
		}
		text = text[min(int(skip), len(text)):]
		same(t, text, int(skip), delimiter, int(room))
		sameQuoted(t, text, int(skip), delimiter, skip%2 == 0, int(room), 400)
		sameQuoted(t, text, int(skip), delimiter, skip%2 == 1, 400, int(room))
	})
}

// same fails where the two ways to find separators differ, or write beyond the room.
func same(t *testing.T, text []byte, base int, delimiter byte, room int) {
	t.Helper()
	if room == 0 {
		room = len(text) + 8
	}
	const canary = 0xDBDBDBDB
	a, b := make([]uint32, room+16), make([]uint32, room+16)
	for i := range a {
		a[i], b[i] = canary, canary
	}
	read, stored, seen := Separators(text, uint32(base), delimiter, a[:room:room])
	again, k, plain := separators8(text[:read], uint32(base), delimiter, b[:room:room])
	rest, others, some := separators8(text[again:read], uint32(base+again), delimiter, b[k:room:room])
	require.LessOrEqual(t, again+rest, read)
	for i := again + rest; i < read; i++ { // where the room was too little for eight more
		some |= seenIn(text[i])
		if text[i] == delimiter || text[i] == '\n' {
			b[k+others] = uint32(base + i)
			others++
		}
	}
	require.Equal(t, b[:k+others], a[:stored])
	require.Equal(t, plain|some, seen)
	require.Equal(t, slices.Repeat([]uint32{canary}, 16), a[room:], "written beyond the room")
}

// sameQuoted fails where the two ways to find what stands outside quotes differ, or write beyond the rooms.
func sameQuoted(t *testing.T, text []byte, base int, delimiter byte, inside bool, room, marks int) {
	t.Helper()
	if !quotedWide || delimiter == '"' || delimiter == '\n' || delimiter == '\r' {
		return
	}
	const canary = 0xDBDBDBDB
	make2 := func() ([]uint32, []Quote) {
		return slices.Repeat([]uint32{canary}, room+16), slices.Repeat([]Quote{{canary, canary}}, marks+16)
	}
	a, aq := make2()
	b, bq := make2()
	got := SeparatorsQuoted(text, uint32(base), delimiter, inside, a[:room:room], aq[:marks:marks])
	want := Quoted{Inside: inside}
	if room >= QuotedBlock && marks >= QuotedBlock {
		want = quotedPlain(text, uint32(base), delimiter, inside, b[:room:room], bq[:marks:marks])
	}
	require.Equal(t, want, got)
	require.Equal(t, b[:want.Stored], a[:got.Stored])
	require.Equal(t, bq[:want.Quotes], aq[:got.Quotes])
	require.Equal(t, slices.Repeat([]uint32{canary}, 16), a[room:], "written beyond the room")
	require.Equal(t, slices.Repeat([]Quote{{canary, canary}}, 16), aq[marks:], "written beyond the room for quotes")
}

// TestSeparatorsQuoted: quotedPlain finds what a reader that goes byte by byte does.
func TestSeparatorsQuoted(t *testing.T) {
	text := []byte("a,\"b,\"\"\n\",c\n\"\",\xff\r\n" + strings.Repeat("-", 80) + ",\n")
	to, quotes := make([]uint32, 200), make([]Quote, 200)
	got := quotedPlain(text, 10, ',', false, to, quotes)
	assert.Equal(t, Quoted{Read: 64, Stored: 5, Quotes: 6, Feeds: 2, Seen: SeenHigh | SeenReturn}, got)
	assert.Equal(t, []uint32{11, 19, 21, 24, 27}, to[:5])
	assert.Equal(t, []Quote{{12, 1}, {15, 1}, {16, 1}, {18, 1}, {22, 3}, {23, 3}}, quotes[:6])
	assert.Equal(t, Quoted{Inside: true}, SeparatorsQuoted(text, 0, ',', true, to[:63], quotes))
	assert.Equal(t, Quoted{Inside: true}, SeparatorsQuoted(text, 0, ',', true, to, quotes[:63]))
}

func TestFetchWantsItsSizes(t *testing.T) {
	type key struct {
		a uint64
		b uint32
	}
	assert.NotPanics(t, func() { Fetch(make([][8]uint64, 4), []key{{1, 2}, {3, 1<<32 - 1}}) })
	assert.NotPanics(t, func() { Fetch([][8]uint64{}, []key{}) })
	assert.Panics(t, func() { Fetch(make([][7]uint64, 4), []key{{}}) })
	assert.Panics(t, func() { Fetch(make([][8]uint64, 4), []uint64{1}) })
	assert.NotPanics(t, func() { Ahead([]int64{1, 2}, []int32{0, -1, 1, 1 << 30}); Ahead(nil, []int32{5}); Ahead(nil, nil) }, "nothing is read")
	assert.NotPanics(t, func() { AheadShort([]int32{1, 2}, []int32{0, -1, 1, 1 << 30}); AheadShort(nil, nil) })
	assert.Len(t, Huge(make([]int, 3<<20)), 3<<20)
}

func TestRoomForMore(t *testing.T) {
	var list []int
	for n := range 1 << 18 {
		before := cap(list)
		list = append(More(list, 1+n%3), n)
		if cap(list) != before {
			assert.GreaterOrEqual(t, cap(list), 2*before, "or it would be copied again and again")
		}
	}
	for n, x := range list {
		require.Equal(t, n, x)
	}
	assert.GreaterOrEqual(t, cap(More([]byte("ab"), 1000)), 1002)
}
