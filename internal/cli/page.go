package cli

import (
	"embed"
	"fmt"
	"html/template"
	"io"
	"strconv"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/inspect"
)

//go:embed profile.html report.html fields.html looks.css
var pages embed.FS

// page is one of the pages, whose looks are the same.
func page(name string) *template.Template {
	return template.Must(template.ParseFS(pages, name+".html", "fields.html", "looks.css"))
}

// pageField is a field as the page shows it.
type pageField struct {
	*inspect.FieldProfile
	Place                                                               int
	BlankText, FilledText, DistinctText                                 string
	BlankPart                                                           string
	MeanText, StdevText, MedianText, QuartilesText, Median, CommonCount string
	Bars                                                                []pageBar
	Common                                                              []pageCommon
}

type pageBar struct{ X, Y, W, H, Title string }

type pageCommon struct{ Value, Count, Part string }

// writePage writes a profile as one page that needs nothing else.
func writePage(path, name string, rows int64, notes []string, fields []*inspect.FieldProfile) error {
	data := struct {
		Name, Size string
		Notes      []string
		Heads      []string
		Fields     []pageField
	}{Name: name, Size: diag.Plural(rows, "row") + ", " + diag.Plural(int64(len(fields)), "field"), Notes: notes,
		Heads: []string{"field", "type", "blank", "distinct", "mean", "median", "from, to", "commonest"}}
	for i, f := range fields {
		data.Fields = append(data.Fields, onPage(i, f))
	}
	return writeWhole(path, func(to io.Writer) error { return page("profile").Execute(to, data) })
}

// writeWhole writes a file that is whole or is not there.
func writeWhole(path string, write func(io.Writer) error) error {
	out, err := format.Create(path)
	if err != nil {
		return err
	}
	defer out.Abort()
	if err := write(out); err != nil {
		return err
	}
	if err := out.Finish(); err != nil {
		return err
	}
	return out.Commit()
}

func onPage(i int, f *inspect.FieldProfile) pageField {
	p := pageField{FieldProfile: f, Place: i, BlankText: diag.Count(f.Blank), FilledText: diag.Count(f.Rows - f.Blank), DistinctText: diag.Count(f.Distinct)}
	short := inspect.Figure
	percent := func(n, of int64) string { return fmt.Sprintf("%.1f", 100*float64(n)/float64(max(1, of))) }
	p.BlankPart = percent(f.Blank, f.Rows)
	if f.DistinctIsAbout {
		p.DistinctText = "about " + p.DistinctText
	}
	if strings.Contains(f.Type, "number") {
		p.MeanText, p.StdevText = short(f.Mean), "stdev "+short(f.Stdev)
		p.Median, p.MedianText = short(f.Quartiles[1]), short(f.Quartiles[1])
		p.QuartilesText = short(f.Quartiles[0]) + " to " + short(f.Quartiles[2])
		if f.QuartilesAreAbout {
			p.MedianText = "about " + p.MedianText
		}
	}
	high := int64(1)
	for _, n := range f.Bars {
		high = max(high, n)
	}
	width := 100 / float64(max(1, len(f.Bars)))
	for k, n := range f.Bars {
		if n == 0 {
			continue
		}
		h := max(1, 24*float64(n)/float64(high))
		p.Bars = append(p.Bars, pageBar{fmt.Sprintf("%.2f", float64(k)*width), fmt.Sprintf("%.2f", 24-h), fmt.Sprintf("%.2f", width*0.92), fmt.Sprintf("%.2f", h), diag.Plural(n, "row")})
	}
	for _, c := range f.Common {
		p.Common = append(p.Common, pageCommon{c.Value, diag.Count(c.Count), percent(c.Count, f.Rows-f.Blank)})
	}
	if len(f.Common) > 0 {
		p.CommonCount = strconv.FormatInt(f.Common[0].Count, 10)
	}
	return p
}
