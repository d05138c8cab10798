package match

import (
	"path"
	"slices"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// judge looks at files in a folder that no line names: whether the folder holds such
// files, whether their names contradict it, and whether they belong elsewhere.
func (m *matcher) judge(line *template.Line, want *tree.Node, at spot, list []*tree.Node) {
	holds := line != nil && line.HoldsAnything()
	if !holds && m.all == nil && len(want.Children) == 0 {
		return
	}
	for _, n := range list {
		here := at.below(n)
		switch {
		case n.Marks&tree.Link != 0:
		case m.belongs(at.node, n):
			n.Marks |= tree.Conforms
		case n.Kind == tree.Folder:
			if len(want.Children) == 0 && !holds {
				m.judge(nil, want, here, n.Children)
			}
		case holds:
			m.held(line, want, here)
		case len(want.Children) == 0:
			m.owned(want, here)
		case m.all != nil:
			if conv, values, misfit := m.all.Read(n.Name); misfit == nil {
				m.counted(here, conv, values)
				m.loose = append(m.loose, looseFile{spot: here, want: want, conv: conv, read: append([]value.Value(nil), values...)})
			}
		}
	}
}

// held looks at a file in a folder that says what it holds.
func (m *matcher) held(line *template.Line, want *tree.Node, at spot) {
	r := m.naming[line]
	if r == nil {
		r = naming.NewReader(line.Holds)
		m.naming[line] = r
	}
	conv, values, misfit := r.Read(at.node.Name)
	_, end := tree.Split(at.node.Name)
	switch {
	case conv != nil:
		at.node.Marks |= tree.Conforms
		m.counted(at, conv, values)
		if c := m.contradicts(conv, values, false); c.slot != "" {
			m.contradiction(at, want, conv, values, c)
		}
	case m.older(line, at):
	case misfit != nil && misfit.Tied: // an error of the template, and no fault of the file
		at.node.Marks |= tree.Conforms
	case line.TakesFile(at.node.Name):
	default:
		t := m.tell(&Thing{Kind: Unfit, Node: at.node, Path: at.path, Other: at.conflict(m.way[len(m.way)-1].real)})
		if misfit != nil && misfit.Near() {
			t.Misfit = misfit
		}
		f := looseFile{spot: at, thing: t, want: want}
		for _, c := range line.Holds {
			if f.spoken || len(c.For) > 0 && !slices.Contains(c.For, end) {
				continue
			}
			f.spoken = true
			if t.Says = m.example(c); t.Says != "" && end != "" {
				t.Says += "." + end
			}
		}
		if m.all != nil {
			if conv, values, misfit := m.all.Read(at.node.Name); misfit == nil && (t.Misfit == nil || !r.Stricter(conv, at.node.Name)) {
				f.conv, f.read = conv, append([]value.Value(nil), values...)
			}
		}
		m.loose = append(m.loose, f)
	}
}

// older tells of a file whose name has an older shape of a convention of its folder, or any shape that
// can be read in one way: it is known what it is called now, where the old name and the place say enough.
func (m *matcher) older(line *template.Line, at spot) bool {
	stem, ending := tree.Split(at.node.Name)
	for _, conv := range line.Holds {
		if len(conv.For) > 0 && !slices.Contains(conv.For, ending) {
			continue
		}
		o := m.olderOf(conv)
		known := template.Values{}
		for _, f := range conv.Fields {
			if v, _ := m.known(f.Name); v.Given() {
				known[f.Name] = v
			}
		}
		if at.conflict(m.way[len(m.way)-1].real) != "" {
			continue
		}
		if single := naming.Single(stem); single != stem {
			if _, there := find(m.way[len(m.way)-1].real.Children, single+at.node.Name[len(stem):]); there {
				continue // it is called a copy of another one, which gets the name
			}
		}
		reason := Former
		read, misfit := o.Read(stem)
		if misfit != nil || read == nil {
			if read = m.freely(conv, stem, known); read == nil {
				continue
			}
			reason = Shape
		}
		values, err := o.Anew(read, nil, known)
		if f := conv.NextField(); err != nil || f != nil && !values[f.Name].Given() {
			continue
		}
		name, _, err := conv.Write(values)
		if err != nil {
			continue
		}
		name += at.node.Name[len(stem):]
		t := m.tell(&Thing{Kind: Misnamed, Reason: reason, Node: at.node, Path: at.path, in: at.in, to: path.Join(path.Dir(at.to), name), Sure: true})
		beside := m.way[len(m.way)-1].real
		if key := tree.Folded(name); m.named[beside] == nil || !m.named[beside][key] {
			_, taken := find(beside.Children, name)
			if m.named == nil {
				m.named = map[*tree.Node]map[string]bool{}
			}
			if m.named[beside] == nil {
				m.named[beside] = map[string]bool{}
			}
			m.named[beside][key] = true
			if !taken && !m.given(conv, name, path.Dir(at.path)) {
				return true
			}
		}
		t.to, t.in, t.Sure = "", nil, false
		t.Says = name
		return true
	}
	return false
}

// counted looks whether the number in a file's name, which counts on, is another's.
func (m *matcher) counted(at spot, conv *template.Convention, values []value.Value) {
	if m.Number == nil || conv.NextField() == nil {
		return
	}
	s := m.seriesOf(conv)
	n := s.Number(values)
	if other, taken := m.Number(s, n, s.Apart(values), at.path); taken {
		m.tell(&Thing{Kind: Recounted, Node: at.node, Path: at.path, Slot: s.Field.Name, Other: other})
	}
}

// example is a name that a convention makes with what is known at the place where the
// matcher stands.
func (m *matcher) example(conv *template.Convention) string {
	name, _, err := conv.Pattern.Write(func(slot string) value.Value {
		for _, f := range conv.Fields {
			if f.Name != slot {
				continue
			}
			if v, _ := m.known(slot); v.Given() && v.Kind == f.Type.Kind && !v.Empty() {
				return v
			}
			day := value.OfDate(m.Now)
			if longer, _ := m.known(f.Within); longer.Kind.Calendar() {
				day = value.OfDate(longer.Time())
			}
			return f.Type.Specimen(f.Name, day)
		}
		return value.Value{}
	}, 2)
	if err != nil {
		return ""
	}
	return name
}

// owned looks at a file in a folder that is the owner's: only whether its name
// contradicts a folder on the way, and not by a free text, which can say anything.
func (m *matcher) owned(want *tree.Node, at spot) {
	conv, values, misfit := m.all.Read(at.node.Name)
	if misfit != nil {
		return
	}
	m.counted(at, conv, values)
	if c := m.contradicts(conv, values, true); c.slot != "" {
		m.contradiction(at, want, conv, values, c)
	}
}

// A contradiction is a value that a name says and its place denies.
type contradiction struct {
	slot   string // empty for none
	place  value.Value
	within bool // the place says in what longer time it must lie
}

func (m *matcher) contradiction(at spot, want *tree.Node, conv *template.Convention, values []value.Value, c contradiction) {
	t := m.tell(&Thing{Kind: Misplaced, Reason: Convention, Node: at.node, Path: at.path, Slot: c.slot, Holds: c.place.String(), Within: c.within})
	for i, f := range conv.Fields {
		if f.Name == c.slot {
			t.Says = values[i].String()
		}
	}
	m.loose = append(m.loose, looseFile{spot: at, thing: t, want: want, conv: conv, read: append([]value.Value(nil), values...), slot: c.slot})
}

// contradicts returns the first field of a name that gives another value than the
// place where the matcher stands, or that does not lie in what it must. With onTheWay
// it is only asked what the folders say, and of values that are no free texts.
func (m *matcher) contradicts(conv *template.Convention, values []value.Value, onTheWay bool) (c contradiction) {
	c.slot, c.place, c.within = naming.Disagree(conv, values, func(slot string, free bool) value.Value {
		known, folder := m.known(slot)
		if onTheWay && (!folder || free) {
			return value.Value{}
		}
		return known
	})
	return c
}

// places finds where the files belong that do not belong where they lie: the only
// place that holds what their names or kinds say.
func (m *matcher) places() {
	if len(m.loose) == 0 && len(m.strays) == 0 {
		return
	}
	for _, s := range m.strays {
		if s.thing != nil && s.thing.Kind == Stray && s.node.Kind == tree.File && s.thing.Reason == NoReason {
			f := looseFile{spot: s.spot, thing: s.thing}
			if m.all != nil {
				if conv, values, misfit := m.all.Read(s.node.Name); misfit == nil {
					f.conv, f.read = conv, append([]value.Value(nil), values...)
				}
			}
			m.loose = append(m.loose, f)
		}
	}
	index := m.index()
	told := map[string]bool{}
	for i := range m.loose {
		f := &m.loose[i]
		if told[f.path] || f.thing != nil && f.thing.Kind == Misnamed {
			continue
		}
		place := index.find(m, f)
		if place == nil || place == f.want {
			continue
		}
		told[f.path] = true
		t := f.thing
		if t == nil {
			t = m.tell(&Thing{Node: f.node, Path: f.path})
		}
		t.Kind = Misplaced
		if t.Reason = FileKind; f.conv != nil && slices.Contains(m.Template.ClausesOf(place).Holds, f.conv) {
			t.Reason, t.Other = Convention, f.conv.Name
		}
		to, there := m.spots[place]
		if t.Slot == "" {
			t.Holds = pathOf(index.parents, place, m.Own)
		}
		if !there {
			if gone := index.gone(m, place); gone != nil {
				t.Sure, t.in, t.to = true, gone.in, path.Join(gone.to, strings.TrimPrefix(pathOf(index.parents, place, gone.Node), "/"), f.node.Name)
			}
			continue
		}
		if _, taken := find(to.node.Children, f.node.Name); taken {
			continue
		}
		t.Sure, t.in, t.to = true, to.in, path.Join(to.to, f.node.Name)
	}
}

func pathOf(parents map[*tree.Node]*tree.Node, n, top *tree.Node) string {
	at := ""
	for ; n != top && n != nil; n = parents[n] {
		at = path.Join(n.Name, at)
	}
	return at
}

// An index finds the folders that hold something.
type index struct {
	parents map[*tree.Node]*tree.Node
	holding []*tree.Node           // folders that say what they hold
	byLine  map[int32][]*tree.Node // folders without anything in them
}

func (m *matcher) index() *index {
	x := &index{parents: map[*tree.Node]*tree.Node{}, byLine: map[int32][]*tree.Node{}}
	var walk func(n *tree.Node)
	walk = func(n *tree.Node) {
		if l := m.Template.ClausesOf(n); l != nil && l.HoldsAnything() {
			x.holding = append(x.holding, n)
		} else if len(n.Children) == 0 {
			x.byLine[n.From] = append(x.byLine[n.From], n)
		}
		for _, c := range n.Children {
			if c.Kind == tree.Folder {
				x.parents[c] = n
				walk(c)
			}
		}
	}
	walk(m.Own)
	return x
}

// gone returns the missing thing that a wanted folder is, or lies in.
func (x *index) gone(m *matcher, n *tree.Node) *Thing {
	for ; n != nil; n = x.parents[n] {
		if t := m.gone[n]; t != nil && t.Kind == Missing && t.Sure {
			return t
		}
	}
	return nil
}

// find returns the only place where a file belongs, or nil: by its name, else by its
// kind.
func (x *index) find(m *matcher, f *looseFile) *tree.Node {
	candidates := x.holding
	var line *template.Line
	if f.want != nil {
		line = m.Template.ClausesOf(f.want)
	}
	if f.slot != "" && (line == nil || !line.HoldsAnything()) {
		candidates = x.byLine[f.want.From]
	}
	if f.conv != nil {
		var fit []*tree.Node
		for _, n := range candidates {
			l := m.Template.ClausesOf(n)
			if (slices.Contains(l.Holds, f.conv) || f.slot != "" && !l.HoldsAnything()) && !x.open(n) && m.agreesAt(x, n, f) {
				fit = append(fit, n)
			}
		}
		if f.slot != "" && len(fit) > 1 {
			// What lies among those that came in, in another month, came in.
			fit = slices.DeleteFunc(fit, func(n *tree.Node) bool { return n.From != f.want.From })
		}
		if len(fit) == 1 {
			return fit[0]
		}
		if slices.ContainsFunc(f.conv.Fields, func(f *template.Field) bool { return f.Type.Kind != value.Text }) &&
			slices.ContainsFunc(candidates, func(n *tree.Node) bool { return slices.Contains(m.Template.ClausesOf(n).Holds, f.conv) }) {
			return nil // its kind says less
		}
	}
	if f.slot != "" || f.thing == nil || f.spoken {
		return nil
	}
	var fit, beside []*tree.Node
	for _, n := range candidates {
		if n == f.want || !m.Template.ClausesOf(n).TakesFile(f.node.Name) || x.open(n) {
			continue
		}
		if fit = append(fit, n); f.want != nil && x.parents[n] == x.parents[f.want] {
			beside = append(beside, n)
		}
	}
	switch {
	case len(fit) == 1:
		return fit[0]
	case len(beside) == 1:
		return beside[0]
	}
	return nil
}

// open reports whether a place stands for any number of folders: which of them is meant, a match
// does not say.
func (x *index) open(n *tree.Node) bool {
	for ; n != nil; n = x.parents[n] {
		if n.Marks&tree.Open != 0 {
			return true
		}
	}
	return false
}

// agreesAt reports whether a file's name agrees with all that a place says.
func (m *matcher) agreesAt(x *index, n *tree.Node, f *looseFile) bool {
	before := m.way
	defer func() { m.way = before }()
	m.way = nil
	for at := n; at != nil; at = x.parents[at] {
		m.way = append(m.way, frame{want: at, real: m.spots[at].node})
	}
	for i, k := 0, len(m.way)-1; i < k; i, k = i+1, k-1 {
		m.way[i], m.way[k] = m.way[k], m.way[i]
	}
	return m.contradicts(f.conv, f.read, false).slot == ""
}
