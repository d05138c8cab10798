package cli

import (
	"cmp"
	"errors"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/disk"
	"vestibula/core/journal"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/template"
)

// askPlace asks for a folder; Return alone means here.
func (a *app) askPlace(title string) (string, error) {
	q := &question{title: term.Visible(title), hint: "Return alone: in this folder · ctrl+c stops"}
	_, err := a.answerTo(q)
	return cmp.Or(strings.TrimSpace(q.text), "."), err
}

// whereto asks for the folder to build in where nobody has named one, and offers to make one that is not there.
func (b *buildRun) whereto(args []string) (err error) {
	if b.into == "" && b.interactive() && !b.yes && !b.asJSON {
		if b.into, err = b.askPlace("Where is it to be built?"); err != nil {
			return err
		}
		b.app.call = append(b.app.call, "--into", b.into) // so that the call can be told without the question
	}
	if b.into == "" {
		return unclear("--into . is here", "into which folder? Name it with --into")
	}
	dir := b.into
	if pack, err := b.pack(); err != nil {
		return err
	} else if pack != nil {
		dir = filepath.Dir(b.into)
	}
	if place.Exists(dir) {
		return nil
	}
	if b.again == nil && len(args) > 0 { // nothing is made for what cannot be read
		t, err := b.loadList(args[0])
		if err != nil {
			return err
		}
		values, err := b.app.values(t, args[1:], b.flags.file)
		if err != nil {
			return err
		}
		if lacking := t.Missing(values); len(lacking) > 0 && b.table.file == "" && (!b.interactive() || b.yes || b.asJSON) {
			return missing(t.Name, lacking)
		}
	}
	return b.offerFolder(dir, b.consent)
}

// offerFolder offers to make a folder that is named and not there; with a yes it is made, and said.
func (a *app) offerFolder(at string, c consent) error {
	full, err := filepath.Abs(at)
	if err != nil {
		return nil // it is told where it is needed
	}
	var missing []string
	up := full
	for ; !place.Exists(up) && up != filepath.Dir(up); up = filepath.Dir(up) {
		missing = append(missing, filepath.Base(up))
	}
	if info, err := place.Stat(up); len(missing) == 0 || err != nil || !info.IsDir() {
		return nil
	}
	why := fmt.Sprintf("there is no folder “%s”", at)
	switch {
	case c.preview || c.asJSON && !c.yes || !c.yes && !a.interactive():
		return refused(a.sameCall("it is made with", "--yes").String(), "%s", why)
	case !c.yes && a.agreedTo != full: // a change of answers asks no second time
		yes, err := a.confirm(outline.Capitalised(why) + ": make it?")
		if err != nil {
			return err
		}
		if !yes {
			return refused("name one that is there", "Nothing was changed: %s", why)
		}
		a.agreedTo = full
	}
	base, err := place.Real(up)
	if err != nil {
		return unreadable(up, err)
	}
	slices.Reverse(missing)
	raised, err := disk.Raise(string(base), missing)
	if err != nil {
		return refused("", "the folder %s cannot be made: %s", at, place.Reason(err))
	}
	a.scaffold.Store(&scaffold{raised, base, missing, at})
	return nil
}

// A scaffold is a new folder that something is planned for.
type scaffold struct {
	*disk.Scaffold
	base  address.Address
	names []string // the folders in each other
	shown string   // as it was typed
}

// raise adds the folder that is planned for to a proposal, and removes the one that stood in for it.
func (a *app) raise(p *proposal.Proposal) {
	s := a.scaffold.Load()
	if s == nil || len(p.Set.Changes) == 0 {
		return
	}
	a.scaffold.Store(nil)
	a.note(term.Sprintf("the folder %s is new.", s.shown))
	p.Nest(s.base)
	at := ""
	for _, name := range s.names {
		at = path.Join(at, name)
		p.Set.MakeFolder(change.At{In: p.Set.Place(s.base), Path: at}, "")
	}
	s.Drop()
}

// loadList loads a template. A list that asks for something and has no header is offered one.
func (b *buildRun) loadList(arg string) (*template.Template, error) {
	src, err := b.find(arg)
	if err != nil {
		return nil, err
	}
	t, err := src.parse()
	var errs outline.Errors
	if err == nil || !errors.As(err, &errs) || src.path == "" || strings.HasPrefix(src.text, "---") || !b.interactive() || b.yes || b.asJSON || b.preview {
		if err != nil {
			return nil, b.tellErrors(src.name, src.text, err, statusUnclear)
		}
		return t, nil
	}
	var names []string
	text := src.text
	for _, e := range errs {
		name := strings.Join(strings.Fields(e.Lacks), "-") // the name of a field is one word
		if !outline.IsWord(name) {
			return nil, b.tellErrors(src.name, src.text, err, statusUnclear)
		}
		if !slices.Contains(names, name) {
			names = append(names, name)
			for _, end := range []string{">", ":"} {
				text = strings.ReplaceAll(text, "<"+e.Lacks+end, "<"+name+end)
			}
		}
	}
	yes, askErr := b.confirm(fmt.Sprintf("%s asks for <%s>, and has no header yet that says so: write it?", src.name, strings.Join(names, ">, <")))
	if askErr != nil {
		return nil, askErr
	}
	if !yes {
		return nil, b.tellErrors(src.name, src.text, err, statusUnclear)
	}
	head := "---\nfields:\n"
	for _, name := range names {
		head += fmt.Sprintf("  %s: Which %s?\n", name, strings.ReplaceAll(name, "-", " "))
	}
	at, err := place.Real(src.path)
	if err != nil {
		return nil, unreadable(src.path, err)
	}
	set := change.Rewriting(at, []byte(src.text), []byte(head+"---\n"+text))
	wrote := &task{Proposal: &proposal.Proposal{Set: set, Roots: []journal.Root{{Path: address.Text(at.Name())}}}, draw: func() {},
		undertaking: undertaking{doing: "writing", head: journal.Head{What: "draft", Title: src.name, Project: src.name}}}
	if err := b.app.propose(consent{yes: true}, wrote); err != nil {
		return nil, err
	}
	return b.load(arg)
}
