package keying

import (
	"fmt"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/format/delimited"
	"revuelta/internal/table"
)

// TestNamesThatCollide: texts whose hashes are all the same, or differ in few bits, are told apart all the same.
func TestNamesThatCollide(t *testing.T) {
	for name, hash := range map[string]func(i int) uint64{
		"one hash": func(int) uint64 { return 42 }, "one place": func(i int) uint64 { return uint64(i) << 40 }, "the last place": func(i int) uint64 { return 1<<63 - 1 }, "two": func(i int) uint64 { return uint64(i % 2) },
	} {
		var n Names
		text := func(i int) string { return strings.Repeat("x", i%3*5) + fmt.Sprint(i) }
		for i := range 400 {
			require.EqualValues(t, -1, n.Find(text(i), hash(i)), name)
			require.EqualValues(t, i, n.Add(text(i), hash(i)), name)
		}
		for i := range 400 {
			require.EqualValues(t, i, n.Find(text(i), hash(i)), name)
		}
		for i := 399; i >= 390; i-- {
			n.Drop()
			require.EqualValues(t, -1, n.Find(text(i), hash(i)), name)
			require.EqualValues(t, i-1, n.Find(text(i-1), hash(i-1)), name)
		}
	}
}

// TestKeySetThatCollides: keys that all belong in one line, or agree in one of their hashes, are each there once.
func TestKeySetThatCollides(t *testing.T) {
	for name, key := range map[string]func(i int) Fingerprint{
		"one line":          func(i int) Fingerprint { return Fingerprint{uint64(i + 1), uint32(i)} },
		"a byte of it else": func(i int) Fingerprint { return Fingerprint{7, uint32(i % 256)} },
		"the last line":     func(i int) Fingerprint { return Fingerprint{uint64(i + 1), 1<<32 - 1} },
	} {
		set := NewKeySet()
		seen := map[Fingerprint]bool{}
		for from := 0; from < 3000; from += 100 {
			var keys []Fingerprint
			var want []int32
			for i := range 100 {
				k := key((from + i) * 2 / 3) // some come twice
				if keys = append(keys, k); seen[k] {
					want = append(want, int32(i))
				}
				seen[k] = true
			}
			require.True(t, set.Room(len(keys), 0, 1<<30), name)
			require.Equal(t, want, slices.Concat(set.Add(keys, nil)), "%s from %d", name, from)
			require.Len(t, set.Among(keys, nil), 100, name)
		}
	}
}

// TestRowKeysTellRowsApart: the keys of rows are equal where all their cells are, whether they are taken from what was read or put
// together, and whatever stands in the cells: also the mark between them.
func TestRowKeysTellRowsApart(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		delimiter := rapid.SampledFrom([]byte{',', ';'}).Draw(rt, "delimiter")
		fields := rapid.IntRange(1, 3).Draw(rt, "fields")
		mark := new(atomic.Uint32)
		prints := map[string]Fingerprint{}
		rowOf := map[Fingerprint]string{}
		for range rapid.IntRange(1, 4).Draw(rt, "batches") {
			e := delimited.NewEncoder(delimited.Style{Delimiter: delimiter})
			var text []byte
			var rows [][]string
			for range rapid.IntRange(1, 6).Draw(rt, "rows") {
				row := make([]string, fields+1)
				for i := range row {
					row[i] = rapid.SampledFrom([]string{"", "a", "b", "a,b", "b,c", "c", ",", ",,", ";", "a;b", "ab"}).Draw(rt, "cell")
				}
				rows, text = append(rows, row), e.Row(text, row)
			}
			b := &table.Batch{}
			require.NoError(rt, delimited.NewParser(delimited.Dialect{Delimiter: delimiter}, fields+1).Parse(delimited.Whole(text, 1), b))
			if b.Rows != len(rows) {
				return
			}
			if rapid.Bool().Draw(rt, "held otherwise") {
				b.Own()
				for i := range b.Cols {
					b.Cols[i].Unplace()
				}
			}
			by := []int{0, 1, 2}[:fields]
			k := &RowKeys{Mark: mark}
			k.Load(b, by)
			for r, row := range rows {
				key := fmt.Sprintf("%q", row[:fields])
				if p, ok := prints[key]; ok {
					require.Equal(rt, p, k.Prints[r], key)
				}
				if other, ok := rowOf[k.Prints[r]]; ok {
					require.Equal(rt, other, key, "two rows have one key")
				}
				prints[key], rowOf[k.Prints[r]] = k.Prints[r], key
			}
		}
	})
}

// TestInternerAgainstMap: keys of one field or several, periods too, get numbers in the order in which they are first seen, whatever
// holds them; two interners merged know what both did.
func TestInternerAgainstMap(t *testing.T) {
	schema := table.NewSchema([]string{"k", "date"})
	for source, keyOf := range map[string]func(k, date string) []string{
		"k": func(k, _ string) []string { return []string{k} }, "k, date": func(k, date string) []string { return []string{k, date} },
		"month(date) as m, k": func(k, date string) []string { return []string{date[:7], k} },
	} {
		spec, err := ParseKeys(source)
		require.NoError(t, err)
		keys, err := spec.Bind(schema)
		require.NoError(t, err)
		rapid.Check(t, func(rt *rapid.T) {
			first, second := NewInterner(schema, keys), NewInterner(schema, keys)
			want := map[string]int64{} // where first seen
			at := int64(0)
			for _, in := range []*Interner{first, second, first} {
				b := &table.Batch{}
				b.Shape(2)
				b.Rows = rapid.IntRange(1, 20).Draw(rt, "rows")
				encoded := rapid.Bool().Draw(rt, "encoded")
				values := []string{"", "026", "a rather long key", "26"}
				dates := []string{"2024-05-02", "2024-05-30", "2024-06-01"}
				codes := make([]int32, b.Rows)
				ks, ds := make([]string, b.Rows), make([]string, b.Rows)
				for r := range codes {
					codes[r] = int32(rapid.IntRange(0, 3).Draw(rt, "code"))
					ks[r], ds[r] = values[codes[r]], rapid.SampledFrom(dates).Draw(rt, "date")
				}
				if encoded {
					b.Cols[0].ShareCodes(values, codes, 0)
				} else {
					copy(b.Cols[0].Make(b.Rows), ks)
				}
				copy(b.Cols[1].Make(b.Rows), ds)
				in.Load(b)
				ids, fail, err := in.Ids(b, b.Rows, at, func(id int32, row int) error { return nil })
				require.NoError(rt, err)
				require.Nil(rt, fail)
				for r, id := range ids {
					key := keyOf(ks[r], ds[r])
					require.Equal(rt, key, in.Values[id])
					if _, ok := want[fmt.Sprint(key)]; !ok {
						want[fmt.Sprint(key)] = at + int64(r)
					}
				}
				at += int64(b.Rows)
			}
			before, there := len(first.Values), len(second.Values)
			ids, known := first.Merge(second)
			require.Len(rt, ids, there)
			require.Equal(rt, before+there-known, len(first.Values))
			require.Len(rt, first.Values, len(want))
			last := int64(-1)
			for _, id := range first.InOrder() {
				require.Equal(rt, want[fmt.Sprint(first.Values[id])], first.First[id])
				require.Greater(rt, first.First[id], last)
				last = first.First[id]
			}
		})
	}
}

// TestKeysThatCannotBeRead: a date that is none stops at its row, and those before it have numbers.
func TestKeysThatCannotBeRead(t *testing.T) {
	schema := table.NewSchema([]string{"date"})
	spec, err := ParseKeys("year(date)")
	require.NoError(t, err)
	keys, err := spec.Bind(schema)
	require.NoError(t, err)
	in := NewInterner(schema, keys)
	b := &table.Batch{}
	b.Shape(1)
	b.Rows = 3
	copy(b.Cols[0].Make(3), []string{"2024-05-02", "May", "2023-01-01"})
	in.Load(b)
	ids, fail, err := in.Ids(b, 3, 0, func(int32, int) error { return nil })
	require.NoError(t, err)
	require.NotNil(t, fail)
	assert.Equal(t, []int32{0}, ids)
	in.Undo(0)
	assert.Empty(t, in.Values)
	for source, want := range map[string]string{"nope": "there is no field", "year(nope)": "nope"} {
		spec, err := ParseKeys(source)
		require.NoError(t, err)
		_, err = spec.Bind(schema)
		assert.ErrorContains(t, err, want)
	}
	assert.Equal(t, []int{0}, Uses(schema, keys))
}

// TestFindingTakesNoMemory: keys that are known are found without any.
func TestFindingTakesNoMemory(t *testing.T) {
	var n Names
	texts := []string{"026", "a text of more than eight bytes", ""}
	for _, s := range texts {
		n.Add(s, HashOf(s))
	}
	ids := make([]int32, len(texts))
	set := NewKeySet()
	keys := []Fingerprint{fingerprintOf("a"), fingerprintOf("b")}
	require.True(t, set.Room(10, 0, 1<<20))
	set.Add(keys, nil)
	known := make([]int32, 0, 10)
	for name, work := range map[string]func(){
		"find": func() { n.Find(texts[1], HashOf(texts[1])) }, "find all": func() { n.FindAll(texts, ids, nil) },
		"fingerprint": func() { fingerprintOf(texts[1]) }, "set": func() { set.Add(keys, known) },
	} {
		assert.Zero(t, testing.AllocsPerRun(50, work), name)
	}
}
