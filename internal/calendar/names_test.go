package calendar

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestNames: the names of months and weekdays stand in their turn, in each language, with full stops and any case.
func TestNames(t *testing.T) {
	for language, months := range map[string]string{
		"en": "Jan February MAR. april May June Jul Aug Sept Oct. nov december", "de": "Januar Feb. März Apr Mai Jun Juli Aug Sep. Okt Nov Dez", "fr": "janv. févr. mars avr. mai juin juil. AOÛT sept oct. nov déc.",
		"es": "enero feb mar abril mayo junio julio ago sept oct nov dic", "it": "gennaio feb mar apr maggio giu luglio ago set ottobre nov dic", "pl": "styczeń luty marzec kwiecień maj czerwiec lipiec sierpień wrzesień październik listopad grudzień",
		"cs": "leden února březen dubna květen června červenec srpen září říjen listopadu prosinec", "fi": "tammikuu helmikuuta maalis huhti touko kesä heinä elo syys loka marras joulu", "sv": "januari feb mars april maj juni juli aug. sept. okt. nov. dec.",
		"nl": "januari feb. maart apr mei jun juli aug sep okt nov dec", "pt": "janeiro fev mar abr mai jun jul ago set out nov dez", "da": "januar feb. mar. april maj juni juli aug. sep. okt. nov. dec.", "nb": "januar feb mars apr mai juni juli aug sep okt nov des",
	} {
		n, err := NamesIn(language)
		require.NoError(t, err)
		texts := strings.Fields(months)
		place, all := n.Turn(append(texts, ""))
		assert.True(t, all, language)
		for i, m := range texts {
			at, ok := place(m)
			assert.True(t, ok && at == i+1, "%s: %s is %d", language, m, at)
		}
	}
	for _, language := range Languages() { // whatever the library calls them, no two are alike
		n, err := NamesIn(language)
		require.NoError(t, err)
		for _, m := range []map[string]int{n.months, n.weekdays} {
			seen := map[int]bool{}
			for _, at := range m {
				seen[at] = true
			}
			assert.Contains(t, []int{7, 12}, len(seen), language)
		}
	}
	_, err := NamesIn("xx")
	assert.ErrorContains(t, err, "known in bg, ca, cs")
	for text, want := range map[string]int{"Q1": 1, "q4": 4, "H1": 5, "h2": 6, "Q5": 0, "H3": 0, "Quarter": 0, "": 0} {
		at, ok := Part(text)
		assert.Equal(t, want, at, text)
		assert.Equal(t, want > 0, ok, text)
	}
	place, all := English().Turn([]string{"Mon", "Tuesday", "Weds.", "x"})
	assert.False(t, all)
	at, ok := place("Thu")
	assert.True(t, ok && at == 4)
	_, all = English().Turn([]string{"", ""})
	assert.False(t, all)
}
