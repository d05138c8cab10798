package cli

import (
	"path"
	"slices"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/backup"
	"vestibula/core/bundle"
	"vestibula/core/compare"
	"vestibula/core/project"
)

// A listedBackup is one of a list, as JSON shows it.
type listedBackup struct {
	Backup  string `json:"backup"`
	Made    string `json:"made"`
	Size    int64  `json:"size"`
	Changed int    `json:"changed"`
	Moved   int    `json:"moved"`
	Renamed int    `json:"renamed"`
	New     int    `json:"new"`
	Gone    int    `json:"gone"`
	Cut     bool   `json:"unfinished,omitempty"`
	Damaged bool   `json:"damaged,omitempty"`
}

// show lists the backups of a project, those that were moved aside too, and what differs between
// each and now.
func (r *backupRun) show(p *project.Project, into address.Address, list []bundle.Backup) error {
	aside := bundle.Backups(into.Join(backup.Older), p.Label.ID)
	unfinished, damaged := bundle.Unfinished(into, p.Dir.Name()), bundle.Damaged(into, p.Dir.Name())
	root, _, err := r.reading(p.Dir)
	if err != nil {
		return unreadable(p.Dir, err)
	}
	out := []listedBackup{}
	for i, b := range slices.Concat(list, aside) {
		note, err := bundle.Note(b.Dir)
		if err != nil || note == nil {
			return refused("", "the list of %s cannot be read: %v", b.Dir, err)
		}
		_, size := note.Manifest("")
		o := listedBackup{Backup: b.Dir.Name(), Made: note.Made.Local().Format("2006-01-02 15:04"), Size: size}
		if i >= len(list) {
			o.Backup = path.Join(backup.Older, o.Backup)
		}
		n := compare.Count(bundle.Differences(note, p.Dir, root))
		o.Changed, o.Moved, o.Renamed, o.New, o.Gone = n[compare.Altered], n[compare.Moved], n[compare.Renamed], n[compare.New], n[compare.Gone]
		out = append(out, o)
	}
	for _, name := range unfinished {
		out = append(out, listedBackup{Backup: name, Cut: true})
	}
	for _, name := range damaged {
		out = append(out, listedBackup{Backup: name, Damaged: true})
	}
	if r.asJSON {
		return r.printJSON(out)
	}
	r.screen.Line(term.Title.Render(term.Visible(p.Dir.Name())), term.Dim.Render("  "+term.Count(len(out)-len(unfinished)-len(damaged), "backup")+" in "+term.Visible(r.into)))
	r.screen.Columns(shownBackups(out))
	return nil
}

// shownBackups are the lines of the list.
func shownBackups(out []listedBackup) (rows [][]term.Shown) {
	for _, o := range out {
		if o.Damaged {
			rows = append(rows, []term.Shown{"  " + term.Visible(o.Backup), "", "", term.Bad.Render("its list is damaged")})
			continue
		}
		if o.Cut {
			rows = append(rows, []term.Shown{"  " + term.Visible(o.Backup), "", "", term.Bad.Render("left of a run that was cut short, and not whole")})
			continue
		}
		var parts []term.Shown
		for _, n := range []struct {
			n    int
			what term.Shown
		}{{o.Changed, "changed"}, {o.Moved, "moved"}, {o.Renamed, "renamed"}, {o.New, "new"}, {o.Gone, "gone"}} {
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
	return rows
}
