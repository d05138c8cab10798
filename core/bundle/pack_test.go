package bundle

import (
	"bytes"
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
	"vestibula/core/tree"
)

var day = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

// zipped is what would be written of a file “a.txt”, that is said to hold a text.
func zipped(t *testing.T, holds, said string) ([]byte, error) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.txt"), []byte(holds), 0o644))
	note, err := (&Inventory{ID: "i", Project: "Ola", Made: day, Own: &Entry{Path: "./", Mode: 0o700}, Entries: []Entry{{Path: "Letters/", Mode: 0o750, Time: 7e9}, {Path: "a.txt", Size: int64(len(holds)), Sum: digest.Bytes([]byte(said)), Time: 1_700_000_000_000_000_123}, {Path: "way", To: "Letters"}}}).Encode()
	require.NoError(t, err)
	set := &change.Set{Places: []address.Address{address.Address(dir)}, Changes: []change.Change{
		{Op: change.Copy, From: "a.txt", Path: "Ola/a.txt", Was: change.State{Sum: digest.Bytes([]byte(said))}},
		{Path: "Ola/Letters", Node: &tree.Node{}, As: change.Dress{Mode: 0o750, Time: 7e9}},
		{Path: "Ola/way", Node: &tree.Node{Kind: tree.Symlink, Content: tree.Target("Letters")}},
		{Path: "Ola/" + BackupName, Node: &tree.Node{Kind: tree.File, Content: tree.Bytes(note)}},
	}}
	c := Pack(0, "years.zip", set, day, nil)
	r, err := c.Content.Open()
	require.NoError(t, err)
	defer r.Close()
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	return data, c.Content.(change.Proven).Prove(bytes.NewReader(data))
}

func TestWhatIsPackedComesBack(t *testing.T) {
	data, err := zipped(t, "one", "one")
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "years.zip")
	require.NoError(t, os.WriteFile(file, data, 0o644))
	f, err := OpenFile(file)
	require.NoError(t, err)
	defer f.Close()
	assert.Equal(t, "Ola", f.Top().Name)
	assert.Equal(t, map[string]string{"Ola/way": "Letters"}, f.Links)
	list, err := f.Back("Ola", "", 2, "C/Ola")
	require.NoError(t, err)
	require.Len(t, list, 4)
	for i, want := range []string{"C/Ola", "C/Ola/Letters", "C/Ola/a.txt", "C/Ola/way"} {
		assert.Equal(t, want, list[i].Path)
		assert.Equal(t, 2, list[i].In)
	}
	assert.Equal(t, change.Dress{Mode: 0o700 | os.ModeDir}, list[0].As)
	assert.Equal(t, change.Dress{Mode: 0o750 | os.ModeDir, Time: 7e9}, list[1].As)
	assert.EqualValues(t, 1_700_000_000_000_000_123, list[2].As.Time, "to the nanosecond, which the archive itself does not keep")
	proven := list[2].Content.(change.Proven)
	assert.NoError(t, proven.Prove(bytes.NewReader([]byte("one"))))
	assert.ErrorContains(t, proven.Prove(bytes.NewReader([]byte("two"))), "damaged")
	list, err = f.Back("Ola", "Letters", 0, "C/Ola")
	require.NoError(t, err)
	assert.Len(t, list, 1, "the part alone")
	_, err = f.Back("Jun", "", 0, "x")
	assert.ErrorContains(t, err, "not in it any more")
	_, err = f.In("Ola").Open("b.txt")
	assert.ErrorIs(t, err, ErrNone)
}

func TestWhatChangedMeanwhileIsNotPacked(t *testing.T) {
	assert.Equal(t, "C/Ola/a.txt", (&living{dir: "C/Ola", path: "a.txt"}).Source(), "by its path, where a message is of it")
	_, err := zipped(t, "two", "one")
	assert.ErrorContains(t, err, "somebody has changed a.txt meanwhile")
}

func TestProvingFindsDamage(t *testing.T) {
	whole, err := zipped(t, "one", "one")
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.txt"), []byte("one"), 0o644))
	set := &change.Set{Places: []address.Address{address.Address(dir)}, Changes: []change.Change{{Op: change.Copy, From: "a.txt", Path: "Ola/a.txt", Was: change.State{Sum: digest.Bytes([]byte("one"))}}}}
	content := Pack(0, "x.zip", set, day, nil).Content
	require.Error(t, content.(change.Proven).Prove(bytes.NewReader(whole[:len(whole)-30])), "cut off")
	require.Error(t, content.(change.Proven).Prove(bytes.NewReader(whole)), "another archive")
}
