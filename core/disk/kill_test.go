//go:build unix

package disk

import (
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder/foldertest"
	"vestibula/core/journal"
	"vestibula/core/tree"
)

// large is a set of thousands of changes of all kinds: a ring of names, two names
// that change places, files that go to another disk, copies, removals, new
// contents, and new folders.
func large(w *world) {
	file := func(i int) string { return fmt.Sprintf("f%04d", i) }
	const n = 800
	put := func(c change.Change) { w.set.Changes = append(w.set.Changes, c) }
	w.set = &change.Set{Places: w.places}
	for i := range n {
		text := fmt.Sprintf("file %d", i)
		require.NoError(w.t, os.WriteFile(string(w.places[0].Join(file(i))), []byte(text), 0o640))
		w.nodes = append(w.nodes, &thing{text: text})
		w.texts = append(w.texts, text)
		put(change.Change{Op: change.Move, Path: file((i + 1) % n), From: file(i)})
	}
	for _, kind := range []string{"across", "gone", "new", "copied"} {
		require.NoError(w.t, os.Mkdir(string(w.places[0].Join(kind)), 0o777))
		for i := range n / 2 {
			path, text := kind+"/"+file(i), fmt.Sprintf("%s %d", kind, i)
			mode := fs.FileMode(0o640)
			if kind == "copied" && i%2 == 0 {
				mode = 0o440
			}
			require.NoError(w.t, os.WriteFile(string(w.places[0].Join(path)), []byte(text), mode))
			state := change.State{Entry: tree.Entry{Kind: tree.File}, Sum: digest.Bytes([]byte(text))}
			switch kind {
			case "across":
				put(change.Change{Op: change.Move, In: 1, Path: file(i), From: path})
				w.texts = append(w.texts, text)
			case "gone":
				put(change.Change{Op: change.Remove, Path: path, Was: state})
			case "new":
				put(change.Change{Op: change.Replace, Path: path, Content: tree.Bytes("new " + text), Was: state})
			case "copied":
				c := change.Change{Op: change.Copy, Path: "copies/" + file(i), From: path}
				if i%2 == 0 {
					c.Shared, c.Sum = state.Sum, state.Sum
				}
				put(c)
				w.nodes = append(w.nodes, &thing{copyOf: &thing{text: text}})
				put(change.Change{Op: change.Copy, Path: "copies/given " + file(i), Content: tree.Bytes(text)})
				w.nodes = append(w.nodes, &thing{copyOf: &thing{text: text}})
				w.texts = append(w.texts, text)
			}
		}
	}
	put(change.Change{Op: change.Make, Path: "copies", Node: &tree.Node{Name: "copies"}})
	put(change.Change{Op: change.Move, Path: "gone", From: "new"})
	put(change.Change{Op: change.Move, Path: "new", From: "gone"})
	for i := range w.set.Changes { // in new places
		c := &w.set.Changes[i]
		if c.Op == change.Replace {
			c.Path = strings.Replace(c.Path, "new/", "gone/", 1)
		}
	}
	w.before = w.now()
}

// TestHelperApply is not a test: it carries the set of a world out in a process of
// its own, which kills itself before an operation.
func TestHelperApply(t *testing.T) {
	text := os.Getenv("VESTIBULA_WORLD")
	if text == "" {
		t.Skip("only for the test below")
	}
	words := strings.Split(text, ":")
	at, err := strconv.Atoi(words[1])
	require.NoError(t, err)
	w := &world{t: t, state: words[2], places: []address.Address{}}
	for _, at := range words[3:] {
		w.places = append(w.places, address.Address(at))
	}
	f := &foldertest.Fault{At: at, Rival: func() { _ = syscall.Kill(os.Getpid(), syscall.SIGKILL) }}
	if words[0] == "undo" {
		inject(t, f)
		_, err := w.undo("test")
		require.NoError(t, err)
	} else {
		away := &world{t: t, places: []address.Address{address.Address(t.TempDir()), address.Address(t.TempDir())}}
		large(away)
		w.set = away.set
		w.set.Places = w.places
		inject(t, f)
		_, err := w.apply()
		require.NoError(t, err)
	}
	fmt.Printf("%d operations\n", f.Done)
}

// A run or an undo of thousands of changes is killed before any of its operations:
// every file is there, whole, and one undo brings all of it back.
func TestKilledRunsOfMixedSetsLoseNothing(t *testing.T) {
	cut := 0
	kills := many(t, "VESTIBULA_KILLS", 6)
	draw := rand.New(rand.NewPCG(uint64(os.Getpid()), kills))
	act := func(w *world, what string, at int) (operations int) {
		cmd := exec.Command(os.Args[0], "-test.run=TestHelperApply$")
		cmd.Env = append(os.Environ(), fmt.Sprintf("VESTIBULA_WORLD=%s:%d:%s:%s", what, at, w.state, strings.ReplaceAll(address.List(w.places), ", ", ":")))
		out, err := cmd.CombinedOutput()
		if at == 0 {
			require.NoError(t, err, "%s", out)
			_, err = fmt.Sscanf(string(out), "%d operations", &operations)
			require.NoError(t, err, "%s", out)
		}
		return operations
	}
	w := newWorld(t, 1, 0)
	large(w)
	doing := act(w, "apply", 0)
	undoing := act(w, "undo", 0)
	require.Equal(t, w.before, withoutKept(w.now()))
	for i := range kills {
		w := newWorld(t, 1, 0)
		large(w)
		act(w, "apply", 1+draw.IntN(doing))
		if w.end() == journal.CutShort {
			cut++
		}
		w.whole(2)
		if i%2 == 0 {
			act(w, "undo", 1+draw.IntN(undoing))
			w.whole(2)
		}
		for range 3 {
			stays, err := w.undo("test")
			if err != nil {
				break // there is nothing left to undo
			}
			require.Empty(t, stays)
		}
		now := withoutKept(w.now())
		for _, at := range slices.Sorted(maps.Keys(w.before)) {
			require.Equal(t, w.before[at], now[at], at)
		}
		require.Len(t, now, len(w.before))
	}
	t.Logf("%d of %d runs were cut short", cut, kills)
}
