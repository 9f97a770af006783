package step_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"revuelta/internal/step"
	"revuelta/internal/step/steptest"
	"revuelta/internal/table"
)

// BenchmarkMappers runs row steps on one batch, as a worker does.
func BenchmarkMappers(b *testing.B) {
	const rows, months = 250, 36
	names := []string{"hive", "note"}
	for m := range months {
		names = append(names, fmt.Sprintf("m%d kilos", m))
	}
	src := table.Get()
	src.Shape(len(names))
	for i := range names {
		cells := src.Cols[i].Make(rows)
		for r := range cells {
			cells[r] = fmt.Sprintf("%d.%02d", r*i%200, r%100)
		}
	}
	src.Rows, src.Origin = rows, table.Origin{Line: 2, Each: 1}
	for _, line := range []string{"unpivot '{m} kilos' --value kilos", "unpivot '{m} kilos' --value kilos --skip-blank", "fields '#-1,*'", "where '{m1 kilos} > 1'", "set 'z = {m1 kilos} * 2'",
		"split hive '{w}.{d:2}'", "split hive --at . --into w,d", "combine '{hive}-{note}' --as h", "explode hive --at .", "cast hive number", "scrub note", "recode hive 0.00=none", "fill note --with x"} {
		b.Run(line, func(b *testing.B) {
			s, err := steptest.Made(line)
			require.NoError(b, err)
			bound, err := s.Capabilities().Rows(table.NewSchema(names))
			require.NoError(b, err)
			fn := bound.New(&step.Context{})
			out := 0
			for b.Loop() {
				if err := fn(src, func(b *table.Batch) error { out += b.Rows; return nil }); err != nil {
					b.Fatal(err)
				}
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/rows, "ns/row")
		})
	}
}
