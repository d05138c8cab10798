// Package rules judges trees: what a template makes, before it is built, and
// what lies on a disk. Each rule stands in a file of its own and registers
// itself; a rule looks at one folder at a time and reports findings.
package rules

import (
	"cmp"
	"fmt"
	"hash/maphash"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"

	"vestibula/core/outline"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A Severity says how bad a finding is.
type Severity uint8

// The severities.
const (
	Error   Severity = iota // it will not work
	Warning                 // it will mislead
	Advice                  // it could be better
)

// String returns "error", "warning" or "advice".
func (s Severity) String() string { return [...]string{"error", "warning", "advice"}[s] }

// A Finding is what a rule has found.
type Finding struct {
	Rule     string
	Severity Severity
	Line     int    // of the template; 0 where there is none
	Column   int    // 0 means the name of the line
	Width    int    // in characters
	Path     string // in the tree, or empty
	Message  Message
	Help     string // what to do, or empty
	Proof    string // what shows that it is so, on lines of its own; or empty
	Marks    []Mark // the places in the line that it is about, where they are several
	Related  string // another path that it is about, or empty
	Belongs  string // the folder of another project that it belongs in, by its name alone; or empty
	Fix      *Fix   // what fixes it in a real folder; nil where a person is needed
	More     int    // how many findings of the same kind at the same line are left out
}

// A Message is what a finding says, to a person.
type Message struct {
	words string // what it has in common with others: all but what they are about
	text  string
}

// String is the whole of it.
func (m Message) String() string { return m.text }

// say puts what a message is about between its words.
func say(words string, about ...any) Message { return Message{words, fmt.Sprintf(words, about...)} }

// A Mark is a place in a line.
type Mark struct{ Column, Width int }

// A Folder is a place in the tree that is being judged.
type Folder struct {
	Node   *tree.Node
	Parent *Folder // nil at the root
	Depth  int     // of the folder below the root, which has 0
	Real   bool    // it lies on a disk, so that its children have no order of their own
	Bare   bool    // no template says what is meant in it
	Around bool    // it is only the place in which a project lies, and is not judged itself
	Top    bool    // it is the folder from which paths are told
	level  int     // of what lies in it: 1 in the project's own folder, 0 above
	length int     // of its path in the measure of the rule path-length
	lines  []int   // of the template, by what nodes are known by
}

// line returns the number of the line that a node comes from, or 0.
func (f *Folder) line(n *tree.Node) int {
	if n.From < 1 || int(n.From) > len(f.lines) {
		return 0
	}
	return f.lines[n.From-1]
}

// Path returns the path of the folder, or of one of its children, from the root.
func (f *Folder) Path(child *tree.Node) string {
	var names []string
	if child != nil {
		names = append(names, child.Name)
	}
	for ; f.Parent != nil && !f.Top; f = f.Parent {
		names = append(names, f.Node.Name)
	}
	slices.Reverse(names)
	return strings.Join(names, "/")
}

// up returns the folder's node, or that of a folder which it lies in, so many above it; nil where
// there are no more.
func (f *Folder) up(levels int) *tree.Node {
	for ; levels > 0 && f != nil; levels-- {
		f = f.Parent
	}
	if f == nil {
		return nil
	}
	return f.Node
}

// finding begins a finding about a child of the folder.
func (f *Folder) finding(rule string, severity Severity, child *tree.Node) Finding {
	return Finding{Rule: rule, Severity: severity, Line: f.line(child), Path: f.Path(child)}
}

// A check holds one rule with its setting against a tree.
type check struct {
	// around says that the rule looks at more than the names in a folder: at
	// its own name, its depth, its path or at other folders.
	around bool
	folder func(f *Folder, report func(Finding)) // is called for each folder
	finish func(report func(Finding))            // is called at the end; may be nil
	// real is called once, with a real folder; of rules that are about nothing else,
	// the others are nil.
	real func(r *Real, report func(Finding))
	// things says that real tells how the folder matches a template, and nothing else.
	things bool
}

// A rule is one thing that can be held against a tree.
type rule struct {
	name  string
	about string // one sentence: what must hold
	why   string // why it matters
	set   string // settings, as they are written
	bad   string // a tree that breaks the rule
	good  string // and one that keeps it; of a rule about real folders, a template that bad breaks
	real  bool   // it is about real folders alone
	thing bool   // and about how they match a template
	// schema is the JSON Schema of the setting.
	schema any
	// standard is the setting where a template has none; "" means that the rule
	// is off until it is asked for. With a setting of the template's own, what
	// breaks the rule is an error, else a warning.
	standard string
	// configure reads a setting. The error is a clause that can stand behind the
	// name of the rule.
	configure func(c *context) (check, error)
}

// A context is what a rule is configured with.
type context struct {
	setting  *template.Node
	severity Severity
	given    bool                      // the setting stands in the template
	template *template.Template        // nil where there is none
	others   map[string]*template.Node // the settings of the template, by the names of the rules
}

// all are the rules, by their names. They are made when the first is asked for: many commands
// ask for none.
var all = sync.OnceValue(func() map[string]*rule {
	known := map[string]*rule{}
	for _, list := range [][]*rule{
		branchRules(), depthRules(), diskRules(), endRules(), levelRules(), nameLengthRules(), nameStyleRules(), numberingRules(), pathLengthRules(), placeRules(), sortingRules(), systemRules(), thingRules(), unseenRules(), vagueRules(), widthRules(),
	} {
		for _, r := range list {
			known[r.name] = r
		}
	}
	return known
})

// Names returns the names of the rules that can be set.
func Names() []string { return slices.Sorted(maps.Keys(all())) }

// An active rule is one that is on, with its setting.
type active struct {
	name    string
	check   check
	setting template.Setting // its Pos is zero where the template has none
	wanted  bool             // the template sets it, or somebody asked for it
}

// A Set is a row of rules with their settings. It must not be shared between
// goroutines.
type Set struct {
	rules    []active
	template *template.Template
	own      *tree.Node // the project's own folder in the tree that is judged
	lines    []int      // of the template, by what nodes are known by

	// Projects of one template hold the same folders again and again. Rules that
	// look only at the names in a folder need to see each row of names once, if
	// they found nothing there; this remembers which.
	seed  maphash.Seed
	clean map[uint64]bool

	levels []*Folder // one for each level of a walk, to be used again
	names  *Set      // of the rules about names alone
}

// maxClean is how many rows of names are remembered at the most.
const maxClean = 1 << 16

// Names returns the names of the rules that are on.
func (s *Set) Names() []string {
	names := make([]string, len(s.rules))
	for i, r := range s.rules {
		names[i] = r.name
	}
	return names
}

// Select returns the set with only the rules for which keep is true.
func (s *Set) Select(keep func(rule string) bool) *Set {
	out := &Set{lines: s.lines, template: s.template}
	for _, r := range s.rules {
		if keep(r.name) {
			out.rules = append(out.rules, r)
		}
	}
	return out
}

// Configure makes the rules for the settings of a template. Rules without a
// setting hold with their standard, if they have one. The errors have
// places in the template; rules that contradict each other are among them. Rules that were
// asked for by name hold also where they are off until they are set.
func Configure(t *template.Template, asked ...string) (*Set, outline.Errors) {
	var errs outline.Errors
	fail := func(at outline.Pos, width int, message, help string) {
		errs = append(errs, &outline.Error{Pos: at, Width: max(width, 1), Message: message, Help: help})
	}
	set := &Set{template: t, rules: []active{{name: "same-name", check: check{folder: sameName}}}}
	for _, l := range t.Lines {
		set.lines = append(set.lines, l.Syntax.Number)
	}
	own := map[string]template.Setting{}
	for _, s := range t.Rules {
		if all()[s.Name] == nil {
			fail(s.Pos, s.Width, fmt.Sprintf("there is no rule \"%s\"", s.Name), outline.Meant(s.Name, Names(), "the rules are "+strings.Join(Names(), ", ")))
		}
		own[s.Name] = s
	}
	settings := map[string]*template.Node{}
	for name, s := range own {
		settings[name] = s.Value
	}
	for _, name := range Names() {
		r := all()[name]
		s, given := own[name]
		c := &context{setting: s.Value, severity: Error, given: given, template: t, others: settings}
		switch {
		case given && s.Off():
			continue
		case !given && r.standard == "" && !slices.Contains(asked, name):
			continue
		case !given:
			c.setting, _ = template.ParseYAML(cmp.Or(r.standard, "warn"), 1)
			c.severity = Warning
		}
		made, err := r.configure(c)
		if err != nil {
			fail(s.Pos, s.Width, fmt.Sprintf("`%s` %s", name, err), "for example "+strings.SplitN(r.set, "\n", 2)[0])
			continue
		}
		set.rules = append(set.rules, active{name, made, s, given || slices.Contains(asked, name)})
	}
	return set, append(errs, contradictions(own)...)
}

// Check holds the rules against the tree of a template. Findings of one rule at
// one line are told once, with how many there are. The worst come first, then
// those of earlier lines.
func (s *Set) Check(root *tree.Node) []Finding {
	var found []Finding
	s.own = root
	if s.template != nil {
		_, s.own = s.template.Own(root)
	}
	s.walk(&Folder{Node: root, lines: s.lines}, func(f Finding) { found = append(found, f) })
	return merge(found)
}

func (s *Set) walk(root *Folder, report func(Finding)) {
	if len(s.clean) == 0 || len(s.clean) > maxClean {
		s.seed, s.clean = maphash.MakeSeed(), map[uint64]bool{}
	}
	seed, clean := s.seed, s.clean
	found := false
	note := func(finding Finding) {
		found = true
		report(finding)
	}
	var walk func(f *Folder, level int)
	walk = func(f *Folder, level int) {
		switch {
		case f.Node == s.own:
			f.level = 1
		case f.Parent != nil && f.Parent.level > 0:
			f.level = f.Parent.level + 1
		}
		known, fine := uint64(0), true
		if len(f.Node.Children) > 0 {
			known = fingerprint(seed, f.Node)
			fine = clean[known]
		}
		found = false
		for i := range s.rules {
			switch c := &s.rules[i].check; {
			case c.folder == nil:
			case c.around:
				c.folder(f, report)
			case !fine:
				c.folder(f, note)
			}
		}
		if !fine && !found {
			clean[known] = true
		}
		if level == len(s.levels) {
			s.levels = append(s.levels, &Folder{})
		}
		below := s.levels[level]
		for _, n := range f.Node.Children {
			if n.Kind == tree.Folder {
				*below = Folder{Node: n, Parent: f, Depth: f.Depth + 1, Real: f.Real, Bare: f.Bare, lines: f.lines}
				walk(below, level+1)
			}
		}
	}
	walk(root, 0)
	for i := range s.rules {
		if s.rules[i].check.finish != nil {
			s.rules[i].check.finish(report)
		}
	}
}

// fingerprint is equal for folders at one line of the template that hold the
// same names from the same lines.
func fingerprint(seed maphash.Seed, n *tree.Node) uint64 {
	var h maphash.Hash
	h.SetSeed(seed)
	number := func(x int32) {
		h.WriteByte(byte(x))
		h.WriteByte(byte(x >> 8))
		h.WriteByte(byte(x >> 16))
	}
	number(n.From)
	for _, c := range n.Children {
		h.WriteString(c.Name)
		h.WriteByte(0)
		h.WriteByte(byte(c.Kind))
		h.WriteByte(byte(c.Marks))
		h.WriteByte(byte(c.Marks >> 8))
		number(c.From)
	}
	return h.Sum64() | 1
}

// A kind is what findings have in common that say the same of several names.
type kind struct {
	rule         string
	line, column int
	words        string
}

// Kind is equal for findings that say the same of several names.
func (f *Finding) Kind() any { return f.kind() }

func (f *Finding) kind() kind {
	return kind{f.Rule, f.Line, f.Column, f.Message.words}
}

// merge tells findings of one kind once, with how many there are, and sorts
// them: the worst first, then by their place.
func merge(found []Finding) []Finding {
	at := map[kind]int{}
	var out []Finding
	for _, f := range found {
		k := f.kind()
		if i, again := at[k]; again && f.Line > 0 {
			out[i].More++
			continue
		}
		at[k] = len(out)
		out = append(out, f)
	}
	sortFindings(out)
	return out
}

// Combine puts the findings of several trees of one template together: what is
// found in more than one is told once.
func Combine(lists ...[]Finding) []Finding {
	seen := map[kind]bool{}
	var out []Finding
	for _, list := range lists {
		here := map[kind]bool{}
		for _, f := range list {
			if k := f.kind(); !seen[k] {
				here[k] = true
				out = append(out, f)
			}
		}
		maps.Copy(seen, here)
	}
	sortFindings(out)
	return out
}

func sortFindings(list []Finding) {
	slices.SortStableFunc(list, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.Severity, b.Severity), cmp.Compare(a.Line, b.Line))
	})
}

// wholeSchema is the JSON Schema of a setting that whole reads.
var wholeSchema = map[string]any{"type": "integer", "minimum": 1, "maximum": 1_000_000}

// whole reads a setting that is one whole number from 1 on.
func whole(n *template.Node) (int, error) {
	v, err := strconv.Atoi(n.Text)
	if n.Kind != template.Scalar || err != nil || v < 1 || v > 1_000_000 {
		return 0, fmt.Errorf("needs a whole number from 1 on, or off")
	}
	return v, nil
}

// warnSchema is the JSON Schema of a setting that warn reads.
var warnSchema = map[string]any{"enum": []any{"warn", "on", "error", "yes", true}}

// warn reads a setting that only turns the rule on: `warn`, `on` or `error`.
func warn(n *template.Node) (Severity, error) {
	if n.Kind == template.Scalar {
		switch n.Text {
		case "warn":
			return Warning, nil
		case "on", "error":
			return Error, nil
		}
	}
	return 0, fmt.Errorf("needs warn, on or off")
}

// text reads a setting that is a name.
func text(n *template.Node) (string, error) {
	s := strings.TrimSpace(n.Text)
	if n.Kind != template.Scalar || s == "" {
		return "", fmt.Errorf("needs a name, or off")
	}
	return s, nil
}
