package follow

import (
	"path"
	"path/filepath"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/naming"
	"vestibula/core/place"
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
	given := givenTo()
	along := map[*proposal.Step][]*proposal.Step{} // what goes along with each
	steps := stepsOf(p)
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
				called := naming.Along(other, name, path.Base(to), c.Kind() == tree.Folder)
				at, becomes := path.Join(dir, other), path.Join(path.Dir(to), called)
				switch info, err := place.Lstat(filepath.FromSlash(at)); {
				case called == "", goes[at], comes[becomes], err != nil || !info.Mode().IsRegular():
				case c.Kind() == tree.Folder && naming.Speaks(other):
				case c.Kind() != tree.Folder && dir != path.Dir(to) && !naming.Goes(other, name):
				case exists(becomes) && !goes[becomes], given(at):
				default:
					goes[at], comes[becomes] = true, true
					own := c
					own.From, own.Path = path.Join(path.Dir(c.From), other), path.Join(path.Dir(c.Path), called)
					own.Was, own.Why = change.Is(tree.File), "it belongs to "+name
					p.Set.Changes = append(p.Set.Changes, own)
					if s := steps[from]; s != nil {
						along[s] = append(along[s], goesAlong(s, other, called, own.Why))
					} else {
						p.Remark(other + " goes along: " + own.Why)
					}
				}
			}
		}
	}
	for _, part := range p.Parts {
		steps := make([]*proposal.Step, 0, len(part.Steps))
		for _, s := range part.Steps {
			steps = append(append(steps, s), along[s]...)
		}
		part.Steps = steps
	}
}

func namesIn(dir string) (names []string) {
	entries, _ := place.ReadDir(filepath.FromSlash(dir))
	for _, e := range entries {
		names = append(names, e.Name())
	}
	return names
}

func exists(at string) bool {
	_, err := place.Lstat(filepath.FromSlash(at))
	return err == nil
}

// givenTo returns what says whether a file is one that a project was given.
func givenTo() func(at string) bool {
	type own struct {
		dir   address.Address
		label *label.Label
	}
	known := map[string]own{}
	return func(at string) bool {
		dir := path.Dir(at)
		p, looked := known[dir]
		if !looked {
			if found, l, err := project.Find(address.Address(filepath.FromSlash(dir))); err == nil {
				p = own{found, l}
			}
			known[dir] = p
		}
		if p.label == nil {
			return false
		}
		below, inside := address.Address(filepath.FromSlash(at)).From(p.dir)
		return inside && p.label.Given[below] != ""
	}
}

// stepsOf are the steps of a proposal, by the absolute paths at which what they move lies.
func stepsOf(p *proposal.Proposal) map[string]*proposal.Step {
	steps := map[string]*proposal.Step{}
	for _, part := range p.Parts {
		for _, s := range part.Steps {
			at := s.From
			if !path.IsAbs(at) {
				at = path.Join(part.In.Slashed(), at)
			}
			if steps[at] == nil {
				steps[at] = s
			}
		}
	}
	return steps
}

// goesAlong is the step of something that goes along with that of what it belongs to.
func goesAlong(with *proposal.Step, name, becomes, why string) *proposal.Step {
	s := *with
	s.From, s.To, s.Why, s.Folder = path.Join(path.Dir(with.From), name), path.Join(path.Dir(with.To), becomes), why, false
	s.Sized, s.Size = false, 0
	if s.Called != "" {
		s.Called = path.Join(path.Dir(with.Called), name)
	}
	if s.Becomes != "" {
		s.Becomes = becomes
	}
	return &s
}
