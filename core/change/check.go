package change

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"vestibula/core/digest"
	"vestibula/core/tree"
)

// MaxOld is how much a file may hold to be written into the record when it is
// replaced or removed, in bytes; MaxOldSum, how much all files of a record.
// Larger ones are kept where they are, under another name.
const (
	MaxOld    = 64 << 10
	MaxOldSum = 32 << 20
)

// A Check holds a list against places, before any of it is carried out.
type Check struct {
	Places []tree.Place // those of the set
	Work   string       // the folder for third names and for what is kept
	// Names checks the names alone, of a list that was checked before: states are
	// looked at right before each change anyway.
	Names bool
	// Lenient checks a list that takes something back: what is so already is left
	// out without a word, and what cannot be done is left out and told.
	Lenient bool
	// CutShort is how many changes, from the first, take back a run that did not come
	// to its end: what has another identity than what it moved is not its own, and
	// what it was just moving to another disk may be there twice.
	CutShort int

	cutShort bool // the change is one of those

	roots   []*spot
	entries []Change       // what moves a folder to another disk, entry by entry
	renewed map[key]string // paths in the work folder of this run, by those in another one
	ahead   *ahead         // what was looked at before
	seen    int32          // where the change that is checked stands in it, from 1
	from    key            // that source
	lastKey key            // the folder that was found last
	lastDir *spot          // nil for none
	old     int            // bytes of old contents so far
	aside   int            // how many names in the work folder are taken
}

// Run returns the list with the states of what it touches, noted in it where that
// suffices, and what cannot be done. Unless the check is lenient, nothing should be carried out where there
// is any obstacle. The error is that of a place which cannot be read.
func (k *Check) Run(list []Change) (bound []Change, bad []Obstacle, err error) {
	for i := range k.Places {
		k.roots = append(k.roots, &spot{in: i, real: "."})
	}
	if !k.Names && k.ahead == nil {
		k.LookAhead(list)
		defer k.Wait()
	}
	same := 0 // so many, from the first, are as they were
	add := func(c ...Change) {
		if bound == nil {
			bound = append(make([]Change, 0, len(list)), list[:same]...)
		}
		bound = append(bound, c...)
	}
	for i := range list {
		c := list[i]
		k.seen, c.seen = c.seen, 0
		k.from = key{c.FromIn, c.From}
		k.cutShort = i < k.CutShort
		old := k.renew(&c)
		why, err := k.one(&c)
		switch {
		case err != nil:
			return nil, nil, fmt.Errorf("%s: %w", c.Path, err)
		case why == nil && k.Names:
		case why == nil && bound == nil && k.entries == nil && c.Op == list[i].Op && (c.Op == Make || c.Op == Move || c.Op == Copy) && c.Path == list[i].Path && len(bad) == 0 && same == i:
			list[i].Was = c.Was
			same++ // long lists that only make or move something are not copied
		case why == nil && k.entries != nil:
			add(k.entries...)
			k.entries = nil
		case why == nil:
			add(c)
			if old.path != "" {
				k.renewed[old] = c.Path
			}
		case k.Lenient && *why == "":
		default:
			bad = append(bad, Obstacle{i, *why, why == changed})
		}
	}
	if bound == nil {
		bound = list[:same:same]
	}
	return bound, bad, nil
}

// renew turns paths in the work folder of another run, which may be gone, into those of
// this run's, in a list that takes the other one back. It returns the path there of what is put into it.
func (k *Check) renew(c *Change) (old key) {
	moved := func(in int, p string) string {
		if !inWork(p) {
			return p
		}
		top, rest, _ := cut(p)
		name, deeper, _ := cut(rest)
		if to, ok := k.renewed[key{in, top + "/" + name}]; ok {
			return strings.TrimSuffix(to+"/"+deeper, "/")
		}
		return p
	}
	c.From, c.Path = moved(c.FromIn, c.From), moved(c.In, c.Path)
	if top, _, _ := cut(c.Path); (c.Op == Move || c.Op == Make) && atWork(c.Path) && top != k.Work {
		what := "kept"
		if c.Via != "" || c.Op == Make {
			what = "way"
		}
		if k.renewed == nil {
			k.renewed = map[key]string{}
		}
		old = key{c.In, c.Path}
		c.Path = k.name(what)
	}
	return old
}

// because returns a reason; none at all means that the change can be done, and
// an empty one that nothing is left to do.
func because(format string, args ...any) *string {
	s := fmt.Sprintf(format, args...)
	return &s
}

var (
	already = because("")
	changed = because("it has been changed since")
	missing = because("it is not there")
)

// one checks a change, and does it to the spots.
func (k *Check) one(c *Change) (why *string, err error) {
	if c.In >= len(k.roots) || c.FromIn >= len(k.roots) {
		return because("the folder that it would lie in is not known"), nil
	}
	switch c.Op {
	case Make:
		return k.make(c)
	case Replace:
		return k.replace(c)
	case Remove:
		return k.remove(c)
	}
	return k.bring(c)
}

func (k *Check) make(c *Change) (*string, error) {
	if atWork(c.Path) {
		if err := k.makeWork(c.In, dirOf(c.Path)); err != nil {
			return nil, err
		}
	}
	parent, there, why, err := k.target(c)
	if err != nil || why != nil && there == nil {
		return why, err
	}
	if there != nil {
		if k.Lenient && there.kind == c.Node.Kind {
			if there.kind == tree.Folder {
				return already, nil
			}
			if sum, err := k.sum(there, nil); err != nil || sum == c.Sum {
				return already, err
			}
		}
		if k.cutShort && c.From != "" {
			// The run had not removed it, unless it lies where it was put aside.
			if aside, err := k.find(c.In, c.From); aside == nil || err != nil {
				return already, err
			}
		}
		return why, nil
	}
	parent.put(&spot{name: baseOf(c.Path), kind: c.Node.Kind, in: c.In, node: c.Node, sum: sumOf(c.Node, c.Sum)})
	return k.long(c.In, c.Path, c.Node), nil
}

// long says that a path would be longer than its system takes.
func (k *Check) long(in int, at string, n *tree.Node) *string {
	p := k.Places[in]
	longest, length, most := at, p.PathLength(at), p.MaxPath()
	empty := p.PathLength("")
	var below func(n *tree.Node) int
	below = func(n *tree.Node) (most int) {
		for _, c := range n.Children {
			most = max(most, 1+p.PathLength(c.Name)-empty+below(c))
		}
		return most
	}
	if n != nil && length+below(n) > most {
		for name := range n.All() {
			if l := p.PathLength(at + "/" + name); l > length {
				longest, length = at+"/"+strings.Clone(name), l
			}
		}
	}
	if length > most {
		return because("its path would have %d characters, and this system takes %d: %s", length, most, longest)
	}
	return nil
}

// target finds the folder that something is to come about in, and says what is in
// its way: that spot is returned, where it is one that was looked for.
func (k *Check) target(c *Change) (parent, there *spot, why *string, err error) {
	dir := dirOf(c.Path)
	if parent = k.lastDir; parent == nil || k.lastKey != (key{c.In, dir}) {
		parent, err = k.find(c.In, dir)
	}
	switch {
	case err != nil:
		return nil, nil, nil, err
	case parent == nil:
		return nil, nil, because("the folder that it is to lie in is not there"), nil
	case parent.kind != tree.Folder:
		return nil, nil, because("%s lies where its folder must be", parent.kind.Article()), nil
	}
	if err := k.load(parent); err != nil {
		return nil, nil, nil, err
	}
	name := baseOf(c.Path)
	if there = parent.children[name]; there != nil {
		return parent, there, because("something of that name is there already"), nil
	}
	if other, alike := parent.alike(name); alike {
		return parent, nil, because("“%s” is there, spelled with other capitals or accents", other), nil
	}
	if parent.real != "" && !parent.asked {
		parent.denied, parent.asked = k.Places[parent.in].Writable(parent.real), true
	}
	if parent.denied != nil {
		return parent, nil, because("you may not make anything in that folder"), nil
	}
	return parent, nil, nil, nil
}

// bind notes the state of a source, or compares it with the one that was noted.
func (k *Check) bind(c *Change, source *spot) (*string, error) {
	c.Was.Kind = source.kind
	if source.real == "" || source.sum != "" || k.Names {
		c.Was.Entry = tree.Entry{Kind: source.kind}
		return nil, nil // it is the list's own
	}
	have, err := k.look(source, c.FromIn)
	if err != nil {
		return nil, err
	}
	switch {
	case k.cutShort && !c.Was.moved(have):
		return already, nil
	case !k.Lenient && c.Was.Time != 0 && !c.Was.Same(have):
		return changed, nil // a person may go on with what was moved, and it is still moved back
	}
	if !source.other {
		source.device = have.Dev
	}
	if c.Was.Sum != "" {
		if sum, err := k.sum(source, nil); err != nil || sum != c.Was.Sum {
			return changed, err
		}
	}
	sum := c.Was.Sum
	c.Was = State{have, sum}
	return nil, nil
}

// look returns what lies at a spot on the disk. What will be on another disk by
// then, in a place, has another identity there.
func (k *Check) look(s *spot, in int) (tree.Entry, error) {
	var e tree.Entry
	var err error
	if seen := k.ahead.entry(k.seen); seen != nil && k.from == (key{s.in, s.real}) {
		e = *seen
	} else {
		e, err = k.Places[s.in].Look(s.real)
	}
	if s.other {
		e.Dev, e.Ino = 0, 0
		if e.Kind == tree.Symlink || k.Places[in].Far() {
			e.Time, e.Tag = 0, "" // there it is made anew
		}
	}
	return e, err
}

func (k *Check) replace(c *Change) (*string, error) {
	there, err := k.find(c.In, c.Path)
	if c.Was.Kind != tree.Symlink {
		c.Was.Kind = tree.File
	}
	switch {
	case err != nil:
		return nil, err
	case there == nil:
		return missing, nil
	case there.kind != c.Was.Kind:
		return because("it is %s", there.kind.Article()), nil
	case k.Names:
		return nil, nil
	}
	c.Old, c.HasOld = nil, false
	var old []byte
	sum, err := k.sum(there, &old)
	switch {
	case err != nil:
		return nil, err
	case k.Lenient && sum == c.Sum:
		return already, nil
	case c.Was.Sum != "" && sum != c.Was.Sum && k.cutShort:
		return already, nil // the run did not come so far
	case c.Was.Sum != "" && sum != c.Was.Sum:
		return changed, nil
	}
	if there.real != "" && there.sum == "" {
		have, err := k.look(there, c.In)
		if err != nil {
			return nil, err
		}
		c.Was.Entry = have
	}
	c.Was.Sum = sum
	if old != nil {
		c.Old, c.HasOld = old, true
	}
	if k.cutShort && c.From != "" {
		// What was there may lie where the run that was cut short put it.
		aside, err := k.find(c.In, c.From)
		if err != nil {
			return nil, err
		}
		if aside != nil && aside.kind == c.Was.Kind {
			c.Content = nil
			c.Sum, err = k.sum(aside, nil)
			there.sum = c.Sum
			return nil, err
		}
	}
	there.sum = c.Sum
	if c.From == "" || c.Content != nil {
		c.From = k.name("new")
	}
	return nil, nil
}

// name returns a free path in the work folder.
func (k *Check) name(what string) string {
	k.aside++
	return k.Work + "/" + what + "-" + strconv.Itoa(k.aside)
}

// first is what stands first in a folder; "" where it is empty.
func (k *Check) first(in *spot) (first string, err error) {
	if err := k.load(in); err != nil {
		return "", err
	}
	for name := range in.children {
		if first == "" || name < first {
			first = name
		}
	}
	return first, nil
}

func (k *Check) remove(c *Change) (*string, error) {
	there, err := k.find(c.In, c.Path)
	switch {
	case err != nil:
		return nil, err
	case there == nil && k.Lenient:
		return already, nil
	case there == nil:
		return missing, nil
	case there.kind != c.Was.Kind:
		return because("it is no longer %s", c.Was.Kind.Article()), nil
	}
	if there.kind == tree.Folder {
		if first, err := k.first(there); err != nil || first != "" {
			return because("it holds “%s”", first), err
		}
	}
	if !k.Names {
		have := tree.Entry{Kind: there.kind}
		if there.real != "" && there.sum == "" {
			if have, err = k.look(there, c.In); err != nil {
				return nil, err
			}
		}
		sum := ""
		if there.kind == tree.File || there.kind == tree.Symlink && c.Was.Sum != "" {
			var old []byte
			if sum, err = k.sum(there, &old); err != nil {
				return nil, err
			}
			switch {
			case sum == c.Was.Sum, c.Was.Sum == "" && !k.Lenient:
			case k.cutShort:
				return already, nil // the run did not come so far as to make it
			default:
				return changed, nil
			}
			if old != nil {
				c.Old, c.HasOld = old, true
			}
		}
		c.Was = State{have, sum}
	}
	if there.kind == tree.Folder {
		k.lastDir = nil
	}
	there.parent.drop(there)
	switch {
	case there.kind == tree.Folder || k.Names:
	case c.HasOld:
		c.From = k.name("gone")
	default: // it is too large for the record
		c.Op, c.From, c.FromIn, c.Path = Move, c.Path, c.In, k.name("kept")
		if err := k.makeWork(c.In, k.Work); err != nil {
			return nil, err
		}
		k.roots[c.In].children[k.Work].put(&spot{name: baseOf(c.Path), in: c.In, real: there.real, kind: tree.File, sum: there.sum})
	}
	return nil, nil
}

// sum returns the checksum of a file, and what it holds where that is little
// enough to be kept in the record.
func (k *Check) sum(s *spot, old *[]byte) (string, error) {
	if s.real == "" || s.sum != "" {
		if s.node != nil && old != nil {
			if data, ok := s.node.Content.(tree.Bytes); ok && k.room(len(data)) {
				*old = data
			}
		}
		return s.sum, nil
	}
	f, err := k.Places[s.in].Open(s.real)
	if err != nil {
		return "", err
	}
	defer f.Close()
	head, err := io.ReadAll(io.LimitReader(f, MaxOld+1))
	if err != nil {
		return "", err
	}
	if len(head) <= MaxOld {
		if old != nil && k.room(len(head)) {
			*old = head
		}
		return digest.Bytes(head), nil
	}
	return digest.Of(io.MultiReader(strings.NewReader(string(head)), f))
}

// room reports whether so many bytes more can be kept in the record, and counts
// them.
func (k *Check) room(n int) bool {
	if n > MaxOld || k.old+n > MaxOldSum {
		return false
	}
	k.old += n
	return true
}
