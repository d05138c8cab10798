package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const levels = "---\nfields: { land: Where?, area: { ask: Which area?, default: \"\" }, town: Which town? }\n---\n<land>\n    Office\n    <area>\n        <town> | project\n            Letters\n            <town>.md | blank\n"

// What a project's values say of the folders that it lies in is brought about as well: it
// moves with all that is in it, and what is shared comes along where no other project has it; what
// is missing on the way is made, and what it leaves empty goes.
func TestAProjectMovesToWhereItsValuesSay(t *testing.T) {
	t.Parallel()
	for name, tt := range map[string]struct {
		values string
		here   []string // beside the project, before
		want   []string // folders and files of a person afterwards
		gone   []string
		says   string
	}{
		"to another area":             {"area=Bay", nil, []string{"Norland/Bay/Askel/Letters/mine.txt", "Norland/Office/"}, []string{"Norland/Hill/"}, ""},
		"to another land":             {"land=Sorland", nil, []string{"Sorland/Hill/Askel/Letters/mine.txt", "Sorland/Office/"}, []string{"Norland/"}, ""},
		"out of its area":             {"area=", nil, []string{"Norland/Askel/Letters/mine.txt"}, []string{"Norland/Hill/"}, ""},
		"under another name too":      {"area=Bay|town=Birk", nil, []string{"Norland/Bay/Birk/Letters/mine.txt", "Norland/Bay/Birk/Birk.md"}, []string{"Norland/Hill/"}, ""},
		"with what is a person's":     {"area=Bay", []string{"Norland/Hill/own.txt"}, []string{"Norland/Bay/Askel/Letters/mine.txt", "Norland/Bay/own.txt"}, []string{"Norland/Hill/"}, ""},
		"into a folder that is there": {"area=Bay", []string{"Norland/Bay/other.txt"}, []string{"Norland/Bay/Askel/Letters/mine.txt", "Norland/Bay/other.txt"}, nil, ""},
		"where its name is taken":     {"area=Bay", []string{"Norland/Bay/Askel/x.txt"}, []string{"Norland/Hill/Askel/Letters/mine.txt", "Norland/Bay/Askel/x.txt"}, nil, "is there already"},
	} {
		t.Run(name, func(t *testing.T) {
			d := newDesk(t, "levels.folders", levels, "out/own.txt", "mine")
			_, status := d.run("build", "levels", "--into", "out", "land=Norland", "area=Hill", "town=Askel", "--yes")
			require.Zero(t, status)
			d.write("out/Norland/Hill/Askel/Letters/mine.txt", "mine")
			for _, file := range tt.here {
				d.write("out/"+file, "theirs")
			}
			before := d.whole("out")
			out, status := d.run(append([]string{"upgrade", "out/Norland/Hill/Askel", "--yes"}, strings.Split(tt.values, "|")...)...)
			assert.Equal(t, tt.says != "", status != 0, out)
			assert.Contains(t, out, tt.says)
			has := d.has("out")
			for _, p := range tt.want {
				assert.Contains(t, has, p)
			}
			for _, p := range tt.gone {
				assert.NotContains(t, has, p)
			}
			if tt.says != "" {
				assert.Equal(t, before, d.whole("out"))
				return
			}
			for _, p := range tt.want {
				if own, _, inside := strings.Cut(p, "/Letters/"); inside {
					out, status := d.run("check", "out/"+own)
					assert.Zero(t, status, out)
					out, _ = d.run("upgrade", "out/"+own)
					assert.Contains(t, out, "Nothing to do")
				}
			}
			_, status = d.run("undo", "--yes")
			require.Zero(t, status)
			assert.Equal(t, before, d.whole("out"), "byte for byte, and time for time")
		})
	}
}

// A folder on the way that somebody has renamed says that they mean it otherwise.
func TestAProjectWhoseFoldersWereRenamedStays(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "levels.folders", levels, "out/own.txt", "mine")
	_, status := d.run("build", "levels", "--into", "out", "land=Norland", "area=Hill", "town=Askel", "--yes")
	require.Zero(t, status)
	require.NoError(t, os.Rename(filepath.Join(d.dir, "out/Norland/Hill"), filepath.Join(d.dir, "out/Norland/Heights")))
	out, status := d.run("upgrade", "out/Norland/Heights/Askel", "area=Bay", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "the folders that it lies in were renamed by hand")
	assert.Contains(t, d.has("out"), "Norland/Heights/Askel/")
	assert.NotContains(t, d.has("out"), "Norland/Bay/")
}

// Two projects of one plan may take each other's places, over folders.
func TestProjectsChangePlacesOverFolders(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "levels.folders", levels, "out/own.txt", "mine", "t.csv", "land,area,town\nNorland,Hill,Askel\nNorland,Bay,Birk\n")
	_, status := d.run("build", "levels", "--into", "out", "--table", "t.csv", "--mark", "--yes")
	require.Zero(t, status)
	d.write("out/Norland/Hill/Askel/Letters/a.txt", "of Askel")
	d.write("out/Norland/Bay/Birk/Letters/b.txt", "of Birk")
	before := d.whole("out")
	d.write("t.csv", strings.NewReplacer("Norland,Hill,Askel", "Norland,Bay,Birk", "Norland,Bay,Birk", "Norland,Hill,Askel").Replace(d.read("t.csv")))
	out, status := d.run("build", "levels", "--into", "out", "--table", "t.csv", "--mark", "--changed", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "of Askel", d.read("out/Norland/Bay/Birk/Letters/a.txt"))
	assert.Equal(t, "of Birk", d.read("out/Norland/Hill/Askel/Letters/b.txt"))
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	assert.Equal(t, before, d.whole("out"))
}
