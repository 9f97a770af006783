package format

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"revuelta/internal/server"
)

// TestStillOnServer lists cells with what a field of them alone is made as: what the server gives back must be the cell.
func TestStillOnServer(t *testing.T) {
	for kind, cells := range map[server.Kind]string{
		server.Number:    "0 1 -1 10 0.0 1.10 -0.5 12345678901234567890.123456789 100",
		server.Date:      "2024-02-29 0001-01-01 9999-12-31",
		server.Timestamp: "2024-02-29T00:00:00 2024-02-29T23:59:59.000001 2024-02-29T23:59:59.5",
		server.Boolean:   "TRUE FALSE",
		server.Text: "007 00 -0 -0.00 +1 .5 5. 1e3 1,5 - . -. -.5 1.2.3 ½ " + strings.Repeat("1", 1001) + " 2023-02-29 0000-01-01 2024-2-3 2024-02-30 2024-02-29T24:00:00 2024-02-29T23:60:00 2024-02-29T10:00 2024-02-29T10:00:00. 2024-02-29T10:00:00.50 2024-02-29T10:00:00.1234567 2024-02-29T10:00:00.x5 " +
			"2024-02-29T10:00:0x 2024-02-29T10:00:00Z true f NaN infinity",
	} {
		for _, c := range strings.Fields(cells) {
			assert.Equal(t, kind, (stillOnServer(holdsAll|holdsTruths, c) | holdsSome).onServer(), c)
		}
	}
	assert.Equal(t, server.Text, (stillOnServer(stillOnServer(holdsAll|holdsTruths, "1"), "TRUE") | holdsSome).onServer(), "a mix")
	assert.Equal(t, server.Text, (holdsAll | holdsTruths | holdsBlank).onServer(), "blank alone")
}

// TestRowsIn is a law: rows are counted as they were written, whatever stands in the cells.
func TestRowsIn(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(0, 20).Draw(t, "rows")
		var b strings.Builder
		for range n {
			cell := rapid.StringMatching("[a\n\",]{0,5}").Draw(t, "cell")
			if strings.ContainsAny(cell, "\n\",") {
				cell = `"` + strings.ReplaceAll(cell, `"`, `""`) + `"`
			}
			b.WriteString(cell + ",x\n")
		}
		assert.Equal(t, n, rowsIn([]byte(b.String())))
	})
}
