package change

import (
	"fmt"
	"strings"

	"vestibula/core/digest"
	"vestibula/core/tree"
)

// A Progress is how far a list was carried out.
type Progress struct {
	Done []Change // in their order
	Rest []Change // what was not
	// Half is how many of the last changes of Done may be done in part, as a file
	// that was copied to another disk and not yet removed. Where somebody changed the
	// disk since, so that the end of what was done is not found, that is all of the list.
	Half int
}

// Look finds how far a run came that was cut short. A list is carried out from its
// first change to its last, so that the end of what was done is where all changes
// before can be seen on the disk, and the next one not yet.
func Look(list []Change, places []tree.Place) Progress {
	w := witness{places}
	for end := len(list); end >= 0; end-- {
		if end > 0 && !w.after(&list[end-1]) {
			continue
		}
		if end < len(list) && (list[end].Op == Make || list[end].Loose) {
			if p, found := w.among(list, end); found && w.all(p.Done[:len(p.Done)-p.Half], nil) {
				return p
			}
			continue
		}
		before, half := end == len(list), false
		if !before {
			before, half = w.before(&list[end])
		}
		var aside *Change // what is just changing places lies under neither name
		if half {
			aside = &list[end]
		}
		if !before && !half || !w.all(list[:end], aside) {
			continue
		}
		p := Progress{Done: list[:end], Rest: list[end:]}
		if half {
			p.Done, p.Rest, p.Half = list[:end+1], list[end+1:], 1
		}
		return p
	}
	return Progress{Done: list, Half: len(list)}
}

// among finds how far a run came in several changes in a row that are carried out at
// a time, one of them with the number at: any of them may be done.
func (w witness) among(list []Change, at int) (Progress, bool) {
	first, last := at, Together(list, at)
	for first > 0 && list[first-1].loose(&list[first]) {
		first--
	}
	if first > 0 && !w.after(&list[first-1]) {
		return Progress{}, false
	}
	p := Progress{Done: list[:first:first]}
	var halves []Change
	for i := first; i < last; i++ {
		switch before, half := w.before(&list[i]); {
		case half:
			halves = append(halves, list[i])
		case w.after(&list[i]):
			p.Done = append(p.Done, list[i])
		case before || list[i].Op == Make:
			p.Rest = append(p.Rest, list[i])
		default:
			return Progress{}, false
		}
	}
	found := len(p.Rest) > 0 || len(halves) > 0
	p.Done, p.Half = append(p.Done, halves...), len(halves)
	p.Rest = append(p.Rest, list[last:]...)
	return p, found
}

// LookAtEach is as [Look], of a list of which somebody has changed something since, so that its end is not
// found: each change is looked at by itself. What was given other contents stays as somebody has written
// it since then, and is among the theirs.
func LookAtEach(list []Change, places []tree.Place) (p Progress, theirs []Change) {
	w := witness{places}
	var halves []Change
	for i := range list {
		c := &list[i]
		before, half := w.before(c)
		switch {
		case w.after(c):
			p.Done = append(p.Done, *c)
		case half:
			halves = append(halves, *c)
		case !before && c.Op == Replace && w.there(c):
			theirs = append(theirs, *c)
		default:
			p.Rest = append(p.Rest, *c)
		}
	}
	p.Done, p.Half = append(p.Done, halves...), len(halves)
	return p, theirs
}

func (w witness) there(c *Change) bool {
	e, there := w.look(c.In, c.Path)
	return there && e.Kind == c.Was.Kind
}

// all reports whether all that a list has done can be seen; where a file is aside that is just changing
// places with another, that it is not there means nothing.
func (w witness) all(list []Change, aside *Change) bool {
	last := map[key]*Change{} // what was done last to each path; nil where something has gone
	again := map[key]bool{}   // paths at which something else was before
	for i := range list {
		c := &list[i]
		at := key{c.In, c.Path}
		switch c.Op {
		case Remove:
			last[at] = nil
			continue
		case Move:
			old := key{c.FromIn, c.From}
			if c.Was.Kind == tree.Folder { // with all that was done in it
				for k, done := range last {
					if k.in == old.in && strings.HasPrefix(k.path, old.path+"/") {
						delete(last, k)
						last[key{at.in, at.path + k.path[len(old.path):]}] = done
					}
				}
			}
			last[old] = nil
		}
		_, again[at] = last[at]
		last[at] = c
	}
	for at, c := range last {
		e, there := w.look(at.in, at.path)
		switch {
		case aside != nil && !there && at == (key{aside.In, aside.Path}):
		case c == nil && !there:
		case c == nil, !there, e.Kind != c.Kind() && c.Op != Replace && c.Op != Copy:
			return false
		case c.Op == Move && !c.Was.moved(e):
			return false
		case again[at] && c.Sum != "" && e.Kind == tree.File && w.sum(at.in, at.path) != c.Sum:
			return false
		}
	}
	return true
}

// A witness looks whether changes can be seen on the disk.
type witness struct{ places []tree.Place }

func (w witness) look(in int, at string) (tree.Entry, bool) {
	if in >= len(w.places) {
		return tree.Entry{}, false
	}
	e, err := w.places[in].Look(at)
	return e, err == nil
}

func (w witness) sum(in int, at string) string {
	f, err := w.places[in].Open(at)
	if err != nil {
		return ""
	}
	defer f.Close()
	sum, _ := digest.Of(f)
	return sum
}

// after reports whether the disk is as it is right after a change.
func (w witness) after(c *Change) bool {
	e, there := w.look(c.In, c.Path)
	switch c.Op {
	case Make:
		return there && e.Kind == c.Node.Kind
	case Replace:
		return there && (w.sum(c.In, c.Path) == c.Sum || c.From != "" && c.Was.Sum != "" && w.sum(c.In, c.From) == c.Was.Sum) && !w.apart(c)
	case Copy:
		return there && c.Sum != ""
	case Remove:
		_, above := w.look(c.In, dirOf(c.Path))
		return !there && above
	}
	if !there || e.Kind != c.Was.Kind || !c.Was.moved(e) {
		return false
	}
	old, still := w.look(c.FromIn, c.From)
	return !still || c.Was.other(old)
}

// Third is the name under which a file lies for a moment while it changes places with the one that
// is staged for it, on disks that cannot exchange two names at once.
func (c *Change) Third() string { return c.From + "-" }

// apart reports whether a run was cut short in that moment.
func (w witness) apart(c *Change) bool {
	if c.From == "" || c.Was.Sum == "" {
		return false
	}
	_, there := w.look(c.In, c.Third())
	return there && w.sum(c.In, c.Third()) == c.Was.Sum
}

// Reunite changes the inverse of a list that was cut short, so that it brings back files that lie aside because two
// names were just exchanged. Half is how many of its first changes invert the last of done.
func Reunite(inverse []Change, half int, done []Change, places []tree.Place) {
	w := witness{places}
	for i := range min(half, len(inverse), len(done)) {
		c, back := &done[len(done)-1-i], &inverse[i]
		if c.Op != Replace || !w.apart(c) {
			continue
		}
		if _, there := w.look(c.In, c.Path); !there {
			*back = c.returns()
		} else if !back.HasOld && back.Content == nil {
			back.From = c.Third()
		}
	}
}

// Untwinned adds to the halves of a list what has to go first: a file that lies on both disks, since it was just going
// from one to the other, goes from its new place by way of a work folder, where both hold the same.
func Untwinned(halves []Change, places []tree.Place, work string) (list []Change) {
	w := witness{places}
	for i := range halves {
		c := &halves[i]
		if sum := w.sum(c.In, c.Path); c.Op == Move && c.Was.Kind == tree.File && sum != "" && sum == w.sum(c.FromIn, c.From) {
			list = append(list, Change{Op: Remove, In: c.In, Path: c.Path, From: fmt.Sprintf("%s/twin-%d", work, i), HasOld: true,
				Was: State{Entry: tree.Entry{Kind: tree.File}, Sum: sum}})
		}
		list = append(list, *c)
	}
	return list
}

// Resumed returns what is left to do of changes that may be half done, of a list that is gone on
// with.
func Resumed(halves []Change, places []tree.Place) (rest []Change) {
	w := witness{places}
	for i := range halves {
		c := &halves[i]
		if c.Op == Replace && w.apart(c) {
			if _, there := w.look(c.In, c.Path); there {
				continue // it has its new contents
			}
			rest = append(rest, c.returns())
		}
		rest = append(rest, *c)
	}
	return rest
}

// returns is what gives a file its name again that lies aside.
func (c *Change) returns() Change {
	return Change{Op: Move, In: c.In, Path: c.Path, FromIn: c.In, From: c.Third(), Was: State{Entry: tree.Entry{Kind: c.Was.Kind}}}
}

// before reports whether the disk is as it is right before a change, or half way.
func (w witness) before(c *Change) (before, half bool) {
	e, there := w.look(c.In, c.Path)
	switch {
	case c.Op == Make, c.given():
		_, above := w.look(c.In, dirOf(c.Path))
		return !there && above, false
	case c.Op == Replace && w.apart(c):
		return false, true
	case c.Op == Replace:
		return there && w.sum(c.In, c.Path) == c.Was.Sum, false
	case c.Op == Remove:
		return there && e.Kind == c.Was.Kind, false
	}
	old, still := w.look(c.FromIn, c.From)
	if !still || old.Kind != c.Was.Kind && c.Op == Move || c.Was.other(old) {
		return false, false
	}
	return !there, there && c.Op == Move && e.Kind == old.Kind && e.Kind != tree.Folder && e.Dev != old.Dev
}
