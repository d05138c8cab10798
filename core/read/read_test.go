package read

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/naming"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/treetest"
)

var now = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

func source(t require.TestingT, inProject bool, paths ...string) *Source {
	tpl, err := template.Parse("t", `---
fields: { client: Who?, when: { type: term, of: [spring, autumn] } }
names:
  scan: { pattern: "<day:yyyy-mm-dd> <side> <n:00>", fields: { side: { of: { R: recto, V: verso } } }, for: [tif] }
  box: { pattern: "box <n:00>" }
---
<client>
    Scans | holds: scan
        List.md | blank
    Boxes | holds: box
    Any
`, nil)
	require.NoError(t, err)
	s := &Source{Template: tpl, Name: "Ola", Root: &tree.Node{}}
	if inProject {
		values, errs := tpl.ParseValues(map[string]template.Raw{"client": {Text: "Ola Márrow"}, "when": {Text: "2027 spring"}}, now)
		require.Empty(t, errs)
		s.Project = &project.Project{Dir: "/Ola", Template: tpl, Values: values}
	}
	treetest.Add(s.Root, paths...)
	return s
}

func said(found *Found) (lines []string) {
	for _, e := range found.Entries {
		line := e.Convention.Name + " " + e.Path
		if e.Folder {
			line += "/"
		}
		lines = append(lines, line)
	}
	for _, e := range found.Misfits {
		lines = append(lines, "! "+e.Path+": "+e.Misfit.Message)
	}
	return append(lines, fmt.Sprintf("%d others, %d dropped", found.Others, found.Dropped))
}

// What a form has kept of a text stands for the whole, where the project knows it.
func TestTheProjectKnowsWhatAFormLeftOut(t *testing.T) {
	s := source(t, true)
	who, errs := template.Parse("t", "---\nfields: { client: Who? }\nnames: { who: \"<client:like-this> <n:00>\" }\n---\nA\n", nil)
	require.NoError(t, errs)
	for name, want := range map[string]string{"ola-marrow": "Ola Márrow", "ola-marsh": "ola marsh"} {
		conv, values, misfit := naming.NewReader(who.Names).Read(name + " 01.tif")
		require.Nil(t, misfit)
		e := &Entry{Convention: conv, Values: values, Project: s.Project}
		assert.Equal(t, want, e.Value("client").String())
	}
}

func TestWhatConventionsSpeakOfIsCounted(t *testing.T) {
	paths := []string{"Scans/2027-01-01 R 01.tif", "Scans/2027-01-01 R 2.tif", "Scans/notes.pdf", "Scans/List.md", "Boxes/box 01/", "Boxes/box 02.txt", "Any/2027-01-01 V 03.tif", "Any/x.tif", "Any/box 9/"}
	r := &Reader{}
	found, err := r.Read(source(t, true, paths...))
	require.NoError(t, err)
	assert.Equal(t, []string{"scan Any/2027-01-01 V 03.tif", "box Boxes/box 01/", "box Boxes/box 02.txt", "scan Scans/2027-01-01 R 01.tif",
		"! Scans/2027-01-01 R 2.tif: <n> needs two digits", "3 others, 0 dropped"}, said(found))
	found, err = (&Reader{}).Read(source(t, false, paths...))
	require.NoError(t, err)
	assert.Equal(t, []string{"! Any/x.tif: “box ” belongs here", "! Scans/2027-01-01 R 2.tif: <n> needs two digits", "2 others, 0 dropped"}, said(found)[4:], "where no template says what is meant, all are")
	found, err = (&Reader{Only: []string{"box"}}).Read(source(t, true, paths...))
	require.NoError(t, err)
	assert.Equal(t, []string{"box Boxes/box 01/", "box Boxes/box 02.txt", "6 others, 0 dropped"}, said(found))
}

func TestFiltersAskNamesAndProjects(t *testing.T) {
	for filter, want := range map[string]int{"client~MARROW": 2, "client=Ola": 0, "when=2027": 2, "when=2026": 0, "side~vers": 1, "side=R": 1, "n=2..": 1, "day=2027-01": 1, "day=2027": 2} {
		f, err := naming.NewFilter(filter, now)
		require.NoError(t, err)
		found, err := (&Reader{Filters: []naming.Filter{f}}).Read(source(t, true, "Scans/2027-01-01 R 01.tif", "Scans/2027-02-01 V 02.tif"))
		require.NoError(t, err)
		assert.Len(t, found.Entries, want, filter)
		assert.Equal(t, 2-want, found.Dropped, filter)
	}
	f, err := naming.NewFilter("day=soon", now)
	require.NoError(t, err)
	_, err = (&Reader{Filters: []naming.Filter{f}}).Read(source(t, true, "Scans/2027-01-01 R 01.tif"))
	assert.ErrorContains(t, err, "\"soon\" is no date")
	assert.True(t, Has(source(t, false).Template, "side"))
	assert.False(t, Has(source(t, false).Template, "colour"))
}

// The oracle knows what each name was made of.
func TestTheNewestOfEach(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		type made struct {
			day, n int
			side   string
		}
		var paths []string
		newest := map[string]made{}
		for range rapid.IntRange(1, 8).Draw(t, "files") {
			m := made{rapid.IntRange(1, 3).Draw(t, "day"), rapid.IntRange(1, 3).Draw(t, "n"), rapid.SampledFrom([]string{"R", "V"}).Draw(t, "side")}
			p := fmt.Sprintf("Scans/2027-01-%02d %s %02d.tif", m.day, m.side, m.n)
			if slices.Contains(paths, p) {
				continue
			}
			paths = append(paths, p)
			if other, known := newest[m.side]; !known || m.day > other.day || m.day == other.day && m.n > other.n {
				newest[m.side] = m
			}
		}
		found, err := (&Reader{}).Read(source(t, true, paths...))
		require.NoError(t, err)
		var got, want []string
		for _, e := range Newest(found.Entries) {
			got = append(got, e.Path)
		}
		for side, m := range newest {
			want = append(want, fmt.Sprintf("Scans/2027-01-%02d %s %02d.tif", m.day, side, m.n))
		}
		require.ElementsMatch(t, want, got)
	})
}
