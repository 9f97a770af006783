package run

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"sync"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/format/delimited"
	"revuelta/internal/rowstore"
	"revuelta/internal/step"
	"revuelta/internal/table"
)

// asideFields are the fields of the files for rows that do not fit and for rows left out.
var asideFields = []string{"source", "line", "step", "field", "cell", "reason", "row"}

// asideFile takes rows that leave the table. Those of a section, or of a step between two, stand together and in
// order, and the sections stand as in the plan: which of them is ahead does not show.
type asideFile struct {
	mu      sync.Mutex
	streams []*asideStream // of the table at work
	temp    string
	out     *format.Output
	enc     *delimited.Encoder
	rows    int64
	most    int64   // -1: no bound
	percent float64 // of the rows read, -1: no bound
}

// asideStream takes the rows of one section or step. The first writes them at once, the others wait for it to end.
type asideStream struct {
	a    *asideFile
	held []byte
	file *os.File // where they wait when they are many, nil: they are held
}

func newAsideFile(path, temp string) (*asideFile, error) {
	a := &asideFile{temp: temp, most: -1, percent: -1, enc: delimited.NewEncoder(delimited.Style{Delimiter: ','})}
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
	for _, in := range account.Read() {
		read += in.Rows
	}
	if a.percent >= 0 && float64(a.rows) > float64(read)*a.percent/100 {
		return diag.Dataf("%s of %s do not fit, more than the %g%% that --most-aside allows", diag.Count(a.rows), diag.Plural(read, "row"), a.percent)
	}
	return nil
}

// leftRows makes rows left out ready to be written.
func leftRows(site *step.Context, schema *table.Schema, b *table.Batch, rows []int32, cause step.Cause) []*step.Row {
	var out []*step.Row
	for _, r := range rows {
		row := &step.Row{Line: b.Origin.LineOf(int(r)), Step: site.Step, Reason: cause.Reason, Names: schema.Names(), Cells: b.Row(int(r), nil)}
		if cause.Field >= 0 {
			row.Field, row.Cell = schema.Name(cause.Field), row.Cells[cause.Field]
		}
		if site.Tables.FileName != nil {
			row.Source = site.Tables.FileName(b.Origin.FileOf(int(r)))
		}
		out = append(out, row)
	}
	return out
}

// stream is where the next section or step of the plan puts its rows; nil where nobody wants them.
func (a *asideFile) stream() func([]*step.Row) error {
	if a == nil {
		return nil
	}
	s := &asideStream{a: a}
	a.streams = append(a.streams, s)
	return s.put
}

// settle writes what waits, when a table has ended.
func (a *asideFile) settle() error {
	if a == nil {
		return nil
	}
	for _, s := range a.streams {
		if s.file != nil {
			if _, err := s.file.Seek(0, io.SeekStart); err != nil {
				return rowstore.TemporaryError(a.temp, err)
			}
			if _, err := io.Copy(a.out, s.file); err != nil {
				return err
			}
		}
		if _, err := a.out.Write(s.held); err != nil {
			return err
		}
	}
	a.drop()
	return nil
}

// drop lets go of what waits.
func (a *asideFile) drop() {
	for _, s := range a.streams {
		if s.file != nil {
			s.file.Close()
		}
	}
	a.streams = nil
}

// put takes rows.
func (s *asideStream) put(rows []*step.Row) error {
	a := s.a
	a.mu.Lock()
	defer a.mu.Unlock()
	buf := s.held
	for _, r := range rows {
		if a.rows++; a.most >= 0 && a.rows > a.most {
			return diag.Dataf("%s: more than the %s that --most-aside allows do not fit", r.Reason, diag.Plural(a.most, "row")).At(r.Source, r.Line).InField(r.Field)
		}
		line := ""
		if r.Line > 0 {
			line = strconv.Itoa(r.Line)
		}
		buf = a.enc.Row(buf, []string{r.Source, line, r.Step, r.Field, r.Cell, r.Reason, rowJSON(r.Names, r.Cells)})
	}
	const most = 1 << 20 // is held
	switch s.held = buf; {
	case s == a.streams[0]:
		_, err := a.out.Write(buf)
		s.held = buf[:0]
		return err
	case len(buf) < most:
		return nil
	case s.file == nil:
		var err error
		if s.file, err = rowstore.Temporary(a.temp); err != nil {
			return err
		}
	}
	s.held = buf[:0]
	if _, err := s.file.Write(buf); err != nil {
		return rowstore.TemporaryError(a.temp, err)
	}
	return nil
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
