package cli

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"strconv"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/format"
	"revuelta/internal/inspect"
	"revuelta/internal/run"
)

// dictionaryFields are what a data dictionary says of each field of a table.
var dictionaryFields = []string{"field", "type", "rows", "blank", "distinct", "min", "max", "mean", "stdev", "median", "q1", "q3", "longest", "commonest"}

// fifteen writes a number with 15 significant digits at most, in shortest form.
func fifteen(f float64) string {
	if d, ok := decimal.Parse(strconv.FormatFloat(f, 'g', 15, 64)); ok {
		return d.Shortest().String()
	}
	return strconv.FormatFloat(f, 'g', 15, 64)
}

// entry is a field as programs read it; what does not apply is not there.
type entry struct {
	Field    string       `json:"field"`
	Type     string       `json:"type"`
	Rows     int64        `json:"rows"`
	Blank    int64        `json:"blank"`
	Distinct int64        `json:"distinct"`
	About    []string     `json:"about,omitempty"` // which of the figures a sketch gave
	Min      string       `json:"min"`
	Max      string       `json:"max"`
	Mean     *json.Number `json:"mean,omitempty"`
	Stdev    *json.Number `json:"stdev,omitempty"`
	Median   *json.Number `json:"median,omitempty"`
	Q1       *json.Number `json:"q1,omitempty"`
	Q3       *json.Number `json:"q3,omitempty"`
	Longest  string       `json:"longest"`
	Common   []entryValue `json:"commonest"`
	Texts    []entryValue `json:"texts,omitempty"` // among numbers
}

type entryValue struct {
	Value string `json:"value"`
	Count int64  `json:"count"`
	Line  int    `json:"line,omitempty"` // where it stands first
}

func describe(p *inspect.FieldProfile) entry {
	d := entry{Field: p.Name, Type: p.Type, Rows: p.Rows, Blank: p.Blank, Distinct: p.Distinct, Min: p.Min, Max: p.Max, Longest: p.Longest, Common: valuesOf(p.Common), Texts: valuesOf(p.Texts)}
	if len(d.Texts) == 0 {
		d.Texts = nil
	}
	if p.DistinctIsAbout {
		d.About = append(d.About, "distinct")
	}
	if strings.Contains(p.Type, "number") {
		number := func(f float64) *json.Number { n := json.Number(fifteen(f)); return &n }
		d.Mean, d.Median, d.Q1, d.Q3 = number(p.Mean), number(p.Quartiles[1]), number(p.Quartiles[0]), number(p.Quartiles[2])
		if p.Numbers > 1 {
			d.Stdev = number(p.Stdev)
		}
		if p.QuartilesAreAbout {
			d.About = append(d.About, "median", "q1", "q3")
		}
	}
	return d
}

func valuesOf(list []inspect.Common) []entryValue {
	out := []entryValue{}
	for _, c := range list {
		out = append(out, entryValue{c.Value, c.Count, c.Line})
	}
	return out
}

// row is the field as a row of a table.
func (d *entry) row() []string {
	number := func(n *json.Number) string {
		if n == nil {
			return ""
		}
		return n.String()
	}
	var common []string
	for _, c := range d.Common {
		common = append(common, c.Value+" ("+strconv.FormatInt(c.Count, 10)+")")
	}
	count := func(n int64) string { return strconv.FormatInt(n, 10) }
	return []string{d.Field, d.Type, count(d.Rows), count(d.Blank), count(d.Distinct), d.Min, d.Max, number(d.Mean), number(d.Stdev), number(d.Median), number(d.Q1), number(d.Q3), d.Longest, strings.Join(common, "; ")}
}

// profileJSON writes what the fields hold for programs: an object a field.
func (a *app) profileJSON(fields []*inspect.FieldProfile) error {
	list := []entry{}
	for _, f := range fields {
		list = append(list, describe(f))
	}
	return a.writeJSON(list)
}

// dictionary writes what the fields hold as a table, in any format.
func (a *app) dictionary(ctx context.Context, c *call, fields []*inspect.FieldProfile) error {
	var text bytes.Buffer
	w := csv.NewWriter(&text)
	_ = w.Write(dictionaryFields) // into memory
	for _, f := range fields {
		d := describe(f)
		_ = w.Write(d.row())
	}
	w.Flush()
	read := &run.Read{Paths: []string{"-"}, Options: format.ReadOptions{As: "csv", Delimiter: ',', Encoding: "utf-8", Header: format.Header{Kind: format.HeaderRows, From: 1, To: 1}}}
	_, err := run.Run(ctx, &run.Program{Items: []any{read, write(c)}}, run.Env{Stdin: &text, Stdout: a.Out})
	return err
}
