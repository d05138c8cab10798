package put

import (
	"io"
	"path"
	"strings"

	"vestibula/core/digest"
	"vestibula/core/tree"
)

// A Held file is one that lies in a project already.
type Held struct {
	Project *Project
	Path    string // from the project's own folder
	At      string // absolute, with slashes
	Size    int64
}

// headBytes is how much of files of one size is compared before all of it is.
const headBytes = 64 << 10

// A Reader opens what lies on the disk, by its absolute path.
type Reader func(at string) (io.ReadCloser, error)

// Same looks which of the files that go somewhere are there already, whatever they are
// called, and which are the same as another one that comes in. It reads only what could
// be equal: files of one size. Empty files are all the same, and not looked at. Where a
// file cannot be read, that is told of it.
func Same(outcomes []*Outcome, held []Held, open Reader) {
	type one struct {
		outcome *Outcome
		held    *Held
	}
	coming := map[string]bool{}
	bySize := map[int64][]one{}
	for _, o := range outcomes {
		if o.File.At != "" {
			coming[o.File.At] = true
		}
		if o.File.Entry.Size > 0 && !o.File.Link {
			bySize[o.File.Entry.Size] = append(bySize[o.File.Entry.Size], one{outcome: o})
		}
	}
	for i := range held {
		h := &held[i]
		if list := bySize[h.Size]; len(list) > 0 && !coming[h.At] {
			bySize[h.Size] = append(list, one{held: h})
		}
	}
	sum := func(x one, most int64) (string, error) {
		var r io.ReadCloser
		var err error
		switch {
		case x.held != nil:
			r, err = open(x.held.At)
		case x.outcome.File.Content != nil:
			r, err = x.outcome.File.Content.Open()
		default:
			r, err = open(x.outcome.File.At)
		}
		if err != nil {
			return "", err
		}
		defer r.Close()
		return digest.Of(io.LimitReader(r, most))
	}
	// parted parts a list by the checksums of so much of each file.
	parted := func(list []one, most int64) (parts [][]one) {
		if len(list) < 2 {
			return nil
		}
		at := map[string]int{}
		for _, x := range list {
			s, err := sum(x, most)
			if err != nil {
				if x.outcome != nil {
					x.outcome.Kind, x.outcome.Why, x.outcome.Help = Nowhere, "it cannot be read", ""
				}
				continue
			}
			i, known := at[s]
			if !known {
				i = len(parts)
				at[s] = i
				parts = append(parts, nil)
			}
			parts[i] = append(parts[i], x)
		}
		return parts
	}
	for _, o := range outcomes {
		list := bySize[o.File.Entry.Size]
		delete(bySize, o.File.Entry.Size)
		for _, alike := range parted(list, headBytes) {
			equal := [][]one{alike}
			if o.File.Entry.Size > headBytes {
				equal = parted(alike, 1<<62)
			}
			for _, list := range equal {
				var there *Held
				for _, x := range list {
					if x.held != nil && there == nil {
						there = x.held
					}
				}
				var first *Outcome
				for _, x := range list {
					switch {
					case x.outcome == nil:
					case there != nil:
						x.outcome.there(there.Project, there.Path, "the same is there")
					case first == nil:
						first = x.outcome
					case first.Kind == Goes || first.Kind == x.outcome.Kind:
						x.outcome.Kind, x.outcome.Spots, x.outcome.Path = There, nil, ""
						x.outcome.Why = "the same as " + first.File.Path
					}
				}
			}
		}
	}
}

// there notes that a file is in a project already.
func (o *Outcome) there(p *Project, at, why string) {
	o.Kind, o.Path, o.Why, o.Help = There, at, why, ""
	o.Spots = []Spot{{Project: p, Dir: path.Dir(at)}}
}

// Taken settles which of the files that go somewhere find their name taken: by
// themselves, as they lie there already, by something else, or by each other.
func Taken(outcomes []*Outcome, base func(p *Project) string, look func(at string) (tree.Entry, error)) {
	claimed := map[string]*Outcome{}
	for _, o := range outcomes {
		if o.Kind == Several && o.File.At != "" {
			// Where it lies is one of the places that it could go to.
			for _, s := range o.Spots {
				if path.Dir(o.File.At) == path.Join(base(s.Project), s.Dir) {
					o.there(s.Project, path.Join(s.Dir, o.File.Name()), "it is where it belongs")
					break
				}
			}
		}
		if o.Kind != Goes {
			continue
		}
		to := path.Join(base(o.Spots[0].Project), o.Path)
		if to == o.File.At {
			o.there(o.Spots[0].Project, o.Path, "it is where it belongs")
			continue
		}
		e, err := look(to)
		first := claimed[tree.Folded(to)]
		switch {
		case err == nil && e.Kind == tree.File && e.Size == 0 && o.File.Entry.Size == 0:
			o.there(o.Spots[0].Project, o.Path, "it is there, as empty")
		case err == nil && !strings.EqualFold(to, o.File.At):
			o.Kind, o.Why, o.Help = Nowhere, "where it belongs, something else has its name: "+o.Path, "give one of them another name; --convention names what comes in"
		case first != nil:
			o.Kind, o.Why, o.Help = Nowhere, "another one that comes in has the same name: "+first.File.Path, "give one of them another name; --convention names what comes in"
		default:
			claimed[tree.Folded(to)] = o
		}
	}
}
