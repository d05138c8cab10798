package cli

import (
	"os"
	"path"
	"path/filepath"
	"slices"
	"time"

	"vestibula/cli/term"
	"vestibula/core/archive"
	"vestibula/core/disk"
	"vestibula/core/plan"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// An archiving is a build whose folders and files go into one file.
type archiving struct {
	name  string // of the file, in its folder
	dated string // the day that entries bear, as it was given
	time  time.Time
	plan  *plan.Plan // of the file itself
	done  func(n int)
}

// standardDay is the day that entries bear if none is named: the same input
// gives the same bytes.
var standardDay = time.Date(2000, 1, 1, 12, 0, 0, 0, time.UTC)

// toArchive reports whether the build goes into an archive, and prepares that.
func (b *buildRun) toArchive() (bool, error) {
	if info, err := os.Stat(b.into); archive.FormatOf(b.into) == archive.None || err == nil && info.IsDir() {
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

// nowhere is a place in which nothing is yet, as in an archive.
type nowhere struct{}

func (nowhere) List(string) ([]plan.Item, error)        { return nil, nil }
func (nowhere) Same(string, tree.Content) (bool, error) { return false, nil }
func (nowhere) Writable(string) error                   { return nil }

// compareArchive makes the plan of the file that the archive will be.
func (b *buildRun) compareArchive() error {
	a := &b.archive
	root, err := withNotes(b.tree.Root, b.notes)
	if err != nil {
		return err
	}
	b.notes = nil
	content := &archive.Archive{Root: root, Format: archive.FormatOf(a.name), Time: a.time}
	file := &tree.Node{Name: a.name, Kind: tree.File, Content: content}
	if a.plan, err = plan.Make(&tree.Node{Children: []*tree.Node{file}}, b.place); err != nil {
		return refused("nothing was changed", "%v", err)
	}
	switch s := a.plan.Steps[0]; s.State {
	case plan.Blocked:
		return refused("", "Nothing was built: %s: %s", term.Visible(b.into), s.Why)
	case plan.Kept:
		return refused("name another file, or move that one away", "Nothing was built: %s is there already, and holds something else.", term.Visible(b.into))
	}
	content.Done = func(n int) {
		if a.done != nil {
			a.done(n)
		}
	}
	return nil
}

// withNotes returns the tree with the notes as files in it.
func withNotes(root *tree.Node, notes []disk.Note) (*tree.Node, error) {
	out := *root
	out.Children = slices.Clone(root.Children)
	at := map[string]int{}
	for i, c := range out.Children {
		at[c.Name] = i
	}
	for _, n := range notes {
		data, err := n.Data()
		if err != nil {
			return nil, err
		}
		file := &tree.Node{Name: path.Base(n.Path), Kind: tree.File, Content: tree.Bytes(data)}
		if dir := path.Dir(n.Path); dir == "." {
			out.Children = append(out.Children, file)
		} else {
			i := at[dir]
			project := *out.Children[i]
			project.Children = append(slices.Clip(project.Children), file)
			out.Children[i] = &project
		}
	}
	return &out, nil
}
