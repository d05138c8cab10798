package cli

import (
	"path"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/disk"
	"vestibula/core/tree"
)

// drawChanges lists what a list of changes does; of a folder that comes or goes as
// a whole, only the folder.
func (a *app) drawChanges(list []change.Change) {
	whole := map[string]bool{} // folders that come or go
	for i := range list {
		if c := &list[i]; (c.Op == change.Make || c.Op == change.Remove) && c.Kind() == tree.Folder {
			whole[c.Path] = true
		}
	}
	inside := map[string]int{}
	var tops []*change.Change
	for i := range list {
		c := &list[i]
		at := c.Path
		if c.Keeps() {
			at = c.From
		}
		top := at
		for above := path.Dir(top); whole[above]; above = path.Dir(above) {
			top = above
		}
		switch {
		case c.Lift(), c.Op == change.Replace && disk.Own(c.Path):
		case top == at || c.Op == change.Move && !c.Keeps() && !c.GivesBack():
			tops = append(tops, c)
		default:
			inside[top]++
		}
	}
	for i, c := range tops {
		if i == manyRows {
			a.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more", term.Number(len(tops)-i))))
			return
		}
		line := changeLine(c)
		if n := inside[c.Path]; n > 0 && c.Op != change.Move {
			line += term.Dim.Italic().Render("   with the " + term.Count(n, "thing") + " in it")
		}
		a.screen.Line(line)
	}
}

// changeLine is the line of one change, or empty where it is only a part of one.
func changeLine(c *change.Change) term.Shown {
	name := func(p string) term.Shown {
		if c.Kind() == tree.Folder {
			return term.Visible(p) + term.Dim.Render("/")
		}
		return term.Visible(p)
	}
	note := func(text term.Shown) term.Shown { return term.Dim.Italic().Render("   " + text) }
	switch {
	case c.Lift():
		return ""
	case c.Keeps():
		return term.Bad.Render("-") + " " + name(c.From) + note("kept")
	case c.GivesBack():
		return term.Good.Render("+") + " " + name(c.Path)
	}
	switch c.Op {
	case change.Make:
		return term.Good.Render("+") + " " + name(c.Path)
	case change.Remove:
		return term.Bad.Render("-") + " " + name(c.Path)
	case change.Copy:
		if c.From == "" {
			return term.Good.Render("+") + " " + name(c.Path)
		}
		return term.Good.Render("+") + " " + name(c.Path) + note("a copy of "+term.Visible(c.From))
	case change.Replace:
		return term.Warn.Render("←") + " " + name(c.Path) + note("gets other contents")
	}
	from, to := c.Ends()
	return term.Accent.Render("»") + " " + name(from) + term.Dim.Render(" → ") + name(to)
}

// drawUndo shows what an undo will do, and what stays.
func (a *app) drawUndo(u *disk.Undo) {
	a.screen.Line(term.Title.Render(term.Sprintf("Undo %d: the %s of %s", u.Record.Number, u.Record.What, term.Visible(u.Record.Name()))),
		term.Dim.Render(" in "+term.Visible(strings.Join(u.Record.PlacePaths(), ", "))))
	for _, now := range u.Moved {
		a.screen.Text(term.Warn.Render("note:") + " it lies in " + term.Visible(now) + " now")
	}
	a.screen.Line()
	a.drawChanges(u.List)
	for _, s := range u.Stays {
		a.screen.Line(term.Warn.Render("~"), " ", term.Visible(s.Path), "   ", term.Dim.Italic().Render("stays: "+term.Visible(s.Why)))
	}
	a.screen.Line()
}
