package delimited

import (
	"fmt"
	"strings"
	"testing"

	"revuelta/internal/table"
)

// wide is text as an analyst's wide export has it: three texts, 36 months.
func wide(rows int, quoted bool) string {
	var b strings.Builder
	b.WriteString("hive,apiary,keeper")
	for m := range 36 {
		fmt.Fprintf(&b, ",%d-%02d kilos", 2021+m/12, m%12+1)
	}
	b.WriteString("\n")
	for r := range rows {
		name := "North Meadow"
		if quoted && r%3 == 0 {
			name = `"North Meadow, ""west"" side"`
		}
		fmt.Fprintf(&b, "H%06d,%s,A. Berg", r, name)
		for m := range 36 {
			if (r+m)%20 == 0 {
				b.WriteString(",")
				continue
			}
			fmt.Fprintf(&b, ",%d.%02d", (r*7+m*13)%200, (r+m)%100)
		}
		b.WriteString("\n")
	}
	return b.String()
}

func body(text string) []byte {
	_, rest, _ := strings.Cut(text, "\n")
	return []byte(rest)
}

func BenchmarkParse(b *testing.B) {
	for _, quoted := range []bool{false, true} {
		b.Run(fmt.Sprintf("quoted=%t", quoted), func(b *testing.B) {
			text := body(wide(256, quoted))
			data := make([]byte, len(text))
			p, dst := NewParser(Dialect{Delimiter: ','}, 39), table.Get()
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				copy(data, text) // doubled quotes are undone in place
				if err := p.Parse(Whole(data, 1), dst); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// unpivoted is what an unpivot of 36 months makes of 256 rows.
func unpivoted() *table.Batch {
	const rows, each = 256, 36
	src, dst := table.Get(), table.Get()
	if err := NewParser(Dialect{Delimiter: ','}, 39).Parse(Whole(body(wide(rows, false)), 1), src); err != nil {
		panic(err)
	}
	var ends, codes []int32
	var labels []string
	for i := range rows {
		ends = append(ends, int32((i+1)*each))
	}
	for i := range rows * each {
		codes = append(codes, int32(i%each))
	}
	for m := range each {
		labels = append(labels, fmt.Sprintf("%d-%02d kilos", 2021+m/12, m%12+1))
	}
	dst.Shape(5)
	dst.Rows = rows * each
	for i := range 3 {
		dst.Cols[i].ShareRuns(&src.Cols[i], src.Cols[i].Cells, ends)
	}
	dst.Cols[3].ShareCodes(labels, codes, 0)
	var parts [][]string
	for i := range each {
		parts = append(parts, src.Cols[3+i].Cells)
	}
	dst.Cols[4].Interleave(parts, table.AbsentAll)
	return dst
}

func BenchmarkEncode(b *testing.B) {
	plain := table.Get()
	if err := NewParser(Dialect{Delimiter: ','}, 39).Parse(Whole(body(wide(256, false)), 1), plain); err != nil {
		b.Fatal(err)
	}
	for name, batch := range map[string]*table.Batch{"unpivoted": unpivoted(), "plain": plain} {
		b.Run(name, func(b *testing.B) {
			e := NewEncoder(Style{Delimiter: ','})
			buf := e.Append(nil, batch)
			b.SetBytes(int64(len(buf)))
			for b.Loop() {
				buf = e.Append(buf[:0], batch)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(batch.Rows), "ns/row")
		})
	}
}
