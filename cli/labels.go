package cli

import (
	"bytes"
	"fmt"
	"io"
	"path"
	"slices"

	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// A labelling is a label that a build writes: the builds that meet in one root
// share it.
type labelling struct {
	folder string // from the place, "." for the place itself
	builds []*batch.Build
	old    []byte // what the label holds, nil where there is none yet
	id     string
	run    *buildRun
}

// Open returns what the label is to hold.
func (l *labelling) Open() (io.ReadCloser, error) {
	data, err := l.data()
	return io.NopCloser(bytes.NewReader(data)), err
}

// Source names the label in messages.
func (l *labelling) Source() string { return "the label" }

func (l *labelling) data() ([]byte, error) {
	at := l.run.now
	if l.run.archive.name != "" {
		at = l.run.archive.time
	}
	var list []*label.Build
	for _, r := range l.builds {
		list = append(list, label.NewBuild(l.run.t, r.Values, at, l.run.version))
	}
	return label.Add(l.old, l.identity(), list...)
}

// labels returns the labels of all builds. What those of new roots hold is made
// when it is needed.
func (b *buildRun) labels() ([]*labelling, error) {
	fresh := make(map[string]bool, len(b.batch.Builds))
	for i := range b.plan.Steps {
		if s := &b.plan.Steps[i]; s.Parent < 0 && s.State == build.New {
			fresh[s.Node.Name] = true
		}
	}
	list := make([]*labelling, 0, len(b.batch.Builds))
	at := make(map[string]*labelling, len(b.batch.Builds))
	for _, r := range b.batch.Builds {
		folder := "."
		if top := r.Root.Children; len(top) == 1 && top[0].Kind == tree.Folder {
			folder = top[0].Name
		}
		if at[folder] == nil {
			at[folder] = &labelling{folder: folder, run: b}
			list = append(list, at[folder])
		}
		at[folder].builds = append(at[folder].builds, r)
	}
	for _, l := range list {
		if b.archive.name != "" {
			continue // the same input gives the same bytes
		}
		if !fresh[l.folder] {
			var err error
			if l.old, err = b.place.ReadFile(l.file(), label.MaxBytes); err != nil {
				return nil, fmt.Errorf("%s cannot be read: %s", l.file(), place.Reason(err))
			}
		}
		if l.old != nil {
			known, err := label.Parse(l.old)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", path.Join(b.into, l.folder), err)
			}
			l.id = known.ID
		}
	}
	return list, nil
}

// identity is what the project is known by. A new one is drawn when it is needed.
func (l *labelling) identity() string {
	if l.id == "" && l.run.archive.name == "" {
		l.id = label.NewID()
	}
	return l.id
}

// file is the path of the label.
func (l *labelling) file() string { return path.Join(l.folder, label.FileName) }

// node is the label as a file of a tree.
func (l *labelling) node() *tree.Node {
	return &tree.Node{Name: label.FileName, Kind: tree.File, Content: l}
}

// labelled returns a tree with its label in it.
func labelled(root *tree.Node, l *labelling) *tree.Node {
	out := *root
	out.Children = append(slices.Clip(root.Children), l.node())
	return &out
}

// withLabels puts labels into changes: into the tree of a root that is made, or as
// changes of their own.
func withLabels(changes []change.Change, labels []*labelling) ([]change.Change, error) {
	made := map[string]int{}
	for i := range changes {
		made[changes[i].Path] = i
	}
	for _, l := range labels {
		if i, fresh := made[l.folder]; fresh {
			changes[i].Node = labelled(changes[i].Node, l)
			continue
		}
		data, err := l.data()
		if err != nil {
			return nil, err
		}
		switch {
		case data == nil: // all of it stands there
		case l.old == nil:
			changes = append(changes, change.Change{Op: change.Make, Path: l.file(), Node: l.node()})
		default:
			changes = append(changes, replacing(0, l.file(), l.old, data))
		}
	}
	return changes, nil
}
