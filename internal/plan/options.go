package plan

import (
	"strconv"
	"strings"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/selection"
	"revuelta/internal/step"
)

// ReadOptions are the options of reading, on the command line and of read.
var ReadOptions = []step.Option{
	{Name: "read-as", Value: "FORMAT", Help: "the format by name, else by suffix: " + strings.Join(format.Names(), ", ")},
	{Name: "delimiter", Value: "CHAR", Help: "what parts the cells (else found out: , ; tab |); spaces: runs of them"},
	{Name: "encoding", Value: "NAME", Help: "else found out: UTF-8, UTF-16 by mark, else Windows-1252 with a notice"},
	{Name: "quote", Value: `'"'|none`, Help: "none takes quotes as text"},
	{Name: "escape", Value: "backslash", Help: "a quote inside quotes is written \\\""},
	{Name: "comment", Value: "TEXT", Help: "lines that begin so are left out, counted"},
	{Name: "widths", Value: "8,12,…|auto", Help: "cells of fixed widths in characters, blanks at both ends taken off; auto: parted by the columns that are blank in every row"},
	{Name: "line-end", Value: "cr", Help: "rows end with lone CR, as very old programs wrote them"},
	{Name: "sheet", Value: "NAME|N|GLOB", Help: "of a workbook; a glob takes several, one beneath another (default: the first)"},
	{Name: "area", Value: "B3:K40|NAME", Help: "of a sheet: a range, a defined name or a table's name"},
	{Name: "header", Value: "N|A-B|none|auto", Help: "the header rows (default: row 1, unless it looks like a title)"},
	{Name: "header-join", Value: "TEXT", Help: "between the parts of several header rows (default: ' / ')"},
	{Name: "header-first", Value: "NAME", Help: "the header is one name short of every row: NAME is put before it"},
	{Name: "body", Value: "N", Help: "the first row of data"},
	{Name: "foot", Value: "N|auto", Help: "rows at the end that are notes, quoted in the account"},
	{Name: "blank", Value: "'NA,n/a,-'", Help: "markers that count as blank"},
	{Name: "source", Value: "NAME", Help: "a field with the file of each row"},
	{Name: "source-part", Value: "PATTERN", Help: "fields out of the name of each file, as '{year:4}-{month:2}'"},
	{Name: "limit", Value: "N", Help: "stop after N data rows"},
	{Name: "query", Value: "'SELECT…'", Help: "on a server: the rows of a query instead of a table; it only reads"},
	{Name: "by", Value: "SELECTION", Help: "on a server: the order of the rows, as sort takes it (default: the primary key)"},
	{Name: "flatten", Help: "nested JSON members become fields a.b; else they stay JSON text"},
}

// WriteOptions are the options of writing, on the command line and of write.
var WriteOptions = []step.Option{
	{Name: "write-as", Value: "FORMAT", Help: "the format by name, else by suffix, else csv"},
	{Name: "write-blank", Value: "TEXT", Help: "what blank cells are written as"},
	{Name: "write-delimiter", Value: "CHAR", Help: "what parts the cells of csv and tsv, as ';' or tab"},
	{Name: "write-decimal", Value: "CHAR", Help: "what stands before the decimals of every cell that is a number, in csv and tsv, as a comma"},
	{Name: "typed", Help: "json and ndjson: numbers, true and false as such, where every cell of the field is one"},
	{Name: "bom", Help: "begin with a byte mark, for office programs"},
	{Name: "crlf", Help: "end lines as office programs do"},
	{Name: "overwrite", Help: "allow writing onto an input file, or replacing the rows of a table"},
	{Name: "add", Help: "on a server: the rows go beneath those that are there, fields matched by name"},
	{Name: "as-text", Help: "on a server: every field is made text; else numeric, date, timestamp or boolean where every cell survives"},
}

// DecodeRead makes reading options of arguments.
func DecodeRead(a *step.Args) (o format.ReadOptions, err error) {
	o.As, o.Encoding, o.HeaderJoin, o.Source = a.Get("read-as", ""), a.Get("encoding", ""), a.Get("header-join", ""), a.Get("source", "")
	o.First, o.Layout.Comment = a.Get("header-first", ""), a.Get("comment", "")
	if o.Layout.Backslash = a.Has("escape"); o.Layout.Backslash && a.Get("escape", "") != "backslash" {
		return o, diag.Usagef("--escape %s: it is backslash", diag.Quote(a.Get("escape", "")))
	}
	if a.Has("widths") {
		if o.Layout.Widths, err = format.ParseWidths(a.Get("widths", "")); err != nil {
			return o, err
		}
	}
	if o.Layout.Spaces = a.Get("delimiter", "") == "spaces"; a.Has("delimiter") && !o.Layout.Spaces {
		if o.Delimiter, err = format.ParseDelimiter(a.Get("delimiter", "")); err != nil {
			return o, err
		}
	}
	switch q := a.Get("quote", `"`); q {
	case `"`:
	case "none":
		o.NoQuotes = true
	default:
		return o, diag.Usagef("--quote %s: it is '\"' or none", diag.Quote(q))
	}
	switch end := a.Get("line-end", ""); end {
	case "":
	case "cr":
		o.LineEndCR = true
	default:
		return o, diag.Usagef("--line-end %s: it is cr; LF and CRLF are read as they are", diag.Quote(end))
	}
	if a.Has("source-part") {
		if o.SourcePart, err = format.ParseSourcePart(a.Get("source-part", "")); err != nil {
			return o, err
		}
	}
	if a.Has("header") {
		if o.Header, err = format.ParseHeader(a.Get("header", "")); err != nil {
			return o, err
		}
	}
	if o.Body, err = count(a, "body"); err != nil {
		return o, err
	}
	o.Flatten, o.Query = a.Has("flatten"), a.Get("query", "")
	if a.Has("by") {
		if o.By, err = selection.ParseOrder(a.Get("by", "")); err != nil {
			return o, err
		}
	}
	o.Sheet, o.Area = a.Get("sheet", ""), a.Get("area", "")
	if a.Get("foot", "") == "auto" {
		o.FootAuto = true
	} else if o.Foot, err = count(a, "foot"); err != nil {
		return o, err
	}
	n, err := count(a, "limit")
	if err != nil {
		return o, err
	}
	o.Limit = int64(n)
	if a.Has("blank") {
		o.Blank, err = selection.List(a.Get("blank", ""))
	}
	return o, err
}

// count reads an option that is a number from 1 up; 0 where it was not given.
func count(a *step.Args, name string) (int, error) {
	if !a.Has(name) {
		return 0, nil
	}
	n, err := strconv.Atoi(a.Get(name, ""))
	if err != nil || n < 1 {
		return 0, diag.Usagef("--%s %s: it is a number from 1 up", name, diag.Quote(a.Get(name, "")))
	}
	return n, nil
}

// DecodeWrite makes writing options of arguments.
func DecodeWrite(a *step.Args) format.WriteOptions {
	return format.WriteOptions{As: a.Get("write-as", ""), Blank: a.Get("write-blank", ""), Delimiter: a.Get("write-delimiter", ""), Decimal: a.Get("write-decimal", ""), Typed: a.Has("typed"), Mark: a.Has("bom"), CRLF: a.Has("crlf"), Overwrite: a.Has("overwrite"),
		Add: a.Has("add"), AsText: a.Has("as-text"), EmptyText: a.Has("write-blank") && a.Get("write-blank", "") == ""}
}

var readSpec = &step.Spec{Name: "read", Forms: []string{"read FILE... [reading options]"}, Options: ReadOptions,
	Operands: func(a *step.Args) int { return max(1, len(a.Operands)) }}

var writeSpec = &step.Spec{Name: "write", Forms: []string{"write FILE [writing options]"}, Options: WriteOptions}

var markSpec = &step.Spec{Name: "mark", Forms: []string{"mark NAME"}}
