package change

import (
	"path"
	"slices"

	"vestibula/core/address"
)

// Nest writes the changes in places below a folder with paths from that folder, so that no two
// places of a set lie in each other there. It returns where paths of the set are from then on.
func (s *Set) Nest(top address.Address) (now func(At) At) {
	places, at, before := []address.Address{}, make([]int, len(s.Places)), make([]string, len(s.Places))
	number := func(place address.Address) int {
		if i := slices.Index(places, place); i >= 0 {
			return i
		}
		places = append(places, place)
		return len(places) - 1
	}
	for i, p := range s.Places {
		rel, inside := p.From(top)
		if !inside {
			at[i] = number(p)
			continue
		}
		if at[i] = number(top); rel != "." {
			before[i] = rel
		}
	}
	s.Places = places
	now = func(a At) At {
		if a.Path == "" {
			return At{In: at[a.In]}
		}
		return At{at[a.In], path.Join(before[a.In], a.Path)}
	}
	for i := range s.Changes {
		c := &s.Changes[i]
		to, from := now(At{c.In, c.Path}), now(At{c.FromIn, c.From})
		if c.Instead != "" {
			c.Instead = now(At{c.In, c.Instead}).Path
		}
		c.In, c.Path, c.FromIn, c.From = to.In, to.Path, from.In, from.Path
	}
	return now
}

// Tops are the places of the set in which others of them lie.
func (s *Set) Tops() (tops []address.Address) {
	for _, top := range s.Places {
		if slices.ContainsFunc(s.Places, func(p address.Address) bool { return p != top && p.Within(top) }) {
			tops = append(tops, top)
		}
	}
	return tops
}
