package cli

import (
	"fmt"
	"net/url"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/label"
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
	moved     int // how many rows it has
}

// addMoves adds the flags of commands that move things.
func (c *consent) addMoves(to *cobra.Command) {
	to.Flags().BoolVar(&c.fixLinks, "fix-links", false, "change links, and paths in texts, that would lead nowhere")
	to.Flags().StringVar(&c.addresses, "addresses", "", "write a table of old and new web addresses into a new `FILE`, CSV or XLSX")
}

// follow looks for what points at what a set moves: in roots, and among the files of tops
// themselves. It adds to the set what fixes that, and the table of addresses, where that
// is asked for. Trees hold what lies in roots that have been read already.
func (a *app) follow(set *change.Set, c consent, roots, tops []string, trees map[string]*tree.Node) (*followed, error) {
	f := &followed{fix: c.fixLinks, addresses: c.addresses, fixes: a.sameCall("to change them as well", "--fix-links"), all: a.sameCall("all of them", "--json")}
	moves := movesOf(set)
	if !slices.ContainsFunc(set.Changes, func(c change.Change) bool { return c.Op == change.Move || replaced(&c) }) {
		if c.addresses != "" {
			return nil, unclear("leave out the table of addresses", "nothing is moved, and there are no addresses to write")
		}
		return f, nil
	}
	written := map[string]bool{}
	for i := range set.Changes {
		if ch := &set.Changes[i]; ch.Op == change.Replace || ch.Op == change.Make && ch.Node.Kind != tree.Folder {
			written[slashed(set.Places[ch.In], ch.Path)] = true
		}
	}
	search := &reference.Search{Moves: moves, Roots: slashedAll(roots), Tops: slashedAll(tops), Trees: map[string]*tree.Node{}, Skip: func(file string) bool {
		after, _ := moves.After(file)
		return written[after]
	}}
	for dir, n := range trees {
		search.Trees[filepath.ToSlash(dir)] = n
	}
	var err error
	if f.Found, err = search.Find(); err != nil {
		return nil, refused("", "%s", place.Reason(err))
	}
	if c.fixLinks {
		if err := f.addTo(set, moves); err != nil {
			return nil, err
		}
	}
	if c.addresses != "" {
		if err := f.writeAddresses(set, moves, search.Roots); err != nil {
			return nil, err
		}
	}
	return f, nil
}

// movesOf are the moves of a set, with what is there once instead of twice.
func movesOf(set *change.Set) *reference.Moves {
	return reference.NewMoves(func(moves *reference.Moves) {
		for i := range set.Changes {
			switch c := &set.Changes[i]; {
			case c.Op == change.Move:
				moves.Add(slashed(set.Places[c.FromIn], c.From), slashed(set.Places[c.In], c.Path))
			case replaced(c):
				moves.Add(slashed(set.Places[c.In], c.Path), slashed(set.Places[c.In], c.Instead))
			case c.Op == change.Remove:
				moves.Remove(slashed(set.Places[c.In], c.Path))
			}
		}
	})
}

// replaced reports whether a change takes away what is there a second time.
func replaced(c *change.Change) bool { return c.Op == change.Remove && c.Instead != "" }

func slashed(place, p string) string {
	if p == "." {
		return filepath.ToSlash(place)
	}
	return strings.TrimSuffix(filepath.ToSlash(place), "/") + "/" + p
}

func slashedAll(list []string) (out []string) {
	for _, p := range list {
		out = append(out, filepath.ToSlash(p))
	}
	return out
}

// relabel adds to a set what notes in the labels of projects where things are that it
// moves.
func relabel(set *change.Set) error {
	moves := movesOf(set)
	done := map[string]bool{}
	for _, c := range set.Changes {
		if c.Op != change.Move {
			continue
		}
		at := slashed(set.Places[c.FromIn], c.From)
		for dir := path.Dir(at); !done[dir] && placeHolds(set, dir); dir = path.Dir(dir) {
			done[dir] = true
			old, err := place.ReadFile(filepath.FromSlash(dir+"/"+label.FileName), label.MaxBytes)
			if err != nil {
				continue // there is none, or none that can be read
			}
			l, err := label.Parse(old)
			if err != nil {
				continue
			}
			own, stays := moves.After(dir)
			if !followLabel(l, moves, dir, own) || !stays {
				continue
			}
			if err := addLabel(set, own, old, l); err != nil {
				return err
			}
		}
	}
	return nil
}

// followLabel notes in the label of a project where its given files are after moves, and
// reports whether that is elsewhere. Own is what its own folder becomes.
func followLabel(l *label.Label, moves *reference.Moves, dir, own string) bool {
	return l.Follow(func(at string) (string, bool) {
		to, there := moves.After(dir + "/" + at)
		below, inside := strings.CutPrefix(to, own+"/")
		return below, there && inside
	})
}

// addLabel adds to a set what gives the label in a project's own folder other contents.
func addLabel(set *change.Set, own string, old []byte, l *label.Label) error {
	data, err := l.Encode()
	if err != nil {
		return err
	}
	at, err := set.Find(own + "/" + label.FileName)
	if err != nil {
		return err
	}
	set.Write(at, old, data, "")
	return nil
}

func placeHolds(set *change.Set, dir string) bool {
	return slices.ContainsFunc(set.Places, func(p string) bool {
		p = filepath.ToSlash(p)
		return dir == p || strings.HasPrefix(dir, strings.TrimSuffix(p, "/")+"/")
	})
}

// addTo adds to a set what fixes broken references.
func (f *followed) addTo(set *change.Set, moves *reference.Moves) error {
	done := map[string]bool{}
	for _, b := range f.Broken {
		if done[b.File] || b.Becomes == "" {
			continue
		}
		after, _ := moves.After(b.File)
		to, err := set.Find(after)
		if err != nil {
			return err
		}
		if b.Link() {
			from, err := set.Find(b.File)
			if err != nil {
				return err
			}
			const why = "it leads to what is moved"
			set.Changes = slices.DeleteFunc(set.Changes, func(c change.Change) bool {
				return c.Op == change.Move && c.FromIn == from.In && c.From == from.Path
			})
			set.Remove(from, change.Holds(tree.Symlink, []byte(filepath.FromSlash(b.Says))), why)
			set.MakeLink(to, filepath.FromSlash(b.Becomes), why)
			continue
		}
		if now, becomes, changed := f.Fixed(b.File); changed {
			done[b.File] = true
			set.Write(to, []byte(now), []byte(becomes), "it names what is moved")
		}
	}
	return nil
}

// writeAddresses adds a table of old and new addresses of all files that get others:
// below each root, as a web server has them.
func (f *followed) writeAddresses(set *change.Set, moves *reference.Moves, roots []string) error {
	rows := [][]string{{"old", "new"}}
	for _, root := range roots {
		n, _, err := tree.Read(filepath.FromSlash(root), nil, nil)
		if err != nil {
			return refused("", "%s", place.Reason(err))
		}
		newRoot, _ := moves.After(root)
		for at, file := range n.All() {
			old := root + "/" + at
			after, stays := moves.After(old)
			below, inside := strings.CutPrefix(after, newRoot+"/")
			if file.Kind == tree.Folder || !stays || !inside || below == at {
				continue
			}
			rows = append(rows, []string{webPath(at), webPath(below)})
			if base := strings.ToLower(path.Base(at)); base == "index.html" || base == "index.htm" {
				rows = append(rows, []string{webPath(path.Dir(at)) + "/", webPath(path.Dir(below)) + "/"})
			}
		}
	}
	f.moved = len(rows) - 1
	data, err := table.Write(f.addresses, rows)
	if err != nil {
		return unclear("name it addresses.csv or addresses.xlsx", "%v", err)
	}
	more, _, err := fileSet([]newFile{{f.addresses, tree.Bytes(data)}})
	if err != nil {
		return refused("", "%s", place.Reason(err))
	}
	for _, c := range more.Changes {
		at := more.Places[c.In]
		in := slices.Index(set.Places, at)
		if in < 0 {
			in = len(set.Places)
			set.Places = append(set.Places, at)
		}
		c.In, c.FromIn = in, in
		set.Changes = append(set.Changes, c)
	}
	return nil
}

// webPath is a path as it stands in a web address.
func webPath(p string) string {
	if p == "." {
		return ""
	}
	return (&url.URL{Path: "/" + p}).EscapedPath()
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
		if i >= manyRows {
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
	if n := len(f.Broken) - manyRows; n > 0 {
		s.Text(term.Dim.Render(term.Sprintf("… and %s more; %s", term.Number(n), f.all)))
	}
	var what []string
	if paths > 0 {
		what = append(what, fmt.Sprintf("%s in %s", term.Count(paths, "path"), term.Count(len(texts), "text")))
	}
	if links > 0 {
		what = append(what, string(term.Count(links, "link")))
	}
	looked := string(term.Count(f.Texts, "text"))
	if f.Links > 0 {
		looked += " and " + string(term.Count(f.Links, "link"))
	}
	looked += " looked at"
	switch broken := strings.Join(what, " and "); {
	case broken != "" && f.fix:
		s.Text(term.Sprintf("%s would lead nowhere, and are changed as well (of %s).", broken, looked))
	case broken != "":
		s.Text(term.Warn.Render("note:") + term.Sprintf(" %s would lead nowhere (of %s); %s", broken, looked, f.fixes))
	case f.fix && dead == 0:
		s.Text(term.Sprintf("Nothing would lead nowhere: %s.", looked))
	}
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
