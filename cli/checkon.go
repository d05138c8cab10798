package cli

import (
	"maps"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/disk"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A nameTrial is what a place did with names, as JSON shows it.
type nameTrial struct {
	On      string        `json:"on"`
	Tried   int           `json:"tried"`
	Refused []refusedName `json:"refused"`
	Changed []changedName `json:"changed"`
	Orders  []string      `json:"orders"`
}

// A refusedName is one that a place does not take; a changedName, one that becomes another there.
type (
	refusedName struct {
		Name string `json:"name"`
		Why  string `json:"why"`
	}
	changedName struct {
		Name string `json:"name"`
		As   string `json:"as"`
	}
)

// tryOn tries the names of a template, or awkward ones, where they are to be.
func (r *checkRun) tryOn(args []string) error {
	at, err := r.placeCalled(r.on)
	if err != nil {
		return err
	}
	var names []string
	if len(args) > 0 {
		if names, err = r.namesOf(args); err != nil {
			return err
		}
	}
	t, err := r.writer().TryNames(at, names)
	if err != nil {
		return refused("", "names cannot be tried on %s: %s", r.on, place.Reason(err))
	}
	if r.asJSON {
		out := nameTrial{On: r.on, Tried: len(t.Names), Refused: []refusedName{}, Changed: []changedName{}, Orders: []string{}}
		for _, name := range t.Names {
			if why, is := t.Refused[name]; is {
				out.Refused = append(out.Refused, refusedName{name, why})
			}
			if is, changed := t.Changed[name]; changed {
				out.Changed = append(out.Changed, changedName{name, is})
			}
		}
		for _, o := range t.Orders {
			out.Orders = append(out.Orders, o.String())
		}
		err = r.printJSON(out)
	} else {
		r.tellTried(t)
	}
	if err == nil && names != nil && len(t.Refused)+len(t.Changed) > 0 {
		return found
	}
	return err
}

// placeCalled is the folder that somebody names, or a drive by its name alone.
func (r *checkRun) placeCalled(word string) (address.Address, error) {
	for _, d := range r.reaching().named {
		if d.Name == word && !place.Exists(word) {
			return d.Address, r.reached(d.Address)
		}
	}
	info, err := place.Stat(word)
	if err != nil || !info.IsDir() {
		return "", unclear(advise("the drives that have a name", "drive").String(), "there is no folder and no drive \"%s\"", word)
	}
	return place.Real(word)
}

// namesOf are the names in the tree of a template.
func (r *checkRun) namesOf(args []string) ([]string, error) {
	t, err := r.load(args[0])
	if err != nil {
		return nil, err
	}
	values, err := r.values(t, args[1:], r.flags.file)
	if err != nil {
		return nil, err
	}
	x, err := t.Tree(t.Sample(values, r.now), template.DefaultLimit)
	if err != nil {
		return nil, r.tellErrors(t.Name, t.Text, err, statusFound)
	}
	seen := map[string]string{} // of several that some systems take for one, one is enough
	for _, n := range x.Root.All() {
		if n.Name != "" {
			seen[tree.Folded(n.Name)] = n.Name
		}
	}
	return slices.Sorted(maps.Values(seen)), nil
}

// tellTried tells what became of names.
func (r *checkRun) tellTried(t *disk.NameTrial) {
	var rows [][]term.Shown
	for _, name := range t.Names {
		if why, is := t.Refused[name]; is {
			rows = append(rows, []term.Shown{term.Bad.Render("✗") + " " + marked(name), term.Visible(why)})
		}
	}
	for _, name := range t.Names {
		if is, changed := t.Changed[name]; changed {
			rows = append(rows, []term.Shown{term.Warn.Render("!") + " " + marked(name), "it becomes " + marked(is)})
		}
	}
	if len(rows) > 0 {
		r.screen.Table([]term.Column{{Name: "name"}, {Name: "there"}}, rows)
		r.screen.Line()
	}
	took := len(t.Names) - len(t.Refused) - len(t.Changed)
	r.screen.Text(term.Sprintf("%s of %s are taken as they are. They were tried in a hidden folder, of which nothing is left.", term.Count(took, "name"), term.Number(len(t.Names))))
	switch {
	case !t.Listed:
		r.screen.Text("It lists names as they come: each program that shows them sorts by its own order.")
	default:
		var known []string
		for _, o := range t.Orders {
			known = append(known, o.String()+" ("+o.Known()+")")
		}
		r.screen.Text(term.Sprintf("It lists names in the order %s.", strings.Join(known, ", or ")))
	}
}

// marked is a name with its beginning and its end to be seen.
func marked(name string) term.Shown {
	if len(name) > 60 {
		return term.Sprintf("“%s…”, %d characters", name[:20], len([]rune(name)))
	}
	return term.Sprintf("“%s”", name)
}
