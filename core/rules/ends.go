package rules

import (
	"fmt"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/order"
	"vestibula/core/tree"
)

func endRules() []*rule {
	name := map[string]any{"type": "string", "minLength": 1}
	return []*rule{{
		name:  "first",
		about: "The folder of this name is the first of its siblings, wherever it occurs, in every list.",
		why:   "What is looked at first belongs at the top, and a sign in front of a name leads in some lists only.",
		set:   "first: 00 Arrivals",
		bad:   "# first: Arrivals\nCommission\n    01 Work\n    02 Arrivals",
		good:  "# first: Arrivals\nCommission\n    00 Arrivals\n    01 Work",

		schema: name, configure: func(c *context) (check, error) { return end(c, "first", -1) },
	}, {
		name:  "last",
		about: "The folder of this name is the last of its siblings, wherever it occurs, in every list.",
		why:   "What is settled belongs at the end of every list, where it is in nobody's way.",
		set:   "last: 90 Settled",
		bad:   "# last: Settled\nCommission\n    01 Settled\n    02 Work",
		good:  "# last: Settled\nCommission\n    01 Work\n    90 Settled",

		schema: name, configure: func(c *context) (check, error) { return end(c, "last", 1) },
	}}
}

// toEnd says what brings a folder to its end, beyond the one that comes behind it.
func toEnd(it, worst *tree.Node, side int) string {
	if own, numbered := naming.NumberIn(it.Name); numbered && own.Front == "" { // the other one is not
		if other, numbered := naming.NumberIn(worst.Name); numbered && other.Front == "" {
			return fmt.Sprintf("give %s another number", shown(worst.Name))
		}
		return fmt.Sprintf("only digits stand in one place in every list: give %s a number too", shown(worst.Name))
	}
	bare := strings.TrimSpace(tree.Bare(it))
	name, help := "00 "+bare, "give it a number that comes before all others, such as "
	if side > 0 {
		name, help = "99 "+bare, "give it a number that no other reaches, such as "
	}
	for _, o := range order.All() {
		if o.Comparer().Compare(worst.Name, name)*side > 0 {
			return fmt.Sprintf("only digits stand in one place in every list: give it a number, and %s too", shown(worst.Name))
		}
	}
	return help + name
}

// end holds a folder to one end of its siblings: the first, with side -1, or the last, with 1.
// Of a template it is held to the order of the lines, and then, as a real folder is, to every
// list. A sibling whose name is not known yet is held to the lines alone.
func end(c *context, rule string, side int) (check, error) {
	want, err := text(c.setting)
	comparers := make([]*order.Comparer, len(order.All()))
	for i, o := range order.All() {
		comparers[i] = o.Comparer()
	}
	beyond := map[int]string{-1: "before", 1: "after"}[side]
	return check{folder: func(f *Folder, report func(Finding)) {
		var it, edge *tree.Node
		for _, n := range f.Node.Children {
			if n.Kind != tree.Folder {
				continue
			}
			if alike(n, want) {
				it = n
			}
			if edge == nil || side > 0 {
				edge = n
			}
		}
		if it == nil {
			return
		}
		finding := f.finding(rule, c.severity, it)
		if !f.Real && it != edge {
			finding.Message = say("%s is to be the %s, but %s comes %s it", shown(it.Name), rule, shown(edge.Name), beyond)
			finding.Help = map[int]string{-1: "move its line to the begin", 1: "move its line to the end"}[side]
			report(finding)
			return
		}
		var worst *tree.Node
		var where []order.Order
		for i, o := range order.All() {
			var far *tree.Node
			for _, n := range f.Node.Children {
				if n == it || n.Kind != tree.Folder || n.Marks&tree.Open != 0 || comparers[i].Compare(n.Name, it.Name)*side <= 0 {
					continue
				}
				if far == nil || comparers[i].Compare(n.Name, far.Name)*side > 0 {
					far = n
				}
			}
			if far != nil && (worst == nil || worst == far) {
				worst, where = far, append(where, o)
			}
		}
		if worst == nil || it.Marks&tree.Open != 0 {
			return
		}
		finding.Message = say("%s is to be the %s, but %s comes %s it in %s", shown(it.Name), rule, shown(worst.Name), beyond, lists(where))
		finding.Help = toEnd(it, worst, side)
		report(finding)
	}}, err
}
