package cli

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/mattn/go-runewidth"

	"revuelta/internal/diag"
	"revuelta/internal/table"
)

// screen draws the first rows of a table on a terminal, fitted to its width.
type screen struct {
	w             io.Writer
	width, height int
	names         []string
	rows          [][]string
	total         int64
	palette       palette
}

func newScreen(w io.Writer, p palette) *screen {
	width, height := terminalSize(w)
	return &screen{w: w, width: width, height: height, palette: p}
}

// Start implements step.Out.
func (s *screen) Start(schema *table.Schema) error {
	s.names = schema.Names()
	return nil
}

// Emit implements step.Out.
func (s *screen) Emit(b *table.Batch) error {
	most := s.most()
	for r := 0; r < b.Rows && len(s.rows) < most; r++ {
		s.rows = append(s.rows, b.Row(r, nil))
	}
	s.total += int64(b.Rows)
	return nil
}

// most is how many rows are drawn: what the terminal has room for, with the account beneath.
func (s *screen) most() int { return max(5, min(20, s.height-10)) }

// Close draws what was gathered.
func (s *screen) Close() error {
	return printTo(s.w, s.palette.lines(drawTable(s.names, s.rows, s.total, s.width)))
}

const (
	narrowest = 12 // a column is not made narrower than that, where it wants as much
	widest    = 32 // nor wider, while others want room
	gap       = 2
)

// narrow tells characters of one cell. The library knows all others, but makes a table of every
// character there is when it is first asked, which takes longer than to look at a file.
func narrow(r rune) bool {
	return ' ' <= r && r <= '~' || 0xA0 <= r && r < 0x300 && r != 0xAD || strings.ContainsRune("…─·", r)
}

func allNarrow(s string) bool {
	return !runewidth.DefaultCondition.EastAsianWidth && !strings.ContainsFunc(s, func(r rune) bool { return !narrow(r) })
}

// widthOf is the width of a text in cells of the terminal.
func widthOf(s string) int {
	if allNarrow(s) {
		return utf8.RuneCountInString(s)
	}
	return runewidth.StringWidth(s)
}

// cut is a text of a width at most, with a mark where it was longer.
func cut(s string, width int, mark string) string {
	if !allNarrow(s + mark) {
		return runewidth.Truncate(s, width, mark)
	}
	if utf8.RuneCountInString(s) <= width {
		return s
	}
	runes := []rune(s)
	return string(runes[:max(0, width-utf8.RuneCountInString(mark))]) + mark
}

// set is a text set to the left or right of a width.
func set(s string, width int, right bool) string {
	pad := strings.Repeat(" ", max(0, width-widthOf(s)))
	if right {
		return pad + s
	}
	return s + pad
}

// fit chooses how many columns are shown and how wide each is, in so many cells of the terminal.
func fit(wants []int, width int) []int {
	wants = wants[:min(len(wants), max(1, width))] // no more have room
	out := make([]int, 0, len(wants))
	room := width
	for _, w := range wants {
		out = append(out, min(w, widest))
	}
	sum := func() int {
		n := -gap
		for _, w := range out {
			n += w + gap
		}
		return n
	}
	for sum() > room { // the widest gives way, down to the narrowest; then the last is left out
		at := -1
		for i, w := range out {
			if w > narrowest && (at < 0 || w >= out[at]) {
				at = i
			}
		}
		switch {
		case at >= 0 && len(out) <= width/narrowest:
			out[at]--
		case len(out) > 1:
			out = out[:len(out)-1]
		default:
			out[0] = max(1, room)
		}
	}
	for i := range out { // room left over goes to who wants it
		out[i] += max(0, min(wants[i]-out[i], room-sum()))
	}
	return out
}

// drawTable draws a table: numbers to the right, then which rows and fields are shown, where not all are.
func drawTable(names []string, rows [][]string, total int64, width int) string {
	return drawPainted(names, rows, total, width, nil)
}

// drawPainted is drawTable with cells painted, those of row -1 being the names; nil paints none.
func drawPainted(names []string, rows [][]string, total int64, width int, paint func(row, col int, cell string) string) string {
	wants := make([]int, len(names))
	numeric := make([]bool, len(names))
	for i, n := range names {
		wants[i] = widthOf(diag.Visible(n))
		filled := 0
		numeric[i] = true
		for _, r := range rows {
			wants[i] = max(wants[i], widthOf(diag.Visible(r[i])))
			if r[i] != "" {
				filled++
				numeric[i] = numeric[i] && looksNumeric(r[i])
			}
		}
		numeric[i] = numeric[i] && filled > 0
		wants[i] = max(wants[i], 1)
	}
	widths := fit(wants, width)
	var b strings.Builder
	line := func(row int, cells []string) {
		var l, painted strings.Builder
		for i, w := range widths {
			cell := set(cut(diag.Visible(cells[i]), w, "…"), w, numeric[i])
			l.WriteString(cell + strings.Repeat(" ", gap))
			if paint != nil {
				painted.WriteString(paint(row, i, cell) + strings.Repeat(" ", gap))
			}
		}
		plain := strings.TrimRight(l.String(), " ")
		if paint != nil && widthOf(plain) <= width {
			b.WriteString(strings.TrimRight(painted.String(), " ") + "\n")
			return
		}
		b.WriteString(strings.TrimRight(cut(plain, width, ""), " ") + "\n")
	}
	line(-1, names)
	whole := 0
	for _, w := range widths {
		whole += w + gap
	}
	b.WriteString(strings.Repeat("─", min(whole, width)) + "\n")
	for i, r := range rows {
		line(i, r)
	}
	var more []string
	if total > int64(len(rows)) {
		more = append(more, fmt.Sprintf("rows 1-%d of %s", len(rows), diag.Count(total)))
	}
	if len(names) > len(widths) {
		more = append(more, "not shown: "+diag.Names(names[len(widths):]))
	}
	if len(more) > 0 {
		b.WriteString(cut(strings.Join(more, "; "), width, "…") + "\n")
	}
	return b.String()
}

// looksNumeric tells numbers from codes: a leading zero is a code's.
func looksNumeric(s string) bool {
	if len(s) > 1 && s[0] == '0' && '0' <= s[1] && s[1] <= '9' {
		return false
	}
	digits := false
	for i, r := range s {
		switch {
		case '0' <= r && r <= '9':
			digits = true
		case r == '.', r == ',', (r == '+' || r == '-') && i == 0:
		default:
			return false
		}
	}
	return digits
}
