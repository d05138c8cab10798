package inspect

import (
	"path"

	"vestibula/core/standing"
)

// A Copy is a project that has the identity of another one.
type Copy struct {
	Copy, Of *Subject
	Sure     bool // which of them is the copy is known, and where it lies it becomes a project of its own as soon as it has other values
}

// between finds, of files that cannot stay in their projects, which of the other ones that were
// looked at they belong to: it is another command that brings them there.
func (l *Look) between(r *Report) {
	var planner *standing.Planner
	for _, s := range r.Subjects {
		for i := range s.Findings {
			f := &s.Findings[i]
			if f.Rule != "misplaced" || f.Fix != nil || s.Project == nil {
				continue
			}
			if planner == nil {
				planner = l.planner(r)
			}
			if o := planner.Place(&standing.File{Path: f.Path}); o.Kind == standing.Goes && o.Spots[0].Project.Dir != s.Dir {
				f.Belongs = string(o.Spots[0].Project.Dir.Join(path.Dir(o.Path)))
			}
		}
	}
}

// planner is one that knows all projects that were looked at, as far as they can be opened.
func (l *Look) planner(r *Report) *standing.Planner {
	var projects []*standing.Project
	for _, s := range r.Subjects {
		if s.Project == nil || s.Err != nil {
			continue
		}
		if layout, err := s.Project.Layout(s.Root.Copy(), l.Limit, l.Now); err == nil {
			projects = append(projects, &standing.Project{Layout: layout, Shown: s.Name})
		}
	}
	return standing.NewPlanner(projects)
}
