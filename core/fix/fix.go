// Package fix plans what fixes findings in real folders: what is sure together, and what is
// probable where somebody agreed to it. What a finding's fix is, the rules say.
package fix

import (
	"slices"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/rules"
	"vestibula/core/tree"
)

// A Folder is a real folder, and what was found in it.
type Folder struct {
	Dir      address.Address // absolute
	ID       string          // of the project that it is, if it is one
	Findings []rules.Finding
}

// A Plan is what can be fixed in folders.
type Plan struct {
	folders []Folder
	steps   map[*rules.Finding]*proposal.Step
	parts   []*proposal.Part
	sure    int
}

// Find finds what can be fixed.
func Find(folders []Folder) *Plan {
	p := &Plan{folders: folders, steps: map[*rules.Finding]*proposal.Step{}}
	for i := range folders {
		part := &proposal.Part{In: folders[i].Dir}
		for k := range folders[i].Findings {
			f := &folders[i].Findings[k]
			if f.Fix == nil {
				continue
			}
			s := &proposal.Step{Op: change.Move, From: f.Path, To: f.Fix.To(), Why: f.Fix.Why(), Probable: !f.Fix.Sure}
			if f.Fix.Makes() {
				s.Op, s.From, s.Folder = change.Make, "", f.Fix.Node().Kind == tree.Folder
			}
			if s.Why == "" {
				s.Why = f.Message.String()
			}
			if f.Fix.Sure {
				p.sure++
			}
			p.steps[f] = s
			part.Steps = append(part.Steps, s)
		}
		p.parts = append(p.parts, part)
	}
	return p
}

// Parts are all steps, by folders, for whoever asks for the probable ones.
func (p *Plan) Parts() []*proposal.Part { return p.parts }

// Empty reports whether nothing can be fixed.
func (p *Plan) Empty() bool { return len(p.steps) == 0 }

// Proposal returns what is sure and what somebody agreed to. The steps that wait for an answer
// stand in it as well.
func (p *Plan) Proposal() (*proposal.Proposal, error) {
	out := &proposal.Proposal{Set: &change.Set{}}
	for i := range p.folders {
		folder := &p.folders[i]
		changes, done := rules.Plan(folder.Findings, func(f *rules.Finding) bool { return p.steps[f] != nil && p.steps[f].Goes() })
		part := &proposal.Part{In: folder.Dir}
		for _, f := range done {
			part.Steps = append(part.Steps, p.steps[f])
		}
		for _, s := range p.parts[i].Steps {
			if !s.Goes() && !s.Refused {
				part.Steps = append(part.Steps, s)
			}
		}
		if len(part.Steps) > 0 {
			out.Parts = append(out.Parts, part)
		}
		if err := p.refused(out, i); err != nil {
			return nil, err
		}
		if len(changes) > 0 {
			in := out.Set.Join(&change.Set{Places: []address.Address{folder.Dir}, Changes: changes})
			out.Counts(change.At{In: in[0], Path: "."}, folder.ID)
		}
	}
	return out, nil
}

// refused notes in the label of a project what somebody said no to.
func (p *Plan) refused(out *proposal.Proposal, i int) error {
	folder := &p.folders[i]
	if folder.ID == "" || !slices.ContainsFunc(p.parts[i].Steps, func(s *proposal.Step) bool { return s.Refused }) {
		return nil
	}
	out.Counts(change.At{In: out.Set.Place(folder.Dir), Path: "."}, folder.ID)
	return project.Relabel(out.Set, folder.Dir, func(l *label.Label) error {
		for _, s := range p.parts[i].Steps {
			if s.Refused {
				l.Refuse(s.From, s.To)
			}
		}
		return nil
	})
}
