package match

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/treetest"
)

func TestIgnoredPaths(t *testing.T) {
	ignored, err := Ignore([]string{"*.tmp", "drafts/", "/old/**", "a/*/c", "!keep.tmp"})
	require.NoError(t, err)
	for path, want := range map[string]bool{"x.tmp": true, "a/b/x.tmp": true, "keep.tmp": false, "a/keep.tmp": false, "drafts/": true, "a/drafts/": true, "drafts": false, "old/x": true, "a/old/x": false,
		"a/b/c": true, "a/b/b/c": false, ".vestibula.json": true, ".git/": true, "Thumbs.db": true, "notes.md": false} {
		at, folder := strings.CutSuffix(path, "/")
		dir, name := "", at
		if i := strings.LastIndexByte(at, '/'); i >= 0 {
			dir, name = at[:i], at[i+1:]
		}
		assert.Equal(t, want, ignored.passes(dir, name, folder), path)
	}
	root := treetest.Of("a/x.tmp", "b/drafts/y.md", "b/notes.md", "old/z.md")
	ignored.Prune(root)
	var left []string
	for at := range root.All() {
		left = append(left, strings.Clone(at))
	}
	assert.Equal(t, []string{"a", "b", "b/notes.md", "old"}, left)
	for _, bad := range []string{"", "/", "[a", "!"} {
		_, err := Ignore([]string{bad})
		assert.Error(t, err, bad)
	}
}
