package inspect

import (
	"slices"

	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// Seen is what of a project is seen when it is judged by a template: a copy of the tree
// of all that lies in it.
func Seen(full *tree.Node, t *template.Template) (*tree.Node, error) {
	ignored, err := rules.Ignore(slices.Concat(hiddenOnes(t), t.Ignore))
	if err != nil {
		return nil, err
	}
	seen := full.Copy()
	ignored.Prune(seen)
	return seen, nil
}
