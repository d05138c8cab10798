package cli

import (
	"fmt"
	"path"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/build"
)

// labels returns the labels of all builds.
func (b *buildRun) labels() ([]*batch.Label, error) {
	all := &batch.Labels{Template: b.t, Now: b.now, Version: b.version, Place: b.place, Fresh: b.fresh}
	if b.archive.name != "" {
		all.Packed, all.Now = true, b.archive.time
	}
	list := make([]*batch.Label, 0, len(b.batch.Builds))
	taken := make(map[string]bool, len(b.batch.Builds))
	for _, r := range b.batch.Builds {
		if taken[r.Folder()] {
			continue // several rows lie side by side in the place itself, which is no project
		}
		l, err := all.Of(r)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path.Join(b.into, r.Folder()), err)
		}
		taken[l.Folder] = true
		if l.Known != nil && l.Known.Template != b.t.Name {
			b.side.Text(term.Warn.Render("note:") + term.Sprintf(" %s is a project of %s already, and keeps that label", path.Join(b.into, l.Folder), l.Known.Template))
			continue
		}
		if err := b.tellChanged(l); err != nil {
			return nil, err
		}
		list = append(list, l)
	}
	return list, nil
}

// tellChanged tells which values of a project the build changes.
func (b *buildRun) tellChanged(l *batch.Label) error {
	changed, err := l.Changed()
	if err != nil {
		return planned(err)
	}
	if len(changed) > 0 {
		told := term.Sprintf(" this changes the project %s: %s.", path.Join(b.into, l.Folder), strings.Join(changed, ", "))
		if b.again == nil {
			told += " Where several builds are meant to meet in one folder, write | project behind the line that is each one's own."
		}
		b.side.Text(term.Warn.Render("note:") + told)
	}
	return nil
}

// fresh reports whether a folder is not there yet.
func (b *buildRun) fresh(folder string) bool {
	if folder == "." {
		return false
	}
	if (build.Vacated{Gone: b.vacated}).Has(folder) {
		return true
	}
	top, _, _ := strings.Cut(folder, "/")
	return b.freshTops()[top]
}

// freshTops are the new folders at the top of what is built.
func (b *buildRun) freshTops() map[string]bool {
	if b.tops == nil {
		b.tops = make(map[string]bool, len(b.batch.Builds))
		for i := range b.plan.Steps {
			if s := &b.plan.Steps[i]; s.Parent < 0 && s.State == build.New {
				b.tops[s.Node.Name] = true
			}
		}
	}
	return b.tops
}
