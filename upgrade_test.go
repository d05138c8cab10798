//go:build unix

package main

import (
	"encoding/json"
	"os"
	"path"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const shelfBefore = `---
fields: { client: Who?, stages: { type: list, default: [survey, sewing] } }
---
<client>
    <#> Buoys
    <#> Tides
        Plan for <client>.md | fill: plan.md
    <#> Logs
    <#> Work
        <#> <stage> | each: stage in stages
    Read me.md
`

const shelfAfter = `---
fields: { client: Who?, stages: { type: list, default: [survey, sewing] } }
---
<client>
    <#> Buoys
    <#> Maps
    <#> Tide tables | was: Tides
        Plan for <client>.md | fill: plan.md
    <#> Work
        <#> <stage> | each: stage in stages
        <#> Prices
    Read me first.md
`

// A template that changes in all the ways that templates change, with somebody's files
// everywhere.
func TestWhatWasBuiltFollowsItsTemplate(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shelf.folders", shelfBefore, "plan.md", "Plan <client>\n")
	for _, client := range []string{"Oriel Pask", "Jun Teague", "Dag Holm"} {
		out, status := d.run("build", "shelf", "--into", ".", "client="+client, "--yes")
		require.Zero(t, status, out)
	}
	d.write("Oriel Pask/02 Tides/own.txt", "mine")
	d.write("Oriel Pask/04 Work/02 sewing/deep/own.txt", "mine")
	d.write("Jun Teague/02 Tides/Plan for Jun Teague.md", "edited")
	d.write("Jun Teague/03 Logs/kept.txt", "mine")
	d.write("Dag Holm/Read me.md", "written")
	state := func() map[string]string {
		all := map[string]string{}
		for _, p := range []string{"Oriel Pask", "Jun Teague", "Dag Holm", "Oriel Pask Sons"} {
			if _, err := os.Stat(filepath.Join(d.dir, p)); err == nil {
				for at, what := range d.whole(p) {
					all[p+"/"+at] = what
				}
			}
		}
		return all
	}
	before := state()
	d.write("shelf.folders", shelfAfter)

	// A build makes no doubles.
	out, status := d.run("build", "shelf", "--into", ".", "client=Oriel Pask", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "“02 Tides” is there and would be “03 Tide tables”; to rename it: vestibula upgrade \"Oriel Pask\"")
	assert.Contains(t, out, "note: “03 Logs” is no longer asked for; it stays")
	assert.Equal(t, before, state())

	// In the project itself, only what changes is typed, and the template that lies beside
	// the project is found.
	inside := *d
	inside.dir = filepath.Join(d.dir, "Oriel Pask")
	out, status = inside.run("build", "stages=survey; sewing; gluing", "--preview")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "“02 Tides” is there and would be “03 Tide tables”")
	out, status = inside.run("build", "stages=survey; sewing; gluing", "--preview", "--add")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "03 gluing")
	out, status = inside.run("upgrade", ".", "--preview")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "» 02 Tides/ → 03 Tide tables/")
	assert.Equal(t, before, state())

	// One project, with another name as well.
	out, status = d.run("upgrade", "Oriel Pask", "--preview")
	assert.Zero(t, status)
	for _, want := range []string{"+ 02 Maps/   new", "» 02 Tides/ → 03 Tide tables/", "+ 04 Work/03 Prices/   new", "+ Read me first.md", "- 03 Logs/   no longer asked for, and empty", "- Read me.md   no longer asked for, and nobody has touched it", "A preview: nothing was changed."} {
		assert.Contains(t, out, want)
	}
	assert.Equal(t, before, state())
	out, status = d.run("upgrade", "Oriel Pask", "client=Oriel Pask Sons", "stages=paper; survey; sewing", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{".vestibula.json", "01 Buoys/", "02 Maps/", "03 Tide tables/", "03 Tide tables/Plan for Oriel Pask Sons.md", "03 Tide tables/own.txt", "04 Work/", "04 Work/01 paper/", "04 Work/02 survey/",
		"04 Work/03 sewing/", "04 Work/03 sewing/deep/", "04 Work/03 sewing/deep/own.txt", "04 Work/04 Prices/", "Read me first.md"}, d.has("Oriel Pask Sons"))
	assert.Equal(t, "Plan Oriel Pask Sons\n", d.read("Oriel Pask Sons/03 Tide tables/Plan for Oriel Pask Sons.md"))
	out, status = d.run("check", "Oriel Pask Sons", "--strict")
	assert.Zero(t, status, out)
	out, _ = d.run("upgrade", "Oriel Pask Sons", "--yes")
	assert.Contains(t, out, "Nothing to do: the project is up to date.")
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, state(), "one undo brings it back")

	// All of them: one plan, one undo; what was edited or holds something stays.
	out, status = d.run("upgrade", ".", "--yes")
	require.Zero(t, status, out)
	for _, want := range []string{"~ 03 Logs   stays: it is no longer asked for, and it holds “kept.txt”", "~ Read me.md   stays: it is no longer asked for, and “Read me.md” was edited", "Upgraded 3 projects"} {
		assert.Contains(t, out, want)
	}
	assert.Equal(t, "edited", d.read("Jun Teague/03 Tide tables/Plan for Jun Teague.md"))
	assert.Equal(t, "mine", d.read("Jun Teague/03 Logs/kept.txt"))
	assert.Equal(t, "written", d.read("Dag Holm/Read me.md"))
	assert.Equal(t, "mine", d.read("Oriel Pask/03 Tide tables/own.txt"))
	out, status = d.run("check", "Oriel Pask", "--strict")
	assert.Zero(t, status, out)
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, state())

	// A damaged label among them.
	d.write("Dag Holm/.vestibula.json", "{")
	out, status = d.run("upgrade", ".", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Dag Holm: ")
	assert.Contains(t, out, "to leave them out: vestibula upgrade . --yes --only-good")
	out, status = d.run("upgrade", ".", "--yes", "--only-good")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "Upgraded 2 projects")
}

func TestMoreWaysInWhichTemplatesChange(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct{ what, before, after, values, own, want string }{
		{"turned round", "P\n    <#> Notes\n    <#> Letters\n", "P\n    <#> Letters\n    <#> Notes\n", "", "01 Notes/x, 02 Letters/y", "01 Letters/ 01 Letters/y 02 Notes/ 02 Notes/x"},
		{"nested deeper", "P\n    <#> Survey\n    Photographs\n    Notes\n", "P\n    <#> Survey\n        Photographs | was: Photographs/\n    Notes\n", "", "Photographs/x", "01 Survey/ 01 Survey/Photographs/ 01 Survey/Photographs/x Notes/"},
		{"two that are one, with the same and other files", "P\n    <#> Buoys\n        notes.txt\n    <#> Logs\n        notes.txt\n    <#> Tides\n", "P\n    <#> Tides\n    <#> Marks | was: Buoys | was: Logs\n        notes.txt\n", "", "01 Buoys/x, 02 Logs/x, 02 Logs/y, 02 Logs/notes.txt", "01 Tides/ 02 Marks/ 02 Marks/notes (from 02 Logs).txt 02 Marks/notes.txt 02 Marks/x 02 Marks/y"},
		{"one that another build has made twice", "P\n    <#> Buoys\n    <#> Tides\n", "P\n    <#> Logs\n    <#> Buoys\n    <#> Tides\n", "", "01 Buoys/x, 02 Buoys/y", "01 Logs/ 02 Buoys/ 02 Buoys/x 02 Buoys/y 03 Tides/"},
		{"links", "P\n    <#> Tides\n        list.txt\n    <#> Work\n        Tide list | link: Tides/list.txt\n    Gone | link: Tides\n", "P\n    <#> Buoys\n    <#> Tide tables | was: Tides\n        list.txt\n    <#> Work\n        <#> Tide list | link: Tide tables/list.txt\n", "", "01 Tides/x", "01 Buoys/ 02 Tide tables/ 02 Tide tables/list.txt 02 Tide tables/x 03 Work/ 03 Work/01 Tide list"},
		{"nested deeper by its former path", "P\n    <#> Survey\n        Photographs\n    Notes\n", "P\n    <#> Survey\n        Pictures\n            Prints\n            Photos | was: Survey/Photographs\n    Notes\n", "", "01 Survey/Photographs/x", "01 Survey/ 01 Survey/Pictures/ 01 Survey/Pictures/Photos/ 01 Survey/Pictures/Photos/x 01 Survey/Pictures/Prints/ Notes/"},
		{"nested deeper under the same name, twice", "P\n    <#> Survey\n        Photographs\n    <#> Work\n    Notes\n", "P\n    <#> Survey\n        Pictures\n            Prints\n            Photographs\n    Rooms\n        <#> Work\n    Notes\n", "", "01 Survey/Photographs/x, 02 Work/y", "01 Survey/ 01 Survey/Pictures/ 01 Survey/Pictures/Photographs/ 01 Survey/Pictures/Photographs/x 01 Survey/Pictures/Prints/ Notes/ Rooms/ Rooms/01 Work/ Rooms/01 Work/y"},
		{"a name passed on", "P\n    <#> Plan\n    <#> Work\n", "P\n    <#> First plan | was: Plan\n    <#> Plan\n    <#> Work\n", "", "01 Plan/x", "01 First plan/ 01 First plan/x 02 Plan/ 03 Work/"},
		{"wider numbers", "P\n    <#> Notes\n", "P\n    <#:000> Notes\n", "", "01 Notes/x", "001 Notes/ 001 Notes/x"},
		{"another form", "---\nfields: { c: { default: Oriel Pask } }\n---\nP\n    <c> letters\n    Notes\n", "---\nfields: { c: { default: Oriel Pask } }\n---\nP\n    <c:like-this> letters\n    Notes\n", "", "Oriel Pask letters/x", "Notes/ oriel-pask letters/ oriel-pask letters/x"},
		{"a list that shrinks in front", "---\nfields: { s: { type: list, default: [a, b, c] } }\n---\nP\n    <#> <i> | each: i in s\n    Notes\n", "---\nfields: { s: { type: list, default: [a, b, c] } }\n---\nP\n    <#> <i> | each: i in s\n    Notes\n", "s=b;c", "02 b/x, 03 c/y", "01 b/ 01 b/x 02 c/ 02 c/y Notes/"},
		{"a value that is known now", "---\nfields: { course: { default: \"?\" } }\n---\nP\n    <course> notes\n    Letters\n", "---\nfields: { course: { default: \"?\" } }\n---\nP\n    <course> notes\n    Letters\n", "course=Binding", "(course) notes/x", "Binding notes/ Binding notes/x Letters/"},
	} {
		d := newDesk(t, "t.folders", tt.before)
		out, status := d.run("build", "t", "--into", ".", "--yes")
		require.Zero(t, status, "%s: %s", tt.what, out)
		for p := range strings.SplitSeq(tt.own, ", ") {
			d.write("P/"+p, "mine")
		}
		before := d.whole("P")
		d.write("t.folders", tt.after)
		args := []string{"upgrade", "P", "--yes"}
		if tt.values != "" {
			args = append(args, tt.values)
		}
		out, status = d.run(args...)
		assert.Zero(t, status, "%s: %s", tt.what, out)
		assert.Equal(t, tt.want, strings.Join(d.has("P")[1:], " "), "%s\n%s", tt.what, out)
		if to, err := os.Readlink(filepath.Join(d.dir, "P/03 Work/01 Tide list")); tt.what == "links" {
			require.NoError(t, err)
			assert.Equal(t, "../02 Tide tables/list.txt", to)
		}
		out, status = d.run("check", "P", "--strict")
		assert.Zero(t, status, "%s: %s", tt.what, out)
		out, status = d.run("undo", "--yes")
		assert.Zero(t, status, "%s: %s", tt.what, out)
		assert.Equal(t, before, d.whole("P"), tt.what)
	}
}

func TestThePlanOfAnUpgradeShowsWhereNewThingsComeToLie(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "P | project\n    01 Survey\n    02 Work\n")
	d.run("build", "t", "--into", ".", "--yes")
	d.write("t.folders", "P | project\n    01 Plan\n    02 Survey\n        In time\n    03 Work\n")
	out, status := d.run("upgrade", "P", "--preview")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "+ 02 Survey/In time")
	d.run("upgrade", "P", "--yes")
	assert.Contains(t, d.has("P"), "02 Survey/In time/")
}

func TestAnUpgradeThatWouldChangeTheOwnFolderIsRefused(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "P\n    Survey\n    Photographs\n")
	d.run("build", "t", "--into", ".", "--yes")
	d.write("t.folders", "P\n    Survey\n        Photographs\n        Notes\n")
	before := d.whole("P")
	out, status := d.run("upgrade", "P", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "write | project behind the line P")
	assert.Equal(t, before, d.whole("P"))
	d.write("t.folders", "P | project\n    Survey\n        Photographs\n        Notes\n")
	out, status = d.run("upgrade", "P", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("P"), "Survey/Photographs/")
}

// What upgrade and rename do is told to programs as well, before and after.
func TestUpgradeAndRenameSpeakJSON(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\nnames: { note: { pattern: \"<day:yyyy-mm-dd> note <n:00>\", fields: { n: { type: number, next: yes } } } }\n---\n<client>\n    Letters\n    Notes/ | holds: note\n", "C/x", "")
	d.must("build", "t", "client=Kay", "--into", "C", "--yes")
	d.write("C/Kay/Notes/old 9.3.2027 4.txt", "x")
	d.write("C/Kay/Notes/other.txt", "x")
	for _, yes := range []bool{false, true} {
		var got struct {
			Done  bool
			Steps []struct{ Op, In, From, To, Why string }
			Left  []struct{ In, Path, Why string }
		}
		call := func(args ...string) {
			t.Helper()
			if yes {
				args = append(args, "--yes")
			}
			out, status := d.run(append(args, "--json")...)
			require.Less(t, status, 2, out)
			require.NoError(t, json.Unmarshal([]byte(out), &got), out)
			assert.Equal(t, yes, got.Done, out)
		}
		call("rename", "note", "C/Kay/Notes", "--from", "old <day:d.m.yyyy> <n:0>")
		require.Len(t, got.Steps, 1)
		assert.Equal(t, "2027-03-09 note 04.txt", path.Base(got.Steps[0].To))
		require.Len(t, got.Left, 1)
		assert.Equal(t, "other.txt", path.Base(got.Left[0].Path))
		call("upgrade", "C/Kay", "client=Kim")
		require.Len(t, got.Steps, 1)
		assert.Equal(t, "C/Kay move C/Kay C/Kim", strings.Join([]string{got.Steps[0].In, got.Steps[0].Op, got.Steps[0].From, got.Steps[0].To}, " "))
	}
	assert.Contains(t, d.has("C"), "Kim/Notes/2027-03-09 note 04.txt")
}

// What leads to something that goes away cannot be led elsewhere: it is told.
func TestWhatLeadsToWhatGoesIsTold(t *testing.T) {
	t.Parallel()
	text := "<client>\n    Letters\n    Old.md | blank\n    Notes\n"
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n"+text, "C/own.txt", "mine")
	d.must("build", "job", "--into", "C", "client=Ola", "--yes")
	d.write("C/Ola/Notes/a.md", "see [old](../Old.md) and [b](../Letters/b.md)\n")
	d.write("C/Ola/Letters/b.md", "b")
	d.write("job.folders", "---\nfields: { client: Who? }\n---\n"+strings.Replace(strings.Replace(text, "    Old.md | blank\n", "", 1), "Letters", "Post | was: Letters", 1))
	out, status := d.run("upgrade", "C/Ola", "--preview")
	require.Zero(t, status, out)
	assert.Contains(t, out, "1 of them leads to what goes away")
	assert.Contains(t, out, "1 path in 1 text would lead nowhere")
}
