// Package standing finds where files belong: by the convention that reads their
// names, by what folders hold, by where they lay in their source, and by the values that
// their names share with projects. It says of each file where it goes, where it is
// already, where it could go, or why it has no place, and plans what brings it there.
//
// What is not certain is not done: a file that could go to several places goes nowhere.
package standing

import (
	"cmp"
	"iter"
	"path"
	"slices"
	"strings"

	"vestibula/core/bundle"
	"vestibula/core/match"
	"vestibula/core/pattern"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A File is one that comes in.
type File struct {
	Path    string // from its source, with slashes
	At      string // where it lies on the disk, absolute, with slashes; empty in an archive
	Source  int    // the number of its source
	Entry   tree.Entry
	Content tree.Content // of what lies in an archive
	Link    bool         // it is a link to somewhere else
	Within  string       // of a folder that was named as a source: that, and the way in it; where such a folder comes to lie as a whole
	Fresh   string       // the name that it is given; empty where it keeps its own
	Day     string       // where the day in that name is from, for a person
}

// Name is the file's name, or the one that it is given.
func (f *File) Name() string {
	if f.Fresh != "" {
		return f.Fresh
	}
	return path.Base(f.Path)
}

// A Project is one that files can be put into.
type Project struct {
	*project.Layout
	Shown string // how it is called to a person

}

// A Kind is what becomes of a file.
type Kind uint8

// The kinds.
const (
	Goes    Kind = iota // it goes to one place
	There               // it is there already
	Several             // it could go to several places
	Nowhere             // it has no place
)

// A Spot is a folder that a file belongs in.
type Spot struct {
	Project *Project
	Dir     string // from the project's own folder
	Line    *template.Line
	place   *match.Place
	Values  template.Values // of the project, the way and the file's name
}

// An Outcome is what was found out about a file.
type Outcome struct {
	File  *File
	Kind  Kind
	Spots []Spot // one of Goes; of There, where it is; of Several, where it could go
	Path  string // of Goes and There, from the project's own folder
	Why   string // what it follows from, or why it has no place
	Help  Remedy
	Named bool     // it goes where somebody said, and nothing else says so
	With  *Outcome // that it belongs to, and goes with; nil where it goes by itself
	Twin  *Outcome // that holds the same and is taken instead
	Leads bool     // of There: only a link to it is there

	due  string               // the name by which it is delivered; "" where it is not
	by   *template.Convention // that read its name, or nil
	read template.Values      // by that
}

// A Planner finds the places of files. It must not be shared between goroutines.
type Planner struct {
	Projects []*Project
	Below    string // a folder of the projects that files are put below; "" for all

	groups  []*group
	endings map[string][]*holding     // by endings
	sources []*holding                // that hold what lay at some place of its source
	shapes  []*holding                // that hold names of some shape
	due     map[string][]delivery     // in which something of that name has to be delivered
	byWords map[string][]*Project     // by the words that tell projects apart
	most    int                       // words that these are at the most
	placed  map[*match.Place][]string // the words by which places are called, as far as that was asked
	kinds   map[string]*kind          // by endings, as far as that was asked
	// Archived are projects that were archived from where these lie.
	Archived []*bundle.Away
}

// A holding is a place that holds something.
type holding struct {
	project *Project
	place   *match.Place
	rank    int
}

// A delivery is a place in which something has to be delivered, and what that is called.
type delivery struct {
	holding
	called string
}

// A group is what holds files of one convention: places of one line, by what they know.
type group struct {
	conv   *template.Convention
	loose  int
	fixed  int
	says   bool // its names say more than free texts do
	reader *pattern.Reader
	values []value.Value
	slots  []int // the conventions' fields by which the places are told apart
	places map[string][]*holding
}

// Ranks of what says where a file belongs.
const (
	byKind = iota
	byEnding
	bySource
	byName
)

// NewPlanner returns a planner for projects.
func NewPlanner(projects []*Project) *Planner {
	p := &Planner{Projects: projects, endings: map[string][]*holding{}, due: map[string][]delivery{}, byWords: map[string][]*Project{}, placed: map[*match.Place][]string{}, kinds: map[string]*kind{}}
	groups := map[*template.Convention][]*group{}
	for _, pr := range projects {
		for _, place := range pr.Places {
			for _, c := range place.Want.Children {
				if c.Marks&tree.Due != 0 && !place.Open {
					p.due[tree.Folded(c.Name)] = append(p.due[tree.Folded(c.Name)], delivery{holding{pr, place, byName}, c.Name})
				}
			}
			l := place.Line
			if l == nil || !l.HoldsAnything() && len(l.Sources) == 0 {
				continue
			}
			for _, conv := range l.Holds {
				p.hold(groups, conv, &holding{pr, place, byName})
			}
			for _, ending := range l.Endings {
				if l.Takes(ending) {
					p.endings[ending] = append(p.endings[ending], &holding{pr, place, byEnding})
				}
			}
			for _, kind := range l.Kinds {
				for _, ending := range template.FileKinds[kind] {
					if l.Takes(ending) {
						p.endings[ending] = append(p.endings[ending], &holding{pr, place, byKind})
					}
				}
			}
			if len(l.Shapes) > 0 {
				p.shapes = append(p.shapes, &holding{pr, place, byEnding})
			}
			if len(l.Sources) > 0 {
				p.sources = append(p.sources, &holding{pr, place, bySource})
			}
		}
	}
	slices.SortStableFunc(p.groups, func(a, b *group) int {
		return cmp.Or(cmp.Compare(a.loose, b.loose), cmp.Compare(b.fixed, a.fixed))
	})
	p.tell()
	return p
}

// Fork returns a planner for the same projects, for another goroutine.
func (p *Planner) Fork() *Planner {
	q := *p
	q.placed, q.kinds = map[*match.Place][]string{}, map[string]*kind{}
	q.groups = make([]*group, len(p.groups))
	for i, g := range p.groups {
		own := *g
		own.reader, own.values = g.conv.Pattern.Reader(), make([]value.Value, len(g.values))
		q.groups[i] = &own
	}
	return &q
}

// hold adds a place that holds files of a convention.
func (p *Planner) hold(groups map[*template.Convention][]*group, conv *template.Convention, h *holding) {
	// What the place knows in full is what it is found by.
	var slots []int
	for i, f := range conv.Fields {
		if v := h.place.Values[f.Name]; v.Given() && !v.Empty() && v.Kind == f.Type.Kind && (v.Kind == value.Text || v.Kind == value.Choice || v.Kind == value.Number) {
			slots = append(slots, i)
		}
	}
	var g *group
	for _, known := range groups[conv] {
		if slices.Equal(known.slots, slots) {
			g = known
		}
	}
	if g == nil {
		g = &group{conv: conv, slots: slots, reader: conv.Pattern.Reader(), values: make([]value.Value, len(conv.Fields)), places: map[string][]*holding{}}
		g.loose, g.fixed = conv.Pattern.Loose()
		g.says = slices.ContainsFunc(conv.Fields, func(f *template.Field) bool { return f.Type.Kind != value.Text })
		groups[conv] = append(groups[conv], g)
		p.groups = append(p.groups, g)
	}
	key := g.key(func(slot string) value.Value { return h.place.Values[slot] }, false)
	g.places[key] = append(g.places[key], h)
}

// key is what values look like in names of the convention.
func (g *group) key(lookup func(slot string) value.Value, read bool) string {
	var key strings.Builder
	for _, i := range g.slots {
		f := g.conv.Fields[i]
		text, ok := g.conv.Pattern.TextOf(f.Name, lookup(f.Name), read)
		if !ok {
			return "\x00"
		}
		key.WriteString(text)
		key.WriteByte(0)
	}
	return key.String()
}

// Place finds where a file belongs. It does not look at what lies there.
func (p *Planner) Place(f *File) *Outcome {
	o := p.place(f)
	p.meant(o)
	return o
}

func (p *Planner) place(f *File) *Outcome {
	o := &Outcome{File: f}
	if f.Link {
		o.Kind, o.Why = Nowhere, "it is a link to somewhere else, and is not followed"
		return o
	}
	if f.Entry.Kind == tree.Other {
		o.Kind, o.Why = Nowhere, "it is no ordinary file"
		return o
	}
	name := f.Name()
	spots, why := p.spots(o, f, name)
	if len(spots) > 0 {
		first := spots[0].Dir
		if spots = p.below(spots); len(spots) == 0 {
			p.elseNamed(o, first)
			return o
		}
	}
	if len(spots) > 1 {
		if len(p.named(name)) == 0 {
			if gone := p.gone(name); gone != nil {
				o.Kind, o.Why = Nowhere, "its name names "+gone.Called()+", which is archived: it is "+gone.Where()
				return o
			}
		}
		spots, why = p.narrowed(o, name, spots, why)
	}
	o.Spots, o.Why = spots, why
	switch len(spots) {
	case 0:
		o.Kind = Nowhere
		o.Why, o.Help = p.nowhere(name)
		if named := p.named(name); len(named) == 1 && len(p.Projects) > 1 {
			o.Why += ", though its name says " + named[0].Shown
		}
	case 1:
		o.Path = path.Join(spots[0].Dir, cmp.Or(o.due, name))
		if o.due != "" && o.due != name {
			o.Why += ", as " + o.due
		}
	default:
		o.Kind = Several
		o.Help = p.apart(o, name, spots)
	}
	return o
}

// elseNamed says of a file that it belongs in another folder than below the one that was named.
func (p *Planner) elseNamed(o *Outcome, in string) {
	o.Kind, o.Why, o.Help = Nowhere, "it belongs in "+in+", and not below "+p.Below, Remedy{Kind: NamedElse, Name: in}
}

// below are the spots that lie below the folder that was named, or are it.
func (p *Planner) below(spots []Spot) []Spot {
	if p.Below == "" {
		return spots
	}
	return slices.DeleteFunc(slices.Clone(spots), func(s Spot) bool { return s.Dir != p.Below && !strings.HasPrefix(s.Dir, p.Below+"/") })
}

// narrowed are those of several spots that a file's name names: by the project, the folder, or the
// time that its day lies in.
func (p *Planner) narrowed(o *Outcome, name string, spots []Spot, why string) ([]Spot, string) {
	var fit []Spot
	named := p.named(name)
	for _, s := range spots {
		if slices.Contains(named, s.Project) {
			fit = append(fit, s)
		}
	}
	if len(fit) > 0 && len(fit) < len(spots) {
		spots, why = fit, why+", and its name names the project"
	}
	if fit := p.called(name, spots); len(fit) < len(spots) {
		spots, why = fit, why+", and its name names the folder"
	}
	if len(spots) > 1 && o.by != nil {
		if fit := o.timely(spots); len(fit) > 0 && len(fit) < len(spots) {
			spots, why = fit, why+", and its day lies in the time of the folder"
		}
	}
	return spots, why
}

// timely are the spots without those whose folders stand for times in which the days of a file's
// name do not lie.
func (o *Outcome) timely(spots []Spot) (fit []Spot) {
	for _, s := range spots {
		lies := true
		for _, f := range o.by.Fields {
			day := o.read[f.Name]
			if day.Kind != value.Date && day.Kind != value.Month && day.Kind != value.Quarter && day.Kind != value.Week {
				continue
			}
			for _, longer := range s.place.Values {
				if covers, both := longer.Covers(day); both && longer.Kind != value.Date {
					lies = lies && covers
				}
			}
		}
		if lies {
			fit = append(fit, s)
		}
	}
	return fit
}

// readsAs begins what is told of a name that a convention reads.
const readsAs = "its name reads as "

func contains(spots []Spot, s Spot) bool {
	return slices.ContainsFunc(spots, func(t Spot) bool { return t.Project == s.Project && t.Dir == s.Dir })
}

func (g *group) value(slot string) value.Value {
	for i, f := range g.conv.Fields {
		if f.Name == slot {
			return g.values[i]
		}
	}
	return value.Value{}
}

// holdings are the places of a group, in no order.
func (g *group) holdings() iter.Seq[*holding] {
	return func(yield func(*holding) bool) {
		for _, list := range g.places {
			for _, h := range list {
				if !yield(h) {
					return
				}
			}
		}
	}
}

// spot returns the folder that a name which was just read says, if the place agrees.
func (g *group) spot(h *holding) (Spot, bool) {
	dir, values, ok := h.place.For(g.conv, g.values)
	return Spot{h.project, dir, h.place.Line, h.place, values}, ok
}
