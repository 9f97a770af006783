package test

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestPageInBrowser: a real browser draws the page of a profile, sorts and searches it,
// with nothing from elsewhere; skipped where there is none.
func TestPageInBrowser(t *testing.T) {
	bin, dir := binary(t), t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.WriteFile(path("odd.csv"), []byte("\"<b>&\",n\n\"</script><i>\",1\nx,3\nx,5\n"), 0o644))
	cmd := exec.Command(bin, "profile", "--html", path("page.html"), path("odd.csv"))
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	page, err := os.ReadFile(path("page.html"))
	require.NoError(t, err)
	assert.NotRegexp(t, regexp.MustCompile(`(?i)(src|href)=|url\(|@import|https?://`), string(page))
	assert.NotContains(t, string(page), "</script><i>")
	browser, err := exec.LookPath("chromium")
	if err != nil {
		t.Skip("there is no browser here")
	}
	acts := `<script>
document.title = [...document.querySelectorAll("tbody tr")].map(r => r.cells[0].textContent).join("|");
document.querySelectorAll("th button")[3].click();
document.querySelectorAll("th button")[3].click();
document.title += " then " + [...document.querySelectorAll("tbody tr")].map(r => r.cells[0].textContent).join("|");
search.value = "whole"; search.dispatchEvent(new Event("input"));
</script></body>`
	require.NoError(t, os.WriteFile(path("page.html"), []byte(strings.Replace(string(page), "</body>", acts, 1)), 0o644))
	cmd = exec.Command(browser, "--headless", "--no-sandbox", "--disable-gpu", "--user-data-dir="+path("profile"), "--dump-dom", "file://"+path("page.html"))
	dom, err := cmd.Output()
	require.NoError(t, err)
	assert.Contains(t, string(dom), "<title>&lt;b&gt;&amp;|n then n|&lt;b&gt;&amp;</title>")
	assert.Contains(t, string(dom), `aria-sort="descending"`)
	assert.Contains(t, string(dom), "1 of 2 fields")
	assert.Equal(t, 1, strings.Count(string(dom), `<tr hidden="">`))
}
