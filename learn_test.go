//go:build unix

package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestATemplateIsLearnedFromFolders(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, at := range []string{"C/2027-03 Oriel Pask/01 Letters/oriel-pask 01.md", "C/2027-03 Oriel Pask/02 Plans/x.pdf", "C/2026-11 Jun Teague/01 Letters/jun-teague 01.md", "C/2026-11 Jun Teague/02 Plans/y.pdf", "C/2026-11 Jun Teague/90 Settled/secret-7.txt", "C/2026-10 Ida Vig/01 Letters/ida-vig 01.md", "C/2026-10 Ida Vig/02 Plans/z.pdf", "C/2026-10 Ida Vig/90 Settled/z.txt"} {
		d.write(at, "what is in it: hunter2 "+at)
	}
	d.write("C/2026-10 Ida Vig/.hidden/x", "")
	require.NoError(t, os.Symlink("..", filepath.Join(d.dir, "C/2026-10 Ida Vig/01 Letters/round")))
	before := d.whole("C")
	out, status := d.run("draft", "clients", "C/2026-10 Ida Vig", "C/2026-11 Jun Teague", "C/2027-03 Oriel Pask", "client=Jun Teague")
	require.Zero(t, status, out)
	assert.Contains(t, out, "it makes 2 of 3 folders again")
	assert.Contains(t, out, "no line for 2026-10 Ida Vig/01 Letters/round")
	assert.NotContains(t, out, "hunter2")
	assert.Equal(t, before, d.whole("C"))
	text := d.read("clients.folders")
	for _, part := range []string{"<month> <client>", "<#> Letters", "<client:like-this> 01.md", "<#> Settled | when: settled | number: 90"} {
		assert.Contains(t, strings.Join(strings.Fields(text), " "), part)
	}
	out, status = d.run("build", "clients", "client=Wren Abbott", "month=2027-05", "settled=yes", "--into", "C", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, d.has("C"), "2027-05 Wren Abbott/90 Settled/")
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	out, status = d.run("draft", "clients", "C/2026-10 Ida Vig")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "there already")

	// One folder, with starters; what it takes for a value is told.
	out, status = d.run("draft", "one", "C/2027-03 Oriel Pask", "--starters", "--json")
	require.Zero(t, status, out)
	var told struct {
		Template string
		Fields   []struct{ Name, Type string }
		Doubts   []string
		Folders  []struct{ Exact bool }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &told), out)
	assert.NotEmpty(t, told.Doubts)
	assert.True(t, told.Folders[0].Exact)
	assert.Contains(t, told.Template, "copy: starters/one/")
	assert.Contains(t, d.has("starters/one"), "x.pdf")

	// Archives as well; and what cannot be learned from.
	_, status = d.exec("sh", "-c", "cd C && tar czf ../ola.tar.gz '2027-03 Oriel Pask'")
	require.Zero(t, status)
	out, status = d.run("draft", "packed", "ola.tar.gz", "client=Oriel Pask", "--preview")
	require.Zero(t, status, out)
	assert.Contains(t, out, "<month> <client>")
	assert.NoFileExists(t, filepath.Join(d.dir, "packed.folders"))
	for i := range 90 { // of a folder's own files so many that not all are shown
		d.write(fmt.Sprintf("own/A/Bench/%d/x", i), "")
		require.NoError(t, os.Symlink("x", filepath.Join(d.dir, fmt.Sprintf("own/A/Bench/%d/link", i))))
	}
	d.write("own/B/Bench/0/x", "")
	out, status = d.run("draft", "own", "own/A", "own/B", "--preview")
	require.Zero(t, status, out)
	assert.Contains(t, out, "Not all of it is explained: built with these values, it makes 1 of 2 folders again")
	assert.NotContains(t, out, "Proven")
	assert.Equal(t, 90, strings.Count(out, "no line for")+hidden(t, out), out)
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "empty"), 0o777))
	for _, c := range [][]string{{"no folder", "nowhere"}, {"nothing in it", "empty"}, {"all that you have", "/"}, {"is a file among folders", "C", "clients.folders"}} {
		out, status = d.run(append([]string{"draft", "new"}, c[1:]...)...)
		assert.NotZero(t, status)
		if c[0] != "no folder" {
			assert.Contains(t, out, c[0])
		}
		assert.NoFileExists(t, filepath.Join(d.dir, "new.folders"))
	}
}

// hidden is how many lines an output says that it leaves out.
func hidden(t *testing.T, out string) int {
	found := regexp.MustCompile(`… and (\d+) more`).FindStringSubmatch(out)
	require.NotNil(t, found, out)
	n, err := strconv.Atoi(found[1])
	require.NoError(t, err)
	return n
}

func TestATemplateIsMadeOfAText(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "tree.txt", "Course <name>/\n├── Handouts  # given out\n│   └── In: now?\n└── notes.md\n", "letter.txt", "This is a letter to somebody, and it says at some length what is to be said.\n")
	out, status := d.run("draft", "course", "tree.txt")
	require.Zero(t, status, out)
	assert.Contains(t, out, "as a drawn tree")
	assert.Contains(t, out, "In - now")
	assert.Equal(t, "---\ntitle: course\nfields:\n  name: \"Name?\"\n---\nCourse <name>\n    Handouts | note: given out\n        In - now\n    notes.md\n", d.read("course.folders"))
	out, status = d.run("build", "course", "name=Casing", "--into", ".", "--yes")
	require.Zero(t, status, out)
	out, status = d.run("draft", "letter", "letter.txt")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "no list")
	d.write("drawn.folders", "├── A\n└── B\n")
	for _, command := range [][]string{{"check"}, {"show"}} {
		out, _ = d.run(append(command, "drawn.folders")...)
		assert.Contains(t, out, "to make a template of it: vestibula draft drawn-template drawn.folders")
	}
	d.in = "- Letters\n  - In\n"
	out, status = d.run("build", "-", "--into", ".", "--yes")
	require.Zero(t, status, out)
	assert.DirExists(t, filepath.Join(d.dir, "Letters/In"))
}

func TestATemplateTakesWhatItsProjectsHaveInCommon(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "c.folders", "---\nfields: { client: Who? }\n---\n// Our own list.\n<client>\n    Letters  | note: by post\n    Plans\n")
	for _, client := range []string{"Ola", "Jun"} {
		_, status := d.run("build", "c", "client="+client, "--into", ".", "--yes")
		require.Zero(t, status)
		d.write(client+"/Loans/"+client+".md", "x")
	}
	d.write("Ola/Own/mine.txt", "x")
	before := d.read("c.folders")
	out, status := d.run("draft", "--update", "c", "Ola", "Jun")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "+     Loans")
	assert.Equal(t, before, d.read("c.folders"), "it is shown first")
	out, status = d.run("draft", "--update", "c", "Ola", "Jun", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before+"    Loans\n        <client>.md\n", d.read("c.folders"))
	out, status = d.run("upgrade", "Jun", "--yes")
	assert.Zero(t, status, out)
	out, status = d.run("check", "Jun")
	assert.Zero(t, status, out)
	for range 2 {
		_, status = d.run("undo", "--yes")
		require.Zero(t, status)
	}
	assert.Equal(t, before, d.read("c.folders"))
	for _, args := range [][]string{{"commission", "Ola", "Jun"}, {"c", "Ola"}, {"c"}, {"nothing", "Ola"}} {
		_, status = d.run(append([]string{"draft", "--update"}, args...)...)
		assert.NotZero(t, status, args)
	}
}

// A folder with several kinds of folders is told as that, and one that is named in it says which is meant; folders
// that are not alike make no template.
func TestKindsOfFoldersAreTold(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	odd := []string{"first note.txt", "Brief an Ola.docx", "old plan.odt", "glue.pdf", "second half.md", "who pays.ods"}
	for i, at := range []string{"Jobs/Oriel", "Jobs/Jun", "Jobs/Una", "Courses/Leather", "Courses/Boxes", "Courses/Maps"} {
		inside := []string{"Letters", "Bills", "Work"}
		if strings.HasPrefix(at, "Courses") {
			inside = []string{"Handouts", "People"}
		}
		if i%3 == 0 { // a drive is seldom tidy
			inside = append(inside, odd[i][:5])
		}
		for _, name := range inside {
			d.write("D/"+at+"/"+name+"/"+odd[i], at)
			d.write("D/"+at+"/"+name+"/"+odd[(i+len(name))%len(odd)], at)
		}
	}
	d.write("D/Else/x/y.txt", "")
	out, status := d.run("draft", "t", "D")
	assert.Equal(t, 1, status)
	for _, want := range []string{"In it are 2 kinds of folders:", "Jobs      Bills, Letters, Work", "Courses   Handouts, People", "worth a template", "1 folder like no other", "vestibula draft t D D/Jobs/Jun"} {
		assert.Contains(t, out, want)
	}
	assert.NoFileExists(t, filepath.Join(d.dir, "t.folders"))
	d.must("draft", "c", "D", "D/Courses/Maps")
	assert.Contains(t, d.read("c.folders"), "Handouts")
	assert.NotContains(t, d.read("c.folders"), "Letters")
	out, status = d.run("draft", "t", "D", "D/Else")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "no other folder is like “Else”")
	for i, at := range []string{"a/p/1", "b/q/2", "c/r/3", "d/s/4", "e/t/5"} {
		d.write("U/"+at, strings.Repeat("x", i))
	}
	out, status = d.run("draft", "u", "U/a", "U/b", "U/c", "U/d", "U/e")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "none of these folders is like another one")
}
