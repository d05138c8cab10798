package cli

import (
	"errors"
	"io/fs"
	"path/filepath"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/compare"
	"vestibula/core/digest"
	"vestibula/core/inspect"
	"vestibula/core/match"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A comparand is a side of a comparison: a template, a project or another folder, or a
// backup.
type comparand struct {
	name     string
	template *template.Template // of a template
	values   map[string]template.Raw
	root     *tree.Node        // its own folder
	whole    *tree.Node        // of a template, with what lies above and beside that
	dir      string            // of a real folder, absolute
	sums     map[string]string // of what lies in a backup, by paths
	from     string            // where the project of a backup lies
	open     *place.Place      // dir, once something was read in it
}

// comparand opens a side. What lies here is a folder, an archive or a backup; all else is a
// template.
func (a *app) comparand(arg string) (*comparand, error) {
	c := &comparand{name: arg}
	info, err := place.Stat(arg)
	if err != nil || !info.IsDir() && packed.FormatOf(arg) == packed.None {
		c.template, err = a.load(arg)
		return c, err
	}
	full, err := place.Real(arg)
	if err != nil {
		return nil, unreadable(arg, err)
	}
	note, err := bundle.Note(full)
	if err != nil {
		return nil, refused("", "%s: %v", arg, err)
	}
	switch {
	case note != nil:
		if err := a.whole(full, arg); err != nil {
			return nil, err
		}
		c.from = string(note.From)
		c.root, c.sums = note.Tree()
	case !info.IsDir():
		f, err := bundle.OpenFile(full)
		if err != nil {
			return nil, refused("", "%s: %s", arg, place.Reason(err))
		}
		defer f.Close()
		if c.root = f.Root; f.Top() != nil {
			c.root = f.Top()
		}
	default:
		done, end := a.progress("reading", -1)
		root, unread, err := inspect.Everything(full, done)
		end()
		if err != nil {
			return nil, unreadable(arg, err)
		}
		a.tellPassed(arg, unread, "is compared")
		c.root, c.dir = root, string(full)
		l, _, err := project.ReadLabel(full)
		if err == nil {
			c.values = l.Raw()
		} else if !errors.Is(err, fs.ErrNotExist) {
			a.badLabel(full, err)
		}
	}
	return c, inspect.Prune(c.root)
}

// whole says how a backup that is compared holds what it held: what is compared is its list.
func (a *app) whole(at address.Address, shown string) error {
	done, end := a.progress("summing up", -1)
	what, report, err := bundle.Check(at, done)
	end()
	switch {
	case errors.Is(err, bundle.ErrNoList):
	case err != nil:
		return refused("", "%s is no whole %s: %v", shown, what, err)
	case len(report.Problems) > 0:
		a.note(term.Sprintf("%s holds no longer all that it held: %s; it is compared by its list; %s", shown, term.Count(len(report.Problems), "problem"), advise("what they are", "check", typed(shown))))
	}
	return nil
}

// sum is the checksum of a file of a side; empty where it is not known.
func (c *comparand) sum(at string) string {
	if c.sums != nil {
		return c.sums[at]
	}
	if c.dir == "" {
		return ""
	}
	if c.open == nil {
		in, err := place.Open(c.dir)
		if err != nil {
			return ""
		}
		c.open = in
	}
	f, err := c.open.Open(at)
	if err != nil {
		return ""
	}
	defer f.Close()
	sum, _ := digest.Of(f)
	return sum
}

// grow makes the tree of a template, with the values of the other side: those that were
// given, and those that are known.
func (a *app) grow(c *comparand, raw map[string]template.Raw, known template.Values, limit int) error {
	own := map[string]template.Raw{}
	for name, r := range raw {
		if c.template.Field(name) != nil {
			own[name] = r
		}
	}
	values, errs := c.template.ParseValues(own, a.now)
	if len(errs) > 0 {
		return badValues(errs)
	}
	for name, v := range known {
		if _, given := values[name]; !given {
			values[name] = v
		}
	}
	x, err := c.template.Tree(c.template.Sample(values, a.now), limit)
	if err != nil {
		return a.tellErrors(c.template.Name, c.template.Text, err, statusFound)
	}
	c.whole = x.Root
	_, c.root = c.template.Own(x.Root)
	return nil
}

// growSides makes the trees of templates that are compared with something real, by its values.
func (a *app) growSides(sides [2]*comparand, raw map[string]template.Raw, limit int) error {
	for i, c := range sides {
		if c.template == nil {
			continue
		}
		given, other := raw, sides[1-i]
		var known template.Values
		switch {
		case len(raw) > 0:
		case other.values != nil:
			given = other.values
		case other.template == nil: // no label says them: names do
			values, err := (&match.Showing{Template: c.template, Known: template.Values{}, Names: []string{filepath.Base(other.name)}, Real: other.root, Limit: limit, Now: a.now}).Values()
			if err != nil {
				return a.tellErrors(c.template.Name, c.template.Text, err, statusFound)
			}
			known = values
		}
		if err := a.grow(c, given, known, limit); err != nil {
			return err
		}
	}
	return nil
}

// turnRound makes of differences those that the other side has.
func turnRound(list []compare.Difference) {
	for i := range list {
		d := &list[i]
		switch d.What {
		case compare.Gone:
			d.What = compare.New
		case compare.New:
			d.What = compare.Gone
		default:
			d.Path, d.Other = d.Other, d.Path
		}
	}
}

// compareReal compares two sides of which at least one is there.
func (a *compareRun) compareReal(sides [2]*comparand, raw map[string]template.Raw, limit int) error {
	if err := a.growSides(sides, raw, limit); err != nil {
		return err
	}
	first, second := sides[0], sides[1]
	swapped := second.template != nil
	if swapped {
		first, second = second, first
	}
	looked := 0
	done, end := a.progress("comparing contents", -1)
	hold := compare.Contents{Same: func(x, y string) bool {
		done(1)
		a, b := first.sum(x), second.sum(y)
		if a != "" && b != "" {
			looked++
		}
		return a == b || a == "" || b == "" // of what has no sum there is nothing to compare
	}}
	if first.sums != nil || second.sums != nil || first.dir != "" && second.dir != "" {
		hold.Sum = func(side int, at string) string { return [2]*comparand{first, second}[side].sum(at) }
	}
	var owns func(n *tree.Node) bool
	if t := first.template; t != nil {
		hold = compare.Contents{}
		owns = func(n *tree.Node) bool {
			l := t.ClausesOf(n)
			return len(n.Children) == 0 || l != nil && l.HoldsAnything()
		}
	}
	list := compare.Differences(first.root, second.root, hold, owns)
	for _, c := range sides {
		if c.open != nil {
			c.open.Close()
		}
	}
	end()
	if swapped {
		turnRound(list)
	}
	told := differencesJSON(sides, list)
	switch {
	case a.outFile != "":
		if err := a.writeDifferences(sides, told.Differences, nil, differenceText(sides, list), told); err != nil {
			return err
		}
	case a.asJSON:
		if err := a.printJSON(told); err != nil {
			return err
		}
	default:
		a.drawDifferences(list)
		a.screen.Text(summed(sides, list, looked, hold.Sum != nil))
	}
	if a.strict && len(list) > 0 {
		return found
	}
	return nil
}

// drawDifferences lists what differs.
func (a *app) drawDifferences(list []compare.Difference) {
	slash := func(d *compare.Difference) string {
		if d.Folder {
			return "/"
		}
		return ""
	}
	for i := range list {
		if i == a.most(4*manyRows) {
			a.more(len(list)-i, "")
			break
		}
		d := &list[i]
		note := term.Shown("")
		if d.Why != "" {
			note = term.Visible(d.Why)
		}
		if d.Within > 0 {
			note = term.Sprintf("with the %s in it", term.Count(d.Within, "thing"))
		}
		switch d.What {
		case compare.Renamed, compare.Moved:
			sign := map[compare.What]term.Shown{compare.Renamed: "≈", compare.Moved: "»"}[d.What]
			a.because(term.Accent.Render(sign)+" "+term.Moved(d.Path+slash(d), d.Other+slash(d)), note)
		case compare.Altered:
			a.because(term.Warn.Render("←")+" "+term.Visible(d.Path), "holds something else")
		case compare.Gone:
			a.because(term.Bad.Render("-")+" "+term.Visible(d.Path+slash(d)), note)
		case compare.New:
			a.because(term.Good.Render("+")+" "+term.Visible(d.Path+slash(d)), note)
		}
	}
	if len(list) > 0 {
		a.screen.Line()
	}
}

// summed says in a line what the difference is.
func summed(sides [2]*comparand, list []compare.Difference, looked int, contents bool) term.Shown {
	about := term.Shown("by their names")
	switch {
	case sides[0].template != nil || sides[1].template != nil:
		about += "; what lies in folders that the template leaves to whoever works there was not compared"
	case looked > 0:
		about += term.Sprintf(", and what %s in both", map[bool]term.Shown{true: "the file holds that is", false: term.Sprintf("the %s hold that are", term.Count(looked, "file"))}[looked == 1])
	}
	if contents && len(list) > 0 && looked == 0 {
		about += " and contents"
	}
	if len(list) == 0 {
		return term.Good.Render("The same") + ": " + term.Visible(sides[0].name) + " and " + term.Visible(sides[1].name) + ", " + about + "."
	}
	return term.Strong.Render(differenceText(sides, list)) + " Compared " + about + "."
}

func differenceText(sides [2]*comparand, list []compare.Difference) term.Shown {
	n := compare.Count(list)
	return tallied([]tally{{n[compare.Renamed], "under another name"}, {n[compare.Moved], "elsewhere"}, {n[compare.Altered], "with other contents"},
		{n[compare.Gone], "only in " + term.Visible(sides[0].name)}, {n[compare.New], "only in " + term.Visible(sides[1].name)}})
}

// A tally is how many differences are of one kind.
type tally struct {
	n    int
	what term.Shown
}

// tallied says how many differences there are, and of which kinds.
func tallied(tallies []tally) term.Shown {
	all := 0
	var parts []term.Shown
	for _, t := range tallies {
		if all += t.n; t.n > 0 {
			parts = append(parts, term.Number(t.n)+" "+t.what)
		}
	}
	if all == 0 {
		return "No difference."
	}
	return term.Count(all, "difference") + ": " + term.Join(parts, ", ") + "."
}

// A differenceJSON is one difference, as --json prints it.
type differenceJSON struct {
	What   string `json:"what"`
	Path   string `json:"path"`
	Other  string `json:"other,omitempty"`
	Folder bool   `json:"folder,omitempty"`
	Why    string `json:"why,omitempty"`
}

type comparedJSON struct {
	Sides       [2]string        `json:"sides"`
	Differences []differenceJSON `json:"differences"`
}

func differencesJSON(sides [2]*comparand, list []compare.Difference) comparedJSON {
	out := comparedJSON{[2]string{sides[0].name, sides[1].name}, []differenceJSON{}}
	for _, d := range list {
		out.Differences = append(out.Differences, differenceJSON{d.What.String(), d.Path, d.Other, d.Folder, d.Why})
	}
	return out
}
