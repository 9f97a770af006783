package format

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/decimal"
	"revuelta/internal/format/delimited"
	"revuelta/internal/table"
)

// TestWriteDecimal: the points of cells that are numbers change, and nothing else does: put back, they give what was there.
func TestWriteDecimal(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		cells := rapid.SliceOfN(rapid.SampledFrom([]string{"", "1.50", "-.5", "1e3", "1.5e3", "1.2.3", "v1.2", "2024-05-02", "a;b", "x,y", `q"q`, "12.5 kg", "+3.0", ".", "1."}), 6, 6).Draw(rt, "cells")
		b := table.Get()
		b.Shape(2)
		b.Rows = 3
		copy(b.Cols[0].Make(3), cells[:3])
		copy(b.Cols[1].Make(3), cells[3:])
		enc, err := NewEncoding("", WriteOptions{Delimiter: ";", Decimal: ","})
		require.NoError(rt, err)
		text := enc.Worker(table.NewSchema([]string{"a.b", "c"})).Append(nil, b)
		records, err := delimited.Head(text, delimited.Dialect{Delimiter: ';'}, 10, true)
		require.NoError(rt, err)
		got := map[bool]int{}
		for r, record := range records {
			for c, cell := range record.Cells {
				was := cells[c*3+r]
				if _, ok := decimal.Parse(was); ok {
					require.Equal(rt, strings.Replace(was, ".", ",", 1), cell)
				} else {
					require.Equal(rt, was, cell)
				}
				got[true]++
			}
		}
	})
	assert.Equal(t, "a.b;c\n", string(func() []byte {
		enc, _ := NewEncoding("", WriteOptions{Delimiter: ";", Decimal: ","})
		return enc.Begin(nil, table.NewSchema([]string{"a.b", "c"}))
	}()))
	for path, wrong := range map[string]WriteOptions{
		"--write-decimal \",\": that character parts the cells":     {Decimal: ","},
		"--write-decimal \"ab\": it is one character":               {Decimal: "ab"},
		"--write-decimal \"5\": it is one character":                {Decimal: "5"},
		"--write-delimiter \"ab\": one character":                   {Delimiter: "ab"},
		"--write-delimiter \".\": one character":                    {Delimiter: "."},
		"--write-delimiter and --write-decimal go with csv and tsv": {Decimal: ",", As: "xlsx"},
		"--typed goes with json and ndjson":                         {Typed: true, As: "xlsx"},
	} {
		_, err := NewEncoding("", wrong)
		assert.ErrorContains(t, err, path)
	}
}

// TestJSONNumbers: a cell is written as a number just where the standard library reads its text as one.
func TestJSONNumbers(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		c := rapid.StringMatching(`[-+]?[0-9.]{0,4}([eE][-+]?[0-9]{0,2})?[ a]?`).Draw(rt, "cell")
		var n json.Number
		err := json.Unmarshal([]byte(c), &n)
		require.Equal(rt, err == nil && strings.TrimSpace(c) == c && c != "" && c != "null", isJSONNumber(c), c)
	})
	assert.Equal(t, jsonNumbers|jsonTruths, stillJSON(holdsAll, "x")|jsonNumbers|jsonTruths)
	assert.Zero(t, stillJSON(stillJSON(holdsAll, "1"), "true"), "a mix is texts")
	assert.Equal(t, jsonTruths, stillJSON(stillJSON(holdsAll, "false"), "true"))
}
