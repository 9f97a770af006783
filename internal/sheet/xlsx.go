package sheet

import (
	"bytes"
	"io"
	"path"
	"strconv"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/view"
)

// xlsx is an Office Open XML workbook (ECMA-376).
type xlsx struct {
	*archive
	sheets    []xlsxSheet
	areas     []Named
	since1904 bool
	kinds     []kind // of each cell style
	stringsAt string // part
	shared    *sharedStrings
}

type xlsxSheet struct {
	Info
	part string
}

type relations struct {
	List []struct {
		ID     string `xml:"Id,attr"`
		Type   string `xml:"Type,attr"`
		Target string `xml:"Target,attr"`
	} `xml:"Relationship"`
}

// of lists the targets of a part's relations of a type, by their ids.
func (a *archive) relations(part string) (relations, error) {
	var r relations
	dir, file := path.Split(part)
	err := a.decode(dir+"_rels/"+file+".rels", &r)
	for i, t := range r.List {
		if strings.HasPrefix(t.Target, "/") {
			r.List[i].Target = strings.TrimPrefix(t.Target, "/")
		} else {
			r.List[i].Target = path.Join(dir, t.Target)
		}
	}
	return r, err
}

func openXLSX(a *archive) (Book, error) {
	root, err := a.relations("")
	if err != nil {
		return nil, err
	}
	main := "xl/workbook.xml"
	for _, r := range root.List {
		if strings.HasSuffix(r.Type, "/officeDocument") {
			main = r.Target
		}
	}
	if a.file(main) == nil {
		if a.file("xl/workbook.bin") != nil {
			return nil, diag.Dataf("this is a binary workbook (.xlsb)").At(a.name, 0).Trying("save it as .xlsx in an office program")
		}
		return nil, diag.Dataf("this is a zip file, but no workbook").At(a.name, 0)
	}
	var book struct {
		Properties struct {
			Date1904 string `xml:"date1904,attr"`
		} `xml:"workbookPr"`
		Sheets []struct {
			Name  string `xml:"name,attr"`
			State string `xml:"state,attr"`
			ID    string `xml:"http://schemas.openxmlformats.org/officeDocument/2006/relationships id,attr"`
			Other string `xml:"http://purl.oclc.org/ooxml/officeDocument/relationships id,attr"`
		} `xml:"sheets>sheet"`
		Names []struct {
			Name  string `xml:"name,attr"`
			Local string `xml:"localSheetId,attr"`
			Text  string `xml:",chardata"`
		} `xml:"definedNames>definedName"`
	}
	if err := a.decode(main, &book); err != nil {
		return nil, err
	}
	x := &xlsx{archive: a, since1904: book.Properties.Date1904 == "1" || book.Properties.Date1904 == "true"}
	links, err := a.relations(main)
	if err != nil {
		return nil, err
	}
	parts := map[string]string{}
	styles := ""
	for _, r := range links.List {
		parts[r.ID] = r.Target
		switch {
		case strings.HasSuffix(r.Type, "/styles"):
			styles = r.Target
		case strings.HasSuffix(r.Type, "/sharedStrings"):
			x.stringsAt = r.Target
		}
	}
	numbers := map[int]int{} // a sheet's number here by that in the workbook, which counts charts too
	for i, s := range book.Sheets {
		part := parts[s.ID+s.Other]
		if !strings.Contains(part, "worksheet") && strings.Contains(part, "sheets/") {
			continue // a chart
		}
		numbers[i] = len(x.sheets)
		x.sheets = append(x.sheets, xlsxSheet{Info{s.Name, s.State == "hidden" || s.State == "veryHidden"}, part})
	}
	if len(x.sheets) == 0 {
		return nil, diag.Dataf("the workbook has no sheet").At(a.name, 0)
	}
	for _, n := range book.Names {
		if strings.HasPrefix(n.Name, "_xlnm.") {
			continue
		}
		sheet, area, ok := x.reference(n.Text)
		if ok {
			x.areas = append(x.areas, Named{n.Name, sheet, area})
		}
	}
	for i, s := range x.sheets {
		if err := x.tables(i, s.part); err != nil {
			return nil, err
		}
	}
	return x, x.styles(styles)
}

// tables finds the tables of a sheet.
func (x *xlsx) tables(sheet int, part string) error {
	links, err := x.relations(part)
	if err != nil {
		return err
	}
	for _, r := range links.List {
		if !strings.HasSuffix(r.Type, "/table") {
			continue
		}
		var t struct {
			Name string `xml:"displayName,attr"`
			Ref  string `xml:"ref,attr"`
		}
		if err := x.decode(r.Target, &t); err != nil {
			return err
		}
		if area, ok := ParseArea(t.Ref); ok {
			x.areas = append(x.areas, Named{t.Name, sheet, area})
		}
	}
	return nil
}

// reference reads Sheet!$A$1:$C$10 or 'My sheet'!A1:C10.
func (x *xlsx) reference(s string) (sheet int, area Area, ok bool) {
	at := strings.LastIndexByte(s, '!')
	if at < 0 {
		return 0, area, false
	}
	name := s[:at]
	if strings.HasPrefix(name, "'") && strings.HasSuffix(name, "'") && len(name) > 1 {
		name = strings.ReplaceAll(name[1:len(name)-1], "''", "'")
	}
	area, ok = ParseArea(s[at+1:])
	for i, sh := range x.sheets {
		if sh.Name == name {
			return i, area, ok
		}
	}
	return 0, area, false
}

// styles finds which cell styles show dates.
func (x *xlsx) styles(part string) error {
	var s struct {
		Formats []struct {
			ID   int    `xml:"numFmtId,attr"`
			Code string `xml:"formatCode,attr"`
		} `xml:"numFmts>numFmt"`
		Cells []struct {
			Format int `xml:"numFmtId,attr"`
		} `xml:"cellXfs>xf"`
	}
	if err := x.decode(part, &s); err != nil {
		return err
	}
	own := map[int]kind{}
	for _, f := range s.Formats {
		own[f.ID] = kindOf(f.Code)
	}
	for _, c := range s.Cells {
		k, ok := own[c.Format]
		if !ok {
			k = builtIn(c.Format)
		}
		x.kinds = append(x.kinds, k)
	}
	return nil
}

func (x *xlsx) Sheets() []Info {
	var out []Info
	for _, s := range x.sheets {
		out = append(out, s.Info)
	}
	return out
}

func (x *xlsx) Areas() []Named { return x.areas }
func (x *xlsx) Close() error   { return nil }

// Merged implements Book. The list stands behind the cells, which are passed over.
func (x *xlsx) Merged(sheet int) ([]Area, error) {
	part := x.sheets[sheet].part
	r, err := x.open(part)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	s := newScanner(r)
	if err := s.behindCells(); err != nil {
		if err == io.EOF {
			return nil, nil
		}
		return nil, x.damaged(part, err)
	}
	var out []Area
	for {
		_, tag, err := s.tag()
		if err == io.EOF {
			return out, nil
		}
		if err != nil {
			return nil, x.damaged(part, err)
		}
		if local, closing, _ := name(tag); !closing && string(local) == "mergeCell" {
			if a, ok := ParseArea(value(tag, "ref")); ok && a.Top != a.Bottom || ok && a.Left != a.Right {
				out = append(out, a)
			}
		}
	}
}

// behindCells goes behind the rows of a sheet, without looking at them.
func (x *scanner) behindCells() error {
	const element = "sheetData"
	for {
		view := x.buf[x.from:x.to]
		i := bytes.Index(view, []byte(element))
		if end := i + len(element) + 2; i < 0 || end > len(view) && !x.ended {
			x.from = max(x.from, x.to-256)
			if err := x.fill(); err != nil {
				return err
			}
			continue
		}
		open := bytes.LastIndexByte(view[:i], '<')
		x.from += i + len(element)
		if closing := open >= 0 && view[open+1] == '/'; closing || bytes.HasPrefix(x.buf[x.from:x.to], []byte("/>")) {
			return nil
		}
	}
}

// sharedStrings are the texts that cells point to.
type sharedStrings struct{ texts []string }

func (x *xlsx) strings() (*sharedStrings, error) {
	if x.shared != nil {
		return x.shared, nil
	}
	s := &sharedStrings{}
	if x.stringsAt != "" && x.file(x.stringsAt) != nil {
		r, err := x.open(x.stringsAt)
		if err != nil {
			return nil, err
		}
		defer r.Close()
		if err := s.read(newScanner(&limited{r, mostStrings})); err != nil {
			return nil, x.damaged(x.stringsAt, err)
		}
	}
	x.shared = s
	return s, nil
}

func (s *sharedStrings) read(x *scanner) error {
	var a arena
	var one []byte
	inText, phonetic := false, 0
	for {
		text, tag, err := x.tag()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		local, closing, empty := name(tag)
		switch string(local) {
		case "t":
			if closing && inText && phonetic == 0 {
				one = unescape(one, text)
			}
			inText = !closing && !empty
		case "rPh":
			if closing {
				phonetic--
			} else if !empty {
				phonetic++
			}
		case "si":
			if closing || empty {
				s.texts = append(s.texts, a.keep(escaped(one)))
				one = one[:0]
			}
		}
	}
}

// escaped undoes _x000D_, which stands for a character that XML has no place for.
func escaped(s []byte) []byte {
	at := bytes.Index(s, []byte("_x"))
	if at < 0 {
		return s
	}
	out := append([]byte(nil), s[:at]...)
	for s = s[at:]; len(s) > 0; {
		if len(s) >= 7 && s[0] == '_' && s[1] == 'x' && s[6] == '_' {
			if n, err := strconv.ParseUint(string(s[2:6]), 16, 16); err == nil && (n < 0xD800 || n > 0xDFFF) {
				out = append(out, string(rune(n))...)
				s = s[7:]
				continue
			}
		}
		out, s = append(out, s[0]), s[1:]
	}
	return out
}

// arena keeps texts side by side in blocks that are never moved.
type arena struct{ block []byte }

func (a *arena) keep(s []byte) string {
	if len(s) == 0 {
		return ""
	}
	if cap(a.block)-len(a.block) < len(s) {
		a.block = make([]byte, 0, max(64<<10, len(s)))
	}
	from := len(a.block)
	a.block = append(a.block, s...)
	return view.String(a.block[from:])
}
