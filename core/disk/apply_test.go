package disk

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/folder/foldertest"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/tree"
	"vestibula/core/undo"
)

// Whatever a set does, in whatever order it is given: the disk looks afterwards
// as it is to look, one undo brings it back, name for name, byte for byte and
// time for time, and an undo of the undo does it again.
func TestMixedSetsDoWhatTheySayAndCanBeTakenBack(t *testing.T) { mixedSets(t) }

// The same holds on a store that lacks all that one may lack.
func TestMixedSetsOnAPoorStore(t *testing.T) {
	folder.Between = func(open func() (folder.Folder, error)) (folder.Folder, error) {
		h, err := open()
		if err != nil {
			return nil, err
		}
		return foldertest.Poor(h), nil
	}
	defer func() { folder.Between = nil }()
	mixedSets(t)
}

func mixedSets(t *testing.T) {
	worlds := many(t, "VESTIBULA_WORLDS", 300)
	changes := 0
	defer func(n int) { mostOpen = n }(mostOpen)
	for seed := range worlds {
		mostOpen = []int{1, 2, 64}[seed%3]
		w := newWorld(t, seed, 1+int(seed%12))
		changes += len(w.set.Changes)
		_, err := w.apply()
		require.NoError(t, err, "seed %d\n%s", seed, w)
		require.Equal(t, w.after, withoutKept(w.now()), "seed %d\n%s", seed, w)
		stays, err := w.undo("test")
		require.NoError(t, err, "seed %d\n%s", seed, w)
		require.Empty(t, stays, "seed %d\n%s", seed, w)
		require.Equal(t, w.before, withoutKept(w.now()), "undone, seed %d\n%s", seed, w)
		require.Equal(t, w.times, w.folderTimes(), "undone, seed %d\n%s", seed, w)
		stays, err = w.undo("undo")
		require.NoError(t, err, "seed %d\n%s", seed, w)
		require.Empty(t, stays)
		require.Equal(t, keys(w.after), keys(withoutKept(w.now())), "done again, seed %d\n%s", seed, w)
	}
	t.Logf("%d changes in %d sets", changes, worlds)
}

// many is how often a test is done. The variable of the environment asks for more.
func many(t *testing.T, variable string, usual uint64) uint64 {
	if text := os.Getenv(variable); text != "" {
		n, err := strconv.ParseUint(text, 10, 64)
		require.NoError(t, err)
		return n
	}
	return usual
}

func keys(m map[string]string) map[string]bool {
	out := map[string]bool{}
	for k := range m {
		out[k] = true
	}
	return out
}

func TestWhatIsKeptCanBeForgotten(t *testing.T) {
	for seed := range uint64(200) {
		w := newWorld(t, seed, 8)
		record, err := w.apply()
		require.NoError(t, err)
		if record.Kept == 0 {
			continue
		}
		require.NotEqual(t, w.after, w.now(), "what is kept lies there")
		j, err := journal.Open(w.state)
		require.NoError(t, err)
		defer j.Close()
		records, err := j.Records()
		require.NoError(t, err)
		away, err := w.writer().Forget(j, records[0])
		require.NoError(t, err)
		require.Empty(t, away)
		require.Equal(t, w.after, w.now(), "seed %d", seed)
		records, err = j.Records()
		require.NoError(t, err)
		assert.Equal(t, journal.Forgotten, records[0].End)
		return
	}
	t.Fatal("no world kept anything")
}

// set is a set in the first place of an empty world.
func set(w *world, changes ...change.Change) {
	w.set = &change.Set{Places: w.places, Changes: changes}
}

func file(name, text string) *tree.Node {
	return &tree.Node{Name: name, Kind: tree.File, Content: tree.Bytes(text)}
}

// meddling is a content that does something when it is opened.
type meddling struct {
	tree.Bytes
	do func()
}

func (m meddling) Open() (io.ReadCloser, error) {
	m.do()
	return m.Bytes.Open()
}

func TestARunThatIsStoppedIsTakenBack(t *testing.T) {
	w := newWorld(t, 1, 0)
	stop := make(chan struct{})
	var once sync.Once
	c := meddling{tree.Bytes("x"), func() { once.Do(func() { close(stop) }) }}
	set(w, change.Change{Op: change.Make, Path: "P", Node: &tree.Node{Children: []*tree.Node{{Name: "A"}, {Name: "b.txt", Kind: tree.File, Content: c}, {Name: "C"}}}})
	p, err := Prepare(w.set)
	require.NoError(t, err)
	writer := w.writer()
	writer.Stop, writer.NoJournal = stop, true
	_, err = writer.Apply(p, journal.Head{})
	assert.ErrorIs(t, err, ErrStopped)
	assert.Empty(t, w.now())
}

// A folder that is to be whole has another name until all of the run is done, or taken back.
func TestAFolderIsWholeUnderItsName(t *testing.T) {
	for _, fails := range []bool{false, true} {
		w := newWorld(t, 1, 0)
		seen := 0
		look := meddling{tree.Bytes("x"), func() {
			if _, err := os.Lstat(string(w.places[0].Join("P"))); errors.Is(err, fs.ErrNotExist) {
				seen++
			}
			assert.DirExists(t, string(w.places[0].Join("P"+change.Unfinished)))
			if fails {
				require.NoError(t, os.Mkdir(string(w.places[0].Join("P")), 0o777)) // somebody else takes the name
				fails = false
			}
		}}
		set(w, change.Change{Op: change.Make, Path: "P", Whole: true, Node: &tree.Node{Name: "P"}}, change.Change{Op: change.Copy, Path: "P/x", Content: look})
		_, err := w.apply()
		assert.Positive(t, seen)
		assert.NoDirExists(t, string(w.places[0].Join("P"+change.Unfinished)))
		if err != nil {
			assert.ErrorIs(t, err, fs.ErrExist)
			assert.NoFileExists(t, string(w.places[0].Join("P", "x")))
			continue
		}
		assert.FileExists(t, string(w.places[0].Join("P", "x")))
		_, err = w.undo("test")
		require.NoError(t, err)
		assert.Empty(t, w.now())
	}
}

// A folder that somebody has put something into since keeps the time of that.
func TestTheTimeOfAFolderIsItsOwnersWhereTheyWereThere(t *testing.T) {
	w := newWorld(t, 1, 0)
	for _, dir := range []string{"A", "B"} {
		at := w.places[0].Join(dir)
		require.NoError(t, os.MkdirAll(string(at), 0o777))
		require.NoError(t, os.WriteFile(string(at.Join("x")), nil, 0o666))
		require.NoError(t, os.Chtimes(string(at), time.Time{}, time.Unix(1_600_000_000, 0)))
	}
	file := change.State{Entry: tree.Entry{Kind: tree.File}}
	set(w, change.Change{Op: change.Move, From: "A/x", Path: "A/y", Was: file}, change.Change{Op: change.Move, From: "B/x", Path: "B/y", Was: file})
	_, err := w.apply()
	require.NoError(t, err)
	theirs := time.Now().Add(time.Hour)
	require.NoError(t, os.Chtimes(string(w.places[0].Join("B")), time.Time{}, theirs))
	_, err = w.undo("test")
	require.NoError(t, err)
	times := w.folderTimes()
	assert.Equal(t, int64(1_600_000_000e9), times[string(w.places[0].Join("A"))])
	assert.Greater(t, times[string(w.places[0].Join("B"))], int64(1_600_000_000e9))
}

// What goes because the same lies elsewhere stays where that is no longer so, also in
// the last moment.
func TestWhatIsThereTwiceGoesOnlyWhileItIs(t *testing.T) {
	for _, size := range []int{3, change.MaxOld + 1} {
		text := strings.Repeat("x", size)
		for _, changed := range []bool{false, true} {
			w := newWorld(t, 1, 0)
			one, other := w.places[0].Join("one"), w.places[0].Join("other")
			require.NoError(t, os.WriteFile(string(one), []byte(text), 0o666))
			require.NoError(t, os.WriteFile(string(other), []byte(text), 0o666))
			meddle := meddling{tree.Bytes("new"), func() {
				if changed {
					require.NoError(t, os.WriteFile(string(other), []byte("changed"), 0o666))
				}
			}}
			sum := digest.Bytes([]byte(text))
			set(w, change.Change{Op: change.Remove, Path: "one", Was: change.State{Entry: tree.Entry{Kind: tree.File}, Sum: sum}, Instead: "other", Equal: true},
				change.Change{Op: change.Make, Path: "new", Node: &tree.Node{Name: "new", Kind: tree.File, Content: meddle}})
			_, err := w.apply()
			_, stays := os.Lstat(string(one))
			if changed {
				assert.ErrorIs(t, err, ErrChanged)
				assert.NoError(t, stays)
				continue
			}
			require.NoError(t, err)
			assert.ErrorIs(t, stays, fs.ErrNotExist)
			_, err = w.undo("test")
			require.NoError(t, err)
			assert.FileExists(t, string(one))
		}
	}
}

// Times, permissions and attributes go along, also to another disk and into new
// contents.
func TestWhatBelongsToAFileGoesWithIt(t *testing.T) {
	w := newWorld(t, 1, 0)
	for i, name := range []string{"moved.txt", "copied.txt", "replaced.txt", "renamed.txt"} {
		at := w.places[0].Join(name)
		require.NoError(t, os.WriteFile(string(at), []byte(name), 0o600))
		require.NoError(t, os.Chmod(string(at), 0o604))
		require.NoError(t, os.Chtimes(string(at), time.Time{}, time.Unix(1_600_000_000+int64(i), 7)))
	}
	h, err := folder.Open(string(w.places[0]))
	require.NoError(t, err)
	defer h.Close()
	f, err := h.Append("replaced.txt")
	require.NoError(t, err)
	attributes := f.SetAttribute("user.colour", []byte("red")) == nil
	f.Close()
	set(w, change.Change{Op: change.Move, From: "moved.txt", In: 1, Path: "moved.txt"}, change.Change{Op: change.Copy, From: "copied.txt", Path: "copy.txt"},
		change.Change{Op: change.Replace, Path: "replaced.txt", Content: tree.Bytes("new")}, change.Change{Op: change.Move, From: "renamed.txt", Path: "other.txt"})
	_, err = w.apply()
	require.NoError(t, err)
	for i, at := range []string{string(w.places[1] + "/moved.txt"), string(w.places[0] + "/copy.txt"), "", string(w.places[0] + "/other.txt")} {
		if at == "" {
			continue
		}
		info, err := os.Stat(at)
		require.NoError(t, err)
		assert.Equal(t, []any{os.FileMode(0o604), int64(1_600_000_000+i)*1e9 + 7}, []any{info.Mode().Perm(), info.ModTime().UnixNano()}, at)
	}
	info, err := os.Stat(string(w.places[0].Join("replaced.txt")))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o604), info.Mode().Perm(), "who may read and write it stays as it is")
	if f, err := h.Open("replaced.txt"); attributes && assert.NoError(t, err) {
		assert.Equal(t, []byte("red"), f.Attributes()["user.colour"])
		f.Close()
	}
}

// Whatever a person does to what was made, an undo takes back only what is still
// as it was made, and an undo of the undo brings exactly that back.
func TestUndoTouchesOnlyWhatIsAsItWasMade(t *testing.T) {
	for seed := range uint64(60) {
		w := newWorld(t, 1, 0)
		draw := rand.New(rand.NewPCG(seed, 9))
		set(w, change.Change{Op: change.Make, Path: "P", Node: &tree.Node{Children: []*tree.Node{
			{Name: "A", Children: []*tree.Node{file("a.txt", "hello"), {Name: "deep", Children: []*tree.Node{{Name: "deeper"}}}}}, {Name: "B"}, {Name: "empty.txt", Kind: tree.File}}}})
		_, err := w.apply()
		require.NoError(t, err)
		mine := map[string]string{}
		for i := range draw.IntN(5) {
			paths := []string{"P/A/a.txt", "P/empty.txt", "P/A/mine.txt", "P/A/deep/mine.txt", "mine.txt", "P/B/mine.txt"}
			path := paths[draw.IntN(len(paths))]
			mine["0:"+path] = fmt.Sprintf("mine %d", i)
			require.NoError(t, os.WriteFile(string(w.places[0].Join(path)), []byte(mine["0:"+path]), 0o666))
		}
		meddled := w.now()
		stays, err := w.undo("test")
		require.NoError(t, err)
		left := w.now()
		for path, text := range mine {
			assert.Equal(t, text, left[path], "it stays")
		}
		if len(mine) == 0 {
			assert.Empty(t, stays)
			assert.Empty(t, left)
		}
		_, err = w.undo("undo")
		require.NoError(t, err)
		assert.Equal(t, meddled, w.now())
	}
}

func TestALinkPutThereMeanwhileLeadsNowhere(t *testing.T) {
	w := newWorld(t, 1, 0)
	outside := t.TempDir()
	require.NoError(t, os.MkdirAll(string(w.places[0].Join("P/A")), 0o777))
	set(w, change.Change{Op: change.Make, Path: "P/A/x", Node: &tree.Node{}}, change.Change{Op: change.Make, Path: "P/A/y.txt", Node: file("y.txt", "y")})
	p, err := Prepare(w.set)
	require.NoError(t, err)
	require.NoError(t, os.Remove(string(w.places[0].Join("P/A"))))
	require.NoError(t, os.Symlink(outside, string(w.places[0].Join("P/A"))))
	_, err = w.writer().Apply(p, journal.Head{})
	var blocked *BlockedError
	require.ErrorAs(t, err, &blocked)
	entries, err := os.ReadDir(outside)
	require.NoError(t, err)
	assert.Empty(t, entries)
	assert.Equal(t, "none", w.end(), "nothing was begun, and nothing is written down")
}

func TestThePlaceItselfMayBeAnotherOne(t *testing.T) {
	w := newWorld(t, 1, 0)
	set(w, change.Change{Op: change.Make, Path: "P", Node: &tree.Node{}})
	p, err := Prepare(w.set)
	require.NoError(t, err)
	require.NoError(t, os.Rename(string(w.places[0]), string(w.places[0]+" away")))
	require.NoError(t, os.Mkdir(string(w.places[0]), 0o777))
	_, err = w.writer().Apply(p, journal.Head{})
	assert.ErrorContains(t, err, ErrChanged.Error())
	assert.Empty(t, w.now())
}

func TestALabelOnlyOffersAProjectOnAnotherDisk(t *testing.T) {
	w := newWorld(t, 1, 0)
	text := `{"vestibula":2,"id":"4kq2","template":"a","text":"A"}`
	set(w, change.Change{Op: change.Make, Path: "P", Node: &tree.Node{Children: []*tree.Node{file("a.txt", "a"), file(label.FileName, text)}}})
	p, err := Prepare(w.set)
	require.NoError(t, err)
	_, err = w.writer().Apply(p, journal.Head{What: "test", Roots: []journal.Root{{Path: "P", ID: "4kq2"}}})
	require.NoError(t, err)
	// It is copied to another disk by hand, and removed here.
	away := w.places[1].Join("Archive")
	require.NoError(t, os.CopyFS(string(away), os.DirFS(string(w.places[0].Join("P")))))
	require.NoError(t, os.RemoveAll(string(w.places[0].Join("P"))))
	_, err = w.undo("test")
	var gone *undo.GoneError
	require.ErrorAs(t, err, &gone, "from elsewhere it is not found")
	w.top = string(away)
	_, err = w.undo("test")
	require.ErrorAs(t, err, &gone)
	assert.Equal(t, []address.Address{away}, gone.Maybe, "it may be a copy")
	w.named = string(away)
	stays, err := w.undo("test")
	require.NoError(t, err)
	assert.Empty(t, stays)
	assert.Empty(t, w.now())
}
