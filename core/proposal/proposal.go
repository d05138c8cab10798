// Package proposal is what a planner returns: a set of changes, for whom it counts, what each
// step of it is called and why it is done, what of it is only probable, and what is left and
// why. Whoever shows it, asks, and carries it out need not know which planner made it.
//
// It is not how a plan looks, nor how it is written as JSON, and it changes nothing.
package proposal

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/tree"
)

// A Proposal is what a planner returns.
type Proposal struct {
	Set   *change.Set
	Roots []journal.Root // for whom it counts; see [Proposal.Counts]
	Parts []*Part
	Notes []Note
	Back  *Back // instead of a set: what takes a record back; nil for none
	// Archived are the projects that go from a folder to their archive, or come back to it: its
	// list notes them.
	Archived []Archived
}

// A Back is a list that takes a record back. It was held against the disk already, and what
// cannot be taken back is not in it.
type Back struct {
	Record    *journal.Record
	Places    []address.Address
	Identity  [][2]uint64 // of the places, when the list was held against them
	List      []change.Change
	Work      string            // the hidden folder of the run, in each place
	Times     *journal.Times    // of folders, from the record
	Continues []*journal.Record // undos of it that were cut short, and are gone on with
	// Meanwhile are, for each place, names that folders bear which never became whole, by the
	// paths that they were to have.
	Meanwhile []map[string]string
	// Finishes says that the list is what the record did not come to do, and not what takes it
	// back; Lines are the numbers of its changes among those of the record.
	Finishes bool
	Lines    []int
}

// An Archived is a project that goes from a folder, or comes back to it.
type Archived struct {
	Dir     address.Address
	Project *bundle.Away
	Back    bool
}

// A Part is what is done and left in one folder or project.
type Part struct {
	In    address.Address // the folder in which its paths begin; "" where they are told as they are
	Title string          // what stands above it, where that is not the folder
	About string          // what else is said of it behind the title, with what parts it from that
	Inner bool            // it belongs to the part before it
	Most  int             // how many steps are shown; 0 leaves that to who shows them
	Steps []*Step
	Left  []*Left
}

// A Step is one thing that is done.
type Step struct {
	Op       change.Op
	From, To string // slashed paths: from the folder of the part, or absolute ones
	Called   string // what a person is shown instead of the paths, where that says it better
	Becomes  string // the new name of what is called so
	Folder   bool
	Why      string
	Probable bool   // a person has to answer for it by itself
	Agreed   bool   // somebody did
	Refused  bool   // somebody said no
	Group    string // one answer is for all steps of a group; "" for one by itself
	Sized    bool   // the size is known
	Size     int64  // of the files that go, in bytes
	Row      int    // of the table that asks for it
}

// Goes reports whether a step is a part of the set: it is sure, or somebody agreed.
func (s *Step) Goes() bool { return !s.Probable || s.Agreed }

// A Kind is why something is left as it is.
type Kind uint8

// Why things are left.
const (
	Stays   Kind = iota // it cannot be done, or must not
	There               // it is so already
	Several             // it could be done in several ways
	Nowhere             // nothing says what to do with it
	Twice               // another one that holds the same is taken instead
)

// String returns the word for a kind.
func (k Kind) String() string { return [...]string{"stays", "there", "several", "nowhere", "twice"}[k] }

// A Left is something that was asked for and is left as it is.
type Left struct {
	Kind  Kind
	Op    change.Op // what would be done to it, if somebody knew where it goes: Move or Copy; else it is no file to decide about
	Path  string    // as of a step
	Name  string    // what a person is shown instead of the path
	Why   string
	Alike string   // what is said of all that are left for that reason together, where Why has words of its own
	Lacks string   // the field that nothing says, where that is why
	At    int      // in bytes of the name, behind which reading it stopped; 0 where that is not it
	Could []string // where it could go
	Help  string   // what to do, for a person
}

// A Note is something else that a person has to know.
type Note struct {
	Text  string
	Quiet bool // nothing depends on it
}

// Note adds one.
func (p *Proposal) Note(text string) { p.Notes = append(p.Notes, Note{Text: text}) }

// Remark adds one that nothing depends on.
func (p *Proposal) Remark(text string) { p.Notes = append(p.Notes, Note{text, true}) }

// Part adds a part.
func (p *Proposal) Part(in address.Address) *Part {
	p.Parts = append(p.Parts, &Part{In: in})
	return p.Parts[len(p.Parts)-1]
}

// Add adds a step.
func (p *Part) Add(s Step) { p.Steps = append(p.Steps, &s) }

// Leave adds what is left.
func (p *Part) Leave(l Left) { p.Left = append(p.Left, &l) }

// Steps are those of all parts.
func (p *Proposal) Steps() (all []*Step) {
	for _, part := range p.Parts {
		all = append(all, part.Steps...)
	}
	return all
}

// ManyRoots is up to how many things a record names one by one.
const ManyRoots = 20

// Counts notes that the proposal counts for what comes to lie at a path of its set, with the
// identity in its label, if it has one. Of many, the first are noted.
func (p *Proposal) Counts(at change.At, id string) {
	if len(p.Roots) < ManyRoots {
		p.Roots = append(p.Roots, journal.Root{In: at.In, Path: address.Text(at.Path), ID: id})
	}
}

// Of returns what a list of changes does and what it leaves, as one part: of a folder that
// comes or goes as a whole, only the folder, with how many things lie in it. Paths are told
// from the deepest folder that all of them lie in. Places are those of the list, absolute; what
// is left has paths from the folder that [Top] says. Own names the program's own files: they
// stand last, and what becomes of their contents is told where nothing else is done.
func Of(list []change.Change, places []address.Address, left []*Left, own func(path string) bool) *Part {
	whole := map[string]bool{} // folders that come or go
	for i := range list {
		if c := &list[i]; (c.Op == change.Make || c.Op == change.Remove) && c.Kind() == tree.Folder {
			whole[c.Path] = true
		}
	}
	inside := map[string]int{}
	var tops, noted []*change.Change
	for i := range list {
		c := &list[i]
		at := place(c)
		top := at
		for above := path.Dir(top); whole[above]; above = path.Dir(above) {
			top = above
		}
		switch {
		case c.Lift():
		case c.Op == change.Replace && own(c.Path):
			noted = append(noted, c)
		case top == at || c.Op == change.Move && !c.Keeps() && !c.GivesBack():
			tops = append(tops, c)
		default:
			inside[top]++
		}
	}
	if len(tops) == 0 {
		tops = noted // that is all it does
	}
	last := func(c *change.Change) bool { return own(c.Path) || c.Path == "" && own(c.From) }
	top, from := Top(places)
	part := &Part{In: top, Left: left}
	for _, behind := range []bool{false, true} {
		for _, c := range tops {
			if last(c) != behind {
				continue
			}
			s := One(c)
			if s.To != "" {
				s.To = path.Join(from[c.In], s.To)
			}
			if in := c.FromIn; s.From != "" {
				if c.Op != change.Move && c.Op != change.Copy || c.Keeps() {
					in = c.In
				}
				s.From = path.Join(from[in], s.From)
			}
			if n := inside[c.Path]; n > 0 && c.Op != change.Move {
				s.Why = fmt.Sprintf("with the %d things in it", n)
				if n == 1 {
					s.Why = "with the one thing in it"
				}
			}
			part.Add(s)
		}
	}
	part.under()
	return part
}

// Top is the deepest folder that all places are, or lie in, and the slashed paths of the places
// from there.
func Top(places []address.Address) (top address.Address, from []string) {
	slashed := make([]string, len(places))
	for i, p := range places {
		slashed[i] = p.Slashed()
	}
	common := address.Common(slashed)
	if common == "/" || common == "" && len(places) > 1 { // they have nothing in common that would say something
		return "", slashed
	}
	for _, p := range slashed {
		from = append(from, strings.TrimPrefix(strings.TrimPrefix(p, common), "/"))
	}
	return address.Address(filepath.FromSlash(common)), from
}

// place is where a change is told.
func place(c *change.Change) string {
	if c.Keeps() {
		return c.From
	}
	return c.Path
}

// One returns the step that a single change is.
func One(c *change.Change) Step {
	s := Step{Op: c.Op, To: c.Path, Folder: c.Kind() == tree.Folder}
	switch is, becomes := c.Ends(); {
	case c.Keeps():
		s.Op, s.From, s.To, s.Why = change.Remove, c.From, "", "kept"
	case c.GivesBack():
		s.Op = change.Make
	case c.Op == change.Remove:
		s.From, s.To = c.Path, ""
	case c.Op == change.Replace:
		if s.Why = "gets other contents"; c.Kind() == tree.Symlink {
			s.Why = "leads elsewhere"
		}
	case c.Op == change.Copy && c.From != "", c.Op == change.Move:
		s.From, s.To = is, becomes
	}
	return s
}

// under tells the paths of a part from the deepest folder that all of them lie in.
func (p *Part) under() {
	var paths []string
	for _, s := range p.Steps {
		for _, at := range []string{s.From, s.To} {
			if at != "" {
				paths = append(paths, at)
			}
		}
	}
	for _, l := range p.Left {
		paths = append(paths, l.Path)
	}
	top := address.Common(paths)
	if !slices.ContainsFunc(paths, func(p string) bool { return p != top }) {
		top = path.Dir(top) // it is about that folder as a whole
	}
	if top == "." || top == "" || top == "/" {
		return
	}
	p.Title, p.In = "in "+top, p.In.Join(top)
	for _, s := range p.Steps {
		s.From, s.To = below(top, s.From), below(top, s.To)
	}
	for _, l := range p.Left {
		l.Path = below(top, l.Path)
	}
}

func below(top, p string) string {
	if p == top {
		return path.Base(p)
	}
	return strings.TrimPrefix(p, top+"/")
}

// Nest writes what is done below a folder with paths from that folder; see [change.Set.Nest].
func (p *Proposal) Nest(top address.Address) {
	now := p.Set.Nest(top)
	for i := range p.Roots {
		at := now(change.At{In: p.Roots[i].In, Path: string(p.Roots[i].Path)})
		p.Roots[i].In, p.Roots[i].Path = at.In, address.Text(at.Path)
	}
}

// Apart makes one place of those that lie in each other.
func (p *Proposal) Apart() {
	for _, top := range p.Set.Tops() {
		p.Nest(top)
	}
}

// Join adds another proposal, with what it counts for.
func (p *Proposal) Join(other *Proposal) {
	in := p.Set.Join(other.Set)
	for _, root := range other.Roots {
		root.In = in[root.In]
		p.Roots = append(p.Roots, root)
	}
	p.Parts, p.Notes, p.Archived = append(p.Parts, other.Parts...), append(p.Notes, other.Notes...), append(p.Archived, other.Archived...)
}
