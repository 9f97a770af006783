package run

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/format/delimited"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// asideFields are the fields of the file for rows that do not fit,
// leftOutFields of the one for rows left out.
var (
	asideFields   = []string{"source", "line", "step", "field", "cell", "reason", "row"}
	leftOutFields = []string{"source", "line", "step", "row"}
)

// asideFile takes rows that leave the table, in order.
type asideFile struct {
	mu      sync.Mutex
	out     *format.Output
	enc     *delimited.Encoder
	fields  []string
	rows    int64
	most    int64   // -1: no bound
	percent float64 // of the rows read, -1: no bound
}

func newAsideFile(path string, fields []string) (*asideFile, error) {
	a := &asideFile{fields: fields, most: -1, percent: -1, enc: delimited.NewEncoder(delimited.Style{Delimiter: ','})}
	out, err := format.Create(path)
	if err != nil {
		return nil, err
	}
	a.out = out
	if _, err := out.Write(a.enc.Row(nil, fields)); err != nil {
		out.Abort()
		return nil, err
	}
	return a, nil
}

// bound sets how many rows may be taken: a number, or a part as 5%.
func (a *asideFile) bound(most string) (err error) {
	if most == "" {
		return nil
	}
	if part, ok := strings.CutSuffix(most, "%"); ok {
		if a.percent, err = strconv.ParseFloat(part, 64); err == nil && 0 <= a.percent && a.percent <= 100 {
			return nil
		}
	} else if a.most, err = strconv.ParseInt(most, 10, 64); err == nil && a.most >= 0 {
		return nil
	}
	return diag.Usagef("--most-aside %s: it is a number of rows, or a part of them", diag.Quote(most)).Trying("--most-aside 100", "--most-aside 5%")
}

// enough checks the part of the rows that was taken, when all are read.
func (a *asideFile) enough(account *Account) error {
	read := int64(0)
	for _, in := range account.Inputs {
		read += in.Rows
	}
	if a.percent >= 0 && float64(a.rows) > float64(read)*a.percent/100 {
		return diag.Dataf("%s of %s do not fit, more than the %g%% that --most-aside allows", diag.Count(a.rows), diag.Plural(read, "row"), a.percent)
	}
	return nil
}

// leftRows makes rows left out ready to be written.
func leftRows(site *step.Site, schema *table.Schema, b *table.Batch, rows []int32) []*step.Row {
	var out []*step.Row
	for _, r := range rows {
		row := &step.Row{Line: b.Origin.LineOf(int(r)), Step: site.Step, Names: schema.Names(), Cells: b.Row(int(r), nil)}
		if site.File != nil {
			row.Source = site.File(b.Origin.File)
		}
		out = append(out, row)
	}
	return out
}

// put writes rows.
func (a *asideFile) put(rows []*step.Row) error {
	a.mu.Lock()
	defer a.mu.Unlock()
	var buf []byte
	for _, r := range rows {
		if a.rows++; a.most >= 0 && a.rows > a.most {
			return diag.Dataf("%s: more than the %s that --most-aside allows do not fit", r.Reason, diag.Plural(a.most, "row")).At(r.Source, r.Line).InField(r.Field)
		}
		line := ""
		if r.Line > 0 {
			line = strconv.Itoa(r.Line)
		}
		all := map[string]string{"source": r.Source, "line": line, "step": r.Step, "field": r.Field, "cell": r.Cell, "reason": r.Reason, "row": rowJSON(r.Names, r.Cells)}
		var cells []string
		for _, f := range a.fields {
			cells = append(cells, all[f])
		}
		buf = a.enc.Row(buf, cells)
	}
	_, err := a.out.Write(buf)
	return err
}

// rowJSON is a row as a JSON object, its fields in order.
func rowJSON(names, cells []string) string {
	var b strings.Builder
	b.WriteByte('{')
	for i, c := range cells {
		n := fmt.Sprintf("cell %d", i+1) // of a row longer than the header
		if i < len(names) {
			n = names[i]
		}
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteString(quoteJSON(n) + ":" + quoteJSON(c))
	}
	b.WriteByte('}')
	return b.String()
}

func quoteJSON(s string) string {
	var b strings.Builder
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(s); err != nil {
		panic("run: " + err.Error()) // strings always encode
	}
	return strings.TrimSuffix(b.String(), "\n")
}
