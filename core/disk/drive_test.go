package disk

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/drive"
	"vestibula/core/drive/drivetest"
	"vestibula/core/folder"
)

// What a drive does not know of a file: its rights and its time.
var undriven = regexp.MustCompile(` -[rwx-]{9} \d+$`)

func driven(all map[string]string) map[string]string {
	for at, what := range all {
		all[at] = undriven.ReplaceAllString(what, "")
	}
	return all
}

// onDrives has places of a world lie on drives: the first, the second, or both of them on one.
func (w *world) onDrives(which int) (where string) {
	d := drive.New(drivetest.Config(drive.Credentials{}))
	folder.StoreOf = func(path string) folder.Store {
		if !address.Address(path).OnDrive() {
			return nil
		}
		return d.Of(path)
	}
	w.set.Places = append([]address.Address{}, w.places...)
	for i := range w.places {
		if which&(1<<i) == 0 {
			continue
		}
		s := drivetest.New(string(w.places[i]))
		s.Keeps = w.rand.IntN(2) == 0
		w.t.Cleanup(s.Close)
		w.set.Places[i] = s.Address()
	}
	return address.List(w.set.Places)
}

// On drives, sets do what they say, and can be taken back.
func TestMixedSetsOnDrives(t *testing.T) {
	noLinks = true
	was := folder.StoreOf
	defer func() { noLinks, folder.StoreOf = false, was }()
	for seed := range many(t, "VESTIBULA_WORLDS", 60) {
		w := newWorld(t, seed, 1+int(seed%12))
		where := w.onDrives(1 + int(seed%3))
		_, err := w.apply()
		require.NoError(t, err, "seed %d on %s\n%s", seed, where, w)
		require.Equal(t, driven(w.after), driven(withoutKept(w.now())), "seed %d on %s\n%s", seed, where, w)
		stays, err := w.undo("test")
		require.NoError(t, err, "seed %d\n%s", seed, w)
		require.Empty(t, stays, "seed %d\n%s", seed, w)
		require.Equal(t, driven(w.before), driven(withoutKept(w.now())), "undone, seed %d\n%s", seed, w)
		stays, err = w.undo("undo")
		require.NoError(t, err, "seed %d\n%s", seed, w)
		require.Empty(t, stays)
		require.Equal(t, keys(w.after), keys(withoutKept(w.now())), "done again, seed %d\n%s", seed, w)
	}
}

// Who only tries something out does not take the lock of a run that is at work there.
func TestARunAtWorkIsNotDisturbedByATrial(t *testing.T) {
	was := folder.StoreOf
	defer func() { folder.StoreOf = was }()
	notes := map[address.Address]string{}
	config := drivetest.Config(drive.Credentials{})
	config.Note = func(at address.Address, token string) { notes[at] = token }
	config.Noted = func(at address.Address) string { return notes[at] }
	d := drive.New(config)
	folder.StoreOf = func(path string) folder.Store {
		if !address.Address(path).OnDrive() {
			return nil
		}
		return d.Of(path)
	}
	s := drivetest.New(t.TempDir())
	defer s.Close()
	w := &Writer{Dir: t.TempDir()}
	release, err := w.take([]address.Address{s.Address()})
	require.NoError(t, err)
	s.Requests()
	var busy *BusyError
	_, err = w.TryNames(s.Address(), nil)
	require.ErrorAs(t, err, &busy)
	_, err = w.Try(s.Address())
	require.ErrorAs(t, err, &busy)
	for _, r := range s.Requests() {
		require.NotContains(t, r, "UNLOCK")
	}
	release()
	tried, err := w.TryNames(s.Address(), []string{"a", "b"})
	require.NoError(t, err)
	require.Empty(t, tried.Refused)
	require.Empty(t, drivetest.Names(s.Dir), "nothing of it stays")
	require.Equal(t, "", notes[s.Address()])
}
