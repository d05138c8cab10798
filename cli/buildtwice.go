package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/inspect"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/upgrade"
)

// maxBeside is how many folders beside a new project are looked at, whether one of them
// is it, under another name.
const maxBeside = 2000

// shownTwice is how many doubles of a project are told.
const shownTwice = 8

// twice refuses a build that would make things which are there under another number,
// name or value: upgrade renames them. What is no longer asked for is told.
func (b *buildRun) twice(labels []*batch.Label) error {
	if b.all || b.archive.name != "" || b.plan.Count[build.New] == 0 {
		return nil
	}
	var told []string
	for _, l := range labels {
		if l.Known == nil {
			if b.table.file == "" {
				told = append(told, b.renamed(l)...)
			}
			continue
		}
		found, err := b.doubles(l)
		if err != nil {
			return err
		}
		told = append(told, found...)
	}
	if len(told) == 0 {
		return nil
	}
	if n := len(told) - shownTwice; n > 0 {
		told = append(told[:shownTwice], fmt.Sprintf("and %s more", term.Number(n)))
	}
	return refused(b.sameCall("to build what is new all the same, and leave the old names", "--add").String(), "Nothing was built:\n%s", severalLines(strings.Join(told, "\n")))
}

// doubles finds what of a project is there under another number, name or value.
func (b *buildRun) doubles(l *batch.Label) (told []string, err error) {
	dir := filepath.Join(b.place.Real, filepath.FromSlash(l.Folder))
	p, err := b.store().Open(dir, l.Known)
	if err != nil {
		return nil, nil // what cannot be read says nothing about doubles
	}
	full, unread, err := b.reading(dir)
	if err != nil {
		return nil, refused("nothing was changed", "%s", place.Reason(err))
	}
	seen, err := inspect.Seen(full, b.t)
	if err != nil {
		return nil, nil // the settings of the template are told elsewhere
	}
	for _, u := range unread {
		b.side.Text(term.Warn.Render("note:") + term.Sprintf(" “%s” cannot be read: whether things are there under other names was not looked at in it", u.Path))
	}
	made := map[string]bool{}
	for i := range b.plan.Steps {
		if b.plan.Steps[i].State == build.New {
			made[b.plan.Path(i)] = true
		}
	}
	plan, err := new(upgrade.Planner).Plan(&upgrade.Job{Project: p, Template: b.t, Values: l.Build.Values, Full: full, Seen: seen, Limit: max(b.flags.limit, template.DefaultLimit), Now: b.now,
		Own: label.Own, Sum: func(at string) (string, error) { return sumAt(b.place, inOwn(l.Folder, at)) }})
	if err != nil {
		return nil, nil
	}
	shown := fromHere(dir)
	for _, s := range plan.Steps {
		switch {
		case s.Op == change.Move && !s.Probable && made[inOwn(l.Folder, s.To)]:
			told = append(told, fmt.Sprintf("“%s” is there and would be “%s”; %s", s.From, s.To, advise("to rename it", "upgrade", typed(shown))))
		case s.Op == change.Remove:
			b.side.Text(term.Warn.Render("note:") + term.Sprintf(" “%s” is no longer asked for; it stays", s.From))
		}
	}
	for _, s := range plan.Stays {
		if s.Unasked {
			b.side.Text(term.Warn.Render("note:") + term.Sprintf(" “%s” is no longer asked for; it stays", s.Path))
		}
	}
	return told, nil
}

// sumAt is the checksum of a file in a place.
func sumAt(p *place.Place, at string) (string, error) {
	f, err := p.Open(at)
	if err != nil {
		return "", err
	}
	defer f.Close()
	return digest.Of(f)
}

func inOwn(folder, below string) string {
	if folder == "." {
		return below
	}
	return folder + "/" + below
}

// renamed finds the project that a build would make beside its own folder, where
// somebody has given it another name.
func (b *buildRun) renamed(l *batch.Label) (told []string) {
	dir := filepath.Join(b.place.Real, filepath.FromSlash(l.Folder))
	entries, err := os.ReadDir(filepath.Dir(dir))
	if err != nil || len(entries) > maxBeside {
		return nil
	}
	next := label.NewBuild(b.t, l.Build.Values, b.now, b.version)
	for _, e := range entries {
		if !e.IsDir() || e.Name() == filepath.Base(dir) {
			continue
		}
		at := filepath.Join(filepath.Dir(dir), e.Name())
		other, _, err := project.ReadLabel(at) // what has no label that can be read says nothing
		if err != nil || other.Template != b.t.Name || !other.SameValues(next) {
			continue
		}
		// The same values, and another name: it was renamed by hand.
		shown := fromHere(at)
		told = append(told, fmt.Sprintf("“%s” is that project already, under another name; %s", e.Name(), advise("to bring it to the template of today", "upgrade", typed(shown))))
	}
	return told
}
