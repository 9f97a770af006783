package format

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"

	"revuelta/internal/diag"
	"revuelta/internal/server"
)

// Output is a file that comes to be whole or not at all: it is written under a
// temporary name beside its target, and takes the target's place at Commit. What is
// no regular file (a device, a pipe) is written directly.
type Output struct {
	Name string // as messages name it

	target string // with links followed
	temp   string // "": written directly
	file   *os.File
	w      io.Writer
	closer io.Closer // of the compression
	done   bool

	link  *server.Transaction // the table is one of a server
	table *server.Address
}

// Outputs are those of one run. What of them lies on a server is in one transaction.
type Outputs struct{ link server.Transaction }

// Create begins an output: a file, or a table of a server.
func (all *Outputs) Create(path string) (*Output, error) {
	if !server.IsAddress(path) {
		return Create(path)
	}
	a, err := server.Parse(path)
	if err != nil {
		return nil, err
	}
	return &Output{Name: a.Name(), link: &all.link, table: a}, nil
}

// OnServer tells that the output is a table of a server, which comes to stay before any file does.
func (o *Output) OnServer() bool { return o.link != nil }

// begun are the temporary names of outputs that are neither committed nor aborted. Once the first output of a run takes its
// target's place the others will too, and nothing is abandoned any more.
var begun struct {
	sync.Mutex
	temps      map[string]bool
	committing bool
}

// Abandon takes away what outputs have begun, for a program that ends while they are written; false where they are about to
// take their places, which is to be waited for.
func Abandon() bool {
	begun.Lock()
	defer begun.Unlock()
	if begun.committing {
		return false
	}
	for temp := range begun.temps {
		os.Remove(temp)
	}
	server.Abandon()
	return true
}

// Committing tells that the outputs of a run take their places from now on, or have taken them.
func Committing(now bool) {
	begun.Lock()
	defer begun.Unlock()
	begun.committing = now
}

func (o *Output) track(now bool) {
	if o.temp == "" {
		return
	}
	begun.Lock()
	defer begun.Unlock()
	if begun.temps == nil {
		begun.temps = map[string]bool{}
	}
	if now {
		begun.temps[o.temp] = true
	} else {
		delete(begun.temps, o.temp)
	}
}

// Create begins an output file.
func Create(path string) (*Output, error) {
	if server.IsAddress(path) {
		return nil, diag.Usagef("a table of a server is written by -o and write, and stands for no other file").At(NameOf(path), 0)
	}
	o := &Output{Name: path}
	path = FileOf(path)
	var err error
	if o.target, err = followed(path); err != nil {
		return nil, FileError(path, err)
	}
	mode := os.FileMode(0o666)
	info, err := os.Stat(o.target)
	switch {
	case err == nil && info.IsDir():
		return nil, diag.Systemf("this is a directory: name a file in it").At(path, 0)
	case err == nil && !info.Mode().IsRegular():
		if o.file, err = os.OpenFile(o.target, os.O_WRONLY, 0); err != nil {
			return nil, FileError(path, err)
		}
	default:
		exists := err == nil
		if exists {
			mode = info.Mode().Perm()
		}
		clearLeftovers(o.target)
		if err = o.makeTemp(mode); err != nil {
			if os.IsNotExist(err) {
				return nil, diag.Systemf("there is no folder %s to write it to", diag.Quote(filepath.Dir(path))).At(path, 0).Trying("make the folder first")
			}
			return nil, FileError(path, err)
		}
		if exists {
			o.file.Chmod(mode)
		}
	}
	o.w = o.file
	switch lower := strings.ToLower(path); {
	case strings.HasSuffix(lower, ".gz"):
		z := gzip.NewWriter(o.file)
		o.w, o.closer = z, z
	case strings.HasSuffix(lower, ".zst"):
		z, err := zstd.NewWriter(o.file, zstd.WithEncoderConcurrency(1))
		if err != nil {
			o.Abort()
			return nil, FileError(path, err)
		}
		o.w, o.closer = z, z
	}
	return o, nil
}

// makeTemp makes the temporary file.
func (o *Output) makeTemp(mode os.FileMode) (err error) {
	for {
		random := make([]byte, 6)
		rand.Read(random)
		o.temp = filepath.Join(filepath.Dir(o.target), "."+filepath.Base(o.target)+"."+hex.EncodeToString(random)+".part")
		o.track(true)
		if o.file, err = os.OpenFile(o.temp, os.O_WRONLY|os.O_CREATE|os.O_EXCL, mode); err != nil {
			o.track(false)
			return err
		}
		if hold(o.file) {
			return nil
		}
		o.track(false)
		o.file.Close()
	}
}

// followed is what a path leads to through links, the last of which may lead to a file that is to be made.
func followed(path string) (string, error) {
	for range 40 {
		if real, err := filepath.EvalSymlinks(path); err == nil {
			return real, nil
		}
		to, err := os.Readlink(path)
		if err != nil {
			return path, nil
		}
		if !filepath.IsAbs(to) {
			folder, err := filepath.EvalSymlinks(filepath.Dir(path))
			if err != nil {
				return path, nil
			}
			to = filepath.Join(folder, to)
		}
		path = to
	}
	return "", &os.PathError{Op: "open", Path: path, Err: errors.New("links lead in a circle")}
}

// Write writes to the file.
func (o *Output) Write(p []byte) (int, error) {
	if o.link != nil {
		return 0, diag.Systemf("a table of a server takes rows alone").At(o.Name, 0)
	}
	n, err := o.w.Write(p)
	if err != nil {
		return n, FileError(o.Name, err)
	}
	return n, nil
}

// Finish ends the writing; nothing has taken the target's place yet.
func (o *Output) Finish() error {
	if o.link != nil {
		return nil
	}
	if o.closer != nil {
		if err := o.closer.Close(); err != nil {
			return FileError(o.Name, err)
		}
	}
	if o.temp != "" {
		// Else a power cut after the rename could leave an empty file. Not every file system can.
		if err := o.file.Sync(); err != nil && !errors.Is(err, errors.ErrUnsupported) && !errors.Is(err, syscall.EINVAL) {
			return FileError(o.Name, err)
		}
		if openUntilCommit {
			return nil
		}
	}
	if err := o.file.Close(); err != nil {
		return FileError(o.Name, err)
	}
	return nil
}

// Commit puts the finished file in its target's place.
func (o *Output) Commit() error {
	if o.link != nil {
		err := o.link.Commit()
		o.done = err == nil
		return err
	}
	if o.temp != "" {
		if err := os.Rename(o.temp, o.target); err != nil {
			return FileError(o.Name, err)
		}
		if openUntilCommit {
			o.file.Close()
		}
		syncFolder(filepath.Dir(o.target))
	}
	o.done = true
	o.track(false)
	return nil
}

// Abort takes the file away, unless it was committed.
func (o *Output) Abort() {
	if o.done {
		return
	}
	if o.link != nil {
		o.link.Abort()
		return
	}
	o.file.Close()
	if o.temp != "" {
		os.Remove(o.temp)
	}
	o.track(false)
}

// FileOf is the file of a path, which may name a table in a database behind it.
func FileOf(path string) string {
	if server.IsAddress(path) {
		return path
	}
	if f := bySuffix(path); f != nil && f.tables {
		path, _ = tableOf(path)
	}
	if file, _, zipped := archived(path); zipped {
		return file
	}
	return path
}

// WouldLose is the error of an output onto a file that is read.
func WouldLose(path string) *diag.Error {
	return diag.Usagef("%s is read here: writing onto it would lose what it holds now", path)
}

// globSafe is a path as a glob has it.
func globSafe(path string) string {
	return strings.NewReplacer("*", `\*`, "?", `\?`, "[", `\[`, `\`, `\\`).Replace(path)
}

// SameFile reports whether two paths are one file.
func SameFile(a, b string) bool {
	ia, err := os.Stat(a)
	if err != nil {
		return false
	}
	ib, err := os.Stat(b)
	return err == nil && os.SameFile(ia, ib) && ia.Mode().IsRegular()
}

// NewEncoding finds how a table is written to a path by the options.
func NewEncoding(path string, o WriteOptions) (Encoding, error) {
	if _, _, zipped := archived(path); zipped {
		return nil, diag.Usagef("a zip is read, and not written").At(path, 0).Trying("-o harvest.csv.gz")
	}
	f := bySuffix(path)
	if o.As != "" {
		var err error
		if f, err = named("--write-as", o.As); err != nil {
			return nil, err
		}
		if !f.server && server.IsAddress(path) {
			return nil, diag.Usagef("--write-as %s: a table of a server is rows, and no file", o.As)
		}
	}
	if f == nil {
		plain := strings.TrimSuffix(strings.TrimSuffix(path, ".gz"), ".zst")
		if ext := filepath.Ext(plain); len(ext) > 1 && !strings.HasPrefix(filepath.Base(plain), ".") {
			return nil, unknownSuffix(ext).At(path, 0)
		}
		f = &csvFormat
	}
	if f.Name != "csv" && f.Name != "tsv" && (o.Delimiter != "" || o.Decimal != "") {
		return nil, diag.Usagef("--write-delimiter and --write-decimal go with csv and tsv, and this is %s", f.Name)
	}
	if !f.server && (o.Add || o.AsText) {
		return nil, diag.Usagef("--add and --as-text go with a table of a server, and this is %s", f.Name)
	}
	if o.Typed && f.Name != "json" && f.Name != "ndjson" {
		return nil, diag.Usagef("--typed goes with json and ndjson, and this is %s", f.Name)
	}
	return f.encode(path, o)
}
