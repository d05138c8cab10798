package cli

import (
	"strings"

	"vestibula/cli/term"
	"vestibula/core/next"
	"vestibula/core/proposal"
)

// carried is how many things go along.
func (r *nextRun) carried() (n int) {
	for _, t := range r.turns {
		n += len(t.Goes)
	}
	return n
}

// olds are the projects that are carried forward.
func (r *nextRun) olds() string {
	if n := len(r.turns) / r.count; n > 1 {
		return string(term.Count(n, "project"))
	}
	return r.turns[0].Project.Dir.Name()
}

// title is what comes about.
func (r *nextRun) title() string { return next.Title(r.turns, r.count) }

// parts are what a person sees of each new period: what is made, what comes along under which
// name, and, in notes, what does not.
func (r *nextRun) parts() {
	var parts []*proposal.Part
	for _, t := range r.turns {
		about := string(term.Count(len(t.Goes), "file"))
		if t.Build != nil {
			about = string(counts(t.Build))
		}
		part := next.Part(t.Own, about, t.Goes)
		part.Most = max(3, 2*manyRows/len(r.turns))
		parts = append(parts, part)
	}
	r.proposal.Parts = append(parts, r.proposal.Parts...)
	var unread []string
	left, unhad := 0, 0
	for i, t := range r.turns {
		if r.count > 1 && i%r.count > 0 {
			continue // it is the same for each period
		}
		unread = append(unread, t.Unread...)
		left += t.Left
		unhad += t.Unhad
	}
	if n := len(unread); n > 0 {
		text := string(term.Count(n, "name")) + map[bool]string{true: " still holds the old period, as no convention reads it: ", false: " still hold the old period, as no convention reads them: "}[n == 1]
		r.proposal.Note(text + strings.Join(r.few(unread), ", "))
	}
	if r.begun > 0 {
		r.proposal.Remark(string(term.Count(r.begun, "file")) + map[bool]string{true: " is there already, and stays as it is.", false: " are there already, and stay as they are."}[r.begun == 1])
	}
	if left > 0 {
		r.proposal.Remark(string(term.Count(left, "file")) + map[bool]string{true: " does", false: " do"}[left == 1] + " not go along: only what lies under lines with “carry” does.")
	}
	if unhad > 0 {
		r.proposal.Remark(string(term.Count(unhad, "file")) + map[bool]string{true: " does not go along: its folder is", false: " do not go along: their folders are"}[unhad == 1] + " none of the new period’s.")
	}
}
