package cli

import (
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/order"
	"vestibula/core/tree"
)

// A column is one way to list a folder, and which lists do so.
type column struct {
	names []string // by which the lists are known; "as written" for the template's own
	nodes []*tree.Node
}

// sortings draws the list orders side by side, for each folder in which they
// differ from what is written. Orders that agree share a column; what moves is
// marked.
func (a *app) sortings(root *tree.Node) {
	differ := 0
	seen := map[string]bool{}
	var walk func(n *tree.Node, path string)
	walk = func(n *tree.Node, path string) {
		// Folders that list the same names look the same: one of them is enough.
		if columns := listings(n); len(columns) > 1 && !seen[signature(n)] {
			seen[signature(n)] = true
			if differ++; differ > 1 {
				a.screen.Line()
			}
			a.listing(path, columns)
		}
		for _, c := range n.Children {
			walk(c, strings.TrimPrefix(path+"/"+c.Name, "/"))
		}
	}
	walk(root, "")
	if differ == 0 {
		a.screen.Text(term.Good.Render("Every list") + " shows it in the order in which it is written.")
		return
	}
	a.screen.Line()
	a.screen.Text(term.Warn.Render("▲ ▼") + " stands further up, or down, than it is written")
	for _, o := range order.All() {
		a.screen.Text(term.Dim.Render(term.Pad(term.Visible(o.Known()), 19) + term.Pad(term.Visible(o.String()), 14) + term.Visible(o.Lists())))
	}
}

func signature(n *tree.Node) string {
	names := make([]string, len(n.Children))
	for i, c := range n.Children {
		names[i] = c.Name
	}
	return strings.Join(names, "/")
}

// listings returns the different ways in which lists show a folder, the one
// that is written first.
func listings(n *tree.Node) []column {
	written := slices.Clone(n.Children)
	slices.SortStableFunc(written, func(a, b *tree.Node) int { return int(a.Kind) - int(b.Kind) })
	columns := []column{{[]string{"as written"}, written}}
	for _, o := range order.All() {
		list := slices.Clone(written)
		order.Siblings(o, list)
		i := slices.IndexFunc(columns, func(c column) bool { return slices.Equal(c.nodes, list) })
		if i < 0 {
			columns = append(columns, column{nodes: list})
			i = len(columns) - 1
		}
		columns[i].names = append(columns[i].names, o.Known())
	}
	return columns
}

// listing draws one folder in its orders.
func (a *app) listing(path string, columns []column) {
	if path == "" {
		path = "the top level"
	}
	a.screen.Line(term.Strong.Render(term.Visible(path)))
	rows := make([][]term.Shown, len(columns[0].nodes))
	heading := make([]term.Column, len(columns))
	most := 0 // names in one column, which stand below each other
	for _, c := range columns {
		most = max(most, len(c.names))
	}
	at := make(map[*tree.Node]int, len(rows))
	for i, n := range columns[0].nodes {
		at[n] = i
	}
	for k, c := range columns {
		heading[k].Last = k
		staying := unmoved(at, c.nodes)
		for i, n := range c.nodes {
			name, sign := term.Visible(n.Name), term.Shown("  ")
			if !staying[n] {
				sign = term.Warn.Render("▼ ")
				if at[n] > i {
					sign = term.Warn.Render("▲ ")
				}
				name = term.Warn.Render(name)
			}
			if n.Kind == tree.Folder {
				name += term.Dim.Render("/")
			}
			rows[i] = append(rows[i], sign+name)
		}
	}
	names := make([][]term.Shown, most)
	for i := range names {
		for _, c := range columns {
			name := term.Shown("")
			if at := i - (most - len(c.names)); at >= 0 {
				name = term.Dim.Render("  " + term.Visible(c.names[at]))
			}
			names[i] = append(names[i], name)
		}
	}
	rows = append(names, rows...)
	for i, block := range a.blocks(rows) {
		if i > 0 {
			a.screen.Line()
		}
		shown := make([][]term.Shown, len(rows))
		for r, row := range rows {
			for _, k := range block {
				shown[r] = append(shown[r], row[k])
			}
		}
		a.screen.Table(heading[:len(block)], shown)
	}
}

// blocks are the columns that have room beside each other in the window, in as many blocks as it takes; the first
// column, which the others are held against, stands in each.
func (a *app) blocks(rows [][]term.Shown) (list [][]int) {
	const gap = 2
	wide := func(k int) (most int) {
		for _, row := range rows {
			most = max(most, term.Columns(row[k])+gap)
		}
		return most
	}
	block, total := []int{0}, wide(0)
	for k := 1; k < len(rows[0]); k++ {
		if w := wide(k); a.screen.Width > 0 && len(block) > 1 && total+w-gap > a.screen.Width {
			list, block, total = append(list, block), []int{0, k}, wide(0)+w
		} else {
			block, total = append(block, k), total+w
		}
	}
	return append(list, block)
}

// unmoved returns the nodes that stay in their order: the members of a longest
// row that rises in both lists. All others have moved. At says where nodes stand in the
// first list. Of the rows of each length, the one that ends lowest is kept ("patience
// sorting").
func unmoved(at map[*tree.Node]int, list []*tree.Node) map[*tree.Node]bool {
	var ends []int // of the rows of each length, where the last member stands in list
	before := make([]int, len(list))
	for i, n := range list {
		length, _ := slices.BinarySearchFunc(ends, at[n], func(end, place int) int { return at[list[end]] - place })
		before[i] = -1
		if length > 0 {
			before[i] = ends[length-1]
		}
		if length == len(ends) {
			ends = append(ends, i)
		} else {
			ends[length] = i
		}
	}
	staying := map[*tree.Node]bool{}
	if len(ends) > 0 {
		for i := ends[len(ends)-1]; i >= 0; i = before[i] {
			staying[list[i]] = true
		}
	}
	return staying
}
