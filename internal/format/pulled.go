package format

import (
	"io"

	"revuelta/internal/diag"
	"revuelta/internal/table"
)

// pulled is a table whose rows are read one by one, in a goroutine of its own, a few batches ahead.
type pulled struct {
	file  string
	names []string
	// read reads the next row into cells, whose texts it gives for good; io.EOF after the last.
	read func(cells []string) error
	done func() error

	chunks chan Chunk
	stop   chan struct{}
	err    error
	closed bool
}

// begin begins to read.
func (f *pulled) begin() *pulled {
	f.chunks, f.stop = make(chan Chunk, 4), make(chan struct{})
	go func() {
		defer close(f.chunks)
		cells, most := make([]string, len(f.names)), table.RowsOf(len(f.names), sheetRows)
		for row := 1; ; {
			b := table.Get()
			b.Shape(len(f.names))
			cols := make([][]string, len(f.names))
			for i := range cols {
				cols[i] = b.Cols[i].Make(most)
			}
			n := 0
			var err error
			for ; n < most; n++ {
				if err = f.read(cells); err != nil {
					break
				}
				for i, c := range cells {
					cols[i][n] = c
				}
			}
			b.Rows = most
			b.Truncate(n)
			b.Rows, b.Origin = n, table.Origin{Line: row, Each: 1}
			row += n
			if n > 0 {
				select {
				case f.chunks <- Chunk{batch: b}:
				case <-f.stop:
					return
				}
			}
			if err != nil {
				if err != io.EOF {
					f.err = err
				}
				return
			}
		}
	}()
	return f
}

func (f *pulled) source() string { return f.file }
func (f *pulled) recycle(Chunk)  {}

func (f *pulled) next() (Chunk, error) {
	c, ok := <-f.chunks
	switch {
	case ok:
		return c, nil
	case f.err != nil:
		return c, f.err
	}
	return c, io.EOF
}

func (f *pulled) close() error {
	if f.closed {
		return nil
	}
	f.closed = true
	close(f.stop)
	for range f.chunks { // until the goroutine has let go of the file
	}
	return f.done()
}

func (f *pulled) parser(*Stats, parsing) func(Chunk, *table.Batch) error { return ready }

// textOptions are the options that a delimited text alone has.
const textOptions = "--delimiter, --encoding, --quote, --comment, --widths, --escape and --header-first"

// noSheet refuses options that a table with names of its own has no use for.
func (o *ReadOptions) noSheet(file, what string) error {
	switch {
	case o.AsItLies:
		return diag.Usagef("%s is no sheet with rows and columns", what).At(file, 0)
	case o.Header.Kind != HeaderFirst || o.Body > 0 || o.Foot > 0 || o.FootAuto:
		return diag.Usagef("--header, --body and --foot do not go with %s: it names its fields", what).At(file, 0)
	case o.Delimiter != 0 || o.Encoding != "" || o.NoQuotes || o.First != "" || !o.Layout.plain():
		return diag.Usagef("%s go with text, not with %s", textOptions, what).At(file, 0)
	case o.Sheet != "" || o.Area != "":
		return diag.Usagef("--sheet and --area go with workbooks (xlsx, ods)").At(file, 0)
	}
	return nil
}
