package disk

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/plan"
	"vestibula/core/tree"
)

// A fault makes a file system fail from its k-th operation on, or only once.
type fault struct {
	mutex    sync.Mutex
	at, done int
	err      error
	once     bool
}

// now counts an operation and returns its error.
func (f *fault) now() error {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	f.done++
	if f.err != nil && (f.done == f.at || f.done > f.at && !f.once) {
		return f.err
	}
	return nil
}

// or does something, unless it is to fail.
func (f *fault) or(do func() error) error {
	if err := f.now(); err != nil {
		return err
	}
	return do()
}

// inject puts the fault into all file systems that are opened.
func (f *fault) inject(t *testing.T) {
	whole := openFolder
	t.Cleanup(func() { openFolder = whole })
	openFolder = func(path string) (handle, error) {
		if err := f.now(); err != nil {
			return nil, err
		}
		h, err := whole(path)
		return faulty{h, f}, err
	}
}

type faulty struct {
	handle
	fault *fault
}

func (h faulty) Folder(name string) (handle, error) {
	if err := h.fault.now(); err != nil {
		return nil, err
	}
	below, err := h.handle.Folder(name)
	return faulty{below, h.fault}, err
}

func (h faulty) OpenFile(name string, flag int, perm fs.FileMode) (file, error) {
	if err := h.fault.now(); err != nil {
		return nil, err
	}
	f, err := h.handle.OpenFile(name, flag, perm)
	return faultyFile{f, h.fault}, err
}

func (h faulty) Mkdir(name string, perm fs.FileMode) error {
	return h.fault.or(func() error { return h.handle.Mkdir(name, perm) })
}

func (h faulty) Remove(name string) error {
	return h.fault.or(func() error { return h.handle.Remove(name) })
}

func (h faulty) Rename(from, to string) error {
	return h.fault.or(func() error { return h.handle.Rename(from, to) })
}

func (h faulty) Link(from, to string) error {
	return h.fault.or(func() error { return h.handle.Link(from, to) })
}

type faultyFile struct {
	file
	fault *fault
}

func (f faultyFile) Write(b []byte) (n int, err error) {
	if err := f.fault.now(); err != nil {
		n, _ = f.file.Write(b[:len(b)/2]) // as far as there was room
		return n, err
	}
	return f.file.Write(b)
}

func (f faultyFile) Read(b []byte) (int, error) {
	if err := f.fault.now(); err != nil {
		return 0, err
	}
	return f.file.Read(b)
}

func (f faultyFile) ReadDir(n int) ([]fs.DirEntry, error) {
	if err := f.fault.now(); err != nil {
		return nil, err
	}
	return f.file.ReadDir(n)
}

// Sync does not wait for a real disk: what is synced is not what is tested here.
func (f faultyFile) Sync() error { return f.fault.now() }

func (f faultyFile) Chmod(mode fs.FileMode) error {
	return f.fault.or(func() error { return f.file.Chmod(mode) })
}

func (f faultyFile) Close() error {
	err := f.file.Close()
	return errors.Join(f.fault.now(), err)
}

// A yard is a place with a person's own files and a table, and a journal.
type yard struct {
	t                    *testing.T
	place, list, journal string
	before               map[string]string
}

// newYard makes one, in memory where the system has a place for that: there are
// many to come.
func newYard(t *testing.T) *yard {
	top, err := os.MkdirTemp("/dev/shm", "vestibula-yard-")
	if err != nil {
		top, err = os.MkdirTemp("", "vestibula-yard-")
	}
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(top) })
	y := &yard{t, filepath.Join(top, "place"), filepath.Join(top, "list", "clients.csv"), filepath.Join(top, "journal"), nil}
	for file, text := range map[string]string{"place/P/own/mine.txt": "mine", "place/P/.label": "old", "place/P/A/a.txt": "edited", "list/clients.csv": "a,b\n"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(top, file)), 0o777))
		require.NoError(t, os.WriteFile(filepath.Join(top, file), []byte(text), 0o666))
	}
	y.before = y.now()
	return y
}

// now is all that lies in the place and beside the table.
func (y *yard) now() map[string]string {
	all := contents(y.t, y.place)
	for path, what := range contents(y.t, filepath.Dir(y.list)) {
		all["list/"+path] = what
	}
	return all
}

// yardTree is what is built in a yard.
var yardTree = folder("", folder("P", folder("A", leaf("a.txt", text("hello")), leaf("b.txt", text("hello")), folder("deep", folder("deeper"))), folder("B", leaf("c.txt", text("c"))), leaf("empty.txt", nil)))

func (y *yard) build() error {
	p, err := Open(y.place)
	if err != nil {
		return err
	}
	defer p.Close()
	j, err := MakeJournal(y.journal)
	if err != nil {
		return err
	}
	defer j.Close()
	pl, err := plan.Make(yardTree, p)
	if err != nil {
		return err
	}
	job := Job{Plan: pl}
	old, err := p.ReadFile("P/.label")
	if err != nil {
		return err
	}
	if string(old) == "old" {
		job.Notes = []Note{{Path: "P/.label", Data: says("new"), Was: old}}
	}
	if list, err := os.ReadFile(y.list); err == nil && string(list) == "a,b\n" {
		job.Revision = &Revision{Path: y.list, Data: []byte("a,b,built\n"), Was: []byte("a,b\n")}
	}
	return j.Build(p, job, Head{Place: y.place, Title: "yard"})
}

// undo takes the last record back that can be, and reports whether there was
// one.
func (y *yard) undo() (bool, error) {
	p, err := Open(y.place)
	if err != nil {
		return false, err
	}
	defer p.Close()
	j, err := MakeJournal(y.journal)
	if err != nil {
		return false, err
	}
	defer j.Close()
	records, err := j.Records()
	if err != nil {
		return false, err
	}
	for _, r := range slices.Backward(records) {
		if r.What == "build" && !r.Undone() {
			u, err := j.PlanUndo(p, r)
			if err != nil {
				return true, err
			}
			_, err = j.Undo(p, u, Head{Place: y.place, Title: "yard"})
			return true, err
		}
	}
	return false, nil
}

// everyFault runs a test for every operation that can fail, in each way.
func everyFault(t *testing.T, prepare func(y *yard), act func(y *yard) error, prove func(t *testing.T, y *yard, f *fault, err error)) {
	f := &fault{}
	f.inject(t)
	y := newYard(t)
	prepare(y)
	f.done = 0
	require.NoError(t, act(y))
	operations := f.done
	require.Greater(t, operations, 30)
	for k := 1; k <= operations; k++ {
		for _, err := range []error{syscall.ENOSPC, fs.ErrPermission, syscall.EIO} {
			for _, once := range []bool{true, false} {
				y := newYard(t)
				prepare(y)
				f.at, f.done, f.err, f.once = k, 0, err, once
				failed := act(y)
				f.err = nil
				prove(t, y, f, failed)
				if t.Failed() {
					t.Fatalf("after a failure of operation %d: %v, once: %t; the run said: %v", k, err, once, failed)
				}
			}
		}
	}
	t.Logf("%d operations", operations)
}

// Whatever operation fails, and however: the person's own files are as they
// were, the tree is whole or gone, a second run completes, and an undo leaves
// what was there before.
func TestEveryFaultOfABuildLosesNothing(t *testing.T) {
	y := newYard(t)
	require.NoError(t, y.build())
	whole := y.now()
	everyFault(t, func(*yard) {}, (*yard).build, func(t *testing.T, y *yard, f *fault, err error) {
		after := y.now()
		for path, what := range y.before {
			if path != "P/.label" && path != "list/clients.csv" {
				assert.Equal(t, what, after[path])
			}
		}
		if f.once {
			want := y.before
			var unmarked *RevisionError
			var unwritten *JournalError
			switch {
			case errors.As(err, &unmarked) && unmarked.Built:
				want = maps.Clone(whole)
				want["list/clients.csv"] = y.before["list/clients.csv"]
			case err == nil, errors.As(err, &unwritten) && unwritten.Done:
				want = whole
			}
			assert.Equal(t, want, after, "whole or gone")
		}
		require.NoError(t, y.build(), "the second run")
		assert.Equal(t, whole, y.now())
		for {
			more, err := y.undo()
			require.NoError(t, err)
			if !more {
				break
			}
		}
		assert.Equal(t, y.before, y.now(), "undone")
	})
}

// The same of an undo: a second one completes it.
func TestEveryFaultOfAnUndoLosesNothing(t *testing.T) {
	everyFault(t, func(y *yard) { require.NoError(t, y.build()) },
		func(y *yard) error { _, err := y.undo(); return err },
		func(t *testing.T, y *yard, f *fault, err error) {
			after := y.now()
			assert.Equal(t, y.before["P/own/mine.txt"], after["P/own/mine.txt"])
			assert.Equal(t, y.before["P/A/a.txt"], after["P/A/a.txt"])
			for {
				more, err := y.undo()
				require.NoError(t, err)
				if !more {
					break
				}
			}
			assert.Equal(t, y.before, y.now(), "undone")
		})
}

// Where several builders are at work, a fault of any one of them stops all, and
// what all have made is taken back.
func TestAFaultAmongSeveralBuildersIsTakenBack(t *testing.T) {
	large := folder("", folder("P"))
	for i := range 40 {
		project := folder(fmt.Sprintf("Project %d", i), leaf("start.md", text("begin")))
		for k := range 30 {
			project.Children = append(project.Children, folder(fmt.Sprintf("Stage %d", k), folder("deep")))
		}
		large.Children[0].Children = append(large.Children[0].Children, project)
	}
	f := &fault{}
	f.inject(t)
	y := newYard(t)
	build := func() error {
		p, err := Open(y.place)
		if err != nil {
			return err
		}
		defer p.Close()
		pl, err := plan.Make(large, p)
		if err != nil {
			return err
		}
		return p.Build(Job{Plan: pl, Notes: []Note{{Path: "P/.label", Data: says("new"), Was: []byte("old")}}})
	}
	f.done = 0
	require.NoError(t, build())
	operations := f.done
	for range 40 {
		y = newYard(t)
		f.at, f.done, f.err, f.once = 1+rand.IntN(operations-1), 0, syscall.EIO, true
		err := build()
		f.err = nil
		if err != nil {
			require.Equal(t, y.before, y.now(), "operation %d: %v", f.at, err)
			require.NoError(t, build())
		}
		require.Len(t, y.now(), len(y.before)+40*(2+2*30))
	}
}

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
			want.Children[0].Children = append(want.Children[0].Children, folder(string(rune('a'+i)), leaf("f.txt", c), folder("deep")))
		}
		p := open(t, dir)
		pl, err := plan.Make(want, p)
		require.NoError(t, err)
		err = p.Build(Job{Plan: pl, Notes: []Note{{Path: "P/.label", Data: says("x")}}})
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
	want := folder("", folder("P", folder("A"), leaf("b.txt", meddling{"x", func() {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "P/A/mine.txt"), []byte("mine"), 0o666))
	}}), leaf("c.txt", breaking{})))
	pl, err := plan.Make(want, p)
	require.NoError(t, err)
	err = p.Build(Job{Plan: pl})
	var failed *BuildError
	require.ErrorAs(t, err, &failed)
	assert.Equal(t, []string{"P/A", "P"}, failed.Left, "told, because they are not empty")
	data, err := os.ReadFile(filepath.Join(dir, "P/A/mine.txt"))
	require.NoError(t, err)
	assert.Equal(t, "mine", string(data))
	assert.NoFileExists(t, filepath.Join(dir, "P/b.txt"))
}

func TestABuildThatIsStoppedIsTakenBack(t *testing.T) {
	dir := t.TempDir()
	p := open(t, dir)
	stop := make(chan struct{})
	want := folder("", folder("P", folder("A"), leaf("b.txt", meddling{"x", func() { close(stop) }}), folder("C")))
	pl, err := plan.Make(want, p)
	require.NoError(t, err)
	assert.ErrorIs(t, p.Build(Job{Plan: pl, Stop: stop}), ErrStopped)
	assert.Empty(t, snapshot(t, dir))
}

func TestAFileThatAppearsMeanwhileIsNotOverwritten(t *testing.T) {
	dir := t.TempDir()
	p := open(t, dir)
	want := folder("", leaf("a.txt", meddling{"x", func() {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "b.txt"), []byte("mine"), 0o666))
	}}), leaf("b.txt", text("ours")))
	pl, err := plan.Make(want, p)
	require.NoError(t, err)
	err = p.Build(Job{Plan: pl})
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
	require.NoError(t, p.Build(Job{Plan: empty, Notes: []Note{{Path: ".label", Data: says("first")}}}))
	require.NoError(t, p.Build(Job{Plan: empty, Notes: []Note{{Path: ".label", Data: says("second")}}}))
	data, err := p.ReadFile(".label")
	require.NoError(t, err)
	assert.Equal(t, "second", string(data))
	assert.Len(t, snapshot(t, dir), 1, "nothing else is left behind")
	data, err = p.ReadFile("none")
	assert.True(t, data == nil && err == nil, "a note that is not there is none")
	err = p.Build(Job{Plan: empty, Notes: []Note{{Path: "nowhere/.label", Data: says("")}}})
	assert.ErrorContains(t, err, "nowhere/.label: it is not there")
}

func TestProgressCountsEachStep(t *testing.T) {
	p := open(t, t.TempDir())
	pl, err := plan.Make(wanted, p)
	require.NoError(t, err)
	steps := 0
	require.NoError(t, p.Build(Job{Plan: pl, Done: func(n int) { steps += n }}))
	assert.Equal(t, 7, steps)
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
