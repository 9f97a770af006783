package format

import (
	"encoding/hex"
	"io"
	"math/big"
	"os"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/compress/snappy"
	"github.com/parquet-go/parquet-go/deprecated"
	pq "github.com/parquet-go/parquet-go/format"

	"revuelta/internal/decimal"
	"revuelta/internal/diag"
)

var parquetFormat = Format{
	Name: "parquet", Suffixes: []string{".parquet"},
	Keeps:  "the order of fields; integers and doubles where every cell survives, else text; blank is null; exact decimals, dates and times read as text",
	Loses:  "lists, maps and variants are refused; bytes that are no text come in hexadecimal",
	begins: []string{"PAR1"},
	open:   one(openParquet), sample: sampleOfTable,
	encode: func(path string, o WriteOptions) (Encoding, error) {
		w := newWhole(path, o, nil, writeParquet)
		w.refuse = notInParquet
		return w, nil
	},
}

// openParquet opens a Parquet file. Nested groups give fields a.b; lists and maps are not read.
func openParquet(path string, o ReadOptions) (*oneFile, *Input, error) {
	if err := o.noSheet(path, "Parquet"); err != nil {
		return nil, nil, err
	}
	f, size, err := wholeFile(path, o)
	if err != nil {
		return nil, nil, err
	}
	p, input, err := readParquet(path, f, size)
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return &oneFile{body: p.begin(), names: p.names}, input, nil
}

func readParquet(path string, f *os.File, size int64) (p *pulled, in *Input, err error) {
	defer func() { // the library panics on some damaged files
		if r := recover(); r != nil {
			err = diag.Dataf("the Parquet file is damaged: %v", r).At(path, 0)
		}
	}()
	file, err := parquet.OpenFile(f, size, parquet.SkipBloomFilters(true), parquet.SkipPageIndex(true))
	if err != nil {
		return nil, nil, diag.Dataf("this is no Parquet file, or a damaged one: %v", err).At(path, 0)
	}
	var names, lists, variants []string
	var texts []func(parquet.Value) string
	var levels []int // that a value which is there has
	var walk func(c *parquet.Column)
	walk = func(c *parquet.Column) {
		for _, child := range c.Columns() {
			name := strings.Join(child.Path(), ".")
			if !child.Leaf() {
				if l := child.Type().LogicalType(); l != nil {
					if _, ok := l.Value.(*pq.VariantType); ok {
						variants = append(variants, name)
						continue
					}
				}
				walk(child)
				continue
			}
			levels = append(levels, child.MaxDefinitionLevel())
			if child.MaxRepetitionLevel() > 0 {
				lists = append(lists, name)
			}
			names, texts = append(names, name), append(texts, textOf(child.Type()))
		}
	}
	walk(file.Root())
	if len(lists) > 0 {
		return nil, nil, diag.Dataf("fields that hold lists or maps are not read: %s", diag.Names(lists)).At(path, 0).Trying("write them as JSON text where the file is made")
	}
	if len(variants) > 0 {
		return nil, nil, diag.Dataf("fields that hold variants are not read: %s", diag.Names(variants)).At(path, 0).Trying("write them as JSON text where the file is made")
	}
	if len(names) == 0 {
		return nil, nil, diag.Dataf("the Parquet file has no fields").At(path, 0)
	}
	clean, notes := headerNames(names, nil)
	r := parquet.NewReader(file)
	rows := make([]parquet.Row, 256)
	var have []parquet.Row
	var failed error
	left := file.NumRows()
	damaged := func(what string) error {
		return diag.Dataf("the Parquet file is damaged: %s", what).At(path, 0)
	}
	p = &pulled{file: path, names: clean, done: func() error { r.Close(); return f.Close() }}
	p.read = func(cells []string) (err error) {
		defer func() {
			if r := recover(); r != nil {
				err = diag.Dataf("the Parquet file is damaged: %v", r).At(path, 0)
			}
		}()
		for len(have) == 0 {
			if failed == io.EOF && left != 0 {
				return damaged(diag.Count(left) + " of its " + diag.Plural(file.NumRows(), "row") + " are not there")
			}
			if failed != nil {
				return failed
			}
			n, err := r.ReadRows(rows)
			have, failed = rows[:n], err
			if err != nil && err != io.EOF {
				failed = damaged(err.Error())
			}
		}
		if len(have[0]) != len(names) {
			return damaged("a row has " + diag.Plural(int64(len(have[0])), "value") + ", and there are " + diag.Plural(int64(len(names)), "field"))
		}
		left--
		for _, v := range have[0] {
			if i := v.Column(); v.IsNull() {
				if cells[i] = ""; v.DefinitionLevel() == levels[i] {
					return damaged("values of the field " + diag.Quote(names[i]) + " are not there")
				}
			} else {
				cells[i] = texts[i](v)
			}
		}
		have = have[1:]
		return nil
	}
	return p, &Input{Name: path, Fields: len(clean), Notes: notes}, nil
}

// textOf makes cells of the values of a type.
func textOf(t parquet.Type) func(parquet.Value) string {
	if l := t.LogicalType(); l != nil {
		switch l := l.Value.(type) {
		case *pq.DateType:
			return dateText
		case *pq.TimestampType:
			return momentText(unitOf(l.Unit))
		case *pq.TimeType:
			unit := unitOf(l.Unit)
			return func(v parquet.Value) string {
				return time.Unix(0, whole64(v)*int64(unit)).UTC().Format("15:04:05.999999999")
			}
		case *pq.DecimalType:
			return func(v parquet.Value) string { return scaled(v, int(l.Scale)) }
		case *pq.IntType:
			if !l.IsSigned {
				return unsignedText
			}
		case *pq.UUIDType:
			return func(v parquet.Value) string {
				h := hex.EncodeToString(v.ByteArray())
				if len(h) != 32 {
					return h
				}
				return h[:8] + "-" + h[8:12] + "-" + h[12:16] + "-" + h[16:20] + "-" + h[20:]
			}
		}
	} else if c := t.ConvertedType(); c != nil {
		switch *c {
		case deprecated.Date:
			return dateText
		case deprecated.TimestampMillis:
			return momentText(time.Millisecond)
		case deprecated.TimestampMicros:
			return momentText(time.Microsecond)
		case deprecated.Uint8, deprecated.Uint16, deprecated.Uint32, deprecated.Uint64:
			return unsignedText
		}
	}
	return plainText
}

func plainText(v parquet.Value) string {
	switch v.Kind() {
	case parquet.Boolean:
		return strings.ToUpper(strconv.FormatBool(v.Boolean()))
	case parquet.Int32:
		return strconv.Itoa(int(v.Int32()))
	case parquet.Int64:
		return strconv.FormatInt(v.Int64(), 10)
	case parquet.Float:
		wide, _ := strconv.ParseFloat(strconv.FormatFloat(float64(v.Float()), 'g', -1, 32), 64)
		return string(decimal.AppendFloat(nil, wide))
	case parquet.Double:
		return string(decimal.AppendFloat(nil, v.Double()))
	case parquet.Int96: // a moment, of old: nanoseconds of the day, and the Julian day
		i := v.Int96()
		nanos := int64(i[0]) | int64(i[1])<<32
		return momentOf(time.Unix((int64(i[2])-2440588)*86400, nanos))
	}
	if b := v.ByteArray(); !utf8.Valid(b) {
		return hex.EncodeToString(b)
	}
	return string(v.ByteArray())
}

func whole64(v parquet.Value) int64 {
	if v.Kind() == parquet.Int32 {
		return int64(v.Int32())
	}
	return v.Int64()
}

func unsignedText(v parquet.Value) string {
	if v.Kind() == parquet.Int32 {
		return strconv.FormatUint(uint64(v.Uint32()), 10)
	}
	return strconv.FormatUint(v.Uint64(), 10)
}

func dateText(v parquet.Value) string {
	return time.Unix(int64(v.Int32())*86400, 0).UTC().Format("2006-01-02")
}

func momentText(unit time.Duration) func(parquet.Value) string {
	return func(v parquet.Value) string {
		per := int64(time.Second / unit)
		n := v.Int64()
		return momentOf(time.Unix(n/per, n%per*int64(unit)))
	}
}

func momentOf(t time.Time) string { return t.UTC().Format("2006-01-02T15:04:05.999999999") }

func unitOf(u pq.TimeUnit) time.Duration {
	switch u.Value.(type) {
	case *pq.MilliSeconds:
		return time.Millisecond
	case *pq.MicroSeconds:
		return time.Microsecond
	}
	return time.Nanosecond
}

// scaled is an exact decimal.
func scaled(v parquet.Value, scale int) string {
	n := new(big.Int)
	switch v.Kind() {
	case parquet.Int32, parquet.Int64:
		n.SetInt64(whole64(v))
	default:
		b := v.ByteArray()
		n.SetBytes(b)
		if len(b) > 0 && b[0]&0x80 != 0 {
			n.Sub(n, new(big.Int).Lsh(big.NewInt(1), uint(8*len(b))))
		}
	}
	digits := new(big.Int).Abs(n).String()
	if scale > 0 {
		for len(digits) <= scale {
			digits = "0" + digits
		}
		digits = digits[:len(digits)-scale] + "." + digits[len(digits)-scale:]
	}
	if n.Sign() < 0 {
		digits = "-" + digits
	}
	return digits
}

// inOrder is a group whose fields stand in an order of their own; the library would sort them.
type inOrder struct {
	parquet.Group
	fields []parquet.Field
}

func (g inOrder) Fields() []parquet.Field { return g.fields }

// notInParquet tells why a Parquet file can't have such fields.
func notInParquet(names []string) *diag.Error {
	const most = 1<<16 - 2 // columns that the library has numbers for
	if len(names) > most {
		return diag.Dataf("%s are more than the %s of a Parquet file", diag.Plural(int64(len(names)), "field"), diag.Count(most)).Trying("another format: --write-as csv")
	}
	return nil
}

// rowGroup is how many rows are held before they are written.
const rowGroup = 64 << 10

// writeParquet writes the table; fields are integers or doubles where every cell survives as written.
func writeParquet(w *whole, next func() ([]string, error), _ *Output, to io.Writer) error {
	names := w.schema.Names()
	group := parquet.Group{}
	kinds := make([]holds, len(names))
	for i, n := range names {
		node := parquet.String()
		if h := w.could[i]; h&holdsSome != 0 && h&holdsNumbers != 0 && w.blank == "" {
			if node, kinds[i] = parquet.Leaf(parquet.DoubleType), holdsNumbers; h&holdsIntegers != 0 {
				node, kinds[i] = parquet.Int(64), holdsIntegers
			}
		}
		group[n] = parquet.Optional(node)
	}
	byName := map[string]parquet.Field{}
	for _, f := range group.Fields() {
		byName[f.Name()] = f
	}
	ordered := inOrder{Group: group}
	for _, n := range names {
		ordered.fields = append(ordered.fields, byName[n])
	}
	size := max(1, min(rowGroup, (16<<20)/(16*len(names)))) // wide tables are held in fewer rows
	out := parquet.NewWriter(to, parquet.NewSchema("table", ordered), parquet.MaxRowsPerRowGroup(int64(size)), parquet.Compression(&snappy.Codec{}))
	batch := make([]parquet.Row, 0, 64)
	var text []byte
	flush := func() error {
		_, err := out.WriteRows(batch)
		batch, text = batch[:0], text[:0]
		return err
	}
	for {
		cells, err := next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		row := make(parquet.Row, len(cells))
		for i, c := range cells {
			var v parquet.Value
			switch {
			case c == "":
				row[i] = v.Level(0, 0, i)
				continue
			case kinds[i] == holdsIntegers:
				n, _ := strconv.ParseInt(c, 10, 64)
				v = parquet.Int64Value(n)
			case kinds[i] == holdsNumbers:
				f, _ := strconv.ParseFloat(c, 64)
				v = parquet.DoubleValue(f)
			default:
				from := len(text)
				text = append(text, c...)
				v = parquet.ByteArrayValue(text[from:len(text):len(text)])
			}
			row[i] = v.Level(0, 1, i)
		}
		if batch = append(batch, row); len(batch) == cap(batch) {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	if err := flush(); err != nil {
		return err
	}
	return out.Close()
}
