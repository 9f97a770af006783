package format

import (
	"archive/zip"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"

	"revuelta/internal/diag"
)

// archived parts FILE.zip#MEMBER; the member is "" where none is named.
func archived(path string) (file, member string, ok bool) {
	lower := strings.ToLower(path)
	if strings.HasSuffix(lower, ".zip") {
		return path, "", true
	}
	if i := strings.Index(lower, ".zip#"); i > 0 {
		return path[:i+4], path[i+5:], true
	}
	return path, "", false
}

// member is a table in a zip, open to be read.
type zipMember struct {
	io.Reader
	name  string
	size  int64 // bytes when unpacked
	close func() error
}

// openMember opens the table that a path names in a zip, or its only one. Those that count have a format's suffix, and are
// not what a system keeps for itself.
func openMember(named string) (*zipMember, error) {
	file, want, _ := archived(named)
	if info, err := os.Stat(file); err != nil {
		return nil, FileError(file, err)
	} else if info.IsDir() {
		return nil, diag.Systemf("this is a directory").At(file, 0)
	}
	z, err := zip.OpenReader(file)
	if err != nil {
		return nil, diag.Dataf("the zip can't be read: %s", strings.TrimPrefix(err.Error(), "zip: ")).At(file, 0)
	}
	found, e := memberOf(z.File, want)
	if e != nil {
		z.Close()
		for i, t := range e.Try {
			e.Try[i] = quoteWord(file + "#" + t)
		}
		return nil, e.At(file, 0)
	}
	r, err := found.Open()
	if err != nil {
		z.Close()
		return nil, diag.Dataf("%s can't be read: %s", diag.Quote(found.Name), strings.TrimPrefix(err.Error(), "zip: ")).At(file, 0)
	}
	return &zipMember{Reader: r, name: found.Name, size: int64(found.UncompressedSize64), close: func() error { r.Close(); return z.Close() }}, nil
}

// memberOf finds a member by its name, with its folder or without, or the only one that is a table. The tries of its error are members.
func memberOf(files []*zip.File, want string) (*zip.File, *diag.Error) {
	var tables []*zip.File
	var names []string
	for _, f := range files {
		clean := strings.ReplaceAll(f.Name, `\`, "/")
		hidden := strings.HasPrefix(clean, "__MACOSX/") || strings.HasPrefix(path.Base(clean), ".")
		if strings.HasSuffix(clean, "/") || hidden || bySuffix(clean) == nil || !bySuffix(clean).Reads() {
			continue
		}
		tables, names = append(tables, f), append(names, f.Name)
	}
	chosen := tables
	if want != "" {
		chosen = slices.DeleteFunc(slices.Clone(tables), func(f *zip.File) bool { return f.Name != want })
		if len(chosen) == 0 {
			chosen = slices.DeleteFunc(slices.Clone(tables), func(f *zip.File) bool { return path.Base(f.Name) != want })
		}
	}
	switch {
	case len(tables) == 0:
		return nil, diag.Dataf("there is no table in the zip: no file in it has the suffix of a format")
	case len(chosen) == 0:
		e := diag.Dataf("there is no %s in the zip; it has %s", diag.Quote(want), diag.Names(names))
		for i, n := range names {
			if diag.Nearest(want, []string{n, path.Base(n)}) != "" {
				e.Trying(names[i])
				break
			}
		}
		return nil, e
	case len(chosen) > 1:
		return nil, diag.Dataf("the zip has several tables: %s", diag.Names(names)).Trying(names[0])
	}
	f := chosen[0]
	if slices.Contains(strings.Split(strings.ReplaceAll(f.Name, `\`, "/"), "/"), "..") || strings.HasPrefix(f.Name, "/") {
		return nil, diag.Dataf("the name %s leaves the zip's folder: this is no zip to be trusted", diag.Quote(f.Name))
	}
	if f.Flags&1 != 0 {
		return nil, diag.Dataf("%s is encrypted with a password", diag.Quote(f.Name))
	}
	if b := bySuffix(f.Name); b.tables {
		return nil, diag.Dataf("%s is %s, which is not read within a zip: unpack it first", diag.Quote(f.Name), b.Name)
	}
	return f, nil
}

// memberFormat is the format of the table that a path names in a zip.
func memberFormat(named string) (*Format, error) {
	m, err := openMember(named)
	if err != nil {
		return nil, err
	}
	defer m.close()
	f := bySuffix(m.name)
	if f == nil { // it was chosen by its suffix
		return nil, fmt.Errorf("%s: no format", m.name)
	}
	return f, nil
}
