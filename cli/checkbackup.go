package cli

import (
	"errors"

	"vestibula/cli/term"
	"vestibula/core/bundle"
)

// verified checks a bag, a backup or an archive file with such lists. It reports false where
// it is none.
func (a *app) verified(at string, asJSON bool) (is bool, err error) {
	done, end := a.progress("summing up", -1)
	what, report, err := bundle.Check(at, done)
	end()
	switch {
	case errors.Is(err, bundle.ErrNoList):
		return false, nil
	case err != nil:
		return true, refused("", "%s is no whole %s: %v", at, what, err)
	}
	return true, a.tellVerified(at, what, report, asJSON)
}

// tellVerified tells what was found out about a bag or a backup.
func (a *app) tellVerified(at, what string, report *bundle.Report, asJSON bool) error {
	type problem struct {
		Kind string `json:"kind"`
		Path string `json:"path"`
		Why  string `json:"why"`
	}
	list := []problem{}
	for _, p := range report.Problems {
		list = append(list, problem{p.Kind.String(), p.Path, p.Why})
	}
	if asJSON {
		err := a.printJSON(struct {
			Subject  string    `json:"subject"`
			Kind     string    `json:"kind"`
			Files    int       `json:"files"`
			Problems []problem `json:"problems"`
			Passed   []string  `json:"passed"`
		}{at, what, report.Files, list, append([]string{}, report.Passed...)})
		if err == nil && len(list) > 0 {
			return found
		}
		return err
	}
	for i, p := range list {
		if i == a.most(4*manyRows) {
			a.more(len(list)-i, "")
			break
		}
		a.screen.Line(term.Bad.Render(term.Visible(p.Kind)), " ", term.Visible(p.Path), term.Dim.Italic().Render("   "+term.Visible(p.Why)))
	}
	for _, text := range report.Passed {
		a.screen.Text(term.Warn.Render("note:") + " " + term.Visible(text))
	}
	if len(list) > 0 {
		a.screen.Line()
		a.screen.Text(term.Sprintf("%s in the %s %s.", term.Count(len(list), "problem"), what, at))
		return found
	}
	a.screen.Text(term.Good.Render("Whole:") + term.Sprintf(" the %s %s holds what it held: %s, by the checksums in it.", what, at, term.Count(report.Files, "file")))
	return nil
}
