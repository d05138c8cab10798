package next

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/tree"
)

// What goes along is copied, moved or linked anew, into folders that are made once; what is begun
// stays, and two files never get one name.
func TestWhatGoesAlongIsBrought(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "old"), 0o777))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "new", "In"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "new", "In", "begun.md"), nil, 0o666))
	require.NoError(t, os.Symlink("there", filepath.Join(dir, "old", "link")))
	set := &change.Set{Places: []address.Address{address.Address(dir)}}
	way := set.Way(func(at change.At) bool { return at.Path == "new" || at.Path == "new/In" })
	steps := []*Step{
		{From: "a.md", To: "In/a.md", Kind: tree.File}, {From: "b.md", To: "Sub/b.md", Kind: tree.File, Moves: true},
		{From: "link", To: "Sub/link", Kind: tree.Symlink}, {From: "Empty", To: "Empty", Kind: tree.Folder}, {From: "begun.md", To: "In/begun.md", Kind: tree.File},
	}
	f := &Forward{Plan: &Plan{Steps: steps}}
	begun, err := f.bring(set, way, change.At{Path: "old"}, change.At{Path: "new"})
	require.NoError(t, err)
	assert.Equal(t, 1, begun)
	assert.Len(t, f.Goes, 3)
	var lines []string
	for _, c := range set.Changes {
		lines = append(lines, c.Op.String()+" "+c.From+" "+c.Path)
	}
	assert.Equal(t, []string{"copy old/a.md new/In/a.md", "make  new/Sub", "move old/b.md new/Sub/b.md", "make  new/Sub/link", "make  new/Empty"}, lines)
	_, err = (&Forward{Plan: &Plan{Steps: []*Step{{From: "a.md", To: "x.md", Kind: tree.File}, {From: "c.md", To: "X.md", Kind: tree.File}}}}).bring(set, way, change.At{Path: "old"}, change.At{Path: "new"})
	assert.EqualError(t, err, "two files would get one name: a.md and c.md would both be X.md")
}
