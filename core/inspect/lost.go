package inspect

import (
	"path"
	"slices"

	"vestibula/core/match"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// lost finds what lies beside projects and looks like one: all that its template makes at the top
// of such is there, and its name says the values.
func (l *Look) lost(r *Report, root *tree.Node) {
	var templates []*template.Template
	for _, s := range r.Subjects {
		if s.Project != nil && !slices.Contains(templates, s.Project.Template) && len(templates) < maxLostBy {
			templates = append(templates, s.Project.Template)
		}
	}
	for _, at := range r.Unjudged {
		n := root.At(at)
		if n == nil || n.Kind != tree.Folder {
			continue
		}
		for _, t := range templates {
			if lost := l.isLost(t, n, at); lost != nil {
				r.Lost = append(r.Lost, *lost)
				break
			}
		}
	}
}

// maxLostBy is how many templates a folder is held against.
const maxLostBy = 10

func (l *Look) isLost(t *template.Template, n *tree.Node, at string) *Lost {
	known, err := (&match.Showing{Template: t, Names: []string{path.Base(at)}, Real: n, Limit: l.Limit, Now: l.Now}).Values()
	if err != nil {
		return nil
	}
	w, err := match.Of(t, t.Complete(known.Clone(), l.Now), l.Limit, l.Now)
	if err != nil {
		return nil
	}
	if own, _ := t.Own(w.Expansion.Root); own != path.Base(at) {
		return nil // its name says too little, or it lies deeper
	}
	wanted := 0
	for _, c := range w.Own.Children {
		if c.Marks&(tree.Later|tree.Due|tree.Open) == 0 {
			wanted++
		}
	}
	if wanted < 2 || w.Likeness(n) < wanted {
		return nil
	}
	return &Lost{Path: at, Template: t, Values: known, Into: path.Dir(at)}
}
