package batch

import (
	"errors"
	"fmt"
	"io/fs"
	"path"

	"vestibula/core/change"
	"vestibula/core/match"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// A Begun thing is one of a folder that somebody began by hand: it stands there under another name
// than the template gives it.
type Begun struct {
	From, To string // paths from the place
	Folder   bool
	Sure     bool // it gets that name; else it only looks like it
}

// begun finds what stands under other names in folders that are to become projects and are there
// without a label, so that no twin is made beside it.
func (j *Job) begun() (list []Begun) {
	if j.Pack != nil || j.Bare || j.All || j.Read == nil {
		return nil
	}
	for _, r := range j.Builds {
		folder := r.Folder()
		if folder == "." || j.fresh(folder) {
			continue
		}
		if e, err := j.Place.Look(folder); err != nil || e.Kind != tree.Folder {
			continue
		}
		if _, _, err := project.LabelIn(j.Place, folder); !errors.Is(err, fs.ErrNotExist) {
			continue // it is a project already
		}
		real, _, err := j.Read(j.Place.Real.Join(folder))
		if err != nil {
			continue
		}
		w, err := match.Of(r.Template, r.Values, max(j.Limit, 10*real.Count()), j.Now)
		if err != nil {
			continue
		}
		for _, t := range match.Compare(w, real) {
			if t.Kind == match.Misnamed && t.Movable() && t.Node.Marks&tree.Open == 0 {
				list = append(list, Begun{From: path.Join(folder, t.Path), To: path.Join(folder, t.Target(func(other *match.Thing) bool { return other.Sure })), Folder: t.Node.Kind == tree.Folder, Sure: t.Sure})
			}
		}
	}
	return list
}

// maxBegun is how many of such things are told one by one.
const maxBegun = 8

// takeUp adds what gives such things their names.
func (j *Job) takeUp(set *change.Set) {
	for _, b := range j.Begun {
		kind := tree.File
		if b.Folder {
			kind = tree.Folder
		}
		if b.Sure {
			set.Move(change.At{Path: b.From}, change.At{Path: b.To}, change.Is(kind), "it was begun by hand")
		}
	}
}

// noteBegun tells of such things.
func (j *Job) noteBegun(p *proposal.Proposal) {
	for i, b := range j.Begun {
		if i == maxBegun {
			p.Note(fmt.Sprintf("and %d others like these", len(j.Begun)-i))
			return
		}
		if b.Sure {
			p.Note("“" + b.From + "” stands there for “" + path.Base(b.To) + "”, and gets that name and place: " + b.To)
		} else {
			p.Note("“" + b.From + "” looks as if it were “" + b.To + "”: give it that name first, if it is, or there will be both")
		}
	}
}
