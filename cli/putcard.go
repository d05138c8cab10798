package cli

import (
	"path"
	"slices"

	"vestibula/cli/term"
	"vestibula/core/put"
)

// emptied says whether what was copied from may be emptied: whether all of it stands here, read back and compared. It says
// so of folders that lie elsewhere, and nothing of a single file.
func (r *putRun) emptied() term.Shown {
	c := r.call()
	if c.Way == put.Link || c.Way == put.Move || len(c.Sources) == 0 || len(c.Sources) != len(r.sources) || slices.ContainsFunc(c.Sources, c.Inside) {
		return ""
	}
	stands := 0
	for _, o := range r.outcomes {
		if put.Stands(o) {
			stands++
		}
	}
	name, all := c.Sources[0], len(r.outcomes)
	if name = path.Base(name); len(c.Sources) > 1 {
		name = "these folders"
	}
	aside := term.Shown("")
	if r.passed > 0 {
		aside = term.Sprintf(" What is hidden or left by programs (%d) was not looked at.", r.passed)
	}
	switch {
	case all == 0:
		return ""
	case r.partly:
		return "\n" + term.Warn.Render("Do not empty") + term.Sprintf(" %s: some of it could not be read.", name)
	case stands < all:
		return "\n" + term.Warn.Render("Do not empty") + term.Sprintf(" %s yet: %d of %s in %s %s here.%s", name, all-stands, term.Count(all, "file"), map[bool]string{true: "it", false: "them"}[len(c.Sources) == 1], map[bool]string{true: "does not stand", false: "do not stand"}[all-stands == 1], aside)
	}
	return "\n" + term.Good.Render("All of it stands here") + term.Sprintf(": %s in %s, each read back and compared.%s %s may be emptied.", term.Count(all, "file"), name, aside, map[bool]string{true: "It", false: "They"}[len(c.Sources) == 1])
}
