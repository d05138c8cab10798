package put

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A Way is how files are brought to their places.
type Way uint8

// The ways.
const (
	Usual Way = iota // what lies within is moved, what comes from elsewhere is copied
	Move
	Copy
	Link // a link leads to the file, which stays where it is
)

// Changes returns what brings files to their places, with the folders that are made for
// them. Paths are absolute, with slashes: [Within] gives them their places. Inside says
// which files lie within, and base is the own folder of a project. Limit is how many
// things a template may make.
func Changes(outcomes []*Outcome, way Way, inside func(at string) bool, base func(p *Project) string, limit int) ([]change.Change, error) {
	m := &maker{base: base, limit: limit, made: map[string]*tree.Node{}}
	files := make([]change.Change, 0, len(outcomes))
	for _, o := range outcomes {
		if o.Kind != Goes {
			continue
		}
		s := &o.Spots[0]
		if err := m.folder(s.Project, s.Dir, s.values); err != nil {
			return nil, err
		}
		c := change.Change{Path: path.Join(base(s.Project), o.Path), From: o.File.At, Was: change.State{Entry: o.File.Entry}, Why: o.Why}
		if o.File.Day != "" {
			c.Why += ", " + o.File.Day
		}
		switch moves := way == Move || way == Usual && inside(o.File.At); {
		case o.File.Content != nil:
			c.Op, c.From, c.Was = change.Make, "", change.State{}
			c.Node = &tree.Node{Name: path.Base(o.Path), Kind: tree.File, Content: o.File.Content}
			c.As = change.Dress{Time: o.File.Entry.Time}
		case way == Link:
			c.Op, c.From, c.Was = change.Make, "", change.State{}
			c.Node = &tree.Node{Name: path.Base(o.Path), Kind: tree.Symlink, Content: tree.Target(o.File.At)}
		case moves:
			c.Op = change.Move
		default:
			c.Op = change.Copy
		}
		files = append(files, c)
	}
	if len(m.changes) == 0 {
		return files, nil
	}
	return append(m.changes, files...), nil
}

// Folder returns what makes a folder of a project, by its path from the own folder, with those on
// the way and all that the template has in them; without changes where it is there.
func Folder(l *project.Layout, dir string, values template.Values, limit int) (*change.Set, error) {
	p := &Project{Layout: l}
	m := &maker{base: base, limit: limit, made: map[string]*tree.Node{}}
	if err := m.folder(p, dir, values); err != nil {
		return nil, err
	}
	return Within(m.changes, []string{base(p)}), nil
}

// A maker makes the folders that are not there yet.
type maker struct {
	base    func(p *Project) string
	limit   int
	made    map[string]*tree.Node // by their absolute paths
	changes []change.Change
}

// folder sees to it that a folder of a project is there, with what the template has in
// it.
func (m *maker) folder(p *Project, dir string, values template.Values) error {
	if dir == "" || dir == "." || m.made[path.Join(m.base(p), dir)] != nil || real(p.Root, dir) {
		return nil
	}
	up := path.Dir(dir)
	if err := m.folder(p, up, values); err != nil {
		return err
	}
	n, err := m.wanted(p, dir, values)
	if err != nil {
		return err
	}
	at := path.Join(m.base(p), dir)
	m.made[at] = n
	if parent := m.made[path.Join(m.base(p), up)]; parent != nil {
		for i, c := range parent.Children {
			if c.Name == n.Name {
				// The template makes it with the folder around it.
				m.made[at] = parent.Children[i]
				return nil
			}
		}
		parent.Children = append(parent.Children, n)
		return nil
	}
	m.changes = append(m.changes, change.Change{Op: change.Make, Path: at, Node: n, Why: "the first file that belongs there comes"})
	return nil
}

// wanted is what the template makes at a path, for values.
func (m *maker) wanted(p *Project, dir string, values template.Values) (*tree.Node, error) {
	own := p.Values.Clone()
	for name, v := range values {
		if f := p.Template.Field(name); f != nil && !f.Made() {
			own[name] = v
		}
	}
	x, err := p.Template.Tree(own, max(m.limit, 10*p.Root.Count()))
	if err != nil {
		return nil, err
	}
	_, at := p.Template.Own(x.Root)
	for name := range strings.SplitSeq(dir, "/") {
		i := slices.IndexFunc(at.Children, func(c *tree.Node) bool { return c.Kind == tree.Folder && c.Name == name })
		if i < 0 {
			return &tree.Node{Name: path.Base(dir)}, nil // called otherwise on the disk
		}
		at = at.Children[i]
	}
	n := *at.Built()
	n.Marks = 0
	n.Children = slices.Clone(n.Children)
	return &n, nil
}

func real(root *tree.Node, dir string) bool {
	at := root.At(dir)
	return at != nil && at.Kind == tree.Folder
}

// Within gives changes with absolute paths their places: the innermost of tops, which are
// absolute, with slashes, and do not lie in each other.
func Within(changes []change.Change, tops []string) *change.Set {
	set := &change.Set{Changes: make([]change.Change, 0, len(changes)+1)}
	for _, top := range tops {
		set.Places = append(set.Places, address.Address(filepath.FromSlash(top)))
	}
	in := func(at string) (int, string) {
		for i, top := range tops {
			if below, inside := strings.CutPrefix(at, strings.TrimSuffix(top, "/")+"/"); inside {
				return i, below
			}
		}
		return 0, at
	}
	for _, c := range changes {
		c.In, c.Path = in(c.Path)
		if c.FromIn = c.In; c.From != "" {
			c.FromIn, c.From = in(c.From)
		}
		set.Changes = append(set.Changes, c)
	}
	return set
}

// Outermost returns the folders that do not lie in others of a list, each once.
func Outermost(dirs []string) (tops []string) {
	dirs = slices.Compact(slices.Sorted(slices.Values(dirs)))
	for _, d := range dirs {
		if !slices.ContainsFunc(tops, func(t string) bool { return strings.HasPrefix(d, strings.TrimSuffix(t, "/")+"/") }) {
			tops = append(tops, d)
		}
	}
	return tops
}
