package inspect

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
	"revuelta/internal/numeral"
	"revuelta/internal/selection"
)

// numbers is how the cells of a field are read as numbers together.
type numbers struct {
	form  numeral.Form
	other *numeral.Form // reads all cells too, as other numbers
	plain int           // cells that are numbers as they stand
	written,
	unfit int // cells that the form reads, and that it does not
	odd    []string // of those, as first met
	doubts []string
}

// readTogether finds the one form in which all cells that have digits are numbers, and what speaks against it.
func (f *field) readTogether() *numbers {
	n := &numbers{plain: f.numbers}
	var open []string
	take := func(c string, readings []numeral.Reading) bool {
		switch len(readings) {
		case 0:
			return false
		case 1:
			n.form = readings[0].Form
		default:
			open = append(open, c)
		}
		return true
	}
	cells := f.order[:min(len(f.order), 2000)]
	for _, c := range cells {
		if padded(c) {
			n.plain += f.counts[c]
		} else if !isNumber(c) && strings.ContainsAny(c, "0123456789") {
			take(c, numeral.Readings(c, n.form))
		}
	}
	later := open
	open = nil
	for _, c := range later {
		take(c, numeral.Readings(c, n.form))
	}
	if len(open) > 0 { // nothing else in the field decides
		all := numeral.Readings(open[0], n.form)
		n.form, n.other = all[0].Form, &all[1].Form
		for _, c := range cells {
			if isNumber(c) { // as 1.5, which one of the two does not read as it stands
				a, okA := n.form.Read(c)
				b, okB := n.other.Read(c)
				switch {
				case (!okA || a != plainOf(c)) && okB && b == plainOf(c):
					n.form, n.other = *n.other, nil
				case (!okB || b != plainOf(c)) && okA && a == plainOf(c):
					n.other = nil
				}
				if n.other == nil {
					break
				}
			}
		}
	}
	for _, c := range cells {
		if read, ok := n.form.Read(c); !ok {
			n.unfit += f.counts[c]
			n.odd = append(n.odd, c)
		} else if isNumber(c) || padded(c) {
			if read != plainOf(c) {
				n.doubts = append(n.doubts, fmt.Sprintf("%s would become %s", diag.Quote(c), read))
			}
		} else {
			n.written += f.counts[c]
		}
	}
	return n
}

// padded tells a plain number with spaces around it.
func padded(c string) bool {
	t := strings.TrimSpace(c)
	return len(t) < len(c) && isNumber(t)
}

func plainOf(c string) string {
	d, ok := decimal.Parse(strings.TrimSpace(c))
	if !ok {
		return c
	}
	return string(d.Append(nil))
}

// numbersWritten finds numbers with decimal commas, grouping, units, currency, brackets and signs of their own.
func (s *sample) numbersWritten() []Finding {
	type how struct{ options, says, part, question string }
	fields := map[how][]*field{}
	var order []how
	var out []Finding
	for _, f := range s.fields {
		if f.filled < 2 || f.numbers == f.filled || f.dates > 0 || slices.ContainsFunc(f.order, isCode) || slices.ContainsFunc(f.order[:min(len(f.order), 50)], writtenDate) {
			continue
		}
		some, read := f.order[:min(len(f.order), 40)], 0
		if slices.ContainsFunc(some, func(c string) bool { return isCode(strings.TrimLeftFunc(c, unicode.IsLetter)) }) { // H0026 is a name
			continue
		}
		for _, c := range some {
			if isNumber(c) || len(numeral.Readings(c, numeral.Form{})) > 0 {
				read++
			}
		}
		if !share(read, len(some), 0.5) { // it is looked at no further
			continue
		}
		if several := f.severalUnits(); several != nil {
			out = append(out, *several)
			continue
		}
		n := f.readTogether()
		if n.written == 0 || !share(n.plain+n.written, f.filled, 0.75) || !share(n.written, f.filled, 0.02) || f.namesMore(n) {
			continue
		}
		if n.other != nil {
			a, _ := n.form.Read(f.firstWritten())
			b, _ := n.other.Read(f.firstWritten())
			out = append(out, Finding{Kind: "numbers", Part: Told, Fields: []string{f.name}, Says: fmt.Sprintf("%s holds numbers that can be read in two ways", diag.Quote(f.name)),
				Evidence: fmt.Sprintf("%s is %s or %s", f.example(func(c string) bool { return c == f.firstWritten() }), a, b),
				Question: fmt.Sprintf("which is it: cast%s, or cast%s?", n.form.Options(), n.other.Options())})
			continue
		}
		if len(n.doubts) > 0 {
			out = append(out, Finding{Kind: "numbers", Part: Told, Fields: []string{f.name}, Says: fmt.Sprintf("%s holds numbers of several forms", diag.Quote(f.name)),
				Evidence: fmt.Sprintf("%s; read alike, %s", f.example(func(c string) bool { return !isNumber(c) }), n.doubts[0]), Question: "which form is meant where?"})
			continue
		}
		h := how{options: n.form.Options(), says: formWords(&n.form)}
		h.part, h.question = f.certainty(n)
		if h.options == "" && n.unfit == 0 { // a true minus sign alone
			h.says = "true minus signs"
		}
		if n.unfit > 0 && h.part != Told {
			h.part, h.options = Decide, h.options+" --unfit keep"
			h.question = fmt.Sprintf("do %s stay as they stand?", quotedList(n.odd[:min(3, len(n.odd))]))
			if len(n.odd) == 1 {
				h.question = fmt.Sprintf("does %s stay as it stands?", diag.Quote(n.odd[0]))
			}
		}
		if fields[h] == nil {
			order = append(order, h)
		}
		fields[h] = append(fields[h], f)
	}
	for _, h := range order {
		var names []string
		odd, filled := 0, 0
		for _, f := range fields[h] {
			names = append(names, f.name)
			odd, filled = odd+f.filled-f.numbers, filled+f.filled
		}
		first := fields[h][0]
		x := Finding{Kind: "numbers", Part: h.part, Question: h.question, Fields: names, Says: fmt.Sprintf("numbers with %s: %s", h.says, fieldList(names)),
			Evidence: fmt.Sprintf("%s, as %s", of(odd, filled), first.example(func(c string) bool { return !isNumber(c) && !padded(c) && strings.ContainsAny(c, "0123456789") })),
			Step:     "cast " + Shell(s.selection(names)) + " number" + h.options, claim: eachCell(names, func(was, is string) bool { return was == is || sameNumber(was, is) })}
		if h.part == Told {
			x.Step = ""
		}
		out = append(out, x)
	}
	return out
}

// severalUnits tells a field of numbers with two units or three, of which nobody says what one is of the other.
func (f *field) severalUnits() *Finding {
	units := map[string]int{}
	var order []string
	fits := 0
	for _, c := range f.order {
		at := strings.LastIndexAny(c, "0123456789") + 1
		unit := strings.TrimSpace(c[at:])
		if at == 0 || unit == "" || len([]rune(unit)) > 5 || strings.ContainsFunc(unit, func(r rune) bool { return !unicode.IsLetter(r) }) {
			continue
		}
		if len(numeral.Readings(c[:at], numeral.Form{})) == 0 {
			continue
		}
		if units[unit] == 0 {
			order = append(order, unit)
		}
		units[unit] += f.counts[c]
		fits += f.counts[c]
	}
	if !slices.ContainsFunc(order, isUnit) || len(units) < 2 || len(units) > 3 || 2*len(units) > f.filled || !share(fits, f.filled, 0.75) {
		return nil
	}
	var list []string
	for _, u := range order {
		list = append(list, fmt.Sprintf("%s (%d)", diag.Quote(u), units[u]))
	}
	return &Finding{Kind: "numbers", Part: Told, Fields: []string{f.name}, Says: fmt.Sprintf("%s holds numbers with several units", diag.Quote(f.name)), Evidence: strings.Join(list, ", "),
		Question: "what is one of the other? cast … number --scale says what each multiplies by, as " + Shell("kg=1,g=0.001")}
}

// firstWritten is the first cell with digits that is no plain number.
func (f *field) firstWritten() string {
	i := slices.IndexFunc(f.order, func(c string) bool { return !isNumber(c) && !padded(c) && strings.ContainsAny(c, "0123456789") })
	if i < 0 {
		return ""
	}
	return f.order[i]
}

// currencies are codes that stand before amounts.
var currencies = []string{"EUR", "USD", "GBP", "CHF", "SEK", "DKK", "NOK", "PLN", "CZK", "HUF", "JPY", "Fr", "kr", "Rs"}

// namesMore tells cells whose digits name something: behind letters that are no currency, or grouped as telephone numbers are.
func (f *field) namesMore(n *numbers) bool {
	if strings.ContainsAny(n.form.Strip, ",.") || f.periodCodes(n) || slices.ContainsFunc(n.odd, lettered) && (n.form.Strip != "" || len(n.form.Scales) > 0) {
		return true
	}
	if slices.ContainsFunc(n.odd, wordBehind) && slices.ContainsFunc(f.order, func(c string) bool { return wordBehind(c) && !slices.Contains(n.odd, c) }) || f.signedAlways() {
		return true
	}
	long, alike, marks := -1, true, false
	for _, c := range f.order {
		if _, ok := n.form.Read(c); !ok {
			continue
		}
		before := strings.TrimFunc(c[:max(0, strings.IndexAny(c, "0123456789"))], func(r rune) bool { return !unicode.IsLetter(r) })
		if before != "" && !slices.Contains(currencies, before) {
			return true
		}
		digits := 0
		for _, r := range c {
			if unicode.IsDigit(r) {
				digits++
			}
		}
		if digits == 0 {
			continue
		}
		alike = alike && (long < 0 || digits == long)
		long = digits
		marks = marks || strings.ContainsAny(c, ".,")
	}
	return alike && long >= 6 && !marks && len(f.order) > 2
}

// wordBehind tells a number with a word behind it that is no unit: 50 free, 100 back.
func wordBehind(c string) bool {
	number, word, two := strings.Cut(strings.TrimSpace(c), " ")
	return two && isNumber(number) && !isUnit(word) && !strings.ContainsFunc(word, func(r rune) bool { return !unicode.IsLetter(r) })
}

// signedAlways tells cells of digits alone that nearly all begin with a plus sign, and none with a minus: they are dialled.
func (f *field) signedAlways() bool {
	plus := 0
	for _, c := range f.order {
		switch {
		case strings.ContainsAny(c, ".,"):
			return false
		case strings.HasPrefix(c, "+"):
			plus++
		case strings.HasPrefix(c, "-"), strings.HasPrefix(c, "\u2212"):
			return false
		}
	}
	return plus > 3 && share(plus, len(f.order), 0.9)
}

// lettered tells a number and one small letter behind it, as versions have.
func lettered(c string) bool {
	last := len(c) - 1
	return last > 0 && c[last] >= 'a' && c[last] <= 'z' && isNumber(c[:last])
}

// periodCodes tells numbers that one capital follows at once, which count years or parts of one: 1984Y, 2T.
func (f *field) periodCodes(n *numbers) bool {
	if len(n.form.Strip) != 1 || n.form.Strip[0] < 'A' || n.form.Strip[0] > 'Z' {
		return false
	}
	years, parts := true, true
	for _, c := range f.order {
		digits, ok := strings.CutSuffix(c, n.form.Strip)
		d, err := strconv.Atoi(digits)
		if !ok || err != nil {
			return false
		}
		years, parts = years && d >= 1800 && d <= 2100, parts && d >= 1 && d <= 12
	}
	return years || parts
}

// certainty tells whether a form is proved by the field's cells alone, or what somebody must say.
func (f *field) certainty(n *numbers) (part, question string) {
	form := &n.form
	ends := func(c string) string { // what stands around the digits, without signs and marks
		return strings.Trim(strings.Map(func(r rune) rune {
			if unicode.IsDigit(r) || unicode.IsSpace(r) || strings.ContainsRune("+-().,'’\u2212", r) {
				return -1
			}
			return r
		}, c), " ")
	}
	bare, with := 0, map[string]int{}
	brackets, open := 0, 0
	for _, c := range f.order {
		if !strings.ContainsAny(c, "0123456789") {
			continue
		}
		if e := ends(c); e == "" {
			bare++
		} else {
			with[e]++
		}
		if strings.HasPrefix(c, "(") {
			brackets++
		} else {
			open++
		}
	}
	letters := strings.ContainsFunc(form.Strip, func(r rune) bool { return unicode.IsLetter(r) || r == '*' })
	switch {
	case len(form.Scales) > 0:
		var list []string
		for _, s := range form.Scales {
			list = append(list, s.Suffix+" = "+s.By.String())
		}
		return Decide, "is it so that " + strings.Join(list, ", ") + "?"
	case strings.Contains(form.Strip, "*"):
		return Decide, "what do the marks behind the numbers say? They would go"
	case letters && bare > 0:
		return Told, "what are the numbers without a unit?"
	case len(with) > 1:
		return Told, "what are the units of each?"
	case slices.Contains(form.Negative, "(n)") && open == 0:
		return Told, "are the brackets signs of negative numbers?"
	case form.Thousands == "." && form.Decimal != "," || form.Thousands == " " && form.Decimal == "" && !slices.ContainsFunc(f.order, func(c string) bool { return strings.Contains(c, ".") }):
		return Decide, "are these whole numbers, with marks between thousands?"
	}
	return Safe, ""
}

// formWords says how the numbers of a form are written.
func formWords(f *numeral.Form) string {
	var says []string
	if f.Decimal == "," {
		says = append(says, "decimal commas")
	}
	if f.Thousands != "" {
		says = append(says, "grouped digits")
	}
	if f.Strip != "" {
		says = append(says, "units ("+f.Strip+")")
	}
	if len(f.Negative) > 0 {
		says = append(says, "negative ones as "+strings.Join(f.Negative, ", "))
	}
	if len(f.Scales) > 0 {
		var list []string
		for _, s := range f.Scales {
			list = append(list, s.Suffix)
		}
		says = append(says, "suffixes ("+strings.Join(list, ", ")+")")
	}
	if len(says) == 0 {
		return "signs of their own"
	}
	return strings.Join(says, ", ")
}

// fieldList names fields, a few of many.
func fieldList(names []string) string {
	if len(names) <= 6 {
		var out []string
		for _, n := range names {
			out = append(out, selection.Written(n))
		}
		return strings.Join(out, ", ")
	}
	return diag.Plural(int64(len(names)), "field") + " (" + diag.Names(names) + ")"
}

// selection picks fields: by their names, or, where they are many and are all that a glob or a range picks, by that.
func (s *sample) selection(names []string) string {
	if len(names) > 3 {
		first := slices.Index(s.lie.Names, names[0])
		if first >= 0 && first+len(names) <= len(s.lie.Names) && slices.Equal(s.lie.Names[first:first+len(names)], names) {
			if len(names) == len(s.lie.Names) {
				return "*"
			}
			return selection.Written(names[0]) + ".." + selection.Written(names[len(names)-1])
		}
	}
	var out []string
	for _, n := range names {
		out = append(out, selection.Written(n))
	}
	return strings.Join(out, ",")
}
