package rules

import (
	"strings"

	"vestibula/core/naming"
	"vestibula/core/tree"
)

// alike reports whether a name is the one that a rule means: itself, or without
// its numbering.
func alike(n *tree.Node, name string) bool {
	return n.Name == name || strings.Contains(n.Name, name) && naming.Bare(n) == name
}

// shown puts a name into the quotation marks of messages.
func shown(name string) string { return "“" + name + "”" }

func isDigit(c byte) bool { return c >= '0' && c <= '9' }
