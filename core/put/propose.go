package put

import (
	"cmp"
	"fmt"
	"math"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/proposal"
	"vestibula/core/standing"
	"vestibula/core/value"
)

// A Call is what is known of files that are to be put into their places.
type Call struct {
	Outcomes []*standing.Outcome
	Projects []*standing.Project
	Way      Way
	Base     string                           // what lies in it is moved, the usual way; absolute, with slashes
	Sources  []string                         // folders that files come from, as Base
	Help     func(o *standing.Outcome) string // what would give a file a place, for a person
	Limit    int                              // how many things a template may make
	Passed   int                              // hidden things, and those that programs leave
	Settled  int                              // files in projects, where somebody has put them
}

// Inside reports whether a file lies within the folder in which things are moved.
func (c *Call) Inside(at string) bool {
	return strings.HasPrefix(at, strings.TrimSuffix(c.Base, "/")+"/")
}

func base(p *standing.Project) string { return p.Dir.Slashed() }

// Propose returns what brings files to their places, with a part for each folder they go to;
// and what is there already, could go to several places, or has none. The error is that of a
// template.
func (c *Call) Propose() (*proposal.Proposal, error) {
	out := &proposal.Proposal{Set: &change.Set{}}
	changes, err := Changes(c.Outcomes, c.Way, c.Inside, base, c.Limit)
	if err != nil {
		return nil, err
	}
	if len(changes) > 0 {
		tops := append([]string{c.Base}, c.Sources...)
		for _, one := range changes {
			if one.From != "" {
				tops = append(tops, path.Dir(one.From))
			}
		}
		out.Set = Within(changes, Outermost(tops))
		for i := range out.Set.Places {
			out.Set.Places[i] = address.Address(filepath.FromSlash(string(out.Set.Places[i])))
		}
	}
	for _, p := range c.Projects {
		if !slices.ContainsFunc(c.Outcomes, func(o *standing.Outcome) bool { return o.Kind == standing.Goes && o.Spots[0].Project == p }) {
			continue
		}
		if at, err := out.Set.Find(p.Dir.Join("x")); err == nil {
			out.Counts(change.At{In: at.In, Path: path.Dir(at.Path)}, p.Label.ID)
		}
	}
	c.goes(out)
	c.stays(out, standing.There, "Is there already", proposal.There)
	c.stays(out, standing.There, "Comes twice", proposal.Twice)
	c.stays(out, standing.Several, "Could go to several places", proposal.Several)
	c.stays(out, standing.Nowhere, "Has no place", proposal.Nowhere)
	if c.Passed > 0 {
		out.Remark(fmt.Sprintf("Skipped: %s, hidden or left by programs.", count(c.Passed, "thing")))
	}
	if c.Settled > 0 {
		out.Remark(fmt.Sprintf("Skipped: %s in projects, where somebody has put them.", count(c.Settled, "file")))
	}
	return out, nil
}

// goes adds a part for each folder that files go to.
func (c *Call) goes(out *proposal.Proposal) {
	parts := map[string]*proposal.Part{}
	var head *proposal.Part
	n := 0
	for _, o := range c.Outcomes {
		if o.Kind != standing.Goes {
			continue
		}
		if n++; head == nil {
			head = out.Part("")
			head.Title = "Goes to its place"
		}
		dir := path.Join(base(o.Spots[0].Project), path.Dir(o.Path))
		part := parts[dir]
		if part == nil {
			part = out.Part(address.Address(filepath.FromSlash(dir)))
			part.Inner, part.Most = true, shownOlder
			parts[dir] = part
		}
		op, done := c.does(o)
		why := o.Why
		if o.File.Day != "" {
			why += ", " + o.File.Day
		}
		part.Add(proposal.Step{Op: op, From: cmp.Or(o.File.At, o.File.Path), To: path.Base(o.Path), Called: o.File.Path, Becomes: o.File.Fresh, Why: why})
		part.About = "   " + count(len(part.Steps), "file") + ", " + done
	}
	if head != nil {
		head.About = ": " + count(n, "file")
	}
}

// does is what happens to a file that goes to its place, and the word for it.
func (c *Call) does(o *standing.Outcome) (change.Op, string) {
	switch {
	case o.File.Content != nil:
		return change.Make, "unpacked"
	case c.Way == Link:
		return change.Make, "linked"
	case c.Way == Move || c.Way == Usual && c.Inside(o.File.At):
		return change.Move, "moved"
	}
	return change.Copy, "copied"
}

// stays adds a part with the files of one kind that stay.
func (c *Call) stays(out *proposal.Proposal, kind standing.Kind, title string, left proposal.Kind) {
	part := &proposal.Part{Title: title}
	var before []standing.Spot // many files could go to the same places
	var could []string
	for _, o := range c.Outcomes {
		if o.Kind != kind || kind == standing.There && (len(o.Spots) == 0) != (left == proposal.Twice) {
			continue
		}
		l := proposal.Left{Kind: left, Path: cmp.Or(o.File.At, o.File.Path), Name: o.File.Path, Why: o.Why}
		if op, _ := c.does(o); kind != standing.There && (op == change.Move || op == change.Copy) {
			l.Op = op
		}
		switch kind {
		case standing.There:
			if left == proposal.There {
				l.Could = []string{path.Join(base(o.Spots[0].Project), o.Path)}
			}
		case standing.Several:
			l.Why = ""
			if len(before) != len(o.Spots) || &before[0] != &o.Spots[0] {
				before, could = o.Spots, make([]string, len(o.Spots))
				for i, s := range likeliest(o) {
					could[i] = path.Join(base(s.Project), s.Dir)
				}
			}
			l.Could = could
			l.Help = c.Help(o)
		default:
			l.Help = c.Help(o)
		}
		part.Leave(l)
	}
	if n := len(part.Left); n > 0 {
		part.About = ": " + count(n, "file")
		out.Parts = append(out.Parts, part)
	}
}

// manySpots is among how many places the likeliest is looked for.
const manySpots = 100

// likeliest are the places that a file could go to, first those in projects that had begun when the file came about, the
// latest before all.
func likeliest(o *standing.Outcome) []standing.Spot {
	if len(o.Spots) > manySpots {
		return o.Spots
	}
	spots := slices.Clone(o.Spots)
	gap := func(s standing.Spot) time.Duration {
		least, day := time.Duration(math.MaxInt64), time.Unix(0, o.File.Entry.Time)
		for name, v := range s.Values {
			if _, own := s.Project.Values[name]; !own && v.Kind == value.Date {
				day = v.Time()
			}
		}
		for _, v := range s.Project.Values {
			if v.Kind.Calendar() && !v.Time().After(day) {
				least = min(least, day.Sub(v.Time()))
			}
		}
		return least
	}
	slices.SortStableFunc(spots, func(a, b standing.Spot) int { return cmp.Compare(gap(a), gap(b)) })
	return spots
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
