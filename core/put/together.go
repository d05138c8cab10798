package put

import (
	"path"

	"vestibula/core/naming"
	"vestibula/core/standing"
)

// Together sends what belongs to a file along with it: a file with the whole name of that and one more
// ending, or with its stem and an ending that says nothing by itself, which has no place of its own. Where
// the files that it belongs to go to different places, it stays.
func Together(outcomes []*standing.Outcome) {
	type key struct {
		dir    string
		source int
		bare   string
	}
	of := func(f *standing.File, bare string) key {
		if f.At != "" {
			return key{path.Dir(f.At), 0, bare}
		}
		return key{path.Dir(f.Path), 1 + f.Source, bare}
	}
	company := map[key][]*standing.Outcome{}
	for _, o := range outcomes {
		bare := naming.Unended(path.Base(o.File.Path))
		if (o.Kind == standing.Nowhere || o.Kind == standing.Several) && bare != "" {
			company[of(o.File, bare)] = append(company[of(o.File, bare)], o)
		}
	}
	if len(company) == 0 {
		return
	}
	goes, apart := map[*standing.Outcome]*standing.Outcome{}, map[*standing.Outcome]bool{}
	var order []*standing.Outcome
	for _, o := range outcomes {
		if o.Kind != standing.Goes && o.Kind != standing.There || len(o.Spots) != 1 {
			continue
		}
		name := path.Base(o.File.Path)
		for _, bare := range []string{name, naming.Unended(name)} {
			for _, other := range company[of(o.File, bare)] {
				along := naming.Along(path.Base(other.File.Path), name, path.Base(o.Path), false)
				if along == "" || !naming.Goes(path.Base(other.File.Path), name) {
					continue
				}
				first := goes[other]
				if first == nil {
					goes[other], order = o, append(order, other)
				} else if first.Spots[0].Project != o.Spots[0].Project || path.Join(path.Dir(o.Path), along) != path.Join(path.Dir(first.Path), naming.Along(path.Base(other.File.Path), path.Base(first.File.Path), path.Base(first.Path), false)) {
					apart[other] = true
				}
			}
		}
	}
	for _, o := range order {
		if apart[o] {
			continue
		}
		with := goes[o]
		name := path.Base(with.File.Path)
		o.With = with
		o.Kind, o.Spots, o.Why, o.Help = standing.Goes, with.Spots, "it belongs to "+name, standing.Remedy{}
		own := path.Base(o.File.Path)
		along := naming.Along(own, name, path.Base(with.Path), false)
		if o.Path = path.Join(path.Dir(with.Path), along); along != own {
			o.File.Fresh = along
		}
	}
}

// Apart leaves what belongs to a file that stays where it is after all.
func Apart(outcomes []*standing.Outcome) {
	for _, o := range outcomes {
		if with := o.With; with != nil && o.Kind == standing.Goes && with.Kind != standing.Goes && with.Kind != standing.There {
			o.Kind, o.Spots, o.Why, o.Help = standing.Nowhere, nil, "it belongs to "+path.Base(with.File.Path)+", which stays", standing.Remedy{}
		}
	}
}
