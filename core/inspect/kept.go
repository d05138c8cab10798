package inspect

import (
	"errors"
	"path"
	"strings"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/label"
	"vestibula/core/packed"
	"vestibula/core/project"
	"vestibula/core/rules"
	"vestibula/core/tree"
)

// A Kept subject is a backup, a bag or an archive with such lists: it is held against its own list, and
// not against a template.
type Kept struct {
	What  string // in a word
	Files int    // so many were compared
	Notes []string
}

// kept holds what lies at a path against the list in it; nil where it has none.
func (l *Look) kept(at address.Address, name string) *Subject {
	what, report, err := bundle.Check(at, l.Done)
	if errors.Is(err, bundle.ErrNoList) {
		return nil
	}
	s := &Subject{Name: name, Dir: at, Root: &tree.Node{}, Rules: []string{"whole"}, Kept: &Kept{What: what}}
	if err != nil {
		s.Findings = []rules.Finding{rules.NotWhole(".", "is no whole "+what+": "+err.Error())}
		return s
	}
	s.Kept.Files, s.Kept.Notes = report.Files, report.Passed
	for _, p := range report.Problems {
		s.Findings = append(s.Findings, rules.NotWhole(p.Path, "is "+p.Kind.String()+": "+p.Why))
	}
	return s
}

// keptBelow finds the backups below a folder, outside of projects, by their paths, and takes them out of
// what is judged otherwise. Files that could be such are among them.
func keptBelow(root *tree.Node) (list []string) {
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		kept := n.Children[:0]
		for _, c := range n.Children {
			below := path.Join(at, c.Name)
			switch {
			case c.Kind == tree.Folder && isKept(c), c.Kind == tree.File && c.Marks&tree.Link == 0 && packed.FormatOf(c.Name) == packed.Zip:
				list = append(list, below)
				if c.Kind == tree.Folder {
					continue
				}
			case c.Kind == tree.Folder && !project.Has(c, label.FileName):
				walk(c, below)
			}
			kept = append(kept, c)
		}
		n.Children = kept
	}
	walk(root, "")
	return list
}

// isKept reports whether a folder is a backup or a bag.
func isKept(n *tree.Node) bool {
	return project.Within(n, bundle.BackupName) != nil || project.Has(n, bundle.Declaration) && (project.Has(n, bundle.BagName) || !project.Has(n, label.FileName))
}

// holdKept adds the backups below a folder. They are read where nothing else is there to be judged;
// else they are named, as it may take long.
func (l *Look) holdKept(r *Report, found *project.Found, list []string) {
	for _, at := range list {
		if len(found.Projects) > 0 || l.Template != nil || l.Passing {
			if !strings.HasSuffix(at, ".zip") {
				r.Backups = append(r.Backups, at)
			}
			continue
		}
		if s := l.kept(found.Dir.Join(at), at); s != nil {
			r.Subjects = append(r.Subjects, s)
		}
	}
}
