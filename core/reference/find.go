package reference

import (
	"errors"
	"io/fs"
	"iter"
	"maps"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/place"
	"vestibula/core/pool"
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
	target     string                    // where it leads
	root       string                    // the folder that it begins in where it begins with a slash
	says       string                    // the path, without what its text has of codes
	write      func(path string) string  // how a path is written there
	become     func(after string) string // of a link by name: what it is to say
	dead, note bool                      // it leads nowhere; it is a link by name
}

type finder struct {
	*Search
	found   Found
	folders map[string]*folder
	bytes   int // that were read
	most    int // that are read
}

// writes are the endings of what may name paths and is not looked at, unless a template says so.
var writes = func() map[string]bool {
	all := map[string]bool{}
	for _, ending := range strings.Fields("tex bib rst org adoc rtf doc docx odt ppt pptx odp") {
		all["."+ending] = true
	}
	return all
}()

// count counts what is not looked at.
func (f *Found) count(ending string) {
	if f.Others == nil {
		f.Others = map[string]int{}
	}
	f.Others[ending]++
}

// further reports whether a template names the ending of a file in a folder as one of texts.
func (s *Search) further(dir, name string) bool {
	return s.Texts != nil && path.Ext(name) != "" && slices.Contains(s.Texts(dir), strings.ToLower(path.Ext(name)[1:]))
}

// An entry is a text or a link that is to be looked at.
type entry struct {
	root, rel string // a root or a top, and the path from there
	link      bool
}

// Find looks for all that points at what comes to lie elsewhere, or lies elsewhere
// itself. The error is that of a folder which cannot be read at all.
func (s *Search) Find() (*Found, error) {
	found := &Found{texts: map[string]string{}}
	list, err := s.entries(found)
	if err != nil {
		return nil, err
	}
	finders := make([]*finder, min(len(list), runtime.GOMAXPROCS(0)))
	pool.Each(len(finders), 1, func(numbers iter.Seq[int]) {
		for i := range numbers {
			f := &finder{Search: s, folders: map[string]*folder{}, most: maxRead / len(finders)}
			f.found.texts = map[string]string{}
			finders[i] = f
			f.look(list[i*len(list)/len(finders) : (i+1)*len(list)/len(finders)])
		}
	})
	for _, f := range finders {
		found.Broken = append(found.Broken, f.found.Broken...)
		found.Passed = append(found.Passed, f.found.Passed...)
		found.Texts, found.Links = found.Texts+f.found.Texts, found.Links+f.found.Links
		maps.Copy(found.texts, f.found.texts)
	}
	slices.SortStableFunc(found.Broken, func(a, b Broken) int { return strings.Compare(a.File, b.File) })
	return found, nil
}

// entries are the texts and links in all roots and tops, each once.
func (s *Search) entries(found *Found) (list []entry, err error) {
	seen := map[string]bool{}
	add := func(root, dir string, n *tree.Node) {
		e := entry{root, "", n.Marks&tree.Link != 0}
		if !e.link && readerOf(n.Name) == nil && !s.further(path.Join(root, dir), n.Name) {
			if ending := strings.ToLower(path.Ext(n.Name)); writes[ending] && !hidden(n.Name) {
				found.count(ending)
			}
			return
		}
		e.rel = path.Join(dir, n.Name)
		if at := e.path(); !seen[at] && (s.Skip == nil || !s.Skip(at)) {
			seen[at] = true
			list = append(list, e)
		}
	}
	for _, root := range slices.Concat(s.Roots, s.Tops) {
		n := s.Trees[root]
		if n == nil {
			top := slices.Contains(s.Tops, root)
			read, unread, err := place.Read(filepath.FromSlash(root), func(at string, folder bool) bool { return folder && (top || hidden(path.Base(at))) }, nil)
			if err != nil {
				return nil, err
			}
			for _, u := range unread {
				found.Passed = append(found.Passed, Passed{path.Join(root, u.Path), place.Reason(u.Err)})
			}
			n = read
		}
		below(n, "", func(dir string, n *tree.Node) { add(root, dir, n) })
	}
	return list, nil
}

func (e *entry) path() string { return path.Join(e.root, e.rel) }

// hidden reports whether a folder is one that programs keep their own things in.
func hidden(name string) bool { return strings.HasPrefix(name, ".") }

// below visits the files in a folder and in those below it that are not hidden, each
// with the folder that it lies in.
func below(n *tree.Node, at string, visit func(dir string, n *tree.Node)) {
	for _, c := range n.Children {
		if c.Kind != tree.Folder {
			visit(at, c)
		} else if !hidden(c.Name) {
			below(c, path.Join(at, c.Name), visit)
		}
	}
}

func (f *finder) pass(at, why string) { f.found.Passed = append(f.found.Passed, Passed{at, why}) }

// look looks at entries, those of one root after another.
func (f *finder) look(list []entry) {
	var in *place.Place
	for i := range list {
		e := &list[i]
		if i == 0 || e.root != list[i-1].root {
			if in != nil {
				in.Close()
			}
			var err error
			if in, err = place.Open(filepath.FromSlash(e.root)); err != nil {
				in = nil
			}
		}
		switch {
		case e.link:
			f.link(e.path())
		case in == nil:
			f.pass(e.path(), "its folder cannot be opened")
		default:
			f.read(in, e)
		}
	}
	if in != nil {
		in.Close()
	}
}

// read looks at a text.
func (f *finder) read(in *place.Place, e *entry) {
	at := e.path()
	if f.bytes > f.most {
		f.pass(at, "there are too many texts")
		return
	}
	data, err := in.ReadFile(e.rel, maxText)
	if err != nil {
		f.pass(at, place.Reason(err))
		return
	}
	f.bytes += len(data)
	text := string(data)
	if !utf8.ValidString(text) {
		f.pass(at, "it is written in another encoding than UTF-8")
		return
	}
	f.found.Texts++
	read := readerOf(path.Base(at))
	if read == nil {
		read = plain // a further ending
	}
	f.text(at, text, read)
}

// link looks at a link of the system.
func (f *finder) link(at string) {
	to, err := place.Readlink(filepath.FromSlash(at))
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
	if _, err := place.Lstat(filepath.FromSlash(target)); err != nil {
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
	self, here := at, true
	if f.Lost == nil {
		self, here = f.Moves.After(at)
	}
	if !here {
		return
	}
	line, counted := 1, 0
	for _, m := range read(f, text, path.Dir(at)) {
		after, stays := f.after(m.target)
		b := Broken{File: at, Says: text[m.start:m.end], start: m.start, end: m.end}
		from := path.Dir(self)
		switch {
		case m.dead:
			if lies := f.lost(at, &m); lies != "" && m.become != nil {
				m.target = path.Join(path.Dir(at), m.says)
				b.Becomes = m.become(lies)
			} else if lies != "" {
				b.Becomes = m.write(relative(from, lies))
			}
			if b.Becomes == b.Says || m.note && b.Becomes == "" {
				continue
			}
		case !stays:
		case m.become != nil:
			if b.Becomes = m.become(after); b.Becomes == b.Says {
				continue
			}
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
	real := dir
	if f.Lost != nil {
		real = f.Lost.Now(dir)
	}
	entries, err := place.ReadDir(filepath.FromSlash(real))
	if err != nil && f.Lost == nil {
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
	if f.Lost != nil {
		known.gone(f.Lost, dir)
	}
	for _, list := range known.byRun {
		slices.SortStableFunc(list, func(a, b *tree.Node) int { return len(b.Name) - len(a.Name) })
	}
	return known
}

// gone adds what lay in a folder and was moved.
func (d *folder) gone(lost *Lost, dir string) {
	for _, name := range lost.Gone[dir] {
		key := norm.NFC.String(name)
		if d.byKey[key] != nil {
			continue
		}
		n := &tree.Node{Name: name, Kind: tree.File}
		if info, err := place.Stat(filepath.FromSlash(lost.Now(path.Join(dir, name)))); err == nil && info.IsDir() {
			n.Kind = tree.Folder
		} else if err != nil {
			continue // it went altogether
		}
		d.nodes = append(d.nodes, n)
		d.byKey[key] = n
		d.byRun[runOf(key)] = append(d.byRun[runOf(key)], n)
	}
}

// after is where something comes to lie or, of what was moved before, lies by now.
func (f *finder) after(at string) (to string, stays bool) {
	if f.Lost != nil {
		return f.Lost.Now(at), true
	}
	return f.Moves.After(at)
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
