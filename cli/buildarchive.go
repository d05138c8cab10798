package cli

import (
	"os"
	"path/filepath"
	"strings"
	"time"

	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/packed"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// An archiving is a build whose folders and files go into one file.
type archiving struct {
	name  string // of the file, in its folder
	dated string // the day that entries bear, as it was given
	time  time.Time
	plan  *build.Plan // of the file itself
	done  func(n int)
}

// standardDay is the day that entries bear if none is named: the same input
// gives the same bytes.
var standardDay = time.Date(2000, 1, 1, 12, 0, 0, 0, time.UTC)

// toArchive reports whether the build goes into an archive, and prepares that.
func (b *buildRun) toArchive() (bool, error) {
	if info, err := os.Stat(b.into); packed.FormatOf(b.into) == packed.None || err == nil && info.IsDir() {
		if b.archive.dated != "" {
			return false, unclear("name one: --into FILE.zip", "--dated goes with an archive")
		}
		return false, nil
	}
	a := &b.archive
	a.name, a.time = filepath.Base(b.into), standardDay
	if a.dated != "" {
		day := value.Type{Kind: value.Date}
		v, err := day.Parse(a.dated, b.now)
		if err != nil {
			return false, unclear("", "--dated %v", err)
		}
		// Noon is on that day nearly everywhere.
		a.time = time.Date(int(v.Year), time.Month(v.Part), int(v.Day), 12, 0, 0, 0, time.UTC)
	}
	return true, nil
}

// compareArchive makes the plan of the file that the archive will be.
func (b *buildRun) compareArchive(labels []*batch.Label) error {
	a := &b.archive
	root := b.tree.Root
	if len(labels) > 0 {
		at := make(map[string]*batch.Label, len(labels))
		for _, l := range labels {
			at[strings.TrimPrefix(l.Folder, ".")] = l
		}
		root = batch.Labelled(root, at)
	}
	content := &packed.Archive{Root: root, Format: packed.FormatOf(a.name), Time: a.time}
	file := &tree.Node{Name: a.name, Kind: tree.File, Content: content}
	var err error
	if a.plan, err = build.Compare(&tree.Node{Children: []*tree.Node{file}}, b.place); err != nil {
		return refused("nothing was changed", "%v", err)
	}
	switch s := a.plan.Steps[0]; s.State {
	case build.Blocked:
		return refused("", "Nothing was built: %s: %s", b.into, s.Why)
	case build.Kept:
		return refused("name another file, or move that one away", "Nothing was built: %s is there already, and holds something else.", b.into)
	}
	content.Done = func(n int) {
		if a.done != nil {
			a.done(n)
		}
	}
	return nil
}
