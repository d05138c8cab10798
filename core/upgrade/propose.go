package upgrade

import (
	"fmt"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// An Upgrading is one project with its plan.
type Upgrading struct {
	*Plan
	Was     []byte   // what its label holds
	Dropped []string // fields of which the template knows nothing any more
	Says    string   // of a folder that is taken over: its values, for a person
	relabel *change.Set
}

// Noted finds out whether the label has to say something else. The error is that of a label
// that cannot be written.
func (u *Upgrading) Noted() error {
	data, err := u.Label.Encode()
	if err != nil {
		return err
	}
	u.relabel = &change.Set{}
	u.relabel.Write(change.At{Path: u.Becomes + "/" + label.FileName}, u.Was, data, "")
	return nil
}

// Refused keeps in the label what somebody said no to, and reports whether there was anything.
func (u *Upgrading) Refused() (any bool) {
	for _, s := range u.Steps {
		if s.Refused {
			not := s.To
			if s.written != "" {
				not = s.written
			}
			u.job.Project.Label.Refuse(s.From, not)
			any = true
		}
	}
	return any
}

// rewrites notes in the label what is written where somebody agreed to another text.
func (u *Upgrading) rewrites() error {
	agreed := false
	for _, s := range u.Steps {
		if s.written != "" && s.Agreed {
			u.Label.Given[s.To], agreed = s.written, true
		}
	}
	if !agreed {
		return nil
	}
	return u.Noted()
}

// Renames reports whether it waits for an answer which item of a list got which other name: what was
// there before is not known any more when the label has the new list.
func (u *Upgrading) Renames() bool {
	return slices.ContainsFunc(u.Steps, func(s *Step) bool {
		return !s.Goes() && s.thing != nil && s.thing.Reason == match.Value && u.job.renamed()
	})
}

// Agreed are the steps that somebody agreed to, by what they move and where to.
func (u *Upgrading) Agreed() map[[2]string]bool {
	agreed := map[[2]string]bool{}
	for _, s := range u.Steps {
		agreed[[2]string{s.From, s.To}] = s.Agreed
	}
	return agreed
}

// Agree takes over what somebody agreed to in a plan of before.
func (u *Upgrading) Agree(agreed map[[2]string]bool) {
	for _, s := range u.Steps {
		s.Agreed = agreed[[2]string{s.From, s.To}]
	}
}

// Place is the folder that the paths of the plan's changes begin in.
func (u *Upgrading) Place() address.Address {
	at := u.job.Project.Dir
	for range strings.Split(u.Name, "/") {
		at = at.Parent()
	}
	return at
}

// part is what a person sees of a project; nil where nothing is to be said of it.
func (u *Upgrading) part() *proposal.Part {
	part := &proposal.Part{In: u.job.Project.Dir}
	if u.Name != u.Becomes && !u.comesAlong() {
		part.Add(proposal.Step{Op: change.Move, From: path.Join(u.Place().Slashed(), u.Name), To: path.Join(u.Place().Slashed(), u.Becomes), Called: u.Name, Becomes: u.Becomes, Folder: true})
	}
	for _, s := range u.Steps {
		part.Steps = append(part.Steps, &s.Step)
	}
	for _, s := range u.Stays {
		part.Leave(proposal.Left{Path: s.Path, Why: s.Why})
	}
	if u.Was == nil {
		part.About = "   becomes a project: " + u.Says
	} else if len(part.Steps) == 0 && len(u.relabel.Changes) > 0 {
		part.About = "   what the project must follow has changed; no file changes"
	}
	if len(part.Steps)+len(part.Left) == 0 && part.About == "" {
		return nil
	}
	return part
}

// Parts are what a person sees of projects, for whoever asks for the steps that are probable.
func Parts(list []*Upgrading) (parts []*proposal.Part) {
	for _, u := range list {
		if part := u.part(); part != nil {
			parts = append(parts, part)
		}
	}
	return parts
}

// Propose returns what brings projects to their templates, all as one: what is sure and what
// somebody agreed to. Tops are folders in which projects lie that get another name: what lies
// beside them may point at them. Count is how many folders and files are to change.
func Propose(list []*Upgrading) (out *proposal.Proposal, tops []address.Address, count int, err error) {
	out = &proposal.Proposal{Set: &change.Set{}}
	for _, g := range sharedFolders(list) {
		for _, u := range g.of {
			u.above, u.becomesAbove = g.from, g.to
		}
		in := out.Set.Place(g.place)
		out.Set.Move(change.At{In: in, Path: g.from}, change.At{In: in, Path: g.to}, change.Is(tree.Folder), "by its values")
		out.Part(g.place).Add(proposal.Step{Op: change.Move, From: path.Join(g.place.Slashed(), g.from), To: path.Join(g.place.Slashed(), g.to), Called: g.from, Becomes: g.to, Folder: true, Why: "with all that lies in it"})
		count++
	}
	out.Parts = append(out.Parts, Parts(list)...)
	for _, u := range list {
		if err := u.rewrites(); err != nil {
			return nil, nil, 0, err
		}
	}
	for _, u := range list {
		if of := u.job.CopyOf; of != "" {
			out.Remark(fmt.Sprintf("%s is a copy of %s: it becomes a project of its own", path.Base(u.Name), of.Name()))
		}
		if from, _ := differs(u.Name, u.Becomes); from != "" && u.above == "" {
			out.Remark(fmt.Sprintf("What else lies in %s stays there: other projects in it keep that name.", from))
		}
		for _, c := range u.written {
			text := fmt.Sprintf("in names, the %s “%s” is written “%s”", c.Field, c.Was, c.Is)
			if !slices.ContainsFunc(out.Notes, func(n proposal.Note) bool { return n.Text == text }) {
				out.Remark(text)
			}
		}
		for _, name := range u.Dropped {
			out.Remark(fmt.Sprintf("%s: the template has no field %s any more, and its value is forgotten", path.Base(u.Name), name))
		}
		changes := u.Changes()
		count += len(changes)
		if changes = append(changes, u.relabel.Changes...); len(changes) == 0 {
			continue
		}
		in := out.Set.Join(&change.Set{Places: []address.Address{u.Place()}, Changes: changes})
		out.Counts(change.At{In: in[0], Path: u.Becomes}, u.job.Project.Label.ID)
	}
	for _, u := range list {
		if strings.Contains(u.Becomes, "/") || strings.Contains(u.Name, "/") {
			out.Nest(u.Place())
		}
	}
	count += onTheWay(out.Set, list)
	for _, u := range list {
		if dir := u.Place(); u.Name != u.Becomes && slices.Contains(out.Set.Places, dir) && !slices.Contains(tops, dir) {
			tops = append(tops, dir)
		}
	}
	return out, tops, count, nil
}

// onTheWay adds the folders on the way to where projects go, as far as they are not there,
// and takes away those that projects leave empty. It returns how many.
func onTheWay(set *change.Set, list []*Upgrading) (count int) {
	full := func(in int, at string) string { return path.Join(set.Places[in].Slashed(), at) }
	leaves, comes := map[string]bool{}, map[string]bool{}
	for i := range set.Changes {
		switch c := &set.Changes[i]; c.Op {
		case change.Move:
			leaves[full(c.FromIn, c.From)], comes[full(c.In, c.Path)] = true, true
		case change.Make:
			comes[full(c.In, c.Path)] = true
		}
	}
	for _, u := range list {
		in := slices.Index(set.Places, u.Place())
		if u.Name == u.Becomes || in < 0 || u.comesAlong() {
			continue
		}
		way := set.Way(func(at change.At) bool {
			dir := full(in, at.Path)
			_, err := place.Lstat(filepath.FromSlash(dir))
			there := comes[dir] || err == nil
			comes[dir] = true
			return there
		})
		count += way.To(change.At{In: in, Path: path.Dir(u.Becomes)}, "on the way")
		for up := path.Dir(u.Name); up != "."; up = path.Dir(up) {
			dir := full(in, up)
			entries, err := place.ReadDir(filepath.FromSlash(dir))
			stays := func(e os.DirEntry) bool { return !leaves[dir+"/"+e.Name()] }
			into := func(at string) bool { return path.Dir(at) == dir }
			if err != nil || leaves[dir] || slices.ContainsFunc(entries, stays) || slices.ContainsFunc(slices.Collect(maps.Keys(comes)), into) {
				break
			}
			leaves[dir] = true
			set.Remove(change.At{In: in, Path: up}, change.Is(tree.Folder), "nothing is left in it")
			count++
		}
	}
	return count
}
