// Package merge plans how one folder is put into another that is there, entry by
// entry: what only one of them has is moved, equal files are there once, and files
// that differ lie side by side under two names. Nothing is replaced. It only plans.
package merge

import (
	"fmt"
	"path"
	"strings"
	"unicode/utf8"

	"vestibula/core/change"
	"vestibula/core/tree"
)

// A Merger plans for one place.
type Merger struct {
	// Sum returns the checksum of a file, or of where a link leads.
	Sum func(path string) (string, error)
	// Own names the program's own files, by which two projects are told apart.
	Own func(path string) bool
	// Goes says that something else of the plan takes an entry away, so that it does
	// not come along; it may be nil.
	Goes func(path string) bool

	old map[*tree.Node]string // where what has been put into a folder lies
}

// A ProjectError says that a folder which is to be put into another one is a project
// of its own.
type ProjectError struct{ Path string }

// Error names it.
func (e *ProjectError) Error() string {
	return fmt.Sprintf("“%s” is a project of its own, and stays one", e.Path)
}

// reasons of the changes.
const (
	whyMoved  = "the two folders become one"
	whyEqual  = "the same is there"
	whyBeside = "another one of that name is there"
	whyEmpty  = "all of it has moved"
)

// Put plans that what lies in a folder comes to lie in another one, which has the path
// into now and will have the path to. Both trees hold all that lies there, and the
// second one learns what comes to lie in it, so that a third folder can be put into it
// as well. Moves and removals are returned with old paths where they are from, and new
// ones where they lead.
func (m *Merger) Put(from *tree.Node, at string, into *tree.Node, there, to string) ([]change.Change, error) {
	if m.old == nil {
		m.old = map[*tree.Node]string{}
	}
	p := &putting{Merger: m, called: shortened(path.Base(at), maxName/3)}
	err := p.put(from, at, into, there, to)
	return p.list, err
}

// A putting is one folder that is put into another one.
type putting struct {
	*Merger
	called string // what is put beside something of its name is called after
	list   []change.Change
}

// equal reports whether two files, or links, hold the same, and its checksum.
func (p *putting) equal(one, other string) (sum string, equal bool, err error) {
	sum, err = p.Sum(one)
	if err != nil {
		return "", false, err
	}
	its, err := p.Sum(other)
	return sum, sum == its, err
}

func (p *putting) put(from *tree.Node, at string, into *tree.Node, there, to string) error {
	names := make(map[string]*tree.Node, len(into.Children))
	for _, c := range into.Children {
		names[tree.Folded(c.Name)] = c
	}
	own := make(map[string]bool, len(from.Children))
	for _, c := range from.Children {
		own[tree.Folded(c.Name)] = true
	}
	stays := false
	for _, c := range from.Children {
		old := path.Join(at, c.Name)
		switch {
		case p.Own(old):
			return &ProjectError{at}
		case strings.HasPrefix(c.Name, change.WorkName):
			stays = true // what is kept there belongs to an earlier change
			continue
		case p.Goes != nil && p.Goes(old):
			continue
		}
		twin := names[tree.Folded(c.Name)]
		if twin == nil {
			p.list = append(p.list, move(c, old, path.Join(to, c.Name), whyMoved))
			p.takeIn(into, c, old)
			names[tree.Folded(c.Name)] = c
			continue
		}
		lies := p.lies(twin, there)
		if c.Kind == tree.Folder && twin.Kind == tree.Folder {
			if err := p.put(c, old, twin, lies, path.Join(to, twin.Name)); err != nil {
				return err
			}
			continue
		}
		if kindOf(c) == kindOf(twin) {
			sum, equal, err := p.equal(old, lies)
			if err != nil {
				return err
			}
			if equal {
				p.list = append(p.list, change.Change{Op: change.Remove, Path: old, Was: change.State{Entry: tree.Entry{Kind: kindOf(c)}, Sum: sum}, Why: whyEqual, Instead: path.Join(to, twin.Name), Equal: true})
				continue
			}
		}
		beside := *c
		beside.Name = BesideName(c, p.called, func(name string) bool {
			name = tree.Folded(name)
			return names[name] != nil || own[name]
		})
		p.list = append(p.list, move(c, old, path.Join(to, beside.Name), whyBeside))
		p.takeIn(into, &beside, old)
		names[tree.Folded(beside.Name)] = &beside
	}
	if !stays {
		p.list = append(p.list, change.Change{Op: change.Remove, Path: at, Was: change.State{Entry: tree.Entry{Kind: tree.Folder}}, Why: whyEmpty, Instead: to})
	}
	return nil
}

// takeIn notes that an entry comes to lie in a folder.
func (m *Merger) takeIn(into, n *tree.Node, old string) {
	into.Children = append(into.Children, n)
	m.old[n] = old
}

// lies returns the old path of an entry, in a folder by its old path.
func (m *Merger) lies(n *tree.Node, in string) string {
	if old, moved := m.old[n]; moved {
		return old
	}
	return path.Join(in, n.Name)
}

func move(n *tree.Node, from, to, why string) change.Change {
	return change.Change{Op: change.Move, From: from, Path: to, Was: change.State{Entry: tree.Entry{Kind: kindOf(n)}}, Why: why}
}

func kindOf(n *tree.Node) tree.Kind {
	if n.Marks&tree.Link != 0 {
		return tree.Symlink
	}
	return n.Kind
}

// maxName is how long a name may be, in bytes: what most file systems take.
const maxName = 255

// BesideName is the name under which something lies beside another of its name: it
// says which folder it is from.
func BesideName(n *tree.Node, called string, taken func(name string) bool) string {
	stem, end := n.Name, ""
	if n.Kind != tree.Folder {
		if e := path.Ext(n.Name); len(e) > 1 && len(e) < len(n.Name) && !strings.Contains(e, " ") {
			stem, end = strings.TrimSuffix(n.Name, e), e
		}
	}
	for i := 1; ; i++ {
		tail := fmt.Sprintf(" (from %s)", called)
		if i > 1 {
			tail = fmt.Sprintf(" (from %s, %d)", called, i)
		}
		if name := shortened(stem, maxName-len(tail)-len(end)) + tail + end; !taken(name) {
			return name
		}
	}
}

// shortened cuts a name to so many bytes.
func shortened(name string, most int) string {
	for len(name) > most {
		_, size := utf8.DecodeLastRuneInString(name)
		name = name[:len(name)-size]
	}
	return name
}
