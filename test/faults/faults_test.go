// Package faults runs the built program where things go wrong around it: signals while it waits, kills, full disks, closed
// pipes, files that are no files.
package faults

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var (
	program string
	kills   = flag.Int("kills", 20, "how often a run is killed at a random moment")
)

func TestMain(m *testing.M) {
	flag.Parse()
	if runtime.GOOS == "windows" {
		fmt.Println("skipped: signals and pipes are those of other systems")
		return
	}
	dir, err := os.MkdirTemp("", "faults")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "revuelta")
	build := exec.Command("go", "build", "-o", program, "./cmd/revuelta")
	build.Dir = filepath.Join("..", "..")
	if out, err := build.CombinedOutput(); err != nil {
		panic(string(out))
	}
	status := m.Run()
	os.RemoveAll(dir)
	os.Exit(status)
}

// folder is a folder with a small table, a large one and a plan.
func folder(t *testing.T) string {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "small.csv"), []byte("colony,kilos\n026,1.10\n007,2\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "two.plan"), []byte("read small.csv\nmark small\nread fifo\njoin @small --on colony\nwrite out.csv\n"), 0o644))
	return dir
}

func names(t *testing.T, dir string) (out []string) {
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	for _, e := range entries {
		out = append(out, e.Name())
	}
	return out
}

// statusOf is the exit status of a command that has ended.
func statusOf(t *testing.T, err error) int {
	if err == nil {
		return 0
	}
	var exit *exec.ExitError
	require.ErrorAs(t, err, &exit)
	return exit.ExitCode()
}

// did runs the program in a folder and gives its status, what it wrote and what it said.
func did(t *testing.T, dir, stdin string, args ...string) (int, string, string) {
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	cmd := exec.CommandContext(ctx, program, args...)
	var out, said bytes.Buffer
	cmd.Dir, cmd.Stdin, cmd.Stdout, cmd.Stderr = dir, strings.NewReader(stdin), &out, &said
	err := cmd.Run()
	return statusOf(t, err), out.String(), said.String()
}

// TestSignalsAreHeard: wherever the program waits, it ends soon after it is told to, with the status of the signal, and leaves nothing behind.
func TestSignalsAreHeard(t *testing.T) {
	for _, wait := range []struct {
		name  string
		stdin string // what comes before it goes quiet
		args  []string
	}{
		{"standard input, before anything came", "", []string{"convert", "-o", "out.csv"}},
		{"standard input, after some rows", "a,b\n1,2\n", []string{"convert", "-o", "out.csv"}},
		{"an input without a writer", "", []string{"convert", "fifo", "-o", "out.csv"}},
		{"an output without a reader", "", []string{"convert", "small.csv", "-o", "fifo"}},
		{"the second table of a plan", "", []string{"run", "two.plan"}},
		{"looking at standard input", "", []string{"look", "-"}},
		{"profiling standard input", "a\n1\n", []string{"profile", "-"}},
		{"the other table of a join", "", []string{"join", "fifo", "--on", "colony", "small.csv", "-o", "out.csv"}},
	} {
		for _, signal := range []struct {
			sent   syscall.Signal
			status int
			said   string
		}{{syscall.SIGINT, 130, "interrupted"}, {syscall.SIGTERM, 143, "terminated"}} {
			t.Run(wait.name+" "+signal.said, func(t *testing.T) {
				t.Parallel()
				dir := folder(t)
				require.NoError(t, syscall.Mkfifo(filepath.Join(dir, "fifo"), 0o600))
				before := names(t, dir)
				quiet, writer, err := os.Pipe()
				require.NoError(t, err)
				defer writer.Close()
				defer quiet.Close()
				_, err = io.WriteString(writer, wait.stdin)
				require.NoError(t, err)
				cmd := exec.Command(program, wait.args...)
				var said bytes.Buffer
				cmd.Dir, cmd.Stdin, cmd.Stderr = dir, quiet, &said
				require.NoError(t, cmd.Start())
				time.Sleep(400 * time.Millisecond)
				told := time.Now()
				require.NoError(t, cmd.Process.Signal(signal.sent))
				late := time.AfterFunc(10*time.Second, func() { cmd.Process.Kill() })
				err = cmd.Wait()
				require.True(t, late.Stop(), "it went on for %s", time.Since(told))
				assert.Equal(t, signal.status, statusOf(t, err))
				assert.Contains(t, said.String(), signal.said)
				assert.Equal(t, before, names(t, dir), "what is left behind")
			})
		}
	}
}

// TestSignalsInTheMiddle: a run that is at work ends too, and its output is the old one.
func TestSignalsInTheMiddle(t *testing.T) {
	dir := folder(t)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "out.csv"), []byte("old\n"), 0o644))
	before := names(t, dir)
	for _, step := range [][]string{{"convert"}, {"sort", "a"}, {"distinct"}, {"group", "--by", "a", "--calc", "count()"}} {
		endless, writer, err := os.Pipe()
		require.NoError(t, err)
		go func() {
			_, err := io.WriteString(writer, "a,b\n")
			for err == nil {
				_, err = io.WriteString(writer, strings.Repeat("1,2\n", 1000))
			}
		}()
		cmd := exec.Command(program, append(step, "-o", "out.csv")...)
		var said bytes.Buffer
		cmd.Dir, cmd.Stdin, cmd.Stderr = dir, endless, &said
		require.NoError(t, cmd.Start())
		time.Sleep(300 * time.Millisecond)
		require.NoError(t, cmd.Process.Signal(syscall.SIGINT))
		assert.Equal(t, 130, statusOf(t, cmd.Wait()), "%v: %s", step, said.String())
		assert.Equal(t, before, names(t, dir), step)
		old, err := os.ReadFile(filepath.Join(dir, "out.csv"))
		require.NoError(t, err)
		assert.Equal(t, "old\n", string(old), step)
		endless.Close()
		writer.Close()
	}
}

// TestKilledRuns: whenever a run is killed, an output is the old one or the new one, whole, and the input as it was.
func TestKilledRuns(t *testing.T) {
	dir := folder(t)
	var in strings.Builder
	in.WriteString("colony,kilos\n")
	for i := range 300_000 {
		fmt.Fprintf(&in, "H%d,%d\n", i%5000, i)
	}
	text := in.String()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte(text), 0o644))
	old := "an older table\n1\n"
	for _, args := range [][]string{{"convert", "in.csv", "-o", "out.csv"}, {"sort", "kilos desc", "in.csv", "-o", "out.csv"}, {"convert", "in.csv", "-o", "in.csv", "--overwrite"}} {
		target := filepath.Join(dir, args[len(args)-1])
		before := old
		if args[len(args)-1] == "--overwrite" {
			target, before = filepath.Join(dir, "in.csv"), text
		}
		require.NoError(t, os.WriteFile(target, []byte(before), 0o644))
		began := time.Now()
		status, _, said := did(t, dir, "", args...)
		require.Zero(t, status, said)
		takes := time.Since(began)
		after, err := os.ReadFile(target)
		require.NoError(t, err)
		whole := 0
		for range *kills {
			require.NoError(t, os.WriteFile(target, []byte(before), 0o644))
			cmd := exec.Command(program, args...)
			cmd.Dir = dir
			require.NoError(t, cmd.Start())
			time.Sleep(time.Duration(rand.Int64N(int64(takes) * 5 / 4)))
			_ = cmd.Process.Kill()
			_ = cmd.Wait()
			got, err := os.ReadFile(target)
			require.NoError(t, err)
			switch {
			case bytes.Equal(got, after):
				whole++
			case string(got) != before:
				t.Fatalf("%v: neither the old nor the new table: %d bytes of %d", args, len(got), len(after))
			}
		}
		t.Logf("%v: %d of %d were whole", args, whole, *kills)
		// What killed runs leave behind, the next one that writes the same file takes away.
		require.NoError(t, os.WriteFile(target, []byte(before), 0o644))
		status, _, said = did(t, dir, "", args...)
		require.Zero(t, status, said)
		left, err := filepath.Glob(filepath.Join(dir, ".*.part"))
		require.NoError(t, err)
		assert.Empty(t, left)
	}
}

// TestNoRoom: a disk that is full is told with status 3, wherever it fills up, and nothing half-written stays.
func TestNoRoom(t *testing.T) {
	if _, err := os.Stat("/dev/full"); err != nil {
		t.Skip("there is no /dev/full here")
	}
	dir := folder(t)
	before := names(t, dir)
	for _, args := range [][]string{{"convert", "small.csv", "-o", "/dev/full"}, {"convert", "small.csv", "-o", "/dev/full", "--write-as", "ndjson"}} {
		status, _, said := did(t, dir, "", args...)
		assert.Equal(t, 3, status, args)
		assert.Contains(t, said, "the disk is full", args)
		assert.Equal(t, before, names(t, dir))
	}
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	require.NoError(t, err)
	defer full.Close()
	cmd := exec.Command(program, "convert", "small.csv")
	var said bytes.Buffer
	cmd.Dir, cmd.Stdout, cmd.Stderr = dir, full, &said
	assert.Equal(t, 3, statusOf(t, cmd.Run()))
	assert.Contains(t, said.String(), "standard output: the disk is full")
}

// TestReadersThatGo: a reader that has what it wanted ends the run quietly, with status 0.
func TestReadersThatGo(t *testing.T) {
	dir := folder(t)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in.csv"), []byte("a,b\n"+strings.Repeat("1,2\n", 500_000)), 0o644))
	for _, args := range [][]string{{"convert", "in.csv"}, {"unpivot", "b", "in.csv"}, {"sort", "a", "in.csv"}, {"look", "in.csv"}, {"functions"}} {
		cmd := exec.Command(program, append(args, "--quiet")...)
		if args[0] == "look" || args[0] == "functions" {
			cmd = exec.Command(program, args...)
		}
		var said bytes.Buffer
		cmd.Dir, cmd.Stderr = dir, &said
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		_, err = io.ReadFull(out, make([]byte, 4))
		require.NoError(t, err)
		require.NoError(t, out.Close())
		assert.Zero(t, statusOf(t, cmd.Wait()), "%v: %s", args, said.String())
		assert.Empty(t, said.String(), args)
	}
}

// TestLinksAndDevices: a link stays a link and its target gets the table; pipes and devices are written as they come.
func TestLinksAndDevices(t *testing.T) {
	dir := folder(t)
	at := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.WriteFile(at("real.csv"), []byte("old\n"), 0o600))
	require.NoError(t, os.Symlink("real.csv", at("link.csv")))
	status, _, said := did(t, dir, "", "convert", "small.csv", "-o", "link.csv")
	require.Zero(t, status, said)
	info, err := os.Lstat(at("link.csv"))
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&os.ModeSymlink)
	got, err := os.ReadFile(at("real.csv"))
	require.NoError(t, err)
	assert.Equal(t, "colony,kilos\n026,1.10\n007,2\n", string(got))
	require.NoError(t, os.Mkdir(at("deep"), 0o700))
	require.NoError(t, os.Symlink("../new.csv", at("deep/first.csv")))
	require.NoError(t, os.Symlink("deep/first.csv", at("dangling.csv")))
	status, _, said = did(t, dir, "", "convert", "small.csv", "-o", "dangling.csv")
	require.Zero(t, status, said)
	got, err = os.ReadFile(at("new.csv"))
	require.NoError(t, err, "the target of a link is made, wherever it lies")
	assert.Equal(t, "colony,kilos\n026,1.10\n007,2\n", string(got))
	require.NoError(t, os.Symlink("round.csv", at("round.csv")))
	status, _, said = did(t, dir, "", "convert", "small.csv", "-o", "round.csv")
	assert.Equal(t, 3, status)
	assert.Contains(t, said, "links lead in a circle")
	require.NoError(t, os.Symlink("small.csv", at("again.csv")))
	status, _, said = did(t, dir, "", "convert", "small.csv", "-o", "again.csv")
	assert.Equal(t, 2, status, "a link to what is read")
	assert.Contains(t, said, "would lose")
	require.NoError(t, syscall.Mkfifo(at("fifo"), 0o600))
	read := make(chan string, 1)
	go func() {
		b, _ := os.ReadFile(at("fifo"))
		read <- string(b)
	}()
	status, _, said = did(t, dir, "", "convert", "small.csv", "-o", "fifo")
	require.Zero(t, status, said)
	assert.Equal(t, "colony,kilos\n026,1.10\n007,2\n", <-read)
	status, _, said = did(t, dir, "", "convert", "small.csv", "-o", "/dev/null", "--quiet")
	assert.Zero(t, status, said)
}

// TestLibrariesAreSilent: what a library writes to standard error by itself does not come out there.
func TestLibrariesAreSilent(t *testing.T) {
	dir := folder(t)
	var b bytes.Buffer
	w := parquet.NewWriter(&b, parquet.NewSchema("table", parquet.Group{"colony": parquet.Encoded(parquet.String(), &parquet.Plain)}))
	for range 100 {
		_, err := w.WriteRows([]parquet.Row{{parquet.ByteArrayValue([]byte("026")).Level(0, 0, 0)}})
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	lies := bytes.ReplaceAll(b.Bytes(), binary.AppendUvarint(nil, 200), binary.AppendUvarint(nil, 206)) // 103 rows, it says
	require.NoError(t, os.WriteFile(filepath.Join(dir, "lies.parquet"), lies, 0o644))
	status, _, said := did(t, dir, "", "convert", "lies.parquet", "-o", "out.csv")
	assert.Equal(t, 1, status)
	assert.Equal(t, "revuelta: lies.parquet: the Parquet file is damaged: 3 of its 103 rows are not there\n", said)
	assert.NoFileExists(t, filepath.Join(dir, "out.csv"))
}

// TestWideAndHollowFiles: very many fields are gone through once, and a file of nothing but holes is told in time.
func TestWideAndHollowFiles(t *testing.T) {
	dir := folder(t)
	fields, commas := 100_000, 1_000_000
	if testing.Short() {
		fields, commas = 10_000, 100_000
	}
	var head, row strings.Builder
	for i := range fields {
		if i > 0 {
			head.WriteByte(',')
			row.WriteByte(',')
		}
		fmt.Fprintf(&head, "field %d", i) // more than a MiB in all
		row.WriteString("1")
	}
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	write("wide.csv", head.String()+"\n"+row.String()+"\n")
	write("commas.csv", strings.Repeat(",", commas)+"\n"+strings.Repeat("1,", commas)+"\n")
	write("same.csv", strings.Repeat("name,", 40_000)+"\n"+strings.Repeat("1,", 40_000)+"\n")
	each := func(from string, to func(i int) string) string { // of 50,000 fields
		var list []string
		for i := range fields / 2 {
			list = append(list, to(2*i))
		}
		return from + strings.Join(list, ",")
	}
	field := func(i int) string { return fmt.Sprintf("field %d", i) }
	write("kept.plan", each("read wide.csv\nfields '", field)+"'\n")
	write("gone.plan", each("read wide.csv\nfields '", func(i int) string { return "!" + field(i) })+"'\n")
	write("renamed.plan", each("read wide.csv\nrename '", func(i int) string { return fmt.Sprintf("%s=n%d", field(i), i) })+"'\n")
	write("words.plan", each("read wide.csv\nfields '", field)+"'\nunpivot 'field {n:"+strings.ReplaceAll(each("", strconv.Itoa), ",", "|")+"}' --value one\n")
	write("expected.plan", each("read wide.csv\nunpivot '*'\npivot --down '' --across label --cell 'sum(value)' --others fold --expect '", field)+"'\n")
	for _, args := range [][]string{{"convert", "wide.csv", "wide.csv"}, {"fields", fmt.Sprintf("field 1..field %d", fields-2), "wide.csv"}, {"unpivot", "#2..#-1", "wide.csv"}, {"rename", "--snake", "wide.csv"}, {"look", "wide.csv"},
		{"profile", "same.csv"}, {"look", "same.csv"}, {"explode", "*", "--at", ";", "wide.csv"}, {"explode", "field 1", "--at", ";", "wide.csv"}, {"unpivot", "field 1,field 7", "wide.csv"}, {"convert", "commas.csv"}, {"look", "commas.csv"}, {"sort", "#1", "wide.csv"}, {"join", "wide.csv", "--on", "field 3", "wide.csv"},
		{"run", "kept.plan"}, {"run", "gone.plan"}, {"run", "renamed.plan"}, {"run", "words.plan"}, {"run", "expected.plan"}, {"check", "gone.plan"},
	} {
		if args[0] != "look" && args[0] != "profile" && args[0] != "check" {
			args = append(args, "--quiet")
		}
		status, out, said := did(t, dir, "", args...)
		assert.Zero(t, status, "%v: %.200s", args, said)
		assert.NotEmpty(t, out)
	}
	hollow := filepath.Join(dir, "hollow.csv")
	f, err := os.Create(hollow)
	require.NoError(t, err)
	_, err = f.WriteString("a,b\n")
	require.NoError(t, err)
	require.NoError(t, f.Truncate(1<<30))
	require.NoError(t, f.Close())
	status, _, said := did(t, dir, "", "convert", "hollow.csv", "-o", "out.csv")
	assert.Equal(t, 1, status)
	assert.Contains(t, said, "NUL")
	_, err = os.Stat(filepath.Join(dir, "out.csv"))
	assert.True(t, errors.Is(err, os.ErrNotExist))
}

// peak is the most memory that a finished program had, in MiB.
func peak(c *exec.Cmd) int64 {
	return c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss >> 10 // KiB, on Linux
}

// TestSmallFilesTakeLittle: a small file that would make very many blank cells takes no more memory than others.
func TestSmallFilesTakeLittle(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("memory is counted otherwise there")
	}
	dir := folder(t)
	write := func(name string, text []byte) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), text, 0o644))
	}
	const columns = 16_384
	head := "first" + strings.Repeat(",", columns-1) + "last\n"
	write("short.csv", []byte(head+strings.Repeat("7\n", 3000)))
	write("empty.csv", []byte(head+strings.Repeat("\n", 2_000_000)+"7\n"))
	var objects strings.Builder
	for i := range 5000 {
		fmt.Fprintf(&objects, "{\"member %d\":1}\n", i)
	}
	write("members.ndjson", []byte(objects.String()))
	var book bytes.Buffer
	z := zip.NewWriter(&book)
	part := func(name, text string) {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = io.WriteString(w, `<?xml version="1.0"?>`+text)
		require.NoError(t, err)
	}
	const main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
	const relations = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
	part("xl/workbook.xml", `<workbook xmlns="`+main+`" xmlns:r="`+relations+`"><sheets><sheet name="a" sheetId="1" r:id="rId1"/></sheets></workbook>`)
	part("xl/_rels/workbook.xml.rels", `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="`+relations+`/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`)
	var sheet strings.Builder
	sheet.WriteString(`<worksheet xmlns="` + main + `"><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>first</t></is></c><c r="XFD1" t="inlineStr"><is><t>last</t></is></c></row>`)
	for r := 2; r < 3000; r++ {
		fmt.Fprintf(&sheet, `<row r="%d"><c r="A%d"><v>%d</v></c></row>`, r, r, r)
	}
	part("xl/worksheets/sheet1.xml", sheet.String()+"</sheetData></worksheet>")
	require.NoError(t, z.Close())
	write("hollow.xlsx", book.Bytes())
	for name, rows := range map[string]int{"short.csv": 3000, "empty.csv": 1, "members.ndjson": 5000, "hollow.xlsx": 2998} {
		c := exec.Command(program, "fields", "#1", name, "-o", "out.csv", "--account", "account.json")
		c.Dir = dir
		said, err := c.CombinedOutput()
		require.NoError(t, err, "%s: %s", name, said)
		assert.Contains(t, string(said), diagCount(rows)+" row", name)
		assert.Less(t, peak(c), int64(224), "%s: MiB", name) // 130 to 170, as the collector comes by; the headers of all cells alone would be 750
	}
}

// diagCount is a number as the program writes it.
func diagCount(n int) string {
	s := strconv.Itoa(n)
	if len(s) > 3 {
		s = s[:len(s)-3] + "," + s[len(s)-3:]
	}
	return s
}

// TestLimitsOfTheProcess: a bound on the memory of the process lowers what steps take, so that they end well.
func TestLimitsOfTheProcess(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("limits are set otherwise there")
	}
	dir := folder(t)
	var text strings.Builder
	text.WriteString("colony,kilos\n")
	for i := range 1_200_000 {
		fmt.Fprintf(&text, "H%d,%d\n", i*7919%1_000_003, i%10)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "long.csv"), []byte(text.String()), 0o644))
	want := ""
	for _, limit := range []string{"unlimited", "3000000"} {
		for _, memory := range []string{"", " --memory 64GiB"} {
			c := exec.Command("sh", "-c", "ulimit -v "+limit+" && exec "+program+" distinct long.csv --quiet"+memory)
			c.Dir = dir
			var said bytes.Buffer
			c.Stderr = &said
			out, err := c.Output()
			require.NoError(t, err, "%s%s: %s", limit, memory, said.String())
			if want == "" {
				want = string(out)
			}
			require.True(t, want == string(out), "%s%s", limit, memory)
		}
	}
}

// TestLookOpensAPipeOnce: a second look at what is told of a pipe would wait for a writer that has gone.
func TestLookOpensAPipeOnce(t *testing.T) {
	dir := folder(t)
	fifo := filepath.Join(dir, "fifo")
	require.NoError(t, syscall.Mkfifo(fifo, 0o600))
	go func() { _ = os.WriteFile(fifo, []byte("a,b\n1,2\n"), 0o600) }()
	ended := make(chan string, 1)
	go func() {
		_, out, _ := did(t, dir, "", "look", "fifo")
		ended <- out
	}()
	select {
	case out := <-ended:
		assert.Contains(t, out, "Nothing untidy")
	case <-time.After(20 * time.Second):
		require.Fail(t, "look waits for the pipe again")
	}
}
