// Package match holds a real folder against the tree that a template makes: it says
// of each real entry which line it comes from, what is wanted and not there, what is
// there and not wanted, which of these are the same thing under another name or in
// another place, and which entries contradict the place that they lie in. It is the
// inverse of making a tree: [Values] reads back what a folder was made with.
//
// It only compares trees. What is worth telling, and how, is a matter of package
// rules; what a file holds is asked for only where names leave a doubt.
package match

import (
	"path"
	"slices"
	"strings"
	"time"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Wanted is what a folder is held against.
type Wanted struct {
	Template  *template.Template
	Values    template.Values // what is known of them
	Expansion *template.Expansion
	Own       *tree.Node // the project's own folder in the expansion
	Now       time.Time  // the day from which something is overdue
	// Follows says whether a real entry, which an earlier match has found the line of,
	// is the wanted thing. It may be nil.
	Follows func(want, real *tree.Node) Following
	// Matched is told of each wanted thing that is there, with its path, and the one
	// that it will have when things have been moved to theirs. It may be nil.
	Matched func(want, real *tree.Node, path string, target func(chosen func(*Thing) bool) string)
	// Done is asked of what has to be delivered and is not there, by its path: whether it
	// was ticked all the same. It may be nil.
	Done func(path string) bool
	// Refuses says whether somebody said that what lies at a path is not what is wanted at another
	// one: it is not taken for that, as long as nothing surer is known. It may be nil.
	Refuses func(path, wanted string) bool
	// Closed are paths of what is not asked for any more, since it was moved on.
	Closed map[string]string
	// Number is asked of each file whose name has a number that counts on, by its path,
	// whether something else has that number already, and what. It may be nil.
	Number func(s *naming.Series, n int, apart, path string) (other string, taken bool)
}

// A Following is what an earlier match says of a wanted thing and a real one.
type Following uint8

// What there is to say.
const (
	Unsaid   Following = iota // nothing
	NotThis                   // the real one is another thing
	AlsoThis                  // it is one of those that have become one
	JustThis
	MayBeThis // it is under another name, it seems
)

// Of makes what is wanted for values, as far as these are known.
func Of(t *template.Template, known template.Values, limit int, now time.Time) (*Wanted, error) {
	values, err := t.WithMade(known)
	if err != nil {
		return nil, err
	}
	x, err := t.TreeOfItems(known, limit)
	if err != nil {
		return nil, err
	}
	_, own := t.Own(x.Root)
	return &Wanted{Template: t, Values: values, Expansion: x, Own: own, Now: now}, nil
}

// Compare holds the real folder of a project against what is wanted. Each node of
// the real tree learns in its From which line it comes from; its children must be
// sorted by their names. The things are returned in the order of the tree.
func Compare(w *Wanted, real *tree.Node) []*Thing {
	m := newMatcher(w)
	m.top = real
	m.same(w.Own, real, spot{node: real})
	m.elsewhere()
	m.dueInside()
	m.places()
	slices.SortStableFunc(m.things, func(a, b *Thing) int { return strings.Compare(a.Path, b.Path) })
	return m.things
}

// Likeness counts what of the project's own folder lies in a real one, by its name or
// nearly so: 0 says that it is another kind of folder.
func (w *Wanted) Likeness(real *tree.Node) (like int) {
	keys := make(map[string]bool, len(real.Children))
	for _, n := range real.Children {
		keys[tree.Key(n)+tree.Ending(n)] = true
	}
	for _, c := range w.Own.Children {
		if c.Marks&tree.Open == 0 && keys[tree.Key(c)+tree.Ending(c)] {
			like++
		}
	}
	return like
}

type matcher struct {
	*Wanted
	top     *tree.Node // the real folder
	things  []*Thing
	way     []frame
	readers map[*pattern.Name]*reader
	naming  map[*template.Line]*naming.Reader // of the conventions that a line holds
	all     *naming.Reader                    // of all conventions
	endings map[string]bool                   // of which the template speaks
	series  map[*template.Convention]*naming.Series
	olders  map[*template.Convention]*naming.Older
	free    map[*template.Convention]*naming.Free
	freed   int // names that these have read
	orders  map[orderKey]map[string]map[naming.Order]bool
	numbers map[numberKey]bool             // which files of the project bear, or get
	counts  map[*template.Convention]bool  // of which these are known
	named   map[*tree.Node]map[string]bool // names that files get, by their folders
	spots   map[*tree.Node]spot            // of wanted folders that are there
	gone    map[*tree.Node]*Thing          // wanted things that are missing
	missing []*Thing
	strays  []stray
	owners  []spot // folders in which everything is the owner's
	loose   []looseFile
	levels  []*level
	rough   bool // names are only counted: no pairs are looked for
	wrong   int  // how many are wanted and not there, or there and not wanted
	learn   func(line *template.Line, slot string, v value.Value)
}

// A stray is an entry that nothing is wanted under the name of. Listed says that all
// that lies beside it is listed.
type stray struct {
	spot
	thing *Thing
}

// A looseFile is one that does not belong where it lies.
type looseFile struct {
	spot
	thing *Thing
	want  *tree.Node // the folder
	conv  *template.Convention
	read  []value.Value
	// spoken says that the conventions of its folder speak of files with its ending: it
	// has the wrong name, and not the wrong place.
	spoken bool
	slot   string // contradicted; empty where the folder does not hold such files
}

type reader struct {
	*pattern.Reader
	fields []string
	values []value.Value
}

func newMatcher(w *Wanted) *matcher {
	m := &matcher{Wanted: w, readers: map[*pattern.Name]*reader{}, naming: map[*template.Line]*naming.Reader{}, spots: map[*tree.Node]spot{}, gone: map[*tree.Node]*Thing{}}
	if len(w.Template.Names) > 0 {
		m.all = naming.NewReader(w.Template.Names)
	}
	return m
}

func (m *matcher) reader(n *pattern.Name) *reader {
	r := m.readers[n]
	if r == nil {
		r = &reader{Reader: n.Reader()}
		r.fields = r.Fields()
		r.values = make([]value.Value, len(r.fields))
		m.readers[n] = r
	}
	return r
}

// bindings are the values that the name of a folder shows.
func (m *matcher) bindings(want *tree.Node, text string) []binding {
	name := m.Template.NameOf(want)
	if name == nil || name.Constant() {
		return nil
	}
	r := m.reader(name)
	if r.Read(text, r.values) != nil {
		return nil
	}
	var list []binding
	for i, slot := range r.fields {
		if r.values[i].Given() && slot != pattern.OwnNumber {
			list = append(list, binding{slot, r.values[i], name.Partly(slot)})
		}
	}
	return list
}

// known is what is known of a slot at the place where the matcher stands: the value
// of the project or, where it has none, that of the folders on the way, the innermost
// first. On the way says that a folder shows it.
func (m *matcher) known(slot string) (v value.Value, onTheWay bool) {
	whole := m.Values[slot]
	for i := len(m.way) - 1; i >= 0; i-- {
		for _, b := range m.shown(&m.way[i]) {
			if b.slot == slot && !b.part {
				if whole.Given() {
					return whole, true // a name may show only a part of it
				}
				return b.value, true
			}
		}
	}
	return whole, false
}

// shown are the values that the name of a folder on the way shows.
func (m *matcher) shown(f *frame) []binding {
	if !f.read {
		f.read = true
		text := f.want.Name
		if f.want.Marks&tree.Open != 0 && f.real != nil {
			text = f.real.Name
		}
		f.values = m.says(f.want, text)
	}
	return f.values
}

// says are the values that a folder of a name stands for: what its line was made for, and what its
// name shows of others.
func (m *matcher) says(want *tree.Node, text string) []binding {
	list := m.bindings(want, text)
	if item := m.Expansion.Items[want]; item.Given() && want.Marks&tree.Open == 0 {
		slot, _, _, _ := m.Template.LineOf(want).Repeats()
		list = append(slices.DeleteFunc(list, func(b binding) bool { return b.slot == slot }), binding{slot: slot, value: item})
	}
	return list
}

// same goes on with a real entry that is what is wanted.
func (m *matcher) same(want, real *tree.Node, at spot) {
	if m.Matched != nil {
		m.Matched(want, real, at.path, at.target)
	}
	real.From, real.Nth = want.From, want.Nth
	real.Marks |= want.Marks & (tree.Keep | tree.Later)
	if want.Kind != tree.Folder || real.Marks&(tree.Link|tree.Apart) != 0 {
		return // what a project of its own holds is judged as that
	}
	m.way = append(m.way, frame{want: want, real: real})
	m.folder(want, real, at)
	m.way = m.way[:len(m.way)-1]
}

// find finds an entry by its name. Some file systems write accents with codes of their
// own (normal form D), and that is the same name.
func find(list []*tree.Node, name string) (int, bool) {
	i, found := slices.BinarySearchFunc(list, name, byName)
	if found || strings.IndexFunc(name, func(r rune) bool { return r >= 0x80 }) < 0 {
		return i, found
	}
	for _, form := range []norm.Form{norm.NFC, norm.NFD} {
		if k, found := slices.BinarySearchFunc(list, form.String(name), byName); found {
			return k, true
		}
	}
	return i, false
}

func byName(n *tree.Node, name string) int { return strings.Compare(n.Name, name) }

// A level is what is noted of the folder at one depth, to be used again.
type level struct {
	taken []bool  // the real entries that are matched
	hits  []int32 // of the wanted ones, the real one; or -1

	folders, files bool // what is listed
}

func (m *matcher) level(real, want int) *level {
	depth := len(m.way)
	for len(m.levels) <= depth {
		m.levels = append(m.levels, &level{})
	}
	l := m.levels[depth]
	if cap(l.taken) < real {
		l.taken = make([]bool, real*2)
	}
	if cap(l.hits) < want {
		l.hits = make([]int32, want*2)
	}
	l.taken, l.hits = l.taken[:real], l.hits[:want]
	clear(l.taken)
	return l
}

// exact finds what lies in a folder under the name that it is to have. It returns what does not,
// and what may have any name.
func (m *matcher) exact(want, real *tree.Node, at spot, l *level) (lacking, open []*tree.Node) {
	l.folders, l.files = false, false
	for k, c := range want.Children {
		l.folders, l.files = l.folders || c.Kind == tree.Folder, l.files || c.Kind != tree.Folder || c.Marks&tree.Either != 0
		l.hits[k] = -1
		if c.Marks&tree.Open != 0 {
			open = append(open, c)
		} else if i, there := m.there(c, real.Children); !there || m.another(c, real.Children[i]) {
			if i, found := find(real.Children, c.Name); found && !there && c.Marks&tree.Either != 0 && !l.taken[i] {
				l.taken[i] = true // the folder for it is there, and nothing in it
				m.absent(c, at, nil)
				continue
			}
			if m.Closed[path.Join(at.to, c.Name)] != "" {
				continue // it was moved on
			}
			lacking = append(lacking, c)
		} else if !l.taken[i] {
			l.taken[i], l.hits[k] = true, int32(i)
		}
	}
	return lacking, open
}

// folder matches what lies in a folder.
func (m *matcher) folder(want, real *tree.Node, at spot) {
	line := m.Template.ClausesOf(want)
	if line != nil && line.HoldsAnything() || len(want.Children) == 0 && m.all != nil {
		m.spots[want] = at
	}
	if len(want.Children) == 0 {
		if len(real.Children) == 0 {
			return
		}
		m.owners = append(m.owners, at)
		m.judge(line, want, at, real.Children)
		return
	}
	l := m.level(len(real.Children), len(want.Children))
	lacking, open := m.exact(want, real, at, l)
	var more []pair
	if len(open) > 0 {
		more = m.openOnes(open, real, at, l.taken)
	}
	if m.rough {
		for _, c := range lacking {
			if c.Marks&(tree.Later|tree.Due) == 0 {
				m.wrong += 1 + c.Count()
			}
		}
		for i, taken := range l.taken {
			if !taken {
				m.wrong += 1 + real.Children[i].Count()
			}
		}
	} else if len(lacking) > 0 {
		var rest []*tree.Node
		more, rest = m.pairs(more, lacking, real, at, l.taken)
		for _, c := range rest {
			beside := real.Children
			if i, found := find(beside, c.Name); found && l.taken[i] {
				beside = nil // what has the name goes away
			}
			m.absent(c, at, beside)
		}
	}
	var loose []*tree.Node
	if !m.rough {
		loose = m.left(want, real, at, l)
	}
	for k, c := range want.Children {
		if i := l.hits[k]; i >= 0 {
			m.same(c, real.Children[i], at.below(real.Children[i]))
		}
	}
	for _, p := range more {
		m.same(p.want, p.at.node, p.at)
	}
	m.judge(line, want, at, loose)
}

// another reports whether a real entry that has a wanted thing's name is known to be
// another thing.
func (m *matcher) another(want, real *tree.Node) bool {
	return m.Follows != nil && m.Follows(want, real) == NotThis
}

// there finds what a wanted node stands for by its exact name. What is to be
// delivered as a file of any ending may have one.
func (m *matcher) there(c *tree.Node, real []*tree.Node) (int, bool) {
	i, found := find(real, c.Name)
	if found && (kindOf(real[i]) == c.Kind && c.Marks&tree.Either == 0 || c.Marks&tree.Either != 0 && len(real[i].Children) > 0) {
		return i, true
	}
	if c.Marks&tree.Either != 0 {
		for ; i < len(real) && strings.HasPrefix(real[i].Name, c.Name); i++ {
			n := real[i]
			if n.Kind == tree.File && (n.Name == c.Name || strings.HasPrefix(n.Name[len(c.Name):], ".") && tree.Extension(n.Name) == n.Name[len(c.Name)+1:]) {
				return i, true
			}
		}
	}
	return 0, false
}

// tell adds a thing.
func (m *matcher) tell(t *Thing) *Thing {
	m.things = append(m.things, t)
	return t
}

// absent notes that what is wanted is not there.
func (m *matcher) absent(c *tree.Node, at spot, real []*tree.Node) {
	if c.Kind == tree.Symlink && m.top != nil && m.top.Marks&tree.Linkless != 0 {
		return
	}
	t := &Thing{Kind: Missing, Sure: true, Node: c, Path: path.Join(at.path, c.Name), in: at.in, to: path.Join(at.to, c.Name)}
	switch {
	case c.Marks&tree.Due != 0:
		day, dated := m.Expansion.Due[c]
		if m.Done != nil && m.Done(t.to) || !dated || !day.Given() || day.Kind == value.Pending || !day.Time().Before(m.Now.Truncate(24*time.Hour)) {
			return
		}
		t.Kind, t.Day = Overdue, day
	case c.Marks&tree.Later != 0:
		return
	default:
		t.Count = c.Built().Count()
		if i, found := find(real, c.Name); found {
			t.Reason, t.Other, t.Sure = InTheWay, real[i].Name, false
		}
		m.missing = append(m.missing, t)
		m.gone[c] = t
	}
	m.tell(t)
}

// dueInside tells what is overdue in what is missing.
func (m *matcher) dueInside() {
	var walk func(n *tree.Node, at spot)
	walk = func(n *tree.Node, at spot) {
		for _, c := range n.Children {
			if c.Marks&tree.Due != 0 {
				m.absent(c, at, nil)
			}
			walk(c, at.below(c))
		}
	}
	for _, t := range m.missing {
		if t.Kind == Missing && len(m.Expansion.Due) > 0 {
			walk(t.Node, spot{nil, t.Path, t.in, t.to})
		}
	}
}
