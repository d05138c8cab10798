package follow

import (
	"os"
	"path"
	"path/filepath"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/naming"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// Company adds what belongs to things that move, as their names say, and that nobody planned to
// move: what has the whole name of another one with a further ending; what has the stem of one that
// gets another name; and, with one that goes to another folder, what has its stem and an ending
// that says nothing by itself. What the template gives stays, and so does what finds its name taken.
func Company(p *proposal.Proposal) {
	goes, comes := map[string]bool{}, map[string]bool{}
	for i := range p.Set.Changes {
		if c := &p.Set.Changes[i]; c.From != "" {
			goes[full(p.Set, c.FromIn, c.From)] = true
		}
		comes[full(p.Set, p.Set.Changes[i].In, p.Set.Changes[i].Path)] = true
	}
	beside := map[string]map[string][]string{}
	for i := range len(p.Set.Changes) {
		c := p.Set.Changes[i]
		if c.From == "" || c.Op != change.Move && c.Op != change.Copy || c.Keeps() || c.GivesBack() || label.Own(c.From) {
			continue
		}
		from, to := full(p.Set, c.FromIn, c.From), full(p.Set, c.In, c.Path)
		dir, name := path.Dir(from), path.Base(from)
		if beside[dir] == nil {
			beside[dir] = naming.Companies(namesIn(dir))
		}
		keys := []string{name}
		if c.Kind() != tree.Folder {
			keys = append(keys, naming.Unended(name))
		}
		for _, key := range keys {
			for _, other := range beside[dir][key] {
				along := naming.Along(other, name, path.Base(to), c.Kind() == tree.Folder)
				at, becomes := path.Join(dir, other), path.Join(path.Dir(to), along)
				switch info, err := os.Lstat(filepath.FromSlash(at)); {
				case along == "", goes[at], comes[becomes], err != nil || !info.Mode().IsRegular():
				case c.Kind() == tree.Folder && naming.Speaks(other):
				case c.Kind() != tree.Folder && dir != path.Dir(to) && !naming.Goes(other, name):
				case exists(becomes) && !goes[becomes], given(at):
				default:
					goes[at], comes[becomes] = true, true
					own := c
					own.From, own.Path = path.Join(path.Dir(c.From), other), path.Join(path.Dir(c.Path), along)
					own.Was, own.Why = change.Is(tree.File), "it belongs to "+name
					p.Set.Changes = append(p.Set.Changes, own)
					shows(p, from, other, along, own.Why)
				}
			}
		}
	}
}

func namesIn(dir string) (names []string) {
	entries, _ := os.ReadDir(filepath.FromSlash(dir))
	for _, e := range entries {
		names = append(names, e.Name())
	}
	return names
}

func exists(at string) bool {
	_, err := os.Lstat(filepath.FromSlash(at))
	return err == nil
}

// given reports whether a file is one that a project was given.
func given(at string) bool {
	own, l, err := project.Find(address.Address(filepath.FromSlash(path.Dir(at))))
	if err != nil || l == nil {
		return false
	}
	below, inside := address.Address(filepath.FromSlash(at)).From(own)
	return inside && l.Given[below] != ""
}

// shows adds the step of something that goes along, behind that of what it belongs to.
func shows(p *proposal.Proposal, with, name, becomes, why string) {
	for _, part := range p.Parts {
		for i, s := range part.Steps {
			at := s.From
			if !path.IsAbs(at) {
				at = path.Join(part.In.Slashed(), at)
			}
			if at != with {
				continue
			}
			own := *s
			own.From, own.To, own.Why, own.Folder = path.Join(path.Dir(s.From), name), path.Join(path.Dir(s.To), becomes), why, false
			if own.Called != "" {
				own.Called = path.Join(path.Dir(s.Called), name)
			}
			if own.Becomes != "" {
				own.Becomes = becomes
			}
			part.Steps = append(part.Steps[:i+1], append([]*proposal.Step{&own}, part.Steps[i+1:]...)...)
			return
		}
	}
	p.Remark(name + " goes along: " + why)
}
