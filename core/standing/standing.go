// Package put finds where files that come in belong: by the convention that reads their
// names, by what folders hold, by where they lay in their source, and by the values that
// their names share with projects. It says of each file where it goes, where it is
// already, where it could go, or why it has no place, and plans what brings it there.
//
// What is not certain is not done: a file that could go to several places goes nowhere.
package standing

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"vestibula/core/bundle"
	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/project"
	"vestibula/core/rules"
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
	Named bool // it goes where somebody said, and nothing else says so

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

// A kind is where files of one ending belong that nothing else is known of.
type kind struct {
	spots []Spot // not to be changed
	why   string
	apart *Remedy // what would tell these apart, once it was asked
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
	if p.Below != "" && len(spots) > 0 {
		first := spots[0].Dir
		spots = slices.DeleteFunc(slices.Clone(spots), func(s Spot) bool { return s.Dir != p.Below && !strings.HasPrefix(s.Dir, p.Below+"/") })
		if len(spots) == 0 {
			o.Kind, o.Why, o.Help = Nowhere, "it belongs into "+first+", and not below "+p.Below, Remedy{Kind: NamedElse, Name: first}
			return o
		}
	}
	if len(spots) > 1 {
		named := p.named(name)
		if len(named) == 0 {
			if gone := p.gone(name); gone != nil {
				o.Kind, o.Why = Nowhere, "its name names "+gone.Called()+", which is archived: it is "+gone.Where()
				return o
			}
		}
		var fit []Spot
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
	}
	if len(spots) > 1 && o.by != nil {
		if fit := o.timely(spots); len(fit) > 0 && len(fit) < len(spots) {
			spots, why = fit, why+", and its day lies in the time of the folder"
		}
	}
	o.Spots, o.Why = spots, why
	switch len(spots) {
	case 0:
		o.Kind = Nowhere
		o.Why, o.Help = p.nowhere(name)
		if named := p.named(name); len(named) == 1 && len(p.Projects) > 1 {
			o.Why += ", though it names " + named[0].Shown
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

// apart is as the function of that name: of all places for files of one ending it is asked once.
func (p *Planner) apart(o *Outcome, name string, spots []Spot) Remedy {
	_, ending := naming.Split(name)
	k := p.kinds[ending]
	if k == nil || len(k.spots) != len(spots) || &k.spots[0] != &spots[0] {
		return apart(spots, o.by)
	}
	if k.apart == nil {
		help := apart(spots, nil)
		k.apart = &help
	}
	return *k.apart
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

// spots finds the folders that a file could belong in, by what says most.
func (p *Planner) spots(o *Outcome, f *File, name string) (spots []Spot, why string) {
	stem, ending := naming.Split(name)
	type key struct {
		project *Project
		dir     string
	}
	known := map[key]bool{}
	fresh := func(s Spot) bool { // there may be thousands
		k := key{s.Project, s.Dir}
		if known[k] {
			return false
		}
		known[k] = true
		return true
	}
	for _, called := range []string{name, stem} {
		for _, d := range p.due[tree.Folded(called)] {
			if s := (Spot{d.project, d.place.Path, d.place.Line, d.place, d.place.Values}); fresh(s) {
				spots, why, o.due = append(spots, s), "it is due there", d.called+name[len(called):]
			}
		}
	}
	if len(spots) > 0 {
		return spots, why
	}
	best := -1
	for i, g := range p.groups {
		if best >= 0 && (g.loose != p.groups[best].loose || g.fixed != p.groups[best].fixed) {
			break
		}
		if len(g.conv.For) > 0 && !slices.Contains(g.conv.For, ending) || g.reader.Read(stem, g.values) != nil {
			continue
		}
		for _, h := range g.places[g.key(g.value, true)] {
			if s, ok := g.spot(h); ok && fresh(s) {
				spots, best = append(spots, s), i
				if why = readsAs + g.conv.Name; o.by != g.conv {
					o.by, o.read = g.conv, template.Values{}
					for i, f := range g.conv.Fields {
						o.read[f.Name] = g.values[i]
					}
				}
			}
		}
	}
	if len(spots) > 0 || p.elsewhere(stem, ending) != nil || p.nearly(stem, ending) {
		return spots, why
	}
	for _, h := range p.sources {
		for _, pattern := range h.place.Line.Sources {
			if ok, err := doublestar.Match(strings.ToLower(pattern), strings.ToLower(f.Path)); ok && err == nil {
				if s := (Spot{h.project, h.place.Path, h.place.Line, h.place, h.place.Values}); !h.place.Open && fresh(s) {
					spots, why = append(spots, s), "it lay in "+path.Dir(f.Path)
				}
			}
		}
	}
	if len(spots) > 0 {
		return spots, why
	}
	for _, h := range p.shapes {
		if s := (Spot{h.project, h.place.Path, h.place.Line, h.place, h.place.Values}); h.place.Line.Shaped(name) && !h.place.Open && fresh(s) {
			spots, why = append(spots, s), "by the shape of its name"
		}
	}
	if len(spots) > 0 {
		return spots, why
	}
	k := p.kinds[ending]
	if k == nil {
		k = &kind{}
		p.kinds[ending] = k
		for _, rank := range []int{byEnding, byKind} {
			for _, h := range p.endings[ending] {
				s := Spot{h.project, h.place.Path, h.place.Line, h.place, h.place.Values}
				if h.rank == rank && !h.place.Open && fresh(s) {
					k.spots, k.why = append(k.spots, s), "by its kind, ."+ending
				}
			}
			if len(k.spots) > 0 {
				break
			}
		}
	}
	return k.spots, k.why
}

// elsewhere returns the group that reads a name which contradicts all of its places, and
// so belongs to something that is not here; of free texts alone, that is not said.
func (p *Planner) elsewhere(stem, ending string) *group {
	for _, g := range p.groups {
		if g.says && (len(g.conv.For) == 0 || slices.Contains(g.conv.For, ending)) && g.reader.Read(stem, g.values) == nil {
			return g
		}
	}
	return nil
}

// nearly reports whether a name reads as that of a convention for more than its half, or
// has its words: it is meant so, and its kind says nothing then.
func (p *Planner) nearly(stem, ending string) bool {
	return slices.ContainsFunc(p.groups, func(g *group) bool {
		if !g.says || len(g.conv.For) > 0 && !slices.Contains(g.conv.For, ending) {
			return false
		}
		misfit := g.reader.Read(stem, g.values)
		return misfit != nil && (2*misfit.At > len(stem) || g.worded(stem))
	})
}

// worded reports whether a name has the words that all names of the convention have: those
// of its text, and one of the values of each choice.
func (g *group) worded(stem string) bool {
	words := " " + naming.Plainly(stem) + " "
	has := func(text string) bool { return strings.Contains(words, " "+naming.Plainly(text)+" ") }
	any := false
	for _, piece := range g.conv.Pattern.Pattern.Pieces {
		if piece.Field != "" {
			continue
		}
		for word := range strings.FieldsSeq(naming.Plainly(piece.Text)) {
			if any = true; !has(word) {
				return false
			}
		}
	}
	for _, f := range g.conv.Fields {
		if f.Type.Kind != value.Choice {
			continue
		}
		if any = true; !slices.ContainsFunc(f.Type.Of, func(o value.Option) bool { return has(o.Code) }) {
			return false
		}
	}
	return any
}

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

// spot returns the folder that a name which was just read says, if the place agrees.
func (g *group) spot(h *holding) (Spot, bool) {
	dir, values, ok := h.place.For(g.conv, g.values)
	return Spot{h.project, dir, h.place.Line, h.place, values}, ok
}

// apart says what would tell places apart, of a file whose name a convention reads, or none.
func apart(spots []Spot, by *template.Convention) Remedy {
	if slices.ContainsFunc(spots, func(s Spot) bool { return s.Project != spots[0].Project }) {
		for _, name := range spots[0].Project.Template.FieldNames() {
			f := spots[0].Project.Template.Field(name)
			if f.Type.Kind != value.Text || by != nil && !slices.ContainsFunc(by.Fields, func(own *template.Field) bool { return own.Name == name }) {
				continue // no name would say it
			}
			seen := map[string]bool{}
			for _, s := range spots {
				seen[s.Project.Values[name].String()] = true
			}
			if len(seen) > 1 {
				return Remedy{Kind: SayField, Name: name}
			}
		}
		return Remedy{Kind: NameProject}
	}
	return Remedy{Kind: NameFolder}
}

// nowhere says why a file has no place, and what would give it one.
func (p *Planner) nowhere(name string) (why string, help Remedy) {
	stem, ending := naming.Split(name)
	if g := p.elsewhere(stem, ending); g != nil {
		for _, list := range g.places {
			for _, h := range list {
				if slot := match.Contradiction(g.conv, g.values, h.place.Values); slot != "" {
					return fmt.Sprintf("its name reads as %s, and says %s %s, which no place here has", g.conv.Name, slot, g.value(slot)), Remedy{Kind: BuildProject}
				}
			}
		}
		return fmt.Sprintf("its name reads as %s, and the folder for it cannot be told from that", g.conv.Name), Remedy{}
	}
	var closest *pattern.Misfit
	var conv *template.Convention
	for _, g := range p.groups {
		if len(g.conv.For) > 0 && !slices.Contains(g.conv.For, ending) {
			continue
		}
		misfit := g.reader.Read(stem, g.values)
		if misfit == nil {
			continue
		}
		// One that speaks of the ending is meant before one that speaks of all.
		speaks := len(g.conv.For) > 0 && misfit.Near()
		if closest == nil || speaks && len(conv.For) == 0 || misfit.Closer(closest) && (speaks || len(conv.For) == 0 || !closest.Near()) {
			closest, conv = misfit, g.conv
		}
	}
	switch {
	case rules.ByMachine(name):
		return "it is still named by the camera or a program", p.remedy(ending)
	case closest != nil && closest.Near():
		return fmt.Sprintf("its name does not read as %s: %s", conv.Name, closest.Message), Remedy{Kind: ByConvention, Name: conv.Name}
	case len(p.endings[ending]) > 0:
		h := p.endings[ending][0]
		fields := h.place.Asks()
		return fmt.Sprintf("it would go to %s, and nothing says which %s", h.place.Path, strings.Join(fields, " and ")), Remedy{AddFolder, h.place.Path, fields, h.project}
	}
	speaks, any := p.speak(ending)
	switch {
	case len(speaks) == 1:
		return fmt.Sprintf("files that end in .%s are named by the convention %s here", ending, speaks[0]), Remedy{Kind: ByConvention, Name: speaks[0]}
	case len(speaks) > 1:
		return fmt.Sprintf("files that end in .%s are named by one of the conventions %s here", ending, strings.Join(speaks, ", ")), Remedy{Kind: ByConvention, Name: speaks[0]}
	case len(any) == 1:
		return "it is not named by the convention " + any[0], Remedy{Kind: ByConvention, Name: any[0]}
	case len(any) > 1:
		return "it is named by none of the conventions " + strings.Join(any, ", "), Remedy{Kind: ByConvention, Name: any[0]}
	case ending == "":
		return "nothing holds files without an ending", Remedy{}
	}
	return fmt.Sprintf("nothing holds files that end in .%s", ending), Remedy{Kind: HoldEnding, Name: ending}
}

// speak are the conventions that speak of files of an ending, and those that speak of all.
func (p *Planner) speak(ending string) (speaks, any []string) {
	for _, g := range p.groups {
		switch {
		case slices.Contains(g.conv.For, ending) && !slices.Contains(speaks, g.conv.Name):
			speaks = append(speaks, g.conv.Name)
		case len(g.conv.For) == 0 && !slices.Contains(any, g.conv.Name):
			any = append(any, g.conv.Name)
		}
	}
	return speaks, any
}

// remedy is what gives files of an ending a place: the convention that speaks of them, if there is
// one, else a folder that holds such.
func (p *Planner) remedy(ending string) Remedy {
	for _, g := range p.groups {
		if len(g.conv.For) == 0 || slices.Contains(g.conv.For, ending) {
			return Remedy{Kind: ByConvention, Name: g.conv.Name}
		}
	}
	return Remedy{Kind: HoldEnding, Name: ending}
}
