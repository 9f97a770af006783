package cli

import (
	"strings"
	"testing"

	"github.com/mattn/go-runewidth"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestDrawTable(t *testing.T) {
	rows := [][]string{{"026", "two\nlines", "1.10"}, {"T-1", "", "-3"}}
	assert.Equal(t, strings.Join([]string{
		"colony  note        kilos",
		"───────────────────────────",
		`026     two\nlines   1.10`,
		"T-1                    -3",
		"rows 1-2 of 1,536",
		""}, "\n"), drawTable([]string{"colony", "note", "kilos"}, rows, 1536, 80))
	narrow := drawTable([]string{"colony", "note", "kilos"}, rows, 2, 18)
	assert.Equal(t, "colony  note\n──────────────────\n026     two\\nlines\nT-1\nnot shown: kilos\n", narrow)
}

// TestDrawnTablesFit: no line is wider than the terminal, whatever stands in the cells.
func TestDrawnTablesFit(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		width := rapid.IntRange(10, 120).Draw(rt, "width")
		fields := rapid.IntRange(1, 30).Draw(rt, "fields")
		text := rapid.StringOfN(rapid.SampledFrom([]rune("abc é漢\n\t0123.,")), 0, 40, -1)
		names := rapid.SliceOfN(text, fields, fields).Draw(rt, "names")
		var rows [][]string
		for range rapid.IntRange(0, 3).Draw(rt, "rows") {
			rows = append(rows, rapid.SliceOfN(text, fields, fields).Draw(rt, "row"))
		}
		drawn := drawTable(names, rows, int64(len(rows)), width)
		for _, line := range strings.Split(drawn, "\n") {
			require.LessOrEqual(rt, runewidth.StringWidth(line), width, "%q", line)
		}
	})
}

func TestNumbersAndCodes(t *testing.T) {
	for s, want := range map[string]bool{"12": true, "-1.5": true, "1,5": true, "026": false, "0": true, "0.5": true, "T-1": false, "": false, "1e3": false} {
		assert.Equal(t, want, looksNumeric(s), s)
	}
}

func TestHelpNamesEveryOption(t *testing.T) {
	for _, c := range append(stepCommands(), commands()...) {
		text := help(c)
		require.NotEmpty(t, c.spec.Brief, c.spec.Name)
		for _, o := range c.spec.Options {
			assert.Contains(t, text, "--"+o.Name, c.spec.Name)
			assert.NotEmpty(t, o.Help, "%s --%s", c.spec.Name, o.Name)
		}
		for _, line := range strings.Split(text, "\n") {
			if !strings.HasPrefix(line, "  ") { // examples are as they are typed
				assert.LessOrEqual(t, len([]rune(line)), 100, c.spec.Name)
			}
		}
	}
}
