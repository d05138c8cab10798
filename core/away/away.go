// Package away holds the small hidden file that says which projects of a folder were
// archived: where they went and since when, with their labels and the names of what lies
// in them, so that they are known here although the disk that they went to is not
// connected. It reads that file, and says what it is to hold.
package away

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/label"
	"vestibula/core/tree"
)

// FileName is the name of the file, in the folder in which the projects lay.
const FileName = ".vestibula-away.json"

// MaxBytes is the most that such a file may hold.
const MaxBytes = 256 << 20

// format is the number of the form, in case it has to change.
const format = 1

// A List is what the file holds.
type List struct {
	Format   int        `json:"vestibula-away"`
	Projects []*Project `json:"projects"`

	// keys are those of so many of the projects; there may be a great many.
	keys    map[string]bool
	counted int
}

// keysOf are those by which a project is told from others: its identity, and its name.
func keysOf(p *Project) []string {
	part := "\x00" + tree.Folded(p.Part)
	keys := []string{"name\x00" + tree.Folded(p.Name) + part}
	if p.Label.ID != "" {
		keys = append(keys, "id\x00"+p.Label.ID+part)
	}
	return keys
}

// has reports whether a project of that identity or name is in the list.
func (l *List) has(p *Project) bool {
	if l.keys == nil || l.counted != len(l.Projects) {
		l.keys, l.counted = make(map[string]bool, 2*len(l.Projects)), len(l.Projects)
		for _, o := range l.Projects {
			for _, k := range keysOf(o) {
				l.keys[k] = true
			}
		}
	}
	return slices.ContainsFunc(keysOf(p), func(k string) bool { return l.keys[k] })
}

// A Project is one that was archived.
type Project struct {
	Name  string       `json:"name"`           // of its own folder, where it lay
	Part  string       `json:"part,omitempty"` // of a part of it alone: its path from there
	To    string       `json:"to"`             // where it went, absolute
	File  string       `json:"file,omitempty"` // the archive file that it lies in; To goes on from its path
	Disk  string       `json:"disk,omitempty"` // the name of the disk, if that is another one
	Since time.Time    `json:"since"`
	Size  int64        `json:"size"` // of all its files, in bytes
	Label *label.Label `json:"label"`
	Files []string     `json:"files"` // paths of all that lies in it; folders end in a slash
}

type plainProject Project

// projectJSON is a project in the file: paths, which need not be text, stand in the place
// of those of the project.
type projectJSON struct {
	*plainProject
	Name  address.Text   `json:"name"`
	Part  address.Text   `json:"part,omitempty"`
	To    address.Text   `json:"to"`
	File  address.Text   `json:"file,omitempty"`
	Files []address.Text `json:"files"`
}

// MarshalJSON writes a project.
func (p *Project) MarshalJSON() ([]byte, error) {
	return json.Marshal(projectJSON{(*plainProject)(p), address.Text(p.Name), address.Text(p.Part), address.Text(p.To), address.Text(p.File), address.Texts(p.Files)})
}

// UnmarshalJSON reads a project.
func (p *Project) UnmarshalJSON(data []byte) error {
	in := projectJSON{plainProject: (*plainProject)(p)}
	if err := json.Unmarshal(data, &in); err != nil {
		return err
	}
	p.Name, p.Part, p.To, p.File, p.Files = string(in.Name), string(in.Part), string(in.To), string(in.File), address.Strings(in.Files)
	return nil
}

// Parse reads the file. The error says, for a person, what is wrong with it.
func Parse(data []byte) (*List, error) {
	var l List
	if err := json.Unmarshal(data, &l); err != nil || l.Format < 1 {
		return nil, errors.New(FileName + " is damaged: it was changed or cut off")
	}
	if l.Format > format {
		return nil, fmt.Errorf("%s was written by a newer version of this program", FileName)
	}
	for _, p := range l.Projects {
		if p == nil || p.Name == "" || p.Name != path.Base(p.Name) || p.Name == "." || p.Name == ".." || p.Part != "" && path.Clean("/"+p.Part) != "/"+p.Part || p.To == "" || !strings.HasPrefix(p.To, p.File) || p.Label == nil || p.Label.Text == "" {
			return nil, errors.New(FileName + " is damaged: a project in it says too little")
		}
	}
	return &l, nil
}

// In returns what was archived from a folder; nil where nothing is known.
func In(dir string) *List {
	l, data, err := Read(dir)
	if err != nil || data == nil {
		return nil
	}
	return l
}

// Encode returns the list as it stands in its file.
func (l *List) Encode() ([]byte, error) {
	l.Format = format
	if l.Projects == nil {
		l.Projects = []*Project{}
	}
	slices.SortStableFunc(l.Projects, func(a, b *Project) int { return strings.Compare(a.Name, b.Name) })
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	err := enc.Encode(l)
	return out.Bytes(), err
}

// Find returns the project of a name, however systems see it, or nil.
func (l *List) Find(name string) *Project { return l.FindPart(name, "") }

// FindPart returns a part of a project, by its path there, or nil.
func (l *List) FindPart(name, part string) *Project {
	for _, p := range l.Projects {
		if tree.Folded(p.Name) == tree.Folded(name) && tree.Folded(p.Part) == tree.Folded(part) {
			return p
		}
	}
	return nil
}

// Add adds a project, in the place of one with the same identity or name.
func (l *List) Add(p *Project) {
	if l.has(p) {
		l.Remove(p)
	}
	l.Projects = append(l.Projects, p)
	if l.keys != nil {
		l.counted++
		for _, k := range keysOf(p) {
			l.keys[k] = true
		}
	}
}

// Remove takes a project out.
func (l *List) Remove(p *Project) {
	l.keys = nil
	l.Projects = slices.DeleteFunc(l.Projects, func(o *Project) bool {
		return tree.Folded(o.Part) == tree.Folded(p.Part) && (o.Label.ID != "" && o.Label.ID == p.Label.ID || tree.Folded(o.Name) == tree.Folded(p.Name))
	})
}

// Lies is the file or folder that has to be there for the project to be at hand.
func (p *Project) Lies() string {
	if p.File != "" {
		return p.File
	}
	return p.To
}

// Called is what it is called where it lay.
func (p *Project) Called() string { return path.Join(p.Name, p.Part) }

// Where says, for a person, where the project is.
func (p *Project) Where() string {
	if p.Disk != "" {
		return fmt.Sprintf("on the disk %s, since %s, as %s", p.Disk, p.Since.Local().Format(time.DateOnly), p.To)
	}
	return fmt.Sprintf("in %s, since %s", p.To, p.Since.Local().Format(time.DateOnly))
}

// Tree is what lies in the project, by the names that are known. Its children are sorted.
func (p *Project) Tree() *tree.Node {
	root := &tree.Node{}
	folders := map[string]*tree.Node{"": root, ".": root}
	var folder func(at string) *tree.Node
	folder = func(at string) *tree.Node {
		if n := folders[at]; n != nil {
			return n
		}
		up := folder(path.Dir(at))
		n := &tree.Node{Name: path.Base(at)}
		up.Children = append(up.Children, n)
		folders[at] = n
		return n
	}
	for _, f := range p.Files {
		at, isFolder := strings.CutSuffix(path.Clean("/" + f)[1:], "/")
		if isFolder = isFolder || strings.HasSuffix(f, "/"); at == "" || at == "." {
			continue
		}
		if isFolder {
			folder(at)
			continue
		}
		up := folder(path.Dir(at))
		up.Children = append(up.Children, &tree.Node{Name: path.Base(at), Kind: tree.File})
	}
	var sort func(n *tree.Node)
	sort = func(n *tree.Node) {
		slices.SortFunc(n.Children, func(a, b *tree.Node) int { return strings.Compare(a.Name, b.Name) })
		for _, c := range n.Children {
			sort(c)
		}
	}
	sort(root)
	return root
}
