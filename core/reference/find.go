package reference

import (
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/place"
	"vestibula/core/tree"
)

// Limits on what is looked at.
const (
	maxText = 8 << 20   // bytes of a text
	maxRead = 256 << 20 // bytes of all of them
)

// A mention is a path that stands in a text.
type mention struct {
	start, end int
	target     string                   // where it leads
	root       string                   // the folder that it begins in where it begins with a slash
	says       string                   // the path, without what its text has of codes
	write      func(path string) string // how a path is written there
}

type finder struct {
	*Search
	found   Found
	folders map[string]*folder
	read    int
}

// Find looks for all that points at what comes to lie elsewhere, or lies elsewhere
// itself. The error is that of a folder which cannot be read at all.
func (s *Search) Find() (*Found, error) {
	f := &finder{Search: s, folders: map[string]*folder{}}
	f.found.texts = map[string]string{}
	seen := map[string]bool{}
	for _, top := range s.Tops {
		for _, n := range f.names(top).nodes {
			if n.Kind != tree.Folder {
				f.entry(path.Join(top, n.Name), n, seen)
			}
		}
	}
	for _, root := range s.Roots {
		n, unread, err := tree.Read(filepath.FromSlash(root), func(at string, folder bool) bool {
			return folder && strings.HasPrefix(path.Base(at), ".")
		}, nil)
		if err != nil {
			return nil, err
		}
		for _, u := range unread {
			f.pass(path.Join(root, u.Path), place.Reason(u.Err))
		}
		for at, n := range n.All() {
			if n.Kind != tree.Folder {
				f.entry(root+"/"+at, n, seen)
			}
		}
	}
	slices.SortStableFunc(f.found.Broken, func(a, b Broken) int { return strings.Compare(a.File, b.File) })
	return &f.found, nil
}

func (f *finder) pass(at, why string) { f.found.Passed = append(f.found.Passed, Passed{at, why}) }

// entry looks at a file or a link.
func (f *finder) entry(at string, n *tree.Node, seen map[string]bool) {
	if seen[at] || f.Skip != nil && f.Skip(at) {
		return
	}
	seen[at] = true
	if n.Marks&tree.Link != 0 {
		f.link(at)
		return
	}
	reader := readerOf(n.Name)
	if reader == nil {
		return
	}
	if f.read > maxRead {
		f.pass(at, "there are too many texts")
		return
	}
	data, err := place.ReadFile(filepath.FromSlash(at), maxText)
	if err != nil {
		f.pass(at, place.Reason(err))
		return
	}
	f.read += len(data)
	text := string(data)
	if !utf8.ValidString(text) {
		f.pass(at, "it is written in another encoding than UTF-8")
		return
	}
	f.found.Texts++
	f.text(at, text, reader)
}

// link looks at a link of the system.
func (f *finder) link(at string) {
	to, err := os.Readlink(filepath.FromSlash(at))
	if err != nil {
		return
	}
	f.found.Links++
	to = filepath.ToSlash(to)
	whole := path.IsAbs(to) || filepath.IsAbs(to)
	target := path.Clean(to)
	if !whole {
		target = path.Join(path.Dir(at), to)
	}
	if _, err := os.Lstat(filepath.FromSlash(target)); err != nil {
		return // it leads nowhere already
	}
	after, stays := f.Moves.After(target)
	self, here := f.Moves.After(at)
	if !here {
		return
	}
	b := Broken{File: at, Says: to}
	switch {
	case !stays:
	case whole && after == target, !whole && path.Join(path.Dir(self), to) == after:
		return
	case whole:
		b.Becomes = after
	default:
		b.Becomes = relative(path.Dir(self), after)
	}
	f.found.Broken = append(f.found.Broken, b)
}

// text looks at a text.
func (f *finder) text(at, text string, read reader) {
	self, here := f.Moves.After(at)
	if !here {
		return
	}
	line, counted := 1, 0
	for _, m := range read(f, text, path.Dir(at)) {
		after, stays := f.Moves.After(m.target)
		b := Broken{File: at, Says: text[m.start:m.end], start: m.start, end: m.end}
		from := path.Dir(self)
		switch {
		case !stays:
		case m.root != "":
			if after == m.target {
				continue
			}
			b.Becomes = m.write("/" + relative(m.root, after))
		case norm.NFC.String(path.Join(from, m.says)) == norm.NFC.String(after):
			continue
		default:
			to := relative(from, after)
			if strings.HasPrefix(m.says, "./") && !strings.HasPrefix(to, "../") {
				to = "./" + to
			}
			if strings.HasSuffix(m.says, "/") {
				to += "/"
			}
			b.Becomes = m.write(to)
		}
		line += strings.Count(text[counted:m.start], "\n")
		b.Line, counted = line, m.start
		f.found.Broken = append(f.found.Broken, b)
		f.found.texts[at] = text
	}
}

// A folder is what is known of the names in one.
type folder struct {
	nodes []*tree.Node
	byKey map[string]*tree.Node   // by their names in normal form C
	byRun map[string][]*tree.Node // by the letters and digits that they begin with, the longest first
}

// names are those in a folder; none where it cannot be read.
func (f *finder) names(dir string) *folder {
	known := f.folders[dir]
	if known != nil {
		return known
	}
	known = &folder{byKey: map[string]*tree.Node{}, byRun: map[string][]*tree.Node{}}
	f.folders[dir] = known
	entries, err := os.ReadDir(filepath.FromSlash(dir))
	if err != nil {
		return known
	}
	for _, e := range entries {
		n := &tree.Node{Name: e.Name(), Kind: tree.File}
		switch {
		case e.IsDir():
			n.Kind = tree.Folder
		case e.Type()&fs.ModeSymlink != 0:
			n.Marks = tree.Link
		}
		known.nodes = append(known.nodes, n)
		key := norm.NFC.String(n.Name)
		known.byKey[key] = n
		run := runOf(key)
		known.byRun[run] = append(known.byRun[run], n)
	}
	for _, list := range known.byRun {
		slices.SortStableFunc(list, func(a, b *tree.Node) int { return len(b.Name) - len(a.Name) })
	}
	return known
}

// runOf are the letters and digits that a text begins with.
func runOf(text string) string {
	for i, r := range text {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return text[:i]
		}
	}
	return text
}

var errNowhere = errors.New("it leads nowhere")

// resolve follows a path from a folder, name by name, to something that is there.
func (f *finder) resolve(dir, says string) (target string, err error) {
	for name := range strings.SplitSeq(strings.TrimSuffix(says, "/"), "/") {
		switch name {
		case ".":
		case "..":
			dir = path.Dir(dir)
		default:
			n := f.names(dir).byKey[norm.NFC.String(name)]
			if n == nil {
				return "", errNowhere
			}
			dir = path.Join(dir, n.Name)
		}
	}
	return dir, nil
}
