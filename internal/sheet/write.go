package sheet

import (
	"bufio"
	"fmt"
	"io"
	"strings"
	"time"
	"unicode/utf8"

	"archive/zip"

	"github.com/klauspost/compress/flate"
)

// Kind is how the cells of a column are written.
type Kind uint8

// The kinds of column. What is no text must come back as it was.
const (
	Text Kind = iota
	Number
	Date
	DateTime
)

// Column is a field of a sheet that is written.
type Column struct {
	Name  string
	Kind  Kind
	Width int // of its widest cell, in characters
}

// IsNumber tells whether a text comes back from a sheet as it is, as a number. More than 15
// digits do not survive an office program.
func IsNumber(s string) bool { return shortest([]byte(s)) }

// IsDate tells whether a text comes back as it is, as a date or a date with a time of day.
func IsDate(s string, timed bool) bool {
	layout := "2006-01-02"
	if timed {
		layout = "2006-01-02T15:04:05"
	}
	if len(s) != len(layout) {
		return false
	}
	t, err := time.Parse(layout, s)
	return err == nil && t.After(time.Date(1900, 2, 28, 0, 0, 0, 0, time.UTC)) && t.Format(layout) == s
}

// serial is the number of days that stands for a date in a sheet.
func serial(s string) float64 {
	t, err := time.Parse("2006-01-02T15:04:05", s)
	if err != nil {
		t, _ = time.Parse("2006-01-02", s)
	}
	seconds := t.Unix() - time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC).Unix()
	return float64(seconds) / (24 * 60 * 60)
}

// SheetName makes a name that a sheet may have.
func SheetName(s string) string {
	s = strings.Trim(strings.Map(func(r rune) rune {
		if strings.ContainsRune(`[]:*?/\`, r) || r < ' ' {
			return '-'
		}
		return r
	}, s), "' ")
	for utf8.RuneCountInString(s) > 31 {
		_, size := utf8.DecodeLastRuneInString(s)
		s = s[:len(s)-size]
	}
	if s == "" {
		return "Table"
	}
	return s
}

// wholly tells that all cells of a row are blank.
func wholly(cells []string) bool {
	for _, c := range cells {
		if c != "" {
			return false
		}
	}
	return true
}

// MostCell is how many characters a cell may have.
const MostCell = 32767

// Fits tells why a cell can't be written to a workbook, "" where it can.
func Fits(s string, ods bool) string {
	if len(s) > MostCell && !ods {
		if n := utf8.RuneCountInString(s); n > MostCell {
			return fmt.Sprintf("has %d characters, and a cell of a sheet takes %d", n, MostCell)
		}
	}
	if !ods {
		return ""
	}
	if i := strings.IndexFunc(s, noXML); i >= 0 {
		c, _ := utf8.DecodeRuneInString(s[i:])
		return fmt.Sprintf("holds the character U+%04X, which ods has no place for", c)
	}
	return ""
}

// parts writes the parts of a workbook one after the other.
type parts struct {
	z *zip.Writer
	w *bufio.Writer
}

func newParts(w io.Writer) *parts {
	z := zip.NewWriter(w)
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, 4) })
	return &parts{z, bufio.NewWriterSize(nil, 64<<10)}
}

// part begins a part.
func (p *parts) part(name string, stored bool) (*bufio.Writer, error) {
	if err := p.end(); err != nil {
		return nil, err
	}
	h := &zip.FileHeader{Name: name, Method: zip.Deflate}
	if stored {
		h.Method = zip.Store
	}
	w, err := p.z.CreateHeader(h)
	p.w.Reset(w)
	return p.w, err
}

// put writes a part whole.
func (p *parts) put(name, text string) error {
	w, err := p.part(name, false)
	if err != nil {
		return err
	}
	_, err = w.WriteString(`<?xml version="1.0" encoding="UTF-8" standalone="yes"?>` + "\n" + text)
	return err
}

func (p *parts) end() error {
	if p.w.Buffered() > 0 {
		return p.w.Flush()
	}
	return nil
}

func (p *parts) close() error {
	if err := p.end(); err != nil {
		return err
	}
	return p.z.Close()
}

// appendXML appends a text as XML has it, in an attribute or between tags.
func appendXML(dst []byte, s string) []byte {
	for i := range len(s) {
		switch c := s[i]; c {
		case '&':
			dst = append(dst, "&amp;"...)
		case '<':
			dst = append(dst, "&lt;"...)
		case '>':
			dst = append(dst, "&gt;"...)
		case '"':
			dst = append(dst, "&quot;"...)
		default:
			dst = append(dst, c)
		}
	}
	return dst
}

func xmlText(s string) string { return string(appendXML(nil, s)) }
