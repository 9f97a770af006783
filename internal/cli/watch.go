package cli

import (
	"context"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"

	"revuelta/internal/diag"
	"revuelta/internal/run"
	"revuelta/internal/step"
)

// settled is how long nothing must be written before a file that is being saved is read.
const settled = 80 * time.Millisecond

// watch draws, and draws anew whenever the plan or a file it reads is saved, until it is interrupted. A plan at fault is told, and
// waited for.
func (a *app) watch(ctx context.Context, c *call, draw func() (*run.Program, error)) error {
	watcher, err := fsnotify.NewWatcher()
	if err != nil {
		return diag.Systemf("files can't be watched here: %v", err)
	}
	defer watcher.Close()
	var files []string
	for first := true; ; first = false {
		p, err := draw()
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		if err != nil {
			if first && p == nil && diag.StatusOf(err) == diag.System { // there is no such plan
				return err
			}
			a.tellf("%s", a.folded(diag.Render(program, err)))
		}
		if p != nil || files == nil {
			if files, err = watched(c, p); err != nil {
				return err
			}
		}
		folders := map[string]bool{} // not the files: an editor may save to another and rename it
		for _, f := range files {
			folders[filepath.Dir(f)] = true
		}
		for f := range folders {
			if err := watcher.Add(f); err != nil && first {
				return diag.Systemf("the folder can't be watched: %v", err).At(f, 0)
			}
		}
		saved, err := next(ctx, watcher, files)
		if err != nil {
			return err
		}
		clear := "\n"
		if isTerminal(a.Out) {
			clear = "\x1b[H\x1b[2J\x1b[3J"
		}
		if err := printTo(a.Out, clear); err != nil { // whoever read it has gone
			return err
		}
		a.sayf("%s was saved\n\n", diag.Visible(filepath.Base(saved)))
	}
}

// next waits until one of some files is saved.
func next(ctx context.Context, watcher *fsnotify.Watcher, files []string) (saved string, err error) {
	var quiet <-chan time.Time
	for {
		select {
		case <-ctx.Done():
			return "", context.Cause(ctx)
		case e, ok := <-watcher.Events:
			if !ok {
				return "", diag.Systemf("files are no longer watched")
			}
			name, _ := filepath.Abs(e.Name)
			if slices.Contains(files, name) && e.Has(fsnotify.Write|fsnotify.Create|fsnotify.Rename) {
				saved, quiet = name, time.After(settled)
			}
		case err := <-watcher.Errors:
			return "", diag.Systemf("files are no longer watched: %v", err)
		case <-quiet:
			return saved, nil
		}
	}
}

// watched gives the plan and the files it reads, as whole paths.
func watched(c *call, p *run.Program) (out []string, err error) {
	var paths []string
	if !c.args.Has("step") {
		paths = append(paths, c.args.Operands[0])
	}
	if p != nil {
		for _, it := range p.Items {
			switch it := it.(type) {
			case *run.Read:
				paths = append(paths, it.Paths...)
			case *run.Apply:
				if at := it.Step.Capabilities().LooksAt; at != "" {
					paths = append(paths, at)
				}
			}
		}
	}
	for _, path := range paths {
		switch {
		case path == "-":
			return nil, diag.Usagef("standard input can't be watched").Trying("trace PLAN FILE --watch")
		case strings.HasPrefix(path, "@"):
			continue
		}
		path, _, _ = strings.Cut(path, "#") // a table of a file
		whole, err := filepath.Abs(path)
		if err != nil {
			return nil, diag.Systemf("%v", err).At(path, 0)
		}
		out = append(out, whole)
	}
	return out, nil
}

var watchOption = step.Option{Name: "watch", Help: "draw anew whenever the plan or a file it reads is saved, until interrupted"}
