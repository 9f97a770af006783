package format

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/simplifiedchinese"
	"golang.org/x/text/encoding/traditionalchinese"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

// wordsOf are the names that a language has for languages and regions: words nobody chose for this.
func wordsOf(tag string, n int) string {
	t := language.MustParse(tag)
	languages, regions := display.Languages(t), display.Regions(t)
	var b strings.Builder
	for _, code := range strings.Fields("de fr es it pt nl sv da nb fi pl cs hu ru uk el tr ja ko zh ar he hi th vi ro bg hr sl sk et lv lt ga is mt sq mk eu ca gl cy")[:n] {
		b.WriteString("12," + languages.Name(language.MustParse(code)) + ",7.5\n")
	}
	for _, code := range strings.Fields("DE FR ES IT PT NL SE DK NO FI PL CZ HU RU UA GR TR JP KR CN EG IL IN TH VN RO BG HR SI SK EE LV LT IE IS MT AL MK GB US CA BR")[:n] {
		b.WriteString("3," + regions.Name(language.MustParseRegion(code)) + ",0.5\n")
	}
	return b.String()
}

// TestDoubtsOfWindows1252: texts of its own languages are read without a doubt; those of others are told so, with what they are first.
func TestDoubtsOfWindows1252(t *testing.T) {
	path := filepath.Join(t.TempDir(), "file.csv")
	note := func(text string, enc encoding.Encoding) string {
		raw, err := encoding.ReplaceUnsupported(enc.NewEncoder()).Bytes([]byte("number,name,share\n" + text))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(path, raw, 0o644))
		src, err := Open([]string{path}, ReadOptions{})
		require.NoError(t, err)
		defer src.Close()
		return strings.Join(src.Inputs()[0].Notes, "|")
	}
	for _, n := range []int{10, 42} {
		for _, tag := range strings.Fields("de fr es it pt nl sv da nb fi is ca et sq eu gl") {
			if said := note(wordsOf(tag, n), charmap.Windows1252); said != "" { // a few have ASCII words alone
				assert.Equal(t, "read as Windows-1252: the file is not UTF-8", said, tag)
			}
		}
		for _, c := range []struct {
			name string
			enc  encoding.Encoding
			tags string
		}{
			{"windows-1250", charmap.Windows1250, "pl cs sk hr sl"}, {"windows-1251", charmap.Windows1251, "ru uk bg mk"}, {"koi8-r", charmap.KOI8R, "ru bg"}, {"windows-1253", charmap.Windows1253, "el"}, {"windows-1254", charmap.Windows1254, "tr"},
			{"iso-8859-2", charmap.ISO8859_2, "pl cs"}, {"windows-1255", charmap.Windows1255, "he"}, {"windows-1256", charmap.Windows1256, "ar"}, {"windows-874", charmap.Windows874, "th"}, {"ibm866", charmap.CodePage866, "ru uk"},
			{"euc-jp", japanese.EUCJP, "ja"}, {"big5", traditionalchinese.Big5, "zh-Hant"}, {"shift_jis", japanese.ShiftJIS, "ja"}, {"euc-kr", korean.EUCKR, "ko"}, {"gb18030", simplifiedchinese.GB18030, "zh"},
		} {
			for _, tag := range strings.Fields(c.tags) {
				if tag == "tr" && n == 10 { // so few words are nearly Icelandic
					continue
				}
				said := note(wordsOf(tag, n), c.enc)
				assert.Contains(t, said, "read as Windows-1252, which is not sure", "%s, %d words", tag, n)
				_, tries, _ := strings.Cut(said, "try --encoding ")
				assert.Contains(t, tries, c.name, "%s, %d words", tag, n)
				assert.GreaterOrEqual(t, strings.Count(tries, " "), 2, said)
				if n > 10 && c.name != "iso-8859-2" { // most of its letters are those of windows-1250
					assert.True(t, strings.HasPrefix(tries, c.name), "%s: %s", tag, said)
				}
				raw, err := encoding.ReplaceUnsupported(c.enc.NewEncoder()).Bytes([]byte("number,name,share\n" + wordsOf(tag, n)))
				require.NoError(t, err)
				require.NoError(t, os.WriteFile(path, raw, 0o644))
				src, err := Open([]string{path}, ReadOptions{Encoding: c.name})
				require.NoError(t, err, "what is proposed can be read")
				assert.Empty(t, src.Inputs()[0].Notes)
				src.Close()
			}
		}
	}
	for _, tag := range strings.Fields("ru el ja ko zh th he de ar") { // UTF-16 without its mark, whatever the script
		for name, enc := range map[string]encoding.Encoding{"UTF-16LE": unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM), "UTF-16BE": unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM)} {
			assert.Equal(t, "read as "+name+": NUL bytes stand where UTF-16 has them, without its mark", note(strings.ReplaceAll(wordsOf(tag, 42), "12,", "𠮷,"), enc), tag)
		}
	}
	assert.Contains(t, note("őr\nszőlő\nfűzfa méz\nakácméz\nerdő\n", charmap.Windows1250), "try --encoding windows-1250")
	assert.Equal(t, "read as Windows-1252: the file is not UTF-8", note("akácméz\nnémet\ngörög\n", charmap.Windows1250), "it is the same text in both")
	for _, text := range []string{"Fèrl\nÑuvo\nÅse\nMüller\nŒuvre\n", "12 m²\n5 °C\n½\n£5\n€ 7\n1ª\n¿Qué?\n“no” – “yes”…\n", "CAFÉ\nGROSSE ÖFEN\n", "naïve façade\nsmørrebrød\n"} {
		assert.Equal(t, "read as Windows-1252: the file is not UTF-8", note(text, charmap.Windows1252), text)
	}
}
