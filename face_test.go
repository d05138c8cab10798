package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// One folder stands in one way, whoever tells of it: check, projects, a table, a page and the first screen.
func TestAFolderStandsInOneWay(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\n---\n<client>\n    1 Letters | holds: documents\n    Essay | due: 2020-03-09\n    2 Plans\n")
	for _, client := range []string{"zeta 10", "Zeta 9", "Åsa", "Bo"} {
		d.must("build", "t", "client="+client, "--into", "C", "--yes")
	}
	require.NoError(t, os.Remove(filepath.Join(d.dir, "C/Åsa/2 Plans")))
	d.write("C/Åsa/1 Letters/x.wav", "x")
	d.write("C/Bo/Essay.odt", "x")
	d.write("C/Bo/Odd/x", "x")
	order := []string{"Åsa", "Bo", "Zeta 9", "zeta 10"}
	rows := func(out string) (list []string) {
		for line := range strings.Lines(out) {
			if line = strings.TrimSpace(line); strings.HasPrefix(line, "✗ ") || strings.HasPrefix(line, "! ") || strings.HasPrefix(line, "✓ ") {
				list = append(list, line)
			}
		}
		return list
	}
	for _, call := range [][]string{{"check", "C"}, {"projects", "C"}} {
		out, status := d.run(call...)
		assert.Equal(t, 1, status, out)
		assert.Contains(t, out, "below C\n", "what all lie in is said once")
		for i, row := range rows(out) {
			assert.Contains(t, row, order[i], "%v: people sort so", call)
		}
		assert.Regexp(t, `✗ Åsa +1 against “holds”, 1 missing, 1 late \([0-9,]+ days\)`, out)
		assert.Regexp(t, `! Bo +1 stray`, out)
		assert.Regexp(t, `✗ Zeta 9 +1 late`, out)
	}
	d.must("projects", "C", "--out", "rows.csv")
	assert.Contains(t, d.read("rows.csv"), "1 against “holds”, 1 missing, 1 late (")
	d.must("projects", "C", "--out", "p.html")
	page := d.read("p.html")
	assert.Contains(t, page, `class="wrong"><th scope="row">C/Åsa</th>`)
	assert.Contains(t, page, `class="late"><th scope="row">C/Bo</th>`)
	assert.Contains(t, page, `title="1 Letters/x.wav: `, "the cell says what is wrong in it")
	_, status := d.run("check", "C", "--out", "k.html")
	assert.Equal(t, 1, status, "what is found decides, wherever it is told")
	page = d.read("k.html")
	for _, want := range []string{"✗ C/Åsa</td>", "! C/Bo</td>", "1 against “holds”, 1 missing, 1 late (", `data-label="rule"`} {
		assert.Contains(t, page, want)
	}
	d.write("C/loose/x", "")
	out, _ := d.run("check", "C", "--out", "u.html")
	assert.Contains(t, out, "Not checked, as it belongs to none of them: C/loose")
	assert.Contains(t, d.read("u.html"), "Not checked, as it belongs to none of them: C/loose", "what was not looked at is said, always")
	_, status = d.run("check", "t", "--out", "t.md")
	assert.Zero(t, status)
	out, status = d.run("check", "C", "--out", "f.md", "--fix")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "it goes without --fix")
}

// What has another name at the top is the same level, and what is marked is counted.
func TestCompareCountsWhatItMarks(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "a.folders", "---\ntitle: Same\n---\nAlpha\n    01 Letters\n    02 Work\n", "b.folders", "---\ntitle: Same\n---\nBeta\n    01 Letters\n    02 Survey\n    03 Work\n")
	out, status := d.run("compare", "a", "b")
	require.Zero(t, status, out)
	assert.Regexp(t, `(?m)^ +a +b$`, out, "titles that are one tell nothing")
	for _, want := range []string{"2 differences: 1 under another name, 1 only in b.", "≈ has another name there", "+     02 Survey/", "≈     03 Work/"} {
		assert.Contains(t, out, want)
	}
	assert.NotContains(t, out, "» ")
	d.must("compare", "a", "b", "--out", "c.html")
	assert.Contains(t, d.read("c.html"), "<h2>What differs</h2>")
	var told struct {
		Sides []struct{ Things []struct{ Path, Fate string } }
	}
	out, _ = d.run("compare", "a", "b", "--json")
	require.NoError(t, json.Unmarshal([]byte(out), &told))
	assert.Equal(t, "renamed", told.Sides[1].Things[3].Fate)
}

// A folder of projects is explained too: each kind in it, in the language that its template says.
func TestAGuideOfAFolderHasAllKinds(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\ntitle: Jobs <b>\nfields: { client: Who? }\nrules: { path-length: { limit: 80, as: url } }\n---\n<client>\n    Letters | note: www.example.org *here*\n",
		"kurs.folders", "---\nlanguage: de\nfields: { wann: { type: date } }\n---\n<wann:d. mmmm yyyy>\n    Plan | holds: pictures\n")
	d.must("build", "job", "client=Ola", "--into", "All", "--yes")
	d.must("build", "kurs", "wann=2027-03-09", "--into", "All", "--yes")
	assert.Contains(t, d.has("All"), "9. März 2027/")
	out, status := d.run("guide", "All")
	require.Zero(t, status, out)
	for _, want := range []string{"Jobs <b>", "What goes where", "kurs", "Was wohin gehört", "A whole path has at most 80 characters (counted as in a web address)."} {
		assert.Contains(t, out, want)
	}
	assert.NotContains(t, out, "→ Letters", "a note is nothing that goes somewhere")
	d.must("guide", "All", "--out", "g.html")
	assert.Contains(t, d.read("g.html"), "Jobs &lt;b&gt;")
	d.must("guide", "All", "--out", "g.md")
	assert.Contains(t, d.read("g.md"), "Jobs &lt;b&gt;")
	assert.NotContains(t, d.read("g.md"), "<b>")
	d.must("build", "job", "client=Bo", "--into", "All", "--yes")
	d.write("All/Bo/.vestibula.json", "{")
	out, status = d.run("guide", "All")
	assert.Zero(t, status, "one that is damaged hides no other: %s", out)
	assert.Contains(t, out, "All/Bo is left out: .vestibula.json is damaged")
	assert.Contains(t, out, "Was wohin gehört")
	out, status = d.run("show", "kurs", "--json")
	assert.Zero(t, status, out)
	d.write("x.folders", "---\nlanguage: klingon\n---\nA\n")
	out, status = d.run("check", "x")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "no language \"klingon\" is known")
}

// Of plans in which the same is done in many projects, one is told; with --all each, and no other thing is done.
func TestAlikeProjectsAreTold(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Work\n")
	for i := range 5 {
		d.must("build", "t", fmt.Sprintf("client=Client %d", i), "--into", "C", "--yes")
	}
	d.write("t.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Plans | was: Work\n")
	out, _ := d.run("upgrade", "C", "--preview")
	assert.Contains(t, out, "the same in 4 more: C/Client 1, C/Client 2, C/Client 3, C/Client 4")
	assert.Equal(t, 1, strings.Count(out, "Work/ → Plans/"), out)
	out, _ = d.run("upgrade", "C", "--preview", "--all")
	assert.Equal(t, 5, strings.Count(out, "Work/ → Plans/"), out)
	d.must("upgrade", "C", "--yes")
	assert.Contains(t, d.has("C"), "Client 4/Plans/")
}
