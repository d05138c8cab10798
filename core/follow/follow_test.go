package follow

import (
	"io"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/label"
	"vestibula/core/tree"
)

// desk lays files out in a folder.
func desk(t *testing.T, files map[string]string) string {
	dir, err := filepath.EvalSymlinks(t.TempDir())
	require.NoError(t, err)
	for at, text := range files {
		full := filepath.Join(dir, filepath.FromSlash(at))
		require.NoError(t, os.MkdirAll(filepath.Dir(full), 0o777))
		require.NoError(t, os.WriteFile(full, []byte(text), 0o666))
	}
	return dir
}

func labelOf(t *testing.T, change func(l *label.Label)) string {
	l := &label.Label{ID: "abc", Build: label.Build{Template: "t.folders", Text: "A\n", Built: time.Unix(0, 0).UTC(), Version: "0"}}
	change(l)
	text, err := l.Encode()
	require.NoError(t, err)
	return string(text)
}

// written is what a set writes into a file.
func written(t *testing.T, set *change.Set, at string) string {
	for _, c := range set.Changes {
		if c.Op == change.Replace && c.Path == at {
			r, err := c.Content.Open()
			require.NoError(t, err)
			text, err := io.ReadAll(r)
			require.NoError(t, err)
			return string(text)
		}
	}
	return ""
}

// Labels know where what was given and accepted lies, and what comes about new; each project's
// its own, and none that nothing is said of anew.
func TestLabelsKnowWhereThingsAre(t *testing.T) {
	outer := labelOf(t, func(l *label.Label) {
		l.Given = map[string]string{"a.md": "1", "In/b.md": "2"}
		l.Accepted = []label.Accepted{{Path: "In/Drafts", Why: "so"}}
	})
	inner := labelOf(t, func(l *label.Label) { l.ID = "def"; l.Given = map[string]string{"c.md": "3"} })
	dir := desk(t, map[string]string{"P/" + label.FileName: outer, "P/a.md": "a", "P/In/b.md": "b", "P/In/Drafts/x": "x", "P/Q/" + label.FileName: inner, "P/Q/c.md": "c", "Out/y": "y"})
	set := &change.Set{Places: []address.Address{address.Address(dir)}}
	set.Move(change.At{Path: "P/In"}, change.At{Path: "P/New"}, change.Is(tree.Folder), "")
	set.Move(change.At{Path: "P/a.md"}, change.At{Path: "Out/a.md"}, change.Is(tree.File), "")
	set.Make(change.At{Path: "P/Q/Made"}, &tree.Node{Children: []*tree.Node{{Name: "d.md", Kind: tree.File, Content: tree.Bytes("d")}}}, "")
	require.NoError(t, Labels(set))

	l, err := label.Parse([]byte(written(t, set, "P/"+label.FileName)))
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"New/b.md": "2"}, l.Given, "what left the project is forgotten")
	assert.Equal(t, "New/Drafts", l.Accepted[0].Path)
	l, err = label.Parse([]byte(written(t, set, "P/Q/"+label.FileName)))
	require.NoError(t, err)
	assert.Equal(t, "3", l.Given["c.md"])
	assert.Len(t, l.Given["Made/d.md"], 64)

	set = &change.Set{Places: []address.Address{address.Address(dir)}}
	set.Move(change.At{Path: "P"}, change.At{Path: "R"}, change.Is(tree.Folder), "")
	set.Move(change.At{Path: "Out/y"}, change.At{Path: "Out/z"}, change.Is(tree.File), "")
	require.NoError(t, Labels(set))
	assert.Len(t, set.Changes, 2, "a project that moves as a whole is what it was")
}

// Links and texts are found that would lead nowhere, and led to where things lie then; files get
// their old and new addresses.
func TestWhatPointsAtWhatMovesIsFixed(t *testing.T) {
	dir := desk(t, map[string]string{"a/one.md": "1", "b/two.md": "see [one](../a/one.md)\n", "b/index.html": "<p>x"})
	require.NoError(t, os.Symlink("../a/one.md", filepath.Join(dir, "b", "link")))
	set := &change.Set{Places: []address.Address{address.Address(dir)}}
	found, err := References(set, []address.Address{address.Address(dir)}, nil, nil)
	require.NoError(t, err)
	assert.Nil(t, found, "nothing moves")
	set.Move(change.At{Path: "a"}, change.At{Path: "c"}, change.Is(tree.Folder), "")
	found, err = References(set, []address.Address{address.Address(dir)}, nil, nil)
	require.NoError(t, err)
	require.Len(t, found.Broken, 2)
	rows, err := Addresses(set, []address.Address{address.Address(dir)})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"old", "new"}, {"/a/one.md", "/c/one.md"}}, rows)
	require.NoError(t, Fix(set, found))
	assert.Equal(t, "see [one](../c/one.md)\n", written(t, set, "b/two.md"))
	var links []string
	for _, c := range set.Changes[1:] {
		links = append(links, c.Op.String()+" "+c.Path)
	}
	assert.ElementsMatch(t, []string{"replace b/link", "replace b/two.md"}, links)
}

// What a planner notes in a label goes with what follows; and who has written the label since it
// was read is not written over.
func TestWhatAPlannerHasNotedStays(t *testing.T) {
	was := labelOf(t, func(l *label.Label) { l.Given = map[string]string{"In/b.md": "2"} })
	noted := labelOf(t, func(l *label.Label) {
		l.Given, l.Closed = map[string]string{"In/b.md": "2"}, map[string]string{"In": "New"}
	})
	theirs := labelOf(t, func(l *label.Label) {
		l.Given, l.Done = map[string]string{"In/b.md": "2"}, map[string]string{"Talk": "2027-03-09"}
	})
	dir := desk(t, map[string]string{"P/" + label.FileName: theirs, "P/In/b.md": "b"})
	set := &change.Set{Places: []address.Address{address.Address(dir)}}
	set.Move(change.At{Path: "P/In"}, change.At{Path: "P/New"}, change.Is(tree.Folder), "")
	set.Write(change.At{Path: "P/" + label.FileName}, []byte(was), []byte(noted), "")
	require.NoError(t, Labels(set))
	require.Len(t, set.Changes, 2)
	text := written(t, set, "P/"+label.FileName)
	l, err := label.Parse([]byte(text))
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"New/b.md": "2"}, l.Given)
	assert.Equal(t, map[string]string{"In": "New"}, l.Closed)
	c := set.Changes[1]
	assert.Equal(t, []string{digest.Bytes([]byte(was)), digest.Bytes([]byte(text))}, []string{c.Was.Sum, c.Sum}, "it is refused where the label holds something else now")
}
