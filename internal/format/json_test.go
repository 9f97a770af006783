package format

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/table"
)

// tableOfJSON reads a text through a pipe, which may be longer than what is looked at first.
func tableOfJSON(text string, flatten bool) (names []string, rows [][]string, lines []int, err error) {
	src, err := Open([]string{"-"}, ReadOptions{As: "json", Stdin: strings.NewReader(text), Flatten: flatten})
	if err != nil {
		return nil, nil, nil, err
	}
	defer src.Close()
	err = Each(src, func(b *table.Batch) error {
		for r := range b.Rows {
			row := b.Row(r, nil)
			for i := range row {
				row[i] = strings.Clone(row[i])
			}
			rows, lines = append(rows, row), append(lines, b.Origin.LineOf(r))
		}
		return nil
	})
	return src.Schema().Names(), rows, lines, err
}

// plainJSON is the same by the standard library, object by object; false where it is no such table.
func plainJSON(text string) (names []string, rows [][]string, ok bool) {
	d := json.NewDecoder(strings.NewReader(text))
	d.UseNumber()
	inside := false
	var objects []map[string]string
	for {
		t, err := d.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, nil, false
		}
		switch {
		case t == json.Delim('[') && !inside:
			inside = true
			continue
		case t == json.Delim(']') && inside:
			inside = false
			continue
		case t != json.Delim('{'):
			return nil, nil, false
		}
		object := map[string]string{}
		for d.More() {
			key, err := d.Token()
			if err != nil {
				return nil, nil, false
			}
			name := key.(string)
			var raw json.RawMessage
			if err := d.Decode(&raw); err != nil {
				return nil, nil, false
			}
			if _, twice := object[name]; twice {
				return nil, nil, false
			}
			cell := string(raw)
			switch raw[0] {
			case '"':
				if json.Unmarshal(raw, &cell) != nil {
					return nil, nil, false
				}
			case 'n':
				cell = ""
			}
			if object[name] = cell; !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
		if _, err := d.Token(); err != nil {
			return nil, nil, false
		}
		objects = append(objects, object)
	}
	for _, o := range objects {
		row := make([]string, len(names))
		for i, n := range names {
			row[i] = o[n]
		}
		rows = append(rows, row)
	}
	return names, rows, len(names) > 0 && !inside
}

// FuzzJSON: what the standard library reads as objects is read as the same rows.
func FuzzJSON(f *testing.F) {
	for _, s := range []string{
		`[{"hive":"026","kilos":1.10},{"hive":"007","note":null,"tags":["a", {"b":1}]}]`, "{\"a\":\"\\u00e9\\n\"}\n{\"b\":true}\n", `[ {"a" : 1e3} ,{} ]`, `{"a":"x"} {"a":"y"}`, `[{"a":1},3]`, `[[{"a":1}]]`, `{"a":1,"a":2}`, "[{\"a\":\"\xff\"}]",
		"[" + strings.Repeat("{\"a\":\"clover\",\"b\":null},\n", 3000) + "{\"c\":[]}]",
	} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		names, rows, ok := plainJSON(text)
		if !ok || !utf8.ValidString(text) || strings.ContainsRune(text, '\ufeff') || bytes.IndexByte([]byte(text), 0) >= 0 || strings.Contains(text, "\\u") { // halves of pairs are refused here
			_, _, _, _ = tableOfJSON(text, false)
			return
		}
		got, cells, lines, err := tableOfJSON(text, false)
		require.NoError(t, err)
		clean, _ := headerNames(names, nil)
		assert.Equal(t, clean, got)
		assert.Equal(t, rows, cells)
		assert.True(t, slices.IsSorted(lines))
	})
}

// TestJSONFaults: rows before a fault come out, and the fault has its line.
func TestJSONFaults(t *testing.T) {
	long := strings.Repeat("{\"a\":\"clover and heather\"},\n", 20_000)
	for _, c := range []struct {
		text, fault string
		rows        int
	}{
		{"[{\"a\":1},\n3]", "standard input line 2: here stands no object", 1},
		{"[{\"a\":1},\n[3]]", "standard input line 2: here stands no object", 1},
		{"[{\"a\":1},\n{\"a\":2,\n\"a\":3}]", `standard input line 2, field "a": the object has two members of that name`, 1},
		{"{\"a\":1}\n{\"a\":\n", "standard input line 3: this is not JSON: unexpected EOF", 1},
		{"[" + long + "{\"a\":oops}]", "standard input line 20001: this is not JSON: invalid character 'o'", 20_000},
		{"\n[]", "standard input: there are no objects in it", 0},
	} {
		_, rows, _, err := tableOfJSON(c.text, false)
		assert.ErrorContains(t, err, c.fault)
		assert.Len(t, rows, c.rows, c.fault)
	}
	names, rows, _, err := tableOfJSON(`{"a":{"b":{"c":1},"d":[1]}} {"a":{"d":2}}`, true)
	require.NoError(t, err)
	assert.Equal(t, []string{"a.b.c", "a.d"}, names)
	assert.Equal(t, [][]string{{"1", "[1]"}, {"", "2"}}, rows)
	_, err = Open([]string{"-"}, ReadOptions{As: "json", Stdin: io.MultiReader(strings.NewReader("["+long), failingReader{})})
	assert.ErrorContains(t, err, "the scale fell over")
}

type failingReader struct{}

func (failingReader) Read([]byte) (int, error) { return 0, errors.New("the scale fell over") }

// asRead is what comes of a JSON text: its names, rows with their lines, and the fault. It is read in parts of a size, of an array where it
// is one, or as a whole.
func asRead(text string, parts int) string {
	f := &jsonFile{file: "x.ndjson", at: map[string]int{}, again: func() (io.Reader, func(), error) { return strings.NewReader(text), func() {}, nil }}
	var out strings.Builder
	tell := func(b *table.Batch) {
		for r := range b.Rows {
			fmt.Fprintf(&out, "%d %q\n", b.Origin.LineOf(r), b.Row(r, nil))
		}
	}
	if parts == 0 {
		(&jsonReader{f: f, names: f.name}).read(strings.NewReader(text))
		fmt.Fprintf(&out, "%q\n", f.names)
		f.pull()
		defer f.close()
		for {
			c, err := f.next()
			if err != nil {
				fmt.Fprintln(&out, err)
				return out.String()
			}
			tell(c.batch)
		}
	}
	defer func(was int) { chunkSize = was }(chunkSize)
	chunkSize = parts
	var cuts arrayCuts
	if array := strings.HasPrefix(strings.TrimLeft(text, " \t\r\n"), "["); array {
		names := &jsonReader{f: f, names: f.name}
		cuts.watch(names)
		if err := names.read(strings.NewReader(text)); err != nil || !cuts.useful() {
			return asRead(text, 0)
		}
	} else {
		f.namesInParts(strings.NewReader(text), 1+parts%3)
	}
	fmt.Fprintf(&out, "%q\n", f.names)
	p, err := f.inParts(cuts.all)
	if err != nil {
		return err.Error()
	}
	parse := p.parser(nil, parsing{})
	for {
		c, err := p.next()
		if err == nil {
			b := &table.Batch{}
			err = parse(c, b)
			tell(b)
		}
		if err != nil {
			fmt.Fprintln(&out, err)
			return out.String()
		}
	}
}

// FuzzJSONInParts: objects that are read in parts are those of a reader of the whole text, with their lines, up to the same fault.
func FuzzJSONInParts(f *testing.F) {
	for _, s := range []string{
		"{\"a\":1,\"b\":\"x\"}\n{\"b\":null}\n{\"c\":[1,\n2]}\n", "{\n \"a\": {\"x\": 1}\n}\n\n{\n \"a\": \"}\\n{\"\n}\r\n{\"z\":true}", "{\"a\":{\"x\":1}\n{\"b\":2}\n{\"c\":3}",
		"{\"a\":[{}\n{}]}\n{\"b\":1}", "{\"a\":1}\n{\"a\":1,\"a\":2}\n{\"b\":3}", "{\"a\":1}\n 5 \n{\"b\":1}", "{\"a\":1}\n{\"b\":1}}\n{\"c\":1}", "{\"a\":1} {\"b\":2}\n{\"c\":3}\n[{\"d\":4}]\n{\"e\":5}",
		"{\"a\":1}\n{\"a\":2\n{\"a\":3}\n", "{\"a\":1}\n{\"a\":\"\x01\"}\n{\"b\":3}\n",
	} {
		f.Add(s, 8)
		f.Add("["+strings.ReplaceAll(s, "}\n{", "} ,\n {")+"]", 9)
	}
	f.Add("[{\"a\":1},{\"b\":[{}\n,{\"a\":1}]},\n\n{\"b\":2}, {\"b\":3}]\n[{\"c\":4},{\"c\":5}] {\"d\":1}", 1)
	f.Add("[{\"a\":1},\n{\"b\":2},\n{\"b\":3}\n{\"b\":4},{\"a\":5}", 1)
	f.Fuzz(func(t *testing.T, text string, size int) {
		if size < 1 || size > 1000 || len(text) > 4000 {
			return
		}
		if whole, parts := asRead(text, 0), asRead(text, size); whole != parts {
			t.Errorf("in parts of %d:\n%s\nwhole:\n%s", size, parts, whole)
		}
	})
}
