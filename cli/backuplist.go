package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/archive"
	"vestibula/core/bag"
	"vestibula/core/pack"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/tree"
)

// A madeBackup is a backup that is there.
type madeBackup struct {
	dir  string
	head *bag.Backup // what its list says of it as a whole
}

// backupsOf are the backups of a project in a folder, the newest first.
func backupsOf(dir, id string) (list []madeBackup) {
	entries, _ := os.ReadDir(dir)
	for _, e := range entries {
		if head := backupHead(filepath.Join(dir, e.Name())); head != nil && (id == "" || head.ID == id) {
			list = append(list, madeBackup{filepath.Join(dir, e.Name()), head})
		}
	}
	slices.SortStableFunc(list, func(a, b madeBackup) int { return b.head.Made.Compare(a.head.Made) })
	return list
}

// backupHead is what the list of a backup says of it as a whole; nil where a folder or a
// file is none.
func backupHead(dir string) *bag.Backup {
	for _, name := range []string{bag.BackupName, bag.BagName} {
		if at := filepath.Join(dir, name); isFile(at) {
			f, err := place.OpenFile(at)
			if err != nil {
				return nil
			}
			defer f.Close()
			data, err := io.ReadAll(io.LimitReader(f, bag.HeadSize))
			if err != nil {
				return nil
			}
			head, _ := bag.ParseHead(data) // what is no list is no backup
			return head
		}
	}
	if !isFile(dir) {
		return nil
	}
	note, _ := backupNote(dir)
	return note
}

// backupNote is the list that a backup has of itself; nil where a folder is none.
func backupNote(dir string) (*bag.Backup, error) {
	if archive.FormatOf(dir) == archive.Zip && isFile(dir) {
		f, err := pack.Open(dir)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		if f.Top() == nil {
			return nil, nil
		}
		note, _, err := f.Note(f.Top().Name)
		return note, err
	}
	for _, name := range []string{bag.BackupName, bag.BagName} {
		at := filepath.Join(dir, name)
		if !isThere(at) {
			continue
		}
		data, err := place.ReadFile(at, bag.MaxBackup)
		if err != nil {
			return nil, fmt.Errorf("its list, %s, cannot be read: %s", name, place.Reason(err))
		}
		return bag.ParseBackup(data)
	}
	return nil, nil
}

// show lists the backups of a project, and what differs between each and now.
func (r *backupRun) show(p *project.Project, list []madeBackup) error {
	root, _, err := r.reading(p.Dir)
	if err != nil {
		return unreadable(p.Dir, err)
	}
	type one struct {
		Backup  string `json:"backup"`
		Made    string `json:"made"`
		Size    int64  `json:"size"`
		Changed int    `json:"changed"`
		New     int    `json:"new"`
		Gone    int    `json:"gone"`
	}
	out := []one{}
	for _, b := range list {
		note, err := backupNote(b.dir)
		if err != nil || note == nil {
			return refused("", "the list of %s cannot be read: %v", b.dir, err)
		}
		_, size := note.Manifest("")
		o := one{Backup: filepath.Base(b.dir), Made: note.Made.Local().Format("2006-01-02 15:04"), Size: size}
		o.Changed, o.New, o.Gone = differs(note, p.Dir, root)
		out = append(out, o)
	}
	if r.asJSON {
		return r.printJSON(out)
	}
	r.screen.Line(term.Title.Render(term.Visible(filepath.Base(p.Dir))), term.Dim.Render("  "+term.Count(len(out), "backup")+" in "+term.Visible(r.into)))
	var rows [][]term.Shown
	for _, o := range out {
		var parts []term.Shown
		for _, n := range []struct {
			n    int
			what term.Shown
		}{{o.Changed, "changed"}, {o.New, "new"}, {o.Gone, "gone"}} {
			if n.n > 0 {
				parts = append(parts, term.Number(n.n)+" "+n.what)
			}
		}
		text := term.Good.Render("as it is now")
		if len(parts) > 0 {
			text = term.Join(parts, ", ") + " since"
		}
		rows = append(rows, []term.Shown{"  " + term.Visible(o.Backup), term.Dim.Render(term.Visible(o.Made)), term.Dim.Render(term.Size(o.Size)), text})
	}
	r.screen.Columns(rows)
	return nil
}

// differs counts what of a project is otherwise than in a backup. What has another time is
// read.
func differs(b *bag.Backup, dir string, root *tree.Node) (changed, fresh, gone int) {
	known := map[string]*bag.Entry{}
	for i := range b.Entries {
		known[b.Entries[i].Path] = &b.Entries[i]
	}
	in, err := place.Open(dir)
	if err != nil {
		return 0, 0, 0
	}
	defer in.Close()
	for at, n := range root.All() {
		if n.Kind == tree.Folder {
			delete(known, at+"/")
			continue
		}
		at = strings.Clone(at)
		was := known[at]
		if was == nil {
			fresh++
			continue
		}
		delete(known, at)
		info, err := os.Lstat(filepath.Join(dir, filepath.FromSlash(at)))
		if err != nil || info.Size() == was.Size && info.ModTime().UnixNano() == was.Time {
			continue
		}
		is := bag.Entry{Path: at}
		if lookAt(in, &is, nil) == nil && (is.Sum != was.Sum || is.To != was.To) {
			changed++
		}
	}
	for at := range known {
		if !strings.HasSuffix(at, "/") {
			gone++
		}
	}
	return changed, fresh, gone
}
