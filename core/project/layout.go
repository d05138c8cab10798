package project

import (
	"strings"
	"time"

	"vestibula/core/match"
	"vestibula/core/tree"
)

// A Layout is a project with the folders that its template asks for.
type Layout struct {
	*Project
	Root   *tree.Node // what lies in the own folder, but for what is passed by
	Wanted *match.Wanted
	Places []*match.Place // the own folder is the first
}

// Layout holds all that lies in the own folder of a project, but for what is passed by, against
// its template, which may make so many things. Now is today. The error is that of the template.
func (p *Project) Layout(full *tree.Node, limit int, now time.Time) (*Layout, error) {
	root, err := match.Seen(full, p.Template)
	if err != nil {
		return nil, err
	}
	w, err := match.Of(p.Template, p.Template.Complete(p.Values.Clone(), now), max(limit, 10*root.Count()), now)
	if err != nil {
		return nil, err
	}
	if p.Label != nil {
		w.Closed, w.Refuses = p.Label.Closed, p.Label.Refuses
	}
	return &Layout{p, root, w, match.Places(w, root)}, nil
}

// At returns the innermost place that a folder is, or lies in: its path is from the own
// folder.
func (l *Layout) At(path string) *match.Place {
	best := l.Places[0]
	for _, p := range l.Places {
		if p.Real != nil && len(p.Path) > len(best.Path) && (p.Path == path || strings.HasPrefix(path, p.Path+"/")) {
			best = p
		}
	}
	return best
}
