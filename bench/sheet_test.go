// Package bench compares with libraries that the program does not use; it is
// a module of its own, so that they are none of the program's.
package bench

import (
	"archive/zip"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/xuri/excelize/v2"

	"revuelta/internal/sheet"
)

const rows, columns = 200_000, 20

// workbook writes a sheet of texts and numbers, in turn, with its texts in the cells or shared.
func workbook(b *testing.B, shared bool) string {
	b.Helper()
	path := filepath.Join(b.TempDir(), "book.xlsx")
	f, err := os.Create(path)
	if err != nil {
		b.Fatal(err)
	}
	z := zip.NewWriter(f)
	part := func(name string) io.Writer {
		w, err := z.Create(name)
		if err != nil {
			b.Fatal(err)
		}
		return w
	}
	const head = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>` + "\n"
	const main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
	const links = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
	fmt.Fprint(part("[Content_Types].xml"), head, `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/><Override PartName="/xl/sharedStrings.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sharedStrings+xml"/></Types>`)
	fmt.Fprintf(part("_rels/.rels"), head+`<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="%s/officeDocument" Target="xl/workbook.xml"/></Relationships>`, links)
	fmt.Fprintf(part("xl/workbook.xml"), head+`<workbook xmlns="%s" xmlns:r="%s"><sheets><sheet name="Harvest" sheetId="1" r:id="r1"/></sheets></workbook>`, main, links)
	fmt.Fprintf(part("xl/_rels/workbook.xml.rels"), head+`<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="%s/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="%s/sharedStrings" Target="sharedStrings.xml"/></Relationships>`, links, links)
	w := part("xl/worksheets/sheet1.xml")
	fmt.Fprintf(w, head+`<worksheet xmlns="%s"><sheetData>`, main)
	const texts = 5000
	for r := range rows {
		fmt.Fprintf(w, `<row r="%d">`, r+1)
		for c := range columns {
			at := fmt.Sprintf("%c%d", 'A'+c, r+1)
			switch {
			case r > 0 && c%2 == 1:
				fmt.Fprintf(w, `<c r="%s"><v>%d.%d</v></c>`, at, r*7%9973, 1+c%9)
			case shared:
				fmt.Fprintf(w, `<c r="%s" t="s"><v>%d</v></c>`, at, (r*31+c)%texts)
			default:
				fmt.Fprintf(w, `<c r="%s" t="inlineStr"><is><t>apiary %d</t></is></c>`, at, (r*31+c)%texts)
			}
		}
		fmt.Fprint(w, `</row>`)
	}
	fmt.Fprint(w, `</sheetData></worksheet>`)
	w = part("xl/sharedStrings.xml")
	fmt.Fprintf(w, head+`<sst xmlns="%s">`, main)
	for i := range texts {
		fmt.Fprintf(w, `<si><t>apiary %d</t></si>`, i)
	}
	fmt.Fprint(w, `</sst>`)
	if z.Close() != nil || f.Close() != nil {
		b.Fatal("not written")
	}
	return path
}

func ours(b *testing.B, path string) (cells int) {
	f, err := os.Open(path)
	if err != nil {
		b.Fatal(err)
	}
	defer f.Close()
	info, _ := f.Stat()
	book, err := sheet.Open(path, f, info.Size())
	if err != nil {
		b.Fatal(err)
	}
	defer book.Close()
	all, err := book.Rows(0)
	if err != nil {
		b.Fatal(err)
	}
	defer all.Close()
	for row := (sheet.Row{}); ; {
		err := all.Next(&row)
		if err == io.EOF {
			return cells
		}
		if err != nil {
			b.Fatal(err)
		}
		cells += len(row.Cells)
	}
}

func theirs(b *testing.B, path string) (cells int) {
	f, err := excelize.OpenFile(path, excelize.Options{RawCellValue: true})
	if err != nil {
		b.Fatal(err)
	}
	defer f.Close()
	all, err := f.Rows("Harvest")
	if err != nil {
		b.Fatal(err)
	}
	defer all.Close()
	for all.Next() {
		row, err := all.Columns()
		if err != nil {
			b.Fatal(err)
		}
		cells += len(row)
	}
	return cells
}

// BenchmarkRows reads a large sheet, row by row.
func BenchmarkRows(b *testing.B) {
	for _, shared := range []bool{false, true} {
		path := workbook(b, shared)
		how := map[bool]string{false: "inline", true: "shared"}[shared]
		for name, read := range map[string]func(*testing.B, string) int{"ours": ours, "excelize": theirs} {
			b.Run(how+"/"+name, func(b *testing.B) {
				for b.Loop() {
					if n := read(b, path); n != rows*columns {
						b.Fatal(n, "cells")
					}
				}
			})
		}
	}
}
