package bundle

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// AwayName is the name of the small hidden file that says which projects of a folder were
// archived: where they went and since when, with their labels and the names of what lies in them,
// so that they are known there although the disk that they went to is not connected.
const AwayName = ".vestibula-away.json"

// MaxAway is the most that such a file may hold.
const MaxAway = 256 << 20

// awayFormat is the number of the form, in case it has to change.
const awayFormat = 1

// A AwayList is what the file holds.
type AwayList struct {
	Format   int     `json:"vestibula-away"`
	Projects []*Away `json:"projects"`

	// keys are those of so many of the projects; there may be a great many.
	keys    map[string]bool
	counted int
}

// keysOf are those by which a project is told from others: its identity, and its name.
func keysOf(p *Away) []string {
	part := "\x00" + tree.Folded(p.Part)
	keys := []string{"name\x00" + tree.Folded(p.Name) + part}
	if p.Label.ID != "" {
		keys = append(keys, "id\x00"+p.Label.ID+part)
	}
	return keys
}

// has reports whether a project of that identity or name is in the list.
func (l *AwayList) has(p *Away) bool {
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

// A Away is one that was archived.
type Away struct {
	Name string `json:"name"`           // of its own folder, where it lay
	Part string `json:"part,omitempty"` // of a part of it alone: its path from there
	To   string `json:"to"`             // where it went, absolute
	File string `json:"file,omitempty"` // the archive file that it lies in; To goes on from its path
	// Way is the way from the folder of the list to it or its archive file, with slashes: where all of it
	// is moved together, that is still true. Empty on another disk.
	Way   string       `json:"way,omitempty"`
	Disk  string       `json:"disk,omitempty"` // the name of the disk, if that is another one
	Since time.Time    `json:"since"`
	Size  int64        `json:"size"` // of all its files, in bytes
	Label *label.Label `json:"label"`
	Files []string     `json:"files"` // paths of all that lies in it; folders end in a slash
}

type plainAway Away

// awayJSON is a project in the file: paths, which need not be text, stand in the place
// of those of the project.
type awayJSON struct {
	*plainAway
	Name  address.Text   `json:"name"`
	Part  address.Text   `json:"part,omitempty"`
	To    address.Text   `json:"to"`
	File  address.Text   `json:"file,omitempty"`
	Way   address.Text   `json:"way,omitempty"`
	Files []address.Text `json:"files"`
}

// MarshalJSON writes a project.
func (p *Away) MarshalJSON() ([]byte, error) {
	return json.Marshal(awayJSON{(*plainAway)(p), address.Text(p.Name), address.Text(p.Part), address.Text(p.To), address.Text(p.File), address.Text(p.Way), address.Texts(p.Files)})
}

// UnmarshalJSON reads a project.
func (p *Away) UnmarshalJSON(data []byte) error {
	in := awayJSON{plainAway: (*plainAway)(p)}
	if err := json.Unmarshal(data, &in); err != nil {
		return err
	}
	p.Name, p.Part, p.To, p.File, p.Way, p.Files = string(in.Name), string(in.Part), string(in.To), string(in.File), string(in.Way), address.Strings(in.Files)
	return nil
}

// ParseAway reads the file. The error says, for a person, what is wrong with it.
func ParseAway(data []byte) (*AwayList, error) {
	var l AwayList
	if err := json.Unmarshal(data, &l); err != nil || l.Format < 1 {
		return nil, errors.New(AwayName + " is damaged: it was changed or cut off")
	}
	if l.Format > awayFormat {
		return nil, fmt.Errorf("%s was written by a newer version of this program", AwayName)
	}
	for _, p := range l.Projects {
		if p == nil || p.Name == "" || p.Name != path.Base(p.Name) || p.Name == "." || p.Name == ".." || p.Part != "" && path.Clean("/"+p.Part) != "/"+p.Part || p.To == "" || !strings.HasPrefix(p.To, p.File) || p.Label == nil || p.Label.Text == "" {
			return nil, errors.New(AwayName + " is damaged: a project in it says too little")
		}
	}
	return &l, nil
}

// AwayIn returns what was archived from a folder, without what a run that was cut short was about
// to archive; nil where nothing is known.
func AwayIn[P ~string](dir P) *AwayList {
	l, data, err := ReadAway(dir)
	if err != nil || data == nil {
		return nil
	}
	l.Projects = slices.DeleteFunc(l.Projects, func(p *Away) bool {
		unfinished := (&change.Change{Path: filepath.ToSlash(p.To)}).Meanwhile()
		return p.File == "" && place.Exists(filepath.Join(filepath.Dir(p.To), unfinished))
	})
	return l
}

// Encode returns the list as it stands in its file.
func (l *AwayList) Encode() ([]byte, error) {
	l.Format = awayFormat
	if l.Projects == nil {
		l.Projects = []*Away{}
	}
	slices.SortStableFunc(l.Projects, func(a, b *Away) int { return strings.Compare(a.Name, b.Name) })
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	err := enc.Encode(l)
	return out.Bytes(), err
}

// Find returns the project of a name, however systems see it, or nil.
func (l *AwayList) Find(name string) *Away { return l.FindPart(name, "") }

// FindPart returns a part of a project, by its path there, or nil.
func (l *AwayList) FindPart(name, part string) *Away {
	for _, p := range l.Projects {
		if tree.Folded(p.Name) == tree.Folded(name) && tree.Folded(p.Part) == tree.Folded(part) {
			return p
		}
	}
	return nil
}

// Add adds a project, in the place of one with the same identity or name.
func (l *AwayList) Add(p *Away) {
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
func (l *AwayList) Remove(p *Away) {
	l.keys = nil
	l.Projects = slices.DeleteFunc(l.Projects, func(o *Away) bool {
		return tree.Folded(o.Part) == tree.Folded(p.Part) && (o.Label.ID != "" && o.Label.ID == p.Label.ID || tree.Folded(o.Name) == tree.Folded(p.Name))
	})
}

// Lies is the file or folder that has to be there for the project to be at hand.
func (p *Away) Lies() string {
	if p.File != "" {
		return p.File
	}
	return p.To
}

// Called is what it is called where it lay.
func (p *Away) Called() string { return path.Join(p.Name, p.Part) }

// Where says, for a person, where the project is.
func (p *Away) Where() string {
	if p.Disk != "" {
		return fmt.Sprintf("on the disk %s, since %s, as %s", p.Disk, p.Since.Local().Format(time.DateOnly), p.To)
	}
	return fmt.Sprintf("in %s, since %s", p.To, p.Since.Local().Format(time.DateOnly))
}

// Tree is what lies in the project, by the names that are known. Its children are sorted.
func (p *Away) Tree() *tree.Node {
	grown := tree.NewGrower()
	for _, f := range p.Files {
		at := path.Clean("/" + f)[1:]
		switch {
		case at == "":
		case strings.HasSuffix(f, "/"):
			grown.Folder(at)
		default:
			grown.Put(at, &tree.Node{Name: path.Base(at), Kind: tree.File})
		}
	}
	return grown.Root.Sort()
}

// ReadAway reads the list in a folder, and what it holds; an empty one where there is none.
func ReadAway[P ~string](dir P) (*AwayList, []byte, error) {
	at, err := place.Open(dir)
	if err != nil {
		return nil, nil, err
	}
	defer at.Close()
	data, err := at.ReadFile(AwayName, MaxAway)
	if err != nil || data == nil {
		return &AwayList{}, nil, err
	}
	l, err := ParseAway(data)
	if err == nil {
		for _, p := range l.Projects {
			p.follow(address.Address(dir))
		}
	}
	return l, data, err
}

// Lay notes the way to it from the folder of a list.
func (p *Away) Lay(dir address.Address) {
	if p.Disk != "" {
		return
	}
	if rel, err := filepath.Rel(string(dir), p.Lies()); err == nil {
		p.Way = filepath.ToSlash(rel)
	}
}

// follow finds it by the way from the folder of its list, where it is not where it was: all of it may
// have been moved together. What is there has to be that project.
func (p *Away) follow(dir address.Address) {
	if p.Way == "" || place.Exists(p.Lies()) {
		return
	}
	real, err := place.Real(dir)
	if err != nil {
		return
	}
	at := filepath.Join(string(real), filepath.FromSlash(p.Way))
	if p.File != "" {
		if IsFile(at) {
			p.To, p.File = at+strings.TrimPrefix(p.To, p.File), at
		}
		return
	}
	data, err := place.ReadFile(filepath.Join(at, label.FileName), label.MaxBytes)
	if err != nil {
		return
	}
	if l, err := label.Parse(data); err == nil && l.ID == p.Label.ID || p.Part != "" && place.Exists(at) {
		p.To = at
	}
}
