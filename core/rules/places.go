package rules

import (
	"slices"
	"strings"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func placeRules() []*rule {
	name := map[string]any{"type": "string", "minLength": 1}
	return []*rule{{
		name:  "catch-all",
		about: "Every folder with subfolders has one of this name, for what fits nowhere else.",
		why:   "What has no place is put down anywhere. One place for it on every level keeps the rest clean.",
		set:   "catch-all: Arrivals",
		bad:   "# catch-all: Arrivals\nCommission\n    Agreement\n    Work",
		good:  "# catch-all: Arrivals\nCommission\n    Arrivals\n    Agreement\n    Work",

		schema: name, configure: catchAll,
	}}
}

func catchAll(c *context) (check, error) {
	want, err := text(c.setting)
	return check{around: true, folder: func(f *Folder, report func(Finding)) {
		if f.Parent == nil && !f.Real || f.Around {
			return
		}
		folders := 0
		for _, n := range f.Node.Children {
			if n.Kind == tree.Folder {
				if alike(n, want) {
					return
				}
				folders++
			}
		}
		if folders == 0 || alike(f.Node, want) {
			return
		}
		finding := Finding{Rule: "catch-all", Severity: c.severity, Line: f.line(f.Node), Path: f.Path(nil)}
		name := f.Node.Name
		if f.Parent == nil {
			name, finding.Path = "this folder", "."
		}
		finding.Message = say("%s has subfolders, but none called %s for what fits nowhere else", shown(name), shown(want))
		finding.Help = f.advice("add it below this line", "make one")
		report(finding)
	}}, err
}

// Places finds places that rules name and that a template does not make: with what may have been
// meant. A place is a name of the outline, without its number.
func Places(t *template.Template) (found []Finding) {
	var nodes []*tree.Node
	var names []string
	for _, l := range t.Lines {
		if l.Kind != tree.Folder {
			continue
		}
		for _, n := range l.Names {
			node := &tree.Node{Name: strings.TrimSpace(strings.ReplaceAll(n.Pattern.Source, "<#>", ""))}
			nodes, names = append(nodes, node), append(names, tree.Bare(node))
		}
	}
	for _, s := range t.Rules {
		places := s.Value
		if s.Name != "waiting" {
			places = nil
			for _, p := range s.Value.Pairs {
				if p.Key == "in" {
					places = p.Value
				}
			}
		}
		if places == nil {
			continue
		}
		made := func(place string, pos outline.Pos) {
			for _, name := range strings.Split(place, "/") {
				if slices.ContainsFunc(nodes, func(n *tree.Node) bool {
					_, is := placeNamed(map[string]bool{name: true}, onWay(n, "."))
					return is
				}) {
					continue
				}
				help := outline.Meant(tree.Bare(&tree.Node{Name: name}), names, "write a name of the outline")
				found = append(found, Finding{Rule: s.Name, Severity: Error, Line: pos.Line, Column: pos.Column, Width: utf8.RuneCountInString(place),
					Message: say("the template makes no folder %s", shown(name)), Help: help})
				return
			}
		}
		for _, p := range places.Pairs {
			made(p.Key, p.KeyPos)
			for _, q := range p.Value.Pairs {
				if q.Key == "then" {
					made(q.Value.Text, q.Value.Pos)
				}
			}
		}
	}
	return found
}
