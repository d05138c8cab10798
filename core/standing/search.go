package standing

import (
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A kind is where files of one ending belong that nothing else is known of.
type kind struct {
	spots []Spot // not to be changed
	why   string
	apart *Remedy // what would tell these apart, once it was asked
}

// A search gathers the spots of one file, each once.
type search struct {
	*Outcome
	spots []Spot
	why   string
	known map[folder]bool
}

// add takes a spot, for a reason, where it is not known yet: there may be thousands.
func (s *search) add(spot Spot, why string) {
	if k := (folder{spot.Project, spot.Dir}); !s.known[k] {
		s.known[k] = true
		s.spots, s.why = append(s.spots, spot), why
	}
}

// hold takes the place of a holding, if it is one folder.
func (s *search) hold(h *holding, why string) {
	if !h.place.Open {
		s.add(Spot{h.project, h.place.Path, h.place.Line, h.place, h.place.Values}, why)
	}
}

// spots finds the folders that a file could belong in, by what says most.
func (p *Planner) spots(o *Outcome, f *File, name string) ([]Spot, string) {
	stem, ending := tree.Split(name)
	s := &search{Outcome: o, known: map[folder]bool{}}
	for _, by := range []func(){
		func() { p.byDue(s, name, stem) },
		func() { p.byConvention(s, stem, ending) },
	} {
		if by(); len(s.spots) > 0 {
			return s.spots, s.why
		}
	}
	if p.elsewhere(stem, ending) != nil || p.nearly(stem, ending) {
		return nil, ""
	}
	for _, by := range []func(){
		func() { p.bySource(s, f) },
		func() { p.byShape(s, name) },
	} {
		if by(); len(s.spots) > 0 {
			return s.spots, s.why
		}
	}
	k := p.ofKind(ending)
	return k.spots, k.why
}

// byDue finds where something of a name, or of one without its ending, has to be delivered.
func (p *Planner) byDue(s *search, name, stem string) {
	for _, called := range []string{name, stem} {
		for _, d := range p.due[tree.Folded(called)] {
			s.add(Spot{d.project, d.place.Path, d.place.Line, d.place, d.place.Values}, "it is due there")
			s.due = d.called + name[len(called):]
		}
	}
}

// byConvention finds what holds names that read as this one does, by the strictest reading.
func (p *Planner) byConvention(s *search, stem, ending string) {
	best := -1
	for i, g := range p.groups {
		if best >= 0 && (g.loose != p.groups[best].loose || g.fixed != p.groups[best].fixed) {
			break
		}
		if len(g.conv.For) > 0 && !slices.Contains(g.conv.For, ending) || g.reader.Read(stem, g.values) != nil {
			continue
		}
		for _, h := range g.places[g.key(g.value, true)] {
			spot, ok := g.spot(h)
			if !ok {
				continue
			}
			s.add(spot, readsAs+g.conv.Name)
			if best = i; s.by != g.conv {
				s.by, s.read = g.conv, template.Values{}
				for k, f := range g.conv.Fields {
					s.read[f.Name] = g.values[k]
				}
			}
		}
	}
}

// bySource finds what holds what lay at some place of its source.
func (p *Planner) bySource(s *search, f *File) {
	for _, h := range p.sources {
		for _, pattern := range h.place.Line.Sources {
			if ok, err := doublestar.Match(strings.ToLower(pattern), strings.ToLower(f.Path)); ok && err == nil {
				s.hold(h, "it lay in "+path.Dir(f.Path))
			}
		}
	}
}

// byShape finds what holds names of this shape.
func (p *Planner) byShape(s *search, name string) {
	for _, h := range p.shapes {
		if h.place.Line.Shaped(name) {
			s.hold(h, "by the shape of its name")
		}
	}
}

// ofKind is where files of an ending belong: it is the same for all of them.
func (p *Planner) ofKind(ending string) *kind {
	k := p.kinds[ending]
	if k != nil {
		return k
	}
	k = &kind{}
	p.kinds[ending] = k
	for _, rank := range []int{byEnding, byKind} {
		s := &search{known: map[folder]bool{}}
		for _, h := range p.endings[ending] {
			if h.rank == rank {
				s.hold(h, "by its kind, ."+ending)
			}
		}
		if k.spots, k.why = s.spots, s.why; len(k.spots) > 0 {
			break
		}
	}
	return k
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
