package compare

import (
	"cmp"
	"path"
	"regexp"
	"slices"
	"strings"

	"vestibula/core/outline"
	"vestibula/core/tree"
)

// A Difference is one thing that is not the same on both sides.
type Difference struct {
	What   What
	Path   string // on the first side; of what is new, on the second
	Other  string // on the second side, of what is on both
	Folder bool
	Why    string // how names differ, or empty
	Within int    // so many things lie in it, that are on one side only as well
}

// What a difference is.
type What uint8

// The kinds of differences.
const (
	Renamed What = iota // the same thing in the same place, under another name
	Moved               // the same thing in another place
	Altered             // a file that holds something else
	Gone                // only on the first side
	New                 // only on the second side
)

// String returns the word for it.
func (w What) String() string { return [...]string{"renamed", "moved", "changed", "gone", "new"}[w] }

// A differ finds the differences of two trees.
type differ struct {
	same  func(a, b string) bool
	owns  func(n *tree.Node) bool
	list  []Difference
	lone  [2][]lonely
	moved map[*tree.Node]bool // what was found elsewhere, with all that lies in it
}

// A lonely node has nothing in the same place on the other side.
type lonely struct {
	node *tree.Node
	path string
}

// Differences are those of two trees, in the order of their paths. Same tells of files that
// are on both sides, by their paths, whether they hold the same; it may be nil. Owns tells
// of a folder of the first side that what lies in it on the second is not compared; it may
// be nil.
func Differences(a, b *tree.Node, same func(a, b string) bool, owns func(n *tree.Node) bool) []Difference {
	d := &differ{same: same, owns: owns, moved: map[*tree.Node]bool{}}
	d.folders(a, b, "", "")
	d.moves()
	for i, what := range []What{Gone, New} {
		for _, l := range d.lone[i] {
			d.list = append(d.list, Difference{What: what, Path: l.path, Folder: l.node.Kind == tree.Folder, Within: d.within(l.node)})
		}
	}
	slices.SortStableFunc(d.list, func(x, y Difference) int { return cmp.Or(strings.Compare(x.Path, y.Path), int(x.What)-int(y.What)) })
	return d.list
}

// folders compares what lies in two folders that are the same.
func (d *differ) folders(a, b *tree.Node, at, other string) {
	if d.owns != nil && d.owns(a) {
		return
	}
	left, right := a.Children, b.Children
	for _, key := range []func(n *tree.Node) (key, why string){exactly, byNumber, byStyle} {
		left, right = d.alike(left, right, at, other, key)
	}
	for _, alike := range []func(x, y *tree.Node) (why string, is bool){bySlip, byContents} {
		if len(left)*len(right) <= maxCompared {
			left, right = d.near(left, right, at, other, alike)
		}
	}
	for _, x := range left {
		d.lone[0] = append(d.lone[0], lonely{x, path.Join(at, x.Name)})
	}
	for _, y := range right {
		d.lone[1] = append(d.lone[1], lonely{y, path.Join(other, y.Name)})
	}
}

// maxCompared bounds the pairs of names that are held against each other in one folder.
const maxCompared = 250_000

// alike pairs those that have one key, each with the only one that has it on the other side.
// It returns what is left.
func (d *differ) alike(left, right []*tree.Node, at, other string, key func(n *tree.Node) (key, why string)) (restLeft, restRight []*tree.Node) {
	of := map[string][]*tree.Node{}
	for _, y := range right {
		if k, _ := key(y); k != "" {
			of[y.Kind.String()+k] = append(of[y.Kind.String()+k], y)
		}
	}
	paired := map[*tree.Node]bool{}
	for _, x := range left {
		k, why := key(x)
		if list := of[x.Kind.String()+k]; k != "" && len(list) == 1 {
			y := list[0]
			delete(of, x.Kind.String()+k)
			paired[y] = true
			d.pair(x, y, path.Join(at, x.Name), path.Join(other, y.Name), why)
			continue
		}
		restLeft = append(restLeft, x)
	}
	for _, y := range right {
		if !paired[y] {
			restRight = append(restRight, y)
		}
	}
	return restLeft, restRight
}

// near pairs those that come near to each other, each with the only one that it is near to.
// It returns what is left.
func (d *differ) near(left, right []*tree.Node, at, other string, near func(x, y *tree.Node) (why string, is bool)) (restLeft, restRight []*tree.Node) {
	for _, x := range left {
		partner, why := -1, ""
		for j, y := range right {
			if y.Kind != x.Kind {
				continue
			}
			if reason, is := near(x, y); is {
				if partner >= 0 { // either could be meant
					partner = -2
					break
				}
				partner, why = j, reason
			}
		}
		if partner < 0 {
			restLeft = append(restLeft, x)
			continue
		}
		y := right[partner]
		right = slices.Delete(slices.Clone(right), partner, partner+1)
		d.pair(x, y, path.Join(at, x.Name), path.Join(other, y.Name), why)
	}
	return restLeft, right
}

// pair notes how two things that are the same differ, and compares what lies in them.
func (d *differ) pair(x, y *tree.Node, at, other, why string) {
	switch {
	case x.Name != y.Name:
		d.list = append(d.list, Difference{What: Renamed, Path: at, Other: other, Folder: x.Kind == tree.Folder, Why: why})
	case x.Kind == tree.File && d.same != nil && !d.same(at, other):
		d.list = append(d.list, Difference{What: Altered, Path: at, Other: other})
	}
	if x.Kind == tree.Folder {
		d.folders(x, y, at, other)
	}
}

func exactly(n *tree.Node) (key, why string) { return n.Name, "" }

var number = regexp.MustCompile(`^\d+[ ._-]*`)

// bare is a name without the number in front of it.
func bare(name string) string { return number.ReplaceAllString(name, "") }

func byNumber(n *tree.Node) (key, why string) { return bare(n.Name), "another number" }

// plainly is a name in small letters, without its number and signs.
func plainly(name string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(" -_.,'’", r) {
			return -1
		}
		return r
	}, tree.Folded(bare(name)))
}

func byStyle(n *tree.Node) (key, why string) { return plainly(n.Name), "written otherwise" }

func bySlip(x, y *tree.Node) (string, bool) {
	return "one letter apart", len([]rune(x.Name)) > 4 && outline.OneLetterApart(strings.ToLower(x.Name), strings.ToLower(y.Name))
}

// byContents takes two folders for the same that hold much the same names.
func byContents(x, y *tree.Node) (string, bool) {
	if x.Kind != tree.Folder || len(x.Children) < 2 || len(y.Children) < 2 {
		return "", false
	}
	shared := 0
	for _, c := range x.Children {
		if y.Child(c.Name) != nil {
			shared++
		}
	}
	return "it holds the same", shared*3 >= 2*max(len(x.Children), len(y.Children))
}

// moves finds what is alone on both sides under one name, with all that lies in what is
// alone: it lies elsewhere there.
func (d *differ) moves() {
	for {
		var names [2]map[string][]lonely
		for side := range names {
			names[side] = map[string][]lonely{}
			add := func(n *tree.Node, at string) {
				if !d.moved[n] {
					key := n.Kind.String() + bare(n.Name)
					names[side][key] = append(names[side][key], lonely{n, at})
				}
			}
			for _, l := range d.lone[side] {
				add(l.node, l.path)
				for below, n := range l.node.All() {
					add(n, l.path+"/"+below)
				}
			}
		}
		found := false
		var keys []string
		for key, a := range names[0] {
			if len(a) == 1 && len(names[1][key]) == 1 {
				keys = append(keys, key)
			}
		}
		depth := func(key string) int {
			return strings.Count(names[0][key][0].path, "/") + strings.Count(names[1][key][0].path, "/")
		}
		slices.SortFunc(keys, func(a, b string) int { return cmp.Or(depth(a)-depth(b), strings.Compare(a, b)) }) // a folder before what lies in it
		for _, key := range keys {
			x, y := names[0][key][0], names[1][key][0]
			if d.moved[x.node] || d.moved[y.node] || d.holdsMoved(x.node) || d.holdsMoved(y.node) {
				continue
			}
			one := Difference{What: Moved, Path: x.path, Other: y.path, Folder: x.node.Kind == tree.Folder}
			if !one.Folder && d.same != nil && !d.same(x.path, y.path) {
				one.Why = "it holds something else"
			}
			d.list = append(d.list, one)
			for _, n := range []*tree.Node{x.node, y.node} {
				d.moved[n] = true
				for _, c := range n.All() {
					d.moved[c] = true
				}
			}
			for side, n := range []*tree.Node{x.node, y.node} {
				d.lone[side] = slices.DeleteFunc(d.lone[side], func(l lonely) bool { return l.node == n })
			}
			if x.node.Kind == tree.Folder {
				d.folders(x.node, y.node, x.path, y.path)
				found = true // what is alone in them may lie elsewhere as well
				break
			}
		}
		if !found {
			return
		}
	}
}

// holdsMoved reports whether something that lies in a node was found elsewhere already.
func (d *differ) holdsMoved(n *tree.Node) bool { return d.within(n) < n.Count() }

// within is how much lies in something that is on one side only, and nowhere else.
func (d *differ) within(n *tree.Node) (count int) {
	for _, c := range n.All() {
		if !d.moved[c] {
			count++
		}
	}
	return count
}

// Count counts differences by their kinds.
func Count(list []Difference) (n [New + 1]int) {
	for _, d := range list {
		n[d.What]++
	}
	return n
}
