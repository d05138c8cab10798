package read

import (
	"bytes"
	"maps"
	"path"
	"slices"
	"strings"

	"vestibula/core/alphabet"
	"vestibula/core/bundle"
	"vestibula/core/project"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A HitKind is what words were found in.
type HitKind uint8

// The kinds, in the order in which they are shown.
const (
	ProjectHit HitKind = iota // a project: its values, or its name
	FolderHit
	FileHit
	ArchivedHit // a project that was archived
)

// String returns the word for a kind.
func (k HitKind) String() string { return [...]string{"project", "folder", "file", "archived"}[k] }

// A Hit is something that words were found in: each of them in its name, in the names of the folders
// on the way or in the values of its project, and one at least in itself.
type Hit struct {
	Kind     HitKind
	Path     string   // from the place; of what is archived, its name
	Says     []string // the values that words were found in, as field=value
	Archived *bundle.Away
}

// Words are what is looked for: whatever the accents, the capitals and the signs between. There may be
// up to 64 of them. They must not be shared between goroutines.
type Words struct {
	plain  [][]byte
	buffer []byte
}

// NewWords takes words as they were typed.
func NewWords(typed []string) *Words {
	w := &Words{}
	for _, t := range typed {
		if plain := alphabet.Plainly(nil, t); len(plain) > 0 {
			w.plain = append(w.plain, plain)
		}
	}
	return w
}

// In says which of the words are in a text, as bits.
func (w *Words) In(text string) (found uint64) {
	w.buffer = alphabet.Plainly(w.buffer[:0], text)
	for i, word := range w.plain {
		if bytes.Contains(w.buffer, word) {
			found |= 1 << i
		}
	}
	return found
}

// all are the bits of all words.
func (w *Words) all() uint64 { return 1<<len(w.plain) - 1 }

// Find finds what has all words, in a tree of a place; open returns the project that a folder is, by its
// path, or nil. Name is what the place is called.
func (w *Words) Find(root *tree.Node, name string, open func(at string) *project.Project) (hits []Hit) {
	var walk func(n *tree.Node, at string, known uint64)
	walk = func(n *tree.Node, at string, known uint64) {
		if p := open(at); p != nil {
			own := w.In(path.Base(path.Join(name, at)))
			says, in := w.values(p)
			if own|in != 0 && known|own|in == w.all() {
				hits = append(hits, Hit{Kind: ProjectHit, Path: at, Says: says})
			}
			known |= own | in
		}
		for _, c := range n.Children {
			if c.Marks&tree.Link != 0 {
				continue // what it leads to is found where it lies
			}
			own, below := w.In(c.Name), path.Join(at, c.Name)
			if own != 0 && known|own == w.all() && (c.Kind != tree.Folder || open(below) == nil) {
				kind := FileHit
				if c.Kind == tree.Folder {
					kind = FolderHit
				}
				hits = append(hits, Hit{Kind: kind, Path: below})
			}
			if c.Kind == tree.Folder {
				walk(c, below, known|own)
			}
		}
	}
	walk(root, "", w.In(name))
	return hits
}

// values are those of a project that words are in.
func (w *Words) values(p *project.Project) (says []string, found uint64) {
	for _, f := range p.Template.Fields {
		v := p.Values[f.Name]
		items := v.Items
		if v.Kind != value.List {
			items = []value.Value{v}
		}
		for _, item := range items {
			text := item.String()
			if f.Type.Kind == value.Choice {
				for _, o := range f.Type.Of {
					if o.Code == text {
						text += " " + o.Meaning
					}
				}
			}
			if in := w.In(text); in != 0 && item.Given() {
				says, found = append(says, f.Name+"="+item.String()), found|in
			}
		}
	}
	return says, found
}

// Away finds the archived projects that have all words, in their names, values or what lies in them.
func (w *Words) Away(list []*bundle.Away) (hits []Hit) {
	for _, a := range list {
		known := w.In(a.Called())
		var says []string
		if a.Label != nil {
			raw := a.Label.Raw()
			for _, name := range slices.Sorted(maps.Keys(raw)) {
				text := strings.Join(append(slices.Clip(raw[name].Items), raw[name].Text), " ")
				if in := w.In(text); in != 0 {
					says, known = append(says, name+"="+text), known|in
				}
			}
		}
		if known == w.all() {
			hits = append(hits, Hit{ArchivedHit, a.Called(), says, a})
			continue
		}
		for _, f := range a.Files {
			if own := w.In(path.Base(f)); own != 0 && known|w.In(path.Dir(f))|own == w.all() {
				hits = append(hits, Hit{ArchivedHit, path.Join(a.Called(), f), says, a})
			}
		}
	}
	return hits
}
