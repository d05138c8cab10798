package cli

import (
	"fmt"
	"path"

	"vestibula/core/batch"
	"vestibula/core/disk"
	"vestibula/core/label"
	"vestibula/core/plan"
	"vestibula/core/tree"
)

// labels returns the labels of all builds: builds that meet in one root share
// its label. Those of new roots are made when they are needed.
func (b *buildRun) labels() ([]disk.Note, error) {
	fresh := map[string]bool{}
	for i := range b.plan.Steps {
		if s := &b.plan.Steps[i]; s.Parent < 0 && s.State == plan.New {
			fresh[s.Node.Name] = true
		}
	}
	var files []string
	builds := map[string][]*batch.Build{}
	for _, r := range b.batch.Builds {
		file := label.FileName
		if top := r.Root.Children; len(top) == 1 && top[0].Kind == tree.Folder {
			if b.preview && fresh[top[0].Name] {
				continue // it will be made, and is not needed yet
			}
			file = path.Join(top[0].Name, label.FileName)
		}
		if builds[file] == nil {
			files = append(files, file)
		}
		builds[file] = append(builds[file], r)
	}
	at := b.now
	if b.archive.name != "" {
		at = b.archive.time
	}
	labelOf := func(file string, old []byte) ([]byte, error) {
		var list []*label.Build
		for _, r := range builds[file] {
			list = append(list, label.NewBuild(b.t, r.Values, at, b.version))
		}
		return label.Add(old, list...)
	}
	var notes []disk.Note
	for _, file := range files {
		if fresh[path.Dir(file)] {
			notes = append(notes, disk.Note{Path: file, Data: func() ([]byte, error) { return labelOf(file, nil) }})
			continue
		}
		old, err := b.place.ReadFile(file)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %s", file, disk.Reason(err))
		}
		data, err := labelOf(file, old)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path.Join(b.into, path.Dir(file)), err)
		}
		if data != nil {
			notes = append(notes, disk.Note{Path: file, Was: old, Data: func() ([]byte, error) { return data, nil }})
		}
	}
	return notes, nil
}
