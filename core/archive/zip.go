package archive

import (
	"fmt"
	"path"
	"path/filepath"
	"strings"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// A TwiceError says that two projects would have one name in an archive file.
type TwiceError struct{ One, Other string } // their own folders, absolute

// Error names them.
func (e *TwiceError) Error() string {
	return fmt.Sprintf("two would have one name in the archive: %s and %s", filepath.Base(e.One), filepath.Base(e.Other))
}

// A packing is the making of an archive file.
type packing struct {
	*Job
	set   *change.Set // of what is taken away here
	in    *change.Set // of what the file holds, by the paths in it
	notes map[string]*bundle.Inventory
	tops  []string
}

// pack adds to a set what makes the archive file, and takes away here what is in it.
func (j *Job) pack(set *change.Set) error {
	p := &packing{Job: j, set: set, in: &change.Set{}, notes: map[string]*bundle.Inventory{}}
	taken := map[string]string{}
	for _, g := range j.Goes {
		rel, err := filepath.Rel(string(j.File), string(g.To))
		if err != nil {
			return err
		}
		inside := filepath.ToSlash(rel)
		top, _, _ := strings.Cut(inside, "/")
		if other := taken[tree.Folded(top)]; other != "" && other != string(g.Project) {
			return &TwiceError{other, string(g.Project)}
		}
		taken[tree.Folded(top)] = string(g.Project)
		if p.notes[top] == nil {
			p.notes[top] = &bundle.Inventory{ID: g.Note.Label.ID, Project: g.Project.Name(), From: address.Text(g.Project), Made: j.Now}
			p.tops = append(p.tops, top)
		}
		p.one(g, inside, p.notes[top])
	}
	for _, top := range p.tops {
		data, err := p.notes[top].Encode()
		if err != nil {
			return err
		}
		if !j.Copy {
			p.in.MakeFile(change.At{Path: path.Join(top, bundle.BackupName)}, tree.Bytes(data), "")
		}
	}
	set.Changes = append(set.Changes, bundle.Pack(set.Place(j.File.Parent()), j.File.Name(), p.in, j.Now, func(n int) {
		if j.Packed != nil {
			j.Packed(n)
		}
	}))
	return nil
}

// gone takes something away here.
func (p *packing) gone(at change.At, was change.State) {
	if !p.Copy {
		p.set.Remove(at, was, "archive")
	}
}

// one moves a project or a part of it into the file.
func (p *packing) one(g *Going, inside string, note *bundle.Inventory) {
	from, to := change.At{In: p.in.Place(g.From)}, change.At{Path: inside}
	here := change.At{In: p.set.Place(g.From.Parent()), Path: g.From.Name()}
	part := g.Note.Part
	if g.whole == nil {
		from.In = p.in.Place(g.From.Parent())
	} else {
		own := bundle.Entry{Path: "./"}
		if in, err := place.Open(g.From); err == nil { // without its time it is made now
			_ = bundle.Look(in, &own, nil)
			in.Close()
		}
		p.in.MakeFolder(to, "").As = change.Dress{Mode: own.Permissions(), Time: own.Time}
		if part != "" {
			own.Path = part + "/"
			note.Entries = append(note.Entries, own)
		} else {
			note.Own = &own
		}
		p.gone(here, change.Is(tree.Folder))
	}
	for _, e := range g.entries {
		at := strings.TrimSuffix(e.Path, "/")
		if p.moved[g.From.Join(at)] || p.Copy && at == label.FileName && part == "" {
			continue
		}
		noted, inside, gone := e, to.Below(at), here.Below(at)
		if noted.Path = path.Join(part, e.Path); g.whole == nil {
			noted.Path, inside, gone = part, to, here
		}
		dress := change.Dress{Mode: e.Permissions(), Time: e.Time}
		switch {
		case at != e.Path:
			noted.Path += "/"
			p.in.MakeFolder(inside, "").As = dress
			p.gone(gone, change.Is(tree.Folder))
		case e.Sum == "":
			p.in.MakeLink(inside, e.To, "").As = dress
			p.gone(gone, change.Holds(tree.Symlink, []byte(e.To)))
		default:
			p.in.Copy(from.Below(e.Path), inside, change.State{Entry: tree.Entry{Kind: tree.File, Mode: dress.Mode, Time: dress.Time}, Sum: e.Sum}, "").As = dress
			p.gone(gone, change.State{Entry: tree.Entry{Kind: tree.File}, Sum: e.Sum})
		}
		note.Entries = append(note.Entries, noted)
	}
}
