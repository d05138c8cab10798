package standing

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Namer gives files that come in names of a convention.
type Namer struct {
	// Conventions are those that name them: each file the first that is for such files.
	Conventions []string
	Given       map[string]template.Raw // values that a person gives
	// Made returns the day on which a file came about, and from where that is known.
	Made func(f *File) (day time.Time, from string)
	Now  time.Time
	// Sources are the names of what files come from, by the numbers of their sources: a folder that is called after a
	// device says which that was.
	Sources []string
	// Known are texts that fields may have, also of other projects.
	Known map[string][]value.Value
	// Wrong says what the rules of a project's template find wrong with a name; "" for nothing.
	Wrong func(p *Project, name string) string

	numbers naming.Numbers
	free    map[*template.Convention]*naming.Free
	readers map[*template.Convention]*naming.Reader
}

// A NameError says what a name still needs.
type NameError struct {
	Convention *template.Convention
	Fields     []*template.Field
}

// Error names the fields.
func (e *NameError) Error() string {
	names := make([]string, len(e.Fields))
	for i, f := range e.Fields {
		names[i] = f.Name
	}
	return fmt.Sprintf("a name of %s needs %s", e.Convention.Name, strings.Join(names, ", "))
}

// Name gives files their names and places, in the order in which they came about. Files
// that the convention is not for, or whose names read by it already, are passed by: they
// have no outcome. The error says what is missing, or wrong.
func (n *Namer) Name(p *Planner, files []*File) (map[*File]*Outcome, error) {
	n.numbers, n.readers = naming.Numbers{}, map[*template.Convention]*naming.Reader{}
	type dated struct {
		*File
		by   string
		day  time.Time
		from string
	}
	var list []dated
	for _, f := range files {
		_, ending := tree.Split(path.Base(f.Path))
		by := n.by(p, ending)
		for _, g := range p.groups {
			if g.conv.Name == by && !f.Link {
				stem, _ := tree.Split(path.Base(f.Path))
				if g.reader.Read(stem, g.values) != nil {
					day, from := n.Made(f)
					list = append(list, dated{f, by, day, from})
				}
				break
			}
		}
	}
	slices.SortStableFunc(list, func(a, b dated) int { return cmp.Or(a.day.Compare(b.day), cmp.Compare(a.Path, b.Path)) })
	outcomes := map[*File]*Outcome{}
	first := map[string]*Outcome{} // of files that belong together: they have one stem
	for _, d := range list {
		stem := d.by + "\x00" + path.Dir(d.At) + "\x00" + naming.Unended(d.Path)
		if with := first[stem]; with != nil && naming.Unended(d.Path) != "" && with.Kind == Goes {
			o := *with
			name := naming.Unended(path.Base(with.Path)) + naming.Ending(o.by, path.Base(d.Path))
			o.File, o.Path, d.Fresh, d.Day = d.File, path.Join(path.Dir(with.Path), name), name, with.File.Day
			outcomes[d.File] = &o
			continue
		}
		o, err := n.one(p, d.File, d.by, d.day, d.from)
		if err != nil {
			return nil, err
		}
		outcomes[d.File], first[stem] = o, o
	}
	return outcomes, nil
}

// by is the convention that names files of an ending: the first that speaks of it, else the first
// that speaks of all; "" for none.
func (n *Namer) by(p *Planner, ending string) (by string) {
	for _, name := range n.Conventions {
		for _, g := range p.groups {
			switch {
			case g.conv.Name != name:
			case slices.Contains(g.conv.For, ending):
				return name
			case len(g.conv.For) == 0 && by == "":
				by = name
			}
		}
	}
	return by
}

// A naming place is where a file can go under a new name.
type called struct {
	spots   []Spot
	placed  bool // the name says whose it is, and these spots agree
	conv    *template.Convention
	lacking *NameError
	dayFrom string // where the day comes from, if not from the name
	against string // what keeps it from the others
	open    string // what its old name leaves open
}

// places are the places where a file can go under a name of a convention.
func (n *Namer) places(p *Planner, f *File, by string, day time.Time, from string) (*called, error) {
	c := &called{}
	for _, g := range p.groups {
		if g.conv.Name != by {
			continue
		}
		for h := range g.holdings() {
			said, placed, open := n.says(g.conv, h, f)
			if open != "" {
				c.open = open
				return c, nil
			}
			values, dated, err := n.values(g.conv, h, day, said)
			if err != nil {
				if e, is := err.(*NameError); is {
					c.lacking = e
					continue
				}
				return nil, err
			}
			for i, field := range g.conv.Fields {
				g.values[i] = values[field.Name]
			}
			if placed && !c.placed {
				c.spots, c.placed = nil, true
			}
			if s, ok := g.spot(h); ok && !contains(c.spots, s) && placed == c.placed {
				s.Values = values
				c.spots, c.conv = append(c.spots, s), g.conv
				if c.dayFrom = ""; dated {
					c.dayFrom = "the day is " + from
				}
			} else if slot := naming.Contradiction(g.conv, g.values, h.place.Values); !ok && slot != "" && c.against == "" {
				c.against = fmt.Sprintf(": %s would be %s, and there it is %s", slot, values[slot], h.place.Values[slot])
			}
		}
	}
	return c, nil
}

// one gives one file its name and place.
func (n *Namer) one(p *Planner, f *File, by string, day time.Time, from string) (*Outcome, error) {
	o := &Outcome{File: f}
	c, err := n.places(p, f, by, day, from)
	if err != nil {
		return nil, err
	}
	if all := c.spots; len(all) > 0 {
		if c.spots = p.below(all); len(c.spots) == 0 {
			p.elseNamed(o, all[0].Dir)
			return o, nil
		}
	}
	if len(c.spots) > 1 { // a place that is named is meant
		if i := slices.IndexFunc(c.spots, func(s Spot) bool { return p.Below != "" && s.Dir == p.Below }); i >= 0 {
			c.spots = c.spots[i : i+1]
		}
	}
	o.Spots = c.spots
	switch {
	case c.open != "":
		o.Kind, o.Why, o.Help = Nowhere, c.open, Remedy{Kind: SayMore}
		return o, nil
	case len(c.spots) == 0 && c.lacking != nil:
		return nil, c.lacking
	case len(c.spots) == 0:
		o.Kind, o.Why = Nowhere, "no folder that holds "+by+" agrees with its day and values"+c.against
		return o, nil
	case len(c.spots) > 1:
		slices.SortFunc(c.spots, func(a, b Spot) int {
			return cmp.Or(cmp.Compare(a.Project.Shown, b.Project.Shown), cmp.Compare(a.Dir, b.Dir))
		})
		o.Kind, o.Why, o.Help = Several, "named by "+by, apart(c.spots, c.conv)
		return o, nil
	}
	name, err := n.write(p, c.conv, &c.spots[0], naming.Ending(c.conv, path.Base(f.Path)))
	if err != nil {
		o.Kind, o.Why = Nowhere, err.Error()
		return o, nil
	}
	f.Fresh, f.Day = name, c.dayFrom
	o.Path, o.Why, o.by = path.Join(c.spots[0].Dir, name), "named by "+by, c.conv
	return o, nil
}

// values are what a name is made of: what was given, what the place knows, and the day.
// Dated says that the day came from the file.
func (n *Namer) values(conv *template.Convention, h *holding, day time.Time, said template.Values) (values template.Values, dated bool, err error) {
	values = h.place.Values.Clone()
	known := template.Values{}
	for _, f := range conv.Fields {
		if raw, given := n.Given[f.Name]; given {
			v, err := f.Parse(raw, n.Now)
			if err != nil {
				return nil, false, fmt.Errorf("%s %w", f.Name, err)
			}
			known[f.Name] = v
		}
	}
	lacking := &NameError{Convention: conv}
	for _, f := range conv.Fields {
		v, given := known[f.Name]
		switch {
		case given:
		case f.Next > template.Uncounted:
			continue
		case said[f.Name].Given() && (f.Type.Kind != value.Text || !values[f.Name].Given() || !conv.Pattern.Agrees(f.Name, said[f.Name], values[f.Name])):
			v = said[f.Name]
		case values[f.Name].Kind == f.Type.Kind && values[f.Name].Given():
			continue
		case f.Type.Kind == value.Date, f.Type.Kind == value.Month, f.Type.Kind == value.Year:
			v, dated = f.Type.Specimen(f.Name, value.OfDate(day)), true
		case f.Default != nil:
			if v, err = f.Parse(*f.Default, n.Now); err != nil {
				return nil, false, fmt.Errorf("%s %w", f.Name, err)
			}
		default:
			lacking.Fields = append(lacking.Fields, f)
			continue
		}
		values[f.Name] = v
	}
	if len(lacking.Fields) > 0 {
		return nil, false, lacking
	}
	return values, dated, nil
}

// says is what the old name of a file says of the fields of a convention, at a place; open says that
// it can be read in several ways. A name that a camera or a program gave says nothing.
func (n *Namer) says(conv *template.Convention, h *holding, f *File) (said template.Values, placed bool, open string) {
	stem, _ := tree.Split(path.Base(f.Path))
	free := n.free[conv]
	if free == nil {
		free = naming.NewFree(conv, n.Known)
		if n.free == nil {
			n.free = map[*template.Convention]*naming.Free{}
		}
		n.free[conv] = free
	}
	said = n.come(free, f)
	if naming.ByMachine(naming.Single(stem)) {
		return said, false, ""
	}
	read := free.Read(stem, h.place.Values)
	guesses := read.Guesses
	if len(guesses) == 0 {
		return said, read.Placed, ""
	}
	if read.Slip != "" {
		return nil, false, read.Slip + ", it seems"
	}
	for _, g := range guesses[1:] {
		for _, field := range conv.Fields {
			_, given := n.Given[field.Name]
			if a, b := guesses[0].Values[field.Name], g.Values[field.Name]; !given && field.Type.Kind.Calendar() && a.Given() && b.Given() && !a.Equal(b) {
				return nil, false, fmt.Sprintf("its %s could be %s or %s", field.Name, a, b)
			}
		}
	}
	maps.Copy(said, guesses[0].Values)
	return said, read.Placed, ""
}

// come is what the folders say that a file comes from, the nearest before all.
func (n *Namer) come(free *naming.Free, f *File) template.Values {
	said := template.Values{}
	names := strings.Split(path.Dir(f.Path), "/")
	if f.Source < len(n.Sources) {
		names = append([]string{n.Sources[f.Source]}, names...)
	}
	for _, name := range names {
		maps.Copy(said, free.Choices(name))
	}
	return said
}

// write makes the name, with the next number where one counts on.
func (n *Namer) write(p *Planner, conv *template.Convention, s *Spot, ending string) (string, error) {
	take := func() {}
	if series := naming.SeriesOf(conv); series != nil && !s.Values[series.Field.Name].Given() {
		count, dir := &Count{Template: s.Project.Template, Convention: conv, Layout: s.Project.Layout}, s.Project.Dir.Join(s.Dir)
		var next int
		var err error
		next, take, err = n.numbers.Next(series, s.Project.Template.Name+"\x00"+string(count.Top(dir)), s.Values, func() ([]string, error) { return count.Names(dir) })
		if err != nil {
			return "", err
		}
		s.Values = s.Values.Clone()
		s.Values[series.Field.Name] = value.OfNumber(next)
	}
	name, _, err := conv.Write(s.Values)
	if err != nil {
		return "", err
	}
	back := n.readers[conv]
	if back == nil {
		back = naming.NewReader([]*template.Convention{conv})
		n.readers[conv] = back
	}
	if err := back.Check(conv, name+ending, s.Values); err != nil {
		return "", fmt.Errorf("\"%s\" is no name for this convention: %w", name+ending, err)
	}
	if wrong := n.Wrong(s.Project, name+ending); wrong != "" {
		return "", errors.New(wrong)
	}
	take()
	return name + ending, nil
}
