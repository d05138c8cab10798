package change

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"

	"vestibula/core/tree"
)

// An Obstacle is why a change cannot be carried out.
type Obstacle struct {
	Index   int // of the change
	Why     string
	Changed bool // somebody has changed what it is done to
}

// A key is a path in one of the places.
type key struct {
	in   int
	path string
}

// dirOf is the folder that a path of a place lies in, and baseOf its last name.
func dirOf(p string) string { return cmp.Or(p[:max(strings.LastIndexByte(p, '/'), 0)], ".") }

func baseOf(p string) string { return p[strings.LastIndexByte(p, '/')+1:] }

func (k key) parent() key { return key{k.in, dirOf(k.path)} }

// An order puts the changes of a set into an order that works.
type order struct {
	set     *Set
	work    string        // the folder for third names, in each place
	targets map[key]int   // what comes about, by its new path
	sources map[key]int   // what goes away from there, by its old path
	near    map[key]int32 // the last of the sources with one folded path, if it is not their own
	next    []int32       // the one before it, or -1
	touched map[key]bool  // folders, and whether they or one above them come about or go
	inside  map[key]bool  // folders that changes reach into
	copies  map[key][]int // copies, by the old paths of their sources
	below   []key         // the paths of the sources, for finding all in a folder
	sorted  bool          // they are in order

	last        key // the folder that was asked for last by reach
	lastTouched bool
	loc         map[key]key    // where things that were moved are now, by their old paths
	state       []progress     // of the changes
	thirds      map[int]string // third names, by the changes that took them
	out         []Change
}

type progress uint8

const (
	waiting progress = iota
	active           // being carried out, after what it waits for
	lifted           // out of the way, under a third name
	done
)

// Order returns the changes of the set in an order in which each can be carried
// out: folders before what comes to lie in them, and what is in the way of
// another thing first. Where things change places with each other, and where a
// name changes only in ways that some systems do not see, they go by way of a
// third name in the folder work of their place. What contradicts itself, such as
// two changes that make one thing, is returned as obstacles, and the list is nil.
func (s *Set) Order(work string) ([]Change, []Obstacle) {
	if s.namesOnly() {
		for i := range s.Changes {
			s.Changes[i].Loose = true
		}
		return s.Changes, nil
	}
	return s.inOrder(work)
}

func (s *Set) inOrder(work string) ([]Change, []Obstacle) {
	o := &order{set: s, work: work, targets: make(map[key]int, len(s.Changes)), state: make([]progress, len(s.Changes)), touched: map[key]bool{}, inside: map[key]bool{}}
	if bad := o.index(); len(bad) > 0 {
		return nil, bad
	}
	if len(o.sources) == 0 && o.parentsFirst() {
		for i := range s.Changes { // nothing moves, as in every build
			c := &s.Changes[i]
			c.Loose = c.Op == Copy && !c.given() // nothing goes that a copy waits for
		}
		return s.Changes, nil
	}
	o.out = make([]Change, 0, len(s.Changes))
	for _, op := range []Op{Copy, Make, Move} { // a copy before its source goes
		for i := range s.Changes {
			if s.Changes[i].Op == op {
				o.place(i)
			}
		}
	}
	var removes []int
	for i := range s.Changes {
		if s.Changes[i].Op == Remove {
			removes = append(removes, i)
		}
	}
	slices.SortStableFunc(removes, func(a, b int) int { // the deepest first
		return cmp.Compare(strings.Count(s.Changes[b].Path, "/"), strings.Count(s.Changes[a].Path, "/"))
	})
	for _, i := range removes {
		o.place(i)
	}
	for i := range s.Changes {
		if c := &s.Changes[i]; c.Op == Replace {
			o.out = append(o.out, *c)
		}
	}
	return o.out, nil
}

// index finds what comes about and what goes, and says what is there twice.
func (o *order) index() (bad []Obstacle) {
	changes := o.set.Changes
	replaced := map[key]bool{}
	for i := range changes {
		c := &changes[i]
		for _, p := range []string{c.Path, c.From} {
			if p != "" && !Local(p) || p == "" && c.Op == Move || p == "" && c.Op == Copy && c.Content == nil {
				return append(bad, Obstacle{Index: i, Why: fmt.Sprintf("“%s” leads out of its place", p)})
			}
		}
		if at := (key{c.In, c.Path}); c.Op == Replace {
			if replaced[at] {
				bad = append(bad, Obstacle{Index: i, Why: "another change writes this as well"})
			}
			replaced[at] = true
		} else if c.Op != Remove {
			if first, twice := o.targets[at]; twice {
				bad = append(bad, Obstacle{Index: i, Why: fmt.Sprintf("two of these changes would make this%s", from(&changes[first]))})
			}
			o.targets[at] = i
		}
		if c.Op == Copy && !c.given() {
			if o.copies == nil {
				o.copies = map[key][]int{}
			}
			at := key{c.FromIn, c.From}
			o.copies[at] = append(o.copies[at], i)
		}
		if c.Op != Remove && c.Op != Move {
			continue
		}
		if o.sources == nil {
			n := len(changes)
			o.sources, o.near, o.next = make(map[key]int, n), map[key]int32{}, make([]int32, n)
			o.below = make([]key, 0, n)
			o.loc, o.thirds = map[key]key{}, map[int]string{}
		}
		at := c.source()
		if _, twice := o.sources[at]; twice {
			bad = append(bad, Obstacle{Index: i, Why: "another change takes this away as well"})
		}
		o.sources[at] = i
		if folded := at.folded(); folded != at {
			o.next[i] = -1
			if other, taken := o.near[folded]; taken {
				o.next[i] = other
			}
			o.near[folded] = int32(i)
		}
		o.below = append(o.below, at)
	}
	if o.sources == nil && o.copies == nil {
		return bad
	}
	return append(bad, o.lacking()...)
}

// lacking finds what is moved, copied or removed and only comes about, in a folder that does.
func (o *order) lacking() (bad []Obstacle) {
	changes := o.set.Changes
	fresh := map[key]bool{} // folders, and whether they only come about
	for i := range changes {
		c := &changes[i]
		at := key{c.FromIn, c.From}
		if c.Op == Remove {
			at = key{c.In, c.Path}
		}
		if c.Op != Make && c.Op != Replace && o.reach(at.parent()) && o.fresh(at.parent(), fresh) {
			bad = append(bad, Obstacle{Index: i, Why: "it is not there"})
		}
		o.reach(key{c.In, c.Path}.parent())
		if c.From != "" {
			o.reach(key{c.FromIn, c.From}.parent())
		}
	}
	return bad
}

// folded is a path whose last name is written as systems see it that take some
// names for the same.
func (k key) folded() key {
	dir, name := path.Split(k.path)
	if f := tree.Folded(name); f != name {
		return key{k.in, dir + f}
	}
	return k
}

// reach notes a folder that a change reaches into, and those above it, and whether
// any of them comes about or goes itself.
func (o *order) reach(dir key) (touched bool) {
	if dir.path == "." {
		return false
	}
	if o.last == dir { // changes to one folder mostly follow each other
		return o.lastTouched
	}
	touched, known := o.touched[dir]
	if !known {
		_, comes := o.targets[dir]
		_, goes := o.sources[dir]
		touched = o.reach(dir.parent()) || comes || goes
		o.touched[dir], o.inside[dir] = touched, true
	}
	o.last, o.lastTouched = dir, touched
	return touched
}

// fresh reports whether a folder is one that the set makes, so that nothing has
// an old path in it.
func (o *order) fresh(dir key, known map[key]bool) bool {
	if dir.path == "." {
		return false
	}
	is, ok := known[dir]
	if !ok {
		_, comes := o.targets[dir]
		_, goes := o.sources[dir]
		is = comes && !goes || o.fresh(dir.parent(), known) && !goes
		known[dir] = is
	}
	return is
}

func from(c *Change) string {
	if c.From == "" {
		return ""
	}
	return fmt.Sprintf(", from “%s”", c.From)
}

// source is the old path of what a change takes away.
func (c *Change) source() key {
	if c.Op == Move {
		return key{c.FromIn, c.From}
	}
	return key{c.In, c.Path}
}

// parentsFirst reports whether all changes stand behind those that make the
// folders that they need, and replacements behind all others.
func (o *order) parentsFirst() bool {
	replaced := false
	for i := range o.set.Changes {
		c := &o.set.Changes[i]
		if c.Op == Replace {
			replaced = true
			continue
		}
		if replaced {
			return false
		}
		for at := (key{c.In, c.Path}).parent(); at.path != "."; at = at.parent() {
			if j, made := o.targets[at]; made && j > i {
				return false
			}
		}
	}
	return true
}

// place carries a change out, and first what it waits for.
func (o *order) place(i int) {
	c := &o.set.Changes[i]
	switch o.state[i] {
	case done:
		return
	case active: // it is in the way of what it waits for
		o.lift(i)
		return
	}
	if c.Op == Move && o.alone(c) {
		o.out = append(o.out, *c)
		o.out[len(o.out)-1].Loose = true
		o.state[i] = done
		return
	}
	was := o.state[i]
	o.state[i] = max(was, active)
	if c.Op == Remove {
		o.remove(i)
		return
	}
	target := key{c.In, c.Path}
	if !o.ready(target.parent()) {
		// The folder that it goes to waits for this to be out of its way.
		o.lift(i)
		return
	}
	for _, j := range o.occupants(target) {
		if j != i && o.state[j] != lifted {
			o.place(j)
		}
	}
	if now := o.now(c.source()); c.Op == Move && o.state[i] != lifted && now.parent() == target.parent() &&
		tree.Folded(baseOf(now.path)) == tree.Folded(baseOf(c.Path)) {
		o.lift(i) // some systems take the two names for one
	}
	out := *c
	out.Loose = c.Op == Copy && !c.given() && o.aside(c)
	switch c.Op {
	case Move:
		now := o.now(c.source())
		out.FromIn, out.From = now.in, now.path
		if inWork(now.path) {
			out.Via = c.From
		}
		o.loc[c.source()] = target
	case Copy:
		if !c.given() {
			now := o.now(key{c.FromIn, c.From})
			out.FromIn, out.From = now.in, now.path
		}
	}
	o.out = append(o.out, out)
	o.state[i] = done
}

// alone reports whether a move has to do with no other change: nothing that comes
// about or goes lies on the way to its ends, in it, or under its new name.
func (o *order) alone(c *Change) bool {
	from, to := key{c.FromIn, c.From}, key{c.In, c.Path}
	if o.reach(from.parent()) || o.reach(to.parent()) || o.inside[from] || o.copies[from] != nil {
		return false
	}
	folded := to.folded()
	_, taken := o.sources[folded]
	if !taken && len(o.near) > 0 {
		_, taken = o.near[folded]
	}
	return !taken
}

// aside reports whether a copy has to do with no other change than those that make the
// folders for it, which stand before it by now.
func (o *order) aside(c *Change) bool {
	from, to := key{c.FromIn, c.From}, key{c.In, c.Path}
	if o.reach(from.parent()) {
		return false
	}
	for _, at := range []key{from, to, to.folded()} {
		if _, goes := o.sources[at]; goes {
			return false
		}
		if _, near := o.near[at]; near {
			return false
		}
	}
	for at := to.parent(); at.path != "."; at = at.parent() {
		if _, goes := o.sources[at]; goes {
			return false
		}
	}
	return true
}

// remove removes something, after all that lies in it has gone.
func (o *order) remove(i int) {
	c := &o.set.Changes[i]
	for _, j := range o.copies[c.source()] {
		if o.state[j] == active { // the copy waits for this to be out of its way
			o.lift(i)
			return
		}
		o.place(j)
	}
	if !o.sorted {
		slices.SortFunc(o.below, func(a, b key) int { return cmp.Or(a.in-b.in, strings.Compare(a.path, b.path)) })
		o.sorted = true
	}
	from, _ := slices.BinarySearchFunc(o.below, key{c.In, c.Path + "/"}, func(a, b key) int { return cmp.Or(a.in-b.in, strings.Compare(a.path, b.path)) })
	for _, at := range o.below[from:] {
		if at.in != c.In || !strings.HasPrefix(at.path, c.Path+"/") {
			break
		}
		if j := o.sources[at]; o.state[j] != lifted {
			o.place(j)
		}
	}
	out := *c
	now := o.now(key{c.In, c.Path})
	out.In, out.Path = now.in, now.path
	o.out = append(o.out, out)
	o.state[i] = done
}

// ready places what makes a folder, and those above it, where they are to come about. It
// reports false where that waits for something itself.
func (o *order) ready(at key) bool {
	if at.path == "." {
		return true
	}
	if !o.ready(at.parent()) {
		return false
	}
	if i, comes := o.targets[at]; comes {
		if o.state[i] == active {
			return false
		}
		o.place(i)
		return o.state[i] == done
	}
	return true
}

// occupants returns the changes whose sources lie at a path now, or at one that
// some systems take for the same. The folder that it lies in is where it is to
// be already.
func (o *order) occupants(target key) (list []int) {
	parent, real := o.before(target.parent())
	if !real {
		return nil
	}
	folded := key{parent.in, path.Join(parent.path, baseOf(target.path))}.folded()
	add := func(j int) {
		if at := o.set.Changes[j].source(); o.state[j] != done && o.now(at).parent() == target.parent() {
			list = append(list, j)
		}
	}
	if j, found := o.sources[folded]; found {
		add(j)
	}
	if last, found := o.near[folded]; found {
		for j := last; j >= 0; j = o.next[j] {
			add(int(j))
		}
	}
	return list
}

// before returns the old path of a folder by its new one. Of a folder that is
// new, there is none.
func (o *order) before(at key) (old key, real bool) {
	if at.path == "." {
		return at, true
	}
	if i, comes := o.targets[at]; comes {
		if c := &o.set.Changes[i]; c.Op == Move {
			return c.source(), true
		}
		return key{}, false
	}
	above, real := o.before(at.parent())
	return key{above.in, path.Join(above.path, baseOf(at.path))}, real
}

// now returns where something is at present, by its old path.
func (o *order) now(old key) key {
	for at := old; at.path != "."; at = at.parent() {
		if moved, ok := o.loc[at]; ok {
			return key{moved.in, moved.path + old.path[len(at.path):]}
		}
	}
	return old
}

// lift takes something out of the way, to a third name in its own place.
func (o *order) lift(i int) {
	c := &o.set.Changes[i]
	if o.state[i] == lifted {
		return
	}
	third := o.work + "/" + strconv.Itoa(len(o.thirds))
	now := o.now(c.source())
	o.out = append(o.out, Change{Op: Move, FromIn: now.in, From: now.path, In: now.in, Path: third, Via: c.Path, Was: c.Was, Why: c.Why})
	o.thirds[i] = third
	o.loc[c.source()] = key{now.in, third}
	o.state[i] = lifted
}
