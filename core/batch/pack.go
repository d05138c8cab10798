package batch

import (
	"strings"
	"time"

	"vestibula/core/build"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// A Pack is an archive file that takes what a build makes.
type Pack struct {
	Name string      // of the file, in its folder
	Time time.Time   // that all in it bears
	Plan *build.Plan // of the file itself, once it is planned
	Done func(n int) // is called with how many things were just packed; may be nil
}

// compare plans the file. The error is a [proposal.Refusal].
func (a *Pack) compare(j *Job, labels []*Label) error {
	root := j.Root()
	if len(labels) > 0 {
		at := make(map[string]*Label, len(labels))
		for _, l := range labels {
			at[strings.TrimPrefix(l.Folder, ".")] = l
		}
		root = Labelled(root, at)
	}
	content := &packed.Archive{Root: root, Format: packed.FormatOf(a.Name), Time: a.Time, Done: func(n int) {
		if a.Done != nil {
			a.Done(n)
		}
	}}
	var err error
	if a.Plan, err = build.Compare(&tree.Node{Children: []*tree.Node{{Name: a.Name, Kind: tree.File, Content: content}}}, j.Place); err != nil {
		return proposal.Refused("nothing was changed", "%s", place.Reason(err))
	}
	switch s := a.Plan.Steps[0]; s.State {
	case build.Blocked:
		return proposal.Refused("", "Nothing was built: %s: %s", j.Into, s.Why)
	case build.Kept:
		return proposal.Refused("name another file, or move that one away", "Nothing was built: %s is there already, and holds something else.", j.Into)
	}
	return nil
}
