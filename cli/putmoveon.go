package cli

import (
	"fmt"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A movingOn is a call of put that moves folders of a project to their next stage.
type movingOn struct {
	*putRun
	layout *project.Layout
	into   string // paths are from the project's own folder
	items  []*movedItem
}

// A movedItem is one folder that moves on.
type movedItem struct {
	from, to string
	gets     []*tree.Node // what the template has for it there
}

// movesOn finds out whether folders of a project move to another folder of it: nil where
// it is not so. The project itself sorts what is put into it.
func (r *putRun) movesOn() (*movingOn, error) {
	if r.into == "" || r.convention != "" || r.copy || r.link {
		return nil, nil
	}
	into, err := place.Real(r.into)
	if err != nil {
		return nil, nil // told by those who need it
	}
	own, l, err := project.Find(into)
	if err != nil || l == nil || own == into {
		return nil, nil
	}
	m := &movingOn{putRun: r}
	if rel, err := filepath.Rel(own, into); err == nil {
		m.into = filepath.ToSlash(rel)
	}
	for _, source := range r.sources {
		at, err := place.Real(source)
		if err != nil {
			return nil, nil
		}
		info, err := os.Lstat(at)
		below, inside := strings.CutPrefix(at, own+string(filepath.Separator))
		if err != nil || !info.IsDir() || !inside || into == at || strings.HasPrefix(into, at+string(filepath.Separator)) {
			return nil, nil
		}
		if filepath.Dir(at) == into {
			return nil, refused("name another folder", "%s lies in %s already", source, r.into)
		}
		item := &movedItem{from: filepath.ToSlash(below)}
		item.to = path.Join(m.into, path.Base(item.from))
		m.items = append(m.items, item)
	}
	s, err := r.standingIn(own, nil)
	if err != nil {
		return nil, err
	}
	m.layout = s.layout
	return m, nil
}

// set is what is to be done: the moves, what the template has for the items where they
// come to lie, and what the label notes.
func (m *movingOn) set() (*change.Set, error) {
	dir := m.layout.Dir
	set := &change.Set{Places: []string{dir}}
	for _, item := range m.items {
		set.Move(change.At{Path: item.from}, change.At{Path: item.to}, change.Is(tree.Folder), "it moves on")
		root, _, err := m.reading(filepath.Join(dir, filepath.FromSlash(item.from)))
		if err != nil {
			return nil, refused("", "%s cannot be read: %s", item.from, place.Reason(err))
		}
		wanted, err := m.wantedAt(item.to)
		if err != nil {
			return nil, err
		}
		if wanted != nil {
			item.lacks(wanted, root, item.to, set)
		}
	}
	if err := labelsFollow(set); err != nil {
		return nil, err
	}
	return set, m.close(set)
}

// wantedAt is what the template has for an item in a folder: of the lines there, one that
// its name is read by; nil where there is none.
func (m *movingOn) wantedAt(at string) (*tree.Node, error) {
	p := m.layout.At(path.Dir(at))
	values := p.Values.Clone()
	if values == nil {
		values = template.Values{}
	}
	if p.Line != nil && p.Path == path.Dir(at) {
		for _, line := range p.Line.Inside() {
			reader := line.Names[0].Reader()
			read := make([]value.Value, len(reader.Fields()))
			if len(line.Names) != 1 || line.Names[0].Constant() || reader.Read(path.Base(at), read) != nil {
				continue
			}
			for i, name := range reader.Fields() {
				if m.layout.Template.Field(name) != nil && !values[name].Given() {
					values[name] = read[i]
				}
			}
		}
	}
	x, err := m.layout.Template.Tree(values, template.DefaultLimit)
	if err != nil {
		return nil, refused("", "%v", err)
	}
	_, n := m.layout.Template.Own(x.Root)
	for name := range strings.SplitSeq(at, "/") {
		if n = n.Child(name); n == nil {
			return nil, nil
		}
	}
	return n, nil
}

// lacks adds what an item has not of what is wanted there.
func (i *movedItem) lacks(wanted, is *tree.Node, at string, set *change.Set) {
	for _, c := range wanted.Children {
		if c.Marks&(tree.Later|tree.Due|tree.Open) != 0 {
			continue
		}
		here := path.Join(at, c.Name)
		if there := is.Child(c.Name); there != nil {
			if there.Kind == tree.Folder && c.Kind == tree.Folder {
				i.lacks(c, there, here, set)
			}
			continue
		}
		i.gets = append(i.gets, c)
		set.Make(change.At{Path: here}, c.Built(), "the template has it there")
	}
}

// close notes in the label what the template would ask for where the items were, and no
// longer what it has where they come to lie.
func (m *movingOn) close(set *change.Set) error {
	var is readLabel
	if is.read(m.layout.Dir); is.err != nil {
		return is.err
	}
	l := is.label
	i := slices.IndexFunc(set.Changes, func(c change.Change) bool { return c.Op == change.Replace && c.Path == label.FileName })
	if i >= 0 { // what follows the moves is noted in it already
		data, err := contentOf(set.Changes[i].Content)
		if err != nil {
			return err
		}
		if l, err = label.Parse(data); err != nil {
			return err
		}
	}
	closed := maps.Clone(l.Closed)
	if closed == nil {
		closed = map[string]string{}
	}
	for _, item := range m.items {
		n := m.layout.Wanted.Own
		for name := range strings.SplitSeq(item.from, "/") {
			if n = n.Child(name); n == nil {
				break
			}
		}
		if delete(closed, item.to); n != nil {
			closed[item.from] = item.to
		}
		for at, to := range closed { // what moved on once moves on again
			if to == item.from {
				closed[at] = item.to
			}
		}
	}
	if maps.Equal(closed, l.Closed) || len(closed) == 0 && l.Closed == nil {
		return nil
	}
	l.Closed = closed
	data, err := l.Encode()
	if err != nil {
		return err
	}
	if i >= 0 {
		set.Changes = slices.Delete(set.Changes, i, i+1)
	}
	set.Write(change.At{Path: label.FileName}, is.data, data, "")
	return nil
}

// contentOf is what a file is to hold.
func contentOf(c tree.Content) ([]byte, error) {
	var out strings.Builder
	if err := tree.Copy(&out, c); err != nil {
		return nil, err
	}
	return []byte(out.String()), nil
}

func (m *movingOn) carryOut() error {
	set, err := m.set()
	if err != nil {
		return err
	}
	if m.followed, err = m.follow(set, m.consent, set.Places, nil, nil); err != nil {
		return err
	}
	what := term.Count(len(m.items), "folder")
	return m.propose(m.consent, proposal{set: set, draw: m.draw, question: fmt.Sprintf("Move %s on to %s?", what, m.into), how: "move it on", report: m.report,
		undertaking: undertaking{doing: "moving on",
			head: journal.Head{What: "put", Title: path.Base(m.items[0].from), Project: filepath.Base(m.layout.Dir), Roots: []journal.Root{{Path: ".", ID: m.layout.Label.ID}}}},
		told: func() term.Shown {
			return term.Good.Render("Moved on") + term.Sprintf(": %s in %s. %s", what, m.into, m.undoes())
		}})
}

func (m *movingOn) draw() {
	m.screen.Line(term.Title.Render(term.Visible(filepath.Base(m.layout.Dir))))
	for _, item := range m.items {
		m.screen.Line("  ", term.Accent.Render("»"), " ", term.Moved(item.from, item.to))
		for _, n := range item.gets {
			m.screen.Line("    ", term.Good.Render("+"), " ", term.Visible(n.Name))
		}
	}
	m.screen.Line()
	m.followed.draw(m.screen)
}

// report prints what moves on, as JSON.
func (m *movingOn) report(done bool) error {
	type one struct {
		From string   `json:"from"`
		To   string   `json:"to"`
		Gets []string `json:"gets"`
	}
	out := struct {
		Done  bool         `json:"done"`
		Moves []one        `json:"moves"`
		Links []brokenJSON `json:"broken"`
	}{done, []one{}, m.followed.json()}
	for _, item := range m.items {
		o := one{item.from, item.to, []string{}}
		for _, n := range item.gets {
			o.Gets = append(o.Gets, n.Name)
		}
		out.Moves = append(out.Moves, o)
	}
	err := m.printJSON(out)
	if err == nil && !done && !m.preview {
		return found
	}
	return err
}
