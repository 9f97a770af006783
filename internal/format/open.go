package format

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	ucd "unicode"
	"unicode/utf8"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/ianaindex"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"revuelta/internal/diag"
	"revuelta/internal/server"
)

// probeSize is how much of the beginning of a file is looked at.
const probeSize = 1 << 20

// opened is a file of text: its first MiB in UTF-8, and what follows.
type opened struct {
	name  string
	size  int64
	probe []byte
	rest  io.Reader // nil: the probe is all
	notes []string
	found string // encoding
	close func() error

	relaid *relaid // lays the text out anew; nil: it is read as it is
}

// FileError is the error of a file that can't be opened or read.
func FileError(name string, err error) *diag.Error {
	text := err.Error()
	var pe *fs.PathError
	if errors.As(err, &pe) {
		text = pe.Err.Error()
	}
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return missing(name, err)
	case errors.Is(err, fs.ErrPermission):
		text = "no permission"
	case errors.Is(err, syscall.EISDIR):
		text = "this is a directory, not a file"
	case errors.Is(err, syscall.ENOSPC):
		text = "the disk is full"
	}
	e := diag.Systemf("%s", text)
	e.Cause = err
	e.File = name
	return e
}

// missing is the error of a file that is not there. It names one beside it that is much like it.
func missing(name string, err error) *diag.Error {
	e := diag.Systemf("there is no such file")
	e.Cause, e.File = err, name
	folder, file := filepath.Split(name)
	if folder == "" {
		folder = "."
	}
	if kind, rest, ok := strings.Cut(name, ":"); ok && strings.Contains(rest, "#") || strings.Contains(rest, "//") {
		if at := strings.LastIndexByte(rest, '@'); at > 0 && strings.HasPrefix(rest, "//") { // who is meant is nobody's business
			e.File = kind + "://…" + rest[at:]
		}
		if near := diag.Nearest(kind, []string{"postgres"}); near != "" {
			var told *diag.Error
			if _, err := server.Parse(near + ":" + rest); errors.As(err, &told) {
				return told
			}
			return e.Trying("did you mean " + near + ":" + rest + "?")
		}
		if strings.HasPrefix(rest, "//") && strings.Contains(rest, "#") {
			e.Text = "this is no file, and of servers only the tables of PostgreSQL are read"
			return e.Trying("postgres://HOST/DATABASE#TABLE")
		}
	}
	if strings.Contains(name, "://") {
		e.Text = "this is an address, and nothing is read from the network"
		return e.Trying("fetch it into a file first")
	}
	entries, unread := os.ReadDir(folder)
	if errors.Is(unread, fs.ErrNotExist) {
		e.Text = "there is no folder " + filepath.Clean(folder)
		return e
	}
	var names []string
	for _, x := range entries {
		if !x.IsDir() {
			names = append(names, x.Name())
		}
	}
	if near := diag.Nearest(file, names); near != "" {
		e.Trying(fmt.Sprintf("did you mean %s?", filepath.Join(filepath.Dir(name), near)))
	}
	return e
}

// formatOf finds the format of a file: as it was given, else by the suffix of its name, else by how
// it begins; nil where that tells none. What it reads of standard input is put back.
func formatOf(path string, o *ReadOptions) (*Format, error) {
	if f := servers(); server.IsAddress(path) && (o.As == "" || o.As == f.Name) {
		return f, nil
	}
	if o.As != "" {
		return named("--read-as", o.As)
	}
	if _, _, zipped := archived(path); zipped {
		return memberFormat(path)
	}
	if f := bySuffix(path); f != nil {
		return f, nil
	}
	if path == "-" {
		head, _, err := readProbe(o.Stdin, beginning)
		if err != nil {
			return nil, FileError("standard input", err)
		}
		o.Stdin = io.MultiReader(bytes.NewReader(head), o.Stdin)
		return byBeginning(string(head)), nil
	}
	// A pipe must not be opened twice: its writer would lose its reader.
	if info, err := os.Stat(path); err != nil || !info.Mode().IsRegular() {
		return nil, nil // what is wrong is told when it is read as text
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, nil
	}
	defer f.Close()
	head := make([]byte, beginning)
	n, _ := f.Read(head)
	return byBeginning(string(head[:n])), nil
}

// open opens a file, undoes compression and finds out the encoding.
func open(path string, o ReadOptions) (*opened, error) {
	f := &opened{name: path, close: func() error { return nil }}
	var r io.Reader
	if path == "-" {
		f.name, r = "standard input", o.Stdin
	} else if _, _, zipped := archived(path); zipped {
		m, err := openMember(path)
		if err != nil {
			return nil, err
		}
		r, f.size, f.close = m, m.size, m.close
	} else {
		file, err := os.Open(path)
		if err != nil {
			return nil, FileError(path, err)
		}
		info, err := file.Stat()
		if err == nil && info.IsDir() {
			err = syscall.EISDIR
		}
		if err != nil {
			file.Close()
			return nil, FileError(path, err)
		}
		if info.Mode().IsRegular() {
			f.size = info.Size()
		}
		r, f.close = file, file.Close
	}
	if err := f.begin(r, path, o); err != nil {
		f.close()
		return nil, err
	}
	return f, nil
}

// more reads more of the beginning.
func (f *opened) more(size int) error {
	if f.rest == nil {
		return nil
	}
	text, all, err := readProbe(f.rest, size)
	if err != nil {
		return f.readError(err)
	}
	f.probe = append(f.probe, text...)
	if all {
		f.rest = nil
	}
	return nil
}

// begin reads the beginning and prepares the rest.
func (f *opened) begin(r io.Reader, path string, o ReadOptions) error {
	r, err := f.decompress(r, path)
	if err != nil {
		return err
	}
	most := probeSize
	if o.probe > 0 {
		most = o.probe
	}
	size := most
	if 0 < f.size && f.size < int64(most) && r != nil {
		size = int(f.size) + 1
	}
	raw, all, err := readProbe(r, size)
	if err != nil {
		return f.readError(err)
	}
	empty := diag.Dataf("the file is empty: there is no header").At(f.name, 0)
	if len(raw) == 0 {
		return empty
	}
	enc, err := f.encoding(raw, all, o)
	if err != nil {
		return err
	}
	if enc == nil { // UTF-8
		f.probe = bytes.TrimPrefix(raw, []byte("\uFEFF"))
		if !all {
			f.rest = r
		} else if len(f.probe) == 0 {
			return empty
		}
		return nil
	}
	var whole io.Reader = bytes.NewReader(raw)
	if !all {
		whole = io.MultiReader(whole, r)
	}
	text := transform.NewReader(whole, enc.NewDecoder())
	f.probe, all, err = readProbe(text, most)
	if err != nil {
		return f.readError(err)
	}
	f.probe = bytes.TrimPrefix(f.probe, []byte("\uFEFF"))
	if !all {
		f.rest = text
	} else if len(f.probe) == 0 {
		return empty
	}
	return nil
}

// decompress undoes .gz and .zst, told by suffix or, for standard input, by content.
func (f *opened) decompress(r io.Reader, path string) (io.Reader, error) {
	lower := strings.ToLower(path)
	gz, zst := strings.HasSuffix(lower, ".gz"), strings.HasSuffix(lower, ".zst")
	if path == "-" {
		magic, _, err := readProbe(r, 4)
		if err != nil {
			return nil, f.readError(err)
		}
		gz, zst = bytes.HasPrefix(magic, []byte{0x1f, 0x8b}), bytes.Equal(magic, []byte{0x28, 0xb5, 0x2f, 0xfd})
		r = io.MultiReader(bytes.NewReader(magic), r)
	}
	switch {
	case gz:
		f.size = 0
		z, err := gzip.NewReader(r)
		if err != nil {
			return nil, diag.Dataf("this is no gzip file, or a damaged one: %v", err).At(f.name, 0)
		}
		return z, nil
	case zst:
		f.size = 0
		z, err := zstd.NewReader(r, zstd.WithDecoderConcurrency(2))
		if err != nil {
			return nil, diag.Dataf("this is no zstd file, or a damaged one: %v", err).At(f.name, 0)
		}
		inner := f.close
		f.close = func() error { z.Close(); return inner() }
		return z, nil
	}
	return r, nil
}

// readError tells a damaged file from a system that would not.
func (f *opened) readError(err error) error {
	if errors.Is(err, gzip.ErrChecksum) || errors.Is(err, gzip.ErrHeader) || errors.Is(err, io.ErrUnexpectedEOF) ||
		errors.Is(err, zstd.ErrCRCMismatch) || errors.Is(err, zstd.ErrMagicMismatch) {
		return diag.Dataf("the compressed file is damaged or cut short: %v", err).At(f.name, 0)
	}
	var pe *fs.PathError
	if !errors.As(err, &pe) && f.size == 0 && f.name != "standard input" {
		return diag.Dataf("the file is damaged: %v", err).At(f.name, 0)
	}
	return FileError(f.name, err)
}

// readProbe reads up to size bytes; all tells that there are no more.
func readProbe(r io.Reader, size int) (data []byte, all bool, err error) {
	data = make([]byte, size)
	n, err := io.ReadFull(r, data)
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) && n < size {
		// A cut gzip stream says so too: the next read tells the two apart.
		if _, again := r.Read(make([]byte, 1)); again != nil && !errors.Is(again, io.EOF) {
			return nil, false, again
		}
		return data[:n], true, nil
	}
	return data[:n], false, err
}

// encoding finds the encoding of a file; nil is UTF-8.
func (f *opened) encoding(raw []byte, all bool, o ReadOptions) (encoding.Encoding, error) {
	if o.Encoding != "" {
		enc, err := namedEncoding(o.Encoding)
		f.found = o.Encoding
		return enc, err
	}
	f.found = "utf-8"
	switch {
	case bytes.HasPrefix(raw, []byte{0xff, 0xfe}):
		f.found = "utf-16le"
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), nil
	case bytes.HasPrefix(raw, []byte{0xfe, 0xff}):
		f.found = "utf-16be"
		return unicode.UTF16(unicode.BigEndian, unicode.UseBOM), nil
	}
	if i := bytes.IndexByte(raw, 0); i >= 0 {
		enc, name := utf16WithoutMark(raw)
		if enc == nil {
			return nil, diag.Dataf("byte %d is NUL: this is a binary file, not text", i+1).At(f.name, 0).
				Trying("--encoding utf-16le if it is text from an office program")
		}
		f.found = name
		f.notes = append(f.notes, "read as "+strings.ToUpper(name)+": NUL bytes stand where UTF-16 has them, without its mark")
		return enc, nil
	}
	whole := raw
	if !all {
		whole = wholeCharacters(raw)
	}
	if !utf8.Valid(whole) {
		f.found = "windows-1252"
		f.notes = append(f.notes, told(whole))
		return charmap.Windows1252, nil
	}
	return nil, nil
}

// wholeCharacters is UTF-8 without the last character, where that is cut.
func wholeCharacters(text []byte) []byte {
	for i := 1; i < utf8.UTFMax && i <= len(text); i++ {
		if last := text[len(text)-i:]; utf8.RuneStart(last[0]) {
			if !utf8.FullRune(last) {
				return text[:len(text)-i]
			}
			break
		}
	}
	return text
}

// utf16WithoutMark tells UTF-16 by its NUL bytes: most stand on the side of the letters, digits and separators of ASCII, and
// what the text is then can be read: it has lines, and no characters that no text has.
func utf16WithoutMark(raw []byte) (encoding.Encoding, string) {
	sample := raw[:min(len(raw), 4096)&^1]
	var sides [2]int
	for i, b := range sample {
		if b == 0 {
			sides[i%2]++
		}
	}
	enc, name := unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM), "utf-16le"
	if sides[0] > sides[1] {
		enc, name = unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM), "utf-16be"
	}
	text, err := enc.NewDecoder().Bytes(sample)
	if err != nil {
		return nil, ""
	}
	odd, all, lines := 0, 0, false
	for _, r := range string(text) {
		switch {
		case r == '\n' || r == '\r':
			lines = true
		case r != '\t' && !ucd.In(r, ucd.GraphicRanges...) && !ucd.Is(ucd.Cf, r):
			odd++
		}
		all++
	}
	if !lines || odd > 1+all/100 { // a character may be cut off at the end
		return nil, ""
	}
	return enc, name
}

// namedEncoding finds an encoding by name; nil is UTF-8.
func namedEncoding(name string) (encoding.Encoding, error) {
	key := strings.ToLower(strings.TrimSpace(name))
	switch key {
	case "utf-8", "utf8":
		return nil, nil
	case "utf-16":
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), nil
	case "cp850":
		return charmap.CodePage850, nil
	case "cp437":
		return charmap.CodePage437, nil
	}
	if enc, err := htmlindex.Get(key); err == nil {
		return enc, nil
	}
	if enc, err := ianaindex.IANA.Encoding(key); err == nil && enc != nil {
		return enc, nil
	}
	return nil, diag.Usagef("--encoding %s: there is no such encoding", diag.Quote(name)).
		Trying("--encoding windows-1252", "--encoding utf-16le", "--encoding cp850")
}
