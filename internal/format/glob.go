package format

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/pattern"
	"revuelta/internal/server"
)

// Expand puts the files that fit it in the place of each path with a *, ? or [ in it, in the natural order of their names; a file that
// is called so itself stays. What stands behind a # names a table or a sheet of each.
func Expand(paths []string) ([]string, error) {
	var out []string
	for _, p := range paths {
		file, part := p, ""
		if i := strings.LastIndexByte(p, '#'); i > 0 {
			file, part = p[:i], p[i:]
		}
		if server.IsAddress(p) || !strings.ContainsAny(file, "*?[") || strings.HasPrefix(p, "@") || strings.Contains(p, "://") {
			out = append(out, p)
			continue
		}
		if _, err := os.Stat(file); err == nil {
			out = append(out, p)
			continue
		}
		found, err := filepath.Glob(file)
		if err != nil {
			return nil, diag.Usagef("%s is no pattern of file names: %v", diag.Quote(file), err)
		}
		found = slices.DeleteFunc(found, func(f string) bool { info, err := os.Stat(f); return err == nil && info.IsDir() })
		if len(found) == 0 {
			return nil, diag.Systemf("no file fits %s", file)
		}
		slices.SortFunc(found, decimal.Natural)
		for _, f := range found {
			out = append(out, f+part)
		}
	}
	return out, nil
}

// stem is the name of a file without its folder and the suffixes of its format and compression.
func stem(path string) string {
	if server.IsAddress(path) || strings.HasPrefix(path, diag.Server) {
		return path[strings.LastIndexByte(path, '#')+1:]
	}
	if i := strings.LastIndexByte(path, '#'); i > 0 {
		path = path[:i]
	}
	name := filepath.Base(path)
	for _, packed := range []string{".gz", ".zst"} {
		name = strings.TrimSuffix(name, packed)
	}
	if suffix := filepath.Ext(name); suffix != name {
		name = strings.TrimSuffix(name, suffix)
	}
	return name
}

// partsOf takes fields out of the name of a file.
func partsOf(p *pattern.Pattern, path string) ([]string, error) {
	name := stem(path)
	all := make([]string, len(p.Names()))
	if !p.Matcher().Match(name, all) {
		return nil, diag.Dataf("its name, %s, does not fit --source-part %s", diag.Quote(name), diag.Quote(p.String())).At(path, 0).
			Trying("a pattern that covers the name without folder and suffix")
	}
	var out []string
	for i, n := range p.Names() {
		if n != pattern.Dropped {
			out = append(out, strings.Clone(all[i]))
		}
	}
	return out, nil
}

// ParseSourcePart reads the pattern of --source-part.
func ParseSourcePart(s string) (*pattern.Pattern, error) {
	p, err := pattern.Parse(s)
	if err != nil {
		return nil, diag.Usagef("--source-part %s: %v", diag.Quote(s), err)
	}
	if len(p.Places()) == 0 || p.Has(pattern.Measure) {
		return nil, diag.Usagef("--source-part %s has no place that names a field", diag.Quote(s)).Trying(fmt.Sprintf("--source-part %s", diag.Shell("{year:4}-{month:2}")))
	}
	return p, nil
}
