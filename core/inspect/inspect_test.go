package inspect

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pgregory.net/rapid"

	"vestibula/core/address"
	"vestibula/core/label"
	"vestibula/core/project"
	"vestibula/core/template"
)

var now = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

const shop = "---\nfields: { client: Who?, stages: { type: list, default: [survey] }, gilding: { type: yes-no, default: no } }\n---\nClients\n    <client>\n        <#> Agreement\n        <#> Work\n            <#> <stage:Like this> | each: stage in stages\n        <#> Gilding | when: gilding\n        .keep | blank\n"

func parse(t *testing.T, text string) *template.Template {
	tpl, err := template.Parse("shop.folders", text, nil)
	require.NoError(t, err)
	return tpl
}

// desk makes files and folders, and labels for those that end in a star.
func desk(t *testing.T, paths ...string) string {
	dir := t.TempDir()
	for _, p := range paths {
		p, labelled := strings.CutSuffix(p, "*")
		full := filepath.Join(dir, p)
		if strings.HasSuffix(p, "/") {
			require.NoError(t, os.MkdirAll(full, 0o777))
		} else {
			require.NoError(t, os.MkdirAll(filepath.Dir(full), 0o777))
			require.NoError(t, os.WriteFile(full, nil, 0o666))
		}
		if labelled {
			l := &label.Label{ID: filepath.Base(p), Build: label.Build{Template: "shop.folders", Text: shop, Values: map[string]any{"client": filepath.Base(p), "stages": []any{"survey"}, "gilding": "no"}, Built: now}}
			data, err := l.Encode()
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(filepath.Join(full, label.FileName), data, 0o666))
		}
	}
	return dir
}

func look() *Look {
	return &Look{Limit: 1000, Now: now, Store: &project.Store{Now: now, Shelf: func(address.Address) project.Shelf {
		return project.Shelf{Starters: func(*label.Build) fs.FS { return nil }}
	}}}
}

// said lists what a report says of its subjects.
func said(r *Report) (lines []string) {
	for _, s := range r.Subjects {
		lines = append(lines, "= "+s.Name)
		for _, f := range s.Findings {
			lines = append(lines, f.Rule+" "+f.Path)
		}
		if s.Err != nil {
			lines = append(lines, "! "+s.Err.Error())
		}
	}
	return lines
}

func TestProjectsAreHeldToTheirLabels(t *testing.T) {
	dir := desk(t, "Clients/Oriel Pask/*", "Clients/Oriel Pask/01 Agreement/", "Clients/Oriel Pask/02 Work/01 Survey/", "Clients/Oriel Pask/.keep",
		"Clients/Jun Teague/*", "Clients/Jun Teague/01 Agreement/", "Clients/Jun Teague/03 Work/01 Survey/", "Clients/Jun Teague/03 Work/Misc/x.md", "Clients/Jun Teague/.keep",
		"Clients/Jun Teague/01 Agreement/Dag Holm/*", "Clients/Jun Teague/01 Agreement/Dag Holm/01 Agreement/")
	for at, want := range map[string][]string{
		"Clients/Oriel Pask":              {"= ."},
		"Clients/Oriel Pask/02 Work":      {"= ."},
		"Clients/Jun Teague":              {"= .", "misnamed 03 Work", "strays 03 Work/Misc", "= 01 Agreement/Dag Holm", "missing .keep", "missing 02 Work"},
		"Clients/Jun Teague/03 Work":      {"= .", "misnamed 03 Work", "strays 03 Work/Misc"},
		"Clients/Jun Teague/03 Work/Misc": {"= .", "strays 03 Work/Misc"},
		".":                               {"= Clients/Jun Teague", "misnamed 03 Work", "strays 03 Work/Misc", "= Clients/Jun Teague/01 Agreement/Dag Holm", "missing .keep", "missing 02 Work", "= Clients/Oriel Pask"},
	} {
		r, err := look().At(filepath.Join(dir, at))
		require.NoError(t, err, at)
		got := said(r)
		if at == "." { // one below the other, whatever their order
			slices.Sort(want)
			slices.Sort(got)
		}
		assert.Equal(t, want, got, at)
	}
	// Only what is asked for.
	l := look()
	l.Only = func(rule string) bool { return rule == "strays" }
	r, err := l.At(filepath.Join(dir, "Clients/Jun Teague"))
	require.NoError(t, err)
	assert.Equal(t, []string{"= .", "strays 03 Work/Misc", "= 01 Agreement/Dag Holm"}, said(r))
	assert.Equal(t, []string{"strays"}, r.Subjects[0].Rules)
	// What is passed by is not judged.
	l = look()
	l.Ignore = []string{"Misc/"}
	r, err = l.At(filepath.Join(dir, "Clients/Jun Teague/03 Work"))
	require.NoError(t, err)
	assert.Equal(t, []string{"= .", "misnamed 03 Work"}, said(r))
}

func TestFoldersWithoutALabelAreReadByTheirNames(t *testing.T) {
	dir := desk(t, "Clients/Oriel Pask/01 Agreement/", "Clients/Oriel Pask/02 Work/01 Survey/", "Clients/Oriel Pask/02 Work/02 Repair/", "Clients/Oriel Pask/03 Gilding/", "Clients/Oriel Pask/.keep",
		"Clients/Jun Teague/01 Agreement/", "Clients/Jun Teague/2 Work/", "Elsewhere/x.md", "Clients/notes.txt")
	l := look()
	l.Template = parse(t, shop)
	r, err := l.At(filepath.Join(dir, "Clients", "Oriel Pask"))
	require.NoError(t, err)
	assert.Equal(t, []string{"= ."}, said(r))
	s := r.Subjects[0]
	assert.True(t, s.Inferred)
	assert.Equal(t, "Oriel Pask", s.Values["client"].Text)
	assert.Equal(t, "Survey; Repair", s.Values["stages"].String())
	assert.True(t, s.Values["gilding"].Holds())
	for _, at := range []string{"Clients", "."} { // the place in which they lie
		r, err = l.At(filepath.Join(dir, at))
		require.NoError(t, err)
		var names []string
		for _, s := range r.Subjects {
			names = append(names, filepath.Base(s.Name))
		}
		assert.Equal(t, []string{"Jun Teague", "Oriel Pask"}, names, at)
		assert.Equal(t, []string{"missing .keep", "misnamed 2 Work", "missing 2 Work/01 Survey"}, said(r)[1:4])
	}
	r, err = l.At(filepath.Join(dir, "Elsewhere"))
	require.NoError(t, err)
	assert.Equal(t, "= .", said(r)[0])
	assert.NotEmpty(t, said(r)[1:], "nothing fits, and that is told")
	assert.Less(t, len(said(r)), 10)
}

func TestWithoutATemplateTheDefaultsHold(t *testing.T) {
	dir := desk(t, "a/con.txt", "a/IMG_2044.jpg", "a/.hidden/con.txt", "a/.git/objects/con.txt", "a/Thumbs.db", "a/~$x.docx", "a/.~lock.x.odt#")
	r, err := look().At(dir)
	require.NoError(t, err)
	assert.Equal(t, []string{"= .", "vague-names a/IMG_2044.jpg", "systems a/con.txt"}, said(r))
	assert.NotContains(t, r.Subjects[0].Rules, "missing", "what needs a template is not said to be held")
	// Numbers that stand twice put folders into no order; dates and series of other
	// words may well.
	dir = desk(t, "Shelf/01 Buoys/", "Shelf/01 Tides/", "Shelf/02 Tides/", "Shelf/02 Logs/", "Shelf/03-04 May/", "Shelf/03-04 June/", "Shelf/2027-03 a/", "Shelf/2027-03 b/", "Shelf/Part 1 notes/", "Shelf/Part 1 letters/", "Shelf/4 a.txt", "Shelf/4 b.txt")
	r, err = look().At(dir)
	require.NoError(t, err)
	assert.Equal(t, []string{"= .", "sorting Shelf/01 Tides", "sorting Shelf/02 Tides"}, said(r))
	_, err = look().At(filepath.Join(dir, "none"))
	assert.ErrorIs(t, err, fs.ErrNotExist)
	_, err = look().At(filepath.Join(dir, "Shelf", "4 a.txt"))
	assert.ErrorContains(t, err, "no archive that can be read")
}

func TestFoldersThatVanishWhileTheyAreReadDoNoHarm(t *testing.T) {
	var paths []string
	for i := range 300 {
		paths = append(paths, fmt.Sprintf("a/%03d/b/c/", i))
	}
	dir := desk(t, paths...)
	l := look()
	gone := false
	l.Done = func(int) {
		if !gone { // whoever reads first is late for the rest
			gone = true
			os.RemoveAll(filepath.Join(dir, "a"))
		}
	}
	r, err := l.At(dir)
	require.NoError(t, err)
	assert.NotEmpty(t, r.Subjects)
}

// The oracle groups what was made by what must not come twice, without reading a name.
func TestNumbersThatCountOnComeOnce(t *testing.T) {
	for _, scope := range []string{"yes", "project", "everywhere"} {
		t.Run(scope, func(t *testing.T) {
			text := "---\nfields: { client: Who? }\nnames: { note: { pattern: \"<day:yyyy>-<n:00> <topic>\", fields: { day: { type: date }, n: { next: " + scope + ", per: \"<day:yyyy>\" } } } }\n---\n<client>\n    A | holds: note\n    B\n    Index.txt\n"
			found, doubles := 0, 0
			rapid.Check(t, func(rt *rapid.T) {
				dir, err := os.MkdirTemp(t.TempDir(), "")
				require.NoError(rt, err)
				groups := map[string]map[string]bool{}
				for _, client := range []string{"Jun", "Ola"} {
					for _, folder := range []string{"A", "B", "B/mine"} {
						at := filepath.Join(dir, client, folder)
						require.NoError(rt, os.MkdirAll(at, 0o777))
						for range rapid.IntRange(0, 3).Draw(rt, "files") {
							year, n := rapid.IntRange(2026, 2027).Draw(rt, "year"), rapid.IntRange(1, 3).Draw(rt, "n")
							stem := fmt.Sprintf("%d-%02d %s", year, n, rapid.SampledFrom([]string{"oak", "elm"}).Draw(rt, "topic"))
							ending := rapid.SampledFrom([]string{".txt", ".pdf"}).Draw(rt, "ending")
							require.NoError(rt, os.WriteFile(filepath.Join(at, stem+ending), nil, 0o666))
							in := map[string]string{"yes": client + folder, "project": client}[scope]
							key := fmt.Sprint(in, year, n)
							if groups[key] == nil {
								groups[key] = map[string]bool{}
							}
							groups[key][at+stem] = true
						}
					}
					l := &label.Label{ID: client, Build: label.Build{Template: "note.folders", Text: text, Values: map[string]any{"client": client}, Built: now}}
					data, err := l.Encode()
					require.NoError(rt, err)
					require.NoError(rt, os.WriteFile(filepath.Join(dir, client, label.FileName), data, 0o666))
				}
				want, got := 0, 0
				for _, stems := range groups {
					want += len(stems) - 1
				}
				r, err := look().At(dir)
				require.NoError(rt, err)
				for _, s := range r.Subjects {
					require.NoError(rt, s.Err)
					for _, f := range s.Findings {
						if f.Rule == "numbering" {
							got++
						}
					}
				}
				require.Equal(rt, want, got)
				found, doubles = found+1, doubles+want
			})
			assert.NotZero(t, doubles)
		})
	}
}
