package sheet

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"revuelta/internal/decimal"
)

const (
	mainNS     = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
	relationNS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
	packageNS  = "http://schemas.openxmlformats.org/package/2006/"
	typeOf     = "application/vnd.openxmlformats-officedocument.spreadsheetml."
)

// The styles of cells, in the order in which they are written.
const (
	styleNone = iota
	styleHeader
	styleDate
	styleDateTime
	styleText
	styleHeaderOfNumbers // which stand on the right
)

// WriteXLSX writes a table as the one sheet of a workbook: the header bold and
// frozen, the columns as wide as their cells. next gives the rows, io.EOF after the last.
func WriteXLSX(out io.Writer, name string, columns []Column, next func() ([]string, error)) error {
	p := newParts(out)
	head := []struct{ name, text string }{
		{"[Content_Types].xml", `<Types xmlns="` + packageNS + `content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="` + typeOf + `sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="` + typeOf + `worksheet+xml"/><Override PartName="/xl/styles.xml" ContentType="` + typeOf + `styles+xml"/></Types>`},
		{"_rels/.rels", `<Relationships xmlns="` + packageNS + `relationships"><Relationship Id="rId1" Type="` + relationNS + `/officeDocument" Target="xl/workbook.xml"/></Relationships>`},
		{"xl/workbook.xml", `<workbook xmlns="` + mainNS + `" xmlns:r="` + relationNS + `"><sheets><sheet name="` + xmlText(name) + `" sheetId="1" r:id="rId1"/></sheets></workbook>`},
		{"xl/_rels/workbook.xml.rels", `<Relationships xmlns="` + packageNS + `relationships"><Relationship Id="rId1" Type="` + relationNS + `/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="rId2" Type="` + relationNS + `/styles" Target="styles.xml"/></Relationships>`},
		{"xl/styles.xml", `<styleSheet xmlns="` + mainNS + `"><numFmts count="2"><numFmt numFmtId="164" formatCode="yyyy\-mm\-dd"/><numFmt numFmtId="165" formatCode="yyyy\-mm\-dd\ hh:mm:ss"/></numFmts><fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts><fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills><borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders><cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs><cellXfs count="6"><xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0"/><xf numFmtId="49" fontId="1" fillId="0" borderId="0" xfId="0" applyFont="1" applyNumberFormat="1"/><xf numFmtId="164" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1" applyAlignment="1"><alignment horizontal="left"/></xf><xf numFmtId="165" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1" applyAlignment="1"><alignment horizontal="left"/></xf><xf numFmtId="49" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1"/><xf numFmtId="49" fontId="1" fillId="0" borderId="0" xfId="0" applyFont="1" applyNumberFormat="1" applyAlignment="1"><alignment horizontal="right"/></xf></cellXfs></styleSheet>`},
	}
	for _, h := range head {
		if err := p.put(h.name, h.text); err != nil {
			return err
		}
	}
	w, err := p.part("xl/worksheets/sheet1.xml", false)
	if err != nil {
		return err
	}
	fmt.Fprintf(w, `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>`+"\n"+`<worksheet xmlns="%s"><sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/><selection pane="bottomLeft" activeCell="A2" sqref="A2"/></sheetView></sheetViews><cols>`, mainNS)
	names := make([]string, len(columns))
	letters := make([]string, len(columns))
	for i, c := range columns {
		names[i], letters[i] = c.Name, columnName(i+1)
		fmt.Fprintf(w, `<col min="%d" max="%d" width="%d" customWidth="1"/>`, i+1, i+1, fittedWidth(c))
	}
	w.WriteString("</cols><sheetData>")
	var buf []byte
	text := func(c string, style int) {
		buf = append(append(append(buf, ` s="`...), byte('0'+style)), `" t="inlineStr"><is><t xml:space="preserve">`...)
		buf = append(appendXML(buf, guarded(c)), "</t></is></c>"...)
	}
	row := func(number int, cells []string, header bool) {
		buf = strconv.AppendInt(append(buf[:0], `<row r="`...), int64(number), 10)
		buf = append(buf, `">`...)
		if wholly(cells) { // without a cell it would be no row
			buf = append(strconv.AppendInt(append(buf, `<c r="A`...), int64(number), 10), '"')
			text("", styleText)
		}
		for i, c := range cells {
			if c == "" {
				continue
			}
			buf = append(append(buf, `<c r="`...), letters[i]...)
			buf = append(strconv.AppendInt(buf, int64(number), 10), '"')
			switch {
			case header && columns[i].Kind == Number:
				text(c, styleHeaderOfNumbers)
			case header:
				text(c, styleHeader)
			case columns[i].Kind == Number:
				buf = append(append(append(buf, "><v>"...), c...), "</v></c>"...)
			case columns[i].Kind == Text:
				text(c, styleText)
			default:
				style := byte('0' + styleDate)
				if columns[i].Kind == DateTime {
					style = '0' + styleDateTime
				}
				buf = append(append(append(buf, ` s="`...), style), `"><v>`...)
				buf = append(decimal.AppendFloat(buf, serial(c)), "</v></c>"...)
			}
		}
		w.Write(append(buf, "</row>"...))
	}
	row(1, names, true)
	for n := 2; ; n++ {
		cells, err := next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		row(n, cells, false)
	}
	if _, err := w.WriteString("</sheetData></worksheet>"); err != nil {
		return err
	}
	return p.close()
}

// fittedWidth is how wide a column is, in characters.
func fittedWidth(c Column) int { return min(max(len([]rune(c.Name))+2, c.Width+2, 6), 60) }

// noXML tells a character that XML has no place for, and one that it does not keep.
func noXML(c rune) bool {
	return c < ' ' && c != '\n' && c != '\t' || c == 0xFFFE || c == 0xFFFF
}

// guarded writes what XML has no place for as _x0001_, and a text that looks so in a way that it stays.
func guarded(s string) string {
	if !strings.Contains(s, "_x") && !strings.ContainsFunc(s, noXML) {
		return s
	}
	var b strings.Builder
	for i, c := range s {
		switch {
		case noXML(c):
			fmt.Fprintf(&b, "_x%04X_", c)
		case c == '_' && len(s) >= i+7 && s[i+1] == 'x' && s[i+6] == '_':
			b.WriteString("_x005F_")
		default:
			b.WriteRune(c)
		}
	}
	return b.String()
}
