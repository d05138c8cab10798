package cli

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/follow"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/reference"
	"vestibula/core/rules"
)

// linksOnly reports whether nothing is asked for but links that lead nowhere: texts are read for it.
func (r *checkRun) linksOnly() bool { return slices.Equal(r.only, []string{"links"}) }

// textLinks adds to reports what in texts leads nowhere, and returns what was found.
func (r *checkRun) textLinks(reports []*inspect.Report) (*reference.Found, error) {
	var roots []address.Address
	for _, report := range reports {
		if report.Dir != "" && !slices.Contains(roots, report.Dir) {
			roots = append(roots, report.Dir)
		}
	}
	if len(roots) == 0 {
		return nil, nil
	}
	lost, err := r.lost()
	if err != nil {
		return nil, err
	}
	found, err := follow.Dead(roots, lost)
	if err != nil {
		return nil, refused("", "%s", place.Reason(err))
	}
	for _, b := range found.Broken {
		at := address.Address(filepath.FromSlash(b.File))
		var in *inspect.Subject
		for _, report := range reports {
			for _, s := range report.Subjects {
				if s.Dir != "" && at.Within(s.Dir) && (in == nil || len(s.Dir) > len(in.Dir)) {
					in = s
				}
			}
		}
		if in == nil {
			continue
		}
		if below, _ := at.From(in.Dir); in.Below == "" || strings.HasPrefix(below, in.Below+"/") {
			in.Findings = append(in.Findings, rules.DeadLink(below, b.Line, b.Says, b.Becomes))
		}
	}
	return found, nil
}

// lost knows by the history where things were, and where they are now.
func (a *app) lost() (*reference.Lost, error) {
	type moved struct{ forth, back map[string]string }
	var all []moved
	gone := map[string][]string{}
	err := a.journal(func(j *journal.Journal) error {
		records, err := j.Records()
		if err != nil {
			return err
		}
		for _, record := range records {
			if record.Busy || record.End == journal.Forgotten || record.Count.Moved == 0 {
				continue
			}
			changes, places, err := j.Changes(record)
			if err != nil {
				continue // it can tell nothing
			}
			m := moved{map[string]string{}, map[string]string{}}
			for i := range changes {
				if c := &changes[i]; c.Op == change.Move && c.In < len(places) && c.FromIn < len(places) {
					from, to := places[c.FromIn].Join(c.From).Slashed(), places[c.In].Join(c.Path).Slashed()
					from = moveBy(m.back, from) // one after the other: it may have come there in the same run
					m.forth[from], m.back[to] = to, from
					gone[path.Dir(from)] = append(gone[path.Dir(from)], path.Base(from))
				}
			}
			all = append(all, m)
		}
		return nil
	})
	return &reference.Lost{
		Now: func(at string) string {
			if place.Exists(filepath.FromSlash(at)) {
				return at
			}
			for i := range slices.Backward(all) { // something else may have lain there before
				now := moveBy(all[i].forth, at)
				if now == at {
					continue
				}
				for _, m := range all[i+1:] {
					now = moveBy(m.forth, now)
				}
				if place.Exists(filepath.FromSlash(now)) {
					return now
				}
			}
			return at
		},
		Gone: gone,
		Before: func(file string) (list []string) {
			for _, m := range slices.Backward(all) {
				if was := moveBy(m.back, file); was != file {
					list, file = append(list, was), was
				}
			}
			return list
		},
	}, err
}

// moveBy is where something comes to lie by moves, of which the innermost counts.
func moveBy(moves map[string]string, at string) string {
	for in := at; ; in = path.Dir(in) {
		if to, moved := moves[in]; moved {
			return to + at[len(in):]
		}
		if up := path.Dir(in); up == in || up == "." {
			return at
		}
	}
}

// fixLinks changes what leads nowhere to where it lies by now, as far as the history knows that.
func (r *checkRun) fixLinks(reports []*inspect.Report, dead *reference.Found) error {
	out, n := &proposal.Proposal{Set: &change.Set{}}, 0
	for _, report := range reports {
		if report.Dir != "" {
			out.Counts(change.At{In: out.Set.Place(report.Dir), Path: "."}, "")
		}
	}
	done, part := map[string]bool{}, out.Part("")
	for _, b := range dead.Broken {
		if b.Becomes == "" {
			continue
		}
		part.Add(proposal.Step{Op: change.Replace, From: fromHere(filepath.FromSlash(b.File)), Called: fmt.Sprintf("%s:%d   %s", fromHere(filepath.FromSlash(b.File)), b.Line, b.Says), Becomes: b.Becomes})
		if n++; !done[b.File] {
			done[b.File] = true
			if now, becomes, changed := dead.Fixed(b.File); changed {
				at, err := out.Set.Find(address.Address(filepath.FromSlash(b.File)))
				if err != nil {
					return err
				}
				out.Set.Write(at, []byte(now), []byte(becomes), "it names what has moved")
			}
		}
	}
	if n == 0 {
		r.screen.Text(term.Good.Render("Nothing to fix") + " without a person: nobody knows where what they name lies now.")
		return r.tellReports(reports)
	}
	name := out.Set.Places[0].Name()
	if err := r.propose(r.ask, &task{Proposal: out, question: fmt.Sprintf("Change %s?", term.Count(n, "link")), how: "change them", undertaking: undertaking{doing: "fixing", head: journal.Head{What: "fix", Title: name, Project: name}},
		told: func() term.Shown {
			return term.Good.Render("Changed") + term.Sprintf(" %s. %s", term.Count(n, "link"), r.undoes())
		}}); err != nil {
		return err
	}
	if n < len(dead.Broken) && !r.ask.preview {
		return found
	}
	return nil
}
