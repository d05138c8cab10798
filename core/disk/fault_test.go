package disk

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/plan"
	"vestibula/core/tree"
)

// meddling is a content that does something to the disk when it is opened.
type meddling struct {
	text
	do func()
}

func (m meddling) Open() (io.ReadCloser, error) {
	m.do()
	return m.text.Open()
}

// Whichever file of a build fails, nothing of the build is left, and all that
// was there before is as it was.
func TestWhicheverFileFailsNothingIsLeft(t *testing.T) {
	const files = 6
	for k := range files {
		dir := t.TempDir()
		require.NoError(t, os.MkdirAll(filepath.Join(dir, "P/own"), 0o777))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "P/own/mine.txt"), []byte("mine"), 0o666))
		before := snapshot(t, dir)
		want := folder("", folder("P"))
		for i := range files {
			var c tree.Content = text("x")
			if i == k {
				c = breaking{}
			}
			want.Children[0].Children = append(want.Children[0].Children, folder(string(rune('a'+i)), file("f.txt", c), folder("deep")))
		}
		p := open(t, dir)
		pl, err := plan.Make(want, p)
		require.NoError(t, err)
		err = p.Build(pl, []Note{{"P/.label", []byte("x")}}, nil)
		var failed *BuildError
		require.ErrorAs(t, err, &failed)
		assert.Equal(t, "P/"+string(rune('a'+k))+"/f.txt", failed.Path)
		assert.Empty(t, failed.Left)
		assert.Equal(t, before, snapshot(t, dir))
	}
}

func TestWhatSomebodyPutThereMeanwhileStays(t *testing.T) {
	dir := t.TempDir()
	p := open(t, dir)
	want := folder("", folder("P", folder("A"), file("b.txt", meddling{"x", func() {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "P/A/mine.txt"), []byte("mine"), 0o666))
	}}), file("c.txt", breaking{})))
	pl, err := plan.Make(want, p)
	require.NoError(t, err)
	err = p.Build(pl, nil, nil)
	var failed *BuildError
	require.ErrorAs(t, err, &failed)
	assert.Equal(t, []string{"P/A", "P"}, failed.Left, "told, because they are not empty")
	data, err := os.ReadFile(filepath.Join(dir, "P/A/mine.txt"))
	require.NoError(t, err)
	assert.Equal(t, "mine", string(data))
	assert.NoFileExists(t, filepath.Join(dir, "P/b.txt"))
}

func TestAFileThatAppearsMeanwhileIsNotOverwritten(t *testing.T) {
	dir := t.TempDir()
	p := open(t, dir)
	want := folder("", file("a.txt", meddling{"x", func() {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "b.txt"), []byte("mine"), 0o666))
	}}), file("b.txt", text("ours")))
	pl, err := plan.Make(want, p)
	require.NoError(t, err)
	err = p.Build(pl, nil, nil)
	require.ErrorContains(t, err, "b.txt: something of that name is there already")
	assert.Equal(t, map[string]bool{"b.txt": true}, keys(snapshot(t, dir)))
	data, err := os.ReadFile(filepath.Join(dir, "b.txt"))
	require.NoError(t, err)
	assert.Equal(t, "mine", string(data))
}

func keys(m map[string]string) map[string]bool {
	out := map[string]bool{}
	for k := range m {
		out[k] = true
	}
	return out
}

func TestNotesAreReplacedAsAWhole(t *testing.T) {
	dir := t.TempDir()
	p := open(t, dir)
	empty := &plan.Plan{}
	require.NoError(t, p.Build(empty, []Note{{".label", []byte("first")}}, nil))
	require.NoError(t, p.Build(empty, []Note{{".label", []byte("second")}}, nil))
	data, err := p.ReadFile(".label")
	require.NoError(t, err)
	assert.Equal(t, "second", string(data))
	assert.Len(t, snapshot(t, dir), 1, "nothing else is left behind")
	data, err = p.ReadFile("none")
	assert.True(t, data == nil && err == nil, "a note that is not there is none")
	err = p.Build(empty, []Note{{"nowhere/.label", nil}}, nil)
	assert.ErrorContains(t, err, "nowhere/.label: it is not there")
}

func TestProgressCountsEachStep(t *testing.T) {
	p := open(t, t.TempDir())
	pl, err := plan.Make(wanted, p)
	require.NoError(t, err)
	var steps []int
	require.NoError(t, p.Build(pl, nil, func(n int) { steps = append(steps, n) }))
	assert.Equal(t, []int{1, 2, 3, 4, 5, 6, 7}, steps)
}

func TestSameBytesIsEquality(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := rapid.SliceOfN(rapid.Byte(), 0, 70_000).Draw(t, "a")
		b := a
		if rapid.Bool().Draw(t, "other") {
			b = append(append([]byte{}, a...), rapid.SliceOfN(rapid.Byte(), 0, 3).Draw(t, "more")...)
			if len(b) > 0 && rapid.Bool().Draw(t, "flipped") {
				b[rapid.IntRange(0, len(b)-1).Draw(t, "at")] ^= 1
			}
		}
		same, err := sameBytes(strings.NewReader(string(a)), strings.NewReader(string(b)))
		require.NoError(t, err)
		assert.Equal(t, string(a) == string(b), same)
	})
	_, err := sameBytes(failing{}, strings.NewReader("x"))
	assert.NoError(t, err, "they differ before the failure matters")
	_, err = sameBytes(failing{}, strings.NewReader(""))
	assert.Error(t, err)
}

func TestReasonsAreInPlainWords(t *testing.T) {
	_, missing := os.Open(filepath.Join(t.TempDir(), "none"))
	for err, want := range map[error]string{
		missing:                     "it is not there",
		os.ErrPermission:            "you do not have the right",
		errors.New("something odd"): "something odd",
		&os.PathError{Op: "mkdir", Path: "/secret", Err: errors.New("odd")}: "odd",
	} {
		assert.Equal(t, want, Reason(err))
	}
}
