// Package demo holds the demo data: the exports of a made-up honey growers'
// cooperative, and the commands that make tidy tables of them.
package demo

import (
	"bytes"
	"embed"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"revuelta/internal/diag"
	"revuelta/internal/format"
)

//go:embed data
var data embed.FS

// Scene is a command of the demo and why it is run.
type Scene struct {
	Why     string
	Command string // as typed, in the folder with the data
}

// Scenes are the demo, in order.
var Scenes = []Scene{
	{"Look first: how the sheet lies, what is untidy, and the command that mends it.",
		"revuelta look harvest.csv"},
	{"The cooperative's harvest sheet: a field for each month and measure.",
		"revuelta convert harvest.csv"},
	{"One row for each colony and month. {month} becomes a field, {@} names the values.",
		"revuelta unpivot '{month} {@:kilos|jars}' harvest.csv"},
	{"The same as a plan to run again next month: apiary and keeper stand only above\ntheir colonies, and months without a harvest are left out.",
		"revuelta run season.plan"},
	{"A table to read: kilos by apiary and month, with totals worked out from the rows.",
		"revuelta pivot --down apiary --across month --cell 'sum(kilos)' --totals both tidy.csv"},
	{"A printed yearbook: titles above, a header of two rows, decimal commas, NA, notes below.\nThe row whose weight is no number goes to a file of its own, with the reason.",
		"revuelta run yearbook.plan --set-aside aside.csv"},
	{"What did not fit.",
		"revuelta fields 'line,field,cell,reason' aside.csv"},
	{"Mites before and after each round of treatment.",
		"revuelta run mites.plan"},
	{"The members' survey: coded questions become domains, and their means.",
		"revuelta run survey.plan"},
	{"A hive's tag holds four facts. A pattern takes it apart, in its place.",
		"revuelta split tag '{apiary}-{stand:#}/{queen:4} {colour}' hives.csv"},
	{"The keeper's names put together, blanks passed over.",
		"revuelta combine 'given,surname' --with ' ' --as keeper hives.csv"},
	{"Several plants in one cell: a row for each, then counted.",
		"revuelta run forage.plan"},
	{"A supplier list with JSON in its cells. The cell that is broken is put aside.",
		"revuelta explode offers --json --pick 'item=$.item, price=$.price' --set-aside faulty.csv suppliers.csv"},
	{"The hive book: a form of three rows for each colony and visit, read through a stencil.",
		"revuelta stencil 'mites queen . / brood honey . / note . .' --side colony --top date inspection.csv"},
	{"A workbook made by hand: titles, a header of two rows over merged cells, notes below.",
		"revuelta convert --sheet Harvest --header auto --foot auto cooperative.xlsx"},
	{"From its sheet to a workbook that a colleague can open: a row for each colony and month.",
		"revuelta run workbook.plan"},
	{"The form on another sheet: labels hold for their merged cells.",
		"revuelta stencil 'mites queen brood / note . .' --side colony --top date --sheet 'Hive book' --body 3 cooperative.xlsx"},
	{"Twelve sheets of sales, one beneath another.",
		"revuelta group --by 'month(date)' --calc 'sum(jars)' --calc 'sum(jars * price) as income' --sheet '2024-*' cooperative.xlsx"},
	{"The yearbook once more, with a page for somebody who was not there: open report.html\nin a browser to see what became of every row.",
		"revuelta run yearbook.plan --set-aside aside.csv --overwrite --report report.html"},
}

// Files lists the names of the demo's files.
func Files() []string {
	var out []string
	entries, err := fs.ReadDir(data, "data")
	if err != nil {
		panic("demo: " + err.Error()) // they are built in
	}
	for _, e := range entries {
		out = append(out, e.Name())
	}
	return out
}

// Read gives a file of the demo.
func Read(name string) []byte {
	b, err := fs.ReadFile(data, "data/"+name)
	if err != nil {
		panic("demo: " + err.Error()) // they are built in
	}
	return b
}

// Write writes the files into a folder, making it where it is not there. A
// file of that name with other contents is an error, and nothing is written.
func Write(dir string) error {
	for _, name := range Files() {
		old, err := os.ReadFile(filepath.Join(dir, name))
		if err == nil && !bytes.Equal(old, Read(name)) {
			return diag.Systemf("a file of this name with other contents is there").At(filepath.Join(dir, name), 0).Trying("revuelta demo ANOTHER-FOLDER")
		}
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return format.FileError(filepath.Join(dir, name), err)
		}
	}
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return format.FileError(dir, err)
	}
	for _, name := range Files() {
		if err := os.WriteFile(filepath.Join(dir, name), Read(name), 0o666); err != nil {
			return format.FileError(filepath.Join(dir, name), err)
		}
	}
	return nil
}
