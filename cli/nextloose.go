package cli

import (
	"path/filepath"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/next"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/value"
)

// loose carries a folder forward that no template made.
func (r *nextRun) loose(words []string, raw map[string]template.Raw) error {
	if len(words) > 0 {
		return unclear("", "--from names the folder, and there is nothing else to name: \"%s\"", words[0])
	}
	if r.by == "" || r.convention == "" {
		return unclear(examplesOf("next"), "by which convention are its names read?")
	}
	t, err := r.load(r.by)
	if err != nil {
		return err
	}
	conv, err := convention(t, r.convention)
	if err != nil {
		return err
	}
	from, err := place.Real(r.from)
	if err != nil {
		return unclear("", "there is no folder \"%s\"", r.from)
	}
	root, unread, err := inspect.Everything(from, nil)
	if err != nil {
		return unreadable(r.from, err)
	}
	if len(unread) > 0 {
		return refused("", "%s cannot be read, and would not come along", unread[0].Path)
	}
	f, was, err := next.Common(conv, root)
	if err != nil {
		return unclear("", "%v", err)
	}
	set := &change.Set{Places: []address.Address{from.Parent()}}
	is := was
	for n := range r.count {
		if given, named := raw[f.Name]; named && n == 0 {
			if is, err = f.Parse(given, r.now); err != nil {
				return unclear("", "%s %v", f.Name, err)
			}
		} else {
			next, ok := is.Shift(1, &f.Type)
			if !ok {
				return refused("", "there is no %s after %s", f.Type.Kind, is)
			}
			is = next
		}
		into, err := r.looseInto(string(from), conv, f, was, is)
		if err != nil {
			return err
		}
		steps, odd := next.Loose(conv, t, root, next.Turn{Field: f.Name, Was: was, Is: is})
		turn := &next.Forward{Plan: &next.Plan{Steps: steps, Own: fromHere(into), Unread: odd}}
		begun, err := turn.Copied(set, from, address.Address(into))
		if err != nil {
			return planned(err)
		}
		r.begun += begun
		r.turns = append(r.turns, turn)
	}
	r.proposal = &proposal.Proposal{Set: set, Roots: []journal.Root{{Path: "."}}}
	return r.carryForward(r.from, journal.Head{What: "new period", Title: from.Name(), Project: r.title()})
}

// looseInto is the new folder: the one that was named, or one called as the old one with
// the new period in its name.
func (r *nextRun) looseInto(from string, conv *template.Convention, f *template.Field, was, is value.Value) (string, error) {
	if r.into != "" {
		if r.count > 1 {
			return "", unclear("leave --into out: the names of the new folders come from the old one", "--into names one folder, and --count %d makes several", r.count)
		}
		into, err := filepath.Abs(r.into)
		if err != nil {
			return "", unclear("", "%v", err)
		}
		up, err := place.Real(filepath.Dir(into))
		if err != nil {
			return "", unclear("make it first", "there is no folder \"%s\"", filepath.Dir(r.into))
		}
		return string(up.Join(filepath.Base(into))), nil
	}
	name := filepath.Base(from)
	for _, show := range []func(v value.Value) string{func(v value.Value) string { return v.String() }, func(v value.Value) string {
		text, _ := conv.Pattern.TextOf(f.Name, v, false)
		return text
	}} {
		if text := show(was); text != "" && strings.Contains(name, text) {
			return filepath.Join(filepath.Dir(from), strings.Replace(name, text, show(is), 1)), nil
		}
	}
	return "", unclear("name the new folder with --into", "the name of %s does not show the %s %s", filepath.Base(from), f.Type.Kind, was)
}
