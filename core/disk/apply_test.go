package disk

import (
	"os"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/journal"
	"vestibula/core/place"
)

// Whatever a set does, in whatever order it is given: the disk looks afterwards
// as it is to look, one undo brings it back, name for name, byte for byte and
// time for time, and an undo of the undo does it again.
func TestMixedSetsDoWhatTheySayAndCanBeTakenBack(t *testing.T) {
	worlds := many(t, "VESTIBULA_WORLDS", 300)
	changes := 0
	for seed := range worlds {
		w := newWorld(t, seed, 1+int(seed%12))
		changes += len(w.set.Changes)
		_, err := w.apply()
		require.NoError(t, err, "seed %d\n%s", seed, w)
		require.Equal(t, w.after, withoutKept(w.now()), "seed %d\n%s", seed, w)
		stays, err := w.undo("test")
		require.NoError(t, err, "seed %d\n%s", seed, w)
		require.Empty(t, stays, "seed %d\n%s", seed, w)
		require.Equal(t, w.before, withoutKept(w.now()), "undone, seed %d\n%s", seed, w)
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
		require.NoError(t, w.writer().Forget(j, records[0]))
		require.Equal(t, w.after, w.now(), "seed %d", seed)
		records, err = j.Records()
		require.NoError(t, err)
		assert.Equal(t, journal.Forgotten, records[0].End)
		return
	}
	t.Fatal("no world kept anything")
}

func TestPlacesThatCannotBeOpened(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "f"), nil, 0o666))
	require.NoError(t, os.Symlink("/tmp", filepath.Join(dir, "l")))
	for name, want := range map[string]string{"none": "there is no folder", "f": "is a file", "l": "is a link to elsewhere", "l/": "is a link to elsewhere"} {
		_, err := place.Open(dir + "/" + name)
		assert.ErrorContains(t, err, want, name)
	}
}
