package bundle

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/label"
	"vestibula/core/tree"
)

func project(name, id string, files ...string) *Away {
	return &Away{Name: name, To: "/media/Marl/" + name, Disk: "Marl", Since: time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC), Files: files,
		Label: &label.Label{ID: id, Build: label.Build{Template: "t.folders", Text: "A\n", Values: map[string]any{"client": "Ola"}}}}
}

func TestAListIsReadAsItWasWritten(t *testing.T) {
	l := &AwayList{}
	l.Add(project("B", "2", "x/"))
	l.Add(project("A", "1", "y.txt"))
	l.Add(project("a", "3")) // many systems take the two for one
	data, err := l.Encode()
	require.NoError(t, err)
	again, err := ParseAway(data)
	require.NoError(t, err)
	assert.Equal(t, []string{"B", "a"}, []string{again.Projects[0].Name, again.Projects[1].Name})
	assert.Equal(t, "3", again.Find("A").Label.ID)
	assert.Nil(t, again.Find("C"))
	assert.Equal(t, "on the disk Marl, since 2027-03-09, as /media/Marl/B", again.Find("B").Where())
	again.Remove(again.Find("B"))
	assert.Len(t, again.Projects, 1)
	for text, want := range map[string]string{"": "damaged", "{}": "damaged", `{"vestibula-away": 2}`: "newer version", `{"vestibula-away": 1, "projects": [null]}`: "says too little",
		`{"vestibula-away": 1, "projects": [{"name": "../x", "to": "/a", "label": {"text": "A"}}]}`: "says too little"} {
		_, err := ParseAway([]byte(text))
		assert.ErrorContains(t, err, want, text)
	}
}

// The tree of a project has just the paths that are known, each once, and none outside.
func TestWhatIsAwayIsATree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		want := map[string]bool{}
		var files []string
		for range rapid.IntRange(0, 8).Draw(t, "files") {
			names := rapid.SliceOfN(rapid.SampledFrom([]string{"a", "b", "c"}), 1, 3).Draw(t, "names")
			names[len(names)-1] += ".txt"
			at := strings.Join(names, "/")
			if want[at] {
				continue
			}
			files = append(files, at)
			for i := range names {
				want[strings.Join(names[:i+1], "/")] = true
			}
		}
		have := map[string]bool{}
		for at, n := range project("A", "1", files...).Tree().All() {
			require.False(t, have[at])
			have[strings.Clone(at)] = true
			require.Equal(t, strings.HasSuffix(at, ".txt"), n.Kind == tree.File)
			require.True(t, slices.IsSortedFunc(n.Children, func(a, b *tree.Node) int { return strings.Compare(a.Name, b.Name) }))
		}
		require.Equal(t, want, have)
	})
	for at := range project("A", "1", "../../x.txt", "/etc/passwd", "", ".", "a//b/").Tree().All() {
		assert.NotContains(t, at, "..")
	}
}

func FuzzParseAway(f *testing.F) {
	f.Add([]byte(`{"vestibula-away": 1, "projects": [{"name": "A", "to": "/a", "label": {"text": "A", "values": {}}, "files": ["a/b", "a"]}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		l, err := ParseAway(data)
		if err != nil {
			return
		}
		for _, p := range l.Projects {
			p.Tree()
		}
		out, err := l.Encode()
		if err != nil {
			t.Fatal(err)
		}
		if _, err := ParseAway(out); err != nil {
			t.Fatalf("written, it cannot be read: %v", err)
		}
	})
}

// What a run that was cut short was about to archive is not archived.
func TestWhatIsHalfArchivedIsNotArchived(t *testing.T) {
	dir, far := t.TempDir(), t.TempDir()
	l := &AwayList{}
	for _, name := range []string{"Half", "Whole"} {
		l.Add(&Away{Name: name, To: filepath.Join(far, name), Since: time.Now(), Label: &label.Label{ID: name, Build: label.Build{Template: "t", Text: "A\n"}}})
	}
	data, err := l.Encode()
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, AwayName), data, 0o666))
	require.NoError(t, os.Mkdir(filepath.Join(far, "Half.unfinished"), 0o777))
	require.Len(t, AwayIn(dir).Projects, 1)
	require.Equal(t, "Whole", AwayIn(dir).Projects[0].Name)
	all, _, err := ReadAway(dir)
	require.NoError(t, err)
	require.Len(t, all.Projects, 2, "the list itself is kept as it is")
}
