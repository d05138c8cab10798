package upgrade

import (
	"path"
	"slices"
	"strings"

	"vestibula/core/change"
	"vestibula/core/match"
	"vestibula/core/merge"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A remembered node is what the old template has found out about a real entry.
type remembered struct {
	from  int32
	nth   uint8
	marks tree.Marks
}

// memories are what is known of all entries: in the order of the tree, and by the entries
// once somebody asks.
type memories struct {
	root   *tree.Node
	list   []remembered
	byNode map[*tree.Node]remembered
}

func remember(root *tree.Node) *memories {
	k := &memories{root: root}
	var walk func(n *tree.Node)
	walk = func(n *tree.Node) {
		for _, c := range n.Children {
			k.list = append(k.list, remembered{c.From, c.Nth, c.Marks})
			walk(c)
		}
	}
	walk(root)
	return k
}

// of returns what was known of an entry. It is first asked before the tree changes.
func (k *memories) of(n *tree.Node) remembered {
	if k.byNode == nil {
		k.byNode = make(map[*tree.Node]remembered, len(k.list))
		i := 0
		var walk func(n *tree.Node)
		walk = func(n *tree.Node) {
			for _, c := range n.Children {
				k.byNode[c] = k.list[i]
				i++
				walk(c)
			}
		}
		walk(k.root)
	}
	return k.byNode[n]
}

// restore sets all entries back to that.
func (k *memories) restore(root *tree.Node) {
	for _, n := range root.All() {
		known := k.of(n)
		n.From, n.Nth, n.Marks = known.from, known.nth, known.marks
	}
}

// A double is a folder whose line has become one with another line, which has a folder
// already: what lies in it comes to lie there.
type double struct {
	at    string // where it lies
	there string // the other folder
}

// doubles finds the folders of which two have become one.
func (p *Plan) doubles(w *match.Wanted, lines *correspondence) (list []double) {
	if !p.besides(p.job.Seen) {
		return nil
	}
	places := map[*template.Line][]matched{}
	for _, m := range p.matched {
		if line := w.Template.LineOf(m.want); line != nil {
			places[line] = append(places[line], m)
		}
	}
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		for _, c := range n.Children {
			here := path.Join(at, c.Name)
			if c.Kind != tree.Folder || c.Marks&tree.Apart != 0 {
				continue
			}
			if _, stays := p.matched[c]; stays {
				walk(c, here)
				continue
			}
			if there := one(p.becomes(w, lines, p.known.of(c), c, n), places); there != "" && !strings.HasPrefix(there+"/", here+"/") {
				list = append(list, double{here, there})
			}
		}
	}
	walk(p.job.Seen, "")
	return list
}

// besides reports whether there are folders beside those that are wanted.
func (p *Plan) besides(n *tree.Node) bool {
	for _, c := range n.Children {
		if c.Kind == tree.Folder && (!p.stands(c) || p.besides(c)) {
			return true
		}
	}
	return false
}

// becomes returns the line that a folder belongs to by now, where it is not the one
// that stands for it: by its old line, or by a former name.
func (p *Plan) becomes(w *match.Wanted, lines *correspondence, known remembered, n, in *tree.Node) *template.Line {
	if known.from > 0 {
		old := lines.old.LineOf(&tree.Node{From: known.from})
		if old == nil || old.Each != nil {
			return nil
		}
		return lines.into(old)
	}
	m, there := p.matched[in]
	folder := w.Own
	if there {
		folder = m.want
	}
	for _, c := range folder.Children {
		if slices.Contains(w.Expansion.Was[c], n.Name) {
			return w.Template.LineOf(c)
		}
	}
	return nil
}

// one returns where the only folder of a line lies, or "".
func one(line *template.Line, places map[*template.Line][]matched) string {
	if line == nil || line.Each != nil || len(places[line]) != 1 || places[line][0].want.Kind != tree.Folder {
		return ""
	}
	return places[line][0].at
}

// together puts doubles together in the trees, and notes where what is in them lies. It
// reports whether there were any.
func (p *Plan) together(list []double) (some bool) {
	j := p.job
	if len(list) > 0 && len(p.origin) == 0 {
		j.Full = j.Full.Copy() // that of the caller stays as it is
	}
	for _, d := range list {
		from, into := j.Full.At(d.at), j.Full.At(d.there)
		if from == nil || into == nil || len(from.Children) == 0 {
			continue
		}
		m := &merge.Merger{Sum: func(at string) (string, error) { return j.Sum(p.lies(at)) }, Own: j.Own}
		changes, err := m.Put(from, d.at, into, d.there, d.there)
		if err != nil {
			if told := (Stay{Path: p.lies(d.at), Why: err.Error()}); !slices.Contains(p.apart, told) {
				p.apart = append(p.apart, told)
			}
			continue
		}
		some = some || len(changes) > 0
		for _, c := range changes {
			if c.Op == change.Remove {
				p.emptied = append(p.emptied, &Step{Step: proposal.Step{Op: change.Remove, From: p.lies(c.Path), To: c.Instead, Why: c.Why, Folder: c.Was.Kind == tree.Folder}, kind: c.Was.Kind, sum: c.Was.Sum, equal: c.Equal})
				delete(p.origin, c.Path)
				take(j.Full, c.Path)
				take(j.Seen, c.Path)
				continue
			}
			old := p.lies(c.From)
			delete(p.origin, c.From)
			p.origin[c.Path], p.why[c.Path] = old, c.Why
			take(j.Full, c.From)
			if n := take(j.Seen, c.From); n != nil {
				n.Name = path.Base(c.Path)
				put(j.Seen.At(path.Dir(c.Path)), n)
			}
		}
		sorted(into)
	}
	return some
}

// lies returns where something lies, by its path in the trees in which doubles have
// been put together.
func (p *Plan) lies(at string) string {
	for in := at; in != "." && len(p.origin) > 0; in = path.Dir(in) {
		if old, moved := p.origin[in]; moved {
			return old + at[len(in):]
		}
	}
	return at
}

// gathered adds the steps by which what has been put together gets there.
func (p *Plan) gathered() {
	goes := map[string]bool{}
	for _, s := range p.Steps {
		goes[s.From] = goes[s.From] || s.Op == change.Remove
	}
	var list []string
	for at, old := range p.origin {
		if !goes[old] {
			list = append(list, at)
		}
	}
	slices.Sort(list)
	for _, at := range list {
		if t := p.moving[at]; t != nil && t.Sure {
			continue // it gets another name as well, and that takes it along
		}
		final := func(chosen func(*match.Thing) bool) string { return p.place(at, chosen) }
		kind := tree.Folder
		if n := p.job.Full.At(at); n != nil && n.Kind != tree.Folder {
			kind = tree.File
			if n.Marks&tree.Link != 0 {
				kind = tree.Symlink
			}
		}
		p.Steps = append(p.Steps, &Step{Step: proposal.Step{Op: change.Move, From: p.origin[at], To: final(sure), Why: p.why[at], Folder: kind == tree.Folder}, kind: kind, final: final})
	}
	for _, s := range p.emptied {
		s.To = p.place(s.To, sure)
		p.Steps = append(p.Steps, s)
	}
}

func sure(t *match.Thing) bool { return t.Sure }

// place returns where something comes to lie, by its path in the trees, when the chosen
// things are done.
func (p *Plan) place(at string, chosen func(*match.Thing) bool) string {
	for in := at; in != "."; in = path.Dir(in) {
		if t := p.moving[in]; t != nil && chosen(t) {
			return t.Target(chosen) + at[len(in):]
		}
	}
	return at
}

// take takes what lies at a path out of its folder, and returns it.
func take(root *tree.Node, at string) *tree.Node {
	in := root.At(path.Dir(at))
	if in == nil {
		return nil
	}
	n := in.Child(path.Base(at))
	in.Children = slices.DeleteFunc(in.Children, func(c *tree.Node) bool { return c == n })
	return n
}

// put puts something into a folder, in the order of names.
func put(in, n *tree.Node) {
	if in != nil {
		in.Children = append(in.Children, n)
		sorted(in)
	}
}

func sorted(n *tree.Node) {
	slices.SortFunc(n.Children, func(a, b *tree.Node) int { return strings.Compare(a.Name, b.Name) })
}
