package next

import (
	"fmt"
	"path"
	"path/filepath"

	"vestibula/core/address"
	"vestibula/core/batch"
	"vestibula/core/change"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A Forward is one period that a project, or a folder that no template made, is carried
// forward to.
type Forward struct {
	Project *project.Project // nil of a folder that no template made
	*Plan
	Build *batch.Build // what is made anew; nil of such a folder
	Goes  []*Step      // those whose place is free

	old string // its own folder, from the place that is built in
}

// Propose plans the building of new projects, and what goes along: those of one template in one
// place together, as they may meet in what they share. Begin returns a job of build in a folder,
// and plan asks it, and refuses what is in the way. It returns how many files are begun there already. The error is a
// [proposal.Refusal], or one of begin and plan.
func Propose(list []*Forward, begin func(base address.Address) (*batch.Job, error), plan func(j *batch.Job) (*proposal.Proposal, error)) (p *proposal.Proposal, begun int, err error) {
	p = &proposal.Proposal{Set: &change.Set{}}
	type together struct {
		base     address.Address
		template *template.Template
	}
	groups := map[together][]*Forward{}
	var order []together
	for _, f := range list {
		x, err := f.Project.Template.Tree(f.Project.Values, template.DefaultLimit)
		if err != nil {
			return nil, 0, proposal.Refused("", "%v", err)
		}
		key := together{f.Project.Base(x.Root), f.Build.Template}
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], f)
	}
	for _, key := range order {
		j, err := begin(key.base)
		if err != nil {
			return nil, 0, err
		}
		n, err := addBuilds(p, j, groups[key], plan)
		j.Place.Close()
		if err != nil {
			return nil, 0, err
		}
		begun += n
	}
	p.Apart()
	return p, begun, nil
}

// addBuilds adds what builds some of them in one folder, and what goes along.
func addBuilds(p *proposal.Proposal, j *batch.Job, list []*Forward, plan func(j *batch.Job) (*proposal.Proposal, error)) (begun int, err error) {
	var builds []*batch.Build
	taken := map[string]bool{}
	for _, f := range list {
		rel, err := filepath.Rel(string(j.Place.Real), string(f.Project.Dir))
		if err != nil {
			return 0, err
		}
		f.old = filepath.ToSlash(rel)
		taken[f.old] = true
	}
	for _, f := range list {
		if taken[f.Own] {
			return 0, proposal.Refused("its name has to show what goes on", "the next one would be the same folder: %s", f.Own)
		}
		taken[f.Own] = true
		builds = append(builds, f.Build)
		f.Root.Share()
	}
	j.Batch = batch.Of(list[0].Build.Template, builds, j.Limit, j.Now)
	if err := j.Look(); err != nil {
		return 0, err
	}
	made, err := plan(j)
	if err != nil {
		return 0, err
	}
	j.CountSteps(j.Plan)
	way := made.Set.Way(func(at change.At) bool { _, err := j.Place.Look(at.Path); return err == nil })
	for i := range j.Plan.Steps {
		if j.Plan.Steps[i].Node.Kind == tree.Folder {
			way.Knows(change.At{Path: j.Plan.Path(i)})
		}
	}
	for _, f := range list {
		n, err := f.bring(made.Set, way, change.At{Path: f.old}, change.At{Path: f.Own})
		if err != nil {
			return 0, err
		}
		begun += n
	}
	p.Join(made)
	return begun, nil
}

// Leaves are the paths of what leaves the project with this period: it does not stay in it.
func (f *Forward) Leaves() (paths []string) {
	for _, s := range f.Goes {
		if s.Moves {
			paths = append(paths, s.From)
		}
	}
	return paths
}

// Title is what comes about: of several, so many periods each, what they are together.
func Title(list []*Forward, periods int) string {
	first, n := list[0].Own, len(list)
	switch {
	case n == 1:
		return first
	case n > periods:
		return fmt.Sprintf("%d new projects", n)
	}
	return first + " … " + path.Base(list[n-1].Own)
}
