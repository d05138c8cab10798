// Package change describes what is to be done to a disk, as a value: a set of
// changes that can be shown, checked against a place, put into an order that
// works, written down, read back, and inverted. To undo, to take back a run that
// failed, and to have an undo back are nothing but the inverse of a list.
//
// There are two forms. A [Set] is what a planner returns: all old paths mean the
// disk as it is, all new ones the disk afterwards, and its changes have no order.
// A list of changes, as [Set.Order] makes it, is carried out from its first to its
// last; each path means the disk at that moment. Records of a journal are lists.
//
// The package looks at places through [tree.Place] and changes nothing: that is
// done by package disk, alone.
package change

import (
	"io"
	"io/fs"
	"path"
	"strings"
	"unicode/utf8"

	"vestibula/core/address"
	"vestibula/core/tree"
)

// An Op is what a change does.
type Op uint8

// What changes do.
const (
	Make    Op = iota // makes a folder with all that lies in it, or a file
	Replace           // gives a file other contents, or has a link lead elsewhere
	Move              // gives something another name or place
	Copy              // makes a file that is a copy of another one, or of what a content gives
	Remove            // removes an empty folder, or a file
)

var opWords = [...]string{"make", "replace", "move", "copy", "remove"}

// String returns the word for the op.
func (o Op) String() string { return opWords[o] }

// A State is what lies at a path: what must be there for a change to be carried
// out. Of what was only listed, it is the kind alone.
type State struct {
	tree.Entry
	Sum string // the checksum of a file's contents; empty where it does not matter
}

// moved reports whether an entry can be what the state says, after it was moved: the
// same thing or, on another disk, a file of the same size and time.
func (s *State) moved(e tree.Entry) bool {
	if s.Ino == 0 || s.Dev == e.Dev {
		return s.Ino == 0 || s.Ino == e.Ino
	}
	return e.Kind != tree.File || s.Size == e.Size && s.Time == e.Time
}

// other reports whether an entry is another thing than the state says: by its identity or, in a store
// that has none, by what is known of it.
func (s *State) other(e tree.Entry) bool {
	if s.Ino != 0 {
		return s.Ino != e.Ino || s.Dev != e.Dev
	}
	return s.Time != 0 && !s.Same(e)
}

// Same reports whether an entry is what the state says: the same thing, where its
// identity is known, and of a file, with the same tag or, where its store has none, with the
// same size and time as well. A folder's time changes with what is put into it.
func (s *State) Same(e tree.Entry) bool {
	if s.Kind != e.Kind || s.Ino != 0 && (s.Ino != e.Ino || s.Dev != e.Dev) {
		return false
	}
	if s.Tag != "" && e.Tag != "" {
		return s.Tag == e.Tag
	}
	return s.Kind == tree.Folder || s.Size == e.Size && s.Time == e.Time
}

// A Dress is what something bears beside its contents: its permissions, and when it
// was changed last, in nanoseconds since 1970. Zero leaves each as it comes.
type Dress struct {
	Mode fs.FileMode
	Time int64
}

// A Change is one thing done to a place.
type Change struct {
	Op Op
	// HasOld says that Old holds what was there before.
	HasOld bool
	// Loose says that a move has to do with no other change of its list, so that
	// several can be carried out at a time.
	Loose bool
	In    int    // the place of Path, among those of the set
	Path  string // what comes about; of a removal, what goes
	// Whole says that a folder which is made bears another name until the run has come to its
	// end: see [Change.Meanwhile].
	Whole bool
	// From is where something is moved or copied from, and FromIn its place. Of a
	// Replace and of a Remove, it is where the other contents lie while the run
	// is at work, in the place of Path.
	From   string
	FromIn int
	// Node is what a Make makes. Its own name does not count.
	Node *tree.Node
	// Content is what a Replace writes, and what a Copy without a From is a copy of: its
	// checksum is known only when it is written.
	Content tree.Content
	// Was is what must be there before: the source of a move or a copy, the file
	// that is replaced, what is removed.
	Was State
	// As says the permissions and the time that something gets which is made again,
	// or is given its former contents.
	As Dress
	// Sum is the checksum of a file that a change makes or replaces.
	Sum string
	// Old is what a replaced or removed file held, where that is little enough to
	// be written into the record.
	Old []byte
	// Via is, of a move to or from a third name, or something in a folder that bears
	// one, the path at the other end of the way. It tells such a move from one to
	// where removed things are kept.
	Via string
	Why string // for a person
	// Instead is, of a Remove, the path at which the same is to be found: it says where
	// what points here is to point. It is not written down.
	Instead string
	// Probable says that a person has to answer for this by itself, since it does not follow
	// from what is known. It is not written down.
	Probable bool
	// Or are other paths that could be meant as well, where it is only probable. They are not written down.
	Or []string
	// Equal says that this goes because the same lies at Instead, which is looked at once
	// more before it does.
	Equal bool

	// Shared is, of a Copy, the checksum of what it holds, where it may share that with
	// its source: as a clone, else as another name of the same file, which nobody may
	// write into then. Sum is the same then. It is empty where that could not be, and is
	// not written down.
	Shared string

	seen int32 // where it stands among what was looked at ahead, from 1: see [Check.LookAhead]
}

// loose reports whether a change and the next one can be carried out at a time.
func (c *Change) loose(next *Change) bool {
	return c.Op == next.Op && (c.Op == Make || c.Loose && next.Loose)
}

// given reports whether a change is a copy of what a content gives.
func (c *Change) given() bool { return c.Op == Copy && c.From == "" }

// Together returns the end of the changes from the one with number i on that can be
// carried out at a time.
func Together(list []Change, i int) (end int) {
	for end = i + 1; end < len(list) && list[end-1].loose(&list[end]); end++ {
	}
	return end
}

// A Set is a plan of changes to some places, given by their absolute paths.
type Set struct {
	Places  []address.Address
	Changes []Change
}

// Kind returns what a change makes or what it is done to.
func (c *Change) Kind() tree.Kind {
	if c.Op == Make {
		return c.Node.Kind
	}
	return c.Was.Kind
}

// Each calls visit for each single thing that a change makes, with its path, a
// folder before what lies in it; of other changes, once, with no node. It stops
// where visit returns false.
func (c *Change) Each(visit func(path string, n *tree.Node) bool) bool {
	if c.Op != Make {
		return visit(c.Path, nil)
	}
	if !visit(c.Path, c.Node) {
		return false
	}
	for below, n := range c.Node.All() {
		if !visit(c.Path+"/"+below, n) {
			return false
		}
	}
	return true
}

// Counts are how many things changes make, replace, move, copy and remove.
type Counts struct {
	Folders  int `json:"folders,omitempty"` // made
	Files    int `json:"files,omitempty"`   // made
	Replaced int `json:"replaced,omitempty"`
	Moved    int `json:"moved,omitempty"`
	Copied   int `json:"copied,omitempty"`
	Removed  int `json:"removed,omitempty"`
}

// Count counts what changes do. A way by a third name counts once, and what is
// moved to where removed things are kept, work, counts as removed. Files that
// are the program's own, which own names, are left out.
func Count(changes []Change, own func(path string) bool) (n Counts) {
	for i := range changes {
		c := &changes[i]
		switch {
		case c.Op == Make:
			c.Each(func(at string, node *tree.Node) bool {
				switch {
				case node.Kind == tree.Folder:
					n.Folders++
				case !own(at):
					n.Files++
				}
				return true
			})
		case own(c.Path) && c.Op != Move:
		case c.Lift():
		case c.Keeps():
			if !own(c.From) {
				n.Removed++
			}
		case c.GivesBack():
			if !own(c.Path) {
				n.Files++
			}
		case c.Op == Replace:
			n.Replaced++
		case c.Op == Move:
			n.Moved++
		case c.Op == Copy:
			n.Copied++
		default:
			n.Removed++
		}
	}
	return n
}

// Unfinished ends the name that a folder bears until it is whole.
const Unfinished = ".unfinished"

// longest is how long a name may be on most disks, in bytes.
const longest = 255

// Meanwhile is the name that a folder bears until it is whole.
func (c *Change) Meanwhile() string {
	name := path.Base(c.Path)
	for len(name)+len(Unfinished) > longest {
		_, size := utf8.DecodeLastRuneInString(name)
		name = name[:len(name)-size]
	}
	return name + Unfinished
}

// WorkName begins the name of the hidden folder in which a run keeps what is on
// its way, and what it has removed. What follows is random, and in its record.
const WorkName = ".vestibula-"

// inWork reports whether a path lies in such a folder; atWork, whether directly.
func inWork(p string) bool {
	top, _, below := cut(p)
	return below && len(top) > len(WorkName) && top[:len(WorkName)] == WorkName
}

func atWork(p string) bool { return inWork(p) && strings.Count(p, "/") == 1 }

func cut(p string) (top, rest string, below bool) {
	for i := range len(p) {
		if p[i] == '/' {
			return p[:i], p[i+1:], true
		}
	}
	return p, "", false
}

// Lift reports whether a move is the first half of a way by a third name.
func (c *Change) Lift() bool { return c.Op == Move && c.Via != "" && atWork(c.Path) }

// Keeps reports whether a move puts something removed to where it is kept.
func (c *Change) Keeps() bool { return c.Op == Move && c.Via == "" && atWork(c.Path) }

// GivesBack reports whether a move brings something back from there.
func (c *Change) GivesBack() bool { return c.Op == Move && c.Via == "" && atWork(c.From) }

// Ends returns the paths at both ends of a move or a copy, whatever way it takes.
func (c *Change) Ends() (from, to string) {
	from, to = c.From, c.Path
	if c.Via != "" && inWork(from) {
		from = c.Via
	}
	if c.Via != "" && inWork(to) {
		to = c.Via
	}
	return from, to
}

// Summed is a content whose checksum is known.
type Summed interface{ Sum() string }

// Proven is a content that says of what was written whether it can be had back from
// that. Of any other content, what was written is read back and compared.
type Proven interface {
	Prove(written io.ReadSeeker) error
}
