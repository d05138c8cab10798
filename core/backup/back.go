package backup

import (
	"io"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/merge"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// A Return is what comes back from a backup: what is missing in the project by today as it was, and, of
// what holds something else, what somebody agrees to; today's stays beside it.
type Return struct {
	From address.Address // the backup, which has been verified
	Dir  address.Address // the project's own folder, which need not be there
	Only string          // the path of a part; "" for all
	Root *tree.Node      // what lies there today; nil where it is not there
	Now  time.Time

	note    *bundle.Inventory
	file    *bundle.File // of a backup in one file
	payload address.Address
	steps   map[string]*proposal.Step // of what differs, by paths
	today   *place.Place
	found   *tree.Finder // what lies there, by paths
}

// Open opens the backup. Who opens it closes it.
func (r *Return) Open() (err error) {
	if r.note, err = bundle.Note(r.From); err != nil || r.note == nil {
		return proposal.Refused("name another backup", "the list of %s cannot be read", r.From.Name())
	}
	if bundle.IsFile(r.From) {
		if r.file, err = bundle.OpenFile(r.From); err != nil {
			return proposal.Refused("name another backup", "%s cannot be read: %s", r.From.Name(), place.Reason(err))
		}
		return nil
	}
	r.payload = (&bundle.Backup{Dir: r.From}).Payload()
	return nil
}

// Close closes it.
func (r *Return) Close() {
	if r.file != nil {
		r.file.Close()
	}
	if r.today != nil {
		r.today.Close()
	}
}

// Made is when the backup was made.
func (r *Return) Made() time.Time { return r.note.Made }

// wanted are the entries that are asked for.
func (r *Return) wanted() (list []*bundle.Entry) {
	for i := range r.note.Entries {
		e := &r.note.Entries[i]
		at := strings.TrimSuffix(e.Path, "/")
		if r.Only == "" || at == r.Only || strings.HasPrefix(at, r.Only+"/") {
			list = append(list, e)
		}
	}
	return list
}

// Propose returns what brings it back. The error is a [proposal.Refusal].
func (r *Return) Propose() (*proposal.Proposal, error) {
	list := r.wanted()
	if len(list) == 0 {
		return nil, proposal.Refused("", "nothing called “%s” is in %s", r.Only, r.From.Name())
	}
	out := &proposal.Proposal{Set: &change.Set{}}
	base := change.At{In: out.Set.Place(r.Dir.Parent()), Path: r.Dir.Name()}
	from := change.At{}
	if r.file == nil {
		from.In = out.Set.Place(r.payload)
	}
	out.Counts(base, r.note.ID)
	part := out.Part(r.Dir)
	way := out.Set.Way(func(at change.At) bool { return place.Exists(r.Dir.Parent().Join(at.Path)) })
	if r.Root == nil {
		way.To(base, "back")
	}
	if r.steps == nil {
		r.steps = map[string]*proposal.Step{}
	}
	for _, e := range list {
		at := strings.TrimSuffix(e.Path, "/")
		there := r.at(at)
		switch folder := strings.HasSuffix(e.Path, "/"); {
		case at == label.FileName && there != nil:
			if err := r.merge(out.Set); err != nil {
				return nil, err
			}
		case there != nil && (there.Kind == tree.Folder) != folder:
			part.Leave(proposal.Left{Path: at, Why: "something else has its name now"})
		case folder:
			way.To(base.Below(at), "back")
		case there == nil:
			way.To(base.Below(path.Dir(at)), "back")
			r.bring(out.Set, e, from, base.Below(at))
			if at != label.FileName {
				part.Add(proposal.Step{Op: change.Copy, From: at, To: at, Called: at, Why: "it is missing", Sized: true, Size: e.Size})
			}
		case e.Sum == "" || there.Marks&tree.Link != 0:
		default:
			if err := r.differs(out.Set, part, e, from, base); err != nil {
				return nil, err
			}
		}
	}
	out.Apart()
	return out, nil
}

func (r *Return) at(p string) *tree.Node {
	if r.found == nil {
		r.found = tree.NewFinder(r.Root)
	}
	return r.found.At(p)
}

// bring adds what makes one thing again.
func (r *Return) bring(set *change.Set, e *bundle.Entry, from, to change.At) {
	dress := change.Dress{Mode: e.Permissions(), Time: e.Time}
	switch {
	case e.Sum == "":
		set.MakeLink(to, e.To, "back").As = dress
	case r.file != nil:
		c := set.Copy(change.At{}, to, change.State{}, "back")
		c.Content, c.As = r.file.Sealed(e), dress
	default:
		set.Copy(from.Below(e.Path), to, change.State{Entry: tree.Entry{Kind: tree.File}, Sum: e.Sum}, "back").As = dress
	}
}

// differs asks for a file that holds something else today; that stays beside it, under the name of the day.
func (r *Return) differs(set *change.Set, part *proposal.Part, e *bundle.Entry, from, base change.At) error {
	sum, err := r.sum(e.Path)
	if err != nil {
		part.Leave(proposal.Left{Path: e.Path, Why: "today's cannot be read: " + place.Reason(err)})
		return nil
	}
	if sum == e.Sum {
		return nil
	}
	dir := path.Dir(e.Path)
	aside := merge.BesideName(&tree.Node{Name: path.Base(e.Path), Kind: tree.File}, r.Now.Format(time.DateOnly), func(name string) bool { return r.at(path.Join(dir, name)) != nil })
	s := r.steps[e.Path]
	if s == nil {
		s = &proposal.Step{Op: change.Copy, Probable: true, From: e.Path, To: e.Path, Called: e.Path, Group: "differs", Why: "today it holds something else, which stays as " + aside}
		r.steps[e.Path] = s
	}
	part.Steps = append(part.Steps, s)
	if s.Goes() {
		set.Move(base.Below(e.Path), base.Below(path.Join(dir, aside)), change.Is(tree.File), "today's").Probable = true
		r.bring(set, e, from, base.Below(e.Path))
		set.Changes[len(set.Changes)-1].Probable = true
	}
	return nil
}

// sum is the checksum of what a file holds today.
func (r *Return) sum(at string) (string, error) {
	if r.today == nil {
		var err error
		if r.today, err = place.Open(r.Dir); err != nil {
			return "", err
		}
	}
	return r.today.Sum(at)
}

// merge adds to the label of today, key by key, what only that of the backup knows.
func (r *Return) merge(set *change.Set) error {
	data, err := r.read(label.FileName)
	if err != nil {
		return nil // it can tell nothing
	}
	old, _, err := project.LabelOf(tree.Bytes(data))
	if err != nil {
		return nil
	}
	return project.Relabel(set, r.Dir, func(l *label.Label) error {
		for _, a := range old.Accepted {
			if !slices.ContainsFunc(l.Accepted, func(x label.Accepted) bool { return x.Path == a.Path && x.Rule == a.Rule }) {
				l.Accepted = append(l.Accepted, a)
			}
		}
		l.Done, l.Closed, l.Given = joined(l.Done, old.Done), joined(l.Closed, old.Closed), joined(l.Given, old.Given)
		for _, x := range old.Refused {
			l.Refuse(string(x.Path), string(x.Not))
		}
		return nil
	})
}

// joined are entries of today, with those of before that are not among them.
func joined(now, before map[string]string) map[string]string {
	if len(before) == 0 {
		return now
	}
	all := maps.Clone(before)
	maps.Copy(all, now)
	return all
}

// read reads a small file of the backup.
func (r *Return) read(name string) ([]byte, error) {
	if r.file == nil {
		return place.ReadFile(r.payload.Join(name), label.MaxBytes)
	}
	in, err := r.file.Sealed(&bundle.Entry{Path: name}).Open()
	if err != nil {
		return nil, err
	}
	defer in.Close()
	return io.ReadAll(io.LimitReader(in, label.MaxBytes))
}

// Find returns the backup of a project that is meant: the newest in a folder, one that was moved aside only
// where there is no other, by the identity of the
// project or, where that is not there any more, by its name. The error is a [proposal.Refusal].
func Find(in address.Address, id, name string) (*bundle.Backup, error) {
	list := slices.Concat(bundle.Backups(in, id), bundle.Backups(in.Join(Older), id))
	if id == "" {
		list = slices.DeleteFunc(list, func(b bundle.Backup) bool { return b.Head.Project != name })
		if i := slices.IndexFunc(list, func(b bundle.Backup) bool { return b.Head.ID != list[0].Head.ID }); i > 0 {
			return nil, proposal.Refused("name the backup itself", "two projects were called %s: %s and %s are of different ones", name, list[0].Dir.Name(), list[i].Dir.Name())
		}
	}
	if len(list) == 0 {
		return nil, proposal.Refused("name the folder of its backups, or the backup itself", "no backup of %s is in %s", name, in.Name())
	}
	return &list[0], nil
}
