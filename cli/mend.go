package cli

import (
	"fmt"
	"os"
	"path/filepath"

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
	if err := replaceFile(src.path, []byte(text)); err != nil {
		return refused("it is as it was", "%s cannot be written: %s", src.path, disk.Reason(err))
	}
	r.screen.Text(term.Good.Render("Mended") + " " + term.Count(len(mended), "line") + " of " + term.Visible(src.name) + ".")
	return nil
}

// replaceFile gives a file new contents: it has the old ones or the new ones,
// whatever happens. Where it is a link, the file behind the link is meant.
func replaceFile(path string, data []byte) error {
	path, err := filepath.EvalSymlinks(path)
	if err != nil {
		return err
	}
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(path), filepath.Base(path)+".*.new")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name()) // gone already where all went well
	_, err = f.Write(data)
	for _, step := range []func() error{func() error { return f.Chmod(info.Mode().Perm()) }, f.Sync, f.Close} {
		if e := step(); err == nil {
			err = e
		}
	}
	if err != nil {
		return err
	}
	return os.Rename(f.Name(), path)
}
