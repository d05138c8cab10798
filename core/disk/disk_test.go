package disk

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/plan"
	"vestibula/core/tree"
)

// text is a content; breaking is one that fails in the middle.
type text string

func (c text) Source() string               { return "test" }
func (c text) Open() (io.ReadCloser, error) { return io.NopCloser(strings.NewReader(string(c))), nil }

type breaking struct{ text }

func (breaking) Open() (io.ReadCloser, error) {
	return io.NopCloser(io.MultiReader(strings.NewReader("half"), failing{})), nil
}

// says is what a note is to hold.
func says(text string) func() ([]byte, error) {
	return func() ([]byte, error) { return []byte(text), nil }
}

type failing struct{}

func (failing) Read([]byte) (int, error) { return 0, errors.New("the medium is gone") }

func folder(name string, children ...*tree.Node) *tree.Node {
	return &tree.Node{Name: name, Children: children}
}

func leaf(name string, c tree.Content) *tree.Node {
	return &tree.Node{Name: name, Kind: tree.File, Content: c}
}

// snapshot describes all that lies below a folder, times of files included.
func snapshot(t *testing.T, dir string) map[string]string {
	t.Helper()
	all := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		info, err := d.Info()
		require.NoError(t, err)
		rel, _ := filepath.Rel(dir, path)
		all[filepath.ToSlash(rel)] = d.Type().String()
		if d.Type().IsRegular() {
			data, err := os.ReadFile(path)
			require.NoError(t, err)
			all[filepath.ToSlash(rel)] = fmt.Sprintf("%s %q %s", d.Type(), data, info.ModTime())
		}
		return nil
	}))
	delete(all, ".")
	return all
}

func open(t *testing.T, dir string) *Place {
	t.Helper()
	p, err := Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { p.Close() })
	return p
}

var wanted = folder("", folder("P", folder("A", leaf("a.txt", text("hello")), folder("deep", folder("deeper"))), folder("B"), leaf("empty.txt", nil)))

func TestBuildingTwiceChangesNothingTheSecondTime(t *testing.T) {
	dir := t.TempDir()
	p := open(t, dir)
	pl, err := plan.Make(wanted, p)
	require.NoError(t, err)
	folders, files := pl.Made()
	assert.Equal(t, []int{5, 2}, []int{folders, files})
	require.NoError(t, p.Build(Job{Plan: pl, Notes: []Note{{Path: "P/.label", Data: says("x")}}}))
	before := snapshot(t, dir)
	assert.Len(t, before, 8)
	assert.Contains(t, before["P/A/a.txt"], `"hello"`)

	time.Sleep(5 * time.Millisecond)
	pl, err = plan.Make(wanted, p)
	require.NoError(t, err)
	assert.Equal(t, 7, pl.Count[plan.There])
	require.NoError(t, p.Build(Job{Plan: pl}))
	assert.Equal(t, before, snapshot(t, dir))
}

func TestTheUsersOwnFilesStayAsTheyAre(t *testing.T) {
	dir := t.TempDir()
	for i := range 1000 {
		path := filepath.Join(dir, "P", fmt.Sprintf("d%d", i%7), fmt.Sprintf("own %d.txt", i))
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o777))
		require.NoError(t, os.WriteFile(path, fmt.Appendf(nil, "mine %d", i), 0o666))
	}
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "P/A"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "P/A/a.txt"), []byte("edited"), 0o666))
	before := snapshot(t, dir)
	p := open(t, dir)
	pl, err := plan.Make(wanted, p)
	require.NoError(t, err)
	assert.Equal(t, 1, pl.Count[plan.Kept])
	require.NoError(t, p.Build(Job{Plan: pl}))
	after := snapshot(t, dir)
	for path, what := range before {
		assert.Equal(t, what, after[path], path)
	}
	assert.Contains(t, after, "P/A/deep/deeper")
}

func TestWhatIsInTheWayIsToldAllAtOnce(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "P/a"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "P/B"), nil, 0o666))
	require.NoError(t, os.Symlink("/etc", filepath.Join(dir, "P/empty.txt")))
	pl, err := plan.Make(wanted, open(t, dir))
	require.NoError(t, err)
	var why []string
	for i, s := range pl.Steps {
		if s.State == plan.Blocked {
			why = append(why, pl.Path(i)+": "+s.Why)
		}
	}
	require.Len(t, why, 3)
	assert.Contains(t, why[0], "P/A: “a” is there, spelled with other capitals")
	assert.Contains(t, why[1], "P/B: a file of that name is there, where a folder must be")
	assert.Contains(t, why[2], "P/empty.txt: a link to somewhere else of that name is there")
}

// sealed is a place in which nothing may be made.
type sealed struct{ *Place }

func (sealed) Writable(string) error { return fs.ErrPermission }

func TestAMissingRightIsToldBefore(t *testing.T) {
	pl, err := plan.Make(wanted, sealed{open(t, t.TempDir())})
	require.NoError(t, err)
	assert.Equal(t, 1, pl.Count[plan.Blocked])
	assert.Contains(t, pl.Steps[0].Why, "you may not make anything in")
}

func TestAFailedBuildIsTakenBack(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "P/B"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "P/B/own.txt"), []byte("mine"), 0o666))
	before := snapshot(t, dir)
	p := open(t, dir)
	want := folder("", folder("P", folder("A", folder("AA"), leaf("a.txt", text("x"))), folder("B", folder("C")), leaf("z.txt", breaking{})))
	pl, err := plan.Make(want, p)
	require.NoError(t, err)
	err = p.Build(Job{Plan: pl})
	var failed *BuildError
	require.ErrorAs(t, err, &failed)
	assert.Equal(t, "P/z.txt", failed.Path)
	assert.Empty(t, failed.Left)
	assert.Equal(t, before, snapshot(t, dir))
}

func TestALinkPutThereMeanwhileLeadsNowhere(t *testing.T) {
	dir, outside := t.TempDir(), t.TempDir()
	p := open(t, dir)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "P/A"), 0o777))
	pl, err := plan.Make(wanted, p)
	require.NoError(t, err)
	require.NoError(t, os.Remove(filepath.Join(dir, "P/A")))
	require.NoError(t, os.Symlink(outside, filepath.Join(dir, "P/A")))
	require.Error(t, p.Build(Job{Plan: pl}))
	assert.Empty(t, snapshot(t, outside))
}

func TestPlacesThatCannotBeBuiltIn(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "f"), nil, 0o666))
	require.NoError(t, os.Symlink("/tmp", filepath.Join(dir, "l")))
	for name, want := range map[string]string{"none": "there is no folder", "f": "is a file", "l": "is a link to elsewhere"} {
		_, err := Open(filepath.Join(dir, name))
		assert.ErrorContains(t, err, want)
	}
}

func TestAPathThatTheSystemCannotOpenIsToldBefore(t *testing.T) {
	p := open(t, t.TempDir())
	root := folder("")
	for n := root; len(n.Name) < 300; n = n.Children[0] {
		if n.Children = []*tree.Node{folder(strings.Repeat("x", 200))}; strings.Count(chain(root), "/") > 25 {
			break
		}
	}
	pl, err := plan.Make(root, p)
	require.NoError(t, err)
	path, length, most := p.TooLong(pl)
	assert.Greater(t, length, most)
	assert.Equal(t, chain(root), path)
	pl, err = plan.Make(wanted, p)
	require.NoError(t, err)
	path, length, most = p.TooLong(pl)
	assert.Empty(t, path)
	assert.Less(t, length, most)
}

// chain is the path of folders that lie inside each other.
func chain(n *tree.Node) string {
	var names []string
	for ; len(n.Children) > 0; n = n.Children[0] {
		names = append(names, n.Children[0].Name)
	}
	return strings.Join(names, "/")
}
