//go:build unix

package main

import (
	"fmt"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/disk"
	"vestibula/core/journal"
)

// moveFiles compares moving 100,000 files within one file system, the plan, the
// journal and the looks at each of them included, with a bare loop of renames.
func moveFiles(b *bench) (ours, theirs measure, err error) {
	folders, files := size(1000), 100
	place := filepath.Join(b.dir, "moving")
	name := func(folder, file int, suffix string) string {
		return fmt.Sprintf("Project %04d/2027-03-09 photograph %03d%s.jpg", folder, file, suffix)
	}
	for f := range folders {
		check(os.MkdirAll(filepath.Join(place, fmt.Sprintf("Project %04d", f)), 0o777))
		for i := range files {
			check(os.WriteFile(filepath.Join(place, name(f, i, "")), nil, 0o666))
		}
	}
	from, to := "", " moved"
	turn := func() { from, to = to, from }
	ours = seconds(func() time.Duration {
		begin := time.Now()
		set := &change.Set{Places: []address.Address{address.Address(place)}, Changes: make([]change.Change, 0, folders*files)}
		for f := range folders {
			for i := range files {
				set.Changes = append(set.Changes, change.Change{Op: change.Move, From: name(f, i, from), Path: name(f, i, to)})
			}
		}
		w := &disk.Writer{Dir: filepath.Join(b.dir, "state")}
		p, err := w.Prepare(set)
		check(err)
		_, err = w.Apply(p, journal.Head{What: "bench", Roots: []journal.Root{{Path: "."}}})
		check(err)
		turn()
		return time.Since(begin)
	})
	theirs = seconds(func() time.Duration {
		begin := time.Now()
		for f := range folders {
			for i := range files {
				check(syscall.Rename(filepath.Join(place, name(f, i, from)), filepath.Join(place, name(f, i, to))))
			}
		}
		turn()
		return time.Since(begin)
	})
	return ours, theirs, nil
}
