package format

import (
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/table"
)

// TestCutCharacters: only a last character that is cut comes off, and nothing of text that is no UTF-8.
func TestCutCharacters(t *testing.T) {
	for _, r := range []string{"a", "é", "蜂", "🐝"} {
		for whole := range 5 {
			for cut := 1; cut <= len(r); cut++ {
				text := strings.Repeat(r, whole) + r[:cut]
				want := strings.Repeat(r, whole)
				if cut == len(r) {
					want = text
				}
				assert.Equal(t, want, string(wholeCharacters([]byte(text))), "%q", text)
			}
		}
	}
	for _, latin := range []string{"\xe9", "caf\xe9 ", "\xe9\xe9\xe9a", "a\x80\x80\x80", "\x80\x80\x80\x80"} {
		assert.False(t, utf8.Valid(wholeCharacters([]byte("x"+latin+"y"))))
	}
}

// TestEveryOffsetIsUTF8: wherever the part that is looked at first ends within a character, of whatever length, a file is
// read as what it is, by those who look and by those who read.
func TestEveryOffsetIsUTF8(t *testing.T) {
	path := filepath.Join(t.TempDir(), "file.csv")
	for _, r := range []string{"é", "蜂", "🐝"} {
		for offset := range 5 {
			row := strings.Repeat(r, 30) + "," + strings.Repeat(r, 31) + "\n"
			text := "name,note\n" + strings.Repeat("x", offset) + ",\n" + strings.Repeat(row, (probeSize+200_000)/len(row))
			require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
			src, err := Open([]string{path}, ReadOptions{})
			require.NoError(t, err)
			assert.Equal(t, "utf-8", src.Inputs()[0].How.Encoding, "%s at %d", r, offset)
			assert.Empty(t, src.Inputs()[0].Notes)
			c, err := src.Next()
			require.NoError(t, err)
			b := table.Get()
			require.NoError(t, src.Parser().Parse(c, b))
			assert.Equal(t, strings.Repeat(r, 30), b.Cols[0].At(1))
			src.Close()
			lie, err := SampleOf(path, ReadOptions{})
			require.NoError(t, err)
			assert.Equal(t, "utf-8", lie.Encoding, "looked at, %s at %d", r, offset)
			assert.Equal(t, strings.Repeat(r, 30), lie.First[2].Cells[0])
		}
	}
}

// TestOtherEncodings: what is no UTF-8 is told, and read as what it is named.
func TestOtherEncodings(t *testing.T) {
	read := func(raw []byte, o ReadOptions) (string, string, error) {
		o.Stdin = bytes.NewReader(raw)
		src, err := Open([]string{"-"}, o)
		if err != nil {
			return "", "", err
		}
		defer src.Close()
		c, err := src.Next()
		if err == io.EOF {
			return "", "", nil
		}
		b := table.Get()
		if err := src.Parser().Parse(c, b); err != nil {
			return "", "", err
		}
		return b.Cols[0].At(0), strings.Join(src.Inputs()[0].Notes, "; "), nil
	}
	utf16 := func(s string, first, second int) []byte {
		var out []byte
		for _, r := range s {
			pair := []byte{byte(r), byte(r >> 8)}
			out = append(out, pair[first], pair[second])
		}
		return out
	}
	plain := "name,note\nFèrl,x\nplain,letters\n"
	for name, c := range map[string]struct {
		raw  []byte
		o    ReadOptions
		want string
		note string
	}{
		"utf-8":                   {[]byte(plain), ReadOptions{}, "Fèrl", ""},
		"utf-8 with mark":         {[]byte("\uFEFF" + plain), ReadOptions{}, "Fèrl", ""},
		"windows-1252":            {[]byte("name,note\nF\xe8rl,x\n"), ReadOptions{}, "Fèrl", "Windows-1252"},
		"named":                   {[]byte("name,note\nF\x8arl,x\n"), ReadOptions{Encoding: "cp850"}, "Fèrl", ""},
		"utf-16le with mark":      {append([]byte{0xff, 0xfe}, utf16(plain, 0, 1)...), ReadOptions{}, "Fèrl", ""},
		"utf-16be with mark":      {append([]byte{0xfe, 0xff}, utf16(plain, 1, 0)...), ReadOptions{}, "Fèrl", ""},
		"utf-16le without a mark": {utf16(plain, 0, 1), ReadOptions{}, "Fèrl", "UTF-16LE"},
		"utf-16be without a mark": {utf16(plain, 1, 0), ReadOptions{}, "Fèrl", "UTF-16BE"},
	} {
		got, note, err := read(c.raw, c.o)
		require.NoError(t, err, name)
		assert.Equal(t, c.want, got, name)
		assert.Contains(t, note, c.note, name)
		if c.note == "" {
			assert.Empty(t, note, name)
		}
	}
	for name, c := range map[string]struct {
		raw  []byte
		o    ReadOptions
		want string
	}{
		"binary":      {[]byte("a\x00\x00b,\x00c\n"), ReadOptions{}, "NUL"},
		"unknown":     {[]byte(plain), ReadOptions{Encoding: "utf-99"}, "no such encoding"},
		"empty":       {nil, ReadOptions{}, "empty"},
		"only a mark": {[]byte("\uFEFF"), ReadOptions{}, "empty"},
		"cut gzip":    {[]byte{0x1f, 0x8b, 8, 0}, ReadOptions{}, "gzip"},
		"cut zstd":    {[]byte{0x28, 0xb5, 0x2f, 0xfd, 1}, ReadOptions{}, "damaged"},
	} {
		_, _, err := read(c.raw, c.o)
		assert.ErrorContains(t, err, c.want, name)
	}
}
