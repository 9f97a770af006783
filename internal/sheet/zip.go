package sheet

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"io"
	"strings"

	"github.com/klauspost/compress/flate"

	"revuelta/internal/diag"
)

// archive is the zip file that a workbook is.
type archive struct {
	name  string
	z     *zip.Reader
	parts map[string]*zip.File
}

func openZip(name string, r io.ReaderAt, size int64) (*archive, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, diag.Dataf("the workbook is damaged or cut short: %v", err).At(name, 0)
	}
	z.RegisterDecompressor(zip.Deflate, func(r io.Reader) io.ReadCloser { return flate.NewReader(r) })
	a := &archive{name: name, z: z, parts: map[string]*zip.File{}}
	for _, f := range z.File {
		a.parts[strings.TrimPrefix(strings.ReplaceAll(f.Name, `\`, "/"), "/")] = f
	}
	return a, nil
}

func (a *archive) file(part string) *zip.File { return a.parts[part] }

// open opens a part, whose size must be what a file made by hand has.
func (a *archive) open(part string) (io.ReadCloser, error) {
	f := a.file(part)
	if f == nil {
		return nil, diag.Dataf("the workbook is damaged: it lacks its part %s", part).At(a.name, 0)
	}
	if f.Flags&1 != 0 {
		return nil, diag.Dataf("the workbook is encrypted").At(a.name, 0).Trying("save it without a password in an office program")
	}
	if f.UncompressedSize64 > bombSize && f.UncompressedSize64/max(1, f.CompressedSize64) > bombRatio {
		return nil, diag.Dataf("%s in it would be %d GiB, packed %d to 1: this is no workbook made by hand, and is not unpacked",
			part, f.UncompressedSize64>>30, f.UncompressedSize64/max(1, f.CompressedSize64)).At(a.name, 0)
	}
	r, err := f.Open()
	if err != nil {
		return nil, a.damaged(part, err)
	}
	return r, nil
}

// damaged is the error of a part that can't be read.
func (a *archive) damaged(part string, err error) error {
	var e *diag.Error
	if errors.As(err, &e) {
		return err
	}
	return diag.Dataf("the workbook is damaged, in %s: %v", part, err).At(a.name, 0)
}

// decode reads a small part whole; one that is not there is left as it is.
func (a *archive) decode(part string, into any) error {
	if a.file(part) == nil {
		return nil
	}
	r, err := a.open(part)
	if err != nil {
		return err
	}
	defer r.Close()
	d := xml.NewDecoder(&limited{r, mostPart})
	if err := d.Decode(into); err != nil {
		return a.damaged(part, err)
	}
	return nil
}

// limited is a reader of a part that must not be larger.
type limited struct {
	r    io.Reader
	left int64
}

func (l *limited) Read(p []byte) (int, error) {
	n, err := l.r.Read(p)
	if l.left -= int64(n); l.left < 0 {
		return n, errors.New("it is too large")
	}
	return n, err
}
