package sheet

import (
	"fmt"
	"io"
	"strings"
)

const odsMime = "application/vnd.oasis.opendocument.spreadsheet"

// WriteODS is WriteXLSX for OpenDocument.
func WriteODS(out io.Writer, name string, columns []Column, next func() ([]string, error)) error {
	p := newParts(out)
	w, err := p.part("mimetype", true)
	if err != nil {
		return err
	}
	w.WriteString(odsMime)
	const ns = "urn:oasis:names:tc:opendocument:xmlns:"
	if err := p.put("META-INF/manifest.xml", `<manifest:manifest xmlns:manifest="`+ns+`manifest:1.0" manifest:version="1.2"><manifest:file-entry manifest:full-path="/" manifest:version="1.2" manifest:media-type="`+odsMime+`"/><manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/><manifest:file-entry manifest:full-path="settings.xml" manifest:media-type="text/xml"/></manifest:manifest>`); err != nil {
		return err
	}
	item := func(name, typ, value string) string {
		return `<config:config-item config:name="` + name + `" config:type="` + typ + `">` + value + `</config:config-item>`
	}
	if err := p.put("settings.xml", `<office:document-settings xmlns:office="`+ns+`office:1.0" xmlns:config="`+ns+`config:1.0" xmlns:ooo="http://openoffice.org/2004/office" office:version="1.2"><office:settings><config:config-item-set config:name="ooo:view-settings"><config:config-item-map-indexed config:name="Views"><config:config-item-map-entry>`+
		item("ViewId", "string", "view1")+`<config:config-item-map-named config:name="Tables"><config:config-item-map-entry config:name="`+xmlText(name)+`">`+
		item("CursorPositionX", "int", "0")+item("CursorPositionY", "int", "1")+item("HorizontalSplitMode", "short", "0")+item("HorizontalSplitPosition", "int", "0")+item("PositionLeft", "int", "0")+item("PositionRight", "int", "0")+
		item("VerticalSplitMode", "short", "2")+item("VerticalSplitPosition", "int", "1")+item("ActiveSplitRange", "short", "2")+item("PositionTop", "int", "0")+item("PositionBottom", "int", "1")+
		`</config:config-item-map-entry></config:config-item-map-named>`+item("ActiveTable", "string", xmlText(name))+`</config:config-item-map-entry></config:config-item-map-indexed></config:config-item-set></office:settings></office:document-settings>`); err != nil {
		return err
	}
	if w, err = p.part("content.xml", false); err != nil {
		return err
	}
	fmt.Fprintf(w, `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>`+"\n"+`<office:document-content xmlns:office="%[1]soffice:1.0" xmlns:table="%[1]stable:1.0" xmlns:text="%[1]stext:1.0" xmlns:style="%[1]sstyle:1.0" xmlns:fo="%[1]sxsl-fo-compatible:1.0" xmlns:number="%[1]sdatastyle:1.0" office:version="1.2"><office:automatic-styles>`, ns)
	widths := map[int]bool{}
	for _, c := range columns {
		if n := fittedWidth(c); !widths[n] {
			widths[n] = true
			fmt.Fprintf(w, `<style:style style:name="w%d" style:family="table-column"><style:table-column-properties style:column-width="%.2fcm"/></style:style>`, n, float64(n)*0.22)
		}
	}
	const day = `<number:year number:style="long"/><number:text>-</number:text><number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/>`
	const clock = `<number:text> </number:text><number:hours number:style="long"/><number:text>:</number:text><number:minutes number:style="long"/><number:text>:</number:text><number:seconds number:style="long"/>`
	w.WriteString(`<number:date-style style:name="nd">` + day + `</number:date-style><number:date-style style:name="nt">` + day + clock + `</number:date-style><number:text-style style:name="nx"><number:text-content/></number:text-style>` +
		`<style:style style:name="h" style:family="table-cell" style:data-style-name="nx"><style:text-properties fo:font-weight="bold"/></style:style><style:style style:name="r" style:family="table-cell" style:data-style-name="nx"><style:table-cell-properties style:text-align-source="fix"/><style:paragraph-properties fo:text-align="end"/><style:text-properties fo:font-weight="bold"/></style:style>` + left("d") + left("t") + `<style:style style:name="x" style:family="table-cell" style:data-style-name="nx"/>` +
		`</office:automatic-styles><office:body><office:spreadsheet><table:table table:name="` + xmlText(name) + `">`)
	names := make([]string, len(columns))
	for i, c := range columns {
		names[i] = c.Name
		fmt.Fprintf(w, `<table:table-column table:style-name="w%d"/>`, fittedWidth(c))
	}
	var buf []byte
	row := func(cells []string, header bool) {
		buf = append(buf[:0], "<table:table-row>"...)
		for i, c := range cells {
			kind, style := columns[i].Kind, `x" office:value-type="string"`
			switch {
			case c == "" && i == 0 && !header && wholly(cells): // without a cell it would be no row
				buf = append(buf, `<table:table-cell office:value-type="string"><text:p></text:p></table:table-cell>`...)
				continue
			case c == "":
				buf = append(buf, "<table:table-cell/>"...)
				continue
			case header && kind == Number:
				kind, style = Text, `r" office:value-type="string"`
			case header:
				kind, style = Text, `h" office:value-type="string"`
			case kind == Date:
				style = `d" office:value-type="date" office:date-value="` + c + `"`
			case kind == DateTime:
				style = `t" office:value-type="date" office:date-value="` + c + `"`
			case kind == Number:
				buf = append(append(append(buf, `<table:table-cell office:value-type="float" office:value="`...), c...), `"><text:p>`...)
				buf = append(append(buf, c...), "</text:p></table:table-cell>"...)
				continue
			}
			buf = append(append(append(buf, `<table:table-cell table:style-name="`...), style...), '>')
			for _, line := range strings.Split(c, "\n") {
				buf = append(appendParagraph(append(buf, "<text:p>"...), line), "</text:p>"...)
			}
			buf = append(buf, "</table:table-cell>"...)
		}
		w.Write(append(buf, "</table:table-row>"...))
	}
	row(names, true)
	for {
		cells, err := next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		row(cells, false)
	}
	if _, err := w.WriteString("</table:table></office:spreadsheet></office:body></office:document-content>"); err != nil {
		return err
	}
	return p.close()
}

// left is a style of dates, on the left as texts are.
func left(name string) string {
	return `<style:style style:name="` + name + `" style:family="table-cell" style:data-style-name="n` + name + `"><style:table-cell-properties style:text-align-source="fix"/><style:paragraph-properties fo:text-align="start"/></style:style>`
}

// appendParagraph appends a line, its spaces in a way that they are kept.
func appendParagraph(dst []byte, s string) []byte {
	for i := 0; i < len(s); i++ {
		switch {
		case s[i] == '\t':
			dst = append(dst, "<text:tab/>"...)
		case s[i] == ' ' && (i == 0 || i == len(s)-1 || s[i-1] == ' '):
			dst = append(dst, "<text:s/>"...)
		default:
			dst = appendXML(dst, s[i:i+1])
		}
	}
	return dst
}
