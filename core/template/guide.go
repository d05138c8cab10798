package template

import (
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Guide writes the page of a template for those who join, as the files with `guide` hold it:
// of the project with some values, whose own folder is given.
type Guide func(t *Template, own *tree.Node, values Values, due map[*tree.Node]value.Value) string

// guides gives the files with `guide` what they hold, when the tree is whole.
func (x *expander) guides(root *tree.Node) {
	if len(x.guiding) == 0 || x.t.Guide == nil {
		return
	}
	_, own := x.t.Own(root)
	values := Values{}
	for i, f := range x.t.Fields {
		if i < len(x.env) && x.env[i].Given() {
			values[f.Name] = x.env[i]
		}
	}
	text := tree.Bytes(x.t.Guide(x.t, own, values, x.due))
	for _, n := range x.guiding {
		n.Content = text
	}
}
