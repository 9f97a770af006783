package test

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"revuelta/demo"
)

// TestOfficeProgram: a real office program opens our workbooks and hands every cell
// back, by way of its own; skipped where there is none.
func TestOfficeProgram(t *testing.T) {
	office, err := exec.LookPath("soffice")
	if err != nil {
		t.Skip("there is no office program here")
	}
	bin, dir := binary(t), t.TempDir()
	const table = "code,kilos,count,when,at,text,mixed,blank\n" +
		"026,1.5,3,2024-05-02,2024-05-02T14:30:00,=1+1,1.10,\n" +
		"007,-0.25,12,2023-12-31,2024-05-02T00:00:00,+49 30,x,\n" +
		"Ñ,1234567.5,-7,2024-05-02,1999-12-31T23:59:59,\"@home\ntwo lines \"\"q\"\" <&>\",,\n" +
		"x_x0041_,7,1,2024-02-29,2000-01-01T12:00:00,  two  spaces ,7,\n"
	path := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.WriteFile(path("mess.csv"), []byte(table), 0o644))
	ours := func(args ...string) string {
		cmd := exec.Command(bin, args...)
		out, err := cmd.Output()
		require.NoError(t, err, args)
		return string(out)
	}
	for from, to := range map[string]string{"xlsx": "ods", "ods": "xlsx"} {
		ours("convert", path("mess.csv"), "-o", path("mess."+from), "--quiet")
		out := path("by-" + from)
		cmd := exec.Command(office, "-env:UserInstallation=file://"+path("profile"), "--headless", "--convert-to", to, "--outdir", out, path("mess."+from))
		said, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", said)
		require.Equal(t, table, ours("convert", "--quiet", filepath.Join(out, "mess."+to)), "%s to %s", from, to)
	}
	require.NoError(t, os.WriteFile(path("book.xlsx"), demo.Read("cooperative.xlsx"), 0o644))
	cmd := exec.Command(office, "-env:UserInstallation=file://"+path("profile"), "--headless", "--convert-to", "ods", "--outdir", dir, path("book.xlsx"))
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", said)
	for _, args := range [][]string{
		{"convert", "--sheet", "Harvest", "--header", "auto", "--foot", "auto"},
		{"convert", "--area", "season", "--header", "4-5"},
		{"stencil", "mites queen brood / note . .", "--side", "colony", "--top", "date", "--sheet", "Hive book", "--body", "3"},
		{"convert", "--sheet", "2024-*"},
	} {
		a := ours(append(args, "--quiet", path("book.xlsx"))...)
		require.Greater(t, len(a), 100)
		require.Equal(t, a, ours(append(args, "--quiet", path("book.ods"))...), args)
	}
}
