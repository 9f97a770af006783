package inspect

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
)

// The parts that findings stand in.
const (
	Safe   = "safe"   // what is proposed was run on the sample, and loses nothing
	Decide = "decide" // rows leave, values merge or readings differ: somebody must say
	Told   = "told"   // nothing is proposed
)

// Table is what steps make of the rows that are looked at; without names, a sheet as it lies.
type Table struct {
	Names []string
	Rows  [][]string
}

// Prover runs steps, as lines of a plan, on a table in memory.
type Prover func(steps string, in Table) (Table, error)

// claim says what must be true of what a finding's steps make of the sample; it gives what is not.
type claim func(before, after Table) error

// mostProved bounds how many cells a proposal is run on.
const mostProved = 20_000

// prove runs what findings propose on the rows that are looked at. What does not run, or does not keep its claim, is told without
// a command; what loses nothing by its claim is safe.
func (s *sample) prove(run Prover, findings []Finding) {
	if run == nil {
		return
	}
	for i := range findings {
		f := &findings[i]
		if f.Step == "" {
			continue
		}
		before := s.around(f)
		after, err := run(f.Step, before)
		if err == nil && f.claim != nil {
			err = f.claim(before, after)
		}
		if err != nil {
			f.Part, f.Step = Told, ""
			f.refuted = err
			continue
		}
		if f.Part == "" {
			f.Part = Safe
		}
	}
}

// around is the part of the sample that a finding's steps are run on: its fields and a few more, or all where it names none.
func (s *sample) around(f *Finding) Table {
	const others = 3
	wanted := map[string]bool{}
	for _, n := range f.Fields {
		wanted[n] = true
	}
	for _, names := range f.folds {
		for _, n := range names {
			wanted[n] = true
		}
	}
	t := Table{Names: s.lie.Names, Rows: s.rows}
	if len(wanted) > 0 && !f.whole {
		var at []int
		more := others
		for i, n := range s.lie.Names {
			if wanted[n] {
				at = append(at, i)
			} else if more > 0 {
				at = append(at, i)
				more--
			}
		}
		t = Table{}
		for _, i := range at {
			t.Names = append(t.Names, s.lie.Names[i])
		}
		for _, row := range s.rows[:min(len(s.rows), rowsProved(len(at)))] {
			some := make([]string, len(at))
			for k, i := range at {
				some[k] = row[i]
			}
			t.Rows = append(t.Rows, some)
		}
	}
	if f.folds != nil {
		t.Rows = t.Rows[:min(len(t.Rows), 30)] // what folds does so in every row
	}
	t.Rows = t.Rows[:min(len(t.Rows), rowsProved(len(t.Names)))]
	return t
}

func rowsProved(fields int) int { return max(30, mostProved/max(1, fields)) }

// proveForm runs what takes a form apart on the sheet as it lies.
func (r *Report) proveForm(run Prover) {
	if run == nil {
		return
	}
	in, width := Table{}, 0
	for _, row := range r.Sample.First[r.Sample.Body:] {
		width = max(width, len(row.Cells))
	}
	for _, row := range r.Sample.First[r.Sample.Body:] {
		in.Rows = append(in.Rows, append(slices.Clone(row.Cells), make([]string, width-len(row.Cells))...))
	}
	for i := range r.Findings {
		f := &r.Findings[i]
		after, err := run(f.Step, in)
		if err == nil {
			err = f.claim(in, after)
		}
		if err != nil {
			f.Part, f.Step, f.Question = Told, "", "stencil takes forms apart, but not as it stands here"
		}
	}
}

// fromSheet claims that each cell stands in the sheet.
func fromSheet(before, after Table) error {
	there := map[string]bool{"": true}
	for _, row := range before.Rows {
		for _, c := range row {
			there[c] = true
		}
	}
	for _, row := range after.Rows {
		for _, c := range row {
			if !there[c] {
				return fmt.Errorf("%s is made up", diag.Quote(c))
			}
		}
	}
	if len(after.Rows) == 0 {
		return fmt.Errorf("no rows come out")
	}
	return nil
}

// cellsOf gives the cells of a field.
func (t *Table) cellsOf(name string) ([]string, bool) {
	i := slices.Index(t.Names, name)
	if i < 0 {
		return nil, false
	}
	out := make([]string, len(t.Rows))
	for r, row := range t.Rows {
		out[r] = row[i]
	}
	return out, true
}

// eachCell checks the cells of fields before and after, row by row.
func eachCell(names []string, fits func(was, is string) bool) claim {
	return func(before, after Table) error {
		if len(before.Rows) != len(after.Rows) {
			return fmt.Errorf("%d rows became %d", len(before.Rows), len(after.Rows))
		}
		for _, n := range names {
			was, _ := before.cellsOf(n)
			is, ok := after.cellsOf(n)
			if !ok {
				return fmt.Errorf("%s is gone", diag.Quote(n))
			}
			for r := range was {
				if !fits(was[r], is[r]) {
					return fmt.Errorf("%s became %s", diag.Quote(was[r]), diag.Quote(is[r]))
				}
			}
		}
		return nil
	}
}

// sameNumber tells whether a plain number has the digits and the sign of the text it was made of, read by no form: its
// digits but for zeros at both ends, and a sign where the text has one.
func sameNumber(was, is string) bool {
	if was == "" || is == "" {
		return was == is
	}
	d, ok := decimal.Parse(is)
	digits := func(s string) string {
		return strings.Trim(strings.Map(func(r rune) rune {
			if '0' <= r && r <= '9' {
				return r
			}
			return -1
		}, s), "0")
	}
	t := strings.TrimSpace(was)
	negative := strings.ContainsAny(t, "-("+"\u2212") || strings.HasSuffix(strings.ToUpper(t), "CR")
	return ok && digits(was) == digits(is) && (d.Sign() == 0 || (d.Sign() < 0) == negative)
}

// sameText tells whether two texts differ in spaces and in what can't be seen alone.
func sameText(was, is string) bool {
	seen := func(s string) string {
		return strings.Map(func(r rune) rune {
			if unicode.IsSpace(r) || unicode.Is(unicode.Cf, r) && !joins(r) {
				return -1
			}
			return r
		}, norm.NFC.String(s))
	}
	return seen(was) == seen(is)
}

// joins tells what can't be seen and still changes a word: joiners of letters, and what keeps them apart.
func joins(r rune) bool { return r == '\u200c' || r == '\u200d' }

// filledAbove claims that cells stay, and blank ones hold the nearest above.
func filledAbove(names []string) claim {
	return func(before, after Table) error {
		for _, n := range names {
			was, _ := before.cellsOf(n)
			is, _ := after.cellsOf(n)
			above := ""
			for r := range was {
				if was[r] != "" {
					above = was[r]
				}
				if is[r] != above {
					return fmt.Errorf("%s became %s", diag.Quote(was[r]), diag.Quote(is[r]))
				}
			}
		}
		return nil
	}
}

// folded claims that each cell of the fields that are gone stands in a new field, as often as before.
func folded(before, after Table) error {
	counts := map[string]int{}
	for i, n := range before.Names {
		if slices.Contains(after.Names, n) {
			continue
		}
		for _, row := range before.Rows {
			counts[row[i]]++
		}
	}
	delete(counts, "")
	for i, n := range after.Names {
		if slices.Contains(before.Names, n) {
			continue
		}
		for _, row := range after.Rows {
			counts[row[i]]--
		}
	}
	for c, n := range counts {
		if n > 0 {
			return fmt.Errorf("%s is lost", diag.Quote(c))
		}
	}
	return nil
}

// copiesLeft claims that each row that left is a copy of one that stays.
func copiesLeft(before, after Table) error {
	stays := map[string]bool{}
	for _, row := range after.Rows {
		stays[strings.Join(row, "\x00")] = true
	}
	for _, row := range before.Rows {
		if !stays[strings.Join(row, "\x00")] {
			return fmt.Errorf("a row is lost")
		}
	}
	return nil
}

// inPieces claims that the new pieces of a cell, row by row, stand in the cell one behind the other.
func inPieces(name string) claim {
	return func(before, after Table) error {
		was, _ := before.cellsOf(name)
		if len(before.Rows) != len(after.Rows) {
			return fmt.Errorf("%d rows became %d", len(before.Rows), len(after.Rows))
		}
		for r, row := range after.Rows {
			rest := was[r]
			for i, n := range after.Names {
				if slices.Contains(before.Names, n) && n != name {
					continue
				}
				at := strings.Index(rest, row[i])
				if at < 0 {
					return fmt.Errorf("%s is no piece of %s", diag.Quote(row[i]), diag.Quote(was[r]))
				}
				rest = rest[at+len(row[i]):]
			}
			if strings.ContainsFunc(rest, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) {
				return fmt.Errorf("%s of %s is lost", diag.Quote(rest), diag.Quote(was[r]))
			}
		}
		return nil
	}
}

// spreadOut claims that as many cells of a field are filled after as before, over all new fields.
func spreadOut(name string) claim {
	return func(before, after Table) error {
		was, _ := before.cellsOf(name)
		n := 0
		for _, c := range was {
			if c != "" {
				n++
			}
		}
		for i, f := range after.Names {
			if slices.Contains(before.Names, f) {
				continue
			}
			for _, row := range after.Rows {
				if row[i] != "" {
					n--
				}
			}
		}
		if n != 0 {
			return fmt.Errorf("%d values are lost", n)
		}
		return nil
	}
}

// piecesOf claims that the rows hold the pieces of the cell, as often as they stand in it.
func piecesOf(name string, pieces func(string) []string) claim {
	return func(before, after Table) error {
		was, _ := before.cellsOf(name)
		is, ok := after.cellsOf(name)
		if !ok {
			return fmt.Errorf("%s is gone", diag.Quote(name))
		}
		counts := map[string]int{}
		for _, c := range was {
			for _, p := range pieces(c) {
				counts[strings.TrimSpace(p)]++
			}
		}
		for _, c := range is {
			counts[c]--
		}
		delete(counts, "")
		for p, n := range counts {
			if n != 0 {
				return fmt.Errorf("%s is lost", diag.Quote(p))
			}
		}
		return nil
	}
}

// piecesOfAll is piecesOf for several fields.
func piecesOfAll(names []string, pieces func(string) []string) claim {
	return func(before, after Table) error {
		for _, n := range names {
			if err := piecesOf(n, pieces)(before, after); err != nil {
				return err
			}
		}
		return nil
	}
}
