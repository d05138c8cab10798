package cli

import (
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/archive"
	"vestibula/core/away"
	"vestibula/core/bag"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/pack"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// intoFile reports whether projects go into an archive file, which is to be a new one.
func (r *awayRun) intoFile() (bool, error) {
	format := archive.FormatOf(r.into)
	if info, err := os.Stat(r.into); format == archive.None || err == nil && info.IsDir() {
		return false, nil
	}
	if format != archive.Zip {
		return false, unclear("name a file that ends in .zip: there each file can be had back, whatever becomes of the others", "projects are archived into a .zip file")
	}
	if isThere(r.into) {
		return false, refused("name another file: what was archived once is never changed", "%s is there already", r.into)
	}
	dir, err := place.Real(filepath.Dir(r.into))
	if err != nil {
		return false, unclear("", "there is no folder \"%s\"", filepath.Dir(r.into))
	}
	r.file = filepath.Join(dir, filepath.Base(r.into))
	return true, nil
}

// sumUp notes what lies in what goes into a file, with checksums.
func (r *awayRun) sumUp(g *going) (err error) {
	switch {
	case r.file == "":
		return nil
	case g.whole != nil:
		g.entries, err = r.entries(g.from, g.whole, nil, "")
		return err
	}
	e := bag.Entry{Path: filepath.Base(g.from)}
	in, err := place.Open(filepath.Dir(g.from))
	if err == nil {
		defer in.Close()
		err = lookAt(in, &e, nil)
	}
	if err != nil {
		return refused("", "%s cannot be read: %s", g.name, place.Reason(err))
	}
	g.entries = []bag.Entry{e}
	return nil
}

// pack adds to a set what makes the archive file, and takes away here what is in it.
func (r *awayRun) pack(set *change.Set) error {
	packing := &change.Set{}
	notes := map[string]*bag.Backup{}
	taken := map[string]string{}
	var tops []string
	for _, g := range r.goes {
		inside, err := filepath.Rel(r.file, g.to)
		if err != nil {
			return err
		}
		inside = filepath.ToSlash(inside)
		top, _, _ := strings.Cut(inside, "/")
		if other := taken[tree.Folded(top)]; other != "" && other != g.project {
			return refused("give them names of their own with --rename", "two would have one name in the archive: %s and %s", fromHere(other), fromHere(g.project))
		}
		taken[tree.Folded(top)] = g.project
		note := notes[top]
		if note == nil {
			note = &bag.Backup{ID: g.note.Label.ID, Project: filepath.Base(g.project), From: g.project, Made: r.now}
			notes[top] = note
			tops = append(tops, top)
		}
		r.packOne(set, packing, g, inside, note)
	}
	for _, top := range tops {
		data, err := notes[top].Encode()
		if err != nil {
			return err
		}
		if !r.copy {
			packing.MakeFile(change.At{Path: path.Join(top, bag.BackupName)}, tree.Bytes(data), "")
		}
	}
	set.Changes = append(set.Changes, pack.Into(set.Place(filepath.Dir(r.file)), filepath.Base(r.file), packing, r.now, func(n int) {
		if r.packs != nil {
			r.packs(n)
		}
	}))
	return nil
}

// packOne moves a project or a part of it into the file.
func (r *awayRun) packOne(set, packing *change.Set, g *going, inside string, note *bag.Backup) {
	from, to := change.At{In: packing.Place(g.from)}, change.At{Path: inside}
	here := change.At{In: set.Place(filepath.Dir(g.from)), Path: filepath.Base(g.from)}
	remove := func(at change.At, was change.State) {
		if !r.copy {
			set.Remove(at, was, "archive")
		}
	}
	if g.whole == nil {
		from.In = packing.Place(filepath.Dir(g.from))
	} else {
		own := bag.Entry{Path: "./"}
		if in, err := place.Open(g.from); err == nil { // without its time it is made now
			_ = lookAt(in, &own, nil)
			in.Close()
		}
		packing.MakeFolder(to, "").As = change.Dress{Mode: own.Permissions(), Time: own.Time}
		if part := g.note.Part; part != "" {
			own.Path = part + "/"
			note.Entries = append(note.Entries, own)
		} else {
			note.Own = &own
		}
		remove(here, change.Is(tree.Folder))
	}
	for _, e := range g.entries {
		at := strings.TrimSuffix(e.Path, "/")
		if r.moved[filepath.Join(g.from, filepath.FromSlash(at))] || r.copy && at == label.FileName && g.note.Part == "" {
			continue
		}
		noted, inside, gone := e, to.Below(at), here.Below(at)
		if noted.Path = path.Join(g.note.Part, e.Path); g.whole == nil {
			noted.Path, inside, gone = g.note.Part, to, here
		}
		dress := change.Dress{Mode: e.Permissions(), Time: e.Time}
		switch {
		case at != e.Path:
			noted.Path += "/"
			packing.MakeFolder(inside, "").As = dress
			remove(gone, change.Is(tree.Folder))
		case e.Sum == "":
			packing.MakeLink(inside, e.To, "").As = dress
			remove(gone, change.Holds(tree.Symlink, []byte(e.To)))
		default:
			packing.Copy(from.Below(e.Path), inside, change.State{Entry: tree.Entry{Kind: tree.File, Mode: dress.Mode, Time: dress.Time}, Sum: e.Sum}, "").As = dress
			remove(gone, change.State{Entry: tree.Entry{Kind: tree.File}, Sum: e.Sum})
		}
		note.Entries = append(note.Entries, noted)
	}
}

// unpack brings a project, or a part of one, back from the file that it lies in.
func (r *awayRun) unpack(p *away.Project, dir, own string) error {
	f, err := pack.Open(p.File)
	if err != nil {
		return refused("", "%s cannot be read: %s", p.File, place.Reason(err))
	}
	r.files = append(r.files, f)
	note, _, err := f.Note(packedTop(p))
	switch {
	case err != nil:
		return refused("", "%s: %s", p.File, place.Reason(err))
	case note == nil || note.ID != p.Label.ID:
		return refused("unpack it by hand", "what is at %s is not that project any more", p.To)
	}
	r.goes = append(r.goes, &going{name: p.Called(), from: p.To, to: filepath.Join(dir, p.Name, filepath.FromSlash(p.Part)), size: p.Size, note: p, project: own, packed: f})
	return nil
}

// cameFrom is where a project was that lies in an archive file. Whether it was archived from
// there is told by the list that lies there.
func cameFrom(file, name string) (string, error) {
	f, err := pack.Open(file)
	if err != nil {
		return "", refused("", "%s cannot be read: %s", fromHere(file), place.Reason(err))
	}
	defer f.Close()
	note, _, err := f.Note(name)
	switch {
	case err != nil:
		return "", refused("", "%s: %s", fromHere(file), place.Reason(err))
	case note == nil || note.From == "":
		return "", unclear("name one that lies in it", "no project called \"%s\" was archived into %s", name, fromHere(file))
	}
	return note.From, nil
}

// packedTop is the folder of an archive file that a project lies in.
func packedTop(p *away.Project) string {
	inside := strings.TrimPrefix(filepath.ToSlash(strings.TrimPrefix(p.To, p.File)), "/")
	return strings.TrimSuffix(strings.TrimSuffix(inside, p.Part), "/")
}

// unpacked adds to a set what makes it again.
func (g *going) unpacked(set *change.Set, in int) error {
	to := below(set.Places[in], g.to)
	list, err := g.packed.Back(packedTop(g.note), g.note.Part, in, strings.TrimSuffix(strings.TrimSuffix(to, g.note.Part), "/"))
	if err != nil {
		return refused(advise("to look at all of it", "check", typed(fromHere(g.note.File))).String(), "%s: %v", g.note.File, err)
	}
	set.Changes = append(set.Changes, list...)
	return nil
}

// closeAll closes the files that projects come back from.
func (r *awayRun) closeAll() {
	for _, f := range r.files {
		f.Close()
	}
}

// steps is how many things the bar counts, where they go into a file: each is written and
// read back. 0 leaves it to the set.
func (r *awayRun) steps() (n int) {
	for _, g := range r.goes {
		n += 2 * len(g.entries)
	}
	return n
}

func (r *awayRun) bar() func(done func(n int)) {
	if r.file == "" {
		return nil
	}
	return func(done func(n int)) { r.packs = done }
}

// kept says what of the old place still takes room, or which file stays.
func (r *awayRun) kept() term.Shown {
	if r.file != "" && !r.copy {
		return term.Sprintf("What was taken away is kept. %s\n", advise("To free that room", "history", "--forget", fmt.Sprint(r.number)))
	}
	var files []string
	for _, g := range r.goes {
		if g.packed != nil && !slices.Contains(files, fromHere(g.note.File)) {
			files = append(files, fromHere(g.note.File))
		}
	}
	if len(files) > 0 {
		return term.Visible(strings.Join(few(files), ", ")) + " stays as it is. "
	}
	return ""
}
