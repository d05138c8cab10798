package compare

import (
	"cmp"
	"path"
	"slices"
	"strings"

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
	Contents
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

// Contents tell what files hold, by their paths. Each may be nil.
type Contents struct {
	Same func(a, b string) bool             // whether files that are on both sides hold the same
	Sum  func(side int, path string) string // what one holds, as a checksum; "" where that is not known
}

// Differences are those of two trees, in the order of their paths. Owns tells
// of a folder of the first side that what lies in it on the second is not compared; it may
// be nil.
func Differences(a, b *tree.Node, hold Contents, owns func(n *tree.Node) bool) []Difference {
	d := &differ{Contents: hold, owns: owns, moved: map[*tree.Node]bool{}}
	d.folders(a, b, "", "")
	d.equal()
	d.moves()
	d.slips()
	for i, what := range []What{Gone, New} {
		for _, l := range d.lone[i] {
			d.list = append(d.list, Difference{What: what, Path: l.path, Folder: kind(l.node) == tree.Folder, Within: d.within(l.node)})
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
			left, right = d.near(left, right, at, other, func(x, y *tree.Node) (string, bool) {
				if kind(x) != tree.Folder {
					return "", false // a file may be found elsewhere first
				}
				return alike(x, y)
			})
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

// alike pairs those that have one key, where on each side only one has it. It returns what is left.
func (d *differ) alike(left, right []*tree.Node, at, other string, key func(n *tree.Node) (key, why string)) (restLeft, restRight []*tree.Node) {
	of := map[string][]*tree.Node{}
	for _, y := range right {
		if k, _ := key(y); k != "" {
			of[kind(y).String()+k] = append(of[kind(y).String()+k], y)
		}
	}
	paired, same := map[*tree.Node]bool{}, map[string]int{}
	for _, x := range left {
		k, _ := key(x)
		same[kind(x).String()+k]++
	}
	for _, x := range left {
		k, why := key(x)
		if list := of[kind(x).String()+k]; k != "" && len(list) == 1 && same[kind(x).String()+k] == 1 {
			y := list[0]
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

// near pairs those that come near to each other and to no other one. It returns what is left.
func (d *differ) near(left, right []*tree.Node, at, other string, near func(x, y *tree.Node) (why string, is bool)) (restLeft, restRight []*tree.Node) {
	for _, x := range left {
		partner, why := -1, ""
		for j, y := range right {
			if kind(y) != kind(x) {
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
		if partner < 0 || slices.ContainsFunc(left, func(o *tree.Node) bool {
			if o == x || kind(o) != kind(x) {
				return false
			}
			_, is := near(o, right[partner])
			return is
		}) {
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
		d.list = append(d.list, Difference{What: Renamed, Path: at, Other: other, Folder: kind(x) == tree.Folder, Why: why})
	case kind(x) != tree.Folder && d.Same != nil && !d.Same(at, other):
		d.list = append(d.list, Difference{What: Altered, Path: at, Other: other})
	}
	if kind(x) == tree.Folder {
		d.folders(x, y, at, other)
	}
}

// kind is what something is: a link, whatever it leads to.
func kind(n *tree.Node) tree.Kind {
	if n.Marks&tree.Link != 0 {
		return tree.Symlink
	}
	return n.Kind
}

func exactly(n *tree.Node) (key, why string) { return n.Name, "" }

func byNumber(n *tree.Node) (key, why string) {
	return tree.Ending(n) + "/" + tree.Unnumbered(n), "another number or mark in front"
}

func byStyle(n *tree.Node) (key, why string) {
	return tree.Ending(n) + "/" + tree.Key(n), "spelled differently"
}

func bySlip(x, y *tree.Node) (string, bool) { return "a slip of the pen", tree.Slipped(x, y) }

// byContents takes two folders for the same that hold much the same names.
func byContents(x, y *tree.Node) (string, bool) {
	if kind(x) != tree.Folder || len(x.Children) < 2 || len(y.Children) < 2 {
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

// equal finds files that are alone on both sides, each the only one that holds what it holds: they have
// another name or place.
func (d *differ) equal() {
	if d.Sum == nil {
		return
	}
	var of [2]map[string][]lonely
	for side := range of {
		of[side] = map[string][]lonely{}
		add := func(n *tree.Node, at string) {
			if kind(n) != tree.File {
				return
			}
			if sum := d.Sum(side, at); sum != "" {
				of[side][sum] = append(of[side][sum], lonely{n, at})
			}
		}
		if side == 1 && len(of[0]) == 0 {
			return
		}
		for _, l := range d.lone[side] {
			add(l.node, l.path)
			for below, n := range l.node.All() {
				add(n, l.path+"/"+below)
			}
		}
	}
	for sum, list := range of[0] {
		if others := of[1][sum]; len(list) == 1 && len(others) == 1 {
			x, y := list[0], others[0]
			if one := (Difference{What: Moved, Path: x.path, Other: y.path}); path.Base(x.path) != path.Base(y.path) || path.Dir(x.path) != path.Dir(y.path) {
				if path.Dir(x.path) == path.Dir(y.path) {
					one.What = Renamed
				}
				d.found(one, x.node, y.node)
			}
		}
	}
}

// found notes that two things which were alone are the same.
func (d *differ) found(one Difference, pair ...*tree.Node) {
	d.list = append(d.list, one)
	for side, n := range pair {
		d.moved[n] = true
		for _, c := range n.All() {
			d.moved[c] = true
		}
		d.lone[side] = slices.DeleteFunc(d.lone[side], func(l lonely) bool { return l.node == n })
	}
}

// slips pairs files that are still alone in one folder, and one letter apart.
func (d *differ) slips() {
	of := [2]map[string][]lonely{{}, {}}
	for side := range of {
		for _, l := range d.lone[side] {
			if kind(l.node) != tree.Folder && !d.moved[l.node] {
				of[side][path.Dir(l.path)] = append(of[side][path.Dir(l.path)], l)
			}
		}
	}
	for dir, left := range of[0] {
		right := of[1][dir]
		if len(left)*len(right) > maxCompared {
			continue
		}
		near := func(of lonely, list []lonely) (found []lonely) {
			for _, l := range list {
				if _, is := bySlip(of.node, l.node); is && kind(of.node) == kind(l.node) && !d.moved[l.node] {
					found = append(found, l)
				}
			}
			return found
		}
		for _, x := range left {
			if list := near(x, right); len(list) == 1 && len(near(list[0], left)) == 1 {
				why, _ := bySlip(x.node, list[0].node)
				d.found(Difference{What: Renamed, Path: x.path, Other: list[0].path, Why: why}, x.node, list[0].node)
			}
		}
	}
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
					key, _ := byNumber(n)
					key = kind(n).String() + key
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
			one := Difference{What: Moved, Path: x.path, Other: y.path, Folder: kind(x.node) == tree.Folder}
			if !one.Folder && d.Same != nil && !d.Same(x.path, y.path) {
				one.Why = "it holds something else"
			}
			d.found(one, x.node, y.node)
			if kind(x.node) == tree.Folder {
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
