package reference

import (
	"path"
	"path/filepath"
	"strings"
	"sync"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/place"
	"vestibula/core/tree"
)

// noteEnding is what a link by name leaves out.
const noteEnding = ".md"

// named adds the links by name in a text, as several programs for notes write them: [[Name]],
// [[Name|shown]], [[Name#heading]], [[folder/Name]], and with a sign in front what is shown there,
// ![[picture.png]]. A name means the file of that name beside the text, or the only one below a root.
func (f *finder) named(list []mention, text, dir string) []mention {
	for at := 0; ; {
		i := strings.Index(text[at:], "[[")
		if i < 0 {
			return list
		}
		at += i + 2
		end := strings.Index(near(text, at), "]]")
		if end < 0 {
			continue
		}
		name, _, _ := strings.Cut(text[at:at+end], "|")
		name, _, _ = strings.Cut(name, "#")
		if strings.ContainsAny(name, "[\n") || strings.TrimSpace(name) == "" {
			continue
		}
		start := at + len(name) - len(strings.TrimLeft(name, " "))
		name = strings.TrimSpace(name)
		m := mention{start: start, end: start + len(name), says: name}
		base, target := f.note(dir, name)
		if m.target = target; target == "" {
			if f.Lost == nil {
				continue
			}
			m.dead, m.note = true, true
		}
		m.become = func(after string) string {
			to := path.Base(after)
			switch {
			case strings.Contains(name, "/"):
				to = relative(base, after)
			case path.Base(after) == path.Base(m.target):
				return name
			}
			if !strings.EqualFold(path.Ext(name), noteEnding) {
				to = strings.TrimSuffix(to, noteEnding)
			}
			return to
		}
		list = append(list, m)
		at += end
	}
}

// note finds what a name means in a text of a folder, and the folder that its path begins in; "" for
// nothing, or several.
func (f *finder) note(dir, name string) (base, target string) {
	bases := []string{dir}
	for _, root := range f.Roots {
		for up := dir; up == root || strings.HasPrefix(up, root+"/"); up = path.Dir(up) {
			bases = append(bases, up)
		}
	}
	for _, base := range bases {
		for _, says := range []string{name, name + noteEnding} {
			if target, err := f.resolve(base, says); err == nil {
				return base, target
			}
		}
	}
	for _, root := range f.Roots {
		if strings.Contains(name, "/") || dir != root && !strings.HasPrefix(dir, root+"/") {
			continue
		}
		names := f.Search.index(root)
		for _, says := range []string{name, name + noteEnding} {
			if list := names[norm.NFC.String(says)]; len(list) == 1 {
				return root, list[0]
			}
		}
	}
	return "", ""
}

// An index knows where the files below a root lie, by their names.
type index struct {
	once  sync.Once
	names map[string][]string
}

// index is that of a root.
func (s *Search) index(root string) map[string][]string {
	s.mutex.Lock()
	if s.indexes == nil {
		s.indexes = map[string]*index{}
	}
	x := s.indexes[root]
	if x == nil {
		x = &index{}
		s.indexes[root] = x
	}
	s.mutex.Unlock()
	x.once.Do(func() {
		x.names = map[string][]string{}
		n := s.Trees[root]
		if n == nil {
			n, _, _ = place.Read(filepath.FromSlash(root), func(at string, folder bool) bool { return folder && hidden(path.Base(at)) }, nil)
		}
		if n != nil {
			below(n, "", func(dir string, n *tree.Node) {
				key := norm.NFC.String(n.Name)
				x.names[key] = append(x.names[key], path.Join(root, dir, n.Name))
			})
		}
		if s.Lost == nil {
			return
		}
		for dir, names := range s.Lost.Gone {
			for _, name := range names {
				if key := norm.NFC.String(name); len(x.names[key]) == 0 && strings.HasPrefix(dir+"/", root+"/") {
					x.names[key] = append(x.names[key], path.Join(dir, name))
				}
			}
		}
	})
	return x.names
}

// Lost knows where things were: with it, links that lead nowhere are found as well.
type Lost struct {
	// Now is where something that lay at a path lies by now.
	Now func(at string) string
	// Gone are the names of what lay in folders, by these, and was moved.
	Gone map[string][]string
	// Before are the paths at which a file lay before, the newest first.
	Before func(file string) []string
}

// lost is what a link named that leads nowhere, where its text lay before; "" where nobody knows.
func (f *finder) lost(at string, m *mention) string {
	ways := []string{m.says}
	if m.note {
		ways = append(ways, m.says+noteEnding)
	}
	for _, file := range f.Lost.Before(at) {
		for _, says := range ways {
			if now := f.Lost.Now(path.Join(path.Dir(file), says)); f.there(now) {
				return now
			}
		}
	}
	return ""
}

func (f *finder) there(at string) bool {
	return f.names(path.Dir(at)).byKey[norm.NFC.String(path.Base(at))] != nil
}
