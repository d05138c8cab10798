package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a move broke is found later and changed to where it lies by now: links by name, addresses and
// paths, in texts that have moved themselves, and in endings that the template names.
func TestLinksThatAMoveBrokeAreFoundLater(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\ntexts: [tex]\n---\n<client>\n    Notes\n    Photos\n    Plans\n",
		"Ola/Notes/a.md", "See [the view](../Photos/view.jpg), [[b]], ![[view.jpg]], [[Plans/big plan|the plan]], [x](nowhere.md).\n[[never written]]\n",
		"Ola/Notes/p.tex", "\\includegraphics{../Photos/view.jpg}\n", "Ola/Notes/q.bib", "x", "Ola/Notes/b.md", "b", "Ola/Photos/view.jpg", "p", "Ola/Plans/big plan.md", "pl",
		"p.csv", "from,to\nOla/Photos/view.jpg,Ola/Photos/2027 view.jpg\nOla/Notes/b.md,Ola/Plans/bee.md\nOla/Plans/big plan.md,Ola/Plans/plan one.md\nOla/Notes/a.md,Ola/a.md\nOla/Photos,Ola/Pictures\n")
	d.run("build", "t", "client=Ola", "--into", ".", "--yes")
	out, _ := d.run("do", "p.csv", "--preview")
	assert.Contains(t, out, "and not 1 .bib", "what was not looked at is said")
	whole := d.whole("Ola")
	out, status := d.run("do", "p.csv", "--yes", "--fix-links")
	require.Zero(t, status, out)
	fixed := "See [the view](Photos/2027%20view.jpg), [[bee]], ![[2027 view.jpg]], [[Plans/plan one|the plan]], [x](nowhere.md).\n[[never written]]\n"
	assert.Equal(t, fixed, d.read("Ola/a.md"))
	d.run("undo", "--yes")
	assert.Equal(t, whole, d.whole("Ola"))

	_, status = d.run("do", "p.csv", "--yes")
	require.Zero(t, status)
	out, status = d.run("check", "Ola", "--only", "links", "--all")
	assert.Equal(t, 1, status)
	for _, want := range []string{"line 1 leads to “b”, which is not there", "it is “bee” now", "“nowhere.md”, which is not there", "6 errors in Ola"} {
		assert.Contains(t, out, want)
	}
	assert.NotContains(t, out, "never written", "who knows what is to be written")
	out, status = d.run("check", "Ola", "--only", "links", "--fix", "--yes")
	assert.Equal(t, 1, status, "one is left: %s", out)
	assert.Equal(t, fixed, d.read("Ola/a.md"))
	assert.Equal(t, "\\includegraphics{../Photos/2027 view.jpg}\n", d.read("Ola/Notes/p.tex"))
	out, status = d.run("undo", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, d.read("Ola/a.md"), "[[b]]")
	out, _ = d.run("check", "Ola")
	assert.NotContains(t, out, "[links]", "texts are read when that is asked for")
}

// Words are found anywhere, whatever the accents and capitals: in names, values and archives.
func TestWordsAreFoundAnywhere(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, kind: { of: { BK: book, MP: map } } }\n---\n<client>\n    Notes\n    Leather samples\n")
	for client, kind := range map[string]string{"Åsgerd Ölvane": "BK", "Jun Teague": "MP", "Ola Hart": "BK"} {
		_, status := d.run("build", "t", "client="+client, "kind="+kind, "--into", ".", "--yes")
		require.Zero(t, status)
	}
	d.write("Jun Teague/Notes/Brief_about-LEATHER.txt", "x")
	d.write("Jun Teague/Notes/aero-obrien.txt", "x")
	d.write("loose leather.md", "x")
	_, status := d.run("archive", "Ola Hart", "--into", "Old", "--yes")
	if status != 0 {
		require.NoError(t, os.Mkdir(filepath.Join(d.dir, "Old"), 0o777))
		_, status = d.run("archive", "Ola Hart", "--into", "Old", "--yes")
	}
	require.Zero(t, status)
	found := func(words ...string) string {
		out, status := d.run(append([]string{"read", "."}, words...)...)
		assert.Zero(t, status, out)
		return out
	}
	out := found("leather")
	assert.Contains(t, out, "3 folders")
	assert.Contains(t, out, "2 files\n  Jun Teague/Notes/Brief_about-LEATHER.txt\n  loose leather.md\n")
	assert.Contains(t, found("asgerd"), "1 project\n  Åsgerd Ölvane   client=Åsgerd Ölvane\n")
	assert.Contains(t, found("map", "teague"), "kind=MP")
	assert.Equal(t, "1 file\n  Jun Teague/Notes/aero-obrien.txt\n", found("Ærø O’Brien"), "as a convention writes it")
	assert.Contains(t, found("about leather"), "1 file\n")
	assert.Equal(t, "1 file\n  Jun Teague/Notes/Brief_about-LEATHER.txt\n", found("map", "brief"), "a project's values count for what lies in it")
	assert.Contains(t, found("hart"), "Old/Ola Hart")
	assert.Equal(t, "Nothing there has zzz.\n", found("zzz"))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Old"), filepath.Join(d.dir, "..", filepath.Base(d.dir)+"-away")))
	out = found("hart")
	assert.Contains(t, out, "1 archived\n  Ola Hart")
	out, status = d.run("read", ".", "leather", "--links", "All leather")
	require.Zero(t, status, out)
	assert.Contains(t, out, "Linked: 4 links in All leather, 4 new, 0 gone.")
	out, status = d.run("projects", ".", "--where", "kind=MP", "--links", "Maps")
	require.Zero(t, status, out)
	assert.Contains(t, d.has("Maps"), "Jun Teague")
	out, _ = d.run("read", ".", "leather", "--links", "All leather")
	assert.Contains(t, out, "0 new, 0 gone", "links are not found again")
}
