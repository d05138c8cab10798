// Package tree holds a tree of named folders and files: what a template makes,
// or what lies on a disk.
package tree

import (
	"bytes"
	"io"
	"iter"
	"slices"
	"strings"
	"unicode/utf8"
)

// A Kind is what a node, or an entry of a folder, is.
type Kind uint8

// The kinds. A node is a folder or a file; what lies on a disk may be a symbolic
// link, or something else such as a device.
const (
	Folder Kind = iota
	File
	Symlink
	Other
)

// String returns the word for the kind.
func (k Kind) String() string { return [...]string{"folder", "file", "link", "special file"}[k] }

// Article returns the word for the kind as it stands in a sentence.
func (k Kind) Article() string {
	return [...]string{"a folder", "a file", "a link to somewhere else", "no ordinary file"}[k]
}

// Marks are what is special about a node.
type Marks uint16

// The marks of nodes.
const (
	Open  Marks = 1 << iota // the name still holds a slot that nothing was given for
	Later                   // allowed, but not built until it is needed
	Due                     // a person has to deliver it; not built
	Keep                    // somebody else named it: naming rules pass it by
	// Either marks what a person has to deliver, as a file of that name with any
	// ending, or as a folder with something in it.
	Either = 1 << 5
	// Own marks the folder that is a project's own: what lies above and beside it is
	// shared with others.
	Own = 1 << 8
	// Apart marks a folder that is a project of its own, in another one.
	Apart = 1 << 10
	// Conforms marks a file whose name reads by a naming convention of its folder.
	Conforms = 1 << 9
)

// A Content is what a new file begins with.
type Content interface {
	// Open returns the bytes from the start. It may be called more than once.
	Open() (io.ReadCloser, error)
	// Source names, for a person, where the bytes come from.
	Source() string
}

// Copy writes a content, which may be nil, to w.
func Copy(w io.Writer, c Content) error {
	if c == nil {
		return nil
	}
	r, err := c.Open()
	if err != nil {
		return err
	}
	defer r.Close()
	_, err = io.Copy(w, r)
	return err
}

// Bytes is a content that is in memory.
type Bytes []byte

// Open returns the bytes.
func (b Bytes) Open() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(b)), nil }

// Source says that they come from memory.
func (Bytes) Source() string { return "memory" }

// A Target is the content of a link: what it leads to.
type Target string

// Open returns the target as bytes.
func (t Target) Open() (io.ReadCloser, error) { return io.NopCloser(strings.NewReader(string(t))), nil }

// Source says where the link leads.
func (t Target) Source() string { return "a link to " + string(t) }

// A Node is a folder or a file, or a link that is to be made. The root of a tree has no name: it stands for
// the place where the tree is built.
type Node struct {
	Name     string
	Children []*Node
	Content  Content // of a file; nil for an empty one
	From     int32   // what who made the tree knows it by, from 1; 0 for nothing
	Nth      uint8   // which of several names that come from there, from 0
	Kind     Kind
	Marks    Marks
}

// Child returns the child with that name, or nil.
func (n *Node) Child(name string) *Node {
	for _, c := range n.Children {
		if c.Name == name {
			return c
		}
	}
	return nil
}

// At returns what lies at a slashed path from n, which is itself for "" and "."; nil where
// nothing does. It may be called on nil.
func (n *Node) At(path string) *Node {
	if path == "" || path == "." {
		return n
	}
	for name := range strings.SplitSeq(path, "/") {
		if n == nil {
			return nil
		}
		n = n.Child(name)
	}
	return n
}

// A Finder looks up what lies in a tree by its path: in as many steps as the path has names,
// however full the folders are. The tree must not change. It is for one goroutine.
type Finder struct {
	root  *Node
	named map[*Node]map[string]*Node // what lies in folders, by its names
}

// NewFinder returns a finder for what lies in a folder, which may be nil.
func NewFinder(root *Node) *Finder {
	return &Finder{root: root, named: map[*Node]map[string]*Node{}}
}

// At is as Node.At of the folder.
func (f *Finder) At(path string) *Node {
	n := f.root
	if path == "" || path == "." {
		return n
	}
	for name := range strings.SplitSeq(path, "/") {
		if n == nil {
			return nil
		}
		named, known := f.named[n]
		if !known {
			named = make(map[string]*Node, len(n.Children))
			for _, c := range slices.Backward(n.Children) {
				named[c.Name] = c
			}
			f.named[n] = named
		}
		n = named[name]
	}
	return n
}

// All returns the nodes below n in the order of the tree, each with its path
// from n, its names joined by slashes. The path is valid until the next step.
func (n *Node) All() iter.Seq2[string, *Node] {
	return func(yield func(string, *Node) bool) {
		var path []byte
		var walk func(n *Node) bool
		walk = func(n *Node) bool {
			for _, c := range n.Children {
				length := len(path)
				if length > 0 {
					path = append(path, '/')
				}
				path = append(path, c.Name...)
				if !yield(string(path), c) || !walk(c) {
					return false
				}
				path = path[:length]
			}
			return true
		}
		walk(n)
	}
}

// Copy returns a tree of nodes of its own, with the same contents.
func (n *Node) Copy() *Node {
	out := *n
	out.Children = make([]*Node, len(n.Children))
	for i, c := range n.Children {
		out.Children[i] = c.Copy()
	}
	return &out
}

// OfProgram reports whether a name is one that only this program gives: to labels, notes and
// folders of a run.
func OfProgram(name string) bool { return strings.HasPrefix(name, ".vestibula") }

// Alike reports whether two nodes come from one line that repeats, and hold the same lines:
// they differ in nothing but names.
func Alike(a, b *Node) bool {
	return a.From > 0 && a.From == b.From && a.Nth == b.Nth && a.Kind == b.Kind && a.Marks == b.Marks && slices.EqualFunc(a.Children, b.Children, Alike)
}

// Built returns the tree without what is marked Later or Due: that which a
// build makes. Nodes are shared with n where nothing is left out below them.
func (n *Node) Built() *Node {
	var kept []*Node
	changed := false
	for _, c := range n.Children {
		if c.Marks&(Later|Due) != 0 {
			changed = true
			continue
		}
		b := c.Built()
		changed = changed || b != c
		kept = append(kept, b)
	}
	if !changed {
		return n
	}
	m := *n
	m.Children = kept
	return &m
}

// Count returns how many nodes lie below n.
func (n *Node) Count() int {
	count := len(n.Children)
	for _, c := range n.Children {
		count += c.Count()
	}
	return count
}

// Facts are the measures of a tree.
type Facts struct {
	Folders int    `json:"folders"`
	Files   int    `json:"files"`
	Levels  int    `json:"levels"`  // how many folders lie inside each other at the most
	Longest string `json:"longest"` // the longest path
	Length  int    `json:"length"`  // its characters
}

// Measure returns the facts of the tree below n.
func Measure(n *Node) Facts {
	var f Facts
	var trail, longest []string
	var walk func(n *Node, length int)
	walk = func(n *Node, length int) {
		for _, c := range n.Children {
			trail = append(trail, c.Name)
			l := length + utf8.RuneCountInString(c.Name)
			if c.Kind != Folder {
				f.Files++
			} else {
				f.Folders++
				f.Levels = max(f.Levels, len(trail))
			}
			if l > f.Length {
				f.Length, longest = l, append(longest[:0], trail...)
			}
			walk(c, l+1)
			trail = trail[:len(trail)-1]
		}
	}
	walk(n, 0)
	f.Longest = strings.Join(longest, "/")
	return f
}

// Relative is the way from one folder to a path, both with slashes from one place.
func Relative(from, to string) string {
	a, b := strings.Split(from, "/"), strings.Split(to, "/")
	if from == "." {
		a = nil
	}
	common := 0
	for common < len(a) && common < len(b)-1 && a[common] == b[common] {
		common++
	}
	return strings.Repeat("../", len(a)-common) + strings.Join(b[common:], "/")
}
