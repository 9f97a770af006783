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
)

// asideFields are the fields of the file for rows that do not fit.
var asideFields = []string{"source", "line", "step", "field", "cell", "reason", "row"}

// asideFile takes the rows that do not fit.
type asideFile struct {
	mu   sync.Mutex
	out  *format.Output
	enc  *delimited.Encoder
	rows int64
	most int64 // -1: no bound
}

func newAsideFile(path, most string) (*asideFile, error) {
	a := &asideFile{most: -1, enc: delimited.NewEncoder(delimited.Style{Delimiter: ','})}
	if most != "" {
		n, err := strconv.ParseInt(most, 10, 64)
		if err != nil || n < 0 {
			return nil, diag.Usagef("--most-aside %s: it is a number of rows", diag.Quote(most))
		}
		a.most = n
	}
	out, err := format.Create(path)
	if err != nil {
		return nil, err
	}
	a.out = out
	if _, err := out.Write(a.enc.Row(nil, asideFields)); err != nil {
		out.Abort()
		return nil, err
	}
	return a, nil
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
		buf = a.enc.Row(buf, []string{r.Source, strconv.Itoa(r.Line), r.Step, r.Field, r.Cell, r.Reason, rowJSON(r.Names, r.Cells)})
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
