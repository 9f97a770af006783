package format

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/simplifiedchinese"
	"golang.org/x/text/encoding/traditionalchinese"

	"revuelta/internal/diag"
)

// Text of one byte a character fits every such encoding. Which of them it is shows by its words: those of a language have letters
// beyond ASCII of few kinds, and no signs among them. A word may be one of any language, since lists of names are mixed; but where
// the letters of a whole text are those of one language in another encoding, and of none in this, that tells too.

// western are the letters beyond ASCII of languages that Windows-1252 has, central those that Windows-1250 has.
var (
	western = []string{"äöüßé", "àâçéèêëîïôùûüÿœæ", "áéíóúüñïçàèò", "áâãàçéêíóôõúüª", "àèéìíîòóùú", "æøåéüäöèôó", "áéíóúýþðæöø", "äöåõüšžé", "éëïöüáóíè", "çë", "âêîôûŵŷ"}
	central = []string{"ąćęłńóśźż", "áčďéěíňóřšťúůýž", "áäčďéíĺľňóôŕšťúýž", "áéíóöőúüű", "čćđšž", "ăâîşţ"}
	turkish = []string{"çğıöşüâîûi"}
)

// reading is a way in which bytes may be read: whether a word is one of its languages.
type reading struct {
	name string
	enc  encoding.Encoding
	word func(letters []rune) bool
	wide bool // a character has several bytes

	kana   bool    // a good part of the characters is Japanese alone
	common [2]byte // the first bytes of common characters, from one through another, where those are told by them

	languages []string // their letters beyond ASCII, where words are told by those
}

var readings = []reading{
	{name: "windows-1250", enc: charmap.Windows1250, word: among(central), languages: central},
	{name: "iso-8859-2", enc: charmap.ISO8859_2, word: among(central), languages: central},
	{name: "windows-1251", enc: charmap.Windows1251, word: script(unicode.Cyrillic)},
	{name: "koi8-r", enc: charmap.KOI8R, word: script(unicode.Cyrillic)},
	{name: "windows-1253", enc: charmap.Windows1253, word: script(unicode.Greek)},
	{name: "windows-1254", enc: charmap.Windows1254, word: among(turkish), languages: turkish},
	{name: "windows-1255", enc: charmap.Windows1255, word: oneOf(unicode.Hebrew)},
	{name: "windows-1256", enc: charmap.Windows1256, word: oneOf(unicode.Arabic)},
	{name: "windows-874", enc: charmap.Windows874, word: oneOf(unicode.Thai)},
	{name: "ibm866", enc: charmap.CodePage866, word: script(unicode.Cyrillic)},
	{name: "shift_jis", enc: japanese.ShiftJIS, wide: true, word: oneOf(unicode.Hiragana, unicode.Katakana, unicode.Han), kana: true},
	{name: "euc-jp", enc: japanese.EUCJP, wide: true, word: oneOf(unicode.Hiragana, unicode.Katakana, unicode.Han), kana: true},
	{name: "euc-kr", enc: korean.EUCKR, wide: true, word: oneOf(unicode.Hangul)},
	{name: "gb18030", enc: simplifiedchinese.GB18030, wide: true, word: oneOf(unicode.Han), common: [2]byte{0xB0, 0xD7}},
	{name: "big5", enc: traditionalchinese.Big5, wide: true, word: oneOf(unicode.Han), common: [2]byte{0xA4, 0xC6}},
}

// among tells words whose letters beyond ASCII one language has.
func among(languages []string) func([]rune) bool {
	return func(word []rune) bool {
		return slices.ContainsFunc(languages, func(letters string) bool {
			run := 0
			for i, r := range word {
				if r < utf8.RuneSelf {
					run = 0
					continue
				}
				inside := i > 0 && i+1 < len(word)
				switch {
				case unicode.IsLetter(r):
					if run++; run > 2 || !strings.ContainsRune(letters, unicode.ToLower(r)) {
						return false
					}
				case inside && !unicode.IsMark(r): // a sign, as ¹ or £, among letters
					return false
				}
			}
			return true
		})
	}
}

// script tells words of one script alone, in small letters behind the first, or in capitals.
func script(of *unicode.RangeTable) func([]rune) bool {
	return func(word []rune) bool {
		lower, upper := 0, 0
		for i, r := range word {
			if !unicode.Is(of, r) {
				return false
			}
			if i > 0 && unicode.IsUpper(r) {
				upper++
			} else if i > 0 {
				lower++
			}
		}
		return lower == 0 || upper == 0
	}
}

// oneOf tells words whose letters beyond ASCII are of some scripts.
func oneOf(scripts ...*unicode.RangeTable) func([]rune) bool {
	return func(word []rune) bool {
		return !slices.ContainsFunc(word, func(r rune) bool {
			wideForm := 0xFF00 <= r && r < 0xFF60 || strings.ContainsRune("ー々〆", r)
			return r >= utf8.RuneSelf && unicode.IsLetter(r) && !wideForm && !unicode.In(r, scripts...) || r == utf8.RuneError
		})
	}
}

// doubt tells whether a text that is not UTF-8 is hardly Windows-1252: a word that is odd then, and encodings in which it
// would read better, the best first; "" where there is no doubt.
func doubt(raw []byte) (odd string, better []string) {
	const most = 64 << 10
	raw = raw[:min(len(raw), most)]
	here := reading{enc: charmap.Windows1252, word: among(western), languages: western}
	read, ok := here.read(raw)
	strange, odd := read.odd, read.first
	byWords := ok && strange*4 >= read.words && read.words > 0
	type found struct {
		name          string
		share, letter float64
	}
	var all []found
	for _, r := range readings {
		other, ok := r.read(raw)
		if !ok || other.words == 0 || bytes.Equal(read.text, other.text) {
			continue
		}
		byLetters := r.languages != nil && other.known >= 0.97 && other.known-read.known >= 0.04
		if byLetters && odd == "" {
			odd = read.unknown
		}
		if byLetters || byWords && other.odd*2 < other.words && other.odd*read.words < strange*other.words {
			all = append(all, found{r.name, float64(other.odd) / float64(other.words), other.capitals - other.known})
		}
	}
	if !byWords && len(all) == 0 {
		return "", nil
	}
	slices.SortStableFunc(all, func(a, b found) int { return cmp.Or(cmp.Compare(a.share, b.share), cmp.Compare(a.letter, b.letter)) })
	for _, f := range all[:min(3, len(all))] {
		better = append(better, f.name)
	}
	for _, name := range []string{"windows-1250", "windows-1251"} { // two at least
		if len(better) < 2 && !slices.Contains(better, name) {
			better = append(better, name)
		}
	}
	return odd, better
}

// words is what a text is in a reading.
type words struct {
	text       []byte
	words, odd int     // with characters beyond ASCII, and those of no language
	first      string  // odd one
	known      float64 // the share of the letters beyond ASCII that the best of the languages has
	unknown    string  // the first word with another
	capitals   float64 // the share of those letters that are capitals, behind the first of a word
}

// read reads a text; false where it is none in this encoding.
func (r *reading) read(raw []byte) (w words, ok bool) {
	var err error
	if w.text, err = r.enc.NewDecoder().Bytes(raw); err != nil {
		return w, false
	}
	if r.wide && !r.fits(raw, w.text) {
		return w, false
	}
	var beyond [][]rune
	total, capitals := 0, 0
	counts := make([]int, len(r.languages))
	for word := range bytes.FieldsFuncSeq(w.text, betweenWords) {
		letters := []rune(string(word))
		if !slices.ContainsFunc(letters, func(c rune) bool { return c >= utf8.RuneSelf && (unicode.IsLetter(c) || len(letters) > 2) }) {
			continue
		}
		if w.words++; !r.word(letters) {
			if w.odd++; w.odd == 1 {
				w.first = string(word)
			}
		}
		beyond = append(beyond, letters)
		for i, c := range letters {
			if c < utf8.RuneSelf || !unicode.IsLetter(c) {
				continue
			}
			total++
			if i > 0 && unicode.IsUpper(c) {
				capitals++
			}
			for k, has := range r.languages {
				if strings.ContainsRune(has, unicode.ToLower(c)) {
					counts[k]++
				}
			}
		}
	}
	if total == 0 {
		return w, true
	}
	w.capitals = float64(capitals) / float64(total)
	if len(counts) == 0 {
		return w, true
	}
	best := slices.Index(counts, slices.Max(counts))
	w.known = float64(counts[best]) / float64(total)
	for _, letters := range beyond {
		if slices.ContainsFunc(letters, func(c rune) bool {
			return c >= utf8.RuneSelf && !strings.ContainsRune(r.languages[best], unicode.ToLower(c))
		}) {
			w.unknown = string(letters)
			break
		}
	}
	return w, true
}

// fits tells whether a text of several bytes a character is one of this encoding: few characters are wrong, and those there
// are are common ones.
func (r *reading) fits(raw, text []byte) bool {
	letters, kana, wrong, common, pairs := 0, 0, 0, 0, 0
	for _, c := range string(text) {
		switch {
		case c == utf8.RuneError:
			wrong++
		case c >= utf8.RuneSelf:
			if letters++; unicode.In(c, unicode.Hiragana, unicode.Katakana) {
				kana++
			}
		}
	}
	for i := 0; r.common[0] > 0 && i < len(raw); i++ {
		if raw[i] >= utf8.RuneSelf {
			if pairs++; r.common[0] <= raw[i] && raw[i] <= r.common[1] {
				common++
			}
			i++ // the second byte
		}
	}
	return wrong <= 1+letters/50 && (!r.kana || kana*5 > letters) && common*10 >= pairs*6
}

func betweenWords(c rune) bool {
	return c < utf8.RuneSelf && !('a' <= c && c <= 'z' || 'A' <= c && c <= 'Z') || unicode.IsSpace(c) || strings.ContainsRune("«»“”‘’‚„‹›–—…·•", c)
}

// told says how text was read that is not UTF-8.
func told(raw []byte) string {
	odd, better := doubt(raw)
	if odd == "" {
		return "read as Windows-1252: the file is not UTF-8"
	}
	last := len(better) - 1
	return "read as Windows-1252, which is not sure: the file is not UTF-8, and " + diag.Quote(odd) + " makes no word; try --encoding " + strings.Join(better[:last], ", ") + " or " + better[last]
}
