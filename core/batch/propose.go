package batch

import (
	"errors"
	"io/fs"
	"path"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/build"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// A Job is one call of build. [Job.Look] holds what is wanted against what is there, and
// [Job.Propose] plans what makes the rest.
type Job struct {
	*Batch
	Place   *place.Place // that is built in; of an archive, the folder that it will lie in
	Into    string       // that, or the archive, as messages call it
	Pack    *Pack        // the archive; nil where folders are built
	Version string       // of the program
	Bare    bool         // no labels are left behind
	All     bool         // also what would be there twice
	Again   bool         // a project is built once more
	Store   *project.Store
	Vacated map[string]bool   // folders that are moved away meanwhile: paths from the place
	Stood   map[string]string // where folders are now, by the paths that they get meanwhile
	Read    func(dir address.Address) (*tree.Node, []tree.Unread, error)

	Begun     []Begun         // what stands there under other names
	Renamings []Renaming      // folders above projects that have other names by now
	Plan      *build.Plan     // what is new, there, kept and in the way
	NoLinks   []string        // links that are left out, as the drive that they would lie on knows none
	tops      map[string]bool // the new folders at the top
	made      []*Label        // those of what is built
}

// A LabelError says that the label of a build cannot be written: that there cannot be read.
type LabelError struct {
	Folder string // of the project, as messages call it
	Err    error
}

// Error names the folder.
func (e *LabelError) Error() string { return e.Folder + ": " + e.Err.Error() }

// Look compares what is wanted with what is there, without what was moved on.
func (j *Job) Look() error {
	j.withoutClosed()
	if renamed := j.renamedAbove(); j.withoutLinks() || renamed {
		j.meet()
	}
	var at tree.Place = j.Place
	switch {
	case j.Pack != nil:
		at = build.Nowhere{}
	case len(j.Vacated) > 0:
		at = build.Vacated{Place: j.Place, Gone: j.Vacated}
	}
	if len(j.Stood) > 0 {
		at = build.Renamed{Place: at, Stood: j.Stood}
	}
	var err error
	if j.Plan, err = build.Compare(j.Root(), at); err != nil {
		return proposal.Refused("nothing was changed", "%s", place.Reason(err))
	}
	if j.Begun = j.begun(); len(j.Begun) > 0 {
		stood := map[string]string{}
		for _, b := range j.Begun {
			if b.Sure {
				stood[b.To] = b.From
			}
		}
		if j.Plan, err = build.Compare(j.Root(), build.Renamed{Place: at, Stood: stood}); err != nil {
			return proposal.Refused("nothing was changed", "%s", place.Reason(err))
		}
	}
	return nil
}

// withoutLinks leaves links out where nothing can be one, and reports whether there were any.
func (j *Job) withoutLinks() bool {
	if j.Pack != nil || !j.Place.Far() {
		return false
	}
	for _, r := range j.Builds {
		var left []string
		r.Root, left = tree.WithoutLinks(r.Root, "")
		j.NoLinks = append(j.NoLinks, left...)
	}
	return len(j.NoLinks) > 0
}

// withoutClosed leaves out what was moved on, of projects that are there.
func (j *Job) withoutClosed() {
	entries, err := j.Place.List(".")
	if j.Pack != nil || j.Bare || err != nil {
		return
	}
	there := map[string]bool{}
	for _, e := range entries {
		there[e.Name] = true
	}
	changed := false
	for _, r := range j.Builds {
		if !slices.ContainsFunc(r.Root.Children, func(n *tree.Node) bool { return there[n.Name] }) {
			continue
		}
		folder := r.Folder()
		if l, _, err := project.LabelIn(j.Place, folder); err == nil && l != nil && len(l.Closed) > 0 {
			r.Root, changed = build.Without(r.Root, folder, l.Closed), true
		}
	}
	if changed {
		j.meet()
	}
}

// Propose plans what makes all that is new, and the labels. It returns notes even with an
// error: a [proposal.Refusal], a [LabelError] or a [TwiceError]. There is no set where something
// is in the way.
func (j *Job) Propose() (p *proposal.Proposal, err error) {
	p = &proposal.Proposal{Set: &change.Set{Places: []address.Address{j.Place.Real}}}
	j.noteBegun(p)
	j.noteRenamings(p)
	if j.Plan.Count[build.Blocked] > 0 {
		return p, nil
	}
	var labels []*Label
	if !j.Bare {
		if labels, err = j.labels(p); err != nil {
			return p, err
		}
		j.made = labels
	}
	if err := j.twice(p, labels); err != nil {
		return p, err
	}
	if j.Pack == nil {
		if p.Set.Changes, err = WithLabels(j.Plan.Changes(0), labels); err != nil {
			return p, &LabelError{j.Into, err}
		}
		j.takeUp(p.Set)
		j.inAnother(p)
	} else if len(j.Builds) > 0 {
		if err := j.Pack.compare(j, labels); err != nil {
			return p, err
		}
		p.Set.Changes = j.Pack.Plan.Changes(0)
	}
	j.nameRoots(p, labels)
	return p, nil
}

// labels returns the labels of all builds, and notes what is odd about them.
func (j *Job) labels(p *proposal.Proposal) (list []*Label, err error) {
	all := &Labels{Template: j.Template, Now: j.Now, Version: j.Version, Place: j.Place, Fresh: j.fresh, New: j.New()}
	if j.Pack != nil {
		all.Packed, all.Now = true, j.Pack.Time
	}
	taken := make(map[string]bool, len(j.Builds))
	for _, r := range j.Builds {
		folder := r.Folder()
		if taken[folder] {
			continue // several rows lie side by side in the place itself, which is no project
		}
		taken[folder] = true
		shown := path.Join(j.Into, folder)
		l, err := all.Of(r)
		if err != nil {
			return nil, &LabelError{shown, err}
		}
		if l.Known != nil && l.Known.Template != j.Template.Name {
			p.Note(shown + " is a project of " + l.Known.Template + " already, and keeps that label")
			continue
		}
		changed, err := l.Changed()
		if err != nil {
			return nil, err
		}
		if len(changed) > 0 && !r.Stands {
			told := "this changes the project " + shown + ": " + strings.Join(changed, ", ") + "."
			if !j.Again {
				told += " Where several builds are meant to meet in one folder, write | project behind the line that is each one's own."
			}
			p.Note(told)
		}
		list = append(list, l)
	}
	return list, nil
}

// New returns what reports whether a file is made, and was not there, by its path.
func (j *Job) New() func(path string) bool {
	var made map[string]bool
	return func(path string) bool {
		if made == nil {
			made = map[string]bool{}
			for i := range j.Plan.Steps {
				if s := &j.Plan.Steps[i]; s.State == build.New && s.Node.Kind != tree.Folder {
					made[j.Plan.Path(i)] = true
				}
			}
		}
		return made[path]
	}
}

// fresh reports whether a folder is not there yet.
func (j *Job) fresh(folder string) bool {
	if folder == "." {
		return false
	}
	if (build.Vacated{Gone: j.Vacated}).Has(folder) {
		return true
	}
	if j.tops == nil {
		j.tops = make(map[string]bool, len(j.Builds))
		for i := range j.Plan.Steps {
			if s := &j.Plan.Steps[i]; s.Parent < 0 && s.State == build.New {
				j.tops[s.Node.Name] = true
			}
		}
	}
	top, _, _ := strings.Cut(folder, "/")
	return j.tops[top]
}

// inAnother notes where a folder that another project's template makes becomes a project of its own.
func (j *Job) inAnother(p *proposal.Proposal) {
	if j.Bare || j.Store == nil {
		return
	}
	own, l, err := project.Find(j.Place.Real)
	if err != nil || l == nil {
		return
	}
	other, err := j.Store.Open(own, l)
	if err != nil {
		return
	}
	x, err := other.Template.Tree(other.Values, j.Limit)
	if err != nil {
		return
	}
	_, top := other.Template.Own(x.Root)
	for _, r := range j.Builds {
		at, inside := j.Place.Real.Join(r.Folder()).From(own)
		if !inside || at == "." || at == "" {
			continue
		}
		if _, _, err := project.LabelIn(j.Place, r.Folder()); !errors.Is(err, fs.ErrNotExist) {
			continue // it is one already
		}
		if n := top.At(at); n != nil && n.Kind == tree.Folder {
			p.Note("“" + at + "” is a folder of the project " + own.Name() + ": it becomes a project of its own, and a check of " + own.Name() + " asks for nothing in it any more")
		}
	}
}

// nameRoots says what the build counts for: its projects, as long as they are few.
func (j *Job) nameRoots(p *proposal.Proposal, labels []*Label) {
	name := func(at, id string) { p.Roots = append(p.Roots, journal.Root{Path: address.Text(at), ID: id}) }
	top := j.Root().Children
	switch {
	case j.Pack != nil:
		name(j.Pack.Name, "")
	case len(labels) > 0 && len(labels) <= proposal.ManyRoots:
		for _, l := range labels {
			name(l.Folder, l.Identity())
		}
	case len(top) == 1:
		name(top[0].Name, "")
	default:
		name(".", "")
	}
}

// Blocked says what is in the way of the plan, and why.
func (j *Job) Blocked() (lines []string) {
	for i := range j.Plan.Steps {
		if s := &j.Plan.Steps[i]; s.State == build.Blocked {
			lines = append(lines, j.Plan.Path(i)+": "+s.Why)
		}
	}
	return lines
}
