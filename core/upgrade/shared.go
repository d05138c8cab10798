package upgrade

import (
	"path"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/place"
	"vestibula/core/project"
)

// A Shared folder lies above projects, and belongs to the values in its name: where these change in
// all of the projects, it comes along with all that lies in it.
type shared struct {
	place    address.Address
	from, to string // from that
	of       []*Upgrading
}

// Shared are the folders above projects of a list that get another name as a whole: where they are, by
// what they become.
func Shared(list []*Upgrading) map[address.Address]address.Address {
	found := map[address.Address]address.Address{}
	for _, g := range sharedFolders(list) {
		found[g.place.Join(g.to)] = g.place.Join(g.from)
	}
	return found
}

// sharedFolders are the folders above projects of a list that get another name as a whole: all
// projects in them are in the list, and get that name.
func sharedFolders(list []*Upgrading) (found []*shared) {
	groups := map[string]*shared{}
	torn := map[*shared]bool{}
	for _, u := range list {
		from, to := differs(u.Name, u.Becomes)
		if from == "" {
			continue
		}
		key := string(u.Place().Join(from))
		g := groups[key]
		if g == nil {
			g = &shared{place: u.Place(), from: from, to: to}
			groups[key] = g
			found = append(found, g)
		}
		torn[g] = torn[g] || g.to != to
		g.of = append(g.of, u)
	}
	return slices.DeleteFunc(found, func(g *shared) bool {
		if _, err := place.Lstat(string(g.place.Join(g.to))); err == nil || torn[g] {
			return true
		}
		below, err := project.Below(g.place.Join(g.from), nil, nil)
		return err != nil || slices.ContainsFunc(below.Projects, func(own project.Own) bool {
			return !slices.ContainsFunc(g.of, func(u *Upgrading) bool { return own.Dir.Within(u.job.Project.Dir) })
		})
	})
}

// differs is the outermost folder above a project that gets another name, and that name: paths from
// the place of the build; "" where there is none.
func differs(name, becomes string) (from, to string) {
	was, is := strings.Split(name, "/"), strings.Split(becomes, "/")
	if len(was) != len(is) {
		return "", ""
	}
	for i := range was[:len(was)-1] {
		if was[i] != is[i] {
			return path.Join(was[:i+1]...), path.Join(is[:i+1]...)
		}
	}
	return "", ""
}

// comesAlong reports whether a project keeps its place in a folder above it that moves as a whole.
func (p *Plan) comesAlong() bool {
	return p.above != "" && p.Name[len(p.above):] == p.Becomes[len(p.becomesAbove):]
}
