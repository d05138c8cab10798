// Package reference finds what in folders points at something else: links of the
// system, and relative paths in texts (Markdown, HTML, plain text). Of a plan of moves
// it says which of them would lead nowhere, and how they are to read afterwards.
//
// A path in a text counts only where it leads to something that is there, so that no
// word is taken for one. What leads nowhere already, and whole addresses such as
// https://…, are left alone. The package only looks.
//
// Paths are absolute, with slashes.
package reference

import (
	"path"
	"strings"
	"sync"

	"vestibula/core/tree"
)

// Moves are where things come to lie. Several goroutines may ask.
type Moves struct {
	fill  func(*Moves)
	asked sync.Once
	to    map[string]string
	gone  map[string]bool
}

// NewMoves returns moves that fill adds, when something is asked for the first time: of
// most folders nothing ever is, as they hold no texts and no links.
func NewMoves(fill func(*Moves)) *Moves { return &Moves{fill: fill} }

// Add notes that something comes to lie elsewhere, with all that lies in it.
func (m *Moves) Add(from, to string) {
	if m.to == nil {
		m.to = map[string]string{}
	}
	m.to[from] = to
}

// Remove notes that something goes.
func (m *Moves) Remove(at string) {
	if m.gone == nil {
		m.gone = map[string]bool{}
	}
	m.gone[at] = true
}

// After returns where something comes to lie; stays is false where it goes. The
// innermost folder that moves decides.
func (m *Moves) After(at string) (to string, stays bool) {
	m.asked.Do(func() {
		if m.fill != nil {
			m.fill(m)
		}
	})
	for in := at; ; in = path.Dir(in) {
		if to, moves := m.to[in]; moves {
			return to + at[len(in):], true
		}
		if m.gone[in] {
			return "", false
		}
		if up := path.Dir(in); up == in || up == "." {
			return at, true
		}
	}
}

// A Broken reference is one that would lead nowhere.
type Broken struct {
	File string // the text or the link, where it lies now
	Line int    // in a text, from 1; 0 of a link
	Says string // as it stands there
	// Becomes is what is to stand there afterwards; empty where what it leads to goes.
	Becomes string

	start, end int
}

// Link reports whether it is a link of the system.
func (b *Broken) Link() bool { return b.Line == 0 }

// A Passed text was not looked at.
type Passed struct{ Path, Why string }

// Found is what a search has come to.
type Found struct {
	Broken []Broken // in the order of their files, and in these from the top
	Texts  int      // so many were looked at
	Links  int
	Passed []Passed
	Others map[string]int // what may name paths and was not looked at, by its ending

	texts map[string]string // of files with broken references
}

// Fixed returns a text with its broken references as they are to be, and what it holds
// now. Those that lead to what goes stay as they are. Changed is false where there is
// nothing to fix.
func (f *Found) Fixed(file string) (now, becomes string, changed bool) {
	now = f.texts[file]
	var b strings.Builder
	at := 0
	for _, r := range f.Broken {
		if r.File == file && !r.Link() && r.Becomes != "" {
			b.WriteString(now[at:r.start])
			b.WriteString(r.Becomes)
			at = r.end
		}
	}
	b.WriteString(now[at:])
	return now, b.String(), at > 0
}

// A Search looks through folders.
type Search struct {
	Moves *Moves
	// Roots are the folders that are looked through; a folder of a web site's pages may
	// be one, and paths in pages that begin with a slash begin there.
	Roots []string
	// Trees hold what lies in roots, as far as it has been read already.
	Trees map[string]*tree.Node
	// Tops are folders whose own files are looked at, and not those in their folders.
	Tops []string
	// Skip says which files are left out, as those that the plan writes itself. It may be
	// nil.
	Skip func(file string) bool
	// Texts returns further endings, without dots, that are texts in a folder. It may be nil.
	Texts func(dir string) []string
	// Lost, where it is given, has links be found that lead nowhere already.
	Lost *Lost

	mutex   sync.Mutex
	indexes map[string]*index // by roots
}

// relative is the way from a file's folder to a path.
func relative(dir, to string) string {
	return tree.Relative(strings.TrimPrefix(dir, "/"), strings.TrimPrefix(to, "/"))
}
