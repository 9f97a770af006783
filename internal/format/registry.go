package format

import (
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/server"
)

// Format is a format of files, described where it is read and written. What it has no function for, it does not do.
type Format struct {
	Name     string
	Suffixes []string
	Keeps    string // what comes through
	Loses    string // what does not

	begins []string                // how such a file may begin
	looks  func(begin []byte) bool // whether a text that begins so is one
	sheets bool                    // it has sheets, so --sheet and --area go with it
	tables bool                    // it has tables, named file#table
	server bool                    // they are not in files

	open   func(as, path string, o ReadOptions) ([]*oneFile, []*Input, error)
	read   func(in *opened, o ReadOptions) (*oneFile, *Input, error) // of one that was told by looks: what is open already
	sample func(as, path string, o ReadOptions) (*Sample, error)
	encode func(path string, o WriteOptions) (Encoding, error)
}

// Written is how a file or table of the format is named.
func (f *Format) Written() string {
	if f.server {
		return f.Name + "://…#TABLE"
	}
	return strings.Join(f.Suffixes, " ")
}

// Reads tells that it can be read.
func (f *Format) Reads() bool { return f.open != nil }

func (f *Format) writeOnly(path string) error {
	return diag.Usagef("%s tables are written, not read", f.Name).At(path, 0).Trying("--read-as csv")
}

// formats are all there are, in the order in which help shows them. It is filled by init, since what they do asks for it.
var formats []*Format

func init() {
	formats = []*Format{&csvFormat, &tsvFormat, &ndjsonFormat, &jsonFormat, &xlsxFormat, &odsFormat, &parquetFormat, &sqliteFormat, &serverFormat, &markdownFormat, &htmlFormat}
}

// Formats lists all formats; they are read only.
func Formats() []*Format { return formats }

// Names lists the names of the formats.
func Names() []string {
	var out []string
	for _, f := range formats {
		out = append(out, f.Name)
	}
	return out
}

// servers is the format of the tables of a server.
func servers() *Format {
	return formats[slices.IndexFunc(formats, func(f *Format) bool { return f.server })]
}

// named finds a format by the name an option gives.
func named(option, name string) (*Format, error) {
	if i := slices.IndexFunc(formats, func(f *Format) bool { return f.Name == name }); i >= 0 {
		return formats[i], nil
	}
	e := diag.Usagef("%s %s: there is no such format; there are %s", option, diag.Quote(name), strings.Join(Names(), ", "))
	if near := diag.Nearest(name, Names()); near != "" {
		e.Trying(fmt.Sprintf("%s %s", option, near))
	}
	return nil, e
}

// unknownSuffix is the error of an output with a suffix that is no format's.
func unknownSuffix(ext string) *diag.Error {
	var suffixes []string
	for _, f := range formats {
		suffixes = append(suffixes, f.Suffixes...)
	}
	e := diag.Usagef("the suffix %s is no format's; there are %s", ext, strings.Join(suffixes, " "))
	if near := diag.Nearest(ext, suffixes); near != "" {
		e.Trying("-o a file that ends in " + near)
	}
	return e.Trying("--write-as csv, whatever the file is called")
}

// bySuffix finds the format of a file name, nil where its suffix tells none.
func bySuffix(name string) *Format {
	if server.IsAddress(name) {
		return servers()
	}
	name = strings.ToLower(name)
	if file, _ := tableOf(name); file != name {
		if f := bySuffix(file); f != nil && f.tables {
			return f
		}
	}
	name = strings.TrimSuffix(strings.TrimSuffix(name, ".gz"), ".zst")
	for _, f := range formats {
		for _, s := range f.Suffixes {
			if strings.HasSuffix(name, s) {
				return f
			}
		}
	}
	return nil
}

// tableOf parts file#table.
func tableOf(path string) (file, name string) {
	if i := strings.LastIndexByte(path, '#'); i > 0 {
		return path[:i], path[i+1:]
	}
	return path, ""
}

// beginning is how many bytes tell a format.
const beginning = 16

// byBeginning finds the format of a file by how it begins, nil where that tells none.
func byBeginning(head string) *Format {
	for _, f := range formats {
		if slices.ContainsFunc(f.begins, func(begin string) bool { return strings.HasPrefix(head, begin) }) {
			return f
		}
	}
	return nil
}

// byLook finds the format of a text that names none by what it begins with, nil where it is delimited text.
func byLook(begin []byte) *Format {
	for _, f := range formats {
		if f.looks != nil && f.looks(begin) {
			return f
		}
	}
	return nil
}

// one makes of what opens one file what opens those of a path.
func one(open func(path string, o ReadOptions) (*oneFile, *Input, error)) func(string, string, ReadOptions) ([]*oneFile, []*Input, error) {
	return func(_, path string, o ReadOptions) ([]*oneFile, []*Input, error) {
		f, in, err := open(path, o)
		return []*oneFile{f}, []*Input{in}, err
	}
}
