// Package treetest makes trees for tests.
package treetest

import (
	"slices"
	"strings"

	"vestibula/core/tree"
)

// Of is a tree of paths: of files, and of folders, which end in a slash. What lies in a
// folder is in the order of its bytes.
func Of(paths ...string) *tree.Node { return Add(&tree.Node{}, paths...) }

// Add adds paths to a tree, and returns it.
func Add(root *tree.Node, paths ...string) *tree.Node {
	for _, p := range paths {
		at := root
		names := strings.Split(strings.TrimSuffix(p, "/"), "/")
		for i, name := range names {
			next := at.Child(name)
			if next == nil {
				next = &tree.Node{Name: name}
				if i == len(names)-1 && !strings.HasSuffix(p, "/") {
					next.Kind = tree.File
				}
				at.Children = append(at.Children, next)
				slices.SortStableFunc(at.Children, func(a, b *tree.Node) int { return strings.Compare(a.Name, b.Name) })
			}
			at = next
		}
	}
	return root
}
