package cli

import (
	"iter"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/made"
	"vestibula/core/match"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/project"
	"vestibula/core/put"
	"vestibula/core/standing"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// gather reads what the sources hold.
func (r *putRun) gather() error {
	done, end := r.progress("looking", -1)
	defer end()
	known := map[string]bool{}
	for i, source := range r.sources {
		at, err := place.Real(source)
		info, statErr := place.Lstat(source)
		if err != nil || statErr != nil {
			return unclear("", "there is no \"%s\"", source)
		}
		if info.Mode()&os.ModeSymlink != 0 {
			info, err = place.Stat(at) // a link that was named is meant
			if err != nil {
				return unreadable(source, err)
			}
		}
		switch {
		case info.IsDir():
			if err := r.folder(i, source, string(at), known, done); err != nil {
				return err
			}
		case packed.FormatOf(string(at)) != packed.None && r.unpacks(string(at)):
			if err := r.packed(i, string(at)); err != nil {
				return err
			}
		default:
			if !known[string(at)] {
				known[string(at)] = true
				if err := r.add(i, at.Name(), string(at), false); err != nil {
					return unreadable(source, err)
				}
			}
		}
	}
	return nil
}

// unpacks reports whether an archive is a source of files: one that lies in a project
// already and that a folder of it holds as it is, is a file.
func (r *putRun) unpacks(at string) bool {
	return !strings.HasPrefix(filepath.ToSlash(at), r.base+"/") || len(r.projects) > 1 || !slices.ContainsFunc(r.projects, func(p *standing.Project) bool {
		return slices.ContainsFunc(p.Template.Lines, func(l *template.Line) bool { return l.TakesFile(filepath.Base(at)) })
	})
}

// folder adds what lies in a folder.
func (r *putRun) folder(source int, named, dir string, known map[string]bool, done func(int)) error {
	root, unread, err := inspect.Everything(dir, done)
	if err != nil {
		return unreadable(named, err)
	}
	r.tellPassed(named, unread, "is put")
	r.partly = r.partly || len(unread) > 0
	var others []string // projects in the source that nothing is put into
	project.Labelled(root, func(n *tree.Node, at string) {
		if full := filepath.ToSlash(dir) + "/" + at; !strings.HasPrefix(full+"/", r.base+"/") {
			others = append(others, at+"/")
		}
	})
	before := root.Count()
	if err := r.prune(root); err != nil {
		return err
	}
	r.passed += before - root.Count()
	own := map[string]*tree.Finder{}
	for _, p := range r.projects {
		own[p.Dir.Slashed()] = tree.NewFinder(p.Root)
	}
	top := filepath.ToSlash(dir)
	var found []*standing.File
	for at, n := range root.All() {
		full := top + "/" + at
		if n.Kind != tree.File || known[full] || r.settles(own, top, full) {
			continue
		}
		if slices.ContainsFunc(others, func(o string) bool { return strings.HasPrefix(at, o) }) {
			r.settled++
			continue
		}
		known[full] = true
		f := &standing.File{Path: full[len(top)+1:], Link: n.Marks&tree.Link != 0}
		if r.below != "" {
			f.Within = path.Join(path.Base(top), path.Dir(f.Path))
		}
		found = append(found, f)
	}
	for _, full := range r.addAll(source, top, found) {
		r.unreadable(filepath.FromSlash(full), "is put")
	}
	return nil
}

// prune takes out of a source what is hidden, what programs leave, and what the templates of all
// projects ignore.
func (r *putRun) prune(root *tree.Node) error {
	if err := inspect.Prune(root); err != nil {
		return err
	}
	var templates []*template.Template
	for _, p := range r.projects {
		if len(p.Template.Ignore) == 0 {
			return nil
		}
		if !slices.Contains(templates, p.Template) {
			templates = append(templates, p.Template)
		}
	}
	wanted := map[string]bool{} // by some template
	for _, t := range templates {
		seen, err := match.Seen(root, t)
		if err != nil {
			return err
		}
		for at := range seen.All() {
			wanted[strings.Clone(at)] = true
		}
	}
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		n.Children = slices.DeleteFunc(n.Children, func(c *tree.Node) bool { return !wanted[path.Join(at, c.Name)] })
		for _, c := range n.Children {
			walk(c, path.Join(at, c.Name))
		}
	}
	walk(root, "")
	return nil
}

// settles reports whether a file of a source lies in a project and is to stay: the
// template has put it there, or the source is not in that project, and only holds it.
func (r *putRun) settles(own map[string]*tree.Finder, top, full string) bool {
	for dir := path.Dir(full); len(dir) >= len(r.base); dir = path.Dir(dir) {
		p := own[dir]
		if p == nil {
			if dir == path.Dir(dir) {
				break
			}
			continue
		}
		if top != dir && !strings.HasPrefix(top, dir+"/") {
			r.settled++
			return true
		}
		at := p.At(strings.TrimPrefix(full, dir+"/"))
		return at != nil && at.From > 0
	}
	return false
}

// add adds a file of the disk.
func (r *putRun) add(source int, at, full string, link bool) error {
	e, err := look(full)
	if err != nil {
		return err
	}
	r.files = append(r.files, &standing.File{Path: at, At: filepath.ToSlash(full), Source: source, Entry: e, Link: link || e.Kind == tree.Symlink})
	return nil
}

// addAll adds files of the disk, by their paths from a folder, and returns those that
// cannot be looked at.
func (r *putRun) addAll(source int, top string, found []*standing.File) (unread []string) {
	pool.Each(len(found), 512, func(numbers iter.Seq[int]) {
		var l looker
		defer l.close()
		for i := range numbers {
			f := found[i]
			f.At, f.Source = top+"/"+f.Path, source
			e, err := l.look(filepath.FromSlash(f.At))
			if err != nil {
				f.At = ""
				continue
			}
			f.Entry, f.Link = e, f.Link || e.Kind == tree.Symlink
		}
	})
	for _, f := range found {
		if f.At == "" {
			unread = append(unread, top+"/"+f.Path)
			r.partly = true
			continue
		}
		r.files = append(r.files, f)
	}
	return unread
}

// look is what lies at a path of the disk.
func look(full string) (tree.Entry, error) {
	dir, err := place.Open(filepath.Dir(full))
	if err != nil {
		return tree.Entry{}, err
	}
	defer dir.Close()
	return dir.Look(filepath.Base(full))
}

// A looker looks at many things, of which those that follow each other mostly lie in one
// folder.
type looker struct {
	dir string
	at  *place.Place
}

func (l *looker) look(full string) (tree.Entry, error) {
	dir := filepath.Dir(full)
	if l.at == nil || dir != l.dir {
		l.close()
		at, err := place.Open(dir)
		if err != nil {
			return tree.Entry{}, err
		}
		l.dir, l.at = dir, at
	}
	return l.at.Look(filepath.Base(full))
}

func (l *looker) close() {
	if l.at != nil {
		l.at.Close()
		l.at = nil
	}
}

// packed adds what lies in an archive.
func (r *putRun) packed(source int, file string) error {
	c, err := packed.Open(file)
	if err != nil {
		return unclear("", "%s: %s", file, place.Reason(err))
	}
	r.archives = append(r.archives, c)
	if n := len(c.Outside); n > 0 {
		r.note(term.Sprintf("%s in %s would lead out of it, and%s left out: %s", term.Count(n, "name"), filepath.Base(file), isOrAre(n), c.Outside[0]))
	}
	ignored := map[string]bool{}
	all := c.Root.Copy()
	if err := inspect.Prune(all); err != nil {
		return err
	}
	for at := range all.All() {
		ignored[strings.Clone(at)] = true
	}
	for i := range c.Files {
		f := &c.Files[i]
		if !ignored[f.Path] {
			r.passed++
			continue
		}
		r.files = append(r.files, &standing.File{Path: f.Path, Source: source, Content: f.Content, Entry: tree.Entry{Name: path.Base(f.Path), Kind: tree.File, Size: f.Size, Time: f.Time}})
	}
	return nil
}

// made is the day on which a file came about.
func (r *putRun) made(f *standing.File) (time.Time, string) {
	changed := time.Unix(0, f.Entry.Time)
	_, ending := tree.Split(path.Base(f.Path))
	if f.At == "" || f.Entry.Kind != tree.File {
		return changed, made.Changed
	}
	file, err := place.OpenFile(filepath.FromSlash(f.At))
	if err != nil {
		return changed, made.Changed
	}
	defer file.Close()
	return made.Of(file, ending, f.Entry.Size, changed.Local(), r.now)
}

// held are the files that lie in projects already, with their sizes.
func (r *putRun) held() []put.Held {
	lists := make([][]put.Held, len(r.projects))
	pool.Each(len(r.projects), 1, func(numbers iter.Seq[int]) {
		for i := range numbers {
			p := r.projects[i]
			for at, n := range p.Root.All() {
				if n.Kind != tree.File || n.Marks&tree.Link != 0 {
					continue
				}
				full := p.Dir.Join(at)
				if info, err := place.Lstat(full); err == nil && info.Mode().IsRegular() {
					lists[i] = append(lists[i], put.Held{Project: p, Path: strings.Clone(at), At: full.Slashed(), Size: info.Size()})
				}
			}
		}
	})
	return slices.Concat(lists...)
}
