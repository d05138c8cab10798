package next

import (
	"path"

	"vestibula/core/change"
	"vestibula/core/order"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// bring adds to a set what brings the steps from one folder to another, and the folders on the
// way. Those whose place is free go; what is begun there stays, and is counted. The error is a
// [proposal.Refusal].
func (f *Forward) bring(set *change.Set, way *change.Way, from, to change.At) (begun int, err error) {
	onDisk := func(at change.At) string {
		return string(set.Places[at.In].Join(at.Path))
	}
	taken := map[string]string{}
	for _, s := range f.Steps {
		old, new := from.Below(s.From), to.Below(s.To)
		if s.Kind == tree.Folder {
			way.To(new, "carry")
			continue
		}
		if other, twice := taken[tree.Folded(new.Path)]; twice {
			return 0, proposal.Refused("give one of them another name first", "two files would get one name: %s and %s would both be %s", other, s.From, s.To)
		}
		taken[tree.Folded(new.Path)] = s.From
		if _, err := place.Lstat(onDisk(new)); err == nil {
			begun++
			continue
		}
		way.To(change.At{In: new.In, Path: path.Dir(new.Path)}, "carry")
		switch {
		case s.Moves:
			set.Move(old, new, change.Is(s.Kind), s.Why)
		case s.Kind == tree.Symlink:
			target, err := place.Readlink(onDisk(old))
			if err != nil {
				return 0, proposal.Refused("", "a link cannot be read: %s", place.Reason(err))
			}
			set.MakeLink(new, target, s.Why)
		default:
			set.Copy(old, new, change.Is(s.Kind), s.Why)
		}
		f.Goes = append(f.Goes, s)
	}
	return begun, nil
}

// Part returns what a person sees of what goes along to a new folder, in the order of its names.
func Part(title, about string, goes []*Step) *proposal.Part {
	part := &proposal.Part{Title: title, About: "  " + about}
	order.Sort(order.Natural, goes, func(s *Step) string { return s.From })
	for _, s := range goes {
		step := proposal.Step{Op: change.Copy, From: s.From, To: s.To}
		if s.Moves {
			step.Op = change.Move
		}
		if s.From == s.To {
			step.Called = s.To
		}
		part.Add(step)
	}
	return part
}
