package rules

import (
	"strings"

	"vestibula/core/tree"
)

// alike reports whether a name is the one that a rule means: itself, or without
// its numbering.
func alike(n *tree.Node, name string) bool {
	return n.Name == name || strings.Contains(n.Name, name) && tree.Bare(n) == name
}

// shown puts a name into the quotation marks of messages.
func shown(name string) string { return "“" + name + "”" }

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// renaming is the fix that gives a child of a real folder another name; nil where that
// name cannot be had.
func (f *Folder) renaming(n *tree.Node, name string, sure bool) *Fix {
	if !f.Real || f.Around || name == "" || name == n.Name || strings.Trim(name, ". ") == "" {
		return nil
	}
	folded := tree.Folded(name)
	for _, c := range f.Node.Children {
		if c != n && tree.Folded(c.Name) == folded {
			return nil
		}
	}
	return &Fix{Sure: sure, kind: n.Kind, from: f.Path(n), name: name}
}

// advice is what to do: in a template, or with a real folder.
func (f *Folder) advice(template, real string) string {
	if f.Real {
		return real
	}
	return template
}
