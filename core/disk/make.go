package disk

import (
	"bytes"
	"cmp"
	"iter"
	"path"
	"runtime"
	"strconv"
	"sync"
	"sync/atomic"

	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/pool"
	"vestibula/core/tree"
)

// A step is one folder or file to be made.
type step struct {
	node   *tree.Node
	change int32 // the change at the top of it
	parent int32 // the step of the folder it lies in, or -1
}

// A making shares the work of several Makes that follow each other between
// builders.
type making struct {
	run     *run
	changes []change.Change
	steps   []step

	halt   atomic.Bool
	mutex  sync.Mutex // guards what follows
	made   []made
	failed error
	at     int32 // the step that failed
}

// A made step is there, and is this run's own.
type made struct {
	step int32
	sum  string // of a file
}

// A span is a run of steps: from the first up to, but without, the last.
type span struct{ first, last int32 }

// enough is how many steps are worth the while of another builder.
const enough = 256

// maxBuilders bounds how many work at a time.
const maxBuilders = 8

// makeAll makes what changes say, several at a time. What was made stands in
// r.partly afterwards, where something failed.
func (r *run) makeAll(changes []change.Change) (at string, err error) {
	m := &making{run: r, changes: changes}
	m.flatten()
	m.build()
	if m.failed == nil && len(m.made) == len(m.steps) {
		return "", nil
	}
	for _, done := range inOrder(m.made, len(m.steps)) {
		s := &m.steps[done.step]
		n := &tree.Node{Name: s.node.Name, Kind: s.node.Kind}
		r.partly = append(r.partly, change.Change{Op: change.Make, In: changes[s.change].In, Path: m.path(done.step), Node: n, Sum: done.sum})
	}
	if m.failed == nil {
		return changes[0].Path, ErrStopped
	}
	return m.path(m.at), m.failed
}

// inOrder returns what was made in the order of the steps.
func inOrder(list []made, steps int) []made {
	at := make([]int32, steps)
	for i, m := range list {
		at[m.step] = int32(i) + 1
	}
	out := make([]made, 0, len(list))
	for _, i := range at {
		if i > 0 {
			out = append(out, list[i-1])
		}
	}
	return out
}

// flatten puts all that is to be made into steps: a folder before what lies in
// it, and that right behind it. A change that makes something in the folder of
// another one is put below it.
func (m *making) flatten() {
	inside := map[string][]int32{} // changes, by the change and path of the folder that they lie in
	var tops []int32
	made := map[folderKey]bool{}
	if len(m.changes) > 1 {
		for i := range m.changes {
			c := &m.changes[i]
			made[folderKey{c.In, c.Path}] = c.Node.Kind == tree.Folder
		}
	}
	for i := range m.changes {
		c := &m.changes[i]
		if dir := path.Dir(c.Path); made[folderKey{c.In, dir}] {
			key := strconv.Itoa(c.In) + dir
			inside[key] = append(inside[key], int32(i))
		} else {
			tops = append(tops, int32(i))
		}
	}
	var put func(change int32, n *tree.Node, parent int32)
	putChange := func(i, parent int32) {
		c := &m.changes[i]
		put(i, c.Node, parent)
	}
	put = func(i int32, n *tree.Node, parent int32) {
		at := int32(len(m.steps))
		m.steps = append(m.steps, step{n, i, parent})
		if c := &m.changes[i]; n == c.Node && len(inside) > 0 {
			for _, j := range inside[strconv.Itoa(c.In)+c.Path] {
				putChange(j, at)
			}
		}
		for _, child := range n.Children {
			put(i, child, at)
		}
	}
	for _, i := range tops {
		putChange(i, -1)
	}
}

// name is the name of a step: at the top of a change, that of its path.
func (m *making) name(i int32) string {
	s := &m.steps[i]
	if c := &m.changes[s.change]; s.node == c.Node {
		return path.Base(c.Path)
	}
	return s.node.Name
}

// path is the path of a step.
func (m *making) path(i int32) string {
	s := &m.steps[i]
	if c := &m.changes[s.change]; s.node == c.Node {
		return c.Path
	}
	return m.path(s.parent) + "/" + s.node.Name
}

// build carries out the steps. Folders that hold much are made first; then what
// lies in them is shared out, so that the builders work below different parents
// and meet seldom.
func (m *making) build() {
	if m.run.far(m.changes[0].In) {
		m.buildFar()
		return
	}
	steps := m.steps
	size := make([]int32, len(steps)) // of a step with all that lies below it
	for i := len(steps) - 1; i >= 0; i-- {
		size[i]++
		if up := steps[i].parent; up >= 0 {
			size[up] += size[i]
		}
	}
	large := func(i int32) bool { return size[i] > enough && len(steps) > 2*enough }
	first := m.builder(0)
	var spans []span
	next := span{}
	for i := int32(0); i < int32(len(steps)); {
		if large(i) {
			if next.first < next.last {
				spans = append(spans, next)
			}
			first.carryOut(span{i, i + 1})
			i++
			next = span{i, i}
			continue
		}
		i += size[i]
		if next.last = i; next.last-next.first > enough {
			spans = append(spans, next)
			next = span{i, i}
		}
	}
	spans = append(spans, next)
	if len(spans) == 1 {
		first.carryOut(spans[0])
		first.close()
		return
	}
	first.close()
	var builders atomic.Int32
	pool.With(min(maxBuilders, runtime.GOMAXPROCS(0)), len(spans), 1, func(numbers iter.Seq[int]) {
		b := m.builder(int(builders.Add(1)))
		defer b.close()
		for i := range numbers {
			b.carryOut(spans[i])
		}
	})
}

// buildFar carries out the steps where each waits for an answer: level by level, so that as many
// as can be are on their way at a time.
func (m *making) buildFar() {
	depth, levels := make([]int, len(m.steps)), [][]int32{}
	for i := range m.steps {
		if up := m.steps[i].parent; up >= 0 {
			depth[i] = depth[up] + 1
		}
		if depth[i] == len(levels) {
			levels = append(levels, nil)
		}
		levels[depth[i]] = append(levels[depth[i]], int32(i))
	}
	var builders atomic.Int32
	for _, level := range levels {
		pool.With(m.run.hands(m.changes[0].In), len(level), 1, func(numbers iter.Seq[int]) {
			b := m.builder(int(builders.Add(1)))
			defer b.close()
			for i := range numbers {
				b.carryOut(span{level[i], level[i] + 1})
			}
		})
	}
}

// halted reports whether something failed, or the run was stopped.
func (m *making) halted() bool { return m.halt.Load() || m.run.halted() }

// fail remembers the failure that stands first.
func (m *making) fail(i int32, err error) {
	m.halt.Store(true)
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if m.failed == nil || i < m.at {
		m.failed, m.at = err, i
	}
}

// A builder keeps open each folder on the way to where it works,
// so that each new folder costs one call with a single name.
type builder struct {
	making *making
	part   string    // the name under which it writes files
	at     folderKey // what is open first
	open   []opened
	made   []made
}

type opened struct {
	step   int32
	handle folder.Folder
}

func (m *making) builder(n int) *builder {
	return &builder{making: m, part: partName + strconv.Itoa(n)}
}

// close hands over what the builder has done.
func (b *builder) close() {
	b.closeTo(0)
	b.making.mutex.Lock()
	b.making.made = append(b.making.made, b.made...)
	b.making.mutex.Unlock()
}

// carryOut makes a run of steps.
func (b *builder) carryOut(s span) {
	for i := s.first; i < s.last && !b.making.halted(); i++ {
		if err := b.make(i); err != nil {
			b.making.fail(i, err)
		}
		b.making.run.told(1)
	}
}

func (b *builder) make(i int32) error {
	m := b.making
	s := &m.steps[i]
	parent, err := b.parent(i)
	if err != nil {
		return err
	}
	c := &m.changes[s.change]
	var as change.Dress
	if s.node == c.Node {
		as = c.As
	}
	there, sum, err := m.run.put(parent, m.name(i), birth{s.node, c.In, b.part, as})
	if there {
		b.made = append(b.made, made{i, sum})
	}
	if there && s.node.Kind == tree.Folder && as.Time != 0 {
		m.run.times.again(parent, m.name(i), as.Time)
	}
	return err
}

// A birth is what comes about, in which place of the set, under which hidden name it is
// written first, and what it bears.
type birth struct {
	*tree.Node
	in   int
	part string
	as   change.Dress
}

// put makes a folder or a file. There says whether it is there now, which it may
// be even where something failed.
func (r *run) put(parent folder.Folder, name string, b birth) (there bool, sum string, err error) {
	n, in, part, as := b.Node, b.in, b.part, b.as
	if n.Kind == tree.Folder {
		err := parent.Mkdir(name, cmp.Or(as.Mode, 0o777))
		return err == nil, "", err
	}
	if n.Kind == tree.Symlink {
		var target bytes.Buffer
		if err := tree.Copy(&target, n.Content); err != nil {
			return false, "", err
		}
		if err := parent.Symlink(target.String(), name); err != nil {
			return false, "", err
		}
		if as.Time != 0 {
			_ = folder.Date(parent, name, as.Time)
		}
		return true, digest.Bytes(target.Bytes()), nil
	}
	if n.Content == nil && as.Mode == 0 && folder.Lacks(parent)&folder.Creating == 0 {
		f, err := parent.Create(name, 0o666)
		if err != nil {
			return false, "", err
		}
		return true, journal.EmptySum, f.Close()
	}
	work, err := r.work(in)
	if err != nil {
		return false, "", err
	}
	p := &passage{Change: &change.Change{Op: change.Make, In: in}, part: part}
	if p.sum, err = r.writeContent(folder.Write, work, part, n.Content, as); err != nil {
		_ = work.Remove(part, false)
		return false, "", err
	}
	err = r.arrive(p, parent, name, nil)
	return err == nil, p.sum, err
}

// makeAgain makes something that a run has removed, or brings it back from where
// it was put aside.
func (r *run) makeAgain(parent folder.Folder, name string, c *change.Change) error {
	if c.From != "" {
		if work, aside, err := r.folder(c.In, c.From); err == nil {
			return r.rename(named{work, aside, change.At{In: c.In, Path: c.From}}, named{parent, name, change.At{In: c.In, Path: c.Path}})
		}
	}
	_, _, err := r.put(parent, name, birth{c.Node, c.In, partName + "0", c.As})
	switch {
	case err != nil || c.As.Time == 0 || c.Node.Kind == tree.Symlink: // a link has it already
	case c.Node.Kind == tree.Folder:
		r.times.again(parent, name, c.As.Time)
	default:
		err = folder.Date(parent, name, c.As.Time)
	}
	return err
}

// parent returns the folder that a step lies in, open.
func (b *builder) parent(i int32) (folder.Folder, error) {
	s := &b.making.steps[i]
	if s.parent < 0 {
		return b.top(s.change)
	}
	for k := len(b.open) - 1; k >= 0; k-- {
		if b.open[k].step == s.parent {
			b.closeTo(k + 1)
			return b.open[k].handle, nil
		}
	}
	above, err := b.parent(s.parent)
	if err != nil {
		return nil, err
	}
	h, err := above.Folder(b.making.name(s.parent))
	if err != nil {
		return nil, err
	}
	b.open = append(b.open, opened{s.parent, h})
	return h, nil
}

// top returns the folder that a change makes something in, open.
func (b *builder) top(i int32) (folder.Folder, error) {
	c := &b.making.changes[i]
	key := folderKey{c.In, path.Dir(c.Path)}
	if b.at == key {
		b.closeTo(1)
		return b.open[0].handle, nil
	}
	b.closeTo(0)
	if key.path == b.making.run.plan.Work {
		if _, err := b.making.run.work(c.In); err != nil {
			return nil, err
		}
	}
	h, err := folder.Below(b.making.run.places[c.In].Root(), key.path)
	if err != nil {
		return nil, err
	}
	b.making.run.times.note(h)
	b.at = key
	b.open = append(b.open, opened{-1, h})
	return h, nil
}

func (b *builder) closeTo(n int) {
	for _, o := range b.open[n:] {
		b.making.run.times.close(o.handle)
	}
	if b.open = b.open[:n]; n == 0 {
		b.at = folderKey{}
	}
}
