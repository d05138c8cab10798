package match

import (
	"cmp"
	"path"
	"slices"
	"unicode/utf8"

	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A pair is a wanted thing and the real one that is it.
type pair struct {
	want *tree.Node
	at   spot
}

// openOnes finds, for names with slots that nothing is known of, the real ones that
// read so. Of a line that stands for one thing, the one is taken whose contents fit
// best; a line that repeats, and one for later use, stand for any number.
func (m *matcher) openOnes(open []*tree.Node, real *tree.Node, at spot, taken []bool) (pairs []pair) {
	type candidate struct {
		want, index int
		score       int
		loose       int
	}
	var list []candidate
	for k, c := range open {
		name := m.Template.NameOf(c)
		loose, _ := name.Loose()
		for i, n := range real.Children {
			if !taken[i] && n.Kind == c.Kind && n.Marks&tree.Link == 0 && m.reads(c, n.Name) {
				list = append(list, candidate{k, i, m.likeness(c, n), loose})
			}
		}
	}
	slices.SortStableFunc(list, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(a.loose, b.loose))
	})
	used := make([]bool, len(open))
	for _, c := range list {
		want := open[c.want]
		line := m.Template.LineOf(want)
		if taken[c.index] || used[c.want] && line.Each == nil && want.Marks&tree.Later == 0 {
			continue
		}
		taken[c.index], used[c.want] = true, true
		pairs = append(pairs, pair{want, at.below(real.Children[c.index])})
		if m.learn != nil {
			for _, b := range m.bindings(want, real.Children[c.index].Name) {
				if !b.part {
					m.learn(line, b.slot, b.value)
				}
			}
		}
	}
	return pairs
}

// reads reports whether a real name can be what an open wanted one stands for.
func (m *matcher) reads(want *tree.Node, name string) bool {
	p := m.Template.NameOf(want)
	if p == nil {
		return false
	}
	r := m.reader(p)
	if r.Read(name, r.values) != nil {
		return false
	}
	for i, slot := range r.fields {
		if known, _ := m.known(slot); known.Given() && !p.Agrees(slot, r.values[i], known) || !m.begins(slot, r.values[i]) {
			return false
		}
	}
	return true
}

// begins reports whether a text has the initials that folders on the way show of it.
func (m *matcher) begins(slot string, v value.Value) bool {
	for i := range m.way {
		f := &m.way[i]
		for _, b := range m.shown(f) {
			if b.part && b.slot == slot && !m.Template.NameOf(f.want).Agrees(slot, b.value, v) {
				return false
			}
		}
	}
	return true
}

// likeness counts what of a wanted folder lies in a real one, less what does not.
func (m *matcher) likeness(want, real *tree.Node) (score int) {
	for _, c := range want.Children {
		if c.Marks&(tree.Open|tree.Due|tree.Later) != 0 {
			continue
		}
		if i, there := find(real.Children, c.Name); there && real.Children[i].Kind == c.Kind {
			score += 2
		} else {
			score--
		}
	}
	return score
}

// maxCompared bounds the pairs of names that are compared for slips in one folder.
const maxCompared = 250_000

// A way is how a real entry can be meant by a wanted one of another name.
type way struct {
	reason Reason
	sure   bool
	byName bool // by what is left of names without numbers
	fits   func(want, real *tree.Node) bool
}

// guesses reports whether a no to a reading holds against this one: a former name and another number
// are statements of the template.
func (w *way) guesses() bool { return !w.sure || w.reason == Followed }

// refuses reports whether somebody said that what lies in a folder is not what is wanted at a place,
// which is in a thing or from the own folder.
func (m *matcher) refuses(at spot, real *tree.Node, in *Thing, to string) bool {
	return m.Refuses != nil && m.Refuses(path.Join(at.path, real.Name), (&Thing{in: in, to: to}).Final())
}

// ways are those ways, the strongest first.
func (m *matcher) ways() []way {
	return []way{
		{Followed, true, false, m.follows(JustThis)},
		{Followed, true, false, m.follows(AlsoThis)},
		{Former, true, false, m.former},
		{Value, false, false, m.follows(MayBeThis)},
		{Number, true, true, tree.Renumbered},
		{Spelling, true, true, tree.Respelled},
		{Copied, false, false, func(want, real *tree.Node) bool { return naming.CopyOf(real.Name) == want.Name }},
		{Slip, false, true, tree.Slipped},
		{Value, false, false, m.revalued},
		{Contents, false, false, m.holdsSame},
	}
}

// otherNumber reports whether a real name has another number in front than a wanted one in the same folder, where that says
// what the thing is: it is the value of a slot, or tells it from its siblings. 2 Oak Street is not 3 Oak Street.
func (m *matcher) otherNumber(in, want, real *tree.Node) bool {
	is, numbered := naming.NumberIn(want.Name)
	other, _ := naming.NumberIn(real.Name)
	if !numbered || is.Front != "" || other.Digits != "" && other.Front == "" && other.Value == is.Value {
		return false
	}
	if p := m.Template.NameOf(want); p != nil && p.Pattern.Pieces[0].Field != "" && p.Pattern.Pieces[0].Field != pattern.OwnNumber {
		return true
	}
	return slices.ContainsFunc(in.Children, func(c *tree.Node) bool { return c != want && tree.Renumbered(c, want) })
}

// pairs finds which of the real entries that are left are wanted ones under another
// name. Each must be the only one that can be meant. It returns the wanted ones that
// remain.
func (m *matcher) pairs(found []pair, lacking []*tree.Node, real *tree.Node, at spot, taken []bool) (pairs []pair, rest []*tree.Node) {
	var left []int
	for i := range real.Children {
		if !taken[i] {
			left = append(left, i)
		}
	}
	take := func(want *tree.Node, i int, reason Reason, sure bool) {
		n := real.Children[i]
		taken[i] = true
		t := m.tell(&Thing{Kind: Misnamed, Reason: reason, Sure: sure, Node: want, Path: path.Join(at.path, n.Name), in: at.in, to: path.Join(at.to, want.Name), stays: at.below(n)})
		if want.Marks&tree.Either != 0 && n.Kind == tree.File {
			t.to += n.Name[len(n.Name)-len(tree.Extension(n.Name))-1:]
		}
		found = append(found, pair{want, spot{n, t.Path, t, ""}})
		left = slices.DeleteFunc(left, func(k int) bool { return k == i })
		lacking = slices.DeleteFunc(lacking, func(c *tree.Node) bool { return c == want })
	}
	for _, way := range m.ways() {
		if len(lacking)*len(left) == 0 {
			break
		}
		if len(lacking)*len(left) > maxCompared {
			continue
		}
		type couple struct{ want, real int }
		var couples []couple
		wants, reals := map[int]int{}, map[int]int{}
		for k, want := range lacking {
			for _, i := range left {
				n := real.Children[i]
				if kind := kindOf(n); want.Kind != kind && !(want.Marks&tree.Either != 0 && kind == tree.File) || m.another(want, n) || !way.fits(want, n) || way.byName && m.otherNumber(m.way[len(m.way)-1].want, want, n) || way.guesses() && m.refuses(at, n, at.in, path.Join(at.to, want.Name)) {
					continue
				}
				couples = append(couples, couple{k, i})
				wants[k]++
				reals[i]++
			}
		}
		wanted := slices.Clone(lacking)
		for _, c := range couples {
			if wants[c.want] == 1 && reals[c.real] == 1 {
				take(wanted[c.want], c.real, way.reason, way.sure)
			}
		}
	}
	return found, lacking
}

// kindOf returns the kind of a real entry: that of a link is its own.
func kindOf(n *tree.Node) tree.Kind {
	if n.Marks&tree.Link != 0 {
		return tree.Symlink
	}
	return n.Kind
}

// follows reports whether that is known of a real entry.
func (m *matcher) follows(what Following) func(want, real *tree.Node) bool {
	return func(want, real *tree.Node) bool { return m.Follows != nil && m.Follows(want, real) == what }
}

func (m *matcher) former(want, real *tree.Node) bool {
	return slices.Contains(m.Expansion.Was[want], real.Name)
}

// revalued reports whether a real name is that of the same line with another value,
// where the slots are such that not every name would be.
func (m *matcher) revalued(want, real *tree.Node) bool {
	p := m.Template.NameOf(want)
	if p == nil || p.Constant() || utf8.RuneCountInString(real.Name) < 4 {
		return false
	}
	if loose, fixed := p.Loose(); loose > 0 && fixed < 4 {
		return false
	}
	r := m.reader(p)
	if r.Read(real.Name, r.values) != nil {
		return false
	}
	return !slices.ContainsFunc(r.values, func(v value.Value) bool { return v.Kind == value.Unknown })
}

// holdsSame reports whether a real folder holds half of what a wanted one does. Of
// lines that repeat, all hold the same, and it says nothing.
func (m *matcher) holdsSame(want, real *tree.Node) bool {
	if l := m.Template.LineOf(want); l == nil || l.Each != nil || want.Kind != tree.Folder {
		return false
	}
	all, there := 0, 0
	for _, c := range want.Children {
		if c.Marks&(tree.Open|tree.Due|tree.Later) != 0 {
			continue
		}
		all++
		if i, found := find(real.Children, c.Name); found && real.Children[i].Kind == c.Kind {
			there++
		}
	}
	return there > 0 && 2*there >= all
}
