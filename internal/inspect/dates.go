package inspect

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"revuelta/internal/diag"
	"revuelta/internal/selection"
)

// dateForm is a form in which dates are written.
type dateForm struct {
	strftime, layout string
	twin             string // the form with day and month the other way round
}

// forms of dates that are not ISO 8601.
var forms = func() (out []dateForm) {
	for _, m := range []string{"/", ".", "-", " "} {
		for _, year := range [][2]string{{"%Y", "2006"}, {"%y", "06"}} {
			d, us := "%d"+m+"%m"+m+year[0], "%m"+m+"%d"+m+year[0]
			out = append(out, dateForm{d, "2" + m + "1" + m + year[1], us}, dateForm{us, "1" + m + "2" + m + year[1], d})
			for _, name := range [][2]string{{"%b", "Jan"}, {"%B", "January"}} {
				out = append(out, dateForm{"%d" + m + name[0] + m + year[0], "2" + m + name[1] + m + year[1], ""})
			}
		}
		out = append(out, dateForm{"%Y" + m + "%m" + m + "%d", "2006" + m + "1" + m + "2", ""})
	}
	for _, name := range [][2]string{{"%b", "Jan"}, {"%B", "January"}} {
		for _, m := range []string{"-", "/", "."} {
			out = append(out, dateForm{name[0] + m + "%d" + m + "%Y", name[1] + m + "2" + m + "2006", ""})
		}
		out = append(out, dateForm{name[0] + " %d, %Y", name[1] + " 2, 2006", ""}, dateForm{name[0] + " %d %Y", name[1] + " 2 2006", ""})
	}
	return out
}()

// likeDate tells what any of the forms may read: digits, and something that parts them.
func likeDate(c string) bool {
	return strings.ContainsAny(c, "0123456789") && strings.ContainsAny(c, "-/. ")
}

// writtenDate tells a date in any of the forms.
func writtenDate(c string) bool {
	if len(c) > 20 || !likeDate(c) {
		return false
	}
	for _, f := range forms {
		if _, err := time.Parse(f.layout, c); err == nil {
			return true
		}
	}
	return false
}

// compactDates tells whether all cells are days written as 20240502.
func (f *field) compactDates() bool {
	if f.filled < 3 || f.numbers < f.filled {
		return false
	}
	first := ""
	for _, c := range f.cells {
		if c == "" {
			continue
		}
		if len(c) != 8 || c[0] != '1' && c[0] != '2' {
			return false
		}
		if day, err := time.Parse("20060102", c); err != nil || day.Year() < 1900 || day.Year() > 2100 {
			return false
		}
		if first == "" {
			first = c
		} else if c != first {
			first = "several"
		}
	}
	return first == "several"
}

// clocks are the forms of times of day behind a date.
var clocks = []struct{ strftime, layout string }{
	{" %H:%M", " 15:04"}, {" %H:%M:%S", " 15:04:05"}, {" %I:%M %p", " 3:04 PM"}, {" %I:%M:%S %p", " 3:04:05 PM"}, {" %I:%M%p", " 3:04PM"},
}

// dated is what is known of a field of dates in other forms.
type dated struct {
	field *field
	forms []dateForm // each reads all cells; two with day and month in either order
	clock bool       // with a time of day
}

// writtenAs finds the forms that read every cell of a field.
func (f *field) writtenAs() *dated {
	if f.filled < 2 || len(f.order) < 2 || f.dates == f.filled || f.numbers > 0 || len(f.order[0]) > 30 || !likeDate(f.order[0]) {
		return nil
	}
	return f.inForms()
}

// inForms finds the forms that read every one of a field's different cells.
func (f *field) inForms() *dated {
	fits := func(layout string) bool {
		for _, c := range f.order {
			if _, err := time.Parse(layout, c); err != nil {
				return false
			}
		}
		return true
	}
	d := &dated{field: f}
	for _, form := range forms {
		if fits(form.layout) {
			d.forms = append(d.forms, form)
			continue
		}
		for _, c := range clocks {
			if fits(form.layout + c.layout) {
				form.strftime, form.layout, d.clock = form.strftime+c.strftime, form.layout+c.layout, true
				if form.twin != "" {
					form.twin += c.strftime
				}
				d.forms = append(d.forms, form)
			}
		}
	}
	if len(d.forms) == 0 {
		return nil
	}
	// May is a name and its own abbreviation.
	d.forms = slices.CompactFunc(d.forms, func(a, b dateForm) bool { return strings.ReplaceAll(a.strftime, "%b", "%B") == b.strftime })
	if len(d.forms) > 1 && (d.forms[0].twin != d.forms[1].strftime || d.telling() == "") {
		d.forms = d.forms[:1]
	}
	return d
}

// telling is a cell that two forms read as different days, "" where there is none.
func (d *dated) telling() string {
	for _, c := range d.field.order {
		a, _ := time.Parse(d.forms[0].layout, c)
		if b, _ := time.Parse(d.forms[1].layout, c); !a.Equal(b) {
			return c
		}
	}
	return ""
}

// agreeing gives those of two forms that make the field's days lie near those of another date in the same rows.
func (s *sample) agreeing(d *dated, others []*dated) []dateForm {
	days := func(f *field, layout string) func(r int) (time.Time, bool) {
		return func(r int) (time.Time, bool) {
			if layout == "" {
				c := f.cells[r]
				if len(c) > 10 {
					c = c[:10]
				}
				t, err := time.Parse("2006-01-02", c)
				return t, err == nil
			}
			t, err := time.Parse(layout, f.cells[r])
			return t, err == nil
		}
	}
	var known []func(int) (time.Time, bool)
	for _, f := range s.fields {
		if f != d.field && share(f.dates, f.filled, 1) {
			known = append(known, days(f, ""))
		}
	}
	for _, o := range others {
		if o.field != d.field && len(o.forms) == 1 {
			known = append(known, days(o.field, o.forms[0].layout))
		}
	}
	for _, other := range known {
		var near [2]int
		both := 0
		for r := range s.rows {
			at, ok := other(r)
			if !ok || d.field.cells[r] == "" {
				continue
			}
			both++
			for i, form := range d.forms {
				if t, ok := days(d.field, form.layout)(r); ok && t.Sub(at).Abs() <= 10*24*time.Hour {
					near[i]++
				}
			}
		}
		for i := range d.forms {
			if both >= 2 && share(near[i], both, 0.9) && !share(near[1-i], both, 0.5) {
				return d.forms[i : i+1]
			}
		}
	}
	// The same form as another field that leaves no choice.
	for _, o := range others {
		for i, form := range d.forms {
			if o.field != d.field && len(o.forms) == 1 && o.forms[0].strftime == form.strftime {
				return d.forms[i : i+1]
			}
		}
	}
	return d.forms
}

// yearMayLead gives the layout in which two digits of the year lead, where it reads all cells, and one of them; "" where it does not, or
// where what stands last differs less from row to row than what stands first, as years do.
func (f *field) yearMayLead() (cell, layout string) {
	days, years := map[string]bool{}, map[string]bool{}
	for _, c := range f.order {
		moment := c
		c, _, _ = strings.Cut(c, " ")
		if len(c) < 6 || len(c) > 8 || !strings.ContainsAny(c[2:3], "/.- ") {
			return "", ""
		}
		layout = "06" + c[2:3] + "1" + c[2:3] + "2"
		if _, err := time.Parse(layout, c); err != nil {
			return "", ""
		}
		days[c[:2]], years[c[strings.LastIndex(c, c[2:3])+1:]] = true, true
		cell = moment
	}
	if f.filled >= 4 && len(years) < len(days) {
		return "", ""
	}
	return cell, layout
}

// datesWritten finds dates that are written in other forms.
func (s *sample) datesWritten() []Finding {
	var out []Finding
	var all []*dated
	for _, f := range s.fields {
		if f.compactDates() {
			out = append(out, Finding{Kind: "dates", Fields: []string{f.name}, Says: fmt.Sprintf("%s holds dates as %%Y%%m%%d", diag.Quote(f.name)), Evidence: fmt.Sprintf("%s, as %s", of(f.filled, f.filled), f.example(func(string) bool { return true })),
				Step: "cast " + Shell(selection.Written(f.name)) + " date --from %Y%m%d", claim: eachCell([]string{f.name}, sameDay)})
		} else if d := f.writtenAs(); d != nil {
			all = append(all, d)
		} else if mixed := f.inSeveralForms(); mixed != nil {
			out = append(out, *mixed)
		}
	}
	type how struct {
		form  string
		clock bool
	}
	fields := map[how][]*field{}
	var order []how
	for _, d := range all {
		f := d.field
		forms := d.forms
		if len(forms) > 1 {
			forms = s.agreeing(d, all)
		}
		if len(forms) > 1 {
			cell := d.telling()
			a, _ := time.Parse(forms[0].layout, cell)
			b, _ := time.Parse(forms[1].layout, cell)
			out = append(out, Finding{Kind: "dates", Part: Told, Fields: []string{f.name}, Says: fmt.Sprintf("%s holds dates whose day and month can be read either way", diag.Quote(f.name)),
				Evidence: fmt.Sprintf("%s is %s or %s", f.example(func(c string) bool { return c == cell }), a.Format("2006-01-02"), b.Format("2006-01-02")),
				Question: fmt.Sprintf("is it --from %s or --from %s?", Shell(forms[0].strftime), Shell(forms[1].strftime))})
			continue
		}
		if cell, first := f.yearMayLead(); first != "" && len(d.forms) == 1 && strings.Contains(forms[0].strftime, "%y") {
			a, _ := time.Parse(forms[0].layout, cell)
			day, _, _ := strings.Cut(cell, " ")
			b, _ := time.Parse(first, day)
			out = append(out, Finding{Kind: "dates", Part: Told, Fields: []string{f.name}, Says: fmt.Sprintf("%s holds dates whose year may stand first or last", diag.Quote(f.name)),
				Evidence: fmt.Sprintf("%s is %s or %s", f.example(func(c string) bool { return c == cell }), a.Format("2006-01-02"), b.Format("2006-01-02")),
				Question: fmt.Sprintf("is it --from %s or --from %s?", Shell(forms[0].strftime), Shell("%y"+first[2:3]+"%m"+first[2:3]+"%d"+forms[0].strftime[len("%d.%m.%y"):]))})
			continue
		}
		h := how{forms[0].strftime, d.clock}
		if fields[h] == nil {
			order = append(order, h)
		}
		fields[h] = append(fields[h], f)
	}
	for _, h := range order {
		var names []string
		filled := 0
		for _, f := range fields[h] {
			names, filled = append(names, f.name), filled+f.filled
		}
		x := Finding{Kind: "dates", Fields: names, Says: fmt.Sprintf("%s: dates as %s", fieldList(names), h.form), Evidence: fmt.Sprintf("%s, as %s", of(filled, filled), fields[h][0].example(func(c string) bool { return true })),
			Step:  "cast " + Shell(s.selection(names)) + map[bool]string{true: " datetime", false: " date"}[h.clock] + " --from " + Shell(h.form),
			claim: eachCell(names, sameDay)}
		if strings.Contains(h.form, "%y") {
			x.Part, x.Question = Decide, "which century is meant? 68 would be 2068, 69 be 1969"
		}
		out = append(out, x)
	}
	return out
}

// inSeveralForms finds dates in two or three forms, each cell of which has one of them alone.
func (f *field) inSeveralForms() *Finding {
	if f.filled < 3 || len(f.order) < 3 || f.dates == f.filled || f.numbers > 0 || !writtenDate(f.order[0]) && !isDate(f.order[0]) {
		return nil
	}
	left := slices.Clone(f.order)
	var used []dateForm
	for len(left) > 0 && len(used) < 3 {
		var best dateForm
		var rest []string
		for _, form := range append([]dateForm{{"%Y-%m-%d", "2006-01-02", ""}}, forms...) {
			no := slices.DeleteFunc(slices.Clone(left), func(c string) bool { _, err := time.Parse(form.layout, c); return err == nil })
			if best.layout == "" || len(no) < len(rest) {
				best, rest = form, no
			}
		}
		if len(rest) == len(left) {
			return nil
		}
		used, left = append(used, best), rest
	}
	if len(left) > 0 || len(used) < 2 {
		return nil
	}
	either := func(c string) bool { // another order of day and month gives another date
		for _, form := range used {
			if t, err := time.Parse(form.layout, c); err == nil && form.twin != "" && t.Day() <= 12 && t.Day() != int(t.Month()) {
				return !slices.ContainsFunc(f.order, func(other string) bool { // none has a day beyond 12 in it
					t, err := time.Parse(form.layout, other)
					return err == nil && t.Day() > 12
				})
			}
		}
		return false
	}
	var names, options []string
	for _, u := range used {
		names = append(names, u.strftime)
		options = append(options, "--from "+Shell(u.strftime))
	}
	x := &Finding{Kind: "dates", Fields: []string{f.name}, Says: fmt.Sprintf("%s holds dates as %s", diag.Quote(f.name), strings.Join(names, ", ")), Evidence: fmt.Sprintf("%s, as %s", of(f.filled, f.filled), f.example(func(c string) bool { return !isDate(c) })),
		Step: "cast " + Shell(selection.Written(f.name)) + " date " + strings.Join(options, " "), claim: eachCell([]string{f.name}, sameDay)}
	if slices.ContainsFunc(f.order, either) || slices.ContainsFunc(names, func(n string) bool { return strings.Contains(n, "%y") }) {
		x.Part, x.Step, x.Question = Told, "", "which form is meant where?"
	}
	return x
}

// sameDay tells whether the numbers of an ISO date stand in the text that it was made of: day, year (its last two digits at least),
// and the month, as a number or by its name.
func sameDay(was, is string) bool {
	if was == "" || is == "" {
		return was == is
	}
	t, err := time.Parse("2006-01-02", is[:min(10, len(is))])
	if err != nil {
		return false
	}
	if len(was) == 8 && strings.Trim(was, "0123456789") == "" {
		return was == t.Format("20060102")
	}
	var numbers []int
	for _, d := range strings.FieldsFunc(was, func(r rune) bool { return r < '0' || r > '9' }) {
		n := 0
		for _, c := range d {
			n = n*10 + int(c-'0')
		}
		numbers = append(numbers, n)
	}
	low := strings.ToLower(was)
	return slices.Contains(numbers, t.Day()) && (slices.Contains(numbers, t.Year()) || slices.Contains(numbers, t.Year()%100)) &&
		(slices.Contains(numbers, int(t.Month())) || strings.Contains(low, strings.ToLower(t.Month().String()[:3])))
}
