package test

import (
	"encoding/json"
	"fmt"
	"html"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// browser is a headless browser, "" where there is none; REVUELTA_BROWSER_TESTS insists on it.
func browser(t *testing.T) string {
	for _, name := range []string{"chromium", "chromium-browser"} {
		if path, err := exec.LookPath(name); err == nil {
			return path
		}
	}
	if os.Getenv("REVUELTA_BROWSER_TESTS") != "" {
		t.Fatal("there is no chromium")
	}
	t.Skip("there is no chromium: the pages are not looked at")
	return ""
}

var measured = regexp.MustCompile(`(?s)<pre id="measured">(.*?)</pre>`)

// measure opens a page with a script at its end, which calls tell with an object, and gives that.
func measure(t *testing.T, page, script string, options ...string) map[string]any {
	t.Helper()
	text := textOf(t, page)
	script = `<script>function tell(what) { const p = document.createElement("pre"); p.id = "measured"; p.textContent = JSON.stringify(what); document.body.append(p) }</script>` + script
	path := filepath.Join(t.TempDir(), "page.html")
	require.NoError(t, os.WriteFile(path, []byte(strings.Replace(text, "</body>", script+"</body>", 1)), 0o644))
	args := append([]string{"--headless=new", "--no-sandbox", "--disable-gpu", "--user-data-dir=" + t.TempDir(), "--virtual-time-budget=8000", "--dump-dom"}, options...)
	out, err := exec.Command(browser(t), append(args, "file://"+path)...).Output()
	require.NoError(t, err)
	found := measured.FindSubmatch(out)
	require.NotNil(t, found, "the script told nothing")
	var told map[string]any
	require.NoError(t, json.Unmarshal([]byte(html.UnescapeString(string(found[1]))), &told))
	return told
}

// TestPages: in a browser, the pages are no wider than the window, open what is folded, and print; where axe-core lies at REVUELTA_AXE, it finds
// nothing at fault in light or dark.
func TestPages(t *testing.T) {
	browser(t)
	t.Chdir(t.TempDir())
	status, _, told := program(t, "demo honey")
	require.Zero(t, status, told)
	t.Chdir("honey")
	for command, page := range map[string]string{
		"run yearbook.plan --set-aside aside.csv --overwrite --report report.html":                                    "report.html",
		"cast kilos number tidy.csv --decimal , --report failed.html":                                                 "failed.html",
		"profile tidy.csv --html profile.html":                                                                        "profile.html",
		"group --by 'month(date)' --calc 'sum(jars)' --sheet '2024-*' cooperative.xlsx -o m.csv --report sheets.html": "sheets.html",
	} {
		_, _, told := program(t, command)
		require.FileExists(t, page, told)
		for _, width := range []int{360, 768, 1600} {
			// A window is no narrower than 500, a frame is.
			got := measure(t, page, fmt.Sprintf(`<script>if (window.top === window) {
  const f = document.createElement("iframe"); f.width = %d; f.height = 900;
  f.onload = () => { const d = f.contentDocument.documentElement; tell({wide: d.scrollWidth, room: f.contentWindow.innerWidth}) };
  f.srcdoc = document.documentElement.outerHTML.replaceAll("<script>", "<script type=off>"); document.body.append(f) }</script>`, width), "--window-size=1800,1000")
			assert.LessOrEqual(t, got["wide"], got["room"], "%s at %d", page, width)
		}
		got := measure(t, page, `<script>const all = [...document.querySelectorAll("summary")]; all.forEach(s => s.click());
  tell({summaries: all.length, open: document.querySelectorAll("details[open]").length, hidden: [...document.querySelectorAll("details table")].filter(t => t.offsetHeight === 0).length, images: document.images.length})</script>`)
		assert.Equal(t, got["summaries"], got["open"], page)
		assert.EqualValues(t, 0, got["hidden"], page)
		pdf := filepath.Join(t.TempDir(), "page.pdf")
		require.NoError(t, exec.Command(browser(t), "--headless=new", "--no-sandbox", "--disable-gpu", "--user-data-dir="+t.TempDir(), "--print-to-pdf="+pdf, "file://"+filepath.Join(must(os.Getwd()), page)).Run())
		assert.True(t, strings.HasPrefix(textOf(t, pdf), "%PDF"), page)
		axe := os.Getenv("REVUELTA_AXE")
		if axe == "" {
			continue
		}
		for _, scheme := range []string{"1", "0"} { // light, dark
			got := measure(t, page, "<script>"+textOf(t, axe)+`</script><script>axe.run(document).then(r => tell({faults: r.violations.map(v => v.id + " " + v.nodes[0].html.slice(0, 100))}))</script>`, "--blink-settings=preferredColorScheme="+scheme)
			assert.Empty(t, got["faults"], "%s, colours %s", page, scheme)
		}
	}
}

func must[T any](what T, err error) T {
	if err != nil {
		panic(err)
	}
	return what
}
