package put

import (
	"cmp"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"vestibula/core/digest"
	"vestibula/core/merge"
	"vestibula/core/naming"
	"vestibula/core/standing"
	"vestibula/core/tree"
)

// A Held file is one that lies in a project already.
type Held struct {
	Project *standing.Project
	Path    string // from the project's own folder
	At      string // absolute, with slashes
	Size    int64
}

// A Reader opens what lies on the disk, by its absolute path.
type Reader func(at string) (io.ReadCloser, error)

// Same looks which files are there already, whatever they are called: in the project that
// they go into or, where that is not known, in any; and which are the same as another one
// that comes into it. It reads only what could be equal: files of one size. Empty files
// are all the same, and not looked at. Where a file cannot be read, that is told of it.
func Same(outcomes []*standing.Outcome, held []Held, open Reader) {
	coming := map[string]bool{}
	bySize := map[int64][]one{}
	for _, o := range outcomes {
		if o.File.At != "" {
			coming[o.File.At] = true
		}
		if o.File.Entry.Size > 0 && !o.File.Link && !naming.Points(path.Base(o.File.Path)) {
			bySize[o.File.Entry.Size] = append(bySize[o.File.Entry.Size], one{outcome: o})
		}
	}
	for i := range held {
		h := &held[i]
		if list := bySize[h.Size]; len(list) > 0 && !coming[h.At] {
			bySize[h.Size] = append(list, one{held: h})
		}
	}
	for _, o := range outcomes {
		size := o.File.Entry.Size
		list := bySize[size]
		delete(bySize, size)
		if len(list) < 2 {
			continue
		}
		parts := digest.Same(len(list), size, func(i int) (io.ReadCloser, error) {
			switch x := list[i]; {
			case x.held != nil:
				return open(x.held.At)
			case x.outcome.File.Content != nil:
				return x.outcome.File.Content.Open()
			default:
				return open(x.outcome.File.At)
			}
		}, func(i int, _ error) {
			if x := list[i].outcome; x != nil {
				x.Kind, x.Why, x.Help = standing.Nowhere, "it cannot be read", standing.Remedy{}
			}
		})
		for _, part := range parts {
			equal(list, part)
		}
	}
}

// A one is a file that comes, or one that a project holds.
type one struct {
	outcome *standing.Outcome
	held    *Held
}

// equal settles what becomes of files that hold the same: those of a list with the numbers in a
// part.
func equal(list []one, part []int) {
	coming := slices.DeleteFunc(slices.Clone(part), func(i int) bool { return list[i].outcome == nil })
	slices.SortStableFunc(coming, func(a, b int) int { return rank(list[a].outcome, list[b].outcome) })
	first := map[*standing.Project]*standing.Outcome{} // that comes into each project; nil: into none
	for _, i := range coming {
		x := list[i].outcome
		to := x.Project()
		held := slices.IndexFunc(part, func(k int) bool {
			h := list[k].held
			return h != nil && (to == nil || h.Project == to) && (!x.Named || path.Dir(h.Path) == path.Dir(x.Path))
		})
		switch {
		case held >= 0:
			there := list[part[held]].held
			x.Stays(there.Project, there.Path, "the same is there")
		case first[to] == nil:
			first[to] = x
		case x.Kind == standing.Nowhere && !naming.Speaks(path.Base(x.File.Path)): // it goes with the file that it belongs to
		default:
			x.Kind, x.Spots, x.Path, x.Why, x.Help = standing.There, nil, "", twice(first[to], x), standing.Remedy{}
			x.Twin = first[to]
		}
	}
}

// Stands reports whether, once all is done, what a file holds stands in a project, as bytes that were compared.
func Stands(o *standing.Outcome) bool {
	switch {
	case o.Twin != nil:
		return Stands(o.Twin)
	case o.Kind == standing.There:
		return !o.Leads
	}
	return o.Kind == standing.Goes
}

// rank is below 0 where the first of two files that hold the same is the one that stays: the one that has a place, whose
// name says nothing of a copy, that is older. It is 0 where nothing tells them apart.
func rank(a, b *standing.Outcome) int {
	no := map[bool]int{true: 1}
	return cmp.Or(no[a.Kind != standing.Goes]-no[b.Kind != standing.Goes], no[naming.Copied(path.Base(a.File.Path))]-no[naming.Copied(path.Base(b.File.Path))], cmp.Compare(a.File.Entry.Time, b.File.Entry.Time))
}

// twice says why one of two files that hold the same stays behind.
func twice(stays, x *standing.Outcome) string {
	why := "the same as " + stays.File.Path
	switch {
	case stays.Kind == standing.Goes && x.Kind != standing.Goes:
		return why + ", which has a place"
	case !naming.Copied(path.Base(stays.File.Path)) && naming.Copied(path.Base(x.File.Path)):
		return why + ", which is no copy by its name"
	case stays.File.Entry.Time < x.File.Entry.Time:
		return why + ", which is older"
	}
	return why
}

// Taken settles which of the files that go somewhere find their name taken: by
// themselves, as they lie there already, by something else, or by each other. What has
// come to lie there since the projects were read is found when the changes are prepared.
// Look returns what lies at a path and, of a link, where it leads.
func Taken(outcomes []*standing.Outcome, base func(p *standing.Project) string, look func(at string) (e tree.Entry, leads string, err error)) {
	claimed := map[string]*standing.Outcome{}
	for _, o := range outcomes {
		if o.Kind == standing.Several && o.File.At != "" {
			// Where it lies is one of the places that it could go to.
			dir := path.Dir(o.File.At)
			for _, s := range o.Spots {
				if top := base(s.Project); strings.HasPrefix(dir, top) && dir == path.Join(top, s.Dir) {
					o.Stays(s.Project, path.Join(s.Dir, o.File.Name()), "it is where it belongs")
					break
				}
			}
		}
		if o.Kind != standing.Goes {
			continue
		}
		to := path.Join(base(o.Spots[0].Project), o.Path)
		if to == o.File.At {
			o.Stays(o.Spots[0].Project, o.Path, "it is where it belongs")
			continue
		}
		var e tree.Entry
		leads, err := "", fs.ErrNotExist
		if o.Spots[0].Project.Has(o.Path) {
			e, leads, err = look(to)
		}
		first := claimed[tree.Folded(to)]
		switch {
		case err == nil && leads != "" && leads == o.File.At:
			o.Stays(o.Spots[0].Project, o.Path, "a link to it is there")
			o.Leads = true
		case err == nil && e.Kind == tree.File && e.Size == 0 && o.File.Entry.Size == 0:
			o.Stays(o.Spots[0].Project, o.Path, "it is there, and empty too")
		case o.Named && o.File.Within != "" && (first != nil || err == nil && !strings.EqualFold(to, o.File.At)):
			// The folder that it lies in becomes one with the one that stands there.
			dir, p := path.Dir(o.Path), o.Spots[0].Project
			o.Path = path.Join(dir, merge.BesideName(&tree.Node{Name: path.Base(o.Path), Kind: tree.File}, path.Base(path.Dir(o.File.At)), func(name string) bool {
				at := path.Join(dir, name)
				return p.Has(at) || claimed[tree.Folded(path.Join(base(p), at))] != nil
			}))
			claimed[tree.Folded(path.Join(base(p), o.Path))] = o
		case err == nil && !strings.EqualFold(to, o.File.At):
			o.Kind, o.Why, o.Help = standing.Nowhere, "where it belongs, something else has its name: "+o.Path, otherName(o.File)
		case first != nil:
			o.Kind, o.Why, o.Help = standing.Nowhere, "another one that comes in has the same name: "+first.File.Path, otherName(o.File)
		default:
			claimed[tree.Folded(to)] = o
		}
	}
}

// otherName is what to do about a name that something else has.
func otherName(f *standing.File) standing.Remedy {
	if f.Fresh != "" {
		return standing.Remedy{Kind: standing.SayMore}
	}
	return standing.Remedy{Kind: standing.OtherName}
}
