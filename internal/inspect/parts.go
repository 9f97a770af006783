package inspect

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/selection"
	"revuelta/internal/table"
)

// severalTables asks which table of a database is meant.
func (r *Report) severalTables(path string) {
	parts := r.Sample.Parts
	most := slices.MaxFunc(parts, func(a, b format.Part) int { return cmp.Compare(a.Rows, b.Rows) })
	r.Findings = []Finding{{
		Kind: "tables", Part: Decide, Says: fmt.Sprintf("the database has %s", diag.Plural(int64(len(parts)), "table")), Question: "which one is meant?",
		Command: "revuelta look " + Shell(path+"#"+most.Name),
	}}
}

// alikeSheets finds sheets with the same fields, which may be one table.
func (r *Report) alikeSheets(path string, o format.ReadOptions) {
	if o.Sheet != "" || o.Area != "" {
		return
	}
	kin := func(a, b format.Part) bool {
		return !a.Hidden && !b.Hidden && a.Fields > 1 && slices.Equal(a.Names, b.Names) && slices.Equal(a.Header, b.Header) && a.Notes == b.Notes
	}
	var alike []format.Part
	for i, first := range r.Sample.Parts {
		var these []format.Part
		for _, p := range r.Sample.Parts[i:] {
			if kin(first, p) {
				these = append(these, p)
			}
		}
		if len(these) > len(alike) {
			alike = these
		}
	}
	if len(alike) < 2 {
		return
	}
	var names []string
	for _, p := range alike {
		names = append(names, p.Name)
	}
	first := alike[0]
	f := Finding{Kind: "alike sheets", Part: Decide, Says: fmt.Sprintf("%s have the same fields: %s", diag.Plural(int64(len(alike)), "sheet"), diag.Names(names)), Question: "are they one table?"}
	if glob := globOf(names, r.Sample.Parts); glob != "" && !slices.Contains(first.Names, "sheet") {
		f.Command = "revuelta convert --sheet " + Shell(glob) + " --source sheet"
		if len(first.Header) > 0 && first.Header[1] > 1 {
			f.Command += " --header " + format.Header{Kind: format.HeaderRows, From: first.Header[0], To: first.Header[1]}.Option()
		}
		if first.Notes > 0 {
			f.Command += fmt.Sprintf(" --foot %d", first.Notes)
		}
		all := format.ReadOptions{Sheet: glob, Foot: first.Notes}
		if strings.Contains(f.Command, " --header ") {
			all.Header = format.Header{Kind: format.HeaderRows, From: first.Header[0], To: first.Header[1]}
		}
		if tried(path, all, 20_000) != nil { // one of them can't be read so
			return
		}
		f.Command += " " + Shell(path)
	}
	r.Findings = append(r.Findings, f)
}

// tried reads so many rows of a file, and gives the fault that stops it.
func tried(path string, o format.ReadOptions, most int) error {
	src, err := format.Open([]string{path}, o)
	if err != nil {
		return err
	}
	defer src.Close()
	enough := errors.New("enough is read")
	err = format.Each(src, func(b *table.Batch) error {
		if most -= b.Rows; most <= 0 {
			return enough
		}
		return nil
	})
	if err == enough {
		return nil
	}
	return err
}

// globOf is a glob that fits these sheets and no other, "" where there is no short one.
func globOf(these []string, all []format.Part) string {
	prefix, suffix := these[0], these[0]
	for _, n := range these[1:] {
		for !strings.HasPrefix(n, prefix) {
			prefix = prefix[:len(prefix)-1]
		}
		for !strings.HasSuffix(n, suffix) {
			suffix = suffix[1:]
		}
	}
	for _, glob := range []string{"*", prefix + "*", "*" + suffix} {
		fits, n := selection.Glob(glob), 0
		for _, p := range all {
			if fits.MatchString(p.Name) && !p.Empty {
				if n++; !slices.Contains(these, p.Name) {
					n = -len(all)
				}
			}
		}
		if n == len(these) {
			return glob
		}
	}
	return ""
}
