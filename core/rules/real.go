package rules

import (
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/change"
	"vestibula/core/match"
	"vestibula/core/tree"
)

// A Real is a real folder that is judged.
type Real struct {
	Root *tree.Node
	// Way are the names of the folders on the way to it from where its template was
	// built, and its own: of a project; there are none of a folder in which several
	// things lie.
	Way    []string
	Wanted string         // what its name would be by its values, where that is another one
	Unread string         // the pattern by which its name cannot be read, where no label says its values
	Things []*match.Thing // what a match to its template found
	// Settled are those that belong somewhere by more than the match, with the folders that are
	// made for them.
	Settled map[*match.Thing][]change.Change
	Disk    Disk              // nil where names are all that there is, as in an archive
	Given   map[string]string // the checksums of files that the project was given, by their paths
	Now     time.Time
	Bare    bool // no template says what is meant
}

// A Disk answers what the names in a real folder do not: paths are from that folder.
type Disk interface {
	Look(path string) (tree.Entry, error)
	Open(path string) (io.ReadCloser, error)
	// Leads reports whether a link leads to something.
	Leads(path string) bool
}

// A Fix is what fixes a finding in a real folder.
type Fix struct {
	Sure  bool // it follows from what is known; else it is probable
	thing *match.Thing
	kind  tree.Kind
	from  string // what gets another name, where there is no thing
	name  string // that name
	// Settled says that the thing goes to a path of the disk as it is now, and needs are the
	// folders that are made for it there.
	settled bool
	needs   []change.Change
	into    string // the folder that it comes to lie in; "" where it stays in its own
}

// CheckReal holds the rules against a real folder. The findings are in the order of
// their paths.
func (s *Set) CheckReal(r *Real) []Finding {
	var found []Finding
	report := func(f Finding) {
		f.Line = 0
		found = append(found, f)
	}
	if r.Wanted != "" && slices.Contains(s.Names(), "misnamed") {
		report(Finding{Rule: "misnamed", Severity: Warning, Path: ".", Message: say("the project's own folder is called %s; by its values it would be %s", shown(r.Way[len(r.Way)-1]), shown(r.Wanted)),
			Help: "if that is meant, it can be accepted; if a value is another one now, give the project that one; else give the folder that name"})
	}
	if r.Unread != "" && slices.Contains(s.Names(), "misnamed") {
		report(Finding{Rule: "misnamed", Severity: Warning, Path: ".", Message: say("the folder's own name, %s, cannot be read as %s", shown(r.Way[len(r.Way)-1]), shown(r.Unread)),
			Help: "names of any shape are read when it is taken over as a project"})
	}
	for i := range s.rules {
		if s.rules[i].check.real != nil {
			s.rules[i].check.real(r, report)
		}
	}
	s.own = r.Root
	top := &Folder{Node: r.Root, Real: true, Bare: r.Bare, Top: true, lines: s.lines}
	for i := len(r.Way) - 1; i >= 0; i-- {
		top.Depth++
	}
	at := top
	for i := len(r.Way) - 1; i >= 0; i-- {
		n := at.Node
		if n.Name == "" {
			n.Name = r.Way[i]
		}
		at.Parent = &Folder{Node: &tree.Node{Children: []*tree.Node{n}}, Real: true, Around: true, Depth: i, lines: s.lines}
		at = at.Parent
	}
	if len(r.Way) > 0 {
		// What is asked of a folder by the one that it lies in is asked of this one.
		s.alone(top.Parent, report)
	}
	s.walk(top, report)
	found = slices.DeleteFunc(found, func(f Finding) bool { return !r.Bare && s.leaves(f, r.Root) })
	// What does not belong where it lies needs no better name there.
	told := map[string]bool{}
	for i := range found {
		if found[i].Rule != "vague-names" {
			told[found[i].Path] = true
		}
	}
	found = slices.DeleteFunc(found, func(f Finding) bool { return f.Rule == "vague-names" && told[f.Path] })
	slices.SortStableFunc(found, func(a, b Finding) int { return strings.Compare(a.Path, b.Path) })
	return found
}

// leaves reports whether a finding is about what the template leaves to its owner, by a rule that
// nobody asked for.
func (s *Set) leaves(f Finding, root *tree.Node) bool {
	if !slices.Contains([]string{"vague-names", "sorting", "depth", "width"}, f.Rule) {
		return false
	}
	for i := range s.rules {
		if s.rules[i].name == f.Rule && s.rules[i].wanted {
			return false
		}
	}
	if f.Path == "." || f.Path == "" {
		return false
	}
	n := root
	for name := range strings.SplitSeq(f.Path, "/") {
		if n = n.Child(name); n == nil {
			return false
		}
		if n.From == 0 {
			return true // no line names it
		}
	}
	return f.Rule == "width" && int(n.From) <= len(s.template.Lines) && len(s.template.Lines[n.From-1].Inside()) == 0
}

// alone holds the rules against a folder, and not against those in it.
func (s *Set) alone(f *Folder, report func(Finding)) {
	for i := range s.rules {
		if c := &s.rules[i].check; c.folder != nil {
			c.folder(f, func(finding Finding) {
				finding.Path = "."
				report(finding)
			})
		}
	}
}

// afterwards returns where folders are when those around them have been renamed.
func afterwards(things map[*match.Thing]bool, taken func(*match.Thing) bool) func(dir string) string {
	type renamed struct{ from, to string }
	var folders []renamed
	for t := range things {
		if t.Kind == match.Misnamed && t.Node.Kind == tree.Folder {
			folders = append(folders, renamed{t.Path, t.Target(taken)})
		}
	}
	slices.SortFunc(folders, func(a, b renamed) int { return len(b.from) - len(a.from) })
	return func(dir string) string {
		for _, r := range folders {
			if dir == r.from || strings.HasPrefix(dir, r.from+"/") {
				return r.to + dir[len(r.from):]
			}
		}
		return dir
	}
}

// Plan returns the changes that fix findings, and of those the places: paths are
// from the folder that was judged. Chosen says which fixes are carried out.
func Plan(findings []Finding, chosen func(*Finding) bool) (changes []change.Change, fixed []*Finding) {
	things := map[*match.Thing]bool{}
	for i := range findings {
		if f := &findings[i]; f.Fix != nil && f.Fix.thing != nil && chosen(f) {
			things[f.Fix.thing] = true
		}
	}
	taken := func(t *match.Thing) bool { return things[t] }
	after := afterwards(things, taken)
	made, gone := map[string]bool{}, map[string]bool{}
	add := func(f *Finding, c change.Change) {
		if made[c.Path] || c.From != "" && gone[c.From] || c.Op == change.Move && c.Path == c.From {
			return
		}
		made[c.Path], gone[c.From] = true, true
		c.Why, c.Probable = f.Message.String(), !f.Fix.Sure
		changes, fixed = append(changes, c), append(fixed, f)
	}
	// Where a thing belongs goes before a better name for it where it lies.
	order := make([]*Finding, 0, len(findings))
	for _, placed := range []bool{true, false} {
		for i := range findings {
			if f := &findings[i]; f.Fix != nil && (f.Fix.thing != nil) == placed && chosen(f) {
				order = append(order, f)
			}
		}
	}
	for _, f := range order {
		t := f.Fix.thing
		switch {
		case t == nil:
			add(f, change.Change{Op: change.Move, From: f.Fix.from, Path: path.Join(after(f.Fix.dir()), f.Fix.name), Was: change.State{Entry: tree.Entry{Kind: f.Fix.kind}}})
		case t.Kind == match.Missing:
			add(f, change.Change{Op: change.Make, Path: t.Target(taken), Node: t.Node.Built()})
		default:
			for _, c := range f.Fix.needs {
				c.Path, c.Node = path.Join(after(path.Dir(c.Path)), path.Base(c.Path)), c.Node.Copy()
				if i := slices.IndexFunc(changes, func(o change.Change) bool { return o.Op == change.Make && o.Path == c.Path }); i >= 0 {
					join(changes[i].Node, c.Node)
				} else {
					changes = append(changes, c)
				}
			}
			kind := t.Node.Kind
			if t.Node.Marks&tree.Either != 0 {
				kind = tree.File
			}
			to := t.Target(taken)
			if f.Fix.settled {
				to = path.Join(after(path.Dir(to)), path.Base(to))
			}
			add(f, change.Change{Op: change.Move, From: t.Path, Path: to, Was: change.State{Entry: tree.Entry{Kind: kind}}})
		}
	}
	return changes, fixed
}

// join adds to a folder that is made what another one has besides.
func join(to, more *tree.Node) {
	for _, c := range more.Children {
		if there := to.Child(c.Name); there != nil {
			join(there, c)
		} else {
			to.Children = append(to.Children, c)
		}
	}
}

// dir is the folder that what gets another name comes to lie in; "" for the own folder.
func (f *Fix) dir() string {
	if f.into != "" {
		return f.into
	}
	dir, _ := path.Split(f.from)
	return strings.TrimSuffix(dir, "/")
}

// To is the path at which the fix brings about, when it is the only one.
func (f *Fix) To() string {
	if f.thing == nil {
		return path.Join(f.dir(), f.name)
	}
	return f.thing.Final()
}

// Why says in a few words what the fix follows from; of a better name alone, nothing.
func (f *Fix) Why() string {
	switch t := f.thing; {
	case t == nil:
		return ""
	case t.Kind == match.Missing:
		return "missing: a " + t.Node.Kind.String() + whatIsIn(t).text
	case t.Slot != "":
		return fmt.Sprintf("it says %s %s", t.Slot, t.Says)
	default:
		return t.Reason.String()
	}
}

// Node is what the fix makes, or nil.
func (f *Fix) Node() *tree.Node {
	if !f.Makes() {
		return nil
	}
	return f.thing.Node
}

// Makes reports whether the fix makes something, and does not move it.
func (f *Fix) Makes() bool { return f.thing != nil && f.thing.Kind == match.Missing }

// onOff reads a setting of a rule about real folders, `on`, `warn` or `off`.
func onOff(c *context, standard Severity) (Severity, error) {
	if !c.given {
		return standard, nil
	}
	return warn(c.setting)
}

// realRule is a rule that tells the things of one kind.
func realRule(r rule, standard Severity, kind match.Kind, tell func(t *match.Thing) (message Message, help string)) *rule {
	r.real, r.thing, r.schema, r.standard = true, true, warnSchema, "on"
	if standard == Warning {
		r.standard = "warn"
	}
	name := r.name
	r.set = name + ": on\n" + name + ": warn"
	r.configure = func(c *context) (check, error) {
		severity, err := onOff(c, standard)
		return check{things: true, real: func(r *Real, report func(Finding)) {
			for _, t := range r.Things {
				if t.Kind != kind {
					continue
				}
				f := Finding{Rule: name, Severity: severity, Path: t.Path}
				f.Message, f.Help = tell(t)
				if t.Movable() && (t.Kind != match.Missing || t.Sure) {
					f.Fix = &Fix{Sure: t.Sure, thing: t, kind: t.Node.Kind}
					f.Fix.needs, f.Fix.settled = r.Settled[t]
				}
				report(f)
			}
		}}, err
	}
	return &r
}

// folderOf names the folder that something lies in.
func folderOf(p string) string {
	if dir := path.Dir(p); dir != "." {
		return shown(dir)
	}
	return "the project's own folder"
}

// NeedsDisk reports whether a rule asks for more than names.
func NeedsDisk(name string) bool {
	r := all()[name]
	return r != nil && r.real && !r.thing
}

// Held returns the names of the rules that have something to say: of a template where
// real is false, of a real folder where it is true, which may have no template.
func (s *Set) Held(real, template bool) (names []string) {
	for i := range s.rules {
		c := &s.rules[i].check
		if c.folder != nil || c.finish != nil || real && c.real != nil && (template || !c.things) {
			names = append(names, s.rules[i].name)
		}
	}
	return names
}

// nameRules are those that a name has to keep by itself, whatever stands beside it.
var nameRules = []string{"name-length", "name-words", "systems", "unseen", "vague-names"}

// CheckNames returns what is wrong with names that are to be made, wherever they come to lie: all
// those below a folder.
func (s *Set) CheckNames(root *tree.Node) (wrong []Finding) {
	names := s.Select(func(rule string) bool { return rule == "name-style" || slices.Contains(nameRules, rule) })
	for _, f := range names.Check(root) {
		if f.Severity == Error {
			wrong = append(wrong, f)
		}
	}
	return wrong
}

// CheckName holds against the name of a file that is to be made what is asked of names
// alone: their length and words, what systems take, and what nobody sees.
func (s *Set) CheckName(name string) []Finding {
	if s.names == nil {
		s.names = s.Select(func(rule string) bool { return slices.Contains(nameRules, rule) })
	}
	var found []Finding
	f := &Folder{Node: &tree.Node{Children: []*tree.Node{{Name: name, Kind: tree.File, Marks: tree.Conforms}}}, lines: s.lines}
	for i := range s.names.rules {
		if c := &s.names.rules[i].check; c.folder != nil {
			c.folder(f, func(finding Finding) { found = append(found, finding) })
		}
	}
	return merge(found)
}
