package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A course has six people, each in a state of their own.
func courseDesk(t *testing.T) *desk {
	d := newDesk(t, "essay.folders", "---\nfields:\n  person: Who?\n  group: { of: [A, B], default: A }\n---\n<person>\n    Notes\n    Pieces\n        Essay | due: 2020-03-09 | worth: 30\n        Talk | due: 2099-01-01 | worth: 20\n        Book | due\n    Photographs | holds: pictures | later\n",
		"C/own.txt", "mine")
	for i, who := range []string{"Bo", "Ida", "Jun", "Ola", "Oriel"} {
		_, status := d.run("build", "essay", "--into", "C", "person="+who, "group="+[]string{"A", "B"}[i%2], "--yes")
		require.Zero(t, status)
	}
	d.write("C/Jun/Pieces/Essay.odt", "twelve bytes")
	d.write("C/Oriel/Pieces/Essay.pdf", "x")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "C/Ida/Notes"), filepath.Join(d.dir, "C/Ida/notes")))
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "C/Ola/Notes")))
	return d
}

func TestWhatIsDueFirstStandsFirst(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "talk.folders", "---\nfields: { person: Who?, end: { type: date } }\n---\n<person>\n    Talk | due: <end>\n    Notes | later\n", "plain.folders", "---\nfields: { person: Who? }\n---\n<person>\n    Notes\n", "C/own.txt", "mine")
	for _, p := range []string{"plain person=Ada", "talk person=Ann end=2099-01-03", "talk person=Bob end=2099-01-01", "talk person=Cid end=2020-01-01"} {
		_, status := d.run(append(append([]string{"build"}, strings.Fields(p)...), "--into", "C", "--yes")...)
		require.Zero(t, status)
	}
	out, status := d.run("projects", "C", "--sort", "due", "--json")
	require.Equal(t, 1, status, "Cid is late")
	var order []string
	for _, m := range regexp.MustCompile(`"project": "C/(\w+)"`).FindAllStringSubmatch(out, -1) {
		order = append(order, m[1])
	}
	assert.Equal(t, []string{"Cid", "Bob", "Ann", "Ada"}, order)
}

func TestAllProjectsAreOneScreen(t *testing.T) {
	t.Parallel()
	d := courseDesk(t)
	out, status := d.run("projects", "C")
	require.Equal(t, 1, status, out)
	for project, want := range map[string]string{"Bo": "1 late", "Ida": "1 misnamed", "Jun": "well", "Ola": "1 missing", "Oriel": "well"} {
		assert.Regexp(t, `(?m)^[✓✗!] `+project+` +`+want, out)
	}
	assert.Contains(t, out, "1 of 3, 30 of 50 points, next 2099-01-01")
	days := int(time.Since(time.Date(2020, 3, 9, 0, 0, 0, 0, time.UTC)).Hours() / 24)
	assert.Contains(t, out, fmt.Sprintf("1 late (%d,%03d days)", days/1000, days%1000))
	assert.Contains(t, out, "5 projects: 2 well, 2 with something wrong, 3 late.")
	shown := func(args ...string) (names []string) {
		out, status := d.run(append([]string{"projects", "C"}, args...)...)
		require.LessOrEqual(t, status, 1, out)
		for line := range strings.Lines(out) {
			if strings.ContainsAny(line, "✓✗!") {
				names = append(names, strings.TrimPrefix(strings.Fields(line)[1], "C/"))
			}
		}
		return names
	}
	assert.Equal(t, []string{"Bo", "Ida", "Ola"}, shown("--late"))
	assert.Equal(t, []string{"Ida", "Ola"}, shown("--wrong"))
	assert.Equal(t, []string{"Ida", "Ola"}, shown("--where", "group=B"))
	assert.Equal(t, []string{"Oriel"}, shown("--where", "person~ORI"))
	assert.Equal(t, []string{"Bo", "Jun", "Oriel", "Ida", "Ola"}, shown("--by", "group"))
	assert.Equal(t, []string{"Jun", "Oriel", "Bo", "Ida", "Ola"}, shown("--sort", "size"))
	assert.Empty(t, shown("--behind"))
	text := d.read("essay.folders")
	d.write("essay.folders", text+"    Letters\n")
	assert.Len(t, shown("--behind"), 5)
	d.write("essay.folders", text)
	for args, want := range map[string]string{"--where colour=red": `no project here has a field "colour"`, "--sort sise": "did you mean size?", "--by colour": `no project here has a field "colour"`} {
		out, status := d.run(append([]string{"projects", "C"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, status)
		assert.Contains(t, out, want)
	}
	// What is meant so is no fault; one that cannot be read does not hide the others.
	_, status = d.run("check", "C/Ola", "--accept", "Notes", "--why", "she has none")
	require.Zero(t, status)
	d.write("C/Bo/.vestibula.json", "{")
	out, status = d.run("projects", "C")
	assert.Equal(t, 1, status)
	assert.Regexp(t, `✗ Bo +cannot be checked: .vestibula.json is damaged`, out)
	assert.NotContains(t, out, "missing")
	out, _ = d.run("projects", "C", "--use", "essay")
	assert.Regexp(t, `Pieces +2 of 4`, out)
	assert.Regexp(t, `Notes +0 of 4  nobody uses it`, out)
	_, status = d.run("projects", "C/own.txt")
	assert.Equal(t, 2, status)
}

func TestWhatNoFileShowsIsTicked(t *testing.T) {
	t.Parallel()
	d := courseDesk(t)
	label := d.read("C/Bo/.vestibula.json")
	out, status := d.run("tick", "C/Bo", "talk", "2027-01-02")
	require.Zero(t, status, out)
	out, _ = d.run("projects", "C/Bo")
	assert.Regexp(t, `✓ Talk +done 2027-01-02 +2099-01-01 +20 points`, out)
	assert.Regexp(t, `✗ Essay +late`, out)
	assert.Contains(t, out, "Pieces  1 of 3, 33 %, 20 of 50 points")
	_, status = d.run("check", "C/Bo")
	assert.Equal(t, 1, status)
	_, status = d.run("tick", "C/Bo", "Pieces/Essay")
	require.Zero(t, status)
	out, status = d.run("check", "C/Bo")
	assert.Zero(t, status, "what was ticked is not overdue: %s", out)
	_, status = d.run("upgrade", "C/Bo", "group=B", "--yes")
	require.Zero(t, status)
	out, _ = d.run("projects", "C/Bo")
	assert.Contains(t, out, "2 of 3", "ticks outlive an upgrade")
	_, status = d.run("build", "essay", "--into", "C", "person=Bo", "group=B", "--yes")
	require.Zero(t, status)
	for range 3 {
		_, status = d.run("undo", "--yes")
		require.Zero(t, status)
	}
	assert.Equal(t, label, d.read("C/Bo/.vestibula.json"))
	for args, want := range map[string]string{"C/Bo Tolk": "did you mean", "C/Bo Talk 2027-02-30": "that month has 28 days", "C Talk": "holds projects, and is none"} {
		out, status := d.run(append([]string{"tick"}, strings.Fields(args)...)...)
		assert.NotZero(t, status)
		assert.Contains(t, out, want)
	}
	out, _ = d.run("tick", "C/Bo", "Talk", "--not")
	assert.Contains(t, out, "Nothing to do")
}

// A table is begun from what is there, and brought back; a page shows nothing that runs.
func TestAllProjectsAreATableAndAPage(t *testing.T) {
	t.Parallel()
	d := courseDesk(t)
	for _, file := range []string{"all.csv", "all.xlsx", "all.json", "all.md", "all.txt"} {
		out, status := d.run("projects", "C", "--out", file)
		require.Zero(t, status, out)
	}
	before := d.whole("C")
	for _, file := range []string{"all.csv", "all.xlsx"} {
		out, status := d.run("build", "essay", "--into", "C", "--table", file, "--mark", "--changed", "--yes")
		require.Zero(t, status, out)
		assert.Contains(t, out, "Nothing to do: no row is left to build")
		assert.Equal(t, before, d.whole("C"))
	}
	d.write("all.csv", strings.Replace(d.read("all.csv"), ",Jun,A,", ",Juna,A,", 1))
	out, status := d.run("build", "essay", "--into", "C", "--table", "all.csv", "--mark", "--changed", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "twelve bytes", d.read("C/Juna/Pieces/Essay.odt"))
	assert.Contains(t, d.read("all.csv"), filepath.Join(d.dir, "C", "Juna"))
	var all struct {
		Projects []struct{ Project, Dir, ID string }
	}
	require.NoError(t, json.Unmarshal([]byte(d.read("all.json")), &all))
	assert.Len(t, all.Projects, 5)

	hostile := "</td><script>alert(1)</script> & <img src=x onerror=alert(1)>"
	_, status = d.run("build", "essay", "--into", "C", "person=Eve "+strings.NewReplacer("<", "‹", ">", "›", "/", "-").Replace(hostile), "--yes")
	require.Zero(t, status)
	require.NoError(t, os.Rename(filepath.Join(d.dir, "C/Bo"), filepath.Join(d.dir, "C", strings.ReplaceAll(hostile, "/", "-"))))
	out, status = d.run("projects", "C", "--out", "all.html")
	require.Zero(t, status, out)
	page := d.read("all.html")
	assert.Equal(t, 1, strings.Count(page, "<script>"), "its own alone")
	assert.NotContains(t, page, "<img")
	for _, line := range []string{`">C/Ida</a></li>`, `<td>1 misnamed, 1 late (`, `">C/Ola</a></li>`, `class="wrong"><th scope="row">C/Ola</th>`} {
		assert.Contains(t, page, line, "one glance says which need care")
	}
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "T"), 0o777))
	d.write("talk.folders", "---\nfields: { who: Who? }\n---\n<who>\n    Talk | due: 2020-03-09\n    Notes\n")
	_, status = d.run("build", "talk", "--into", "T", "who=Ida", "--yes")
	require.Zero(t, status)
	_, status = d.run("projects", "T", "--out", "talks.html")
	require.Zero(t, status)
	assert.Regexp(t, `<span>Talk</span></th><th scope="col" class="part"><span>Notes</span></th>(?s:.*)<span class="cell wrong" title="Talk is late`, d.read("talks.html"))
	assert.NotRegexp(t, `(src|href)=["']?https?:`, page, "no network")
	if browser, err := exec.LookPath("chromium"); err == nil {
		dom, err := exec.Command(browser, "--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--user-data-dir="+t.TempDir(), "--dump-dom", "file://"+filepath.Join(d.dir, "all.html")).Output()
		require.NoError(t, err)
		assert.Equal(t, 6, strings.Count(string(dom), `<th scope="row">`))
		assert.Contains(t, string(dom), `<button type="button">state</button>`, "its script ran")
		assert.NotContains(t, string(dom), "<img")
	}
}

// What is due stands in a calendar: a whole day for each, known again when it is written anew; what was delivered
// stands there no more.
func TestWhatIsDueStandsInACalendar(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "j.folders", "---\nfields: { client: Who?, received: { type: date } }\n---\n<client>\n    Agreement, signed.pdf | due: received + 14\n    Survey | due: received + 30\n")
	d.must("build", "j", "client=Oriel Pask", "received=2027-03-09", "--into", ".", "--yes")
	d.must("projects", ".", "--out", "due.ics")
	text := strings.ReplaceAll(d.read("due.ics"), "\r\n", "\n")
	for _, want := range []string{"BEGIN:VCALENDAR\nPRODID:-//Vestibula//EN\nVERSION:2.0\n", "\nDTSTART;VALUE=DATE:20270323\n", "\nDTEND;VALUE=DATE:20270324\n", "SUMMARY:Agreement\\, signed.pdf: Oriel Pask\n", "DTSTART;VALUE=DATE:20270408\n"} {
		assert.Contains(t, text, want)
	}
	d.write("Oriel Pask/Survey.docx", "x")
	d.must("projects", ".", "--out", "again.ics")
	again := strings.ReplaceAll(d.read("again.ics"), "\r\n", "\n")
	assert.NotContains(t, again, "Survey")
	uid := regexp.MustCompile(`UID:.*`)
	assert.Equal(t, uid.FindString(text), uid.FindString(again))
}
