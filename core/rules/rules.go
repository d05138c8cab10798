// Package rules judges trees: what a template makes, before it is built, and
// what lies on a disk. Each rule stands in a file of its own and registers
// itself; a rule looks at one folder at a time and reports findings.
package rules

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

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
	Line     int // of the template; 0 where there is none
	Column   int // 0 means the name of the line
	Width    int
	Path     string // in the tree, or empty
	Message  string
	Help     string // what to do, or empty
	More     int    // how many findings of the same kind at the same line are left out
}

// A Folder is a place in the tree that is being judged.
type Folder struct {
	Node   *tree.Node
	Parent *Folder // nil at the root
	Depth  int     // of the folder below the root, which has 0
}

// Path returns the path of the folder, or of one of its children, from the root.
func (f *Folder) Path(child *tree.Node) string {
	var names []string
	if child != nil {
		names = append(names, child.Name)
	}
	for ; f.Parent != nil; f = f.Parent {
		names = append(names, f.Node.Name)
	}
	slices.Reverse(names)
	return strings.Join(names, "/")
}

// A check looks at the children of one folder.
type check func(f *Folder, report func(Finding))

// A rule is one thing that can be held against a tree.
type rule struct {
	name   string
	about  string // one sentence, for people
	schema any    // the JSON Schema of its setting
	// standard is the setting where a template has none; "" means that the rule
	// is off until it is asked for. With a setting of the template's own, what
	// breaks the rule is an error, else a warning.
	standard string
	// configure reads a setting. The error is a sentence for the person who
	// wrote it.
	configure func(n *template.Node, severity Severity) (check, error)
}

var all = map[string]*rule{}

func register(r *rule) { all[r.name] = r }

// planned are the rules that the language knows and this version does not yet
// hold; their settings are accepted.
var planned = []string{"loose-files", "name-length", "name-words", "name-style", "path-length", "sorting", "numbering",
	"catch-all", "last", "levels", "vague-names", "single-child", "repeats", "holds"}

// A Set is a row of rules with their settings.
type Set struct {
	Names  []string // of the rules that are on
	checks []check
}

// Configure makes the rules for the settings of a template. Rules without a
// setting hold as the language says. The errors have places in the template.
func Configure(settings []template.Setting) (*Set, outline.Errors) {
	var errs outline.Errors
	set := &Set{Names: []string{"same-name"}, checks: []check{sameName}}
	own := map[string]template.Setting{}
	known := slices.Concat(slices.Sorted(mapsKeys(all)), planned)
	for _, s := range settings {
		if all[s.Name] == nil && !slices.Contains(planned, s.Name) {
			help := "the rules are " + strings.Join(known, ", ")
			if near := outline.Nearest(s.Name, known); near != "" {
				help = fmt.Sprintf("did you mean `%s`?", near)
			}
			errs = append(errs, &outline.Error{Pos: s.Pos, Width: s.Width, Message: fmt.Sprintf("there is no rule %q", s.Name), Help: help})
		}
		own[s.Name] = s
	}
	for _, name := range slices.Sorted(mapsKeys(all)) {
		r := all[name]
		s, given := own[name]
		node, severity := s.Value, Error
		switch {
		case given && node.Kind == template.Scalar && node.Text == "off":
			continue
		case !given && (len(settings) > 0 && name != "systems" || r.standard == ""):
			// Whoever sets rules means these, and names must be possible anyway.
			continue
		case !given:
			node, _ = template.ParseYAML(r.standard, 1)
			severity = Warning
		}
		c, err := r.configure(node, severity)
		if err != nil {
			errs = append(errs, &outline.Error{Pos: node.Pos, Width: 1, Message: fmt.Sprintf("`%s` %s", name, err)})
			continue
		}
		set.Names = append(set.Names, name)
		set.checks = append(set.checks, c)
	}
	return set, errs
}

func mapsKeys(m map[string]*rule) func(func(string) bool) {
	return func(yield func(string) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}

// Check holds the rules against a tree. Findings of one rule and kind at one
// line of a template are told once, with how many there are. The worst come
// first, then those of earlier lines.
func (s *Set) Check(root *tree.Node) []Finding {
	type key struct {
		rule, kind string
		line       int
	}
	seen := map[key]int{}
	var found []Finding
	report := func(f Finding) {
		k := key{f.Rule, f.Help, f.Line}
		if f.Line > 0 {
			if i, again := seen[k]; again {
				found[i].More++
				return
			}
			seen[k] = len(found)
		}
		found = append(found, f)
	}
	var walk func(f *Folder)
	walk = func(f *Folder) {
		for _, c := range s.checks {
			c(f, report)
		}
		for _, n := range f.Node.Children {
			if n.Kind == tree.Folder {
				walk(&Folder{Node: n, Parent: f, Depth: f.Depth + 1})
			}
		}
	}
	walk(&Folder{Node: root})
	slices.SortStableFunc(found, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.Severity, b.Severity), cmp.Compare(a.Line, b.Line))
	})
	return found
}

// wholeSchema is the JSON Schema of a setting that [whole] reads.
var wholeSchema = map[string]any{"type": "integer", "minimum": 1, "maximum": 1_000_000}

// whole reads a setting that is one whole number from 1 on.
func whole(n *template.Node) (int, error) {
	v, err := strconv.Atoi(n.Text)
	if n.Kind != template.Scalar || err != nil || v < 1 || v > 1_000_000 {
		return 0, fmt.Errorf("needs a whole number from 1 on, or off")
	}
	return v, nil
}
