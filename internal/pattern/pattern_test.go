package pattern

import (
	"fmt"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestMatch(t *testing.T) {
	for _, c := range []struct{ pattern, text, want string }{
		{"{month} kilos", "May kilos", "month=May"},
		{"{month} kilos", "late June kilos", "month=late June"},
		{"{month} kilos", "kilos May", "-"},
		{"{a}-{b}", "x-y-z", "a=x b=y-z"}, // as few as will do, the last takes the rest
		{"{a}-{b}x", "x-y-zx", "a=x b=y-z"},
		{"{a}{b}", "Ñuvo", "a=Ñ b=uvo"},
		{"{a}", "", "-"},
		{"{domain:2}{item:#}", "QC07", "domain=QC item=07"},
		{"{domain:2}{item:#}", "SA1b", "-"},
		{"{d:2}", "ÑÜ", "d=ÑÜ"},
		{"{d:1-3}{r}", "abcdef", "d=abc r=def"}, // as many as will do
		{"{d:1-3}{r}", "abc", "d=ab r=c"},
		{"{a:#}{b:#}", "123", "a=12 b=3"},
		{"{w:before|after} {r}", "after 2", "w=after r=2"},
		{"{w:before|after} {r}", "beforehand x", "-"},
		{"{w:a|ab}c", "abc", "w=ab"},
		{"{c:/[A-Z]+/}{r}", "ABc", "c=AB r=c"},
		{"{c:/[A-Z]+/}{r}", "AB", "c=A r=B"},
		{"{c:/a|ab/}{r:/.*/}", "abc", "c=ab r=c"}, // as much as will do
		{"{c:/[A-Z]{2}/}-{n}", "AB-7", "c=AB n=7"},
		{`{c:/a\/b/}`, "a/b", "c=a/b"},
		{"{a}={a}", "x=x", "a=x"},
		{"{a}={a}", "x=y", "-"},
		{"{a:#}{a}", "1212", "a=12"},
		{"{{{colour}}}", "{light green}", "colour=light green"},
		{"row {_}: {apiary}-{stand:#}/{side:left|right}", "row 7: 8: Tamro-1-05/left", "_=7 apiary=8: Tamro-1 stand=05 side=left"},
		{"{a} x", "one\ntwo x", "a=one\ntwo"},
		{"plain", "plain", ""},
		{"plain", "plains", "-"},
	} {
		p, err := Parse(c.pattern)
		require.NoError(t, err, c.pattern)
		parts := make([]string, len(p.Names()))
		got := "-"
		if p.Matcher().Match(c.text, parts) {
			var b []string
			for i, n := range p.Names() {
				b = append(b, n+"="+parts[i])
			}
			got = strings.Join(b, " ")
			if !p.Has(Dropped) {
				assert.Equal(t, c.text, string(p.Append(nil, parts)), "%s writes back what it read", c.pattern)
			}
		}
		assert.Equal(t, c.want, got, "%s on %q", c.pattern, c.text)
	}
}

func TestParseErrors(t *testing.T) {
	for _, c := range []struct {
		pattern string
		at      int
		says    string
	}{
		{"{month", 0, "has no }"},
		{"a} b", 1, "without its {"},
		{"x {}", 3, "needs a name"},
		{"{a:}", 1, "after the colon"},
		{"{a:0}", 1, "no width"},
		{"{a:3-2}", 1, "no width"},
		{"{a:x||y}", 1, "empty word"},
		{"ab {a:/[/}", 4, "missing closing ]"},
		{"{a:/x}", 0, "has no }"},
		{"{a{b}", 1, "literal brace"},
		{"{a}\xb0", 0, "not UTF-8"},
	} {
		_, err := Parse(c.pattern)
		var e *Error
		if assert.ErrorAs(t, err, &e, c.pattern) {
			assert.Equal(t, c.at, e.At, c.pattern)
			assert.Contains(t, e.Text, c.says, c.pattern)
		}
	}
}

// TestWorkGrowsWithTheText: steps are counted, not time; a text five times as long takes no more than five times as many.
func TestWorkGrowsWithTheText(t *testing.T) {
	for _, c := range []struct{ pattern, piece, end string }{
		{"{a}x{b}x{c}x{d}y", "x", ""}, {"{a}x{b}x{c}x{d}y", "x", "y"}, {"{a}x{b}x{c}x{d}x{e}x{f}x{g}y", "ax", "b"}, {"{a}{b}{c}{d}-", "é", ""}, {"{a:#}{b:#}{c:#}{d:#}x", "1", ""}, {"{a}{b:#}{c}{d:#}x", "12a", ""},
		{"{a}{b:1-3}{c:2-5}{d}!", "é", ""}, {"{a}{b:x|xx|xxx}{c:x|xx}{d}!", "x", ""}, {"{a:#}.{b:#}{c}.{d}?", "1.2", ""}, {"{a:1-9}{b:1-9}{c:#}{d}{e}?", "7", ""},
	} {
		p, err := Parse(c.pattern)
		require.NoError(t, err)
		m, parts := p.Matcher(), make([]string, len(p.Names()))
		steps := func(n int) int {
			text := strings.Repeat(c.piece, n) + c.end
			fits := m.Match(text, parts)
			require.False(t, m.Tired(), c.pattern)
			require.Equal(t, twin(p).MatchString(text), fits, "%s on %d of %s", c.pattern, n, c.piece)
			return m.steps + m.work
		}
		few, many := steps(1000), steps(5000)
		assert.LessOrEqual(t, many, 5*few+few/10+1000, c.pattern)
	}
}

// TestWorkIsBounded: where it may grow with the square a text is given up.
func TestWorkIsBounded(t *testing.T) {
	for pattern, piece := range map[string]string{"{a:/[a-z]+/}{b:/[a-z]+/}{c:/[a-z]+/}!": "q", "{a}x{a}{b}x{b}{c}!": "x"} {
		p, err := Parse(pattern)
		require.NoError(t, err)
		m, parts := p.Matcher(), make([]string, len(p.Names()))
		assert.False(t, m.Match(strings.Repeat(piece, 20_000), parts))
		assert.True(t, m.Tired(), pattern)
		assert.Less(t, m.work, mostWork+25_000)
		assert.False(t, m.Match("q", parts))
		assert.False(t, m.Tired(), "it holds for one text only")
	}
}

func TestMatchDoesNotAllocate(t *testing.T) {
	p, err := Parse("{apiary}-{stand:2}/{side:left|right} {n:#}")
	require.NoError(t, err)
	m, parts := p.Matcher(), make([]string, 4)
	allocs := testing.AllocsPerRun(100, func() {
		if !m.Match("Upper-Tamro-03/left 12", parts) {
			t.Fatal("does not fit")
		}
	})
	assert.Zero(t, allocs)
}

// twin is the pattern as one regular expression: the same choices in the same order.
func twin(p *Pattern) *regexp.Regexp {
	var b strings.Builder
	b.WriteString(`(?s)\A`)
	for i := range p.elements {
		switch e := &p.elements[i]; e.kind {
		case literal:
			b.WriteString(regexp.QuoteMeta(e.text))
		case lazy:
			b.WriteString(`(.+?)`)
		case width:
			fmt.Fprintf(&b, `(.{%d,%d})`, e.least, e.most)
		case digits:
			b.WriteString(`([0-9]+)`)
		case words:
			var quoted []string
			for _, w := range e.words {
				quoted = append(quoted, regexp.QuoteMeta(w))
			}
			b.WriteString(`(` + strings.Join(quoted, "|") + `)`)
		case expr:
			b.WriteString(`(` + e.source + `)`)
		}
	}
	return regexp.MustCompile(b.String() + `\z`)
}

func FuzzMatchAgainstRegexp(f *testing.F) {
	f.Add("{a} {b:#}-{c:1-3}", "Day 12-xy")
	f.Add("{w:ab|a}{x}b{y:/[a-c]+/}", "abcbabc")
	f.Add("{{{a}}}{b:2}", "{Ñu}vo")
	f.Add("{a}x{b}x{c:#}{d}", "xxxx1x2")
	f.Add("{a:a|b|c|d|e|f|g|h|i|j|k|l|m|n|o|p|q|r|s|t|ab|abc|abcd|bcd}{b}{c:cd|d}", "abcdcd")
	f.Add("{a}x{b}x{c}x{d}y", "xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx")
	f.Add("{a}{b:1-3}{c:2-5}{d:#}{e}9", "éa1é22é333éa1é22é333éa1é22é333é")
	f.Fuzz(func(t *testing.T, pattern, text string) {
		p, err := Parse(pattern)
		if err != nil || p.repeats || !utf8.ValidString(text) || !utf8.ValidString(pattern) || len(text) > 200 || len(p.elements) > 8 {
			return
		}
		for i := range p.elements {
			e := &p.elements[i]
			// The twin's own choice among alternatives is another one, and its repeat count is bounded.
			if e.kind == expr && e.source != "[a-c]+" || e.most > 100 {
				return
			}
		}
		parts := make([]string, len(p.Names()))
		fits := p.Matcher().Match(text, parts)
		want := twin(p).FindStringSubmatch(text)
		require.Equal(t, want != nil, fits, "%q on %q", pattern, text)
		if fits {
			require.Equal(t, want[1:], append([]string{}, parts...), "%q on %q", pattern, text)
		}
		hard := p.Matcher() // as a text is read that takes many steps
		hard.patience = 0
		again := make([]string, len(parts))
		require.Equal(t, fits, hard.Match(text, again), "%q on %q", pattern, text)
		require.False(t, hard.Tired())
		if fits {
			require.Equal(t, parts, again, "%q on %q", pattern, text)
		}
	})
}

func FuzzReadsWhatItWrites(f *testing.F) {
	f.Add("{a} {b:#}", "Day 12")
	f.Add("{a}={a}", "x=x")
	f.Add("{a:/[^ ]+/} {{{b}}}", "Rest {1}")
	f.Fuzz(func(t *testing.T, pattern, text string) {
		p, err := Parse(pattern)
		if err != nil || p.Has(Dropped) || len(text) > 200 || len(p.elements) > 8 {
			return
		}
		parts := make([]string, len(p.Names()))
		if p.Matcher().Match(text, parts) {
			require.Equal(t, text, string(p.Append(nil, parts)))
		}
	})
}
