package change

import (
	"crypto/rand"
	"fmt"
	"path"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/digest"
	"vestibula/core/tree"
)

// An At is a path in one of the places of a set.
type At struct {
	In   int
	Path string
}

// Below returns what lies at a path from there.
func (a At) Below(rel string) At { return At{a.In, path.Join(a.Path, rel)} }

// Is is the state of what is only known to be of a kind.
func Is(kind tree.Kind) State { return State{Entry: tree.Entry{Kind: kind}} }

// Holds is the state of a file with some contents, or of a link that leads there.
func Holds(kind tree.Kind, contents []byte) State {
	return State{Entry: tree.Entry{Kind: kind}, Sum: digest.Bytes(contents)}
}

// Place returns the number of a folder among the places of the set, to which it is added
// where it is none of them yet.
func (s *Set) Place(dir address.Address) int {
	if i := slices.Index(s.Places, dir); i >= 0 {
		return i
	}
	s.Places = append(s.Places, dir)
	return len(s.Places) - 1
}

// Find returns where in the set a path of this disk lies: in the longest of its places that
// leads there. The error says that it lies in none.
func (s *Set) Find(full address.Address) (At, error) {
	at, length := At{In: -1}, -1
	for i, p := range s.Places {
		if below, is := full.From(p); is && below != "." && len(p) > length {
			at, length = At{i, below}, len(p)
		}
	}
	if at.In < 0 {
		return At{}, fmt.Errorf("%s lies elsewhere", full)
	}
	return at, nil
}

// Join adds the changes of another set. It returns the numbers that the places of that have
// among those of this one.
func (s *Set) Join(other *Set) (in []int) {
	for _, p := range other.Places {
		in = append(in, s.Place(p))
	}
	for _, c := range other.Changes {
		c.In, c.FromIn = in[c.In], in[c.FromIn]
		s.Changes = append(s.Changes, c)
	}
	return in
}

// add appends a change, and returns it for what else is to be said of it.
func (s *Set) add(c Change) *Change {
	s.Changes = append(s.Changes, c)
	return &s.Changes[len(s.Changes)-1]
}

// Make adds what makes a tree at a path.
func (s *Set) Make(at At, n *tree.Node, why string) *Change {
	return s.add(Change{Op: Make, In: at.In, Path: at.Path, Node: n, Why: why})
}

// MakeFolder adds what makes an empty folder.
func (s *Set) MakeFolder(at At, why string) *Change {
	return s.Make(at, &tree.Node{Name: path.Base(at.Path)}, why)
}

// MakeFile adds what makes a file.
func (s *Set) MakeFile(at At, content tree.Content, why string) *Change {
	return s.Make(at, &tree.Node{Name: path.Base(at.Path), Kind: tree.File, Content: content}, why)
}

// MakeLink adds what makes a link that leads to a path.
func (s *Set) MakeLink(at At, to, why string) *Change {
	return s.Make(at, &tree.Node{Name: path.Base(at.Path), Kind: tree.Symlink, Content: tree.Target(to)}, why)
}

// Move adds what moves something that is as it was.
func (s *Set) Move(from, to At, was State, why string) *Change {
	return s.add(Change{Op: Move, FromIn: from.In, From: from.Path, In: to.In, Path: to.Path, Was: was, Why: why})
}

// Copy adds what copies a file that is as it was.
func (s *Set) Copy(from, to At, was State, why string) *Change {
	return s.add(Change{Op: Copy, FromIn: from.In, From: from.Path, In: to.In, Path: to.Path, Was: was, Why: why})
}

// Remove adds what takes something away that is as it was.
func (s *Set) Remove(at At, was State, why string) *Change {
	return s.add(Change{Op: Remove, In: at.In, Path: at.Path, Was: was, Why: why})
}

// Rewriting returns what gives a file, by its absolute path, other contents, if it still holds
// the old ones.
func Rewriting(file address.Address, was, is []byte) *Set {
	set := &Set{Places: []address.Address{file.Parent()}}
	set.Write(At{Path: file.Name()}, was, is, "")
	return set
}

// Write adds what brings a file from what it holds to something else: nil where it is not
// there, and where it is not to be. Where both are the same, nothing is added.
func (s *Set) Write(at At, was, is []byte, why string) {
	switch {
	case was == nil && is == nil:
	case was == nil:
		s.MakeFile(at, tree.Bytes(is), why)
	case is == nil:
		s.Remove(at, Holds(tree.File, was), why)
	case string(was) != string(is):
		s.add(Change{Op: Replace, In: at.In, Path: at.Path, Content: tree.Bytes(is), Sum: digest.Bytes(is), Was: Holds(tree.File, was), Why: why})
	}
}

// Relink adds what has a link lead elsewhere, if it still says what it said.
func (s *Set) Relink(at At, says, becomes, why string) {
	s.add(Change{Op: Replace, In: at.In, Path: at.Path, Content: tree.Target(becomes), Sum: digest.Bytes([]byte(becomes)), Was: Holds(tree.Symlink, []byte(says)), Why: why})
}

// A Way makes the folders that lead to what a set brings about, each once.
type Way struct {
	set   *Set
	there func(At) bool
	known map[At]bool
}

// Way begins with the folders that are there already.
func (s *Set) Way(there func(At) bool) *Way { return &Way{s, there, map[At]bool{}} }

// Knows notes that a folder is there, or comes about otherwise.
func (w *Way) Knows(at At) { w.known[at] = true }

// To adds what makes a folder, and those above it, as far as they are not there. It returns
// how many.
func (w *Way) To(at At, why string) (count int) {
	if at.Path == "." || at.Path == "" || w.known[at] {
		return 0
	}
	w.known[at] = true
	if w.there(at) {
		return 0
	}
	count = w.To(At{at.In, path.Dir(at.Path)}, why)
	w.set.MakeFolder(at, why)
	return count + 1
}

// NewWork is the name of a new hidden folder of a run, which nobody else thinks of.
func NewWork() string { return WorkName + strings.ToLower(rand.Text()[:12]) }
