package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a template may say: each with what comes of it.
func TestWordsOfTemplates(t *testing.T) {
	t.Parallel()
	header := func(more, outline string) string {
		return "---\nfields: { client: { example: Ola }" + more + " }\n---\n" + outline
	}
	d := newDesk(t,
		"twice.folders", header("", "<client>\n    P.<#:00> Plate <#:0>\n    P.<#:00> Plate <#:0> b\n"),
		"part.folders", header(", x: { type: yes-no, default: no }", "more:\n    A\n    B | when: client is Ola\n\n<client>\n    C\n    | use: more | when: x\n"),
		"own.folders", header(", job: { default: \"\" }", "<client>\n    <job> | project\n        A\n        B\n"),
		"shape.folders", header("", "<client>\n    Pics | holds: IMG_*.heic\n    Work\n"),
		"unused.folders", header(", stars: { type: number, default: 3 }, kind: { of: { BK: book } }, odd: Why?", "<client>\n    A\n"),
		"in/IMG_2.heic", "a", "in/B.heic", "b", "in/c.tmp", "c",
	)
	show := func(args ...string) string {
		out, status := d.run(append([]string{"show"}, args...)...)
		require.Zero(t, status, out)
		return out
	}
	assert.Contains(t, show("twice"), "    P.01 Plate 1/\n    P.02 Plate 2 b/\n")
	assert.NotContains(t, show("part"), "A/")
	assert.Contains(t, show("part", "x=yes"), "    C/\n    A/\n    B/\n")
	assert.NotContains(t, show("part", "x=yes", "client=Una"), "B/")
	for _, call := range [][]string{{"client=Ida"}, {"client=Ida", "job=Box"}} {
		out, status := d.run(append(append([]string{"build", "own"}, call...), "--into", ".", "--yes")...)
		require.Zero(t, status, out)
	}
	out, status := d.run("check", "Ida")
	assert.Zero(t, status, out)
	assert.Equal(t, []string{".vestibula.json", "A/", "B/", "Box/", "Box/.vestibula.json", "Box/A/", "Box/B/"}, d.has("Ida"))
	d.run("build", "shape", "client=Fay", "--into", ".", "--yes")
	out, _ = d.run("put", "in", "--into", "Fay", "--preview")
	assert.Contains(t, out, "+ IMG_2.heic   by the shape of its name")
	assert.Contains(t, out, "~ B.heic")
	out, _ = d.run("check", "unused")
	assert.Contains(t, out, "\"odd\" is asked for but never used")
	assert.Contains(t, out, "1 warning")
	out, _ = d.run("check", "unused", "--without", "language")
	assert.Contains(t, out, "All is well")
	out, status = d.run("check", "unused", "--without", "sortin")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "did you mean sorting?")
	// What a template ignores is not put.
	d.write("shape.folders", "---\nfields: { client: { example: Ola } }\nignore: [\"*.tmp\"]\n---\n<client>\n    Pics | holds: IMG_*.heic\n    Work\n")
	d.run("upgrade", "Fay", "--yes")
	out, _ = d.run("put", "in", "--into", "Fay", "--preview")
	assert.NotContains(t, out, "c.tmp")
}

// A former place at the project's top, and a line around all that stood there: what lies there moves.
func TestWhatStoodAtTheTopMoves(t *testing.T) {
	t.Parallel()
	one := func(outline string) string {
		return "---\nfields: { client: Who? }\n---\n<client> | project\n" + outline
	}
	d := newDesk(t, "t.folders", one("    Notes\n    Letters\n"))
	d.run("build", "t", "client=Uma", "--into", ".", "--yes")
	d.write("Uma/Letters/x.md", "mine")
	d.write("t.folders", one("    Notes\n    Post\n        Old letters | was: /Letters\n"))
	out, status := d.run("upgrade", "Uma", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "mine", d.read("Uma/Post/Old letters/x.md"))
	d.write("t.folders", one("    Records\n        Notes\n        Post\n            Old letters\n"))
	out, status = d.run("upgrade", "Uma", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{".vestibula.json", "Records/", "Records/Notes/", "Records/Post/", "Records/Post/Old letters/", "Records/Post/Old letters/x.md"}, d.has("Uma"))
}

// An optional field at the end of a pattern goes with the text that joins it to the slot before.
func TestOptionalEndsOfNames(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\nnames:\n  note: { pattern: \"<n:000> - <rest>\", fields: { n: { type: number, next: yes }, rest: { default: \"\" } }, for: [md] }\n  sheet: { pattern: \"<day:yyyy-mm-dd> sheet\", for: [csv] }\n---\n<client>\n    Notes | holds: note, sheet\n",
		"bad.folders", "---\nfields: { client: { example: Ola } }\nnames:\n  x: { pattern: \"<a> <rest>\", fields: { rest: { default: \"\" } } }\n---\n<client>\n    N | holds: x\n", "in/a.md", "a", "in/b.csv", "b")
	d.run("build", "t", "client=Ola", "--into", ".", "--yes")
	d.write("Ola/Notes/007.md", "x")
	d.write("Ola/Notes/008 - plan.md", "y")
	out, status := d.run("check", "Ola")
	assert.Zero(t, status, out)
	out, _ = d.run("name", "note", "--in", "Ola/Notes")
	assert.Equal(t, "009.md\n", out)
	out, _ = d.run("name", "note", "--in", "Ola/Notes", "rest=trip")
	assert.Equal(t, "009 - trip.md\n", out)
	out, _ = d.run("read", "Ola", "--convention", "note,sheet")
	assert.Contains(t, out, "2 names of 2 read")
	out, status = d.run("check", "bad")
	assert.Equal(t, 1, status, "the proof counts names with it and without")
	assert.Contains(t, out, "can be read in two ways")
	// Of several conventions, each file gets the one that is for such.
	out, status = d.run("put", "in", "--into", "Ola", "--convention", "note", "--convention", "sheet", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, d.has("Ola/Notes"), "009 - a.md", "what the old name says comes along")
	sheets, err := filepath.Glob(filepath.Join(d.dir, "Ola/Notes/*sheet.csv"))
	require.NoError(t, err)
	assert.Len(t, sheets, 1)
	_, err = os.Stat(filepath.Join(d.dir, "in/a.md"))
	assert.NoError(t, err)
}

// Terms that cross the new year: told, written, read, carried forward in their order.
func TestSchoolYears(t *testing.T) {
	t.Parallel()
	line := func(newYear, form string) string {
		return "---\nfields: { course: Which?, term: { type: term, of: [autumn, winter, spring]" + newYear + ", example: 2027 autumn } }\n---\n<course> <term:" + form + ">\n    A\n"
	}
	d := newDesk(t, "i.folders", line(", new-year: winter", "yyyy-yy 0 Name"), "old.folders", line("", "yyyy 0 Name"), "flat.folders", line(", new-year: winter", "yyyy 0 Name"),
		"bad.folders", line(", new-year: summer", "yyyy-yy 0 Name"), "none.folders", line("", "yyyy-yy 0 Name"), "wide.folders", line("", "00 Name yyyy"))
	d.run("build", "i", "course=X", "term=2031 autumn", "--into", ".", "--yes")
	for _, next := range []string{"X 2031-32 1 Autumn", "X 2031-32 2 Winter", "X 2031-32 3 Spring"} {
		out, status := d.run("next", next, "--yes")
		require.Zero(t, status, out)
	}
	out, status := d.run("check", ".")
	assert.Zero(t, status, out)
	for _, want := range []string{"✓ X 2031-32 2 Winter", "✓ X 2032-33 1 Autumn"} {
		assert.Contains(t, out, want)
	}
	out, _ = d.run("show", "i", "course=X", "term=winter 2032")
	assert.Contains(t, out, "X 2031-32 2 Winter/")
	out, _ = d.run("projects", ".", "--where", "term=2032 winter..2032 autumn")
	assert.Contains(t, out, "3 projects")
	out, _ = d.run("show", "wide", "course=X", "term=2027 spring")
	assert.Contains(t, out, "X 03 Spring 2027/")
	for name, says := range map[string]string{"flat": "write <term:yyyy-yy 0 Name>", "bad": "is not one of", "none": "new-year: winter"} {
		out, _ = d.run("check", name)
		assert.Contains(t, out, says, name)
	}
	// Where the new year is said later, terms are asked about, and never taken for others.
	d.run("build", "old", "course=Y", "term=2027 winter", "--into", ".", "--yes")
	out, status = d.run("upgrade", "Y 2027 2 Winter", "--template", "i", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, `term="2027 winter"`)
	out, status = d.run("upgrade", "Y 2027 2 Winter", "--template", "i", "term=2028 winter", "--yes")
	require.Zero(t, status, out)
	assert.DirExists(t, filepath.Join(d.dir, "Y 2027-28 2 Winter"))
}
