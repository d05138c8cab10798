package put

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/standing"
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
func Changes(outcomes []*standing.Outcome, way Way, inside func(at string) bool, base func(p *standing.Project) string, limit int) ([]change.Change, error) {
	m := standing.NewMaker(limit)
	files := make([]change.Change, 0, len(outcomes))
	for _, o := range outcomes {
		if o.Kind != standing.Goes {
			continue
		}
		s := &o.Spots[0]
		if err := m.Folder(s.Project, s.Dir, s.Values); err != nil {
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
	if len(m.Made) == 0 {
		return files, nil
	}
	changes := make([]change.Change, 0, len(m.Made)+len(files))
	for _, made := range m.Made {
		made.Change.Path = path.Join(base(made.Project), made.Change.Path)
		changes = append(changes, made.Change)
	}
	return append(changes, files...), nil
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
