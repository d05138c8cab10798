package cli

import (
	"fmt"

	"vestibula/cli/term"
	"vestibula/core/disk"
	"vestibula/core/rules"
	"vestibula/core/template"
)

// mend mends a template in its own file: it shows what will change, and writes
// only with a yes.
func (r *checkRun) mend(src *source) error {
	switch {
	case src.built:
		return refused("make a copy of your own: vestibula draft NAME --like "+src.name[:len(src.name)-len(template.Ending)], "%s is built in and cannot be changed", src.name)
	case src.path == "":
		return unclear("name a file", "a list from standard input cannot be mended")
	}
	t, err := template.Parse(src.name, src.text, src.starters)
	if err != nil {
		return r.tellErrors(src.name, src.text, err, statusFound)
	}
	text, mended, err := rules.Mend(t, r.now)
	if err != nil {
		return r.tellErrors(src.name, src.text, err, statusFound)
	}
	if len(mended) == 0 {
		r.screen.Text(term.Good.Render("Nothing to mend") + " without asking in " + term.Visible(src.name) + ".")
		return nil
	}
	for _, m := range mended {
		r.screen.Line(term.Dim.Render(fmt.Sprintf("%4d ", m.Line)), term.Bad.Render("- "), term.Visible(m.Before))
		r.screen.Line("     ", term.Good.Render("+ "), term.Visible(m.After))
	}
	r.screen.Line()
	if !r.yes {
		if !r.interactive() {
			return refused("add --yes to write it", "Nothing was changed yet.")
		}
		yes, err := r.confirm(fmt.Sprintf("Change %s in %s?", term.Count(len(mended), "line"), src.name))
		if err != nil {
			return err
		}
		if !yes {
			return refused("", "Nothing was changed.")
		}
	}
	at, err := disk.Real(src.path)
	if err == nil {
		err = disk.Revision{Path: at, Data: []byte(text)}.Replace()
	}
	if err != nil {
		return refused("it is as it was", "%s cannot be written: %s", src.path, disk.Reason(err))
	}
	r.screen.Text(term.Good.Render("Mended") + " " + term.Count(len(mended), "line") + " of " + term.Visible(src.name) + ".")
	return nil
}
