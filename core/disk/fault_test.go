package disk

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/change"
	"vestibula/core/folder/foldertest"
	"vestibula/core/journal"
	"vestibula/core/tree"
)

// settle brings a world to where it was, or to where it is to be, after a run that
// failed: what was cut short is taken back.
func (w *world) settle(seed uint64, what string) {
	for range 3 {
		if end := w.end(); end == journal.CutShort {
			_, err := w.undo("test")
			require.NoError(w.t, err, "%s, seed %d\n%s", what, seed, w)
		}
	}
}

// Whatever operation fails, and however, once or from then on as when the power
// goes: every file is there once and whole, and the run is done as a whole, or
// taken back, or can be taken back; and so it is with the undo of it.
func TestEveryFaultLosesNothing(t *testing.T) {
	for _, poor := range []bool{false, true} {
		f := &foldertest.Fault{Poor: poor}
		inject(t, f)
		everyFault(t, f)
	}
}

func everyFault(t *testing.T, f *foldertest.Fault) {
	tried := 0
	seeds := many(t, "VESTIBULA_FAULTS", 3)
	if f.Poor {
		seeds = (seeds + 2) / 3
	}
	for seed := range seeds {
		for _, undoing := range []bool{false, true} {
			partly := false
			fresh := func() *world {
				f.Reset()
				partly = false
				w := newWorld(t, 1000+seed, 7)
				if undoing {
					_, err := w.apply()
					require.NoError(t, err)
					w.before, w.after = w.now(), w.before
				}
				return w
			}
			act := func(w *world) error {
				if !undoing {
					_, err := w.apply()
					return err
				}
				stays, err := w.undo("test")
				partly = len(stays) > 0 // and the person is told
				return err
			}
			w := fresh()
			f.Reset()
			require.NoError(t, act(w), "seed %d", seed)
			operations := f.Done
			for k := 1; k <= operations; k++ {
				for i, err := range []error{syscall.ENOSPC, fs.ErrPermission, syscall.EIO, syscall.ENOENT} {
					if (k+i)%4 != 0 && os.Getenv("VESTIBULA_FAULTS") == "" {
						continue // all of them, but not each with every error
					}
					for _, once := range []bool{true, false} {
						w := fresh()
						f.At, f.Done, f.Err, f.Once = k, 0, err, once
						failed := act(w)
						f.Reset()
						tried++
						what := fmt.Sprintf("operation %d of %d: %v, once: %t, undoing: %t; the run said: %v", k, operations, err, once, undoing, failed)
						if w.whole(2); once {
							w.whole(1)
						}
						if partly {
							continue
						}
						end := w.end()
						if once && failed == nil {
							require.Equal(t, keys(w.after), keys(withoutKept(w.now())), what)
							continue
						}
						if end == journal.TakenBack {
							require.Equal(t, keys(withoutKept(w.before)), keys(withoutKept(w.now())), "taken back: %s\n%s", what, w)
						}
						if !undoing {
							w.settle(seed, what)
							if w.end() == journal.TakenBack || w.end() == "none" {
								require.Equal(t, keys(w.before), keys(withoutKept(w.now())), "%s\n%s", what, w)
							}
						}
						// Whatever has happened, what was done can be undone.
						for range 4 {
							stays, err := w.undo("test")
							if errors.Is(err, errNothing) || errors.Is(err, fs.ErrNotExist) {
								break
							}
							require.NoError(t, err, "%s\n%s", what, w)
							require.Empty(t, stays, "%s\n%s", what, w)
						}
						before := w.before
						if undoing {
							before = w.after
						}
						if now := withoutKept(w.now()); !maps.Equal(before, now) {
							require.Equal(t, keys(before), keys(w.now()), "undone: %s\n%s", what, w)
							require.Fail(t, "not as before", "undone: %s\n%s", what, w)
						}
					}
				}
			}
		}
	}
	t.Logf("%d runs failed", tried)
}

// Somebody else, between a look and a change, takes a name, changes, removes or
// links what is about to be changed: what they have made or written is there
// afterwards, nothing is overwritten, and nothing outside is touched.
func TestRivalsLoseNothing(t *testing.T) {
	f := &foldertest.Fault{}
	inject(t, f)
	tried, refused := 0, 0
	for seed := range many(t, "VESTIBULA_RIVALS", 60) {
		f.Reset()
		w := newWorld(t, 5000+seed, 8)
		f.Reset()
		_, err := w.apply()
		require.NoError(t, err)
		operations := f.Done
		draw := rand.New(rand.NewPCG(seed, 3))
		for range 12 {
			f.Reset()
			w := newWorld(t, 5000+seed, 8)
			outside := filepath.Join(t.TempDir(), "outside.txt")
			require.NoError(t, os.WriteFile(outside, []byte("outside"), 0o666))
			if len(w.set.Changes) == 0 {
				break
			}
			c := w.set.Changes[draw.IntN(len(w.set.Changes))]
			target := w.places[c.In].Join(c.Path)
			source := w.places[c.FromIn].Join(c.From)
			if c.From == "" {
				source = target
			}
			mine, act := "", draw.IntN(5)
			f.Done, f.At = 0, 1+draw.IntN(operations)
			f.Rival = func() {
				mine = string(target)
				switch act {
				case 0: // takes the name
					if file, err := os.OpenFile(string(target), os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666); err == nil {
						_, _ = file.WriteString("mine")
						file.Close()
						return
					}
				case 1: // writes into it
					if info, err := os.Lstat(string(source)); err == nil && info.Mode().IsRegular() {
						require.NoError(t, os.WriteFile(string(source), []byte("mine"), 0o666))
						return
					}
				case 2: // a link to elsewhere, where it is to come about
					if os.Symlink(outside, string(target)) == nil {
						mine = ""
						return
					}
				case 3: // puts something into a folder
					if info, err := os.Lstat(string(source)); err == nil && info.IsDir() {
						require.NoError(t, os.WriteFile(string(source.Join("mine.txt")), []byte("mine"), 0o666))
						return
					}
				case 4: // puts a link in the place of a folder
					if info, err := os.Lstat(string(target.Parent())); err == nil && info.IsDir() && target.Parent() != w.places[c.In] {
						away := target.Parent() + " away"
						if os.Rename(string(target.Parent()), string(away)) == nil {
							require.NoError(t, os.Symlink(filepath.Dir(outside), string(target.Parent())))
						}
						mine = ""
						return
					}
				}
				mine = ""
			}
			_, err := w.apply()
			f.Reset()
			tried++
			if err != nil {
				refused++
			}
			what := fmt.Sprintf("seed %d, rival %d before %s %s: %v\n%s", seed, act, c.Op, c.Path, err, w)
			if mine != "" {
				found := false
				for _, text := range w.now() {
					found = found || text == "mine"
				}
				assert.True(t, found, "what somebody wrote is gone: %s", what)
			}
			entries, err := os.ReadDir(filepath.Dir(outside))
			require.NoError(t, err)
			assert.Len(t, entries, 1, "something came about outside: %s", what)
			data, err := os.ReadFile(outside)
			require.NoError(t, err)
			assert.Equal(t, "outside", string(data), what)
			if t.Failed() {
				t.FailNow()
			}
			if act != 1 {
				w.whole(1)
			}
		}
	}
	t.Logf("%d rivals, %d runs refused or taken back", tried, refused)
}

// Where several builders are at work, a fault of any one of them stops all, and
// what all have made is taken back.
func TestAFaultAmongSeveralBuildersIsTakenBack(t *testing.T) {
	large := &tree.Node{Name: "P"}
	for i := range 40 {
		project := &tree.Node{Name: fmt.Sprintf("Project %d", i), Children: []*tree.Node{{Name: "start.md", Kind: tree.File, Content: tree.Bytes("begin")}}}
		for k := range 30 {
			project.Children = append(project.Children, &tree.Node{Name: fmt.Sprintf("Stage %d", k), Children: []*tree.Node{{Name: "deep"}}})
		}
		large.Children = append(large.Children, project)
	}
	f := &foldertest.Fault{}
	inject(t, f)
	var w *world
	build := func() error {
		w.set = &change.Set{Places: w.places[:1], Changes: []change.Change{{Op: change.Make, Path: "P", Node: large}}}
		p, err := Prepare(w.set)
		if err != nil {
			return err
		}
		writer := w.writer()
		writer.NoJournal = true
		_, err = writer.Apply(p, journal.Head{})
		return err
	}
	w = newWorld(t, 1, 0)
	f.Reset()
	require.NoError(t, build())
	operations := f.Done
	for range 40 {
		f.Reset()
		w = newWorld(t, 1, 0)
		f.At, f.Done, f.Err, f.Once = 1+rand.IntN(operations-1), 0, syscall.EIO, true
		err := build()
		at := f.At
		f.Reset()
		if err != nil {
			require.Empty(t, w.now(), "operation %d: %v", at, err)
			require.NoError(t, build())
		}
		require.Len(t, w.now(), 1+40*(2+2*30))
	}
}

// A folder that goes to another disk, while any operation fails, or somebody writes into one
// of its files, or takes a name there: every file is there whole, and what somebody wrote as
// well; the run is done, or can be taken back.
func TestAFolderOnItsWayToAnotherDiskLosesNothing(t *testing.T) {
	movedTogether = 5
	t.Cleanup(func() { movedTogether = 512 })
	f := &foldertest.Fault{}
	inject(t, f)
	fresh := func() (w *world, from, to string) {
		f.Reset()
		w = newWorld(t, 1, 0)
		from, to = string(w.places[0].Join("in")), string(w.places[1].Join("out"))
		require.NoError(t, os.MkdirAll(filepath.Join(from, "deep"), 0o777))
		for i := range 12 {
			dir := from
			if i > 7 {
				dir = filepath.Join(from, "deep")
			}
			text := fmt.Sprintf("text %02d", i)
			require.NoError(t, os.WriteFile(filepath.Join(dir, fmt.Sprintf("%02d.txt", i)), []byte(text), 0o640))
			w.texts = append(w.texts, text)
		}
		require.NoError(t, os.Symlink("deep", filepath.Join(from, "link")))
		set(w, change.Change{Op: change.Move, FromIn: 0, From: "in", In: 1, Path: "out", Was: change.State{Entry: tree.Entry{Kind: tree.Folder}}})
		w.before = w.now()
		return w, from, to
	}
	w, _, _ := fresh()
	_, err := w.apply()
	require.NoError(t, err)
	operations := f.Done
	require.Equal(t, len(w.before), len(w.now()))
	_, err = w.undo("test")
	require.NoError(t, err)
	require.Equal(t, w.before, w.now())
	each := 3 // all of them where there is time
	if os.Getenv("VESTIBULA_FAULTS") != "" {
		each = 1
	}
	for k := 1; k <= operations; k += each {
		for _, once := range []bool{true, false} {
			w, _, _ := fresh()
			f.At, f.Done, f.Err, f.Once = k, 0, syscall.ENOSPC, once
			_, failed := w.apply()
			f.Reset()
			what := fmt.Sprintf("operation %d of %d, once: %t: %v", k, operations, once, failed)
			if w.whole(2); once {
				w.whole(1)
			}
			end := w.end()
			w.settle(1, what)
			w.whole(1)
			if end == journal.Done {
				_, err := w.undo("test")
				require.NoError(t, err, what)
			}
			require.Equal(t, keys(w.before), keys(withoutKept(w.now())), what)
		}
		for act, at := range []string{"in/03.txt", "in/deep/09.txt", "out/06.txt", "out/deep"} {
			w, _, _ := fresh()
			mine := ""
			f.Done, f.At = 0, k
			f.Rival = func() {
				target := w.places[act/2].Join(at)
				flags := os.O_WRONLY | os.O_APPEND
				if act > 1 {
					flags = os.O_WRONLY | os.O_CREATE | os.O_EXCL
				}
				if file, err := os.OpenFile(string(target), flags, 0o666); err == nil {
					_, err = file.WriteString(" mine")
					require.NoError(t, err)
					require.NoError(t, file.Close())
					mine = at
				}
			}
			_, err := w.apply()
			f.Reset()
			found := mine == ""
			for _, text := range w.now() {
				text, _, _ = strings.Cut(text, " -")
				found = found || strings.HasSuffix(text, " mine")
			}
			require.True(t, found, "operation %d: what somebody wrote to %s is gone: %v", k, at, err)
			if act > 1 {
				w.whole(1)
			}
		}
	}
}

// A card that is pulled out half way: what was copied stays, whole files only, the card is
// as it was, what was copied can be taken back, and the next run brings the rest.
func TestCopiesThatWereMadeStayWhereTheRestFails(t *testing.T) {
	copiesTogether, movedTogether = 4, 4
	t.Cleanup(func() { copiesTogether, movedTogether = 1024, 512 })
	f := &foldertest.Fault{}
	inject(t, f)
	partly := false
	for k := 1; ; k++ {
		f.Reset()
		w := newWorld(t, 1, 0)
		var changes []change.Change
		want := map[string]string{}
		for i := range 10 {
			name := fmt.Sprintf("%02d.txt", i)
			require.NoError(t, os.WriteFile(string(w.places[1].Join(name)), []byte("text "+name), 0o666))
			changes = append(changes, change.Change{Op: change.Copy, FromIn: 1, From: name, Path: "in/" + name})
			want["0:in/"+name] = "text " + name
		}
		before := w.now()
		set(w, append([]change.Change{{Op: change.Make, Path: "in", Node: &tree.Node{}}}, changes...)...)
		p, err := Prepare(w.set)
		require.NoError(t, err)
		f.Reset()
		f.At, f.Err = k, syscall.EIO // from then on
		writer := w.writer()
		writer.Keep = true
		_, err = writer.Apply(p, journal.Head{What: "test", Roots: []journal.Root{{Path: "."}}})
		f.Reset()
		if err == nil {
			break
		}
		now := w.now()
		var rest []change.Change
		for at, text := range want {
			if _, there := now[at]; there {
				require.Equal(t, text, now[at], "operation %d", k)
			}
		}
		for _, c := range changes {
			if _, there := now["0:"+c.Path]; !there {
				rest = append(rest, c)
			}
		}
		partly = partly || len(rest) > 0 && len(rest) < len(changes)
		for at, text := range before {
			require.Equal(t, text, now[at], "operation %d", k)
		}
		if k%3 == 0 { // taken back
			if w.end() == journal.Done { // only its end was not written down well
				_, err := w.undo("test")
				require.NoError(t, err, "operation %d", k)
			}
			w.settle(1, fmt.Sprintf("operation %d", k))
			require.Equal(t, before, w.now(), "operation %d", k)
			continue
		}
		if _, made := now["0:in"]; !made {
			rest = append([]change.Change{{Op: change.Make, Path: "in", Node: &tree.Node{}}}, rest...)
		}
		set(w, rest...)
		if len(rest) > 0 {
			_, err = w.apply()
			require.NoError(t, err, "operation %d", k)
		}
		now = w.now()
		for at, text := range want {
			require.Equal(t, text, now[at], "operation %d", k)
		}
	}
	require.True(t, partly)
}
