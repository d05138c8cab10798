package cli

import (
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/follow"
	"vestibula/core/place"
	"vestibula/core/reference"
	"vestibula/core/table"
	"vestibula/core/tree"
)

// A followed plan knows what points at what it moves.
type followed struct {
	*reference.Found
	fix       bool
	addresses string // the table of addresses, if one is to be written
	fixes     advice // the call that fixes what would lead nowhere as well
	all       advice
	most      int // how many are shown
	moved     int // how many rows it has
}

// addMoves adds the flags of commands that move things.
func (c *consent) addMoves(to *cobra.Command) {
	to.Flags().BoolVar(&c.fixLinks, "fix-links", false, "change links, and paths in texts, that would lead nowhere")
	to.Flags().StringVar(&c.addresses, "addresses", "", "write a table of old and new web addresses into a new `FILE`, CSV or XLSX")
}

// A following says where things are looked for that point at what moves.
type following struct {
	roots, tops []address.Address              // folders with all that lies in them; folders of which only the files themselves
	trees       map[address.Address]*tree.Node // what lies in roots that have been read already
	settled     bool                           // the planner has noted in labels what they have to know
	unasked     bool                           // nobody asked what points there
	alone       bool                           // what moves was named one by one: nothing goes along
}

// follow adds to a task what follows from what moves: what labels of projects note of it, and,
// where that is asked for, what changes what points there, and the table of addresses.
func (a *app) follow(c consent, t *task) error {
	w := t.follows
	if len(t.Archived) > 0 {
		if err := follow.Lists(t.Proposal); err != nil {
			return planned(err)
		}
	}
	if w.unasked {
		return nil
	}
	if !w.alone {
		follow.Company(t.Proposal)
	}
	if !w.settled {
		if err := follow.Labels(t.Set); err != nil {
			return refused("", "%v", err)
		}
	}
	f := &followed{fix: c.fixLinks, addresses: c.addresses, fixes: a.sameCall("to change them as well", "--fix-links"), all: a.sameCall("all of them", "--all"), most: a.most(manyRows)}
	t.followed = f
	roots := w.roots
	if roots == nil {
		roots = t.Set.Places
	}
	if c.yes && !c.preview { // then they are what is there, and what moved is known by the history
		words := []string{"check"}
		for _, root := range roots {
			words = append(words, typed(fromHere(root)))
		}
		f.fixes = advise("to change them afterwards", append(words, "--only", "links", "--fix")...)
	}
	var err error
	if f.Found, err = follow.References(t.Set, roots, w.tops, w.trees); err != nil {
		return refused("", "%s", place.Reason(err))
	}
	if f.Found == nil {
		if c.addresses != "" {
			return unclear("leave out the table of addresses", "nothing is moved, and there are no addresses to write")
		}
		return nil
	}
	var rows [][]string
	if c.addresses != "" {
		if rows, err = follow.Addresses(t.Set, roots); err != nil {
			return refused("", "%s", place.Reason(err))
		}
	}
	if c.fixLinks {
		if err := follow.Fix(t.Set, f.Found); err != nil {
			return err
		}
	}
	if c.addresses != "" {
		return f.writeAddresses(t.Set, rows)
	}
	return nil
}

// slashed is a path of a place, as a path of this disk with slashes.
func slashed(place, p string) string {
	if p == "." {
		return filepath.ToSlash(place)
	}
	return strings.TrimSuffix(filepath.ToSlash(place), "/") + "/" + p
}

// writeAddresses adds the table of old and new addresses.
func (f *followed) writeAddresses(set *change.Set, rows [][]string) error {
	f.moved = len(rows) - 1
	data, err := table.Write(f.addresses, rows)
	if err != nil {
		return unclear("name it addresses.csv or addresses.xlsx", "%v", err)
	}
	more, _, err := fileSet([]newFile{{f.addresses, tree.Bytes(data)}})
	if err != nil {
		return refused("", "%s", place.Reason(err))
	}
	set.Join(more)
	return nil
}

// draw says what points at what is moved.
func (f *followed) draw(s *term.Screen) {
	if f == nil || f.Found == nil || len(f.Broken)+len(f.Passed) == 0 && !f.fix && f.addresses == "" {
		return
	}
	texts, paths, links, dead := map[string]bool{}, 0, 0, 0
	for i, b := range f.Broken {
		if b.Becomes == "" {
			dead++
		} else if b.Link() {
			links++
		} else {
			paths++
			texts[b.File] = true
		}
		if i >= f.most {
			continue
		}
		where := fromHere(filepath.FromSlash(b.File))
		if !b.Link() {
			where = fmt.Sprintf("%s:%d", where, b.Line)
		}
		becomes := term.Dim.Render("   leads to what goes")
		if b.Becomes != "" {
			becomes = term.Dim.Render(" → ") + term.Visible(b.Becomes)
		}
		mark := term.Warn.Render("~")
		if f.fix && b.Becomes != "" {
			mark = term.Warn.Render("←")
		}
		s.Line("  ", mark, " ", term.Dim.Render(term.Visible(where)), "   ", term.Visible(b.Says), becomes)
	}
	if n := len(f.Broken) - f.most; n > 0 {
		s.Text(term.Dim.Render(term.Sprintf("… and %s more; %s", term.Number(n), f.all)))
	}
	f.sum(s, paths, len(texts), links, dead)
	if dead > 0 {
		s.Text(term.Warn.Render("note:") + term.Sprintf(" %s to what goes away.", leads(dead)))
	}
	if n := len(f.Passed); n > 0 {
		s.Text(term.Warn.Render("note:") + term.Sprintf(" %s not looked at, such as %s: %s.", term.Count(n, "text")+wasOrWere(n), fromHere(filepath.FromSlash(f.Passed[0].Path)), f.Passed[0].Why))
	}
	if f.addresses != "" {
		s.Line("  ", term.Good.Render("+"), " ", term.Visible(f.addresses), term.Dim.Italic().Render(term.Sprintf("   old and new addresses, %s", term.Count(f.moved, "row"))))
	}
	s.Line()
}

// sum says how many of paths in so many texts, and of links, would lead nowhere.
func (f *followed) sum(s *term.Screen, paths, texts, links, dead int) {
	var what []string
	if paths > 0 {
		what = append(what, fmt.Sprintf("%s in %s", term.Count(paths, "path"), term.Count(texts, "text")))
	}
	if links > 0 {
		what = append(what, string(term.Count(links, "link")))
	}
	looked := string(term.Count(f.Texts, "text"))
	if f.Links > 0 {
		looked += " and " + string(term.Count(f.Links, "link"))
	}
	looked += " looked at"
	if others := endings(f.Others); others != "" {
		looked += ", and not " + others
	}
	switch broken := strings.Join(what, " and "); {
	case broken != "" && f.fix:
		s.Text(term.Sprintf("%s would lead nowhere, and %s changed as well (of %s).", broken, map[bool]string{true: "is", false: "are"}[paths+links == 1], looked))
	case broken != "":
		s.Text(term.Warn.Render("note:") + term.Sprintf(" %s would lead nowhere (of %s); %s", broken, looked, f.fixes))
	case f.fix && dead == 0:
		s.Text(term.Sprintf("Nothing would lead nowhere: %s.", looked))
	}
}

// endings says of how many files with some endings.
func endings(count map[string]int) string {
	var list []string
	for _, ending := range slices.Sorted(maps.Keys(count)) {
		list = append(list, fmt.Sprintf("%s %s", term.Number(count[ending]), ending))
	}
	return strings.Join(few(list), ", ")
}

func wasOrWere(n int) term.Shown {
	if n == 1 {
		return " was"
	}
	return " were"
}

func leads(n int) term.Shown {
	if n == 1 {
		return "1 of them leads"
	}
	return term.Sprintf("%s of them lead", term.Number(n))
}

// A brokenJSON is a reference that would lead nowhere.
type brokenJSON struct {
	File    string `json:"file"`
	Line    int    `json:"line,omitempty"` // of a text
	Says    string `json:"says"`
	Becomes string `json:"becomes,omitempty"`
	Fixed   bool   `json:"fixed"`
}

// json describes them all.
func (f *followed) json() []brokenJSON {
	list := []brokenJSON{}
	if f == nil || f.Found == nil {
		return list
	}
	for _, b := range f.Broken {
		list = append(list, brokenJSON{fromHere(filepath.FromSlash(b.File)), b.Line, b.Says, b.Becomes, f.fix && b.Becomes != ""})
	}
	return list
}
