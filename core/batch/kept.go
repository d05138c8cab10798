package batch

import (
	"errors"
	"fmt"
	"io"
	"iter"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/project"
	"vestibula/core/table"
)

// A Standing is how a row that is marked as built stands to the disk.
type Standing uint8

// The standings.
const (
	Unlooked Standing = iota // nobody has looked
	Settled                  // its project is there, with its values
	Changed                  // its project is there, with other values
	Bare                     // its folder is there, and has no label to compare
	Gone                     // no project of it is there
	Unclear                  // something is wrong with the row, so that nothing can be said
	Archived                 // it was archived, as somebody knows
)

// A Kept row is marked as built, and is not built again.
type Kept struct {
	*Build
	Marking  table.Marking
	Standing Standing
	Dir      address.Address // where its project is; empty where there is none
	ID       string          // what that is known by
	Diffs    []Diff          // of a changed one
	Why      string          // it is unclear, or where it was archived
}

// Moved reports whether the project is elsewhere than the mark says.
func (k *Kept) Moved() bool { return k.Dir != "" && string(k.Dir) != k.Marking.Where }

// A Diff is a value that a row has, and its project has not.
type Diff struct{ Field, Was, Is string }

// A reader reads small files below the place that is built in.
type reader interface {
	ReadFile(path string, most int64) ([]byte, error)
	io.Closer
}

// Compare looks for the projects of rows that are marked, and holds their values against
// those of the rows: as far as columns or common values say them. Place is the folder that
// is built in; bad is told of labels there that cannot be read.
func (b *Batch) Compare(at *place.Place, bad func(dir address.Address, err error)) {
	b.place = at.Real
	b.several(at, func(eyes reader, k *Kept) {
		if k.Standing != Unlooked {
			return
		}
		k.Standing = Gone
		if k.Marking.Where != "" && b.settle(eyes, k, address.Address(k.Marking.Where), k.Marking.As) {
			return
		}
		b.settle(eyes, k, at.Real.Join(k.Folder()), k.Marking.As)
	})
	var find func(id string) address.Address // made once, for those that are not where they were
	lists := map[string]*bundle.AwayList{}
	for _, k := range b.Kept {
		if k.Standing == Gone && k.Marking.As != "" {
			if find == nil {
				find = project.ByID(at.Real, bad)
			}
			if dir := find(k.Marking.As); dir != "" {
				b.settle(at, k, dir, k.Marking.As)
			}
		}
		if k.Standing == Gone && k.Marking.Where != "" {
			k.archived(lists)
		}
	}
}

// archived notes that the project of a row that is gone was archived, if it was. Lists are those
// of folders, which are read once.
func (k *Kept) archived(lists map[string]*bundle.AwayList) {
	dir := filepath.Dir(k.Marking.Where)
	l, known := lists[dir]
	if !known {
		l = bundle.AwayIn(dir)
		lists[dir] = l
	}
	if l == nil {
		return
	}
	for _, p := range l.Projects {
		if p.Label.ID != "" && p.Label.ID == k.Marking.As || k.Marking.As == "" && p.Name == filepath.Base(k.Marking.Where) {
			k.Standing, k.Why = Archived, p.Where()
		}
	}
}

// several does something with all kept rows, each goroutine with a place of its own.
func (b *Batch) several(at *place.Place, do func(eyes reader, k *Kept)) {
	pool.Each(len(b.Kept), 1, func(numbers iter.Seq[int]) {
		eyes := at.Clone().(reader)
		defer eyes.Close()
		for i := range numbers {
			do(eyes, b.Kept[i])
		}
	})
}

// settle reports whether a row's project is in a folder, and notes how it stands.
func (b *Batch) settle(eyes reader, k *Kept, dir address.Address, id string) bool {
	l, err := b.labelIn(eyes, string(dir))
	var none *project.LabelError
	switch {
	case errors.As(err, &none):
		if info, err := place.Stat(dir); err == nil && info.IsDir() && id == "" && k.Marking.Where == string(dir) {
			k.Dir, k.Standing = dir, Bare
			return true
		}
		return false
	case err != nil || id != "" && l.ID != id || l.Template != b.Template.Name:
		return false
	}
	k.Dir, k.ID, k.Standing = dir, l.ID, Settled
	is := label.NewBuild(b.Template, k.Values, b.Now, "")
	for _, f := range b.Template.Fields {
		_, common := b.Common[f.Name]
		if f.Made() || !common && len(b.Columns[f.Name]) == 0 || counts(f) && !k.Values[f.Name].Given() {
			continue
		}
		if was, now := said(l.Values[f.Name]), said(is.Values[f.Name]); was != now {
			k.Diffs, k.Standing = append(k.Diffs, Diff{f.Name, was, now}), Changed
		}
	}
	return true
}

// labelIn is the label in a folder. Below the place that is built in, no path is followed from the top of the disk.
func (b *Batch) labelIn(eyes reader, dir string) (*label.Label, error) {
	if below, inside := strings.CutPrefix(dir, string(b.place)+string(filepath.Separator)); inside && filepath.IsLocal(below) {
		l, _, err := project.LabelIn(eyes, filepath.ToSlash(below))
		return l, err
	}
	l, _, err := project.ReadLabel(dir)
	return l, err
}

// said is a value of a label as a text.
func said(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case []any:
		items := make([]string, len(v))
		for i, it := range v {
			items[i] = fmt.Sprint(it)
		}
		return strings.Join(items, "; ")
	}
	return fmt.Sprint(v)
}

// BuildAgain puts rows among those to be built whose projects are gone.
func (b *Batch) BuildAgain() {
	b.Kept = slices.DeleteFunc(b.Kept, func(k *Kept) bool {
		if k.Standing != Gone {
			return false
		}
		if b.Counter != nil && b.Counter.Fill(b.Template, k.Values, b.Limit) == nil {
			if x, err := b.Template.Tree(k.Values, b.Limit); err == nil {
				k.Root = x.Root.Built()
			}
		}
		b.Builds = append(b.Builds, k.Build)
		return true
	})
	b.settleOrder()
}

// InTheWay makes problems of rows whose folders are those of the projects of other rows,
// as these are now, and do not go elsewhere.
func (b *Batch) InTheWay(at string, goes func(dir address.Address) bool) {
	taken := map[string]*Kept{}
	for _, k := range b.Kept {
		if k.Dir != "" && !goes(k.Dir) {
			taken[string(k.Dir)] = k
		}
	}
	if len(taken) == 0 {
		return
	}
	b.Builds = slices.DeleteFunc(b.Builds, func(build *Build) bool {
		k := taken[filepath.Join(at, filepath.FromSlash(build.Folder()))]
		if k == nil {
			return false
		}
		b.Problems = append(b.Problems, Problem{build.Row, "", fmt.Sprintf("“%s” is the folder of %s now: bring that up to date first", build.Folder(), b.Table.RowName(k.Row))})
		return true
	})
	b.settleOrder()
}

// settleOrder puts builds and problems into the order of the rows, and the trees together.
func (b *Batch) settleOrder() {
	slices.SortStableFunc(b.Builds, func(x, y *Build) int { return x.Row - y.Row })
	slices.SortStableFunc(b.Problems, func(x, y Problem) int { return x.Row - y.Row })
	b.meet()
}
