// Package archive plans how projects, or parts of them, go to another folder, to another disk
// or into one file, how they come back from there, and how a copy is handed over. What went is
// noted in the list of the folder that it went from.
package archive

import (
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// A Job is what goes to its archive, or comes back.
type Job struct {
	File address.Address // the archive file that projects go into; "" for a folder
	Back bool            // they come back
	Copy bool            // copies are handed over, without the label
	For  string          // who gets them
	Now  time.Time
	Goes []*Going

	Packed func(n int) // is told of what goes into the file; may be nil

	files []*bundle.File           // what is read while they come back
	moved map[address.Address]bool // files that something else takes away, by their absolute paths
}

// A Going is a project, or a part of one, that goes or comes back.
type Going struct {
	Name     string // as it is shown
	From, To address.Address
	Size     int64 // of all its files, in bytes
	Note     *bundle.Away
	Project  address.Address // its own folder
	Wanted   bool            // the template asks for it there

	whole   *tree.Node
	entries []bundle.Entry // of what goes into a file, from its own folder
	packed  *bundle.File   // that it comes back from
}

// A Source is a project that goes.
type Source struct {
	Name  string          // as it is shown
	Dir   address.Address // its own folder
	Label *label.Label
	Size  int64  // of its files
	Disk  string // the name of the disk that it goes to, where that is another one
}

// Add adds a project, or the part of one at a path of it, that goes to a folder or a file.
// What it holds is read for it.
func (j *Job) Add(s Source, to address.Address, part string) (*Going, error) {
	g := &Going{Name: path.Join(filepath.ToSlash(s.Name), part), Project: s.Dir, From: s.Dir.Join(part), To: to.Join(part), Size: s.Size}
	g.Note = &bundle.Away{Name: s.Dir.Name(), Part: part, To: string(g.To), File: string(j.File), Disk: s.Disk, Since: j.Now, Label: s.Label}
	if err := g.take(); err != nil {
		return nil, err
	}
	if j.File != "" {
		if err := g.sumUp(); err != nil {
			return nil, err
		}
	}
	j.Goes = append(j.Goes, g)
	return g, nil
}

// take notes what lies in a project or a part of it, hidden things among it.
func (g *Going) take() error {
	info, err := place.Lstat(string(g.From))
	if err != nil {
		return proposal.Refused("", "%s cannot be read: %s", g.Name, place.Reason(err))
	}
	if !info.IsDir() {
		g.Size, g.Note.Size = info.Size(), info.Size()
		return nil
	}
	root, unread, err := place.Read(g.From, nil, nil)
	if err != nil {
		return proposal.Refused("", "%s cannot be read: %s", g.Name, place.Reason(err))
	}
	if len(unread) > 0 {
		return proposal.Refused("", "%s in %s cannot be read: %s", unread[0].Path, g.Name, place.Reason(unread[0].Err))
	}
	g.whole = root
	size := int64(0)
	for at, n := range root.All() {
		shown := strings.ToValidUTF8(at, "\uFFFD")
		if n.Kind == tree.Folder {
			shown += "/"
		} else if g.Note.Part != "" {
			if info, err := place.Lstat(string(g.From.Join(at))); err == nil {
				size += info.Size()
			}
		}
		g.Note.Files = append(g.Note.Files, shown)
	}
	if g.Note.Part != "" {
		g.Size = size
	}
	g.Note.Size = g.Size
	return nil
}

// sumUp notes what lies in what goes into a file, with checksums.
func (g *Going) sumUp() (err error) {
	if g.whole != nil {
		g.entries, err = bundle.List(g.From, g.whole, nil, "", nil)
		return err
	}
	e := bundle.Entry{Path: g.From.Name()}
	in, err := place.Open(g.From.Parent())
	if err == nil {
		defer in.Close()
		err = bundle.Look(in, &e, nil)
	}
	if err != nil {
		return proposal.Refused("", "%s cannot be read: %s", g.Name, place.Reason(err))
	}
	g.entries = []bundle.Entry{e}
	return nil
}

// Return adds a project, or a part of one, that comes back to a folder, from where a list says
// that it is. Own is the folder of the project, where it is only a part that was archived.
func (j *Job) Return(p *bundle.Away, dir, own address.Address) error {
	if !place.Exists(p.Lies()) {
		return proposal.Refused("connect it, and try again", "%s is %s, and that is not there now", p.Name, p.Where())
	}
	g := &Going{Name: p.Called(), From: address.Address(p.To), To: dir.Join(p.Name, p.Part), Size: p.Size, Note: p, Project: own}
	if p.File != "" {
		f, err := bundle.OpenFile(p.File)
		if err != nil {
			return proposal.Refused("", "%s cannot be read: %s", p.File, place.Reason(err))
		}
		j.files = append(j.files, f)
		note, _, err := f.Note(top(p))
		switch {
		case err != nil:
			return proposal.Refused("", "%s: %s", p.File, place.Reason(err))
		case note == nil || note.ID != p.Label.ID:
			return proposal.Refused("unpack it by hand", "what is at %s is not that project any more", p.To)
		}
		g.packed = f
	} else if p.Part == "" {
		l, _, err := project.ReadLabel(p.To)
		if err != nil || l.ID != p.Label.ID {
			return proposal.Refused("put that project back there, and try again", "what is at %s is not that project any more", p.To)
		}
	}
	j.Goes = append(j.Goes, g)
	return nil
}

// Standing is what a list would say of a project that stands somewhere, and that no list knows.
func Standing(own address.Address, l *label.Label, now time.Time) *bundle.Away {
	size := int64(0)
	if root, _, err := place.Read(own, nil, nil); err == nil {
		size, _ = place.Weigh(own, root)
	}
	return &bundle.Away{Name: own.Name(), To: string(own), Since: now, Label: l, Size: size}
}

// ListedNear finds the project of an identity in the lists of the folders on the way up, and of those
// beside them, and the folder that it was archived from; nil where none knows it, or several do.
func ListedNear(own address.Address, id string) (found *bundle.Away, from address.Address) {
	look := func(dir address.Address) {
		if l := bundle.AwayIn(dir); l != nil {
			for _, p := range l.Projects {
				if p.Part == "" && id != "" && p.Label.ID == id && (found == nil || from != dir) {
					if found != nil {
						id = "" // several: nobody can know which is meant
					}
					found, from = p, dir
				}
			}
		}
	}
	for up := own.Parent(); up != up.Parent() && place.Owned(string(up)); up = up.Parent() {
		look(up)
		entries, _ := place.ReadDir(up)
		for _, e := range entries {
			if e.IsDir() {
				look(up.Join(e.Name()))
			}
		}
	}
	if id == "" {
		return nil, ""
	}
	return found, from
}

// Close closes the files that projects come back from.
func (j *Job) Close() {
	for _, f := range j.files {
		f.Close()
	}
}

// Things is how many things are written and read back, where they go into a file; 0 elsewhere.
func (j *Job) Things() (n int) {
	for _, g := range j.Goes {
		n += 2 * len(g.entries)
	}
	return n
}

// CameFrom is where a project was, by its name in an archive file: whether it was archived from
// there is told by the list that lies there. It is empty where no such project lies in it.
func CameFrom(file address.Address, name string) (address.Address, error) {
	f, err := bundle.OpenFile(file)
	if err != nil {
		return "", proposal.Refused("", "%s cannot be read: %s", file, place.Reason(err))
	}
	defer f.Close()
	note, _, err := f.Note(name)
	switch {
	case err != nil:
		return "", proposal.Refused("", "%s: %s", file, place.Reason(err))
	case note == nil:
		return "", nil
	}
	return address.Address(note.From), nil
}

// top is the folder of an archive file that a project lies in.
func top(p *bundle.Away) string {
	inside := strings.TrimPrefix(filepath.ToSlash(strings.TrimPrefix(p.To, p.File)), "/")
	return strings.TrimSuffix(strings.TrimSuffix(inside, p.Part), "/")
}

// Without leaves out of projects what leaves them for another place in the same run: slashed
// paths from their own folders, by these.
func (j *Job) Without(leaves map[address.Address][]string) {
	j.moved = map[address.Address]bool{}
	for _, g := range j.Goes {
		gone := map[string]bool{}
		for _, at := range leaves[g.From] {
			gone[at] = true
			j.moved[g.From.Join(at)] = true
		}
		g.Note.Files = slices.DeleteFunc(g.Note.Files, func(f string) bool { return gone[f] })
	}
}
