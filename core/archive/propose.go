package archive

import (
	"cmp"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// Propose returns what brings projects to where they go, and what the lists of the folders and
// the labels note of it. The error is a [proposal.Refusal], or a [TwiceError].
func (j *Job) Propose() (*proposal.Proposal, error) {
	out := &proposal.Proposal{Set: &change.Set{}}
	part := out.Part("")
	for _, g := range j.Goes {
		op := change.Move
		if j.Copy {
			op = change.Copy
		}
		part.Add(proposal.Step{Op: op, From: g.From.Slashed(), To: g.To.Slashed(), Sized: true, Size: g.Size})
		if !j.Copy {
			out.Archived = append(out.Archived, proposal.Archived{Dir: j.lay(g).Parent(), Project: g.Note, Back: j.Back})
		}
	}
	if err := j.bring(out.Set); err != nil {
		return nil, err
	}
	for _, dir := range j.dirs() {
		out.Counts(change.At{In: out.Set.Place(dir), Path: "."}, "")
	}
	if err := j.relabel(out.Set); err != nil {
		return nil, err
	}
	return out, nil
}

// dirs are the folders that projects go from or come back to, or the projects themselves, where
// copies of them are made: there a person looks for the undo.
func (j *Job) dirs() (dirs []address.Address) {
	for _, g := range j.Goes {
		if dir := g.Project; j.Copy {
			dirs = append(dirs, dir)
		} else {
			dirs = append(dirs, j.lay(g).Parent())
		}
	}
	slices.Sort(dirs)
	return slices.Compact(dirs)
}

// lay is where the own folder of a project is when it does not lie in its archive.
func (j *Job) lay(g *Going) address.Address {
	if !j.Back {
		return g.Project
	}
	return address.Address(strings.TrimSuffix(string(g.To), string(filepath.Separator)+filepath.FromSlash(g.Note.Part)))
}

// at is a path in the set: of what goes, it begins in the folder that was named, as others may
// have to be made on the way.
func at(set *change.Set, full address.Address) change.At {
	dir := full.Parent()
	for !place.Exists(dir) && dir != dir.Parent() {
		dir = dir.Parent()
	}
	rel, err := filepath.Rel(string(dir), string(full))
	if err != nil {
		rel = full.Name() // it lies below
	}
	return change.At{In: set.Place(dir), Path: filepath.ToSlash(rel)}
}

// bring adds what brings all of them where they go.
func (j *Job) bring(set *change.Set) error {
	if j.File != "" {
		return j.pack(set)
	}
	way := set.Way(func(at change.At) bool {
		return place.Exists(set.Places[at.In].Join(at.Path))
	})
	for _, g := range j.Goes {
		if up := g.To.Parent(); !place.Exists(up) {
			way.To(at(set, up), "on the way")
		}
		switch {
		case g.packed != nil:
			to := at(set, g.To)
			list, err := g.packed.Back(top(g.Note), g.Note.Part, to.In, strings.TrimSuffix(strings.TrimSuffix(to.Path, g.Note.Part), "/"))
			if err != nil {
				return proposal.Refused("", "%s: %v", g.Note.File, err)
			}
			if len(list) > 0 && list[0].Kind() == tree.Folder {
				list[0].Whole = true
			}
			set.Changes = append(set.Changes, list...)
		case j.Copy:
			if err := g.copied(set, at(set, g.From), at(set, g.To), way); err != nil {
				return err
			}
		default:
			kind := tree.Folder
			if info, err := place.Lstat(string(g.From)); err == nil && !info.IsDir() {
				kind = tree.File
			}
			set.Move(at(set, g.From), at(set, g.To), change.Is(kind), "archive").Whole = true
			if err := j.shelve(set, g); err != nil {
				return err
			}
		}
	}
	return nil
}

// shelve notes in the label of a project the name that it gets in the archive, if that is another
// one, and forgets it when it comes back.
func (j *Job) shelve(set *change.Set, g *Going) error {
	l, was, err := project.ReadLabel(g.From)
	if g.Note.Part != "" || err != nil {
		return nil
	}
	name := address.Text("")
	if !j.Back && g.To.Name() != g.From.Name() {
		name = address.Text(g.To.Name())
	}
	if l.Shelved == name {
		return nil
	}
	l.Shelved = name
	is, err := l.Encode()
	if err == nil {
		set.Write(at(set, g.To).Below(label.FileName), was, is, "")
		if info, err := place.Lstat(string(g.From.Join(label.FileName))); err == nil { // nothing was done in the project
			set.Changes[len(set.Changes)-1].As.Time = info.ModTime().UnixNano()
		}
	}
	return err
}

// copied adds what makes a copy, without the label.
func (g *Going) copied(set *change.Set, from, to change.At, way *change.Way) error {
	if g.whole == nil {
		set.Copy(from, to, change.Is(tree.File), "copy")
		return nil
	}
	if way.To(to, "copy") > 0 {
		set.Changes[len(set.Changes)-1].Whole = true
	}
	for at, n := range g.whole.All() {
		at = strings.Clone(at)
		switch {
		case at == label.FileName && g.Note.Part == "":
		case n.Kind == tree.Folder:
			set.MakeFolder(to.Below(at), "copy")
		case n.Marks&tree.Link != 0:
			target, err := place.Readlink(g.From.Join(at))
			if err != nil {
				return proposal.Refused("", "%s cannot be read: %s", at, place.Reason(err))
			}
			set.MakeLink(to.Below(at), target, "copy")
		default:
			set.Copy(from.Below(at), to.Below(at), change.Is(tree.File), "copy")
		}
	}
	return nil
}

// relabel notes in the labels of projects what of them was archived, came back, or was
// handed over.
func (j *Job) relabel(set *change.Set) error {
	var dirs []address.Address
	for _, g := range j.Goes {
		if g.Project != "" && (g.Note.Part != "" || j.Copy) && !slices.Contains(dirs, g.Project) {
			dirs = append(dirs, g.Project)
		}
	}
	for _, dir := range dirs {
		if err := project.Relabel(set, dir, func(l *label.Label) error { j.note(l, dir); return nil }); err != nil {
			return err
		}
	}
	return nil
}

// note writes into the label of a project what of it goes or comes back.
func (j *Job) note(l *label.Label, dir address.Address) {
	var handed *label.Handed
	for _, g := range j.Goes {
		part := g.Note.Part
		switch {
		case g.Project != dir:
		case j.Copy && handed != nil:
			handed.Parts = append(handed.Parts, cmp.Or(part, "."))
		case j.Copy:
			to := strings.TrimSuffix(string(g.To), string(filepath.Separator)+filepath.FromSlash(part))
			l.Handed = append(l.Handed, label.Handed{Parts: []string{cmp.Or(part, ".")}, To: to, For: j.For, Day: j.Now.Format(time.DateOnly)})
			handed = &l.Handed[len(l.Handed)-1]
		case j.Back:
			delete(l.Closed, part)
		case g.Wanted:
			if l.Closed == nil {
				l.Closed = map[string]string{}
			}
			l.Closed[part] = string(g.To)
		}
	}
}

// Kept are the archive files from which something comes back: they stay as they are.
func (j *Job) Kept() (files []address.Address) {
	for _, g := range j.Goes {
		if g.packed != nil && !slices.Contains(files, address.Address(g.Note.File)) {
			files = append(files, address.Address(g.Note.File))
		}
	}
	return files
}
