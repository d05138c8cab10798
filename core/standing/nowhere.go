package standing

import (
	"fmt"
	"slices"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// apart is as the function of that name: of all places for files of one ending it is asked once.
func (p *Planner) apart(o *Outcome, name string, spots []Spot) Remedy {
	_, ending := tree.Split(name)
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
	stem, ending := tree.Split(name)
	if g := p.elsewhere(stem, ending); g != nil {
		for _, list := range g.places {
			for _, h := range list {
				if slot := naming.Contradiction(g.conv, g.values, h.place.Values); slot != "" {
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
	case naming.Conflict(stem) != "":
		return naming.InConflict(naming.Conflict(stem)), Remedy{}
	case naming.ByMachine(name):
		return "it is still named by the camera or a program", p.remedy(ending)
	case closest != nil && closest.Near():
		return fmt.Sprintf("its name does not read as %s: %s", conv.Name, closest.Message), Remedy{Kind: ByConvention, Name: conv.Name}
	case len(p.endings[ending]) > 0 && len(p.endings[ending][0].place.Asks()) > 0:
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
