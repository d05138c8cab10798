package disk

import (
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"strings"

	"github.com/stretchr/testify/require"

	"vestibula/core/change"
)

// wanted is how the disk is to look afterwards.
func (w *world) wanted() map[string]string {
	all := map[string]string{}
	for _, n := range w.nodes {
		if n.gone {
			continue
		}
		at := fmt.Sprintf("%d:%s", n.place(true), n.path(true))
		switch {
		case n.folder:
			all[at] = "folder"
		case n.fresh && n.link:
			all[at] = "→ " + n.newText
		case n.fresh && n.copyOf == nil:
			all[at] = n.newText
		default:
			from := n
			if n.copyOf != nil {
				from = n.copyOf
			}
			all[at] = w.before[fmt.Sprintf("%d:%s", from.place(false), from.path(false))]
			if n.newText != n.text {
				all[at] = n.newText
			}
		}
	}
	return all
}

// now describes all that lies in the places: folders, and files with what they
// hold; those that nobody has written since the beginning with their permissions
// and time.
func (w *world) now() map[string]string {
	all := map[string]string{}
	for i, place := range w.places {
		require.NoError(w.t, filepath.WalkDir(string(place), func(at string, d fs.DirEntry, err error) error {
			if err != nil || at == string(place) {
				return err
			}
			rel, _ := filepath.Rel(string(place), at)
			key := fmt.Sprintf("%d:%s", i, filepath.ToSlash(rel))
			if d.Type()&fs.ModeSymlink != 0 {
				target, err := os.Readlink(at)
				require.NoError(w.t, err)
				all[key] = "→ " + target
				return nil
			}
			if all[key] = "folder"; d.Type().IsRegular() {
				data, err := os.ReadFile(at)
				require.NoError(w.t, err)
				info, err := d.Info()
				require.NoError(w.t, err)
				if all[key] = string(data); info.ModTime().Unix() < 1_710_000_000 {
					all[key] += fmt.Sprintf(" %s %d", info.Mode(), info.ModTime().UnixNano())
				}
			} else if !d.IsDir() {
				all[key] = d.Type().String()
			}
			return nil
		}))
	}
	return all
}

// folders are the places and all folders in them, but for those of the program's own.
func (w *world) folders() (list []string) {
	for _, place := range w.places {
		require.NoError(w.t, filepath.WalkDir(string(place), func(at string, d fs.DirEntry, err error) error {
			if d.IsDir() && strings.HasPrefix(d.Name(), change.WorkName) {
				return fs.SkipDir
			}
			if d.IsDir() {
				list = append(list, at)
			}
			return err
		}))
	}
	return list
}

// folderTimes are the times of folders.
func (w *world) folderTimes() map[string]int64 {
	times := map[string]int64{}
	for _, at := range w.folders() {
		info, err := os.Stat(at)
		require.NoError(w.t, err)
		times[at] = info.ModTime().UnixNano()
	}
	return times
}

// withoutKept leaves out where removed things are kept.
func withoutKept(all map[string]string) map[string]string {
	all = maps.Clone(all)
	maps.DeleteFunc(all, func(at, _ string) bool { return strings.Contains(at, ":"+change.WorkName) })
	return all
}
