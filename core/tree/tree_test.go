package tree

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReadingNamesLinksAndFollowsNone(t *testing.T) {
	dir := t.TempDir()
	for _, path := range []string{"b/x.md", "b/deep/er/y.md", "a/z.tmp", "skip/z.md"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(path)), 0o777))
		require.NoError(t, os.WriteFile(filepath.Join(dir, path), nil, 0o666))
	}
	require.NoError(t, os.Symlink("..", filepath.Join(dir, "b", "circle")))
	root, unread, err := Read(dir, func(path string, folder bool) bool {
		return strings.HasSuffix(path, ".tmp") || folder && path == "skip"
	}, nil)
	require.NoError(t, err)
	assert.Empty(t, unread)
	var all []string
	for path, n := range root.All() {
		if n.Marks&Link != 0 {
			path += " (link)"
		}
		all = append(all, path)
	}
	assert.Equal(t, []string{"a", "b", "b/circle (link)", "b/deep", "b/deep/er", "b/deep/er/y.md", "b/x.md"}, all)
	assert.Equal(t, Facts{Folders: 4, Files: 3, Levels: 3, Longest: "b/deep/er/y.md", Length: 14}, Measure(root)) // circle counts as a file
	for _, bad := range []string{filepath.Join(dir, "none"), filepath.Join(dir, "b", "x.md")} {
		_, _, err := Read(bad, nil, nil)
		assert.Error(t, err)
	}
}

func TestTreesMeetOnlyOnTheWay(t *testing.T) {
	way := func(name string, children ...*Node) *Node { return &Node{Name: name, Marks: Way, Children: children} }
	m := NewMeeting(0)
	for i, tt := range []struct {
		root  *Node
		taken string
		by    int
	}{
		{&Node{Children: []*Node{way("Norland", &Node{Name: "Askel"})}}, "", 0},
		{&Node{Children: []*Node{way("Norland", &Node{Name: "Birk"})}}, "", 0},
		{&Node{Children: []*Node{way("Norland", &Node{Name: "Askel"})}}, "Norland/Askel", 1},
		{&Node{Children: []*Node{{Name: "Norland"}}}, "Norland", 1},
		{&Node{Children: []*Node{{Name: "Sorland"}}}, "", 0},
		{&Node{Children: []*Node{way("Sorland", &Node{Name: "Askel"})}}, "Sorland", 5},
		{&Node{Children: []*Node{{Name: "West", Marks: Step, Children: []*Node{{Name: "Askel"}}}}}, "", 0},
		{&Node{Children: []*Node{{Name: "West", Marks: Step, Children: []*Node{{Name: "Birk"}}}}}, "", 0},
		{&Node{Children: []*Node{{Name: "West", Marks: Step}}}, "West", 7},
		{&Node{Children: []*Node{way("norland", &Node{Name: "Corm"})}}, "norland", 1},
		{&Node{Children: []*Node{way("Norland", &Node{Name: "ASKEL"})}}, "Norland/ASKEL", 1},
	} {
		c := m.Add(tt.root, i+1)
		if tt.taken == "" {
			assert.Nil(t, c)
			continue
		}
		require.NotNil(t, c)
		assert.Equal(t, tt.taken, c.Path)
		assert.Equal(t, tt.by, c.By)
	}
	var all []string
	for path := range m.Root.All() {
		all = append(all, path)
	}
	assert.Equal(t, []string{"Norland", "Norland/Askel", "Norland/Birk", "Sorland", "West", "West/Askel", "West/Birk"}, all)
}
