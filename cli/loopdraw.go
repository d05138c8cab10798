package cli

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/disk"
	"vestibula/core/tree"
)

// drawChanges lists what a list of changes does; of a folder that comes or goes as a whole,
// only the folder, and what stays. Paths are told from a folder that all of it lies in. What
// the program keeps for itself stands last.
func (a *app) drawChanges(list []change.Change, stays []disk.Stay) {
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
	var paths []string
	for _, c := range tops {
		switch {
		case c.Keeps():
			paths = append(paths, c.From)
		case c.Op == change.Move && !c.GivesBack(), c.Op == change.Copy && c.From != "":
			is, becomes := c.Ends()
			paths = append(paths, is, becomes)
		default:
			paths = append(paths, c.Path)
		}
	}
	for _, s := range stays {
		paths = append(paths, s.Path)
	}
	under := shared(paths)
	if under != "" {
		a.screen.Line(term.Dim.Render(term.Sprintf("in %s", under)))
	}
	defer func() {
		for _, s := range stays {
			a.screen.Because(term.Warn.Render("~")+" "+term.Visible(from(under, s.Path)), "stays: "+term.Visible(s.Why), term.Warn.Plain())
		}
	}()
	slices.SortStableFunc(tops, func(x, y *change.Change) int { return cmp.Compare(ownLast(x), ownLast(y)) })
	for i, c := range tops {
		if i == manyRows {
			a.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more", term.Number(len(tops)-i))))
			return
		}
		line := changeLine(c, under)
		if n := inside[c.Path]; n > 0 && c.Op != change.Move {
			line += term.Dim.Italic().Render("   with the " + term.Count(n, "thing") + " in it")
		}
		a.screen.Line(line)
	}
}

// ownLast is 1 for what the program keeps for itself.
func ownLast(c *change.Change) int {
	if disk.Own(c.Path) || c.Path == "" && disk.Own(c.From) {
		return 1
	}
	return 0
}

// shared is the deepest folder that all of some paths are, or lie in.
func shared(paths []string) string {
	if len(paths) == 0 {
		return ""
	}
	at := paths[0]
	for _, p := range paths {
		for at != "." && p != at && !strings.HasPrefix(p, at+"/") {
			at = path.Dir(at)
		}
	}
	if !slices.ContainsFunc(paths, func(p string) bool { return p != at }) {
		at = path.Dir(at) // it is about that folder as a whole
	}
	if at == "." {
		return ""
	}
	return at
}

// from tells a path from a folder.
func from(under, p string) string {
	if under == "" {
		return p
	}
	if p == under {
		return path.Base(p)
	}
	return strings.TrimPrefix(p, under+"/")
}

// changeLine is the line of one change, its paths told from a folder, or empty where it is
// only a part of one.
func changeLine(c *change.Change, under string) term.Shown {
	name := func(p string) term.Shown {
		p = from(under, p)
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
		return term.Good.Render("+") + " " + name(c.Path) + note("a copy of "+term.Visible(from(under, c.From)))
	case change.Replace:
		return term.Warn.Render("←") + " " + name(c.Path) + note("gets other contents")
	}
	is, becomes := c.Ends()
	slash := ""
	if c.Kind() == tree.Folder {
		slash = "/"
	}
	return term.Accent.Render("»") + " " + term.Moved(from(under, is)+slash, from(under, becomes)+slash)
}

// drawUndo shows what an undo will do, and what stays.
func (a *app) drawUndo(u *disk.Undo) {
	a.screen.Line(term.Title.Render(term.Sprintf("Undo %d: the %s of %s", u.Record.Number, u.Record.What, term.Visible(u.Record.Name()))),
		term.Dim.Render(" in "+term.Visible(strings.Join(u.Record.PlacePaths(), ", "))))
	for _, now := range u.Moved {
		a.screen.Text(term.Warn.Render("note:") + " it lies in " + term.Visible(now) + " now")
	}
	a.screen.Line()
	a.drawChanges(u.List, u.Stays)
	a.screen.Line()
}
