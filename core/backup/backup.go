// Package backup plans dated copies of projects: all that is in one, under the name of the day,
// with a list of what it held, as a folder, a bag or one file; and which older ones go aside.
package backup

import (
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// Older is the folder that backups go to of which only the newest are kept at hand.
const Older = "Older"

// A Job is what is set aside, and where.
type Job struct {
	Into    address.Address // the folder of the backups
	Bag     bool            // each is a bag
	Zip     bool            // each is one file
	Share   bool            // files that are as in the last backup share the room of that one
	Keep    int             // how many stay at hand; 0 for all
	Now     time.Time
	Program string      // what a bag says that it was made by
	Packed  func(n int) // is told of what goes into a file; may be nil
	Copies  []*Copy
	Earlier bool              // a backup there is of a later time than now: none is moved aside
	older   []address.Address // backups that go aside, absolute
}

// A Copy is one project that is set aside.
type Copy struct {
	Dir  address.Address
	Name string // the project's own folder, and the name of the backup, without an ending
	Note *bundle.Inventory
	Last *bundle.Backup // which holds much the same, and shares it

	last chan *bundle.Inventory // what that held, when it is read
}

// Begin begins with a project, under a name that is not taken. Before are its backups there, the
// newest first: the list of the last one is long, and read while others read the project.
func (j *Job) Begin(p *project.Project, before []bundle.Backup) *Copy {
	c := &Copy{Dir: p.Dir, Name: j.name(p.Dir.Name()), Note: &bundle.Inventory{ID: p.Label.ID, Project: p.Dir.Name(), From: address.Text(p.Dir), Made: j.Now}}
	if i := slices.IndexFunc(before, func(b bundle.Backup) bool { return !bundle.IsFile(b.Dir) }); j.Share && i >= 0 {
		c.Last, c.last = &before[i], make(chan *bundle.Inventory, 1)
		go func() {
			note, _ := bundle.Note(before[i].Dir) // of one that cannot be read nothing is shared
			c.last <- note
		}()
	}
	if j.Keep > 0 && slices.ContainsFunc(before, func(b bundle.Backup) bool { return b.Head.Made.After(j.Now) }) {
		j.Earlier = true // which one is older cannot be told
		before = nil
	}
	for i, old := range before {
		if j.Keep > 0 && i+1 >= j.Keep {
			j.older = append(j.older, old.Dir)
		}
	}
	j.Copies = append(j.Copies, c)
	return c
}

// Take notes what the project holds: root is its tree. Done is told what is read.
func (c *Copy) Take(root *tree.Node, done func(n int)) (err error) {
	var known []bundle.Entry
	payload := ""
	if c.Last != nil {
		if note := <-c.last; note != nil {
			known, payload = note.Entries, string(c.Last.Payload())
		} else {
			c.Last = nil
		}
	}
	c.Note.Entries, err = bundle.List(c.Dir, root, known, address.Address(payload), done)
	return err
}

// name is that of a backup of today which is not taken.
func (j *Job) name(project string) string {
	day := project + " " + j.Now.Format(time.DateOnly)
	taken := func(name string) bool {
		there := func(name string) bool {
			return place.Exists(j.Into.Join(name)) || place.Exists(j.Into.Join(Older, name))
		}
		return there(name) || there(name+".zip") || slices.ContainsFunc(j.Copies, func(c *Copy) bool { return c.Name == name })
	}
	name := day
	for n := 2; taken(name); n++ {
		name = fmt.Sprintf("%s %d", day, n)
	}
	return name
}

// File is the name of a backup as it lies there.
func (j *Job) File(c *Copy) string {
	if j.Zip {
		return c.Name + ".zip"
	}
	return c.Name
}

// Aside is how many older backups go aside.
func (j *Job) Aside() int { return len(j.older) }

// Things is how many things are written and read back, where they go into files.
func (j *Job) Things() (n int) {
	for _, c := range j.Copies {
		n += 2 * len(c.Note.Entries)
	}
	return n
}

// Propose returns what makes the backups, and moves older ones aside.
func (j *Job) Propose() (*proposal.Proposal, error) {
	out := &proposal.Proposal{Set: &change.Set{Places: []address.Address{j.Into}}, Roots: []journal.Root{{Path: "."}}}
	part := out.Part("")
	for _, c := range j.Copies {
		one := &change.Set{Places: []address.Address{j.Into, c.Dir}}
		if err := j.copies(one, c); err != nil {
			return nil, err
		}
		if j.Zip {
			out.Set.Changes = append(out.Set.Changes, bundle.Pack(0, j.File(c), one, j.Now, func(n int) {
				if j.Packed != nil {
					j.Packed(n)
				}
			}))
		} else {
			out.Set.Join(one)
		}
		manifest, size := c.Note.Manifest("")
		part.Add(proposal.Step{Op: change.Make, To: j.File(c), Sized: true, Size: size, Why: fmt.Sprintf("%d files", len(manifest.Sums))})
	}
	older := change.At{Path: Older}
	if len(j.older) > 0 && !place.Exists(j.Into.Join(Older)) {
		out.Set.MakeFolder(older, "older backups")
	}
	for _, dir := range j.older {
		name, kind := dir.Name(), tree.Folder
		if bundle.IsFile(dir) {
			kind = tree.File
		}
		out.Set.Move(change.At{Path: name}, older.Below(name), change.Is(kind), "older")
		part.Add(proposal.Step{Op: change.Move, From: name, To: Older + "/" + name})
	}
	out.Apart()
	return out, nil
}

// copies adds what makes one backup, as a folder: the folders first, then files that are copied,
// then those that are shared, so that many can be made at a time.
func (j *Job) copies(set *change.Set, c *Copy) error {
	top := change.At{Path: c.Name}
	payload := top
	set.MakeFolder(top, "backup").Whole = true
	if j.Bag {
		payload = top.Below(bundle.Payload)
		set.MakeFolder(payload, "backup")
	}
	last := ""
	if c.Last != nil {
		rel, err := filepath.Rel(string(j.Into), string(c.Last.Payload()))
		if err != nil {
			return err
		}
		last = filepath.ToSlash(rel)
	}
	set.Changes = slices.Grow(set.Changes, len(c.Note.Entries)+8)
	for _, e := range c.Note.Entries {
		switch at := payload.Below(strings.TrimSuffix(e.Path, "/")); {
		case strings.HasSuffix(e.Path, "/"):
			set.MakeFolder(at, "backup").As = change.Dress{Time: e.Time, Mode: e.Permissions() | 0o700 | fs.ModeDir}
		case e.Sum == "" && !j.Bag: // manifests know no links: the list has them
			set.MakeLink(at, e.To, "backup")
		}
	}
	for _, shared := range []bool{false, true} {
		for i := range c.Note.Entries {
			e := &c.Note.Entries[i]
			if e.Sum == "" || (e.Last != nil) != shared {
				continue
			}
			one := set.Copy(change.At{In: 1, Path: e.Path}, payload.Below(e.Path), change.State{Entry: tree.Entry{Kind: tree.File}, Sum: e.Sum}, "backup")
			if j.Share { // so that a later one can share it
				one.As.Mode = e.Permissions() &^ 0o222
			}
			if shared {
				one.FromIn, one.From, one.Was, one.Sum, one.Shared = 0, path.Join(last, e.Path), change.State{Entry: *e.Last}, e.Sum, e.Sum
			} else if j.Zip {
				one.Was.Mode, one.Was.Time = e.Permissions(), e.Time
			}
		}
	}
	return j.lists(set, c, top)
}

// lists adds the list of a backup, and what a bag has beside it.
func (j *Job) lists(set *change.Set, c *Copy, top change.At) error {
	note, err := c.Note.Encode()
	if err != nil {
		return err
	}
	if !j.Bag {
		set.MakeFile(top.Below(bundle.BackupName), tree.Bytes(note), "backup").Sum = digest.Bytes(note)
		return nil
	}
	for name, data := range c.Note.Tagged(note, j.Program, j.Now) {
		set.MakeFile(top.Below(name), tree.Bytes(data), "backup")
	}
	return nil
}

// Shared counts, by the names of backups, the files in them that share what they hold, in a
// list that is to be carried out.
func Shared(list []change.Change) map[string]int {
	shared := map[string]int{}
	for _, c := range list {
		if c.Shared != "" {
			name, _, _ := strings.Cut(c.Path, "/")
			shared[name]++
		}
	}
	return shared
}
