package standing

import (
	"path"
	"slices"
	"strings"

	"vestibula/core/tree"
)

// Project is the one that a file goes into, or nil where that is not known.
func (o *Outcome) Project() *Project {
	if o.Kind != Goes || len(o.Spots) == 0 {
		return nil
	}
	return o.Spots[0].Project
}

// Stays notes that a file is in a project already.
func (o *Outcome) Stays(p *Project, at, why string) {
	o.Kind, o.Path, o.Why, o.Help = There, at, why, Remedy{}
	o.Spots = []Spot{{Project: p, Dir: path.Dir(at)}}
}

// Has reports whether something lay at a path of the project when it was read.
func (p *Project) Has(at string) bool {
	n := p.Root
	for name := range strings.SplitSeq(at, "/") {
		i, found := slices.BinarySearchFunc(n.Children, name, func(c *tree.Node, name string) int { return strings.Compare(c.Name, name) })
		if !found {
			return false
		}
		n = n.Children[i]
	}
	return true
}
