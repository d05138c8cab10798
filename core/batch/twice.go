package batch

import (
	"path"

	"vestibula/core/address"
	"vestibula/core/build"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/upgrade"
)

// maxBeside is how many folders beside a new project are looked at, whether one of them
// is it, under another name.
const maxBeside = 2000

// A Double is something that a build would make a second time: it is there under another
// number, name or value.
type Double struct {
	Dir      address.Address // of the project
	From, To string          // what is there, and what it would be called, from there; To is "" of the project itself
}

// A TwiceError says what a build would make a second time.
type TwiceError struct{ Doubles []Double }

// Error says how much that is.
func (e *TwiceError) Error() string { return "things are there under other names" }

// twice refuses what is there already under another number, name or value, and notes what is
// no longer asked for. The error is a [TwiceError] or a [proposal.Refusal].
func (j *Job) twice(p *proposal.Proposal, labels []*Label) error {
	if j.All || j.Pack != nil || j.Plan.Count[build.New] == 0 {
		return nil
	}
	e := &TwiceError{}
	for _, l := range labels {
		dir := j.Place.Real.Join(l.Folder)
		if l.Known == nil {
			if j.Table == nil {
				j.renamed(e, dir, l)
			}
			continue
		}
		if err := j.doubles(p, e, dir, l); err != nil {
			return err
		}
	}
	if len(e.Doubles) > 0 {
		return e
	}
	return nil
}

// doubles finds what of a project is there under another number, name or value.
func (j *Job) doubles(p *proposal.Proposal, e *TwiceError, dir address.Address, l *Label) error {
	known, err := j.Store.Open(dir, l.Known)
	if err != nil {
		return nil // what cannot be read says nothing about doubles
	}
	full, unread, err := j.Read(dir)
	if err != nil {
		return proposal.Refused("nothing was changed", "%s", place.Reason(err))
	}
	seen, err := match.Seen(full, j.Template)
	if err != nil {
		return nil // the settings of the template are told elsewhere
	}
	for _, u := range unread {
		p.Note("“" + u.Path + "” cannot be read: whether things are there under other names was not looked at in it")
	}
	made := map[string]bool{}
	for i := range j.Plan.Steps {
		if j.Plan.Steps[i].State == build.New {
			made[j.Plan.Path(i)] = true
		}
	}
	plan, err := new(upgrade.Planner).Plan(&upgrade.Job{Project: known, Template: j.Template, Values: l.Build.Values, Full: full, Seen: seen, Limit: max(j.Limit, template.DefaultLimit), Now: j.Now,
		Own: label.Own, Sum: func(at string) (string, error) { return j.Place.Sum(path.Join(l.Folder, at)) }})
	if err != nil {
		return nil
	}
	for _, s := range plan.Steps {
		switch {
		case s.Op == change.Move && !s.Probable && made[path.Join(l.Folder, s.To)]:
			e.Doubles = append(e.Doubles, Double{dir, s.From, s.To})
		case s.Op == change.Remove:
			p.Note("“" + s.From + "” is no longer asked for; it stays")
		}
	}
	for _, s := range plan.Stays {
		if s.Unasked {
			p.Note("“" + s.Path + "” is no longer asked for; it stays")
		}
	}
	return nil
}

// renamed finds the project that a build would make beside its own folder, where
// somebody has given it another name.
func (j *Job) renamed(e *TwiceError, dir address.Address, l *Label) {
	entries, err := place.ReadDir(string(dir.Parent()))
	if err != nil || len(entries) > maxBeside {
		return
	}
	next := label.NewBuild(j.Template, l.Build.Values, j.Now, j.Version)
	for _, entry := range entries {
		at := dir.Parent().Join(entry.Name())
		if !entry.IsDir() || at == dir {
			continue
		}
		other, _, err := project.ReadLabel(at) // what has no label that can be read says nothing
		if err == nil && other.Template == j.Template.Name && other.SameValues(next) {
			e.Doubles = append(e.Doubles, Double{Dir: at, From: entry.Name()})
		}
	}
}
