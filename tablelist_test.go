//go:build unix

package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A class list has a row for each person: rows that differ in nothing but the column of a list are one
// project, also when somebody joins.
func TestAClassListFillsAList(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "course.folders", "---\nfields: { course: Which?, people: { type: list } }\n---\n<course> | project\n    People\n        <person> | each: person in people\n",
		"list.csv", "Our classes,,\nCourse,Surname,Mail\nBinding,Pask,a\nBinding,\"Teague, Jun\",b\nPrinting,Holm,c\n", "one.csv", "Surname\nBell\nHart\n")
	build := func(args ...string) (string, int) {
		return d.run(append([]string{"build", "course", "--into", ".", "--column", "people=Surname", "--yes"}, args...)...)
	}
	d.write("loose.folders", strings.Replace(d.read("course.folders"), "type: list", "type: list, default: \"\"", 1))
	out, status := d.run("build", "loose", "--into", ".", "--table", "list.csv", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "where such rows are one, with a list of people: vestibula build loose --into . --table list.csv --yes --column people=Surname")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "loose.folders")))
	out, status = build("--table", "list.csv", "--mark", "--report", "r.csv")
	require.Zero(t, status, out)
	assert.Contains(t, out, "2 rows, 1 project: people from the column “Surname”")
	assert.Contains(t, out, "Marked 3 rows")
	assert.Equal(t, []string{".vestibula.json", "People/", "People/Pask/", "People/Teague, Jun/"}, d.has("Binding"))
	assert.Equal(t, 4, strings.Count(d.read("r.csv"), "\n"), "each row is told: %s", d.read("r.csv"))
	d.write("list.csv", d.read("list.csv")+"Binding,Dag,d,,,,\n")
	out, status = build("--table", "list.csv")
	assert.Equal(t, 1, status, "what is left was named")
	assert.Contains(t, out, "changed: row 3 with other values than the project has; to bring that up to date: vestibula build course")
	out, status = build("--table", "list.csv", "--changed", "--mark")
	require.Zero(t, status, out)
	assert.DirExists(t, filepath.Join(d.dir, "Binding/People/Dag"))
	out, status = build("--table", "list.csv")
	assert.Zero(t, status, out)
	out, status = build("--table", "one.csv", "course=Edges")
	require.Zero(t, status, out)
	assert.Equal(t, []string{".vestibula.json", "People/", "People/Bell/", "People/Hart/"}, d.has("Edges"))
}

// Rows that have changed are brought up to date together with new ones, the good ones alone where some
// are not good; and they are asked for by name.
func TestRowsThatHaveChangedAreAskedFor(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "j.folders", "---\nfields: { client: Who?, job: Which?, note: { default: \"\" } }\n---\n<client>\n    Brand\n    <job> | project\n        Tools <note>\n", "j.csv", "client,job,note\nAnn,One,a\nBob,Two,b\nCid,Six,c\n")
	build := func(args ...string) (string, int) {
		return d.run(append([]string{"build", "j", "--into", ".", "--table", "j.csv", "--mark"}, args...)...)
	}
	out, status := build("--yes")
	require.Zero(t, status, out)
	d.write("Ann/Brand/logo.svg", "mine")
	d.write("j.csv", strings.Replace(d.read("j.csv"), "Ann,One", "Hart,One", 1)+"Hart,New,x,,,,\n")
	out, status = build("--yes", "--changed")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"Brand/", "Brand/logo.svg", "New/", "New/.vestibula.json", "New/Tools x/", "One/", "One/.vestibula.json", "One/Tools a/"}, d.has("Hart"), "they share a new folder")
	assert.NoDirExists(t, filepath.Join(d.dir, "Ann"))
	d.write("j.csv", strings.NewReplacer("Hart,One", "Hart,New", "Bob,Two,b", "Bob,Two,z", "Cid,Six,c", "Cid,Six,").Replace(d.read("j.csv")))
	before := d.whole(".")
	out, status = build("--yes", "--changed")
	assert.Equal(t, 1, status)
	assert.Contains(t, flat(out), "“Hart/New” is there already, or another one goes there to leave them out: vestibula build j")
	assert.Equal(t, before, d.whole("."))
	w := d.window(140, d.environment(), "build", "j", "--into", ".", "--table", "j.csv", "--only-good")
	w.answer("Bring 3 projects up to date as well?", "y")
	w.answer("ring 2 projects up to date", "y")
	out, status = w.end()
	assert.Zero(t, status, out)
	assert.Contains(t, out, "row 2, row 3, row 4 with other values")
	assert.DirExists(t, filepath.Join(d.dir, "Bob/Two/Tools z"))
	assert.DirExists(t, filepath.Join(d.dir, "Hart/One"))
}
