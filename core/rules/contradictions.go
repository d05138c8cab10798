package rules

import (
	"fmt"
	"iter"
	"slices"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// deeper are the levels that are named and that a tree of so many folders has not, each with
// that number.
func deeper(levels, depth *template.Node) iter.Seq2[int, int] {
	return func(yield func(n, limit int) bool) {
		limit, err := whole(depth)
		if err != nil {
			return
		}
		for _, p := range levels.Pairs {
			if n, err := whole(&template.Node{Text: p.Key}); err == nil && n > limit+1 && !yield(n, limit) {
				return
			}
		}
	}
}

// contradictions finds settings that no tree can keep together. They are told
// at the setting, once, instead of at each folder.
func contradictions(own map[string]template.Setting) outline.Errors {
	var errs outline.Errors
	on := func(name string) (*template.Node, bool) {
		s, ok := own[name]
		return s.Value, ok && !s.Off()
	}
	fail := func(rule, other, message, help string) {
		s := own[rule]
		errs = append(errs, &outline.Error{Pos: s.Pos, Width: s.Width, Message: fmt.Sprintf("`%s` and `%s` contradict each other: %s", rule, other, message), Help: help})
	}
	numbering, numbered := on("numbering")
	setting, err := numberingSetting{}, error(nil)
	if numbered {
		setting, err = readNumbering(numbering)
		numbered = err == nil
	}
	for _, rule := range []string{"first", "last", "catch-all"} {
		node, ok := on(rule)
		if !ok || node.Kind != template.Scalar {
			continue
		}
		name := &tree.Node{Name: strings.TrimSpace(node.Text)}
		if n, has := naming.NumberIn(name.Name); numbered && has && n.Front == "" {
			if owner, kept := setting.reserved[n.Value]; kept && !strings.EqualFold(tree.Bare(name), owner) {
				fail(rule, "numbering", fmt.Sprintf("the number %d is reserved for %s", n.Value, shown(owner)), "let both name the same folder")
			}
			if setting.digits > 0 && len(n.Digits) != setting.digits {
				fail(rule, "numbering", fmt.Sprintf("%s has %d digits, and numbers are to have %d", shown(name.Name), len(n.Digits), setting.digits), "")
			}
		}
		if style, ok := on("name-style"); ok {
			if folders, _, err := styles(style); err == nil && folders != "" && !pattern.Looks(tree.Bare(name), folders) {
				fail(rule, "name-style", fmt.Sprintf("%s is not written %s", shown(name.Name), folders), "write "+restyled(name, folders))
			}
		}
		if vague, ok := on("vague-names"); ok && vague.Kind == template.Sequence && slices.ContainsFunc(vague.Texts(), func(w string) bool { return strings.EqualFold(w, tree.Bare(name)) }) {
			fail(rule, "vague-names", fmt.Sprintf("%s is on the list of names that say nothing", shown(name.Name)), "take it off the list")
		}
	}
	if first, ok := on("first"); ok {
		if last, both := on("last"); both && strings.EqualFold(first.Text, last.Text) {
			fail("first", "last", "no folder can be both", "name another one in one of them")
		}
	}
	if depth, ok := on("depth"); ok {
		if levels, ok := on("levels"); ok {
			for n, limit := range deeper(levels, depth) {
				fail("levels", "depth", fmt.Sprintf("level %d is deeper than %d folders", n, limit), fmt.Sprintf("write `depth: %d`, or leave the level out", n-1))
			}
		}
	}
	if numbered && setting.digits > 0 {
		for number, owner := range setting.reserved {
			if len(fmt.Sprint(number)) > setting.digits {
				fail("numbering", "numbering", fmt.Sprintf("%d, reserved for %s, does not fit into %d digits", number, shown(owner), setting.digits), "")
			}
		}
	}
	return errs
}
