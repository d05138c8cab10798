package disk

import (
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/journal"
	"vestibula/core/proposal"
	"vestibula/core/tree"
	"vestibula/core/undo"
)

// A world is some folders and files in two places, drawn at random, and what
// becomes of them: a set of changes, and how the disk is to look afterwards. It
// knows nothing of how changes are ordered or carried out.
type world struct {
	t      *testing.T
	rand   *rand.Rand
	named  string // what a person says that the project is
	top    string
	places []address.Address
	state  string
	nodes  []*thing
	set    *change.Set
	before map[string]string
	after  map[string]string
	times  map[string]int64 // of folders, before
	texts  []string         // of files that are neither removed nor replaced
}

// A thing is a folder, a file or a link, where it was and where it will be.
type thing struct {
	name, newName     string
	parent, newParent *thing // nil at the top of a place
	in, newIn         int
	folder            bool
	link              bool // it is a link, to what its text says
	text, newText     string
	fresh, gone       bool
	copyOf            *thing
	shares            bool // it shares what it holds with that
	shut              bool // nobody may write into it
}

func (n *thing) path(changed bool) string {
	name, parent := n.name, n.parent
	if changed {
		name, parent = n.newName, n.newParent
	}
	if parent == nil {
		return name
	}
	return parent.path(changed) + "/" + name
}

func (n *thing) place(changed bool) int {
	switch {
	case changed && n.newParent != nil:
		return n.newParent.place(true)
	case changed:
		return n.newIn
	case n.parent != nil:
		return n.parent.place(false)
	}
	return n.in
}

// noLinks says that worlds have no links.
var noLinks bool

// newWorld draws a world and makes it on the disk: its first place in memory if
// the system has such, its second beside the temporary files, so that what goes
// from one to the other mostly crosses file systems.
func newWorld(t *testing.T, seed uint64, size int) *world {
	w := &world{t: t, rand: rand.New(rand.NewPCG(seed, 7))}
	for _, dir := range []string{"/dev/shm", ""} {
		top, err := os.MkdirTemp(dir, "vestibula-world-")
		if err != nil {
			top, err = os.MkdirTemp("", "vestibula-world-")
		}
		require.NoError(t, err)
		t.Cleanup(func() { os.RemoveAll(top) })
		if w.state == "" {
			w.state = filepath.Join(top, "state")
		}
		place := filepath.Join(top, "place")
		require.NoError(t, os.Mkdir(place, 0o777))
		w.places = append(w.places, address.Address(place))
	}
	for range size {
		w.add(false)
	}
	w.change()
	for _, n := range w.nodes {
		if n.copyOf != nil && w.rand.IntN(2) == 0 {
			n.shares, n.copyOf.shut = true, true
		}
	}
	for _, n := range w.nodes {
		if n.fresh {
			continue
		}
		at := w.places[n.place(false)].Join(n.path(false))
		if n.folder {
			require.NoError(t, os.MkdirAll(string(at), 0o777))
		} else if n.link {
			require.NoError(t, os.MkdirAll(string(at.Parent()), 0o777))
			require.NoError(t, os.Symlink(n.text, string(at)))
		} else {
			require.NoError(t, os.MkdirAll(string(at.Parent()), 0o777))
			mode := fs.FileMode(0o640)
			if n.shut {
				mode = 0o440
			}
			require.NoError(t, os.WriteFile(string(at), []byte(n.text), mode))
			require.NoError(t, os.Chtimes(string(at), time.Time{}, time.Unix(1_700_000_000+int64(len(w.before)), 5)))
		}
	}
	for i, at := range w.folders() {
		require.NoError(t, os.Chtimes(at, time.Time{}, time.Unix(1_600_000_000+int64(i), 7)))
	}
	w.before, w.times = w.now(), w.folderTimes()
	w.after = w.wanted()
	w.derive()
	return w
}

var worldNames = []string{"01 a", "02 a", "03 a", "x", "y.txt", "ö"}

// free returns a name that is free in a folder, before or afterwards.
func (w *world) free(parent *thing, in int, changed bool) (string, bool) {
	names := slices.Clone(worldNames)
	w.rand.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	for _, name := range names {
		if w.rand.IntN(5) == 0 {
			name = strings.ToUpper(name)
		}
		taken := slices.ContainsFunc(w.nodes, func(n *thing) bool {
			if changed {
				return !n.gone && n.newParent == parent && (parent != nil || n.newIn == in) && tree.Folded(n.newName) == tree.Folded(name)
			}
			return !n.fresh && n.parent == parent && (parent != nil || n.in == in) && tree.Folded(n.name) == tree.Folded(name)
		})
		if !taken {
			return name, true
		}
	}
	return "", false
}

// home draws a folder, or the top of a place.
func (w *world) home(changed bool, not *thing) (parent *thing, in int) {
	in = w.rand.IntN(10) / 8
	var folders []*thing
	for _, n := range w.nodes {
		if n.folder && !(changed && n.gone) && !(!changed && n.fresh) {
			folders = append(folders, n)
		}
	}
	if len(folders) == 0 || w.rand.IntN(3) == 0 {
		return nil, in
	}
	parent = folders[w.rand.IntN(len(folders))]
	for up := parent; up != nil; up = up.newParent {
		if up == not {
			return nil, in
		}
	}
	return parent, in
}

func (w *world) add(fresh bool) {
	n := &thing{folder: w.rand.IntN(2) == 0, fresh: fresh}
	parent, in := w.home(fresh, nil)
	name, ok := w.free(parent, in, fresh)
	if !ok {
		return
	}
	n.name, n.parent, n.in = name, parent, in
	n.newName, n.newParent, n.newIn = name, parent, in
	if !n.folder {
		n.text = fmt.Sprintf("file %d", len(w.nodes))
		if n.link = w.rand.IntN(6) == 0 && !noLinks; !n.link && w.rand.IntN(8) == 0 {
			n.text += strings.Repeat(" and much more", change.MaxOld/10)
		}
		n.newText = n.text
	}
	w.nodes = append(w.nodes, n)
}

// change draws what becomes of the things.
func (w *world) change() {
	for range 2 + w.rand.IntN(len(w.nodes)+4) {
		if len(w.nodes) == 0 {
			w.add(true)
			continue
		}
		n := w.nodes[w.rand.IntN(len(w.nodes))]
		if n.gone {
			continue
		}
		switch w.rand.IntN(7) {
		case 0, 1, 2: // another name or place
			parent, in := n.newParent, n.newIn
			if w.rand.IntN(2) == 0 {
				parent, in = w.home(true, n)
			}
			if name, ok := w.free(parent, in, true); ok && !n.fresh {
				n.newName, n.newParent, n.newIn = name, parent, in
			}
		case 3:
			w.remove(n)
		case 4:
			w.add(true)
		case 5:
			if !n.folder && !n.link && !n.fresh {
				n.newText = "other " + n.text
			}
		case 6:
			if !n.folder && !n.link && !n.fresh {
				if parent, in := w.home(true, nil); true {
					if name, ok := w.free(parent, in, true); ok {
						w.nodes = append(w.nodes, &thing{newName: name, newParent: parent, newIn: in, fresh: true, copyOf: n, text: n.text, newText: n.text})
					}
				}
			}
		}
	}
	// Two may want one name by now, since a name was free when it was drawn.
	taken := map[string]bool{}
	for _, n := range w.nodes {
		if n.gone {
			continue
		}
		key := fmt.Sprintf("%d %p %s", n.newIn, n.newParent, tree.Folded(n.newName))
		if n.newParent != nil {
			key = fmt.Sprintf("%p %s", n.newParent, tree.Folded(n.newName))
		}
		for taken[key] {
			n.newName += "+"
			key += "+"
		}
		taken[key] = true
	}
}

// remove takes away a thing, and all that will lie in it.
func (w *world) remove(n *thing) {
	n.gone = true
	for _, c := range w.nodes {
		if c.newParent == n && !c.gone {
			w.remove(c)
		}
	}
}

// derive says what happened as a set, in a random order.
func (w *world) derive() {
	w.set = &change.Set{Places: w.places}
	put := func(c change.Change) { w.set.Changes = append(w.set.Changes, c) }
	for _, n := range w.nodes {
		kind := tree.File
		if n.folder {
			kind = tree.Folder
		} else if n.link {
			kind = tree.Symlink
		}
		switch {
		case n.fresh && n.gone:
		case n.copyOf != nil:
			c := change.Change{Op: change.Copy, In: n.place(true), Path: n.path(true), FromIn: n.copyOf.place(false), From: n.copyOf.path(false)}
			if n.shares {
				c.Shared = digest.Bytes([]byte(n.copyOf.text))
				c.Sum = c.Shared
			}
			put(c)
		case n.fresh:
			node := &tree.Node{Name: n.newName, Kind: kind}
			if n.link {
				node.Content = tree.Target(n.newText)
			} else if !n.folder {
				node.Content = tree.Bytes(n.newText)
			}
			c := change.Change{Op: change.Make, In: n.place(true), Path: n.path(true), Node: node, Whole: n.folder && w.rand.IntN(2) == 0}
			if kind == tree.File && w.rand.IntN(3) == 0 { // its checksum is not known before
				c = change.Change{Op: change.Copy, In: c.In, Path: c.Path, Content: node.Content}
			}
			put(c)
		case n.gone:
			c := change.Change{Op: change.Remove, In: n.place(false), Path: n.path(false), Was: change.State{Entry: tree.Entry{Kind: kind}}}
			if !n.folder {
				c.Was.Sum = digest.Bytes([]byte(n.text))
			}
			put(c)
		default:
			if n.newName != n.name || n.newParent != n.parent || n.parent == nil && n.newIn != n.in {
				put(change.Change{Op: change.Move, In: n.place(true), Path: n.path(true), FromIn: n.place(false), From: n.path(false)})
			}
			if n.newText != n.text {
				put(change.Change{Op: change.Replace, In: n.place(true), Path: n.path(true), Content: tree.Bytes(n.newText), Was: change.State{Sum: digest.Bytes([]byte(n.text))}})
			} else if !n.folder && !n.link {
				w.texts = append(w.texts, n.text)
			}
		}
	}
	w.rand.Shuffle(len(w.set.Changes), func(i, j int) {
		w.set.Changes[i], w.set.Changes[j] = w.set.Changes[j], w.set.Changes[i]
	})
}

func (w *world) writer() *Writer { return &Writer{Dir: w.state} }

// apply carries the set out.
func (w *world) apply() (*journal.Record, error) {
	p, err := Prepare(w.set)
	if err != nil {
		return nil, err
	}
	if len(p.Blocked) > 0 {
		return nil, &BlockedError{p.Blocked}
	}
	writer, told := w.writer(), atomic.Int64{}
	writer.Done = func(n int) { told.Add(int64(n)) }
	r, err := writer.Apply(p, journal.Head{What: "test", When: time.Unix(0, 0), Title: "world", Roots: []journal.Root{{Path: "."}}})
	if err == nil {
		require.EqualValues(w.t, p.Steps(), told.Load(), "all steps are told of")
	}
	return r, err
}

// undo takes the newest record back, or an undo that is not undone.
func (w *world) undo(what string) ([]*proposal.Left, error) {
	j, err := journal.Open(w.state)
	if err != nil {
		return nil, err
	}
	defer j.Close()
	records, err := j.Records()
	if err != nil {
		return nil, err
	}
	for _, r := range slices.Backward(records) {
		if r.What != what || r.Undone() {
			continue
		}
		u, err := undo.Plan(j, records, r, undo.Where{Here: address.Address(w.top), Named: address.Address(w.named)}, undo.Revise{})
		if err != nil {
			return nil, err
		}
		_, err = w.writer().Apply(TakeBack(&u.Back), journal.Head{What: "undo", When: time.Unix(0, 0), Title: "world", Roots: u.Roots})
		return u.Stays, err
	}
	return nil, errNothing
}

var errNothing = fmt.Errorf("there is nothing to undo")

// end is how the newest record ended.
func (w *world) end() string {
	j, err := journal.Open(w.state)
	if err != nil {
		return "none"
	}
	defer j.Close()
	records, err := j.Records()
	require.NoError(w.t, err)
	if len(records) == 0 {
		return "none"
	}
	return records[len(records)-1].End
}

// whole proves that every file that the set leaves alone, or only moves, is there
// once and whole. At a power cut, one that was on its way to another disk may be
// there twice.
func (w *world) whole(most int) {
	count := map[string]int{}
	for at, what := range w.now() {
		text, _, _ := strings.Cut(what, " -")
		if !strings.Contains(at, "/part-") {
			count[text]++
		}
	}
	copies := map[string]int{}
	for _, n := range w.nodes {
		if n.copyOf != nil {
			copies[n.copyOf.text]++
		}
	}
	for _, text := range w.texts {
		if n := count[text]; n < 1 || n > most+copies[text] {
			require.Fail(w.t, "a file is lost or there twice", "%d times: %.40q in\n%s", n, text, strings.Join(slices.Sorted(maps.Keys(w.now())), "\n"))
		}
	}
}

func (w *world) String() string {
	var b strings.Builder
	for _, c := range w.set.Changes {
		fmt.Fprintf(&b, "%s %d:%s %d:%s\n", c.Op, c.FromIn, c.From, c.In, c.Path)
	}
	return b.String() + path.Base(string(w.places[0]))
}
